"""
What the life of a run can be relied on for: no kill, race, full disk or broken neighbour loses or doubles a thing.
"""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable, Coroutine, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.core.errors import WriteError
from bouquet.demo.cluster import Cluster
from bouquet.rounds import tick_rounds
from bouquet.runs import FolderError, Queue, Services, ask_for_run, delivering, execute, executor, shares
from bouquet.runs.outgoing import Place, checked_folder, opened_place
from bouquet.sources import Source, SourceDown
from bouquet.store import NotPossible, care
from bouquet.store import runs as ledger
from bouquet.store.models import Care, Notice, Round, Run
from tests.conftest import NOW
from tests.runs.test_delivering import WARDS, add_round, lines, tick
from tests.runs.test_review import get


def due(services: Services, days: int) -> int:
    """The run of a round's next occurrence, not yet carried out."""
    later = replace(services, clock=lambda: NOW + timedelta(days=days))
    (run_id,) = ticked(later)
    return run_id


def ticked(services: Services) -> list[int]:
    queue = Queue(services)
    with queue.opened():
        return tick_rounds(services, queue)


def in_thread(work: Callable[[], Coroutine[Any, Any, None]]) -> None:
    """Run a coroutine where no other loop runs: the browser's tests leave theirs in the main thread."""
    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(work())).result()


# Kills


def test_a_dead_job_beside_a_waiting_one_does_not_end_care(services: Services, people: dict[str, Any]) -> None:
    """A worker died between taking a job and its first act; a second job for the run waits. Care goes on for all."""
    run = ask_for_run(services, WARDS, person=people["ines"], via="hand")
    queue = Queue(services)
    with queue.opened(), psycopg.connect(services.store.url, autocommit=True) as connection:
        connection.execute("DELETE FROM procrastinate_jobs")
        queue.put(run.id)
        row = connection.execute(
            "INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - interval '5 minutes') RETURNING id"
        ).fetchone()
        assert row is not None
        connection.execute("UPDATE procrastinate_jobs SET status = 'doing', worker_id = %s", row)
        queue.put(run.id)
        states = connection.execute("SELECT status::text FROM procrastinate_jobs ORDER BY id").fetchall()
        assert states == [("doing",), ("todo",)]

        async def take_over() -> None:
            async with queue.app.open_async():
                for job in await queue.app.job_manager.get_stalled_jobs(seconds_since_heartbeat=30):
                    await queue._take_over(job)

        in_thread(take_over)
        states = connection.execute("SELECT status::text FROM procrastinate_jobs ORDER BY id").fetchall()
        connection.execute("DELETE FROM procrastinate_jobs")

    assert states == [("failed",), ("todo",)]


def test_failing_care_is_noted_until_it_goes_well(services: Services) -> None:
    """The health address reads this."""
    with services.store.session() as session:
        care.note_care(session, "runs", ["job 7: locked"], NOW)
        assert care.failing_care(session, NOW) == {"runs": "job 7: locked"}
    with services.store.session() as session:
        care.note_care(session, "runs", [], NOW + timedelta(seconds=10))
        assert care.failing_care(session, NOW + timedelta(seconds=11)) == {}


def test_one_that_cannot_be_woken_does_not_keep_the_others(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Each forgotten run gets its try."""
    runs = [ask_for_run(services, WARDS, person=people["ines"], via="hand").id for _ in range(3)]
    queue = Queue(replace(services, clock=lambda: NOW + timedelta(minutes=1)))
    woken = []

    def put(run_id: int) -> None:
        if run_id == runs[0]:
            raise RuntimeError("odd")
        woken.append(run_id)

    monkeypatch.setattr(queue, "put", put)

    assert queue.wake_forgotten() == [f"run {runs[0]}: odd"]
    assert woken == runs[1:]


def test_a_worker_asked_to_stop_stops_though_the_store_is_away(
    services: Services, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What fails on its way out does not make it begin again."""
    queue = Queue(services)

    async def run_worker(**_more: Any) -> None:
        try:
            await asyncio.sleep(60)
        finally:
            raise RuntimeError("the store is away")

    async def stop() -> None:
        monkeypatch.setattr(queue.app, "run_worker_async", run_worker)
        worker = asyncio.create_task(queue.work(concurrency=1))
        await asyncio.sleep(0.5)
        worker.cancel()
        done, _ = await asyncio.wait({worker}, timeout=5)
        worker.cancel()
        assert done

    in_thread(stop)


def test_a_run_that_ends_its_workers_is_given_up(services: Services, people: dict[str, Any]) -> None:
    """Bounded, and told to who asked."""
    run = ask_for_run(services, WARDS, person=people["ines"], via="hand")
    for _ in range(executor.MOST_TRIES):
        with services.store.session() as session:
            assert ledger.begin_attempt(session, run.id, NOW) is not None
    execute(services, run.id)
    done = get(services, run.id)
    with services.store.session() as session:
        (told,) = session.scalars(sa.select(Notice.text).where(Notice.run_id == run.id))

    assert (done.status, (done.error or {})["code"]) == ("failed", "given_up")
    assert "not tried again" in told


@pytest.mark.parametrize("mode", ["new", "replace", "append"])
def test_a_worker_that_dies_after_delivering_leaves_one_truth(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch, mode: str
) -> None:
    """The records change between the attempts; ledger and file still tell of the same rows."""
    add_round(services, people["ines"], WARDS, mode=mode)
    run_id = due(services, 0)

    def die(*_arguments: Any, **_more: Any) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(executor, "_finish", die)
        with pytest.raises(KeyboardInterrupt):
            execute(services, run_id)
    with services.store.session() as session:
        run = session.get_one(Run, run_id)
        # What would be made now is something else.
        run.document = {**run.document, "at_most": 5}
    execute(services, run_id)
    done = get(services, run_id)

    assert (done.status, done.rows_written) == ("ready", 12)
    assert len(lines(services)) == 13
    assert [p.name for p in (services.outgoing / "wards-out").iterdir()] == ["wards.csv"]


def test_what_is_on_its_way_is_not_cancelled(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Cancelled or delivered, never both."""
    add_round(services, people["ines"], WARDS)
    run_id = due(services, 0)
    told: list[str] = []
    real = delivering._put_new

    def put(*arguments: Any) -> Any:
        with services.store.session() as session:
            try:
                ledger.request_cancel(session, run_id, NOW)
            except NotPossible as error:
                told.append(str(error))
        return real(*arguments)

    monkeypatch.setattr(delivering, "_put_new", put)
    execute(services, run_id)
    done = get(services, run_id)

    assert told == [f"Run {run_id} is made and on its way; it can no longer be cancelled."]
    assert (done.status, len(done.files), done.delivered_to) == ("ready", 1, ["wards-out/wards.csv"])


def test_a_failed_delivery_keeps_what_was_made(services: Services, people: dict[str, Any]) -> None:
    """The files stay, the reason is told, and it can be let go when the folder is there."""
    add_round(services, people["ines"], WARDS)
    services.outgoing.parent.mkdir(parents=True, exist_ok=True)
    services.outgoing.write_text("a file where the folder should be")
    run_id = due(services, 0)
    execute(services, run_id)
    held = get(services, run_id)
    assert (held.status, (held.error or {})["code"], len(held.files)) == ("held", "write", 1)
    services.outgoing.unlink()
    with services.store.session() as session:
        ledger.release_run(session, run_id, "Ines", "the folder is back", NOW)
    execute(services, run_id)

    assert get(services, run_id).status == "ready"
    assert len(lines(services)) == 13


# Races


def test_two_rounds_into_one_folder_lose_no_file(services: Services, people: dict[str, Any]) -> None:
    """Names that must be new are taken once, also at the same moment."""
    for n in range(4):
        add_round(services, people["ines"], {**WARDS, "name": f"Wards {n}"})
    runs = ticked(services)
    threads = [threading.Thread(target=execute, args=(services, r)) for r in runs]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    targets = sorted(t for r in runs for t in get(services, r).delivered_to)

    assert len(set(targets)) == 4
    assert sorted(p.name for p in (services.outgoing / "wards-out").iterdir()) == [Path(t).name for t in targets]


def test_a_name_that_another_run_took_and_was_done_with_meanwhile_is_not_taken_again(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Between the look for a free name and its entry, another run delivers the same bytes under it, wholly."""
    for n in range(2):
        add_round(services, people["ines"], {**WARDS, "name": f"Wards {n}"})
    late, early = ticked(services)
    real, waiting = Place.exists, [early]

    def exists(place: Place) -> bool:
        found = real(place)
        if not found and waiting:
            execute(services, waiting.pop())
        return found

    monkeypatch.setattr(Place, "exists", exists)
    execute(services, late)

    assert get(services, early).delivered_to == ["wards-out/wards.csv"]
    assert get(services, late).delivered_to == ["wards-out/wards-2.csv"]
    assert len(list((services.outgoing / "wards-out").iterdir())) == 2


def test_a_file_that_somebody_put_there_meanwhile_stays(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Between taking the name and writing, a stranger's file appears under it."""
    add_round(services, people["ines"], WARDS)
    run_id = due(services, 0)
    real = delivering._reserved

    def reserved(*arguments: Any) -> Any:
        found = real(*arguments)
        (services.outgoing / "wards-out").mkdir(parents=True, exist_ok=True)
        (services.outgoing / "wards-out" / "wards.csv").write_text("theirs")
        return found

    monkeypatch.setattr(delivering, "_reserved", reserved)
    execute(services, run_id)

    assert get(services, run_id).delivered_to == ["wards-out/wards-2.csv"]
    assert (services.outgoing / "wards-out" / "wards.csv").read_text() == "theirs"


def test_one_key_asked_for_at_once_makes_one_run(services: Services, people: dict[str, Any]) -> None:
    """Eight requests with the same Idempotency-Key: one run, no error; with something else: refused."""
    made: list[int] = []

    def ask() -> None:
        made.append(ask_for_run(services, WARDS, person=people["ines"], via="hand", idempotency_key="k").id)

    threads = [threading.Thread(target=ask) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()

    assert (len(made), len(set(made))) == (8, 1)
    with pytest.raises(NotPossible, match="used for something else"):
        ask_for_run(services, {**WARDS, "name": "Other"}, person=people["ines"], via="hand", idempotency_key="k")


# Sources and rounds


@pytest.fixture
def changing(
    cluster: Cluster, services: Services, tmp_path: Path
) -> Iterator[tuple[Services, psycopg.Connection[Any]]]:
    """Services on a source of their own, which changes."""
    cluster.ensure_database("changing_test", "marrowby_owner")
    url = cluster.url("changing_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS ward")
        connection.execute("CREATE TABLE ward (id bigint PRIMARY KEY, name text, extra text)")
        connection.execute("INSERT INTO ward SELECT n, repeat('x', 300), 'e' FROM generate_series(1, 200000) n")
        source = Source("changing", url)
        source.catalogue()
        yield replace(services, configured=source), connection
        source.close()


EXTRA = {
    "name": "Extra", "records": "ward", "output": {"name": "extra"},
    "columns": [{"id": "n", "heading": "Name", "value": {"field": "name"}}, {"id": "e", "heading": "Extra", "value": {"field": "extra"}}],
}  # fmt: skip


def test_a_column_that_went_is_named_and_the_round_pauses(
    changing: tuple[Services, psycopg.Connection[Any]], people: dict[str, Any]
) -> None:
    """Though the catalogue is still known as it was: no error of the driver, and the keeper learns of it."""
    services, connection = changing
    _, round_id = add_round(services, people["ines"], EXTRA)
    run_id = due(services, 0)
    connection.execute("ALTER TABLE ward RENAME COLUMN extra TO surplus")
    execute(services, run_id)
    failed = get(services, run_id)
    with services.store.session() as session:
        paused = session.get_one(Round, round_id).paused
        told = list(session.scalars(sa.select(Notice).where(Notice.run_id == run_id)))

    assert (failed.status, (failed.error or {})["problems"][0]["code"]) == ("failed", "unknown_field")
    assert (failed.error or {})["problems"][0]["place"] == "columns[1].value.field"
    assert paused
    assert {n.person_id for n in told} == {people["ines"].id, people["marta"].id}
    assert all("paused" in n.text for n in told)


def test_a_source_lost_in_the_middle_is_named_and_tried_again(
    changing: tuple[Services, psycopg.Connection[Any]], people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its connection is cut while rows stream: the first attempts are repeated, the last says what happened."""
    services, connection = changing
    run = ask_for_run(services, EXTRA, person=people["ines"], via="hand")
    real = shares.Export._stream

    def cut(self: Any, *arguments: Any) -> Any:
        connection.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
            "WHERE datname = current_database() AND backend_type = 'client backend' AND pid <> pg_backend_pid()"
        )
        return real(self, *arguments)

    monkeypatch.setattr(shares.Export, "_stream", cut)
    for _ in range(executor.ATTEMPTS - 1):
        with pytest.raises(SourceDown):
            execute(services, run.id)
    execute(services, run.id)
    failed = get(services, run.id)

    assert (failed.status, (failed.error or {})["code"]) == ("failed", "source_down")


def test_what_is_known_is_served_while_the_source_is_away(
    changing: tuple[Services, psycopg.Connection[Any]], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A catalogue that is old is better than none; asked for afresh, it is not made up."""
    services, _ = changing

    def away(*_arguments: Any, **_more: Any) -> Any:
        raise SourceDown("away")

    monkeypatch.setattr("bouquet.sources.source.reflect_catalogue", away)
    monkeypatch.setattr("bouquet.sources.source.CATALOGUE_AGE", -1)

    assert "ward" in services.sources.get().catalogue().record_types
    with pytest.raises(SourceDown):
        services.sources.get().catalogue(fresh=True)


def test_one_broken_round_does_not_stop_the_others(services: Services, people: dict[str, Any]) -> None:
    """A zone that does not exist pauses its own round; the tick goes on, and care says so."""
    _, broken = add_round(services, people["ines"], WARDS)
    add_round(services, people["ines"], {**WARDS, "name": "Wards too"})
    with services.store.session() as session:
        session.get_one(Round, broken).zone = "Nowhere/Land"
    asked = ticked(services)
    with services.store.session() as session:
        paused, noted = session.get_one(Round, broken).paused, session.get_one(Care, "rounds")

    assert (len(asked), paused) == (1, True)
    assert "Nowhere/Land" in noted.error


# The outgoing folder


@pytest.mark.parametrize(
    "folder", ["a\nb", "a/../b", "/etc", "a\\b", "x\u2028y", "..", ".hidden", "a/\x1b", "x" * 300, ""]
)
def test_names_that_could_lead_elsewhere_are_refused(folder: str) -> None:
    """Line breaks, other separators and control characters are in no folder's name."""
    with pytest.raises(FolderError):
        checked_folder(folder)


def test_no_link_leads_out_of_the_folder(services: Services, people: dict[str, Any], tmp_path: Path) -> None:
    """A folder that is a symbolic link is refused immediately before writing; a file that is one is exchanged."""
    outside = tmp_path / "outside"
    outside.mkdir()
    services.outgoing.mkdir(parents=True)
    (services.outgoing / "wards-out").symlink_to(outside)
    add_round(services, people["ines"], WARDS)
    held = tick(services, 0)
    assert (held.status, (held.error or {})["code"]) == ("held", "folder")
    assert list(outside.iterdir()) == []

    (services.outgoing / "wards-out").unlink()
    (services.outgoing / "wards-out").mkdir()
    (outside / "secret").write_text("mine")
    (services.outgoing / "wards-out" / "wards.csv").symlink_to(outside / "secret")
    with opened_place(services.outgoing, "wards-out/wards.csv") as place, pytest.raises((OSError, WriteError)):
        place.size()
    assert tick(services, 1).delivered_to == ["wards-out/wards-2.csv"]
    assert (outside / "secret").read_text() == "mine"
