"""
A real server, a real worker, a real browser.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from cryptography.fernet import Fernet
from playwright.sync_api import Browser, BrowserContext, Error, Page, expect, sync_playwright

from bouquet.demo.cluster import Cluster, port_is_free
from bouquet.demo.demo import GUESTS, seed_people, seed_templates
from bouquet.demo.issuer import CLIENT, Issuer
from bouquet.runs import Queue, Services
from bouquet.sources import Source
from bouquet.store import Store
from tests.conftest import CATALOGUE, FOLDER, PROCESS, SESSION, OwnCluster, one_at_a_time

# A busy machine is slow; what never comes still fails.
expect.set_options(timeout=30_000)

FRONTEND = Path(__file__).parents[2] / "frontend" / "dist"
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


@dataclass
class House:
    """
    A running Bouquet: its address, its store, and how to stop and start its parts.
    """

    address: str
    outgoing: Path
    store_url: str
    start: Callable[[], None]
    stop: Callable[[], None]


def seeded_house(cluster: OwnCluster, source: Source) -> Path:
    """
    The folder of a house with people, templates and past runs, made once for all test processes of one session; its
    database is called as the folder.
    """
    folder = FOLDER / f"house_{SESSION}"
    with one_at_a_time("house.lock"):
        if not (folder / "whole").exists():
            for older in FOLDER.glob("house_*"):
                shutil.rmtree(older)
                Cluster.drop_database(cluster, older.name)
            Cluster.ensure_database(cluster, folder.name, "bouquet")
            url = Cluster.url(cluster, folder.name, "bouquet", "test-only")
            services = Services(Store(url), source, folder / "files", folder / "outgoing")
            services.store.migrate()
            Queue(services).install()
            seed_people(services)
            seed_templates(services)
            services.ledger.close()
            services.store.close()
            (folder / "whole").touch()
    return folder


@pytest.fixture(scope="package")
def house(
    cluster: OwnCluster, marrowby: str, source: Source, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[House]:
    """Bouquet with the demonstration's people and templates, on a store of its own."""
    if not (FRONTEND / "index.html").exists():
        pytest.fail("the front end is not built: run “make test”, or “npm run build” in frontend/")
    folder = tmp_path_factory.mktemp("house")
    seeded = seeded_house(cluster, source)
    cluster.copy_database(seeded.name, "bouquet_house")
    files, outgoing = folder / "files", folder / "outgoing"
    shutil.copytree(seeded / "files", files)
    shutil.copytree(seeded / "outgoing", outgoing)
    store_url = cluster.url("bouquet_house", "bouquet", "test-only")
    port = next(p for p in range(8_310 + 30 * int(PROCESS.strip("_") or 0), 8_500) if port_is_free(p))
    environment = {
        **os.environ,
        "BOUQUET_STORE_URL": store_url,
        "BOUQUET_SOURCE_URL": marrowby,
        "BOUQUET_SOURCE_CATALOGUE": str(CATALOGUE),
        "BOUQUET_FILES": str(files),
        "BOUQUET_OUTGOING": str(outgoing),
        "BOUQUET_FRONTEND": str(FRONTEND),
        "BOUQUET_SECRET_KEY": Fernet.generate_key().decode(),
        "BOUQUET_PORT": str(port),
        "BOUQUET_ENV_FILE": str(folder / "none"),
    }
    issuer = Issuer(GUESTS)
    environment |= {
        "BOUQUET_OIDC_ISSUER": issuer.address,
        "BOUQUET_OIDC_CLIENT": CLIENT,
        "BOUQUET_OIDC_SECRET": issuer.secret,
        "BOUQUET_OIDC_TITLE": "Town hall",
    }
    address = f"http://127.0.0.1:{port}"
    processes: list[subprocess.Popen[bytes]] = []

    def start() -> None:
        with (folder / "server.log").open("ab") as log:
            command = [sys.executable, "-m", "bouquet.cli", "serve"]
            processes.append(subprocess.Popen(command, env=environment, stdout=log, stderr=log))
        limit = time.monotonic() + 60
        while True:
            try:
                urllib.request.urlopen(f"{address}/api/v1/health", timeout=2).close()
                return
            except (urllib.error.URLError, OSError):
                assert time.monotonic() < limit, (folder / "server.log").read_text()
                time.sleep(0.1)

    def stop() -> None:
        processes[-1].terminate()
        processes[-1].wait(20)

    start()
    yield House(address, outgoing, store_url, start, stop)
    stop()
    issuer.stop()


@pytest.fixture(scope="package")
def browser() -> Iterator[Browser]:
    path = shutil.which("chromium") or "/usr/bin/chromium"
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(executable_path=path, args=ARGUMENTS)
        yield made
        made.close()


def enter(page: Page, house: House, email: str, password: str) -> None:
    """Sign somebody in, and be at the library."""
    page.goto(house.address)
    page.get_by_label("E-mail address").fill(email)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("heading", name="Templates").wait_for(timeout=60_000)


@pytest.fixture(scope="package")
def kept(browser: Browser) -> Iterator[BrowserContext]:
    """
    Where tests look that have no wishes of their own. What it has loaded and compiled once it keeps: to do that anew for
    each test takes two seconds of a core.
    """
    context = browser.new_context(locale="en-GB", timezone_id="Europe/London", accept_downloads=True)
    context.set_default_timeout(30_000)
    context.add_init_script(UNANSWERED)
    yield context
    context.close()


#: What is drawn, once nothing more is asked for and nothing has changed for as long as a glance.
DRAWN = """() => new Promise((done, failed) => {
    let last = performance.now();
    const limit = last + 30000;
    const asked = () => performance.getEntriesByType('resource').length;
    let known = asked();
    const watcher = new MutationObserver(() => { last = performance.now(); });
    watcher.observe(document, {subtree: true, childList: true, attributes: true, characterData: true});
    const look = () => {
        if (asked() !== known) { known = asked(); last = performance.now(); }
        const now = performance.now();
        if (!window.unanswered && now - last > 120) { watcher.disconnect(); done(); }
        else if (now > limit) failed(new Error(`not still, and ${window.unanswered} questions not answered`));
        else setTimeout(look, 20);
    };
    look();
})"""

#: Questions of a page to the server that are not answered yet.
UNANSWERED = """
    window.unanswered = 0;
    const asking = window.fetch;
    window.fetch = (...what) => { window.unanswered++; return asking(...what).finally(() => { window.unanswered--; }); };
"""


def drawn(page: Page) -> None:
    """Wait until a page has asked for all it needs, and shows it."""
    page.evaluate(DRAWN)


@pytest.fixture
def page(kept: BrowserContext, house: House) -> Iterator[Page]:
    """Ines, signed in, at the library."""
    made = kept.pages[0] if kept.pages else kept.new_page()
    made.set_viewport_size({"width": 1280, "height": 800})
    made.emulate_media(reduced_motion="null")
    errors: list[str] = []

    def noted(error: Error) -> None:
        errors.append(str(error))

    made.on("pageerror", noted)
    signed = {"email": "ines@marrowby.example", "password": "damson-and-lime"}
    assert made.request.post(f"{house.address}/api/v1/session", data=signed).ok
    made.goto(house.address)
    made.get_by_role("heading", name="Templates").wait_for(timeout=60_000)
    yield made
    made.remove_listener("pageerror", noted)
    forgotten(kept)
    assert errors == []


def forgotten(context: BrowserContext) -> None:
    """Nobody is signed in, nothing is kept and nothing is open but one empty page; none, where that cannot be had."""
    page, *others = context.pages or [context.new_page()]
    for other in others:
        other.close()
    try:
        page.evaluate("localStorage.clear(); sessionStorage.clear()")
        page.mouse.up()
        page.unroute_all()
        page.goto("about:blank")
    except Error:
        page.close()
    context.clear_cookies()
    context.clear_permissions()
