"""
Retake the picture of each main view from the demonstration's data into `docs/screenshots/`.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from bouquet.demo.demo import PEOPLE

ROOT = Path(__file__).parent.parent
TARGET = ROOT / "docs" / "screenshots"
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip

#: What somebody asks for, in their own words, and in their own names.
ASKED = (
    "standing oaks in Quay not inspected for two years, near the motorway: tag, girth, last inspection, biggest first"
)

HEADER = (
    "TREE_REF;SPECIES_LATIN;GIRTH_MM;INSP_DATE;INSPECTOR;WARD_CODE;LAT;LON;RISK_CODE;AUTHORITY_ID;CLIMBED;REMARKS\n"
    "MB-04417;Tilia cordata;6750;22/11/2026;O. Vale;07;51.22071;-1.04130;L;;Y;none"
)


def settle(page: Page) -> None:
    """
    Wait until the sheet has rows and the tally is fresh.
    """
    page.locator(".sheet tbody tr").nth(5).wait_for()
    page.locator(".tally:not(.stale) .last").wait_for()
    page.wait_for_timeout(300)


def take(page: Page, name: str) -> None:
    """
    One picture of the page as it stands.
    """
    page.evaluate("document.activeElement?.blur()")
    page.screenshot(path=TARGET / f"{name}.png")


def views(page: Page) -> None:
    """
    Go through the main views in one errand.
    """
    page.get_by_role("link", name="Contractor billing lines").wait_for()
    take(page, "templates")
    page.get_by_role("button", name="New template").click()
    page.get_by_label("Say what you were asked for").fill(ASKED)
    page.get_by_label("What it was taken for").wait_for()
    take(page, "asked")
    page.get_by_label("Say what you were asked for").fill("")
    page.get_by_role("radio", name=re.compile("^inspection")).check()
    page.locator(".proposed tbody tr").first.wait_for()
    page.get_by_role("button", name="Cancel").click()
    page.get_by_role("link", name="Standing-tree inspections, rolling month").click()
    settle(page)
    page.get_by_role("button", name="Girth (cm)", exact=True).click()
    take(page, "bench")
    page.get_by_role("button", name="the last 30 days").click()
    page.get_by_role("dialog").get_by_text(re.compile(r"\b1 [A-Z][a-z]{2}\b")).first.wait_for()
    page.keyboard.press("Escape")
    page.get_by_role("tab", name="This column").click()
    page.locator(".histogram").wait_for()
    page.locator("button.out").first.click()
    page.locator(".left-out button").first.click()
    page.locator(".trace-path li").first.wait_for()
    take(page, "bench-trace")
    page.get_by_role("link", name="Templates", exact=True).click()
    page.get_by_role("link", name="Contractor billing lines").click()
    settle(page)
    page.get_by_role("tab", name="File").click()
    page.get_by_role("link", name="Runs", exact=True).click()
    page.locator(".board tbody tr").nth(5).wait_for()
    take(page, "runs")
    page.get_by_label("Status").select_option("held")
    page.get_by_role("link", name="Contractor billing lines").first.click()
    page.locator(".differences tbody tr").nth(3).wait_for()
    page.goto(page.url.split("/runs")[0] + "/runs?q=Standing")
    page.locator(".board tbody a.fw-bold").first.click()
    page.locator(".differences tbody tr").nth(3).wait_for()
    take(page, "run")
    page.goto(page.url.split("/runs")[0] + "/templates")
    page.get_by_role("link", name="Standing-tree inspections, rolling month").click()
    settle(page)
    page.get_by_role("tab", name="Checks").click()
    page.get_by_role("button", name=re.compile("^Girth .cm. must be between")).click()
    page.get_by_text("These rows:").wait_for()
    take(page, "bench-checks")
    page.get_by_role("link", name="Records").click()
    page.locator(".grid tbody tr").nth(5).wait_for()
    for n in (1, 3, 4):
        page.locator(".grid tbody input").nth(n).check()
    page.locator(".records-line > [role=status]", has_text=" of ").wait_for()
    take(page, "records")
    page.locator(".grid tbody a").nth(4).click()
    page.locator(".uses li").first.wait_for()
    take(page, "record")
    page.get_by_role("link", name="Templates", exact=True).click()
    page.get_by_role("link", name="Start from a header row").click()
    page.get_by_label("One row per").select_option("inspection")
    page.get_by_label("Header row").fill(HEADER)
    page.locator(".match-table tbody tr").nth(2).click()
    page.locator(".candidate").first.wait_for()
    take(page, "match")
    page.get_by_role("link", name="Templates", exact=True).click()
    page.get_by_role("link", name=re.compile("^Run Order lines of a contractor")).click()
    page.locator(".runner-sample tbody tr").nth(2).wait_for()
    page.locator(".runner-count b").wait_for()
    take(page, "runner")
    page.get_by_role("link", name="Rounds").click()
    page.locator(".fortnight .moment").first.wait_for()
    take(page, "rounds")
    page.get_by_role("link", name="Recipients", exact=True).click()
    page.locator("table.recipients tbody tr").nth(6).wait_for()
    take(page, "recipients")
    page.get_by_role("link", name="Canopy Register").click()
    page.get_by_label("Held against").select_option(label="Standing-tree inspections, rolling month")
    page.get_by_text("columns are met").wait_for()
    take(page, "recipient")
    page.get_by_role("link", name="All recipients").click()
    page.get_by_role("link", name="Post room").click()
    page.locator(".arrivals button", has_text="Resident reports").first.click()
    take(page, "post-room")


def set_up(page: Page) -> None:
    """
    The administrator's places.
    """
    page.get_by_role("link", name="Set-up").click()
    page.get_by_role("button", name="Add a source").click()
    page.get_by_label("Database", exact=True).wait_for()
    take(page, "sources")
    page.get_by_role("link", name="Ways out").click()
    page.get_by_role("link", name="Catalogue").click()
    page.get_by_role("button", name="Trees", exact=False).first.click()
    page.locator(".catalogue-sheet tbody tr").nth(5).wait_for()
    page.wait_for_timeout(800)
    take(page, "catalogue")
    page.get_by_role("link", name="People").click()
    page.get_by_role("button", name="Tobin Reyes", exact=True).click()
    page.get_by_text("counted just now").wait_for()
    take(page, "people")
    page.get_by_role("link", name="Journal").click()
    page.get_by_role("button", name="Check the seals").click()
    page.get_by_text("as they were written").wait_for()
    take(page, "journal")


def sign_in(page: Page, person: tuple[str, str, list[str], str]) -> None:
    """
    Sign one of the four people in.
    """
    page.get_by_label("Password").wait_for()
    page.get_by_label("E-mail address").fill(person[1])
    page.get_by_label("Password").fill(person[3])
    page.get_by_role("button", name="Sign in").click()


def main() -> None:
    """
    Start the demonstration in a folder of its own, take the pictures, and stop it.
    """
    TARGET.mkdir(parents=True, exist_ok=True)
    log = ROOT / ".demo" / "screenshots.log"
    log.parent.mkdir(exist_ok=True)
    folder = ROOT / ".demo" / "screenshots"
    with log.open("wb") as output:
        command = [sys.executable, "-m", "bouquet.cli", "demo", "--folder", str(folder)]
        server = subprocess.Popen(command, cwd=ROOT, stdout=output, stderr=output, env=dict(os.environ))
    try:
        address = wait_for_address(log, server)
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path=shutil.which("chromium") or "/usr/bin/chromium", args=ARGUMENTS
            )
            page = browser.new_page(
                viewport={"width": 1280, "height": 800}, locale="en-GB", timezone_id="Europe/London"
            )
            page.goto(address)
            sign_in(page, PEOPLE[0])
            views(page)
            page.get_by_role("button", name=PEOPLE[0][0]).click()
            page.get_by_role("button", name="Sign out").click()
            sign_in(page, PEOPLE[2])
            set_up(page)
            browser.close()
    finally:
        server.terminate()
        server.wait(30)


def wait_for_address(log: Path, server: subprocess.Popen[bytes]) -> str:
    """
    The address that the demonstration prints, once it answers there.
    """
    limit = time.monotonic() + 180
    while time.monotonic() < limit and server.poll() is None:
        found = re.search(r"http://127\.0\.0\.1:\d+", log.read_text())
        if found:
            try:
                urllib.request.urlopen(found.group(0) + "/api/v1/health", timeout=2).close()
                return found.group(0)
            except OSError:
                pass
        time.sleep(0.2)
    raise SystemExit(f"The demonstration did not start:\n{log.read_text()}")


if __name__ == "__main__":
    main()
