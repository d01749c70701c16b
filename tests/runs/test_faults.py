"""
Faults: workers killed at random, two for one run, many at once, a source that comes and goes, a clock that is moved.
In the end every run has exactly one set of files or a truthful failure, and slips agree with files read again.
"""

from __future__ import annotations

import csv
import hashlib
import os
import random
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.demo.cluster import Cluster
from bouquet.demo.demo import seed_people
from bouquet.runs import Queue, Services, ask_for_run, execute, sweep_files
from bouquet.sources import Source
from bouquet.store import Store
from bouquet.store import runs as ledger
from bouquet.store.models import Person, Run
from tests.conftest import CATALOGUE, NOW
from tests.runs.test_runs import LARGE, server, wait_for

SMALL: dict[str, Any] = {
    "name": "Wards",
    "records": "ward",
    "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
}

#: Seconds that kills go on at most, and how many there are; `make faults` has many more.
LONGEST, KILLS = 240, 5
MANY = 60


def runs_of(services: Services, ids: list[int]) -> list[Run]:
    with services.store.session() as session:
        return [ledger.get_run(session, run_id) for run_id in ids]


def long_ago(services: Services, ids: list[int]) -> None:
    """As if they were asked for and last heard of a while ago, so that a worker that looks finds them forgotten."""
    with services.store.session() as session:
        past = NOW - timedelta(days=400)
        session.execute(sa.update(Run).where(Run.id.in_(ids)).values(asked_at=past))
        session.execute(sa.update(Run).where(Run.id.in_(ids), Run.status == "running").values(seen_at=past))


def assert_proven(services: Services, runs: list[Run]) -> None:
    """Files are as slip and ledger have them, counted and digested again; nothing else is in the store."""
    for run in runs:
        assert run.status == "ready", (run.status, run.error)
        slip: dict[str, Any] = run.slip or {}
        assert len(run.files) == len(slip["files"]) == 1
        path = services.storage.local(run.files[0].path)
        assert path is not None
        content = path.read_bytes()
        assert hashlib.sha256(content).hexdigest() == run.files[0].sha256 == slip["files"][0]["sha256"]
        with path.open(newline="", encoding="utf-8") as file:
            assert sum(1 for _ in csv.reader(file)) - 1 == run.rows_written == slip["rows_announced"]
    later = replace(services, clock=lambda: NOW + timedelta(days=1))
    swept = sweep_files(later, repair=False)
    assert (swept.orphans, swept.missing, swept.changed) == ([], [], [])
    assert swept.files == len(runs)


@pytest.mark.thorough
def test_a_worker_killed_at_random(services: Services, people: dict[str, Any], marrowby: str, tmp_path: Path) -> None:
    """Whatever it was doing, what follows it finishes every run with one set of files."""
    document = {**LARGE, "filter": {"all": [{"path": "inspected_on", "is": "not_blank"}]}}
    ids = [ask_for_run(services, document, person=people["ines"], via="hand").id for _ in range(8)]
    rng, limit, kills = random.Random(5), time.monotonic() + LONGEST, 0
    script = (
        "import sys\n"
        "from pathlib import Path\n"
        "from bouquet.runs import Services, execute\n"
        "from bouquet.sources import Source\n"
        "from bouquet.store import Store\n"
        "store, source, catalogue, files, outgoing, *ids = sys.argv[1:]\n"
        "services = Services(Store(store), Source('m', source, Path(catalogue)), Path(files), Path(outgoing))\n"
        "print('up', flush=True)\n"
        "for i in ids: execute(services, int(i))\n"
    )
    arguments = [services.store.url, marrowby, str(CATALOGUE), str(services.files), str(services.outgoing)]
    while kills < KILLS and time.monotonic() < limit:
        left = [str(r.id) for r in runs_of(services, ids) if r.status in ("asked", "running")]
        if not left:
            ids += [ask_for_run(services, document, person=people["ines"], via="hand").id for _ in range(4)]
            continue
        worker = subprocess.Popen([sys.executable, "-c", script, *arguments, *left], stdout=subprocess.PIPE)
        assert worker.stdout is not None
        assert worker.stdout.readline() == b"up\n"
        time.sleep(rng.uniform(0.0, 1.2))
        os.kill(worker.pid, signal.SIGKILL)
        worker.wait()
        worker.stdout.close()
        kills += 1
    assert kills == KILLS
    for run_id in ids:
        execute(services, run_id)

    assert_proven(services, runs_of(services, ids))


def test_two_workers_for_one_run_make_one_set_of_files(services: Services, people: dict[str, Any]) -> None:
    """Both take it up; the last attempt ends it, and what the other left is gone."""
    run_id = ask_for_run(services, LARGE, person=people["ines"], via="hand").id
    workers = [threading.Thread(target=execute, args=(services, run_id)) for _ in range(3)]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    execute(services, run_id)

    assert_proven(services, runs_of(services, [run_id]))


@contextmanager
def two_workers(services: Services, marrowby: str, tmp_path: Path) -> Iterator[None]:
    folders = [tmp_path / "one", tmp_path / "two"]
    for folder in folders:
        folder.mkdir()
    with server(services, marrowby, folders[0]), server(services, marrowby, folders[1]):
        yield


@pytest.mark.thorough
def test_many_runs_at_once(services: Services, people: dict[str, Any], marrowby: str, tmp_path: Path) -> None:
    """Put into the queue together, worked off by two workers: each is carried out once, and all are proven."""
    queue = Queue(services)
    with queue.opened():
        ids = [ask_for_run(services, SMALL, person=people["ines"], via="hand").id for _ in range(MANY)]
        for run_id in ids:
            queue.put(run_id)
    with two_workers(services, marrowby, tmp_path):
        wait_for(lambda: all(r.status not in ("asked", "running") for r in runs_of(services, ids)), 150)
    runs = runs_of(services, ids)

    assert [r.attempt for r in runs] == [1] * MANY
    assert_proven(services, runs)


def test_a_source_that_is_away_for_a_while(
    services: Services, people: dict[str, Any], marrowby: str, tmp_path: Path, cluster: Any
) -> None:
    """The run waits for it, and says nothing false meanwhile."""
    source = Source("marrowby", marrowby, CATALOGUE)
    away = replace(services, configured=source)
    run_id = ask_for_run(away, SMALL, person=people["ines"], via="hand").id
    source.reader.url = marrowby.replace("marrowby_reader", "nobody_here")  # type: ignore[attr-defined]
    failures = 0
    for _ in range(2):
        try:
            execute(away, run_id)
        except Exception:
            failures += 1
    assert failures == 2
    (waiting,) = runs_of(services, [run_id])
    assert (waiting.status, waiting.files) == ("running", [])
    source.reader.url = marrowby  # type: ignore[attr-defined]
    execute(away, run_id)
    source.close()

    assert_proven(services, runs_of(services, [run_id]))


def test_a_clock_that_is_moved(services: Services, people: dict[str, Any]) -> None:
    """Back or forth while a run waits: it is carried out, as of the moment it was asked for."""
    run_id = ask_for_run(services, SMALL, person=people["ines"], via="hand").id
    for days in (-400, 400):
        moved = replace(services, clock=lambda days=days: NOW + timedelta(days=days))
        with services.store.session() as session:
            waiting = ledger.waiting_runs(session, moved.clock() - timedelta(seconds=10), moved.clock())
        assert waiting == ([run_id] if days > 0 else [])
    execute(replace(services, clock=lambda: NOW - timedelta(days=400)), run_id)
    (run,) = runs_of(services, [run_id])

    assert (run.status, run.as_of) == ("ready", NOW)
    assert run.finished_at == NOW - timedelta(days=400)


@contextmanager
def apart(tmp_path: Path) -> Iterator[tuple[Cluster, Services, str]]:
    """A cluster that nobody else uses, with a store and half a million records in it."""
    made = Cluster(tmp_path / "cluster")
    made.start()
    try:
        made.ensure_role("bouquet", "test-only")
        for name in ("store", "items"):
            made.ensure_database(name, "bouquet")
        address = made.url("items", "bouquet", "test-only")
        with psycopg.connect(address, autocommit=True) as connection:
            connection.execute("CREATE TABLE item (id integer PRIMARY KEY, name text)")
            connection.execute("INSERT INTO item SELECT n, 'item ' || n FROM generate_series(1, 500000) n")
        store, source = Store(made.url("store", "bouquet", "test-only")), Source("items", address)
        services = Services(store, source, tmp_path / "files", tmp_path / "outgoing", clock=lambda: NOW)
        store.migrate()
        seed_people(services)
        yield made, services, address
        services.ledger.close()
        services.storage.close()
        source.close()
        store.close()
    finally:
        made.destroy()


@pytest.mark.thorough
def test_the_database_is_restarted_in_the_middle(tmp_path: Path) -> None:
    """Store, queue and source go away at once while a real worker writes; it waits, and finishes what it began."""
    columns = [{"id": f, "heading": f, "value": {"field": f}} for f in ("id", "name")]
    items = {"name": "Items", "records": "item", "columns": columns}
    with apart(tmp_path) as (cluster, services, address):
        queue = Queue(services)
        queue.install()
        with services.store.session() as session:
            person = session.scalars(sa.select(Person)).first()
        with queue.opened():
            ids = [ask_for_run(services, items, person=person, via="hand").id for _ in range(6)]
            for run_id in ids:
                queue.put(run_id)
        with server(services, address, tmp_path, catalogue=""):
            wait_for(lambda: any(r.status == "running" for r in runs_of(services, ids)))
            assert cluster.stop()
            cluster.start()
            long_ago(services, [r.id for r in runs_of(services, ids) if r.status in ("asked", "running")])
            wait_for(lambda: all(r.status == "ready" for r in runs_of(services, ids)), 120)

        assert_proven(services, runs_of(services, ids))
