"""
Every place, looked at by axe: no violations of WCAG 2.2 A and AA.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page

from tests.browser.conftest import House, drawn

pytestmark = pytest.mark.browser

AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
RUN = """async parts => {
    const within = parts.find(part => document.querySelector(part));
    const rules = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];
    return (await axe.run(within ?? document, {runOnly: rules, resultTypes: ['violations']})).violations;
}"""


#: What fades in has no contrast yet; what turns for ever, as a wheel that waits, is not waited for.
STILL = """() => document.getAnimations().every(
    a => a.playState !== 'running' || a.effect.getComputedTiming().endTime === Infinity)"""


def violations(page: Page, *parts: str) -> list[str]:
    """What axe finds wrong on a page, or in the first of its parts (selectors) that is there, once nothing moves."""
    page.emulate_media(reduced_motion="reduce")
    drawn(page)
    page.wait_for_function(STILL)
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text(encoding="utf-8"))
    found: list[Any] = page.evaluate(RUN, parts)
    return [f"{v['id']}: {n['target']} {n['failureSummary']}" for v in found for n in v["nodes"]]


def bench(page: Page) -> None:
    page.get_by_role("link", name="Standing-tree inspections, rolling month").click()
    page.locator(".sheet tbody tr").nth(5).wait_for()
    page.locator(".tally:not(.stale) .last").wait_for()


def window(page: Page) -> None:
    bench(page)
    page.get_by_role("button", name="the last 30 days").click()
    page.get_by_role("dialog").get_by_role("button", name="all time").wait_for()


def column(page: Page) -> None:
    bench(page)
    page.get_by_role("button", name="Girth (cm)", exact=True).click()
    page.get_by_role("tab", name="This column").click()
    page.get_by_label("Decimals").wait_for()


def file(page: Page) -> None:
    bench(page)
    page.get_by_role("tab", name="File").click()
    page.get_by_label("Format").select_option(label="CSV")
    page.get_by_label("Separator", exact=True).wait_for()


def new_template(page: Page) -> None:
    page.get_by_role("button", name="New template").click()
    page.get_by_role("radio").nth(5).wait_for()


def runs(page: Page) -> None:
    page.get_by_role("link", name="Runs").click()
    page.locator(".board tbody tr").nth(3).wait_for()


def run(page: Page) -> None:
    runs(page)
    page.get_by_label("Status").select_option("ready")
    drawn(page)
    page.locator(".board tbody a").first.click()
    page.get_by_text("Rows, step by step").wait_for()


def rounds(page: Page) -> None:
    page.get_by_role("link", name="Rounds").click()
    page.locator(".fortnight .moment").first.wait_for()


def new_round(page: Page) -> None:
    rounds(page)
    page.get_by_role("button", name="New round").click()
    page.get_by_role("dialog").locator(".slab .mono").nth(4).wait_for()


def library(page: Page) -> None:
    page.locator(".board tbody tr").nth(3).wait_for()


def row_rule(page: Page) -> None:
    bench(page)
    page.get_by_role("button", name="inspection: change").click()
    page.get_by_role("figure").wait_for()


def checks(page: Page) -> None:
    bench(page)
    page.get_by_role("tab", name="Checks").click()
    page.get_by_text("Not in this file").wait_for()


def trace(page: Page) -> None:
    bench(page)
    page.locator("button.out").first.click()
    page.locator(".left-out button").first.click()
    page.locator(".trace-path li").first.wait_for()


def night(page: Page) -> None:
    page.get_by_role("button", name="Ines Harrow").click()
    page.get_by_label("Light", exact=True).select_option("dark")
    page.keyboard.press("Escape")
    page.locator("html[data-bs-theme=dark]").wait_for()
    trace(page)


def folded(page: Page) -> None:
    page.get_by_role("link", name="Trees at a glance, per ward sheet").click()
    page.locator(".sheet tbody tr").nth(5).wait_for()
    page.get_by_role("button", name=re.compile("^Inspections")).first.click()
    page.get_by_role("tab", name="This column").click()
    page.get_by_label(re.compile("^Of its")).wait_for()


def records(page: Page) -> None:
    page.get_by_role("link", name="Records").click()
    page.locator(".grid tbody tr").nth(5).wait_for()
    page.locator(".grid tbody input").nth(1).check()
    page.get_by_role("button", name="Keep as picks…").wait_for()


def record(page: Page) -> None:
    records(page)
    page.locator(".grid tbody a").first.click()
    page.locator(".uses li").first.wait_for()


def match(page: Page) -> None:
    page.get_by_role("link", name="Start from a header row").click()
    page.get_by_label("One row per").select_option("tree")
    page.get_by_label("Header row").fill("Tag;Girth;Authority")
    page.locator(".match-table tbody tr").nth(2).wait_for()


def runner(page: Page) -> None:
    page.get_by_role("link", name=re.compile("^Run Order lines of a contractor")).click()
    page.locator(".runner-sample tbody tr").nth(2).wait_for()


def held(page: Page) -> None:
    runs(page)
    page.get_by_label("Status").select_option("held")
    page.get_by_role("link", name="Contractor billing lines").first.click()
    page.locator(".differences tbody tr").nth(3).wait_for()


def several(page: Page) -> None:
    runs(page)
    page.get_by_role("button", name="Several in one").click()
    page.get_by_label("Standing-tree inspections, rolling month").wait_for()


def given_back(page: Page) -> None:
    runs(page)
    page.get_by_role("link", name="Check a file given back").click()
    page.get_by_role("button", name="Choose a file").wait_for()


def tokens(page: Page) -> None:
    page.get_by_role("button", name="Ines Harrow").click()
    page.get_by_role("button", name="Tokens for programs").click()
    page.get_by_label("What it is for").fill("nightly load")
    page.get_by_role("button", name="Make a token").click()
    page.get_by_text("it is shown this once").wait_for()


def rules(page: Page) -> None:
    bench(page)
    page.get_by_role("tab", name="Checks").click()
    page.get_by_role("button", name="Risk must be filled").click()
    page.get_by_text(re.compile("rows:$")).wait_for()


def versions(page: Page) -> None:
    page.get_by_role("button", name="More for Trees missing register fields").click()
    page.get_by_role("button", name="Versions…").click()
    page.get_by_text("no difference").wait_for()


def administered(page: Page, place: str) -> None:
    """A place of Set-up, as Marta."""
    home = page.url.split("/templates")[0]
    marta = {"email": "marta@marrowby.example", "password": "oak-before-ash"}
    assert page.request.post(f"{home}/api/v1/session", data=marta).ok
    page.goto(f"{home}/set-up/{place}")


def sources(page: Page) -> None:
    administered(page, "sources")
    page.get_by_role("button", name="Add a source").click()
    page.get_by_label("Database", exact=True).wait_for()


def catalogue(page: Page) -> None:
    administered(page, "catalogue")
    page.locator(".catalogue-sheet tbody tr").nth(5).wait_for()


def people(page: Page) -> None:
    administered(page, "people")
    page.get_by_role("button", name="Add somebody").click()
    page.get_by_label("E-mail address").wait_for()


def limit(page: Page) -> None:
    bench(page)
    page.locator(".sentence").get_by_role("button", name="every row").click()
    page.get_by_label("only what was not sent before").wait_for()


#: Places, and states of some: the others are looked at after the suite.
FIRST = (library, bench, runner, night)
MORE = (
    runs,
    run,
    rounds,
    row_rule,
    folded,
    records,
    record,
    catalogue,
    people,
    new_template,
    window,
    column,
    file,
    new_round,
    checks,
    trace,
    match,
    versions,
    held,
    several,
    given_back,
    tokens,
    rules,
    sources,
    limit,
)


@pytest.mark.parametrize(
    "place",
    [*FIRST, *(pytest.param(place, marks=pytest.mark.thorough) for place in MORE)],
    ids=lambda p: p.__name__,
)
def test_a_place_has_no_violations(page: Page, house: House, place: Callable[[Page], None]) -> None:
    """Names, roles, contrast and order, as far as a program can tell; and one main part, to be gone to at once."""
    place(page)
    found = violations(page)
    assert page.locator("main").count() == 1
    page.request.put(f"{house.address}/api/v1/session/preferences", data={"theme": "light"})

    assert found == []


def test_the_door_has_no_violations(browser: Browser, house: House) -> None:
    """The sign-in, before anybody is in."""
    page = browser.new_page()
    page.goto(house.address)
    page.get_by_label("Password").wait_for()

    assert violations(page) == []
    page.close()
