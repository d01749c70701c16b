"""
What workers do by the clock, and whether it went well.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bouquet.store.models import Care

__all__ = ["failing_care", "note_care"]

#: Characters of an error that are kept.
LONGEST_ERROR = 500

#: How long after a failure care counts as failing, unless it went well since.
FAILING_FOR = timedelta(hours=1)


def note_care(session: Session, name: str, failures: Sequence[str], now: datetime) -> None:
    """
    Note that a round of care was done, or what in it failed.
    """
    facts = {"failed_at": now, "error": "; ".join(failures)[:LONGEST_ERROR]} if failures else {"done_at": now}
    entered = insert(Care).values(name=name, **facts)
    session.execute(entered.on_conflict_do_update(index_elements=["name"], set_=facts))


def failing_care(session: Session, now: datetime) -> dict[str, str]:
    """
    The care that fails just now, with what was said.
    """
    recent = sa.select(Care).where(Care.failed_at > now - FAILING_FOR)
    return {c.name: c.error for c in session.scalars(recent) if c.done_at is None or c.done_at < (c.failed_at or now)}
