"""
Rounds by the ten thousand: what a tick costs where nothing is due, and how soon all that is due is entered.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import sqlalchemy as sa

from benchmarks.database import BenchDatabase
from benchmarks.runs import SMALL, services_on
from bouquet.processes import keep_loaded
from bouquet.rounds import make_queue, tick_rounds
from bouquet.rounds.feed import feed_of
from bouquet.runs import Services
from bouquet.store import templates as shelf
from bouquet.store.models import Occurrence, Person, Round, Run

__all__ = ["rounds"]

#: Rounds kept, of them those due at once, and rounds that a calendar shows.
KEPT, DUE, SHOWN = 100_000, 10_000, 500


def rounds(database: BenchDatabase, say: Callable[..., None]) -> None:
    """
    A hundred thousand rounds, ten thousand of them due in the same minute.
    """
    with services_on(database) as services:
        queue = make_queue(services)
        due = datetime.now(UTC).replace(second=0, microsecond=0) + timedelta(days=1)
        _seed(services, due)
        keep_loaded()
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
        _say_feed(services, say)


def _say_feed(services: Services, say: Callable[..., None]) -> None:
    """
    A calendar's feed of rounds that run daily at one of 24 times: the two months ahead, and then those behind as well.
    """
    now = services.clock()
    midnight = (now + timedelta(days=1)).replace(hour=0, minute=0, second=0, microsecond=0)
    with services.store.session() as session:
        template = session.scalars(sa.select(Round.template_id)).first()
        session.execute(sa.update(Round).values(deleted_at=now))
        person = session.scalars(sa.select(Person).order_by(Person.id)).first()
        assert person is not None
        made = [
            {
                **_daily(person, template),
                "rhythm": {"every": "day", "times": [f"{n % 24:02}:00"]},
                "next_at": midnight + timedelta(hours=n % 24),
            }
            for n in range(SHOWN)
        ]
        kept = session.scalars(sa.insert(Round).returning(Round.id), made).all()
    took, size = _time_of_feed(services, person.id, now)
    say(f"a calendar's feed of {SHOWN} daily rounds", took, size, "", "300 ms")
    with services.store.session() as session:
        behind = [
            {"round_id": id, "planned_at": midnight - timedelta(days=day), "note": f"{day} records"}
            for id in kept
            for day in range(1, 63)
        ]
        session.execute(sa.insert(Occurrence), behind)
    took, size = _time_of_feed(services, person.id, now)
    say("the same with the two months behind", took, size, "", "")


def _time_of_feed(services: Services, person_id: int, now: datetime) -> tuple[str, str]:
    took = []
    for _ in range(7):
        with services.store.session() as session:
            who = session.get_one(Person, person_id)
            began = time.perf_counter()
            text = feed_of(session, who, now, "https://bouquet.example")
            took.append(time.perf_counter() - began)
    assert text.count(b"BEGIN:VEVENT") >= SHOWN * 61
    return f"{sorted(took)[3] * 1000:.0f} ms", f"{len(text) / 1e6:.0f} MB"


def _daily(person: Person, template_id: int | None) -> dict[str, Any]:
    return {
        "template_id": template_id,
        "rhythm": {"every": "day", "times": ["06:00"]},
        "zone": "UTC",
        "folder": "many",
        "format": "csv",
        "created_by": person.id,
    }


def _seed(services: Services, due: datetime) -> None:
    with services.store.session() as session:
        person = session.scalars(sa.select(Person).order_by(Person.id)).first()
        assert person is not None
        record = shelf.add_template(session, SMALL, "", person, services.clock())
        shelf.save_version(session, record.id, "", person, services.clock())
        made = [
            {
                **_daily(person, record.id),
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
