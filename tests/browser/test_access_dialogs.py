"""
What one press opens, in every place: dialogs, menus, and the dialogs that menus lead to, looked at by axe.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Locator, Page, TimeoutError

from tests.browser.conftest import House, drawn
from tests.browser.test_access import violations

pytestmark = [pytest.mark.browser, pytest.mark.thorough]

#: Place, who looks at it, and what stands there once it is drawn.
PLACES = {
    "templates": ("ines", ".board tbody tr"),
    "runs": ("ines", ".board tbody tr"),
    "rounds": ("ines", ".board tbody tr"),
    "recipients": ("ines", ".strip h1"),
    "records": ("ines", ".grid tbody tr"),
    "set-up/sources": ("marta", "main button"),
    "set-up/catalogue": ("marta", ".catalogue-sheet tbody tr"),
    "set-up/people": ("marta", ".board tbody tr"),
    "set-up/ways-out": ("marta", "main button"),
    "set-up/journal": ("marta", ".board tbody tr"),
    "set-up/health": ("marta", "main"),
}

#: What an opened part of a place is, a dialog before all.
OPENED = ("[aria-modal=true]", "[role=dialog]", ".dropdown-menu.show")

PASSWORDS = {"ines": "damson-and-lime", "marta": "oak-before-ash"}


def shown(page: Page, house: House, place: str) -> str:
    """Look at a place; gives the path where it is."""
    page.goto(f"{house.address}/{place}")
    page.locator(PLACES[place][1]).first.wait_for()
    drawn(page)
    return urlsplit(page.url).path


def openers(page: Page, place: str) -> list[str]:
    """
    The names of the buttons that open something, each kind once: of rows, the first's; of what stands above all places,
    where each of the two looks first.
    """
    found: list[str] = page.evaluate(
        """above => {
            const kinds = new Map();
            for (const button of document.querySelectorAll('button:enabled, [role=button]')) {
                const name = button.getAttribute('aria-label') || button.textContent.trim();
                const opens = button.hasAttribute('aria-haspopup') || button.matches('.dropdown-toggle, [aria-expanded=false]')
                    || name.endsWith('…') || /^(New|Add|A |Some of) /.test(name);
                if (!opens || !button.checkVisibility() || button.closest('[role=tablist]')) continue;
                if (!above && button.closest('header.desk')) continue;
                const row = button.closest('tr, li');
                const kind = row ? `${row.parentElement.className} ${[...row.querySelectorAll('button')].indexOf(button)}` : name;
                if (!kinds.has(kind)) kinds.set(kind, name);
            }
            return [...kinds.values()];
        }""",
        place in ("templates", "set-up/sources"),
    )
    return found


def button(page: Page, name: str) -> Locator:
    return page.locator("button, [role=button]").and_(page.get_by_role("button", name=name, exact=True)).first


def closed(page: Page, house: House, place: str, path: str) -> None:
    """The place as it was, whatever was opened; what opened in line is still there."""
    in_line = not any(page.locator(part).count() for part in OPENED)
    page.keyboard.press("Escape")
    try:
        page.wait_for_function("parts => !document.querySelector(parts)", arg=", ".join(OPENED), timeout=800)
    except TimeoutError:
        in_line = True
    if in_line or urlsplit(page.url).path != path:
        shown(page, house, place)


def opened(page: Page) -> list[str]:
    """What axe finds in what was opened; in the whole place where it opened in line. A menu hides a part of the page."""
    return violations(page, *OPENED)


def looks(page: Page, house: House, place: str) -> Iterator[str]:
    path = shown(page, house, place)
    yield from (f"{place}: {v}" for v in violations(page))
    names = openers(page, place)
    assert names or place.startswith("set-up/"), f"nothing opens on {place}"
    for name in names:
        button(page, name).click()
        yield from (f"{place} › {name}: {v}" for v in opened(page))
        items = page.locator(".dropdown-menu.show .dropdown-item:not(.disabled)", has_text=re.compile("…$"))
        for item in items.all_inner_texts():
            closed(page, house, place, path)
            button(page, name).click()
            page.locator(".dropdown-menu.show").get_by_text(item, exact=True).click()
            yield from (f"{place} › {name} › {item}: {v}" for v in opened(page))
        closed(page, house, place, path)


@pytest.mark.parametrize("place", PLACES)
def test_what_a_press_opens_has_no_violations(page: Page, house: House, place: str) -> None:
    """Each menu and dialog that stands behind a button of a place."""
    who = PLACES[place][0]
    signed = {"email": f"{who}@marrowby.example", "password": PASSWORDS[who]}
    assert page.request.post(f"{house.address}/api/v1/session", data=signed).ok
    # What opens and closes does so at once: half-faded text has no contrast.
    page.emulate_media(reduced_motion="reduce")
    found = list(looks(page, house, place))

    assert not found, "\n".join(found)
