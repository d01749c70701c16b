"""
Errands of who administers the house, and of whom they let in.
"""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import House, enter

pytestmark = [pytest.mark.browser, pytest.mark.thorough]


def test_rights_are_given_looked_through_and_met_at_the_door(page: Page, house: House, browser: Browser) -> None:
    """A group that the town hall names; what it leaves; its member signs in there, and sees just that."""
    page.context.clear_cookies()
    enter(page, house, "marta@marrowby.example", "oak-before-ash")
    page.goto(f"{house.address}/set-up/people")
    page.get_by_role("button", name="Make a group").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name", exact=True).fill("Parks office")
    dialog.get_by_label("What Town hall calls it").fill("parks-office")
    dialog.get_by_label("all record types").uncheck()
    for plural in ("resident reports", "wards", "trees", "sites"):
        expect(dialog.get_by_label(plural, exact=True)).to_be_checked()
    dialog.get_by_label("crews", exact=True).uncheck()
    dialog.get_by_label("as a rule").select_option(label="not at all")
    dialog.get_by_label("names what a person is called").select_option(label="masked: initials")
    dialog.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("row", name="Parks office")).to_contain_text("personal data not at all, names masked")

    page.get_by_role("button", name="Tobin Reyes", exact=True).click()
    left = page.get_by_label("What this leaves Tobin Reyes")
    expect(left).to_contain_text("of 12 wards")
    page.get_by_label("More for Tobin Reyes").click()
    page.get_by_role("button", name="Look through their eyes").click()
    expect(page.get_by_role("status").filter(has_text="You see what Tobin Reyes sees")).to_be_visible()
    page.goto(f"{house.address}/records/ward")
    expect(page.locator(".grid tbody tr")).to_have_count(2)
    page.get_by_role("button", name="Stop looking").click()
    expect(page.get_by_role("button", name="Make a group")).to_be_visible()

    theirs = browser.new_context(viewport={"width": 1280, "height": 800}, locale="en-GB").new_page()
    theirs.goto(house.address)
    theirs.get_by_role("link", name="Sign in with Town hall").click()
    theirs.get_by_role("link", name="Kim Hale").click()
    theirs.get_by_role("heading", name="Templates").wait_for()
    theirs.goto(f"{house.address}/records/resident_report")
    theirs.locator(".grid tbody tr").first.wait_for()
    assert "Telephone" not in theirs.content()
    expect(theirs.get_by_role("button", name="Kim Hale")).to_be_visible()
    theirs.context.close()


def test_a_template_is_shared_with_one_colleague(page: Page, house: House, tmp_path: Path) -> None:
    """Its owner says so in the library; everybody else does not see it."""
    row = page.get_by_role("row", name="Planting season plan")
    row.get_by_label("More for Planting season plan").click()
    page.get_by_role("button", name="Labels, and for whom").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("For whom").select_option(value="own")
    dialog.get_by_label("Tobin Reyes", exact=True).check()
    dialog.get_by_role("button", name="Save").click()
    expect(dialog).to_be_hidden()
    page.context.clear_cookies()
    enter(page, house, "tobin@marrowby.example", "quay-and-salter")
    expect(page.get_by_role("link", name="Planting season plan", exact=True)).to_be_visible()
    page.context.clear_cookies()
    enter(page, house, "ines@marrowby.example", "damson-and-lime")
    row.get_by_label("More for Planting season plan").click()
    page.get_by_role("button", name="Labels, and for whom").click()
    dialog.get_by_label("For whom").select_option(value="shared")
    dialog.get_by_role("button", name="Save").click()
    expect(dialog).to_be_hidden()


def test_a_round_is_handed_over_and_back(page: Page, house: House) -> None:
    """An administrator takes it, sees it among what belongs to them, and gives it back."""
    page.context.clear_cookies()
    enter(page, house, "marta@marrowby.example", "oak-before-ash")
    page.goto(f"{house.address}/rounds/1")
    expect(page.locator(".tag", has_text="round 1")).to_contain_text("for Ines Harrow")
    name = page.get_by_role("heading", level=1).inner_text()

    def hand_to(person: str) -> None:
        page.get_by_label(f"More for {name}").click()
        page.get_by_role("button", name="Hand over…").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("From now on it runs for").select_option(label=person)
        dialog.get_by_role("button", name="Hand over", exact=True).click()
        expect(dialog).to_be_hidden()

    hand_to("Marta Lindqvist")
    expect(page.locator(".tag", has_text="round 1")).to_contain_text("for you")
    page.goto(f"{house.address}/set-up/people")
    page.get_by_label("More for Marta Lindqvist").click()
    page.get_by_role("button", name="What is theirs, hand it over…").click()
    expect(page.get_by_role("dialog")).to_contain_text("1 round")
    page.get_by_role("dialog").get_by_role("button", name="Cancel").click()
    page.goto(f"{house.address}/rounds/1")
    hand_to("Ines Harrow")
    expect(page.locator(".tag", has_text="round 1")).to_contain_text("for Ines Harrow")
