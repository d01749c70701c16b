"""
Measures in a real browser: how long a person waits for the next picture on the bench.
"""

from __future__ import annotations

import json
import math
import os
import shutil
import statistics
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path
from typing import Any

from benchmarks.database import FOLDER, BenchDatabase
from bouquet.demo.cluster import port_is_free
from bouquet.demo.demo import PEOPLE, seed_people
from bouquet.runs import Queue, Services
from bouquet.store import Store

__all__ = ["Browsing", "browse"]

#: Columns of the template under the measure, and fields that the shelf is made to hold.
COLUMNS, FIELDS = 60, 500

ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip

#: Collects how long each interaction took until the next paint (W3C Event Timing), in milliseconds.
OBSERVE = """
window.waits = {};
new PerformanceObserver((list) => {
  for (const e of list.getEntries())
    if (e.interactionId) window.waits[e.interactionId] = Math.max(window.waits[e.interactionId] ?? 0, e.duration);
}).observe({type: "event", durationThreshold: 16, buffered: true});
window.firsts = performance.now();
"""


class Browsing:
    """
    What was measured, in milliseconds: waits of interactions, of letters in the shelf's search, and first views.
    """

    def __init__(self, waits: list[float], asked: int, letters: list[float], firsts: list[float]) -> None:
        # An interaction that the browser answers within a frame is not told; it counts as one frame.
        self.waits = sorted(waits + [16.0] * max(0, asked - len(waits)))
        self.letters = sorted(letters)
        self.firsts = sorted(firsts)

    @property
    def p95(self) -> float:
        return self.waits[math.ceil(0.95 * len(self.waits)) - 1]

    @property
    def first(self) -> float:
        return statistics.median(self.firsts)


@contextmanager
def served(database: BenchDatabase) -> Iterator[str]:
    """
    The address of a Bouquet over the benchmarks' source, with a store of its own.
    """
    database.cluster.ensure_role("bouquet", "bench-only")
    database.cluster.drop_database("bouquet")
    database.cluster.ensure_database("bouquet", "bouquet")
    store = Store(database.cluster.url("bouquet", "bouquet", "bench-only"))
    services = Services(store, database.source(), FOLDER / "files", FOLDER / "outgoing")
    store.migrate()
    Queue(services).install()
    seed_people(services)
    services.close()
    port = next(p for p in range(8_420, 8_480) if port_is_free(p))
    environment = {
        **os.environ,
        "BOUQUET_STORE_URL": store.url,
        "BOUQUET_SOURCE_URL": database.url,
        "BOUQUET_SOURCE_CATALOGUE": str(files("bouquet.demo.marrowby") / "catalogue.toml"),
        "BOUQUET_FILES": str(FOLDER / "files"),
        "BOUQUET_OUTGOING": str(FOLDER / "outgoing"),
        "BOUQUET_FRONTEND": str(Path("frontend/dist").resolve()),
        "BOUQUET_PORT": str(port),
        "BOUQUET_ENV_FILE": str(FOLDER / "none"),
    }
    server = subprocess.Popen(
        [sys.executable, "-m", "bouquet.cli", "serve"],
        env=environment,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(600):
            try:
                urllib.request.urlopen(f"{address}/api/v1/health", timeout=2).close()
                break
            except OSError:
                time.sleep(0.1)
        yield address
    finally:
        server.terminate()
        server.wait(30)


def browse(database: BenchDatabase) -> Browsing:
    """
    Sixty columns over 1.2 million trees: columns chosen, moved and renamed, chips and tabs opened, the shelf searched.
    """
    from playwright.sync_api import sync_playwright

    with served(database) as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=shutil.which("chromium") or "/usr/bin/chromium", args=ARGUMENTS
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(OBSERVE)
        page.goto(address)
        page.get_by_label("E-mail address").fill(PEOPLE[0][1])
        page.get_by_label("Password").fill(PEOPLE[0][3])
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("heading", name="Templates").wait_for()
        id = page.request.post(f"{address}/api/v1/templates", data={"everyday": False, "document": wide()}).json()["id"]
        firsts = [first_view(page, f"{address}/templates/{id}") for _ in range(6)][1:]
        page.locator(".tally:not(.stale) .last").wait_for()
        page.evaluate("window.waits = {}")
        asked = interact(page)
        page.wait_for_timeout(500)
        waits = list(page.evaluate("Object.values(window.waits)"))
        letters = search(page, f"{address}/templates/{id}")
        browser.close()
    return Browsing(waits, asked, letters, firsts)


def wide() -> dict[str, Any]:
    """
    Sixty columns of a tree and what it leads to, narrowed twice.
    """
    paths = (
        "tag", "status", "t_girth", "t_height", "planted_on", "species.botanical_name", "species.common_name",
        "species.family", "site.name", "site.ward.name", "latitude", "longitude", "register_no", "amenity_value",
        "note",
    )  # fmt: skip
    columns = [
        {"id": f"c{n}", "heading": f"Column {n + 1}", "value": {"field": paths[n % len(paths)]}} for n in range(COLUMNS)
    ]
    narrowings = [{"path": "deleted_at", "is": "blank"}, {"path": "status", "is": "is", "value": "S"}]
    return {"name": "Wide", "records": "tree", "columns": columns, "filter": {"all": narrowings}}


def first_view(page: Any, address: str) -> float:
    """
    Milliseconds from going there to the sentence and the first rows.
    """
    page.goto(address, wait_until="commit")
    page.locator(".sentence .chip").first.wait_for()
    page.locator(".sheet tbody tr").nth(5).wait_for()
    return float(page.evaluate("performance.now()"))


def interact(page: Any) -> int:
    """
    What a designer does; returns how many interactions it was.
    """
    asked = 0

    def each(times: int, act: Callable[[int], None]) -> None:
        nonlocal asked
        for n in range(times):
            act(n)
            asked += 1

    head = page.locator(".sheet thead .head-pick")
    each(6, lambda n: head.nth(n).click())
    each(20, lambda n: page.keyboard.press("ArrowRight"))
    each(10, lambda n: page.keyboard.press("Alt+ArrowLeft"))
    page.keyboard.press("F2")
    each(12, lambda n: page.keyboard.press("x"))
    page.keyboard.press("Enter")
    for tab in ("This column", "File", "Checks", "Fields") * 3:
        page.get_by_role("tab", name=tab).click()
        asked += 1
    for _ in range(5):
        page.get_by_role("button", name="Standing: change").click()
        page.get_by_role("dialog").wait_for()
        page.keyboard.press("Escape")
        asked += 2
    each(10, lambda n: page.keyboard.press("Control+z"))
    for letter in "species name":
        page.get_by_label("Search fields").press(letter)
        asked += 1
    return asked


def search(page: Any, address: str) -> list[float]:
    """
    The same bench with a catalogue of five hundred fields: milliseconds until the next paint for each letter typed.
    """

    def widened(route: Any) -> None:
        body = route.fetch().json()
        known = [f for g in body["groups"] for f in g["fields"]]
        group = body["groups"][0]
        extra = [
            {
                **known[n % len(known)],
                "path": f"made_{n}",
                "label": f"{known[n % len(known)]['label']} {n}",
                "everyday": True,
            }
            for n in range(FIELDS - len(known))
        ]
        group["fields"] = [*group["fields"], *extra]
        route.fulfill(body=json.dumps(body), content_type="application/json")

    page.route("**/api/v1/record-types/tree", widened)
    first_view(page, address)
    page.locator(".shelf-field").nth(100).wait_for()
    page.evaluate("window.waits = {}")
    box = page.get_by_label("Search fields")
    for text in ("girth", "species", "planted"):
        for letter in text:
            box.press(letter)
        for _ in text:
            box.press("Backspace")
    page.wait_for_timeout(500)
    return list(page.evaluate("Object.values(window.waits)")) or [16.0]
