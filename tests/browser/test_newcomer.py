"""
Somebody who has never seen Bouquet makes a useful template: how long they read, point and type.
"""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

from tests.browser.acts import Query, file_of
from tests.browser.conftest import House

pytestmark = [pytest.mark.browser, pytest.mark.thorough]

#: Words that a person reads in a minute.
READING = 250

#: Seconds to think of what comes next, point at it and press; and for a letter typed (keystroke-level model: Card, Moran
#: and Newell, 1980).
PRESSING, LETTER = 1.35 + 1.1 + 0.2, 0.28

LONGEST = 180

#: The texts in view, without what lies behind a dialog. Of a table, its first row says what it holds; the others are
#: looked at, and not read, as numbers are.
TEXTS = """() => {
    const dialog = document.querySelector('[aria-modal=true]');
    const walker = document.createTreeWalker(dialog ?? document.body, NodeFilter.SHOW_TEXT);
    const found = [];
    while (walker.nextNode()) {
        const element = walker.currentNode.parentElement;
        if (element.closest('tbody tr + tr, .visually-hidden, option')) continue;
        const range = document.createRange();
        range.selectNode(walker.currentNode);
        const box = range.getBoundingClientRect();
        const inView = box.width && box.height && box.bottom > 0 && box.top < innerHeight && box.right > 0 && box.left < innerWidth;
        if (inView && element.checkVisibility({visibilityProperty: true})) found.push(walker.currentNode.textContent.trim());
    }
    return found;
}"""


class Newcomer:
    """
    Reads whatever is new in view before each act, and uses only what is in view. `seconds` is what that takes them.
    """

    def __init__(self, page: Page) -> None:
        self.page, self.seconds, self.known = page, 0.0, set[str]()

    def read(self) -> None:
        self.page.wait_for_timeout(500)
        new = [text for text in self.page.evaluate(TEXTS) if text not in self.known]
        self.known.update(new)
        words = [word for text in new for word in text.split() if re.search(r"[^\W\d_]", word)]
        self.seconds += len(words) * 60 / READING

    def press(self, what: Locator) -> None:
        self.read()
        expect(what).to_be_in_viewport()
        what.click()
        self.seconds += PRESSING

    def write(self, where: Locator, text: str) -> None:
        self.read()
        expect(where).to_be_in_viewport()
        where.fill(text)
        self.seconds += PRESSING + LETTER * len(text)


def test_a_first_useful_template_takes_a_newcomer_under_three_minutes(
    browser: Browser, house: House, query: Query
) -> None:
    """Signs in, says what they were asked for, and has its rows in a file."""
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(house.address)
    who = Newcomer(page)
    who.write(page.get_by_label("E-mail"), "ines@marrowby.example")
    who.write(page.get_by_label("Password"), "damson-and-lime")
    who.press(page.get_by_role("button", name="Sign in", exact=True))
    page.locator(".board tbody tr").nth(3).wait_for()
    who.press(page.get_by_role("button", name="New template"))
    asked = page.get_by_role("dialog").get_by_label("Say what you were asked for")
    who.write(asked, "standing trees: tag, species, girth")
    proposed = page.get_by_role("dialog").get_by_role("button", name="Open the bench")
    expect(proposed).to_be_enabled()
    who.press(proposed)
    page.locator(".sheet tbody tr").nth(5).wait_for()
    page.locator(".tally:not(.stale) .last").wait_for()
    who.press(page.get_by_role("button", name="Run", exact=True))
    page.locator(".outcome").get_by_role("link", name="Download").wait_for()
    who.read()
    rows = file_of(page)
    page.close()

    print(f"a newcomer's first useful template: {who.seconds:.0f} s")
    ((standing,),) = query("SELECT count(*) FROM tree WHERE t_st = 'S' AND deleted_at IS NULL")
    assert (len(rows[0]), len(rows) - 1) == (3, standing)
    assert who.seconds < LONGEST
