"""
How the house is: what waits and for how long, who works, what came of runs and deliveries, what fails.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.care import failing_care
from bouquet.store.models import ACTIVE, UNDER_WAY, Care, Delivery, JournalEntry, JournalSeal, Means, Run

__all__ = ["Health", "QueueHealth", "health_of"]

#: Hours of which runs and deliveries are counted, and seconds without a heartbeat after which a worker counts as gone.
HOURS, GONE = 24, 60


@dataclass(frozen=True)
class QueueHealth:
    """
    What waits for workers: how many jobs, and for how many seconds the oldest.
    """

    name: str
    waiting: int
    oldest: float


@dataclass(frozen=True)
class Health:
    """
    `runs` and `deliveries` count by state what was asked for, or entered, in the last day, and all that is under way.
    `down`: means that are left alone because they do not answer, with what was said. `care`: work by the clock, with
    the seconds since it last went well (None for never). `failing`: the same where it fails, with what was said.
    """

    queues: tuple[QueueHealth, ...]
    workers: int
    runs: dict[str, int]
    deliveries: dict[str, int]
    down: dict[str, str]
    care: dict[str, float | None]
    failing: dict[str, str]
    unsealed: int
    sealed_at: datetime | None


def health_of(session: Session, now: datetime) -> Health:
    """
    How the house is now.
    """
    waiting = sa.text(
        "SELECT j.queue_name, count(*), extract(epoch FROM now() - min(e.at))"
        " FROM procrastinate_jobs j LEFT JOIN procrastinate_events e ON e.job_id = j.id AND e.type = 'deferred'"
        " WHERE j.status = 'todo' AND (j.scheduled_at IS NULL OR j.scheduled_at <= now()) GROUP BY 1 ORDER BY 1"
    )
    queues = tuple(QueueHealth(name, count, float(age or 0)) for name, count, age in session.execute(waiting))
    alive = sa.text(
        "SELECT count(*) FROM procrastinate_workers WHERE last_heartbeat > now() - make_interval(secs => :gone)"
    )
    since = now - timedelta(hours=HOURS)
    runs = sa.select(Run.status, sa.func.count()).where(sa.or_(Run.asked_at > since, Run.status.in_((*ACTIVE, "held"))))
    sent = sa.select(Delivery.state, sa.func.count())
    sent = sent.where(sa.or_(Delivery.entered_at > since, Delivery.state.in_(UNDER_WAY)))
    down = sa.select(Means.name, Means.said).where(Means.deleted_at.is_(None), Means.down_until > now)
    sealed_at, last = session.execute(sa.select(sa.func.max(JournalSeal.at), sa.func.max(JournalSeal.id))).one()
    unsealed = sa.select(sa.func.count()).select_from(JournalEntry)
    if last is not None:
        unsealed = unsealed.where(JournalEntry.at > sealed_at)
    return Health(
        queues=queues,
        workers=session.scalar(alive, {"gone": GONE}) or 0,
        runs=_by_name(session, runs.group_by(Run.status)),
        deliveries=_by_name(session, sent.group_by(Delivery.state)),
        down=_by_name(session, down),
        care={c.name: _seconds(now, c.done_at) for c in session.scalars(sa.select(Care))},
        failing=failing_care(session, now),
        unsealed=session.scalar(unsealed) or 0,
        sealed_at=sealed_at,
    )


def _by_name(session: Session, query: sa.Executable) -> dict[str, Any]:
    return {str(row[0]): row[1] for row in session.execute(query)}


def _seconds(now: datetime, then: datetime | None) -> float | None:
    return (now - then).total_seconds() if then is not None else None
