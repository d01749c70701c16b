"""
Errands with bundles and rounds: kept in the library, set to run, pressed by whoever may.
"""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import House

pytestmark = [pytest.mark.browser, pytest.mark.thorough]


def test_a_bundle_is_kept_and_run(page: Page) -> None:
    """Two templates, one of which asks, and a whole record type, into one archive with one slip."""
    page.get_by_role("button", name="New bundle…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("For the auditor")
    dialog.get_by_role("checkbox", name="Planting season plan").check()
    dialog.get_by_role("checkbox", name="Order lines of a contractor").check()
    dialog.get_by_role("checkbox", name="Ashgate Arbor").check()
    dialog.get_by_role("checkbox", name="Crews").check()
    dialog.get_by_role("button", name="Keep in the library").click()
    expect(dialog).to_be_hidden()
    row = page.get_by_role("region", name="Bundles").locator("tbody tr", has_text="For the auditor")
    expect(row).to_contain_text("all crews")
    row.get_by_role("button", name="Run For the auditor").click()
    page.get_by_role("dialog").get_by_role("button", name="Run", exact=True).click()
    expect(page.get_by_role("link", name="For_the_auditor").first).to_be_visible()


def test_a_round_has_a_button_and_goes_out_as_a_document(page: Page, house: House) -> None:
    """Set, pressed in the library, its file in the folder; set once more from its own document."""
    page.get_by_role("link", name="Rounds", exact=True).click()
    page.get_by_role("button", name="New round").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Template or bundle").select_option(label="Planting season plan")
    dialog.get_by_label("It runs").select_option(label="when it is called")
    dialog.get_by_label("By a button that says").fill("Plan the season")
    dialog.get_by_label("And into a folder of the server, if any").fill("season")
    dialog.get_by_role("button", name="Set this round").click()
    expect(dialog).to_be_hidden()
    page.get_by_role("link", name="Templates", exact=True).click()
    page.get_by_role("button", name="Plan the season").click()
    page.get_by_role("link", name=re.compile(r"^Run \d+$")).click()
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    # Only the run's page says so: the library, which stands there until that is loaded, has runs that are delivered, too.
    expect(page.get_by_text(re.compile("put into season/"))).to_be_visible()
    assert [p.parent.name for p in house.outgoing.glob("season/*")] == ["season"]

    page.get_by_role("link", name="Rounds", exact=True).click()
    page.locator(".fortnight tr", has_text="Plan the season").get_by_role("link").first.click()
    expect(page.locator(".round-sentence")).to_contain_text("When somebody presses “Plan the season”")
    address = page.get_by_role("link", name="As a document").get_attribute("href") or ""
    document = page.request.get(f"{house.address}{address}").text()
    page.get_by_role("link", name="All rounds").click()
    page.get_by_role("button", name="From a document…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("The document").fill(document.replace("Plan the season", "Plan it again"))
    dialog.get_by_role("button", name="Set this round").click()
    expect(page.locator(".fortnight")).to_contain_text("Plan it again")


def test_what_a_template_asks_is_answered_by_the_record_that_closed(page: Page) -> None:
    """Set from the form; the round says what it waits for."""
    page.get_by_role("link", name="Rounds", exact=True).click()
    page.get_by_role("button", name="New round").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Template or bundle").select_option(label="Order lines of a contractor")
    dialog.get_by_label("It runs").select_option(label="when something is closed")
    dialog.get_by_label("Of which records").select_option(label="Work orders")
    dialog.get_by_label("Which of its fields changes").select_option(label="Status")
    dialog.get_by_role("checkbox", name="Assigned").uncheck()
    dialog.get_by_role("checkbox", name="Closed").check()
    dialog.get_by_label("“Raised when?” is answered by").select_option(label="its raised on")
    dialog.get_by_label("And into a folder of the server, if any").fill("closed-orders")
    dialog.get_by_role("button", name="Set this round").click()
    expect(dialog).to_be_hidden()
    expect(page.locator(".fortnight")).to_contain_text("when one of the work orders comes to meet its condition")
    page.get_by_role("button", name="More for Order lines of a contractor").click()
    page.get_by_role("button", name="Remove…").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove").click()
