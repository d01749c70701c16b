"""
Errands about proof: a check that holds a run, comparison, release; a file given back; the ledger; programs.
"""

from __future__ import annotations

import csv
import io
import os
import re
import subprocess
import sys
import urllib.request
import zipfile
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import House
from tests.browser.test_errands import Query, add_by_search, new_template, saved

pytestmark = [pytest.mark.browser, pytest.mark.thorough]

EXAMPLE = Path(__file__).parents[2] / "docs" / "example_client.py"


def shelf(page: Page, tab: str) -> None:
    page.get_by_role("tab", name=tab, exact=True).click()


def run_and_open(page: Page) -> None:
    saved(page)
    page.get_by_role("button", name="Run", exact=True).click()
    page.locator(".outcome").get_by_role("link", name=re.compile("is ready|is waiting for review")).click()
    page.get_by_text("Rows, step by step").wait_for()


def test_a_check_is_set_tints_holds_and_is_released(page: Page, query: Query) -> None:
    """From the shelf to the run's page: counted by hand, seen in the sheet, held, compared, released with a reason."""
    ((blank,),) = query("SELECT count(*) FROM tree WHERE deleted_at IS NULL AND t_girth IS NULL")
    new_template(page, "tree")
    for text in ("tag", "girth"):
        add_by_search(page, text)
    expect(page.locator(".sheet thead .head-pick")).to_have_count(2)
    run_and_open(page)
    page.go_back()
    page.locator(".sheet tbody tr").nth(3).wait_for()
    shelf(page, "Checks")
    page.get_by_label("Add a check").select_option(label="Girth (cm)")
    page.get_by_label("What becomes of the run").select_option("hold")
    rule = page.locator(".rule")
    expect(rule.locator(".rule-count")).to_have_text(f"{blank:,} rows")
    expect(rule).to_contain_text(f"5 of {blank:,} rows:")
    expect(page.locator(".sheet td.objected").first).to_have_text("empty")
    expect(page.locator(".sheet td.objected.grave").first).to_have_attribute("title", "Girth (cm) must be filled")
    run_and_open(page)

    expect(page.locator(".strip")).to_contain_text("waiting for review")
    spoken = page.locator(".spoken")
    expect(spoken).to_contain_text("Girth (cm) must be filled")
    expect(spoken).to_contain_text(f"{blank:,} of")
    spoken.get_by_role("button", name=re.compile("^Show")).click()
    tag = spoken.locator("tbody a").first.inner_text()
    assert query(f"SELECT t_girth FROM tree WHERE t_tag = '{tag}'") == [(None,)]
    against = page.get_by_label("Against an earlier run", exact=True)
    expect(against).to_contain_text("Nothing differs")
    page.get_by_role("button", name="Release").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("button", name="Release it")).to_be_disabled()
    dialog.get_by_label("Why").fill("known gaps, looked at")
    dialog.get_by_role("button", name="Release it").click()
    expect(page.locator(".strip")).to_contain_text("ready")
    expect(page.get_by_label("Files and proof")).to_contain_text("Released by Ines Harrow")
    expect(page.get_by_label("Files and proof")).to_contain_text("known gaps, looked at")


def test_two_versions_are_compared_and_all_files_fetched(page: Page, query: Query) -> None:
    """The held run of the demonstration: three months beside one; a file for each contractor, in one zip."""
    page.get_by_role("link", name="Runs", exact=True).click()
    page.get_by_label("Status").select_option("held")
    page.get_by_role("link", name="Contractor billing lines").first.click()
    expect(page.locator(".spoken")).to_contain_text("The number of rows must be within 40 % of usual")
    against = page.get_by_label("Against an earlier run", exact=True)
    expect(against.locator(".count-chip.added b")).not_to_have_text("0")
    added = int(against.locator(".count-chip.added b").inner_text().replace(",", ""))
    same = int(re.findall(r"([\d,]+) the same", against.inner_text())[0].replace(",", ""))
    with page.expect_download() as downloading:
        against.get_by_role("link", name="every difference as CSV").click()
    with Path(downloading.value.path()).open(newline="", encoding="utf-8") as file:
        changes = [r["Change"] for r in csv.DictReader(file)]
    assert changes.count("added") == added
    with page.expect_download() as downloading:
        page.get_by_role("link", name="all as one zip").click()
    with zipfile.ZipFile(str(downloading.value.path())) as archive:
        rows = [
            r
            for name in archive.namelist()
            for r in csv.DictReader(io.TextIOWrapper(archive.open(name), encoding="utf-8", newline=""))
        ]
        contractors = len(archive.namelist())
    assert len(rows) == added + same
    assert contractors == len({r["Contractor"] for r in rows})


def test_a_file_is_edited_and_given_back(page: Page, tmp_path: Path) -> None:
    """A column is marked, the file fetched, two cells changed; the list says which can be taken over."""
    new_template(page, "ward")
    for text in ("name", "residents"):
        add_by_search(page, text)
    page.get_by_role("button", name="Residents", exact=True).click()
    shelf(page, "This column")
    page.get_by_label("may be edited outside and given back").check()
    run_and_open(page)
    with page.expect_download() as downloading:
        page.get_by_label("Files and proof").locator(".files a").first.click()
    rows = list(csv.reader(io.StringIO(Path(downloading.value.path()).read_text(encoding="utf-8"), newline="")))
    rows[1][1] = "12345"
    rows[2][1] = "many"
    name = downloading.value.suggested_filename
    with (tmp_path / name).open("w", newline="", encoding="utf-8") as file:
        csv.writer(file, delimiter=";").writerows(rows)
    page.get_by_role("link", name="Runs", exact=True).click()
    page.get_by_role("link", name="Check a file given back").click()
    page.get_by_label("The file").set_input_files(str(tmp_path / name))

    expect(page.locator(".given-back")).to_contain_text("told by its name")
    table = page.locator(".given-back table")
    expect(table.locator("tbody tr")).to_have_count(2)
    expect(table).to_contain_text("12345")
    expect(table).to_contain_text("“many” is not a whole number")
    with page.expect_download() as downloading:
        page.get_by_role("link", name="the list as CSV").click()
    listed = list(csv.DictReader(io.StringIO(Path(downloading.value.path()).read_text(encoding="utf-8"))))
    assert [(r["State"], r["As given back"]) for r in listed] == [("change", "12345"), ("impossible", "many")]


def test_the_ledger_goes_out_as_csv_and_a_program_reads_the_newest(page: Page, house: House) -> None:
    """The list as it is narrowed, made by the same engine; a token made in the browser opens the stable address."""
    page.get_by_role("link", name="Runs", exact=True).click()
    page.get_by_label("Records").select_option(label="work orders")
    expect(page.locator(".strip")).to_contain_text("rows")
    page.get_by_role("button", name="This list as CSV").click()
    with page.expect_download() as downloading:
        page.locator(".strip").get_by_role("link", name="Download").click()
    found = list(csv.DictReader(io.StringIO(Path(downloading.value.path()).read_text(encoding="utf-8"))))
    assert {r["Record type"] for r in found} == {"work_order"}
    assert str(len(found)) in page.locator(".strip .soft").first.inner_text()

    page.get_by_role("button", name="Ines Harrow").click()
    page.get_by_role("button", name="Tokens for programs").click()
    page.get_by_label("What it is for").fill("a test")
    page.get_by_role("button", name="Make a token").click()
    secret = page.locator(".new-token code").inner_text()
    listed: list[dict[str, Any]] = page.request.get(f"{house.address}/api/v1/templates").json()
    own = next(t["id"] for t in listed if t["name"] == "Work orders closed this week")
    request = urllib.request.Request(
        f"{house.address}/api/v1/templates/{own}/newest", headers={"Authorization": f"Bearer {secret}"}
    )
    with urllib.request.urlopen(request, timeout=10) as answer:
        assert answer.read().startswith(b"Order,Tree no.")


def test_a_password_is_changed(page: Page, house: House) -> None:
    """A wrong one is said where it was typed; the changed one signs in, and the old one no longer does."""
    old, new = "damson-and-lime", "lime-before-damson"

    def change(current: str, wanted: str) -> None:
        page.get_by_label("Current password").fill(current)
        page.get_by_label("New password", exact=True).fill(wanted)
        page.get_by_label("New password again").fill(wanted)
        page.get_by_role("button", name="Change it").click()

    def status(password: str) -> int:
        body = {"email": "ines@marrowby.example", "password": password}
        return page.request.post(f"{house.address}/api/v1/session", data=body).status

    page.get_by_role("button", name="Ines Harrow").click()
    page.get_by_role("button", name="Change my password").click()
    change("wrong", new)
    expect(page.get_by_role("dialog")).to_contain_text("The current password is wrong.")
    change(old, new)
    expect(page.get_by_role("dialog")).to_have_count(0)

    assert (status(old), status(new)) == (401, 200)
    body = {"current": new, "new": old}
    assert page.request.put(f"{house.address}/api/v1/session/password", data=body).ok


def test_the_example_client(page: Page, house: House, tmp_path: Path) -> None:
    """It asks for a run, fetches the file, and finds it as it was the second time; the same day's run is not doubled."""
    listed: list[dict[str, Any]] = page.request.get(f"{house.address}/api/v1/templates").json()
    own = next(t["id"] for t in listed if t["name"] == "Work orders closed this week")
    made = page.request.post(f"{house.address}/api/v1/tokens", data={"name": "example", "acts": ["run"]}).json()
    command = [sys.executable, str(EXAMPLE), house.address, str(own), str(tmp_path / "orders.csv")]
    told = []
    for _ in range(2):
        environment = {**os.environ, "BOUQUET_TOKEN": made["secret"]}
        done = subprocess.run(command, env=environment, capture_output=True, text=True, check=True, timeout=60)
        told.append(done.stdout.splitlines())

    assert told[0][0] == told[1][0]
    assert [t[1].rsplit(": ", 1)[1] for t in told] == ["new", "as it was"]
    assert (tmp_path / "orders.csv").read_text(encoding="utf-8").startswith("Order,Tree no.")
