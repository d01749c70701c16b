"""
Changes of a memory that people make: forgotten, marked as sent; each undone within a day.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from uuid import UUID

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NotFound
from bouquet.store.memory import Memory
from bouquet.store.models import MemoryChange

__all__ = ["UNDONE", "forget", "list_changes", "mark", "undo"]

#: How long a change can be undone.
UNDONE = timedelta(days=1)


def forget(
    session: Session,
    memory: Memory,
    who: str,
    now: datetime,
    *,
    keys: Sequence[UUID] | None = None,
    since: datetime | None = None,
) -> int:
    """
    Forget records, so that they are sent again: these, those sent since a moment, or all. Returns how many.
    """
    change = _begun(session, memory, "forgotten", who, now)
    conditions = ["template_id = :template", "round_id = :round", "recipient_id = :reader"]
    if keys is not None:
        conditions.append("key = ANY(:keys)")
    if since is not None:
        conditions.append("sent_at >= :since")
    statement = (
        f"WITH gone AS (DELETE FROM remembered WHERE {' AND '.join(conditions)} RETURNING *)"
        " INSERT INTO memory_changed (change_id, key, row, sent_at, run_id, texts)"
        " SELECT :change, key, row, sent_at, run_id, texts FROM gone"
    )
    given: dict[str, object] = {**_whose(memory), "change": change.id}
    given |= {} if keys is None else {"keys": list(keys)}
    return _ended(session, change, statement, {**given, **({} if since is None else {"since": since})})


def mark(session: Session, memory: Memory, who: str, now: datetime, keys: Sequence[UUID]) -> int:
    """
    Remember records as sent that were not sent from here. Returns how many were not known before.
    """
    change = _begun(session, memory, "marked", who, now)
    statement = (
        "WITH made AS (INSERT INTO remembered (template_id, round_id, recipient_id, key, row, sent_at)"
        " SELECT :template, :round, :reader, k, 0, :now FROM unnest(CAST(:keys AS uuid[])) AS k ON CONFLICT DO NOTHING"
        " RETURNING key, row, sent_at)"
        " INSERT INTO memory_changed (change_id, key, row, sent_at) SELECT :change, key, row, sent_at FROM made"
    )
    given = {**_whose(memory), "change": change.id, "now": now}
    return _ended(session, change, statement, {**given, "keys": list(dict.fromkeys(keys))})


def list_changes(session: Session, memory: Memory, now: datetime) -> Sequence[MemoryChange]:
    """
    What can be undone, the newest first.
    """
    query = sa.select(MemoryChange).where(*_of(memory), MemoryChange.at > now - UNDONE)
    return session.scalars(query.order_by(MemoryChange.id.desc())).all()


def undo(session: Session, memory: Memory, change_id: int, now: datetime) -> int:
    """
    Undo a change: what was forgotten is remembered again, but what was sent meanwhile stays as it was sent then; what
    was marked is forgotten, but what was sent meanwhile. Returns how many records it was about.

    Raises NotFound for one that is not there any more.
    """
    change = session.get(MemoryChange, change_id, with_for_update=True)
    whose = Memory(change.template_id, change.round_id, change.recipient_id) if change is not None else None
    if change is None or whose != memory or change.at <= now - UNDONE:
        raise NotFound(tr("This change cannot be undone any more."))
    if change.kind == "forgotten":
        statement = (
            "INSERT INTO remembered (template_id, round_id, recipient_id, key, row, sent_at, run_id, texts)"
            " SELECT :template, :round, :reader, key, row, sent_at, run_id, texts FROM memory_changed"
            " WHERE change_id = :change ON CONFLICT DO NOTHING RETURNING key"
        )
    else:
        statement = (
            "DELETE FROM remembered r USING memory_changed c WHERE c.change_id = :change AND r.key = c.key"
            " AND r.template_id = :template AND r.round_id = :round AND r.recipient_id = :reader"
            " AND r.run_id IS NULL RETURNING r.key"
        )
    given = {**_whose(memory), "change": change.id}
    count = len(session.execute(sa.text(statement), given).all())
    session.delete(change)
    return count


def _begun(session: Session, memory: Memory, kind: str, who: str, now: datetime) -> MemoryChange:
    session.execute(sa.delete(MemoryChange).where(MemoryChange.at <= now - UNDONE))
    change = MemoryChange(
        template_id=memory.template_id,
        round_id=memory.round_id,
        recipient_id=memory.recipient_id,
        kind=kind,
        who=who,
        at=now,
        records=0,
    )
    session.add(change)
    session.flush()
    return change


def _ended(session: Session, change: MemoryChange, statement: str, given: dict[str, object]) -> int:
    session.execute(sa.text(statement), given)
    kept = sa.text("SELECT count(*) FROM memory_changed WHERE change_id = :change")
    change.records = int(session.scalar(kept, {"change": change.id}) or 0)
    if not change.records:
        session.delete(change)
    return change.records if change.records else 0


def _of(memory: Memory) -> list[sa.ColumnElement[bool]]:
    return [
        MemoryChange.template_id == memory.template_id,
        MemoryChange.round_id == memory.round_id,
        MemoryChange.recipient_id == memory.recipient_id,
    ]


def _whose(memory: Memory) -> dict[str, object]:
    return {"template": memory.template_id, "round": memory.round_id, "reader": memory.recipient_id}
