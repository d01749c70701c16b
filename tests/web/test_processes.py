"""
A web server of several processes: they share an address and their news, and live and end together.
"""

from __future__ import annotations

import gc
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import requests
import sqlalchemy as sa
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.demo.demo import PEOPLE
from bouquet.designing import Counting
from bouquet.rounds import make_queue
from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.sources import SourceCancelled
from bouquet.store.models import Notice, Person, SignIn
from bouquet.web import create_app
from tests.conftest import seeds

#: Seconds that a step may take here, on a machine that does other things as well.
PATIENCE = 90.0


def until(holds: Callable[[], Any], what: str) -> Any:
    """What comes to hold in time."""
    end = time.monotonic() + PATIENCE
    while time.monotonic() < end:
        if found := holds():
            return found
        time.sleep(0.1)
    pytest.fail(f"not in time: {what}")


def children_of(process: int) -> list[int]:
    found = Path(f"/proc/{process}/task/{process}/children")
    return [int(n) for n in found.read_text().split()] if found.exists() else []


def is_alive(process: int) -> bool:
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False


@pytest.fixture
def address(services: Services, store_url: str, marrowby: str, tmp_path: Path) -> Iterator[tuple[str, int]]:
    """The address of a server of two processes, and the number of the first."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    environment = {
        **os.environ,
        "BOUQUET_STORE_URL": store_url,
        "BOUQUET_SOURCE_URL": marrowby,
        "BOUQUET_WEB_PROCESSES": "2",
        "BOUQUET_PORT": str(port),
        "BOUQUET_FILES": str(tmp_path / "files"),
        "BOUQUET_OUTGOING": str(tmp_path / "outgoing"),
    }
    with (tmp_path / "server.log").open("w") as log:
        server = subprocess.Popen(
            [sys.executable, "-m", "bouquet.cli", "serve"], env=environment, stdout=log, stderr=log, cwd=tmp_path
        )
    url = f"http://127.0.0.1:{port}"
    try:
        until(lambda: children_of(server.pid), "a second process")
        until(lambda: answers(url), "an answer")
        yield url, server.pid
    finally:
        if is_alive(server.pid):
            server.terminate()
        server.wait(PATIENCE)


def answers(url: str) -> bool:
    try:
        return requests.get(f"{url}/api/v1/health", timeout=5).status_code == 200
    except requests.RequestException:
        return False


def signed_in(url: str) -> dict[str, str]:
    """The cookies of a session."""
    _, email, _, password = PEOPLE[0]
    done = requests.post(f"{url}/api/v1/session", json={"email": email, "password": password}, timeout=PATIENCE)
    done.raise_for_status()
    return dict(done.cookies)


@pytest.mark.thorough
def test_processes_live_and_end_with_the_first(address: tuple[str, int]) -> None:
    """One that is killed is begun anew while the others answer; none outlives the first, however it ends."""
    url, first = address
    [second] = children_of(first)
    os.kill(second, signal.SIGKILL)
    assert answers(url)
    [third] = until(lambda: [c for c in children_of(first) if c != second and is_alive(c)], "another process")

    os.kill(first, signal.SIGKILL)
    until(lambda: not is_alive(third), "the end of the process beside")
    assert not answers(url)


def test_news_reaches_whoever_listens_to_any_process(address: tuple[str, int], services: Services) -> None:
    """A notice that somebody else wrote is there at once, without a look at the clock."""
    url, _ = address
    heard: list[float] = []

    def listen(cookies: dict[str, str]) -> None:
        with requests.get(f"{url}/api/v1/events", cookies=cookies, stream=True, timeout=PATIENCE) as stream:
            for line in stream.iter_lines(chunk_size=1):
                if b'"unread":1' in line.replace(b" ", b""):
                    heard.append(time.monotonic())
                    return

    cookies = signed_in(url)
    listeners = [threading.Thread(target=listen, args=(cookies,), daemon=True) for _ in range(6)]
    for thread in listeners:
        thread.start()
    # All of them have looked once, and now wait to be told.
    time.sleep(4)
    with services.store.session() as session:
        person = session.scalars(sa.select(Person).where(Person.email == PEOPLE[0][1])).one()
        session.add(Notice(person_id=person.id, link="/rounds", text="Look.", created_at=services.clock()))
    said = time.monotonic()
    for thread in listeners:
        thread.join(PATIENCE)

    assert len(heard) == 6
    assert max(heard) - said < 5, "sooner than anybody looks by themselves"


def test_a_session_that_ended_hears_no_more(address: tuple[str, int], services: Services) -> None:
    """Whoever was signed out elsewhere, as with a browser that was stolen, learns nothing from then on."""
    url, _ = address
    cookies = signed_in(url)
    heard: list[bytes] = []
    ended = threading.Event()

    def listen() -> None:
        with requests.get(f"{url}/api/v1/events", cookies=cookies, stream=True, timeout=PATIENCE) as stream:
            heard.extend(line for line in stream.iter_lines(chunk_size=1) if b"unread" in line)
        ended.set()

    threading.Thread(target=listen, daemon=True).start()
    time.sleep(3)
    with services.store.session() as session:
        session.execute(sa.delete(SignIn))
    with services.store.session() as session:
        person = session.scalars(sa.select(Person).where(Person.email == PEOPLE[0][1])).one()
        session.add(Notice(person_id=person.id, link="/rounds", text="Look.", created_at=services.clock()))

    assert ended.wait(PATIENCE)
    assert [line for line in heard if b"1" in line] == []


class Slow:
    """A snapshot whose query goes on until it is stopped."""

    stopped = False

    def cancel(self) -> None:
        self.stopped = True


def test_a_count_elsewhere_stops_the_one_here() -> None:
    """A bench that counts anew in another process has its older count here stopped; the first says so to the others."""
    said: list[tuple[str, int]] = []
    counting, slow = Counting(lambda *what: said.append(what)), Slow()
    with counting.only("bench", slow, 2):  # type: ignore[arg-type]
        counting.stop("other bench", 3)
        counting.stop("bench", 1)
        assert not slow.stopped
        counting.stop("bench", 3)

    assert (slow.stopped, said) == (True, [("bench", 2)])


def test_a_count_that_arrives_late_stops_no_newer_one() -> None:
    """Requests overtake each other; whoever asked last is answered."""
    counting, newer, older = Counting(), Slow(), Slow()
    with counting.only("bench", newer, 2):  # type: ignore[arg-type]
        with pytest.raises(SourceCancelled), counting.only("bench", older, 1):  # type: ignore[arg-type]
            pass
        assert not newer.stopped
        with counting.only("bench", older, 3):  # type: ignore[arg-type]
            assert newer.stopped


@pytest.mark.parametrize("moment", seeds(3, 10))
def test_a_server_that_stops_at_once_leaves_no_connection_open(services: Services, moment: int) -> None:
    """At whatever moment of its start; one left open is a warning, and that an error here."""
    settings = Settings(store_url=SecretStr("x"), source_url=SecretStr("x"), _env_file=None)  # type: ignore[call-arg]
    for _ in range(3):
        with TestClient(create_app(services, make_queue(services), settings), base_url="http://127.0.0.1"):
            time.sleep(moment * 0.002)
    services.store.close()
    gc.collect()
