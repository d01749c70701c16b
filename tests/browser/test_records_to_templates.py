"""
Errands that begin among the records, and the way back to an older version.
"""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.acts import Query, file_of, pick_narrowing
from tests.browser.test_errands import add_by_search, heading, new_template, saved, wait_for_rows

pytestmark = [pytest.mark.browser, pytest.mark.thorough]


def test_records_to_lists_files_and_templates(page: Page, query: Query) -> None:
    """Search, tick, keep as a list, narrow a template to it; export what is seen; open one record and its uses."""
    page.get_by_role("link", name="Records").click()
    page.get_by_label("Record types").get_by_role("link", name=re.compile("^Trees")).click()
    page.get_by_label("Search trees").fill("quercus")
    page.get_by_role("button", name="Another column").click()
    page.get_by_label("Field", exact=True).fill("botanical")
    page.keyboard.press("Enter")
    ((oaks,),) = query(
        "SELECT count(*) FROM tree t JOIN species p ON p.sp_id = t.sp_id WHERE deleted_at IS NULL AND sp_bot ILIKE '%quercus%'"
    )
    expect(page.get_by_role("status").filter(has_text=f"{oaks:,} of")).to_be_visible()
    expect(page.locator(".grid tbody tr").first).to_contain_text("Quercus")
    page.locator(".grid tbody input").nth(0).check()
    page.locator(".grid tbody input").nth(2).check()
    page.get_by_role("button", name="Keep as picks…").click()
    page.get_by_label("Name of the list").fill("Two oaks")
    page.get_by_role("dialog").get_by_role("button", name="Keep").click()
    expect(page.get_by_role("dialog")).to_have_count(0)

    page.get_by_role("button", name="Export what I see").click()
    page.get_by_role("button", name=re.compile("^as CSV")).click()
    assert len(file_of(page, ".banner")) - 1 == oaks

    page.locator(".grid tbody a").first.click()
    expect(page.get_by_label("Where it is used")).to_contain_text("Two oaks")
    expect(page.get_by_label("Where it is used")).to_contain_text("Trees at a glance")
    page.get_by_role("link", name="Templates", exact=True).click()
    new_template(page, "tree")
    add_by_search(page, "tag")
    pick_narrowing(page, "two oaks", "it is in the list")
    wait_for_rows(page, 2)
    expect(page.get_by_label("The template in words")).to_contain_text("in the list “Two oaks”")


def test_a_view_becomes_a_template_with_all_its_limits(page: Page) -> None:
    """What is looked at is saved as a view, found again, and kept as a template whose rows are the same."""
    page.goto(page.url.replace("/templates", "/records/site"))
    page.get_by_role("button", name="Narrow further").click()
    page.get_by_label("Field", exact=True).fill("kind")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("^View:")).click()
    page.get_by_role("button", name="Save this view…").click()
    page.get_by_label("Name", exact=True).fill("One kind")
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.get_by_role("button", name="View: One kind")).to_be_visible()
    counted = page.locator(".records-line > [role=status]")
    expect(counted).to_contain_text(" of ")
    seen = (counted.text_content() or "").split(" of ")[0]
    page.get_by_role("button", name="Design with these").click()
    expect(page.locator(".tally .last .n")).to_have_text(f"{seen} rows")
    saved(page)


def test_versions_labels_and_the_way_back(page: Page) -> None:
    """Two versions are compared in words, the draft goes back to the first; labels file it in the library."""
    new_template(page, "ward", empty=False)
    page.get_by_role("button", name=re.compile("^Wards")).first.click()
    page.get_by_label("Name of the template").fill("Wards, to be changed")
    page.keyboard.press("Enter")
    for note in ("first", "second"):
        page.get_by_role("button", name="Save").click()
        page.get_by_label("What changed?").fill(note)
        page.get_by_role("dialog").get_by_role("button", name="Save").click()
        expect(page.get_by_role("dialog")).to_have_count(0)
        if note == "first":
            heading(page, "Name").dblclick()
            page.get_by_label("Heading of Name").fill("Ward of the town")
            page.keyboard.press("Enter")
            saved(page)
    page.get_by_role("link", name="Back to the templates").click()
    page.get_by_role("button", name="More for Wards, to be changed").click()
    page.get_by_role("button", name="Versions…").click()
    page.get_by_role("button", name=re.compile("version 1 first")).click()
    page.get_by_label("Compared with").select_option("2")
    expect(page.get_by_label("What differs")).to_contain_text("1 difference")
    expect(page.get_by_label("What differs")).to_contain_text("Ward of the town")
    page.get_by_role("button", name="Go back to version 1").click()
    expect(page.get_by_role("dialog")).to_have_count(0)

    page.get_by_role("button", name="More for Wards, to be changed").click()
    page.get_by_role("button", name="Labels, and for whom…").click()
    page.get_by_label("Labels, separated by commas").fill("month end, regulator")
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    page.get_by_label("Which templates").get_by_role("button", name=re.compile("^month end")).click()
    expect(page.locator(".board tbody tr")).to_have_count(1)
    page.get_by_role("button", name="Pin Wards, to be changed").click()
    page.get_by_label("Which templates").get_by_role("button", name=re.compile("^Pinned 1")).click()
    page.get_by_role("link", name="Wards, to be changed").click()
    expect(heading(page, "Name")).to_be_visible()


def test_a_template_is_tried_on_the_newest_record(page: Page, query: Query) -> None:
    """A tiny file of the newest record shows how the whole will look."""
    ((newest,),) = query("SELECT t_tag FROM tree WHERE deleted_at IS NULL ORDER BY t_id DESC LIMIT 1")
    new_template(page, "tree")
    add_by_search(page, "tag")
    page.get_by_role("tab", name="Checks").click()
    page.get_by_role("button", name="Run on the newest only").click()
    assert file_of(page) == [["Tag"], [newest]]


def test_likes_are_kept(page: Page, query: Query) -> None:
    """The night theme and another country's numbers stay after a reload; hints can be put away for good."""
    page.get_by_role("link", name="Trees missing register fields").click()
    page.get_by_role("button", name="Got it").click()
    page.get_by_role("button", name="Ines Harrow").click()
    with page.expect_response("**/session/preferences"):
        page.get_by_label("Light", exact=True).select_option("dark")
    with page.expect_response("**/session/preferences"):
        page.get_by_label("Dates and numbers on screen").select_option("de-DE")
    expect(page.locator("html")).to_have_attribute("data-bs-theme", "dark")
    page.reload()
    expect(page.locator("html")).to_have_attribute("data-bs-theme", "dark")
    ((trees,),) = query("SELECT count(*) FROM tree")
    expect(page.locator(".tally .n").first).to_have_text(f"{trees:,}".replace(",", "."))
    expect(page.get_by_role("note")).to_have_count(0)
    page.get_by_role("button", name="Ines Harrow").click()
    page.get_by_label("Light", exact=True).select_option("light")
    page.get_by_label("Dates and numbers on screen").select_option("")
    expect(page.locator("html")).to_have_attribute("data-bs-theme", "light")
