"""
Ranges of a large run's rows: entered by the worker that has the run, taken and made by any.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session, defer

from bouquet.store.models import Document, Run, RunRange

__all__ = ["SILENT", "enter", "forget_left", "give_back", "made", "of_attempt", "see", "take", "told_of", "withdraw"]

#: Without a sign of life for so long, who took a range has lost it to whoever comes next.
SILENT = timedelta(seconds=30)


def enter(session: Session, ranges: Iterable[RunRange]) -> None:
    """
    Let the ranges of an attempt be taken.
    """
    session.add_all(ranges)
    session.flush()


def take(session: Session, run_id: int, attempt: int, now: datetime) -> RunRange | None:
    """
    The first range of an attempt that nobody writes, which is the caller's from now on. None where there is none, or
    where the attempt is over.
    """
    left = sa.or_(RunRange.status == "waiting", sa.and_(RunRange.status == "taken", RunRange.seen_at < now - SILENT))
    under_way = sa.select(Run.id).where(Run.id == run_id, Run.attempt == attempt, Run.status == "running")
    query = (
        sa.select(RunRange)
        .where(RunRange.run_id == run_id, RunRange.attempt == attempt, left, under_way.exists())
        .order_by(RunRange.number)
        .limit(1)
        .with_for_update(skip_locked=True)
    )
    found = session.scalars(query).first()
    if found is None:
        return None
    found.status, found.seen_at, found.rows = "taken", now, 0
    found.tries += 1
    session.flush()
    return found


def see(session: Session, range_: RunRange, rows: int, now: datetime) -> bool:
    """
    Note how far the caller's range has come. Returns whether to stop: the attempt is over, or somebody else has the
    range.
    """
    run = sa.select(Run.id).where(
        Run.id == range_.run_id, Run.attempt == range_.attempt, Run.status == "running", ~Run.cancel_requested
    )
    return not _change(session, range_, run.exists(), rows=rows, seen_at=now)


def made(session: Session, range_: RunRange, **facts: Any) -> bool:
    """
    Enter what the caller made of a range; twice is harmless. Returns False, and changes nothing, where somebody else
    has it.
    """
    mine = (RunRange.id == range_.id, RunRange.tries == range_.tries)
    entered = sa.update(RunRange).where(*mine).values(status="made", **facts).returning(RunRange.id)
    return session.execute(entered).first() is not None


def give_back(session: Session, range_: RunRange) -> None:
    """
    Leave a range to others.
    """
    _change(session, range_, status="waiting", rows=0)


def _change(session: Session, range_: RunRange, *also: sa.ColumnElement[bool], **facts: Any) -> bool:
    mine = (RunRange.id == range_.id, RunRange.status == "taken", RunRange.tries == range_.tries)
    changed = sa.update(RunRange).where(*mine, *also).values(**facts).returning(RunRange.id)
    return session.execute(changed).first() is not None


def of_attempt(session: Session, run_id: int, attempt: int) -> list[RunRange]:
    """
    All ranges of an attempt, in their order, without what is told of them.
    """
    mine = (RunRange.run_id == run_id, RunRange.attempt == attempt)
    query = sa.select(RunRange).where(*mine).order_by(RunRange.number).options(defer(RunRange.told, raiseload=True))
    return list(session.scalars(query))


def told_of(session: Session, range_: RunRange) -> Document:
    """
    What the writer of a range that is made found.
    """
    return session.scalars(sa.select(RunRange.told).where(RunRange.id == range_.id)).one() or {}


def forget_left(session: Session) -> None:
    """
    Forget the ranges of runs that ended otherwise than by the worker that had them: they tell of values.
    """
    running = sa.select(Run.id).where(Run.status == "running")
    session.execute(sa.delete(RunRange).where(RunRange.run_id.not_in(running)))


def withdraw(session: Session, run_id: int, attempt: int) -> None:
    """
    Forget the ranges of an attempt that is over, and of those before it.
    """
    session.execute(sa.delete(RunRange).where(RunRange.run_id == run_id, RunRange.attempt <= attempt))
