"""
Somebody else's house: nothing is set up, and the browser leads from the first keeper to the first true file.
"""

from __future__ import annotations

import csv
import io
import os
import re
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from cryptography.fernet import Fernet
from playwright.sync_api import Browser, Page, expect

from bouquet.demo.cluster import port_is_free
from tests.browser.conftest import FRONTEND
from tests.conftest import PROCESS, OwnCluster
from tests.web.jetty import change, made_jetty

#: Where pictures of the errand are put, for eyes; nowhere unless asked for.
PICTURES = os.environ.get("BOUQUET_PICTURES")


def picture(page: Page, name: str) -> None:
    if PICTURES:
        page.wait_for_timeout(400)
        page.screenshot(path=Path(PICTURES) / f"{name}.png")


@pytest.fixture
def begin(cluster: OwnCluster, tmp_path: Path) -> Iterator[str]:
    """The address that an empty house printed when it was started."""
    cluster.drop_database("bouquet_empty")
    cluster.ensure_database("bouquet_empty", "bouquet")
    port = next(p for p in range(8_600 + 30 * int(PROCESS.strip("_") or 0), 8_800) if port_is_free(p))
    known = {k: v for k, v in os.environ.items() if not k.startswith("BOUQUET_")}
    environment = {
        **known,
        "BOUQUET_STORE_URL": cluster.url("bouquet_empty", "bouquet", "test-only"),
        "BOUQUET_SECRET_KEY": Fernet.generate_key().decode(),
        "BOUQUET_FILES": str(tmp_path / "files"),
        "BOUQUET_OUTGOING": str(tmp_path / "outgoing"),
        "BOUQUET_FRONTEND": str(FRONTEND),
        "BOUQUET_PORT": str(port),
        "BOUQUET_ENV_FILE": str(tmp_path / "none"),
    }
    log = tmp_path / "server.log"
    with log.open("wb") as out:
        server = subprocess.Popen(
            [sys.executable, "-m", "bouquet.cli", "serve"], env=environment, stdout=out, stderr=out
        )
    limit = time.monotonic() + 60
    while not (found := re.search(r"http://\S+start=\S+", log.read_text())):
        assert time.monotonic() < limit, log.read_text()
        assert server.poll() is None, log.read_text()
        time.sleep(0.1)
    yield found[0]
    server.terminate()
    server.wait(20)


def test_from_an_empty_house_to_a_true_file(browser: Browser, begin: str, cluster: OwnCluster) -> None:
    """
    Keeper, source, catalogue: keep guesses, change labels, mark one field personal; a template from the proposal, run:
    the file equals SQL. Then a column is renamed in the source: replaced everywhere, and it runs again.
    """
    address = made_jetty(cluster)
    context = browser.new_context(viewport={"width": 1280, "height": 800}, locale="en-GB", accept_downloads=True)
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.goto(begin)
    page.get_by_label("Your name").fill("Kim Hale")
    page.get_by_label("E-mail address").fill("kim@jetty.example")
    page.get_by_label("Password").fill("a-long-password")
    page.get_by_role("button", name="Begin").click()

    # The source: a whole address pasted into the host is taken apart.
    page.get_by_role("heading", name="A new source").wait_for()
    page.get_by_label("At", exact=True).fill(address)
    expect(page.get_by_label("Database", exact=True)).to_have_value(re.compile("^jetty_test"))
    expect(page.get_by_label("At", exact=True)).to_have_value("127.0.0.1")
    page.get_by_label("Call it").fill("Jetty")
    page.get_by_role("button", name="Try it").click()
    expect(page.get_by_text("2 tables and views in 1 schema.")).to_be_visible()
    picture(page, "source")
    page.get_by_role("button", name="Take it on").click()

    # The catalogue: labels typed one below the other, one field personal, the rest kept as guessed.
    page.get_by_role("button", name=re.compile("^Boats")).click()
    label = page.get_by_label("Label of boat_name")
    label.fill("Name")
    label.press("Enter")
    expect(page.get_by_label("Label of built")).to_be_focused()
    page.get_by_label("Label of built").fill("Launched")
    page.get_by_label("Label of built").press("ArrowDown")
    page.get_by_label("Label of owner_email").fill("Owner's address")
    page.get_by_label("Label of owner_email").press("Enter")
    personal = page.get_by_label("Personal data in Owner's address")
    picture(page, "typed")
    expect(personal).to_have_value("contact")
    page.get_by_role("button", name=re.compile("Keep all")).click()
    expect(page.get_by_role("button", name=re.compile("^Boats"))).to_contain_text("known")
    picture(page, "catalogue")
    page.get_by_role("button", name=re.compile("^Put into use")).click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Launched")
    picture(page, "put-into-use")
    dialog.get_by_role("button", name="Put into use").click()
    expect(dialog).to_be_hidden()

    # The first template, from the proposal.
    page.get_by_role("link", name="Templates").click()
    page.get_by_role("button", name="New template").first.click()
    page.get_by_role("radio", name=re.compile("^passage")).check()
    picture(page, "new-template")
    page.get_by_role("dialog").get_by_role("button", name=re.compile("Open|Start|Make|Create")).click()
    page.locator(".sheet tbody tr").nth(5).wait_for()
    picture(page, "bench")
    page.get_by_role("button", name="Save").click()
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.locator(".strip .tag").first).to_contain_text("version 1")
    page.get_by_role("button", name="Run", exact=True).click()
    with page.expect_download() as taken:
        page.locator(".outcome").get_by_role("link", name="Download").click()
    text = Path(taken.value.path()).read_text(encoding="utf-8")
    rows = list(csv.DictReader(io.StringIO(text)))
    with psycopg.connect(address) as connection:
        true = connection.execute(
            "SELECT b.boat_name, p.fare::text FROM passage p JOIN boat b USING (boat_id) ORDER BY p.left_at DESC"
        ).fetchall()
    assert [(r["Boat"], r["Fare"]) for r in rows] == true

    # The source changes under it.
    change(cluster, "ALTER TABLE passage RENAME COLUMN fare TO ticket_fare")
    page.get_by_role("link", name="Set-up").click()
    page.get_by_role("link", name="Catalogue").click()
    page.get_by_role("button", name="Read the source again").click()
    drift = page.get_by_role("region", name="What the source no longer gives")
    expect(drift).to_contain_text("passage.fare")
    expect(drift.get_by_role("combobox")).to_have_value("ticket_fare")
    picture(page, "drift")
    drift.get_by_role("button", name="Take it everywhere").click()
    expect(drift).to_be_hidden()
    page.get_by_role("link", name="Templates").click()
    page.get_by_role("link", name="Passages").click()
    page.locator(".sheet tbody tr").nth(5).wait_for()
    expect(page.locator(".sheet thead")).to_contain_text("Fare")
    assert errors == []
    context.close()
