"""
What starts a round in its source: a run for each record, something that is closed, a NOTIFY.
"""

from __future__ import annotations

import asyncio
import csv
import io
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from typing import Any

import psycopg
import pytest

from bouquet.rounds import set_paused
from bouquet.rounds.listening import listen
from bouquet.rounds.watching import note_baseline, watch_rounds
from bouquet.runs import Queue, Services
from bouquet.runs.executor import execute
from bouquet.sources import Source
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Round, Run
from bouquet.store.rounds import NEVER
from tests.conftest import NOW, OwnCluster

TABLES = """
CREATE TABLE shift (shift_id int PRIMARY KEY, day date NOT NULL, state text NOT NULL DEFAULT 'open', ended timestamptz);
CREATE TABLE sale (sale_id int PRIMARY KEY, day date NOT NULL, pence int NOT NULL);
INSERT INTO shift (shift_id, day, state) VALUES (1, '2026-11-20', 'closed'), (2, '2026-11-21', 'open'), (3, '2026-11-22', 'open');
INSERT INTO sale SELECT n, date '2026-11-19' + n % 4, n * 100 FROM generate_series(1, 40) n;
GRANT USAGE ON SCHEMA public TO marrowby_reader; GRANT SELECT ON ALL TABLES IN SCHEMA public TO marrowby_reader;
"""

SALES = {
    "name": "Sales of a day",
    "records": "sale",
    "columns": [
        {"id": "a", "heading": "Sale", "value": {"field": "sale_id"}},
        {"id": "b", "heading": "Day", "value": {"field": "day"}},
    ],
    "filter": {"path": "day", "is": "is", "ask": "day"},
    "asks": [{"name": "day", "label": "Which day?", "kind": "date"}],
    "zone": "UTC",
}

CLOSED = {
    "records": "shift",
    "where": {"path": "state", "is": "one_of", "values": ["closed"]},
    "answers": {"day": "day"},
}


class Till:
    """A till with shifts and sales, a round over it, and a clock that is set by hand."""

    def __init__(self, services: Services, connection: psycopg.Connection[Any], person: Any, watched: str) -> None:
        self.services, self.connection, self.person, self.now = services, connection, person, NOW
        self.watched = watched
        services.clock = lambda: self.now
        self.queue = Queue(services)
        self.round_id = 0

    def set(self, trigger: str, document: dict[str, Any], event: dict[str, Any], **more: Any) -> None:
        with self.services.store.session() as session:
            record = shelf.add_template(session, document, "", self.person, NOW)
            shelf.save_version(session, record.id, "", self.person, NOW)
            found = Round(
                template_id=record.id, rhythm={}, zone="UTC", folder="till", format="csv", trigger=trigger,
                watch={"every": 10}, look_at=NOW, next_at=NEVER, created_by=self.person.id, event=event,
                found={"baseline": True} if trigger == "closes" else None, **more,
            )  # fmt: skip
            session.add(found)
            session.flush()
            self.round_id = found.id
        note_baseline(self.services, self.round_id)

    def look(self) -> list[Run]:
        """The runs that a look comes to, carried out."""
        self.now += timedelta(seconds=10)
        made = []
        for run_id in watch_rounds(self.services, self.queue):
            execute(self.services, run_id)
            with self.services.store.session() as session:
                made.append(ledger.get_run(session, run_id))
        return made

    def rows(self, run: Run) -> list[list[str]]:
        assert run.status == "ready", run.error
        body = b"".join(self.services.storage.chunks(run.files[0].path)).decode()
        return list(csv.reader(io.StringIO(body)))[1:]

    def sql(self, statement: str) -> None:
        self.connection.execute(statement)


@pytest.fixture
def till(services: Services, cluster: OwnCluster, people: dict[str, Any]) -> Iterator[Till]:
    cluster.drop_database("event_test")
    cluster.ensure_database("event_test", "marrowby_owner")
    services.sources.fixed = Source("till", cluster.url("event_test", "marrowby_reader", "test-only"))
    with psycopg.connect(cluster.url("event_test", "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute(TABLES)
        made = Till(services, connection, people["ines"], cluster.url())
        with made.queue.opened():
            yield made
    services.sources.fixed.close()


def test_what_closes_starts_one_run_with_its_own_answers(till: Till) -> None:
    """The sales of that shift's day, once; what was closed before the round was set starts nothing."""
    till.set("closes", SALES, CLOSED)
    assert till.look() == []
    till.sql("UPDATE shift SET state = 'closed' WHERE shift_id = 2")
    (run,) = till.look()
    expected = till.connection.execute("SELECT sale_id::text FROM sale WHERE day = '2026-11-21'").fetchall()

    assert run.answers == {"day": "2026-11-21"}
    assert {r[0] for r in till.rows(run)} == {r[0] for r in expected}
    till.sql("UPDATE shift SET state = 'open' WHERE shift_id = 2; UPDATE shift SET state = 'closed' WHERE shift_id = 2")
    assert till.look() == []


@pytest.mark.parametrize(
    ("ask", "condition"),
    [
        ({"kind": "window"}, {"path": "day", "is": "in_window", "ask": "day"}),
        ({"kind": "choices"}, {"path": "day", "is": "one_of", "ask": "day"}),
    ],
)
def test_a_field_answers_whatever_kind_of_question(till: Till, ask: Any, condition: Any) -> None:
    """A period is that one day, a list of choices that one value."""
    asks = [{**SALES["asks"][0], **ask}]  # type: ignore[dict-item]
    till.set("closes", {**SALES, "asks": asks, "filter": condition}, CLOSED)
    till.sql("UPDATE shift SET state = 'closed' WHERE shift_id = 3")
    (run,) = till.look()

    assert {row[1] for row in till.rows(run)} == {"2026-11-22"}


def test_a_moment_answers_by_the_clock_of_the_template(till: Till) -> None:
    """A shift that ended half an hour before midnight in UTC ended on the next day in Auckland."""
    event = {**CLOSED, "answers": {"day": "ended"}}
    till.set("closes", {**SALES, "zone": "Pacific/Auckland"}, event)
    till.sql("UPDATE shift SET state = 'closed', ended = '2026-11-21 23:30+00' WHERE shift_id = 2")
    (run,) = till.look()

    assert run.answers == {"day": "2026-11-22"}
    assert {row[1] for row in till.rows(run)} == {"2026-11-22"}


def test_several_that_close_at_once_have_a_run_each(till: Till) -> None:
    till.set("closes", SALES, CLOSED)
    till.sql("UPDATE shift SET state = 'closed'")
    runs = till.look()

    assert sorted(r.answers["day"] for r in runs) == ["2026-11-21", "2026-11-22"]
    assert len({r.as_of for r in runs}) == 2


def test_several_workers_notice_what_closes_once(till: Till) -> None:
    till.set("closes", SALES, CLOSED)
    till.sql("UPDATE shift SET state = 'closed'")
    till.now += timedelta(seconds=10)
    with ThreadPoolExecutor(4) as pool:
        found = list(pool.map(lambda _: watch_rounds(till.services, till.queue), range(4)))

    assert sum(map(len, found)) == 2


def test_what_closes_while_a_round_is_paused_starts_nothing(till: Till) -> None:
    till.set("closes", SALES, CLOSED)
    with till.services.store.session() as session:
        set_paused(session, till.round_id, True, till.now)
    till.sql("UPDATE shift SET state = 'closed' WHERE shift_id = 2")
    assert till.look() == []
    with till.services.store.session() as session:
        set_paused(session, till.round_id, False, till.now)
    assert till.look() == []
    till.sql("UPDATE shift SET state = 'closed' WHERE shift_id = 3")
    assert [r.answers["day"] for r in till.look()] == ["2026-11-22"]


def test_each_record_that_appears_has_a_run_of_its_own(till: Till) -> None:
    """Together they hold every record once."""
    plain = {k: v for k, v in SALES.items() if k not in ("filter", "asks")} | {"only": "new"}
    till.set("appears", plain, {"each": True})
    first = [till.rows(run) for run in till.look()]
    assert sorted(int(rows[0][0]) for rows in first) == list(range(1, 41))
    assert {len(rows) for rows in first} == {1}
    till.sql("INSERT INTO sale VALUES (41, '2026-11-23', 5), (42, '2026-11-23', 6)")

    assert sorted(till.rows(run)[0][0] for run in till.look()) == ["41", "42"]
    assert till.look() == []


def listening(till: Till, do: str, enough: Callable[[], object], look: Callable[[], object]) -> None:
    """Listen to the source, say something there, and go on until there was enough."""

    async def wait() -> None:
        task = asyncio.create_task(listen(till.services, look))
        # What another role asks only the cluster's own may see.
        query = "SELECT count(*) FROM pg_stat_activity WHERE query LIKE 'LISTEN%%' AND datname = %s"
        with psycopg.connect(till.watched, autocommit=True) as watching:
            for _ in range(1_000):
                if watching.execute(query, [till.connection.info.dbname]).fetchone() == (1,):
                    break
                await asyncio.sleep(0.02)
            else:
                pytest.fail("nobody listens")
        till.sql(do)
        for _ in range(1_000):
            if enough():
                break
            await asyncio.sleep(0.02)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)

    # The browser's tests leave a loop running in the main thread.
    with ThreadPoolExecutor(1) as pool:
        pool.submit(asyncio.run, wait()).result()


def test_a_notice_of_the_source_has_its_rounds_look_at_once(till: Till) -> None:
    """Years before its next look would be."""
    till.set("closes", SALES, {**CLOSED, "channel": "shift_closed"})
    with till.services.store.session() as session:
        session.get_one(Round, till.round_id).look_at = datetime(2090, 1, 1, tzinfo=UTC)
    asked: list[int] = []
    closing = "BEGIN; UPDATE shift SET state = 'closed' WHERE shift_id = 3; NOTIFY shift_closed; COMMIT"
    listening(till, closing, lambda: asked, lambda: asked.extend(watch_rounds(till.services, till.queue)))

    assert len(asked) == 1


@pytest.mark.thorough
def test_notices_by_the_thousand_are_one_look(till: Till) -> None:
    """A trigger that tells of each row may send them faster than anybody can look."""
    till.set("closes", SALES, {**CLOSED, "channel": "shift_closed"})
    looks: list[float] = []
    many = "SELECT pg_notify('shift_closed', n::text) FROM generate_series(1, 5000) n"
    listening(till, many, lambda: looks and time.monotonic() - looks[-1] > 0.5, lambda: looks.append(time.monotonic()))

    assert 1 <= len(looks) <= 3
