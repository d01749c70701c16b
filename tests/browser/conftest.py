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
from playwright.sync_api import Browser, Page, expect, sync_playwright

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


@pytest.fixture(scope="session")
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


@pytest.fixture(scope="session")
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


@pytest.fixture
def page(browser: Browser, house: House) -> Iterator[Page]:
    """Ines, signed in, at the library."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, locale="en-GB", timezone_id="Europe/London", accept_downloads=True
    )
    context.set_default_timeout(30_000)
    made = context.new_page()
    errors: list[str] = []
    made.on("pageerror", lambda error: errors.append(str(error)))
    enter(made, house, "ines@marrowby.example", "damson-and-lime")
    yield made
    context.close()
    assert errors == []
