"""
What can happen to a page while somebody works on it: it is told at its place, and nothing of the work is lost.
"""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import House
from tests.browser.test_errands import heading, new_template, saved

pytestmark = [pytest.mark.browser, pytest.mark.thorough]


def test_who_is_no_longer_signed_in_goes_on_where_they_were(page: Page, house: House) -> None:
    """The session ends while a heading is typed: signed in again over the page, the heading is kept."""
    new_template(page, "ward", empty=False)
    saved(page)
    at = page.url
    assert page.request.delete(f"{house.address}/api/v1/session").ok
    heading(page, "Name").dblclick()
    page.get_by_label("Heading of Name").fill("Ward of the town")
    page.keyboard.press("Enter")
    again = page.get_by_role("dialog", name="You are no longer signed in")
    expect(again.get_by_label("E-mail address")).to_have_value("ines@marrowby.example")
    again.get_by_label("Password").fill("damson")
    again.get_by_role("button", name="Sign in", exact=True).click()
    expect(again.get_by_role("alert")).to_contain_text("Wrong")
    again.get_by_label("Password").fill("damson-and-lime")
    again.get_by_role("button", name="Sign in", exact=True).click()
    expect(again).to_have_count(0)
    saved(page)
    assert page.url == at
    page.reload()
    expect(heading(page, "Ward of the town")).to_be_visible()


def test_who_comes_back_after_hours_is_asked_to_sign_in(page: Page, house: House) -> None:
    """Also where nothing was touched: the first thing pressed says so, and is done after it."""
    page.locator(".board tbody tr").nth(3).wait_for()
    assert page.request.delete(f"{house.address}/api/v1/session").ok
    page.get_by_role("link", name="Runs", exact=True).click()
    again = page.get_by_role("dialog", name="You are no longer signed in")
    again.get_by_label("Password").fill("damson-and-lime")
    page.keyboard.press("Enter")
    expect(page.locator(".board tbody tr").nth(2)).to_be_visible()
    assert page.url.endswith("/runs")


def test_a_dialog_that_cannot_be_loaded_says_so(page: Page) -> None:
    """As after an upgrade, when what an open page would load is no longer there."""
    page.route(re.compile("/assets/NewTemplate"), lambda route: route.abort())
    page.get_by_role("button", name="New template").click()
    told = page.get_by_role("dialog", name="That could not be opened")
    expect(told).to_contain_text("renewed in the meantime")
    told.get_by_role("button", name="Close", exact=True).last.click()
    expect(told).to_have_count(0)
    page.unroute_all()
    page.reload()
    page.get_by_role("button", name="New template").click()
    expect(page.get_by_role("radio").nth(5)).to_be_visible()


def test_a_place_that_cannot_be_shown_leaves_the_others(page: Page) -> None:
    """What stands around it goes on: another place, and the same once it can be had."""
    page.route(re.compile("/assets/Ledger"), lambda route: route.fulfill(status=404))
    page.get_by_role("link", name="Runs", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("This page could not be shown.")
    page.get_by_role("link", name="Templates", exact=True).click()
    expect(page.locator(".board tbody tr").nth(3)).to_be_visible()
    page.unroute_all()
    page.get_by_role("link", name="Runs", exact=True).click()
    expect(page.locator(".board tbody tr").nth(2)).to_be_visible()
