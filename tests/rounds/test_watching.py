"""
Rounds that run when records appear: each record goes out once, gathered, whoever looks and however often.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import Any

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.rounds import run_now, set_paused
from bouquet.rounds.watching import watch_rounds
from bouquet.runs import Queue, Services
from bouquet.runs.executor import execute
from bouquet.sources import Source
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Round, TemplateRecord
from bouquet.store.rounds import NEVER
from tests.conftest import NOW, OwnCluster
from tests.runs.test_memory import CRATES, TABLES


class Watched:
    """A yard with a round that waits for crates, and a clock that is set by hand."""

    def __init__(self, services: Services, connection: psycopg.Connection[Any], person: Any) -> None:
        self.services, self.connection, self.person, self.now = services, connection, person, NOW
        services.clock = lambda: self.now
        self.queue = Queue(services)
        self.round_id = 0

    def set(self, **watch: int) -> None:
        with self.services.store.session() as session:
            record = shelf.add_template(session, {**CRATES, "only": "new"}, "", self.person, NOW)
            shelf.save_version(session, record.id, "", self.person, NOW)
            found = Round(
                template_id=record.id, rhythm={}, zone="UTC", folder="crates", format="csv", trigger="appears",
                watch={"every": 10, "quiet": 0, "longest": 600, **watch}, look_at=NOW, next_at=NEVER,
                created_by=self.person.id,
            )  # fmt: skip
            session.add(found)
            session.flush()
            self.round_id = found.id

    def look(self, after: int = 10) -> list[int]:
        """The rows of each run that a look comes to."""
        self.now += timedelta(seconds=after)
        made = []
        for run_id in watch_rounds(self.services, self.queue):
            execute(self.services, run_id)
            with self.services.store.session() as session:
                run = ledger.get_run(session, run_id)
                assert run.status == "ready", run.error
                made.append(run.rows_written)
        return made

    def appear(self, *numbers: int) -> None:
        for n in numbers:
            self.connection.execute("INSERT INTO crate VALUES (%s, 1, '1999-01-01')", (n,))


@pytest.fixture
def yard(services: Services, cluster: OwnCluster, people: dict[str, Any]) -> Iterator[Watched]:
    cluster.drop_database("watch_test")
    cluster.ensure_database("watch_test", "marrowby_owner")
    services.sources.fixed = Source("yard", cluster.url("watch_test", "marrowby_reader", "test-only"))
    with psycopg.connect(cluster.url("watch_test", "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute(TABLES)
        made = Watched(services, connection, people["ines"])
        with made.queue.opened():
            yield made
    services.sources.fixed.close()


def test_what_appears_goes_out_once(yard: Watched) -> None:
    """Also with an old time stamp; without anything new there is no run."""
    yard.set()
    assert yard.look() == [6]
    assert yard.look() == []
    yard.appear(7, 8)
    assert yard.look(after=5) == []
    assert yard.look(after=5) == [2]
    assert yard.look() == []


def test_what_appears_is_gathered_until_it_is_quiet(yard: Watched) -> None:
    """And sent after the longest wait all the same."""
    yard.set(quiet=20, longest=60)
    assert [yard.look() for _ in range(3)] == [[], [], [6]]
    made = []
    for n in range(10, 17):
        yard.appear(n)
        made.append(yard.look())
    assert made == [[], [], [], [], [], [], [7]]


def test_several_workers_ask_for_one_run(yard: Watched) -> None:
    """Looking at the same moment, on the same round."""
    yard.set()
    yard.now += timedelta(seconds=10)
    with ThreadPoolExecutor(4) as pool:
        found = list(pool.map(lambda _: watch_rounds(yard.services, yard.queue), range(4)))

    assert sum(map(len, found)) == 1


def test_what_a_run_holds_is_not_taken_by_another(yard: Watched) -> None:
    """While one is asked for, nothing is; what it left is found afterwards."""
    yard.set()
    with yard.services.store.session() as session:
        first = run_now(yard.services, session, yard.round_id, yard.now).id
    assert yard.look() == []
    execute(yard.services, first)
    yard.appear(7)
    assert yard.look() == [1]


@pytest.mark.parametrize("pause", [True, False])
def test_a_paused_round_does_not_look(yard: Watched, pause: bool) -> None:
    """Let go on, it finds what appeared meanwhile: nothing is lost."""
    yard.set()
    assert yard.look() == [6]
    with yard.services.store.session() as session:
        set_paused(session, yard.round_id, pause, yard.now)
    yard.appear(7)
    assert yard.look() == ([] if pause else [1])
    with yard.services.store.session() as session:
        set_paused(session, yard.round_id, False, yard.now)
    assert yard.look() == ([1] if pause else [])


def test_a_round_that_fails_waits_longer_each_time(yard: Watched) -> None:
    """It does not fill the ledger with failures; once its cause is gone, everything goes out."""
    yard.set()
    with yard.services.store.session() as session:
        session.execute(sa.update(TemplateRecord).values(deleted_at=NOW))
    asked = []
    for _ in range(20):
        yard.now += timedelta(seconds=30)
        watch_rounds(yard.services, yard.queue)
        with yard.services.store.session() as session:
            asked.append(len(ledger.list_runs(session)))
    assert asked[0] == 1
    assert 3 <= asked[-1] <= 6
    with yard.services.store.session() as session:
        session.execute(sa.update(TemplateRecord).values(deleted_at=None))
    assert sum(sum(yard.look(after=600)) for _ in range(3)) == 6


def test_a_source_that_is_away_is_looked_at_again(yard: Watched, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing is asked for, nothing is forgotten, and the others are looked at all the same."""
    yard.set()
    whole: Callable[..., Any] = yard.services.source_of

    def away(*_: Any) -> Any:
        raise OSError("away")

    monkeypatch.setattr(yard.services, "source_of", away)
    assert yard.look() == []
    monkeypatch.setattr(yard.services, "source_of", whole)
    assert yard.look() == [6]
