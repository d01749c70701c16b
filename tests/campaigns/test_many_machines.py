"""
A house on several machines: `make cluster`. A database, a file store and two workers have hosts of their own, whose
cables are pulled while they work.
"""

from __future__ import annotations

import hashlib
import json
import os
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any, ClassVar

import boto3
import psycopg
import pytest
import sqlalchemy as sa
from cryptography.fernet import Fernet

from bouquet.demo.demo import seed_people
from bouquet.rounds.calendar import enter_run
from bouquet.runs import Queue, Services, ask_for_run, sweep_files
from bouquet.runs.queue import WORKER
from bouquet.sources import Source
from bouquet.store import Store
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Delivery, Means, Notice, Person, Recipient, Round, RoundRecipient, Run, RunRange
from bouquet.store.secrets import Vault
from tests.campaigns.machines import NETWORK, DatabaseHost, Machines, possible
from tests.conftest import FOLDER
from tests.runs.test_runs import wait_for

pytestmark = [
    pytest.mark.campaign,
    pytest.mark.timeout(1_200),
    pytest.mark.skipif(not possible(), reason="making hosts needs root, and a kernel that has them"),
]

KEY = Fernet.generate_key().decode()
#: Rows of the source: some seconds of work.
ROWS = int(os.environ.get("BOUQUET_CLUSTER_ROWS", "600000"))
#: Seconds within which what a lost host held is free again.
FREED = 150

LARGE: dict[str, Any] = {
    "name": "Readings",
    "records": "reading",
    "columns": [
        {"id": "a", "heading": "No.", "value": {"field": "id"}},
        {"id": "b", "heading": "Place", "value": {"field": "place"}},
        {"id": "c", "heading": "Value", "value": {"field": "value"}, "show": {"decimals": 2}},
        {"id": "d", "heading": "Taken", "value": {"field": "taken"}},
    ],
    "output": {"name": "readings"},
}
SMALL = {**LARGE, "name": "Last readings", "filter": {"all": [{"path": "place", "is": "is", "value": "place 7"}]}}


def now() -> datetime:
    return datetime.now(UTC)


class Slow(BaseHTTPRequestHandler):
    """A recipient on the test's own host, who takes their time for the first request."""

    protocol_version = "HTTP/1.1"
    asked: ClassVar[list[str]] = []
    hang = threading.Event()

    def do_POST(self) -> None:
        self.rfile.read(int(self.headers.get("Content-Length", 0)))
        Slow.asked.append(self.client_address[0])
        if len(Slow.asked) == 1:
            Slow.hang.wait(600)
        self.send_response(200)
        self.send_header("Content-Length", "0")
        self.end_headers()

    def log_message(self, *_: Any) -> None:
        pass


@dataclass
class House:
    machines: Machines
    database: DatabaseHost
    services: Services
    queue: Queue
    person: Person
    folder: Path
    source_url: str

    @contextmanager
    def worker(self, host: str, **more: str) -> Iterator[None]:
        env = {
            **more,
            "BOUQUET_STORE_URL": self.services.store.url,
            "BOUQUET_SOURCE_URL": self.source_url,
            "BOUQUET_SOURCE_NAME": "readings",
            "BOUQUET_FILES": str(self.services.files),
            "BOUQUET_FILES_OPTIONS": json.dumps(self.services.files_options),
            "BOUQUET_OUTGOING": str(self.folder / "outgoing"),
            "BOUQUET_SECRET_KEY": KEY,
            "BOUQUET_ENV_FILE": str(self.folder / "none"),
        }
        with self.machines.running(host, "bouquet.cli", "worker", env=env, log=self.folder / f"{host}.log"):
            yield

    def run(self, run_id: int) -> Run:
        with self.services.store.session() as session:
            return ledger.get_run(session, run_id)

    def ask(self, document: dict[str, Any]) -> int:
        run_id = ask_for_run(self.services, document, person=self.person, via="hand").id
        self.queue.put(run_id)
        return run_id

    def sessions_of(self, host: str) -> int:
        """Sessions that the database server still has for a host."""
        with psycopg.connect(self.database.url(), autocommit=True) as connection:
            query = "SELECT count(*) FROM pg_stat_activity WHERE client_addr = %s::inet"
            return int(connection.execute(query, [self.machines.addresses[host]]).fetchone()[0])  # type: ignore[index]


@pytest.fixture(scope="module")
def machines() -> Iterator[Machines]:
    made = Machines()
    try:
        for name in ("store", "files", "one", "two"):
            made.add(name)
        yield made
    finally:
        made.remove()


@pytest.fixture(scope="module")
def database(machines: Machines) -> Iterator[DatabaseHost]:
    made = DatabaseHost(FOLDER / "machines", machines, "store")
    made.destroy()
    made.start()
    for role in ("bouquet", "reader"):
        made.ensure_role(role, "test-only")
    made.ensure_database("readings", "bouquet")
    with psycopg.connect(made.url("readings", "bouquet", "test-only")) as connection:
        connection.execute(
            "CREATE TABLE reading (id integer PRIMARY KEY, place text, value numeric(12, 4), taken timestamptz)"
        )
        connection.execute(
            "INSERT INTO reading SELECT n, 'place ' || n % 400, n / 7.0, timestamptz '2026-01-01' + n * interval '1 min'"
            f"FROM generate_series(1, {ROWS}) n"
        )
        connection.execute("GRANT SELECT ON reading TO reader")
    yield made
    made.destroy()


@pytest.fixture(scope="module")
def file_store(machines: Machines, tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The address of an object store on a host of its own."""
    address, port = machines.addresses["files"], 9_000
    log = tmp_path_factory.mktemp("files") / "files.log"
    with machines.running("files", "moto.server", "-H", address, "-p", str(port), env={}, log=log):
        wait_for(lambda: _answers(address, port), 60)
        boto3.client(
            "s3", endpoint_url=f"http://{address}:{port}", region_name="us-east-1",
            aws_access_key_id="a", aws_secret_access_key="b",
        ).create_bucket(Bucket="kept")  # fmt: skip
        yield f"http://{address}:{port}"


def _answers(address: str, port: int) -> bool:
    with suppress(OSError), socket.create_connection((address, port), 1):
        return True
    return False


@pytest.fixture
def house(machines: Machines, database: DatabaseHost, file_store: str, tmp_path: Path) -> Iterator[House]:
    database.drop_database("house")
    database.ensure_database("house", "bouquet")
    store = Store(database.url("house", "bouquet", "test-only"))
    source_url = database.url("readings", "reader", "test-only")
    source = Source("readings", source_url)
    options = {"key": "a", "secret": "b", "endpoint_url": file_store}
    services = Services(
        store, source, f"s3://kept/{tmp_path.name}", tmp_path / "outgoing",
        files_options=options, clock=store.now, vault=Vault(KEY),
    )  # fmt: skip
    store.migrate()
    queue = Queue(services)
    queue.install()
    seed_people(services)
    with store.session() as session:
        person = session.scalars(sa.select(Person).where(Person.name.startswith("Ines"))).one()
    with queue.opened():
        yield House(machines, database, services, queue, person, tmp_path, source_url)
    for host in ("one", "two", "files"):
        machines.plug(host)
    services.ledger.close()
    source.close()
    store.close()


def test_a_run_of_a_host_that_was_cut_off_is_made_by_another(house: House) -> None:
    """One file, of the second host; what the first goes on with, and what it says when it is back, counts for nothing."""
    run_id = house.ask(LARGE)
    with house.worker("one"):
        wait_for(lambda: house.run(run_id).rows_written > 0)
        house.machines.pull("one")
        with house.worker("two"):
            wait_for(lambda: house.run(run_id).status == "ready", 300)
            made = house.run(run_id)
        house.machines.plug("one")
        # It finds its connections gone, and is a worker like any other again.
        later = [house.ask(SMALL) for _ in range(6)]
        _all_ready(house, later)
    again = house.run(run_id)
    assert (again.status, again.rows_written, again.attempt) == ("ready", ROWS, made.attempt)
    assert [f.sha256 for f in again.files] == [f.sha256 for f in made.files]
    (file,) = [f for f in again.files if f.role == "data"]
    assert hashlib.sha256(b"".join(house.services.storage.chunks(file.path))).hexdigest() == file.sha256
    with house.services.store.session() as session:
        told = session.scalars(sa.select(Notice.text).where(Notice.run_id == run_id)).all()
    assert len(told) == 1
    swept = sweep_files(replace(house.services, clock=lambda: now() + timedelta(days=1)), repair=False)
    assert (swept.orphans, swept.missing, swept.changed) == ([], [], [])


@pytest.mark.parametrize("lost", ["who helps", "who has the run"])
def test_a_run_is_shared_by_two_hosts_and_outlives_one(house: House, lost: str) -> None:
    """Ranges of one snapshot, written on both; what a host that is cut off does not finish is done by the other."""
    ranges = {"BOUQUET_RANGE_ROWS": "10000"}
    with house.worker("one", **ranges), house.worker("two", **ranges):
        wait_for(house.queue.has_help, 60)
        run_id = house.ask(LARGE)
        wait_for(lambda: len(_made(house, run_id)) > 4, 60)
        # Who has the run says so.
        has, helps = ("one", "two") if "run_cut" in (house.folder / "one.log").read_text() else ("two", "one")
        wait_for(lambda: "range_made" in (house.folder / f"{helps}.log").read_text(), 60)
        host = has if lost == "who has the run" else helps
        house.machines.pull(host)
        wait_for(lambda: house.run(run_id).status == "ready", 300)
        house.machines.plug(host)
        wait_for(lambda: not any("range" in path for path, _ in house.services.storage.listing()), 60)
    shared = house.run(run_id)
    with house.worker("one"):
        whole_id = house.ask(LARGE)
        wait_for(lambda: house.run(whole_id).status == "ready", 120)
    whole = house.run(whole_id)
    assert [(f.rows, f.sha256) for f in shared.files] == [(f.rows, f.sha256) for f in whole.files]
    assert shared.slip is not None
    assert whole.slip is not None
    assert shared.slip["columns"] == whole.slip["columns"]
    swept = sweep_files(replace(house.services, clock=lambda: now() + timedelta(days=1)), repair=False)
    assert (swept.orphans, swept.missing, swept.changed) == ([], [], [])


def test_what_two_hosts_write_together_is_what_one_writes(house: House) -> None:
    """With how long it took beside one alone, which tells little where all hosts share the same cores."""
    took, made = {}, {}
    for hosts, size in (("alone", 2 * ROWS), ("together", ROWS // 4)):
        with ExitStack() as stack:
            for host in ("one", "two") if hosts == "together" else ("one",):
                stack.enter_context(house.worker(host, BOUQUET_RANGE_ROWS=str(size)))
            wait_for(lambda: _alive(house) and (hosts == "alone" or house.queue.has_help()), 60)  # noqa: B023
            run_id = house.ask(LARGE)
            wait_for(lambda: house.run(run_id).status == "ready", 900)  # noqa: B023
        made[hosts] = run = house.run(run_id)
        assert run.started_at is not None
        assert run.finished_at is not None
        took[hosts] = (run.finished_at - run.started_at).total_seconds()
    assert [f.sha256 for f in made["alone"].files] == [f.sha256 for f in made["together"].files]
    ratio = took["together"] / took["alone"]
    print(f"{ROWS:,} rows: {took['alone']:.1f} s by one host, {took['together']:.1f} s by two ({ratio:.2f} ×)")


def _alive(house: House) -> bool:
    query = "SELECT count(*) FROM pg_stat_activity WHERE application_name = %s"
    with psycopg.connect(house.database.url(), autocommit=True) as connection:
        return bool(connection.execute(query, [WORKER]).fetchone()[0])  # type: ignore[index]


def _made(house: House, run_id: int) -> list[RunRange]:
    with house.services.store.session() as session:
        made = sa.select(RunRange).where(RunRange.run_id == run_id, RunRange.status == "made")
        return list(session.scalars(made))


def test_a_source_is_rid_of_a_host_that_vanished(house: House) -> None:
    """Its sessions, in the source and in the store, are ended by the server: a snapshot left open keeps old rows."""
    run_id = house.ask(LARGE)
    with house.worker("one"):
        wait_for(lambda: house.run(run_id).rows_written > 0)
        house.machines.pull("one")
        assert house.sessions_of("one") > 0
        wait_for(lambda: house.sessions_of("one") == 0, FREED)


def test_a_delivery_of_a_host_that_vanished_is_sent_by_another(house: House) -> None:
    """The recipient waits for minutes, and not for hours: who is gone holds no line."""
    Slow.asked, Slow.hang = [], threading.Event()
    server = ThreadingHTTPServer((f"{NETWORK}.254", 0), Slow)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        delivery_id = _sent_by_webhook(house, server.server_port)
        with house.worker("one"):
            wait_for(lambda: bool(Slow.asked))
            house.machines.pull("one")
            with house.worker("two"):
                wait_for(lambda: _state(house, delivery_id) == "arrived", FREED + 60)
    finally:
        Slow.hang.set()
        server.shutdown()
        server.server_close()
    assert Slow.asked == [house.machines.addresses["one"], house.machines.addresses["two"]]


def _sent_by_webhook(house: House, port: int) -> int:
    with house.services.store.session() as session:
        means = Means(
            name="hook", kind="webhook", settings={"url": f"http://{NETWORK}.254:{port}/in", "inside": [f"{NETWORK}.254"]},
            secret=house.services.vault.seal("a key of the desk"), created_at=now(),
        )  # fmt: skip
        session.add(means)
        session.flush()
        reader = Recipient(
            name="Desk", acceptance={}, means_id=means.id, address={}, created_by=house.person.id, created_at=now()
        )
        template = shelf.add_template(session, SMALL, "", house.person, now())
        shelf.save_version(session, template.id, "", house.person, now())
        round_ = Round(
            template_id=template.id, rhythm={"times": ["06:00"]}, zone="UTC", folder="", format="csv", mode="new",
            next_at=now() + timedelta(days=30), created_by=house.person.id, paused=True, deleted_at=None,
        )  # fmt: skip
        session.add_all([reader, round_])
        session.flush()
        round_.recipients = [RoundRecipient(recipient_id=reader.id, position=0)]
        session.flush()
        run_id = enter_run(house.services, session, round_, now()).id
    from bouquet.runs import execute

    execute(house.services, run_id)
    with house.services.store.session() as session:
        return session.scalars(sa.select(Delivery.id).where(Delivery.run_id == run_id)).one()


def _all_ready(house: House, asked: list[int], seconds: int = 300) -> None:
    """Wait for all of them, and say of each that does not come to its end what holds it up."""
    end = time.monotonic() + seconds
    while left := {r: (house.run(r).status, house.run(r).stage) for r in asked if house.run(r).status != "ready"}:
        assert time.monotonic() < end, left
        time.sleep(0.5)


def _state(house: House, delivery_id: int) -> str:
    with house.services.store.session() as session:
        return session.get_one(Delivery, delivery_id).state


def test_a_database_out_of_reach_for_a_while_loses_nothing(house: House) -> None:
    """Workers wait for it, go on by themselves, and every run is made once."""
    with house.worker("one"), house.worker("two"):
        asked = [house.ask(LARGE if n % 4 == 0 else SMALL) for n in range(8)]
        wait_for(lambda: any(house.run(r).rows_written for r in asked))
        house.machines.pull("one")
        house.machines.pull("two")
        threading.Event().wait(25)
        house.machines.plug("one")
        house.machines.plug("two")
        _all_ready(house, asked)
    for run_id in asked:
        run = house.run(run_id)
        assert run.rows_written == run.rows_announced in (ROWS, ROWS // 400)


def test_a_file_store_out_of_reach_for_a_while_fails_no_run(house: House) -> None:
    """What is made meanwhile is kept when it is back, without anybody's help."""
    with house.worker("one"), house.worker("two"):
        first = house.ask(SMALL)
        wait_for(lambda: house.run(first).status == "ready")
        house.machines.pull("files")
        asked = [house.ask(LARGE if n % 4 == 0 else SMALL) for n in range(6)]
        threading.Event().wait(20)
        assert not any(house.run(r).status == "ready" for r in asked)
        house.machines.plug("files")
        _all_ready(house, asked)
    with_files = {f.path for r in (first, *asked) for f in house.run(r).files}
    assert {path for path, _ in house.services.storage.listing()} == with_files
