"""
The life of a run, with faults.
"""

from __future__ import annotations

import csv
import hashlib
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import psycopg
import pytest

from bouquet.core.errors import PlanError
from bouquet.runs import FolderError, Services, ask_for_run, checked_folder, execute
from bouquet.runs.export import Export
from bouquet.sources import Source, SourceDown
from bouquet.store import runs as ledger
from bouquet.store.models import Run
from tests.conftest import CATALOGUE, NOW

DOCUMENT = {
    "name": "Wards",
    "records": "ward",
    "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
    "output": {"name": "wards"},
}
LARGE = {
    "name": "Inspections",
    "records": "inspection",
    "columns": [
        {"id": f"c{n}", "heading": f, "value": {"field": f}} for n, f in enumerate(("i_id", "remarks", "tree.tag"))
    ],
}


def ask(services: Services, person: Any, document: dict[str, Any] = DOCUMENT, **more: Any) -> int:
    return ask_for_run(services, document, person=person, via="hand", **more).id


def get(services: Services, run_id: int) -> Run:
    with services.store.session() as session:
        return ledger.get_run(session, run_id)


def kept_files(services: Services) -> list[str]:
    return sorted(str(p.relative_to(services.files)) for p in services.files.rglob("*") if p.is_file())


def test_a_run_makes_a_file_a_slip_and_a_notice(services: Services, people: dict[str, Any]) -> None:
    """Ready means: the file is there with the digest the ledger has, counts agree, and the person is told."""
    run_id = ask(services, people["ines"])
    execute(services, run_id)
    run = get(services, run_id)
    file = run.files[0]
    content = (services.files / file.path).read_bytes()

    assert (run.status, run.rows_announced, run.rows_written, file.rows) == ("ready", 12, 12, 12)
    assert file.name == "wards.csv"
    assert hashlib.sha256(content).hexdigest() == file.sha256 == run.slip["files"][0]["sha256"]  # type: ignore[index]
    assert run.slip["asked_by"] == "Ines Harrow"  # type: ignore[index]
    with services.store.session() as session:
        assert [n.text for n in ledger.list_notices(session, people["ines"].id)] == ["Wards is ready: 12 rows."]


def test_carrying_out_a_run_again_changes_nothing(services: Services, people: dict[str, Any]) -> None:
    """A run that is over stays as it is, however often a worker is woken for it."""
    run_id = ask(services, people["ines"])
    execute(services, run_id)
    before = (get(services, run_id).finished_at, kept_files(services))
    execute(services, run_id)

    assert (get(services, run_id).finished_at, kept_files(services)) == before


def test_the_same_key_gives_the_same_run(services: Services, people: dict[str, Any]) -> None:
    """A click sent twice makes one run; another person's key is another's."""
    first = ask(services, people["ines"], idempotency_key="k")

    assert ask(services, people["ines"], idempotency_key="k") == first
    assert ask(services, people["marta"], idempotency_key="k") != first


def test_what_cannot_run_is_refused_before_it_is_entered(services: Services, people: dict[str, Any]) -> None:
    """Problems of a template never become runs."""
    with pytest.raises(PlanError):
        ask(services, people["ines"], {**DOCUMENT, "columns": []})
    with services.store.session() as session:
        assert ledger.list_runs(session) == []


def test_a_field_that_went_fails_the_run_truthfully(services: Services, people: dict[str, Any], source: Source) -> None:
    """Between asking and running the catalogue may change; the ledger says what, and where."""
    run_id = ask(services, people["ines"])
    with services.store.session() as session:
        broken = {**DOCUMENT, "columns": [{"id": "a", "heading": "W", "value": {"field": "nam"}}]}
        ledger.get_run(session, run_id).document = broken
    execute(services, run_id)
    run = get(services, run_id)

    assert run.status == "failed"
    assert run.error["problems"][0]["place"] == "columns[0].value.field"  # type: ignore[index]
    assert kept_files(services) == []


def test_a_store_that_cannot_be_written_fails_the_run(services: Services, people: dict[str, Any]) -> None:
    """The reason stands in the ledger in words."""
    services.files.parent.mkdir(parents=True, exist_ok=True)
    services.files.write_text("a file where the folder should be")
    run_id = ask(services, people["ines"])
    execute(services, run_id)
    run = get(services, run_id)

    assert run.status == "failed"
    assert run.error["code"] == "write"  # type: ignore[index]
    assert "not a directory" in run.error["message"]  # type: ignore[index]


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting a small disk needs root")
@pytest.mark.parametrize("format", ["csv", "xlsx"])
def test_a_full_disk_leaves_no_half_file(services: Services, people: dict[str, Any], format: str) -> None:
    """The run fails with the reason, and what was written of it is gone."""
    services.files.mkdir(parents=True)
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=60k", "tmpfs", str(services.files)], check=False)
    if mounted.returncode:
        pytest.skip("no small disk can be mounted here")
    try:
        run_id = ask(services, people["ines"], LARGE, format=format)
        execute(services, run_id)
        run = get(services, run_id)
        left = kept_files(services)
    finally:
        subprocess.run(["umount", str(services.files)], check=True)

    assert run.status == "failed"
    assert "no space left" in run.error["message"]  # type: ignore[index]
    assert left == []


def test_a_source_that_is_away_is_tried_again_and_then_given_up(services: Services, people: dict[str, Any]) -> None:
    """While trying may help, the run stays open; in the end it fails with the reason."""
    run_id = ask(services, people["ines"])
    known = services.sources.get().catalogue()
    services.sources.fixed = Source("marrowby", "postgresql://nobody@127.0.0.1:1/nowhere", CATALOGUE)
    services.sources.fixed.catalogue = lambda **_: known  # type: ignore[method-assign]
    for _ in range(3):
        with pytest.raises(SourceDown):
            execute(services, run_id)
        assert get(services, run_id).status == "running"
    execute(services, run_id)

    assert get(services, run_id).status == "failed"
    assert "cannot be reached" in get(services, run_id).error["message"]  # type: ignore[index]


def test_a_cancelled_run_stops_its_query_within_two_seconds(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also before the first row has come."""
    reached = threading.Event()

    def slow(self: Export, snapshot: Any, *_: Any) -> Any:
        reached.set()
        return snapshot.table("SELECT pg_sleep(60)")

    monkeypatch.setattr(Export, "_stream", slow)
    run_id = ask(services, people["ines"])
    worker = threading.Thread(target=execute, args=(services, run_id))
    worker.start()
    assert reached.wait(10)
    with services.store.session() as session:
        ledger.request_cancel(session, run_id, NOW)
    began = time.monotonic()
    worker.join(10)

    assert time.monotonic() - began < 2
    assert get(services, run_id).status == "cancelled"
    assert kept_files(services) == []


def test_a_run_that_takes_too_long_is_ended_and_says_so(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A question without end holds no worker for ever; it was nobody who cancelled it."""
    monkeypatch.setattr(Export, "_stream", lambda _self, snapshot, *_: snapshot.table("SELECT pg_sleep(60)"))
    services.run_hours = 0.0002
    run_id = ask(services, people["ines"])
    began = time.monotonic()
    execute(services, run_id)
    run = get(services, run_id)

    assert time.monotonic() - began < 10
    assert run.status == "failed"
    assert run.error["message"] == "It was not done after 0.0002 hours, the longest that a run may take."  # type: ignore[index]
    assert kept_files(services) == []


def test_a_run_that_nobody_took_up_is_cancelled_at_once(services: Services, people: dict[str, Any]) -> None:
    """And a worker that comes later leaves it alone."""
    run_id = ask(services, people["ines"])
    with services.store.session() as session:
        assert ledger.request_cancel(session, run_id, NOW).status == "cancelled"
    execute(services, run_id)

    assert get(services, run_id).attempt == 0


def test_only_the_last_attempt_may_end_a_run(services: Services, people: dict[str, Any]) -> None:
    """A worker thought dead that comes back late changes nothing."""
    run_id = ask(services, people["ines"])
    with services.store.session() as session:
        first = ledger.begin_attempt(session, run_id, NOW)
        assert first is not None
        stale = first.attempt
    execute(services, run_id)
    with services.store.session() as session:
        assert not ledger.finish_run(session, run_id, stale, status="failed", now=NOW)
        assert ledger.report_progress(session, run_id, stale, rows_written=5)

    assert get(services, run_id).status == "ready"


_KILLED = """
import os, sys
from pathlib import Path
from bouquet.runs import Services, execute
from bouquet.runs import executor, shares
from bouquet.sources import Source
from bouquet.store import Store
store, source, overlay, files, outgoing, run, stage = sys.argv[1:]
services = Services(Store(store), Source("marrowby", source, Path(overlay)), Path(files), Path(outgoing))
def die(*_a, **_k):
    os.kill(os.getpid(), 9)
target, name = {"writing": (shares.Export, "_stream"), "keeping": (executor, "_kept"), "ending": (executor, "_finish")}[stage]
setattr(target, name, die)
execute(services, int(run))
"""


@pytest.mark.parametrize("stage", ["writing", "keeping", "ending"])
def test_a_worker_killed_at_any_stage_is_followed_by_another(
    services: Services, people: dict[str, Any], marrowby: str, stage: str
) -> None:
    """In the end there is one set of files, and it is whole."""
    run_id = ask(services, people["ines"])
    arguments = [
        services.store.url,
        marrowby,
        str(CATALOGUE),
        str(services.files),
        str(services.outgoing),
        str(run_id),
        stage,
    ]
    killed = subprocess.run([sys.executable, "-c", _KILLED, *arguments], check=False, capture_output=True)
    assert killed.returncode == -signal.SIGKILL, killed.stderr.decode()
    assert get(services, run_id).status == "running"
    with services.store.session() as session:
        assert ledger.waiting_runs(session, NOW, NOW.replace(year=2099)) == [run_id]
    execute(services, run_id)
    run = get(services, run_id)

    assert run.status == "ready"
    assert kept_files(services) == [run.files[0].path]
    with (services.files / run.files[0].path).open(newline="") as file:
        assert len(list(csv.reader(file))) == 13


@contextmanager
def server(
    services: Services, source: str, tmp_path: Path, catalogue: str = str(CATALOGUE)
) -> Iterator[subprocess.Popen[bytes]]:
    environment = {
        **os.environ,
        "BOUQUET_STORE_URL": services.store.url,
        "BOUQUET_SOURCE_URL": source,
        "BOUQUET_SOURCE_CATALOGUE": catalogue,
        "BOUQUET_FILES": str(services.files),
        "BOUQUET_OUTGOING": str(services.outgoing),
        "BOUQUET_ENV_FILE": str(tmp_path / "none"),
    }
    with (tmp_path / "worker.log").open("wb") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "bouquet.cli", "worker"], env=environment, stdout=log, stderr=log
        )
        try:
            yield process
        finally:
            process.terminate()
            try:
                process.wait(20)
            finally:
                # One that does not end would take up the runs of later tests.
                process.kill()


def wait_for(condition: Callable[[], bool], seconds: float = 90) -> None:
    limit = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < limit, "it did not come to pass in time"
        time.sleep(0.1)


@pytest.mark.thorough
def test_a_real_worker_survives_losing_its_database_connections(
    services: Services, people: dict[str, Any], marrowby: str, tmp_path: Path, cluster: Any
) -> None:
    """Runs asked for before and after all connections are cut are both carried out; forgotten ones are found."""
    before = ask(services, people["ines"])
    with server(services, marrowby, tmp_path):
        with services.store.session() as session:
            ledger.get_run(session, before).asked_at = NOW.replace(year=2020)
        wait_for(lambda: get(services, before).status == "ready")
        with psycopg.connect(cluster.url(), autocommit=True) as admin:
            admin.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
                "WHERE datname = %s AND backend_type = 'client backend' AND pid <> pg_backend_pid()",
                [services.store.engine.url.database],
            )
        after = ask(services, people["ines"])
        with services.store.session() as session:
            ledger.get_run(session, after).asked_at = NOW.replace(year=2020)
        wait_for(lambda: get(services, after).status == "ready")


@pytest.mark.parametrize("folder", ["", "..", "a/../../b", "/etc", ".hidden", "a/.b", "a\x00b"])
def test_a_folder_outside_is_refused(tmp_path: Path, folder: str) -> None:
    """Rounds write only below the folder set aside for them."""
    with pytest.raises(FolderError):
        checked_folder(folder)
