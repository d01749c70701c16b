"""
Runs cut into ranges: whoever writes them, and whatever befalls them, the run is the one that a single worker makes.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.core.plan import Plan
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.runs import Queue, Services, ask_for_run, execute, ranges
from bouquet.runs.queue import BY_ROUND, WORKER
from bouquet.runs.ranges import help_with_run
from bouquet.runs.retention import forget_ranges
from bouquet.sources import PostgresReader, Source, SourceDown
from bouquet.store import ranges as entered
from bouquet.store import runs as ledger
from bouquet.store.models import Run, RunRange, SentKeysRecord
from tests.conftest import NOW
from tests.runs.test_runs import get, kept_files


def columns(*fields: str, **more: Any) -> list[dict[str, Any]]:
    return [{"id": f"c{n}", "heading": f, "value": {"field": f}, **more} for n, f in enumerate(fields)]


TREES: dict[str, Any] = {
    "name": "Trees",
    "records": "tree",
    "columns": columns("tag", "species.botanical_name", "t_girth", "planted_on", "changed_at", "status", "note"),
}
CASES: dict[str, dict[str, Any]] = {
    "by key": TREES,
    "by key, downwards": {**TREES, "order": [{"path": "t_id", "direction": "descending"}]},
    "by a date that many share": {
        "name": "Inspections",
        "records": "inspection",
        "columns": columns("tree.tag", "inspected_on", "risk", "minutes", "remarks"),
        "order": [{"path": "inspected_on", "direction": "descending"}, {"path": "tree.tag"}],
        "filter": {"all": [{"path": "inspected_on", "is": "not_blank"}]},
    },
    "by a moment": {
        **TREES,
        "order": [{"path": "changed_at"}],
        "filter": {"all": [{"path": "changed_at", "is": "not_blank"}]},
    },
    "a row per child": {
        "name": "Inspections of trees",
        "records": "tree",
        "rows": {"per": "child", "path": "inspections"},
        "columns": columns("tag", "inspections.inspected_on", "inspections.risk"),
    },
    "checks": {
        **TREES,
        "checks": [{"column": "c2", "must": "between", "greatest": "120"}],
        "output": {"findings_by": "c5"},
    },
    "JSON Lines": {**TREES, "output": {"format": "jsonl"}},
    "letters in two bytes": {**TREES, "output": {"csv": {"encoding": "utf-16", "separator": ";"}}},
    "letters that are not there": {
        **TREES,
        "output": {"csv": {"encoding": "iso-8859-1", "unencodable": "replace", "heading_row": "both"}},
    },
}  # fmt: skip


def make(services: Services, person: Any, document: dict[str, Any]) -> Run:
    run_id = ask_for_run(services, document, person=person, via="hand").id
    execute(services, run_id)
    run = get(services, run_id)
    assert run.status in ("ready", "held"), run.error
    return run


def content(services: Services, run: Run) -> bytes:
    return (services.files / next(f.path for f in run.files if f.role == "data")).read_bytes()  # type: ignore[operator]


def told(services: Services, run: Run) -> dict[str, Any]:
    """What a run says of itself, but for its number and its moment."""
    with services.store.session() as session:
        query = sa.select(SentKeysRecord).where(SentKeysRecord.run_id == run.id)
        sent = sorted((k.records, bytes(k.keys)) for k in session.scalars(query))
    assert run.slip is not None
    slip = {k: v for k, v in run.slip.items() if k not in ("run", "snapshot_at")}
    listed = sorted(str(sorted(f.items(), key=str)) for f in run.findings)
    return {
        "slip": slip,
        "listed": listed if len(listed) < 200 else len(listed),
        "sent": sent,
        "rows": run.rows_written,
    }


@pytest.fixture
def by_ranges(services: Services, monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Cuts each run of two thousand rows or more; gives the numbers of the ranges that were written."""
    written: list[int] = []
    known = ranges._write_rows

    def noted(plan: Plan, format: str, taken: RunRange, *more: Any) -> Any:
        written.append(taken.number)
        return known(plan, format, taken, *more)

    monkeypatch.setattr(ranges, "_write_rows", noted)
    services.range_rows, services.has_help = 1_000, lambda: True
    return written


@pytest.mark.parametrize("case", CASES)
def test_a_run_that_is_cut_is_the_run_that_is_not(
    services: Services, people: dict[str, Any], by_ranges: list[int], case: str
) -> None:
    """The same bytes, totals, findings and records."""
    document = CASES[case]
    cut = make(services, people["ines"], document)
    assert len(by_ranges) >= 4
    services.range_rows = 10**9
    whole = make(services, people["ines"], document)

    assert content(services, cut) == content(services, whole)
    assert told(services, cut) == told(services, whole)
    assert all("range" not in path for path in kept_files(services))


def helped(services: Services, count: int) -> list[threading.Thread]:
    """Other workers come at once when they are asked."""
    helpers: list[threading.Thread] = []

    def help_on(run_id: int, attempt: int) -> None:
        while help_with_run(services, run_id, attempt):
            pass

    def ask(run_id: int, attempt: int, _workers: int) -> None:
        for _ in range(count):
            helpers.append(threading.Thread(target=help_on, args=(run_id, attempt)))
            helpers[-1].start()

    services.has_help, services.ask_for_help = lambda: True, ask
    return helpers


def test_workers_share_a_run(
    services: Services, people: dict[str, Any], by_ranges: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Each range is written once, some of them by others, from the one snapshot."""
    helpers = helped(services, 2)
    writers = set()
    known = ranges._enter_made

    def noted(*facts: Any) -> bool:
        writers.add(threading.current_thread().ident)
        return known(*facts)

    monkeypatch.setattr(ranges, "_enter_made", noted)
    run = make(services, people["ines"], TREES)
    for helper in helpers:
        helper.join(20)
    assert sorted(by_ranges) == list(range(len(by_ranges)))
    assert len(writers) > 1
    services.range_rows = 10**9
    assert content(services, run) == content(services, make(services, people["ines"], TREES))


def test_helpers_read_the_snapshot_of_the_run(source: Source) -> None:
    reader = source.run_reader
    assert isinstance(reader, PostgresReader)
    assert reader.shares
    query = "SELECT pg_current_snapshot()::text AS seen"
    with reader.snapshot() as first, reader.snapshot(of=first.shared()) as second:
        assert first.row(query) == second.row(query)


def test_a_range_that_somebody_took_and_left_is_written_again(
    services: Services, people: dict[str, Any], by_ranges: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A helper that vanished is waited for half a minute; what it says when it is back counts for nothing."""
    lost: list[RunRange] = []
    began = datetime.now(NOW.tzinfo)
    services.clock = lambda: NOW + (datetime.now(NOW.tzinfo) - began) * 60
    monkeypatch.setattr(ranges, "BEAT", 0.1)

    def take_one(run_id: int, attempt: int, _workers: int) -> None:
        with services.store.session() as session:
            taken = entered.take(session, run_id, attempt, services.clock())
            assert taken is not None
            lost.append(taken)

    services.ask_for_help = take_one
    came_back: list[bool] = []
    withdraw = entered.withdraw

    def at_the_end(session: Any, run_id: int, attempt: int) -> None:
        if lost:
            came_back.append(entered.made(session, lost[0], rows=7, told={}, path="x", keys_path="y"))
        withdraw(session, run_id, attempt)

    monkeypatch.setattr(entered, "withdraw", at_the_end)
    run = make(services, people["ines"], TREES)
    assert sorted(by_ranges) == list(range(len(by_ranges)))
    assert came_back == [False]
    services.range_rows = 10**9
    assert content(services, run) == content(services, make(services, people["ines"], TREES))


def test_a_helper_that_fails_leaves_its_range_to_others(
    services: Services, people: dict[str, Any], by_ranges: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """The source may be out of the helper's reach, and the run is made all the same."""
    reader = services.source_of("").run_reader
    known = type(reader).snapshot

    def snapshot(self: Any, **how: Any) -> Any:
        if how.get("of") is not None:
            raise SourceDown("It cannot be reached from here.")
        return known(self, **how)

    monkeypatch.setattr(type(reader), "snapshot", snapshot)
    reader._shares = True  # type: ignore[union-attr]
    helpers = helped(services, 2)
    run = make(services, people["ines"], TREES)
    for helper in helpers:
        helper.join(20)
    assert run.status == "ready"
    assert set(by_ranges) == set(range(len(set(by_ranges))))


def test_a_run_that_is_cancelled_ends_with_its_helpers(
    services: Services, people: dict[str, Any], by_ranges: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    helpers = helped(services, 1)
    monkeypatch.setattr(ranges, "BEAT", 0.1)
    run_id = ask_for_run(services, TREES, person=people["ines"], via="hand").id
    known = ranges._write_rows

    def cancelled(*facts: Any) -> Any:
        with services.store.session() as session:
            ledger.request_cancel(session, run_id, NOW)
        return known(*facts)

    monkeypatch.setattr(ranges, "_write_rows", cancelled)
    execute(services, run_id)
    for helper in helpers:
        helper.join(20)
        assert not helper.is_alive()
    assert get(services, run_id).status == "cancelled"
    assert kept_files(services) == []
    with services.store.session() as session:
        assert session.scalars(sa.select(RunRange)).all() == []


def test_a_run_is_cut_only_where_somebody_could_help(
    services: Services, people: dict[str, Any], by_ranges: list[int]
) -> None:
    """Cutting costs something: whoever is alone writes it in one go."""
    services.has_help = lambda: False
    assert make(services, people["ines"], TREES).status == "ready"
    assert by_ranges == []


def test_a_worker_of_the_only_machine_is_no_help_but_spare_cores_are(
    services: Services, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Workers of two machines are tried with two hosts: `make cluster`."""
    monkeypatch.setattr("bouquet.runs.queue.CORES", 2)
    queue = Queue(services)
    assert not queue.has_help()
    with psycopg.connect(services.store.url, application_name=WORKER):
        assert not queue.has_help(), "the only machine is this one"
    monkeypatch.setattr("bouquet.runs.queue.CORES", 8)
    assert services.has_help(), "it has room for a second range"


def test_whoever_helps_does_a_range_at_a_time_and_after_all_else(
    services: Services, people: dict[str, Any], by_ranges: list[int]
) -> None:
    """Runs that wait for a worker do not wait for the end of a large one."""
    queue, helped_with = Queue(services), []
    queue.install()

    def ask(run_id: int, attempt: int, workers: int) -> None:
        with queue.opened():
            queue.put_helpers(run_id, attempt, workers)
        helped_with.append(help_with_run(services, run_id, attempt))
        helped_with.append(list(by_ranges))

    services.has_help, services.ask_for_help = lambda: True, ask
    assert make(services, people["ines"], TREES).status == "ready"
    assert helped_with == [True, [0]]
    with services.store.session() as session:
        asked = sa.text("SELECT DISTINCT priority FROM procrastinate_jobs WHERE task_name = 'help_with_run'")
        assert session.scalars(asked).one() < BY_ROUND


def test_an_attempt_that_is_over_withdraws_nothing_of_the_next(services: Services, people: dict[str, Any]) -> None:
    run_id = ask_for_run(services, TREES, person=people["ines"], via="hand").id
    facts = {"run_id": run_id, "number": 0, "snapshot": "s", "announced": 1, "statement": "d"}
    with services.store.session() as session:
        entered.enter(session, [RunRange(attempt=n, **facts) for n in (1, 2)])
        entered.withdraw(session, run_id, 1)
        assert [r.attempt for r in session.scalars(sa.select(RunRange))] == [2]


def test_what_is_left_of_ranges_goes_with_their_run(services: Services, people: dict[str, Any]) -> None:
    """What is told of a range has values in it; a worker that was killed withdraws nothing."""
    run_ids = [ask_for_run(services, TREES, person=people["ines"], via="hand").id for _ in range(2)]
    with services.store.session() as session:
        for run_id in run_ids:
            assert ledger.begin_attempt(session, run_id, NOW)
            entered.enter(
                session, [RunRange(run_id=run_id, attempt=1, number=0, snapshot="s", announced=1, statement="d")]
            )
        ledger.finish_run(session, run_ids[0], 1, status="failed", now=NOW)
    forget_ranges(services)
    with services.store.session() as session:
        assert session.scalars(sa.select(RunRange.run_id)).all() == run_ids[1:]


def test_only_who_has_a_range_may_enter_it(services: Services, people: dict[str, Any]) -> None:
    """Entering twice is harmless: the store may have gone away between its doing and its saying so."""
    run_id = ask_for_run(services, TREES, person=people["ines"], via="hand").id
    with services.store.session() as session:
        run = ledger.begin_attempt(session, run_id, NOW)
        assert run is not None
        entered.enter(session, [RunRange(run_id=run_id, attempt=1, number=0, snapshot="s", announced=1, statement="d")])
    made = {"rows": 1, "told": {}, "path": "p", "keys_path": "k"}
    with services.store.session() as session:
        first = entered.take(session, run_id, 1, NOW)
        assert first is not None
        session.expunge(first)
        assert entered.take(session, run_id, 1, NOW) is None
        second = entered.take(session, run_id, 1, NOW + timedelta(minutes=1))
        assert second is not None
        assert entered.see(session, first, 5, NOW)
        assert not entered.made(session, first, **made)
        assert not entered.see(session, second, 5, NOW)
        assert entered.made(session, second, **made)
        assert entered.made(session, second, **made)


@pytest.mark.parametrize(
    "document",
    [
        {**TREES, "order": [{"path": "tag"}]},
        {**TREES, "order": [{"path": "planted_on"}]},
        {**TREES, "order": [{"path": "species.botanical_name"}]},
        {**TREES, "at_most": 50_000},
        {**TREES, "output": {"split": {"by": "status"}}},
        {**TREES, "columns": columns("tag"), "checks": [{"column": "c0", "must": "unique"}]},
        {**TREES, "columns": [*TREES["columns"],
                              {"id": "n", "heading": "N", "value": {"fold": {"path": "inspections", "how": "count"}}}]},
        {"records": "tree", "rows": {"per": "group", "by": [{"path": "status"}]}, "columns": columns("status")},
    ],
    ids=["a code", "a date that may be blank", "a joined text", "first so many", "split", "unique", "a fold", "groups"],
)  # fmt: skip
def test_what_depends_on_other_rows_is_not_cut(plan: Callable[..., Plan], document: dict[str, Any]) -> None:
    read_document({"name": "Test", **document})
    assert not Statements(plan(document)).can_cut
