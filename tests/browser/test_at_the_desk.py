"""
Errands at the desk and on a phone: by mouse, without the document and without help.
"""

from __future__ import annotations

import re
from collections import Counter
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from playwright.sync_api import Page, expect
from pypdf import PdfReader

from tests.browser.conftest import House, drawn, enter
from tests.browser.test_errands import add_by_search

pytestmark = [pytest.mark.browser, pytest.mark.thorough]

PHONE = {"width": 390, "height": 844}


def test_on_a_phone_a_template_is_found_run_and_fetched(page: Page) -> None:
    """Names are seen, nothing lies beside the screen, and what is in the file is said before."""
    page.set_viewport_size(PHONE)  # type: ignore[arg-type]
    name = page.get_by_role("link", name="Planting season plan", exact=True)
    name.scroll_into_view_if_needed()
    expect(name).to_be_in_viewport(ratio=0.9)
    expect(page.get_by_role("combobox", name="Which templates")).to_be_visible()
    page.get_by_role("button", name="Run Planting season plan").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("rows of")
    expect(dialog).to_contain_text("Not included:")
    dialog.get_by_role("button", name="Run", exact=True).click()
    page.get_by_role("link", name="Runs", exact=True).click()
    expect(page.get_by_role("link", name="Planting season plan").first).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= PHONE["width"]


def test_a_record_is_found_in_any_field_and_taken_with_what_belongs_to_it(page: Page, house: House) -> None:
    """The file's ends can be looked at before anything is downloaded."""
    page.goto(f"{house.address}/records/tree")
    page.get_by_label("Search trees").fill("robur")
    expect(page.get_by_text("No matches")).to_be_visible()
    page.get_by_label(re.compile("in all fields")).check()
    page.locator(".grid tbody a").first.click()
    page.get_by_role("button", name="Export this tree").click()
    page.get_by_role("button", name=re.compile("with all that belongs to it")).click()
    page.get_by_role("link", name=re.compile("is ready")).click()
    page.get_by_role("button", name="look into it").first.click()
    expect(page.get_by_role("dialog").get_by_label("Lines of the file")).to_contain_text("Quercus robur")


def test_the_file_is_pages_to_print(page: Page, tmp_path: Path) -> None:
    """Chosen on the bench, made for readers, and opened by a reader that is not ours."""
    page.get_by_role("link", name="Planting season plan", exact=True).click()
    page.get_by_role("tab", name="File").click()
    page.get_by_label("Format").select_option(label="PDF")
    page.get_by_role("button", name="Run", exact=True).click()
    link = page.locator(".outcome").get_by_role("link", name=re.compile("Download"))
    with page.expect_download() as downloading:
        link.click()
    path = tmp_path / "pages.pdf"
    downloading.value.save_as(path)
    said = PdfReader(path).pages[0].extract_text()

    assert "Planting season plan" in said


@pytest.mark.thorough
def test_no_page_offers_what_is_refused(page: Page, house: House) -> None:
    """A runner follows every kind of link once: nothing answers 403, nothing is gone."""
    refused: list[Any] = []
    page.context.clear_cookies()
    page = page.context.new_page()
    enter(page, house, "tobin@marrowby.example", "quay-and-salter")
    page.on("response", lambda r: refused.append((r.status, r.url)) if r.status >= 400 else None)
    page.on("pageerror", lambda error: refused.append(("error", str(error))))
    kinds: Counter[str] = Counter()
    waiting = ["/templates", "/runs", "/rounds", "/recipients", "/records/tree"]
    while waiting:
        path = waiting.pop(0)
        kind = re.sub(r"\d+", "N", path.partition("?")[0])
        kinds[kind] += 1
        if kinds[kind] > 1:
            continue
        page.goto(house.address + path)
        page.locator("main").wait_for()
        drawn(page)
        for href in page.eval_on_selector_all("a[href]", "e => e.map(x => x.getAttribute('href'))"):
            if href.startswith("/api"):
                known = re.sub(r"\d+", "N", href.partition("?")[0])
                kinds[known] += 1
                if kinds[known] == 1 and (answer := page.request.get(house.address + href)).status >= 400:
                    refused.append((answer.status, href))
            elif href.startswith("/"):
                waiting.append(href)

    assert refused == []


def test_pictures_go_into_a_spreadsheet(page: Page, tmp_path: Path) -> None:
    """Text cannot carry them: what is not known is not called empty, and one press makes a spreadsheet of it."""
    page.get_by_role("button", name="New template").click()
    page.keyboard.type("photographs: file name")
    expect(page.get_by_label("What it was taken for")).to_contain_text("File name")
    page.get_by_role("button", name="Open the bench").click()
    page.locator(".shelf-field").first.wait_for()
    add_by_search(page, "picture")
    cell = page.locator(".sheet tbody tr").first.locator("td").nth(2)
    expect(cell).to_have_text("…")
    page.get_by_role("tab", name="Checks").click()
    page.get_by_role("button", name="Make it a spreadsheet").click()
    expect(cell).to_have_text(re.compile(r"^\d+ bytes$"))
    expect(page.get_by_text("files that the records keep")).to_have_count(0)
    page.get_by_role("button", name="Run", exact=True).click()
    with page.expect_download() as downloading:
        page.locator(".outcome").get_by_role("link", name=re.compile("Download")).click()
    path = tmp_path / "photographs.xlsx"
    downloading.value.save_as(path)
    sheet = openpyxl.load_workbook(path).active
    assert len(sheet._images) == sheet.max_row - 1 > 20
