"""
Rounds by the ten thousand: what a tick costs where nothing is due, and how soon all that is due is entered.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import sqlalchemy as sa

from benchmarks.database import BenchDatabase
from benchmarks.runs import SMALL, services_on
from bouquet.rounds import make_queue, tick_rounds
from bouquet.runs import Services
from bouquet.store import templates as shelf
from bouquet.store.models import Occurrence, Person, Round, Run

__all__ = ["rounds"]

#: Rounds kept, and of them those due at once.
KEPT, DUE = 100_000, 10_000


def rounds(database: BenchDatabase, say: Callable[..., None]) -> None:
    """
    A hundred thousand rounds, ten thousand of them due in the same minute.
    """
    with services_on(database) as services:
        queue = make_queue(services)
        due = datetime.now(UTC).replace(second=0, microsecond=0) + timedelta(days=1)
        _seed(services, due)
        with queue.opened():
            quiet = []
            for _ in range(5):
                began = time.perf_counter()
                tick_rounds(services, queue)
                quiet.append(time.perf_counter() - began)
            services.clock = lambda: due + timedelta(seconds=60)
            began = time.perf_counter()
            asked = tick_rounds(services, queue)
            took = time.perf_counter() - began
        with services.store.session() as session:
            occurrences = session.scalar(sa.select(sa.func.count()).select_from(Occurrence))
            order = list(session.scalars(sa.select(Run.as_of).order_by(Run.id)))
            waiting = session.scalar(sa.text("SELECT count(*) FROM procrastinate_jobs WHERE task_name = 'execute_run'"))
        assert len(asked) == occurrences == waiting == DUE
        assert order == sorted(order)
        say(f"a tick over {KEPT:,} rounds of which none is due", f"{sorted(quiet)[2] * 1000:.0f} ms", "", "", "50 ms")
        say(f"{DUE:,} rounds due in one minute, all entered", f"{took:.1f} s", "", "", "5 s")


def _seed(services: Services, due: datetime) -> None:
    with services.store.session() as session:
        person = session.scalars(sa.select(Person)).first()
        assert person is not None
        record = shelf.add_template(session, SMALL, "", person, services.clock())
        shelf.save_version(session, record.id, "", person, services.clock())
        made = [
            {
                "template_id": record.id,
                "rhythm": {"every": "day", "times": ["06:00"]},
                "zone": "UTC",
                "folder": "many",
                "format": "csv",
                "created_by": person.id,
                "next_at": due + timedelta(milliseconds=6 * n) if n < DUE else due + timedelta(days=3),
            }
            for n in range(KEPT)
        ]
        # In no order, as they would be.
        made.sort(key=lambda facts: hash(str(facts["next_at"])))
        for at in range(0, KEPT, 5_000):
            session.execute(sa.insert(Round), made[at : at + 5_000])
    with services.store.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(sa.text("ANALYZE rounds"))
