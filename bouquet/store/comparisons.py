"""
Comparisons of runs, kept so that nobody waits twice.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bouquet.store.errors import NotFound
from bouquet.store.models import ComparisonRecord, RunFile

__all__ = ["finish", "get", "put", "waiting"]


def put(session: Session, before_id: int, after_id: int, key: list[str], now: datetime) -> ComparisonRecord:
    """
    The comparison of two runs on a key: a new one, or the one that was asked for before. One that failed is tried
    again.
    """
    named = "\n".join(key)
    entered = insert(ComparisonRecord).values(
        before_id=before_id, after_id=after_id, key_text=named, key=key, status="asked", asked_at=now
    )
    session.execute(entered.on_conflict_do_nothing())
    query = sa.select(ComparisonRecord).where(
        ComparisonRecord.before_id == before_id,
        ComparisonRecord.after_id == after_id,
        ComparisonRecord.key_text == named,
    )
    found = session.scalars(query).one()
    if found.status == "failed":
        found.status, found.result = "asked", None
        session.flush()
    return found


def get(session: Session, comparison_id: int) -> ComparisonRecord:
    """
    One comparison. Raises NotFound.
    """
    found = session.get(ComparisonRecord, comparison_id)
    if found is None:
        msg = "There is no such comparison."
        raise NotFound(msg)
    return found


def finish(
    session: Session, comparison_id: int, status: str, result: dict[str, Any], file: RunFile | None = None
) -> ComparisonRecord:
    """
    Enter what came of it. Where another worker was first, its result stands.
    """
    found = session.get(ComparisonRecord, comparison_id, with_for_update=True, populate_existing=True)
    if found is None:
        msg = "There is no such comparison."
        raise NotFound(msg)
    if found.status == "asked":
        found.status, found.result = status, result
        if file is not None:
            session.add(file)
            session.flush()
            found.file_id = file.id
        session.flush()
    return found


def waiting(session: Session, asked_before: datetime) -> list[int]:
    """
    Comparisons asked for before a moment that nobody carried out.
    """
    query = sa.select(ComparisonRecord.id).where(
        ComparisonRecord.status == "asked", ComparisonRecord.asked_at < asked_before
    )
    return list(session.scalars(query.order_by(ComparisonRecord.id)))
