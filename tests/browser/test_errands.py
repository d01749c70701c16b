"""
Whole errands, as a person does them.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from datetime import date, datetime
from pathlib import Path
from typing import Any

import psycopg
import pytest
import python_calamine
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import House

pytestmark = pytest.mark.browser

Query = Callable[[str], list[tuple[Any, ...]]]

STANDING_IN_QUAY = (
    "SELECT to_char(t_planted, 'DD/MM/YYYY'), t_tag, sp_bot FROM tree t LEFT JOIN species p ON p.sp_id = t.sp_id"
    " JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id"
    " WHERE deleted_at IS NULL AND t_st = 'S' AND w_name = 'Quay' ORDER BY t_planted NULLS LAST, t_id"
)


def headings(page: Page) -> list[str]:
    return page.locator(".sheet thead .head-pick").all_inner_texts()


def heading(page: Page, name: str) -> Locator:
    return page.locator(".sheet thead").get_by_role("button", name=name, exact=True)


def new_template(page: Page, records: str, *, empty: bool = True) -> None:
    page.get_by_role("button", name="New template").click()
    page.get_by_role("radio", name=re.compile(f"^{records} about")).check()
    if empty:
        page.get_by_label("Start with an empty sheet").check()
    page.get_by_role("button", name="Open the bench").click()
    page.locator(".shelf-field").first.wait_for()


def add_by_search(page: Page, text: str) -> None:
    page.keyboard.press("/")
    search = page.get_by_label("Search fields")
    search.fill(text)
    search.press("Enter")
    page.keyboard.press("Escape")
    search.blur()


def narrow(page: Page, field: str, text: str) -> None:
    page.get_by_role("button", name="Narrow further").click()
    picker = page.get_by_role("dialog").get_by_label("Field", exact=True)
    picker.fill(text)
    page.get_by_role("dialog").get_by_role("button", name=field).first.click()


def wait_for_rows(page: Page, count: int) -> None:
    expect(page.locator(".tally .last .n")).to_have_text(f"{count:,} row{'' if count == 1 else 's'}")
    expect(page.locator(".tally")).not_to_have_class(re.compile("stale"))


def saved(page: Page) -> None:
    expect(page.locator(".strip .tag").first).to_contain_text("draft kept")


def build_errand(page: Page, count: int) -> None:
    """Three columns, one renamed, two moved, narrowed twice, put in order."""
    new_template(page, "tree")
    expect(page.get_by_text("The sheet is empty")).to_be_visible()
    expect(page.locator(".outcome")).to_contain_text("1 thing to put right")
    for text in ("tag", "botanical", "planted on"):
        add_by_search(page, text)
    expect(page.locator(".sheet thead .head-pick")).to_have_count(3)
    heading(page, "Botanical name").dblclick()
    page.get_by_label("Heading of Botanical name").fill("Species")
    page.keyboard.press("Enter")
    heading(page, "Planted on").click()
    page.keyboard.press("Alt+ArrowLeft")
    page.keyboard.press("Alt+ArrowLeft")
    expect(page.locator(".sheet thead .head-pick").first).to_have_text("Planted on")
    assert headings(page) == ["Planted on", "Tag", "Species"]
    page.get_by_role("tab", name="This column").click()
    page.get_by_label("Date pattern").fill("dd/MM/yyyy")
    page.get_by_label("Order of the rows").select_option("ascending")
    narrow(page, "Status", "status")
    page.get_by_role("checkbox", name="Standing S", exact=True).check()
    page.get_by_role("checkbox", name=re.compile("^Dead, standing")).uncheck()
    page.keyboard.press("Escape")
    narrow(page, "Name Site › Ward", "ward name")
    page.get_by_role("dialog").get_by_label("Comparison").select_option("is")
    page.get_by_role("dialog").get_by_label("Value").fill("quay")
    page.keyboard.press("Escape")
    wait_for_rows(page, count)


def test_the_whole_errand(page: Page, query: Query) -> None:
    """Sign in → new template → columns → narrow → save → run → the files equal hand-written SQL."""
    expected = [[v or "" for v in row] for row in query(STANDING_IN_QUAY)]
    build_errand(page, len(expected))
    sentence = page.get_by_label("The template in words")
    expect(sentence).to_contain_text("where deleted at is blank, and status is one of Standing, and ward is “quay”")
    page.get_by_role("button", name="Save").click()
    page.get_by_label("What changed?").fill("first agreed")
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.locator(".strip .tag").first).to_contain_text("version 1")
    page.get_by_role("button", name="Run", exact=True).click()
    with page.expect_download() as downloading:
        page.locator(".outcome").get_by_role("link", name="Download").click()
    content = Path(downloading.value.path()).read_text(encoding="utf-8")
    rows = list(csv.reader(io.StringIO(content, newline="")))

    assert rows[0] == ["Planted on", "Tag", "Species"]
    assert rows[1:] == expected
    assert re.fullmatch(r"trees(_\d+)?_\d{4}-\d\d-\d\d\.csv", downloading.value.suggested_filename)

    page.get_by_role("tab", name="File").click()
    page.get_by_label("Format").select_option(label="Spreadsheet")
    saved(page)
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.locator(".outcome .end")).to_contain_text("is ready")
    with page.expect_download() as downloading:
        page.locator(".outcome").get_by_role("link", name="Download").click()
    sheet = python_calamine.load_workbook(str(downloading.value.path())).get_sheet_by_index(0).to_python()
    dated = [[datetime.strptime(d, "%d/%m/%Y").date() if d else "", *rest] for d, *rest in expected]
    assert [[v if v is not None else "" for v in row] for row in sheet[1:]] == dated
    assert isinstance(sheet[1][0], date)

    page.locator(".outcome").get_by_role("link", name=re.compile("is ready")).click()
    expect(page.get_by_label("Files and proof")).to_contain_text(
        f"{len(expected):,} announced, {len(expected):,} written"
    )
    page.get_by_role("link", name="Runs", exact=False).first.click()
    expect(page.locator(".board tbody tr").first).to_contain_text("Ines Harrow")
    page.get_by_role("button", name=re.compile("^Notices")).click()
    expect(page.locator(".dropdown-menu.show")).to_contain_text("is ready")


def test_the_mouse_moves_columns_and_places_fields(page: Page) -> None:
    """A column is dragged along the sheet; a field from the shelf is dropped before another."""
    new_template(page, "site", empty=False)
    before = headings(page)
    grip = page.get_by_role("button", name=f"Move {before[0]}")
    target = heading(page, before[2])
    drag(page, grip, target)
    expect(page.locator(".sheet thead .head-pick").nth(2)).to_have_text(before[0])

    page.get_by_label("Shelf", exact=True).get_by_role("button", name=re.compile("^all")).click()
    drag(page, page.locator(".shelf-field", has_text="Opened on"), heading(page, before[1]))
    expect(page.locator(".sheet thead .head-pick").first).to_have_text("Opened on")
    page.locator(".shelf-field", has_text="Area").first.dblclick()
    expect(page.locator(".sheet thead .head-pick").last).to_have_text("Area (ha)")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.locator(".sheet thead .head-pick").first).to_have_text(before[0])
    assert headings(page) == before


def drag(page: Page, what: Locator, where: Locator) -> None:
    what.scroll_into_view_if_needed()
    start, end = what.bounding_box(), where.bounding_box()
    assert start
    assert end
    page.mouse.move(start["x"] + start["width"] / 2, start["y"] + start["height"] / 2)
    page.mouse.down()
    page.mouse.move(start["x"] + start["width"] / 2 + 12, start["y"] + start["height"] / 2, steps=3)
    page.mouse.move(end["x"] + end["width"] / 2, end["y"] + end["height"] / 2, steps=12)
    page.mouse.move(end["x"] + end["width"] / 2 + 2, end["y"] + end["height"] / 2, steps=2)
    page.mouse.up()


def test_a_mistake_is_said_at_its_place_and_the_draft_is_kept(page: Page) -> None:
    """A number that is none, a heading twice: words beside the field, and everything is there after a reload."""
    new_template(page, "tree", empty=False)
    narrow(page, "Girth", "girth")
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Comparison").select_option("at_least")
    dialog.get_by_label("Value").fill("thick")
    expect(dialog.get_by_role("alert")).to_contain_text("“thick” is not a number, such as 12.5")
    page.keyboard.press("Escape")
    expect(page.locator(".tally")).to_contain_text("which Girth needs")
    expect(page.get_by_role("button", name="Run", exact=True)).to_be_disabled()
    heading(page, "Status").dblclick()
    page.get_by_label("Heading of Status").fill("tag")
    page.keyboard.press("Enter")
    expect(page.locator(".outcome")).to_contain_text("3 things to put right")
    saved(page)
    page.reload()
    expect(page.get_by_label("The template in words")).to_contain_text("girth is at least “thick”")
    assert headings(page)[:2] == ["Tag", "tag"]
    page.get_by_role("button", name="Save").click()
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.get_by_role("dialog").get_by_role("alert").first).to_be_visible()


def test_without_the_mouse(page: Page) -> None:
    """A grip is picked up and put down by keyboard, and each step is announced; the keys are listed."""
    new_template(page, "ward", empty=False)
    before = headings(page)
    page.get_by_role("button", name=f"Move {before[0]}").focus()
    page.keyboard.press("Space")
    expect(page.get_by_text("Over column 1 of 2.")).to_be_attached()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text("Over column 2 of 2.")).to_be_attached()
    page.keyboard.press("Space")
    expect(page.locator(".sheet thead .head-pick").first).to_have_text(before[1])
    heading(page, before[0]).focus()
    page.keyboard.press("F2")
    page.keyboard.type("Ward")
    page.keyboard.press("Enter")
    expect(heading(page, "Ward")).to_be_focused()
    page.keyboard.press("Delete")
    expect(page.locator(".sheet thead .head-pick")).to_have_count(1)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("Ctrl Enter")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+Enter")
    expect(page.locator(".outcome .end")).to_contain_text("is ready: 12 rows")


@pytest.mark.thorough
def test_a_server_that_goes_away_loses_nothing(page: Page, house: House) -> None:
    """What is typed meanwhile is kept in the page and sent when the server is back."""
    new_template(page, "ward", empty=False)
    saved(page)
    house.stop()
    try:
        heading(page, "Name").dblclick()
        page.get_by_label("Heading of Name").fill("Ward of the town")
        page.keyboard.press("Enter")
        expect(page.locator(".banner")).to_contain_text("cannot be reached")
    finally:
        house.start()
    expect(page.locator(".banner")).to_have_count(0)
    saved(page)
    page.reload()
    expect(heading(page, "Ward of the town")).to_be_visible()


def test_two_people_on_one_template(page: Page, house: House) -> None:
    """The later change is not lost and not forced: whose came first is said, and both can be had."""
    new_template(page, "ward", empty=False)
    saved(page)
    other = page.context.new_page()
    other.goto(page.url)
    heading(other, "Name").dblclick()
    other.get_by_label("Heading of Name").fill("Theirs")
    other.keyboard.press("Enter")
    saved(other)
    expect(heading(other, "Theirs")).to_be_visible()
    other.wait_for_timeout(900)  # the other page's draft goes out after half a second of quiet
    heading(page, "Name").dblclick()
    page.get_by_label("Heading of Name").fill("Mine")
    page.keyboard.press("Enter")
    expect(page.locator(".banner")).to_contain_text("Ines Harrow changed this template in the meantime")
    page.get_by_role("button", name="Keep mine instead").click()
    expect(page.locator(".banner")).to_have_count(0)
    other.reload()
    expect(heading(other, "Mine")).to_be_visible()


@pytest.mark.thorough
def test_a_round_fires_and_survives_a_restart(page: Page, house: House, query: Query) -> None:
    """Set for soon, with the server stopped over it: the file is there once, for the planned day."""
    page.get_by_role("link", name="Rounds").click()
    page.get_by_role("button", name="New round").click()
    page.get_by_label("Template").select_option(label="Work orders closed this week")
    page.get_by_label("When").select_option("day")
    minute = page.evaluate(
        "new Date(Date.now() + 180000).toLocaleTimeString('en-GB', {hour: '2-digit', minute: '2-digit', timeZone: 'Europe/London'})"
    )
    page.get_by_label("At", exact=True).fill(minute)
    page.get_by_label("And into a folder of the server, if any").fill("finance/daily")
    expect(page.get_by_role("dialog").locator(".slab .mono")).to_have_count(5)
    expect(page.get_by_role("dialog").locator(".slab .mono").first).to_contain_text(minute)
    page.get_by_role("button", name="Set this round").click()
    expect(page.locator(".fortnight")).to_contain_text("finance/daily")
    house.stop()
    # The planned minute passes while nobody is there.
    with psycopg.connect(house.store_url) as connection:
        connection.execute("UPDATE rounds SET next_at = next_at - interval '4 minutes' WHERE folder = 'finance/daily'")
    house.start()
    page.reload()
    line = page.locator(".fortnight tr", has_text="finance/daily")
    expect(line.locator(".moment.ready")).to_have_count(1, timeout=40_000)
    (file,) = (house.outgoing / "finance" / "daily").iterdir()
    with file.open(newline="", encoding="utf-8") as opened:
        assert len(list(csv.reader(opened))) > 1


def test_a_run_can_be_left_and_found_again(page: Page) -> None:
    """What a run is doing is said where it was started, and the ledger has it."""
    page.get_by_role("link", name="Trees missing register fields").click()
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.locator(".outcome .end")).to_contain_text(re.compile("rows|Counting|Waiting|ready"))
    page.get_by_role("link", name="Runs", exact=False).first.click()
    expect(page.locator(".board tbody tr").first).to_contain_text("Trees missing register fields")


def test_jump_and_library(page: Page) -> None:
    """Ctrl+K leads anywhere; the library searches sentences and keeps its view in the address."""
    page.keyboard.press("Control+k")
    page.get_by_label("Template, place, number of a run").fill("billing")
    expect(page.get_by_role("dialog").get_by_text("Contractor billing lines")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Contractor billing lines")).to_be_visible()
    page.get_by_role("link", name="Templates", exact=True).click()
    page.get_by_label("Search templates").fill("resident report")
    expect(page.locator(".board tbody tr")).to_have_count(1)
    assert "q=resident" in page.url
    page.reload()
    expect(page.locator(".board tbody tr")).to_have_count(1)
