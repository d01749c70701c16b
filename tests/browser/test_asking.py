"""
Somebody types what a colleague asked for; help stands at its place; several fields go together.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import House, drawn
from tests.browser.test_errands import drag, headings, new_template, wait_for_rows

pytestmark = [pytest.mark.browser, pytest.mark.thorough]

Query = Callable[[str], list[tuple[Any, ...]]]

ASKED = "standing trees in Quay taller than 20 m near the motorway: tag, girth, height, biggest first"


def test_what_was_asked_for_becomes_a_template(page: Page, query: Query) -> None:
    """Typed, read, a part that is not meant taken out; on the bench more is asked, by keyboard alone."""
    page.get_by_role("button", name="New template").click()
    page.keyboard.type(ASKED)
    taken = page.get_by_label("What it was taken for")
    expect(taken).to_contain_text("height is greater than 20")
    expect(page.get_by_text(re.compile("Not understood: “near”, “motorway”"))).to_be_visible()
    page.get_by_role("button", name="Not meant: height is greater than 20").click()
    expect(taken).not_to_contain_text("height is greater than 20")
    page.get_by_role("button", name="Open the bench").click()
    ((expected,),) = query(
        "SELECT count(*) FROM tree t JOIN site s USING (s_id) JOIN ward w ON w.w_id = s.ward_id"
        " WHERE deleted_at IS NULL AND t_st = 'S' AND w_name = 'Quay'"
    )
    wait_for_rows(page, expected)
    assert headings(page) == ["Tag", "Girth (cm)", "Height (m)"]

    page.keyboard.press("a")
    page.keyboard.type("over 150 cm girth, with planted on")
    expect(page.get_by_label("What it was taken for")).to_contain_text("girth is greater than 150")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Put it in").press("Enter")
    ((expected,),) = query(
        "SELECT count(*) FROM tree t JOIN site s USING (s_id) JOIN ward w ON w.w_id = s.ward_id"
        " WHERE deleted_at IS NULL AND t_st = 'S' AND w_name = 'Quay' AND t_girth > 150"
    )
    wait_for_rows(page, expected)
    assert headings(page) == ["Tag", "Girth (cm)", "Height (m)", "Planted on"]


def test_a_request_goes_on_from_anywhere(page: Page, house: House) -> None:
    """Ctrl+K offers it as a new template, where it is read at once."""
    page.goto(f"{house.address}/runs")
    expect(page.locator("table.board")).to_be_visible()
    page.keyboard.press("Control+k")
    expect(page.get_by_role("dialog").get_by_role("textbox")).to_be_focused()
    page.keyboard.type("contractors that are not active")
    page.keyboard.press("Enter")
    expect(page.get_by_label("What it was taken for")).to_contain_text("active is no")


def test_several_fields_go_on_to_the_sheet_together(page: Page) -> None:
    """Chosen with Ctrl and Shift and added, by Shift and arrows and Enter, and dragged to their place."""
    new_template(page, "tree")
    shelf = page.locator(".shelf .shelf-field[data-path]")
    shelf.filter(has_text="Tag").first.click()
    shelf.filter(has_text="Girth").first.click(modifiers=["Shift"])
    expect(page.get_by_text("3 fields chosen")).to_be_visible()
    shelf.filter(has_text="Status").first.click(modifiers=["Control"])
    page.get_by_role("button", name="Add them").click()
    expect(page.locator(".sheet thead .head-pick")).to_have_count(2)
    assert headings(page) == ["Tag", "Girth (cm)"]

    shelf.filter(has_text="Height").first.click()
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_text("2 fields chosen")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".sheet thead .head-pick")).to_have_count(4)
    assert headings(page) == ["Tag", "Girth (cm)", "Height (m)", "Planted on"]

    shelf.filter(has_text="Tag").first.click()
    shelf.filter(has_text="Status").first.click(modifiers=["Control"])
    drag(page, shelf.filter(has_text="Status").first, page.get_by_role("columnheader", name=re.compile("Height")))
    expect(page.locator(".sheet thead .head-pick")).to_have_count(6)
    assert headings(page) == ["Tag", "Girth (cm)", "Tag 2", "Status", "Height (m)", "Planted on"]


def test_help_stands_at_its_place(page: Page) -> None:
    """Behind the ?, with an example; Escape closes it and not the editor; it leads to a page with a picture."""
    page.get_by_role("link", name="Contractor billing lines").first.click()
    page.locator(".sentence .chip").nth(2).click()
    editor = page.locator(".popover")
    editor.get_by_role("button", name="Help").click()
    note = editor.get_by_role("note")
    expect(note).to_contain_text("Comparisons")
    page.keyboard.press("Escape")
    expect(note).to_have_count(0)
    expect(editor).to_be_visible()
    editor.get_by_role("button", name="Help").click()
    note.get_by_role("link", name=re.compile("In the guide")).click()
    expect(page.get_by_role("heading", name="Narrow the records")).to_be_visible()
    expect(page.locator(".guide article img").first).to_be_visible()
    page.keyboard.press("Control+k")
    page.keyboard.type("ways to fold")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Many records in one cell")).to_be_visible()


def test_the_ledger_is_sorted_by_its_headings(page: Page, house: House) -> None:
    page.goto(f"{house.address}/runs")
    rows = page.get_by_role("columnheader", name="Rows")
    # Whoever sorts a list sees it.
    expect(page.locator("table.board tbody tr").first).to_be_visible()
    rows.get_by_role("button").click()
    expect(rows).to_have_attribute("aria-sort", "descending")

    def numbers() -> list[int]:
        texts = page.locator("table.board tbody td.num").all_inner_texts()
        return [int(t.replace(",", "")) for t in texts if t != "—"]

    drawn(page)
    assert numbers() == sorted(numbers(), reverse=True)
    rows.get_by_role("button").click()
    expect(rows).to_have_attribute("aria-sort", "ascending")
    drawn(page)
    assert numbers() == sorted(numbers())
