"""
Comparisons of runs, kept so that nobody waits twice.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NotFound
from bouquet.store.models import ComparisonRecord, RunFile

__all__ = ["finish", "forget", "get", "put", "waiting"]


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
        msg = tr("There is no such comparison.")
        raise NotFound(msg)
    return found


def finish(
    session: Session, comparison_id: int, status: str, result: dict[str, Any], file: RunFile | None = None
) -> ComparisonRecord:
    """
    Enter the result. Where another worker was first, its result stands.
    """
    found = session.get(ComparisonRecord, comparison_id, with_for_update=True, populate_existing=True)
    if found is None:
        msg = tr("There is no such comparison.")
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


def forget(session: Session, run_ids: Iterable[int], now: datetime) -> list[str]:
    """
    Drop the comparisons of runs whose files go: they quote rows of both sides. Returns the paths of their files, which
    are marked here and removed by the caller.
    """
    ids = list(run_ids)
    either = sa.or_(ComparisonRecord.before_id.in_(ids), ComparisonRecord.after_id.in_(ids))
    found = list(session.scalars(sa.select(ComparisonRecord).where(either)))
    paths = []
    for record in found:
        file = session.get(RunFile, record.file_id) if record.file_id is not None else None
        if file is not None and file.removed_at is None:
            file.removed_at = now
            paths.append(file.path)
        session.delete(record)
    session.flush()
    return paths
