"""
The memory of what was sent: what is new in a run, what becomes of it when the run is delivered, and looking at it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.models import Remembered, Remembering, Run

__all__ = [
    "Memory",
    "New",
    "advance",
    "drop_pending",
    "facts_of",
    "forget",
    "look_up",
    "mark",
    "put_pending",
    "take_back",
    "what_is_new",
]

#: (digest of the key, the key as texts, digest of the row)
Row = tuple[UUID, tuple[str, ...], int]


@dataclass(frozen=True)
class Memory:
    """
    Whose memory: a template's, as it is taken by hand or by one of its rounds.
    """

    template_id: int
    round_id: int = 0


@dataclass(frozen=True)
class New:
    """
    What earlier files leave. `keys` are those of the new records, or, `but` for them, of the others, whichever are
    fewer; None where all is new. `new` and `known` count both.
    """

    keys: tuple[tuple[str, ...], ...] | None
    but: bool
    new: int
    known: int


def what_is_new(
    session: Session, memory: Memory, rows: Iterable[Row], *, changed: bool, most: int, run_id: int | None = None
) -> New:
    """
    Hold the rows that a file would have against what was sent; with `changed`, records whose rows differ are new again.
    What another run is about to deliver counts as sent. The records stay in a table of this transaction for
    `put_pending`. At most so many keys are told.

    Who judges for a run waits for others of the same memory, so that no two runs take a record at once.
    """
    if run_id is not None:
        whose = {"template": memory.template_id, "round": memory.round_id}
        session.execute(sa.text("SELECT pg_advisory_xact_lock(hashtextextended(:template || '/' || :round, 7))"), whose)
    session.execute(sa.text("CREATE TEMP TABLE seen (key uuid, texts text[], row bigint) ON COMMIT DROP"))
    with _cursor(session).copy("COPY seen (key, texts, row) FROM STDIN") as copy:
        for key, texts, row in rows:
            copy.write_row((key, list(texts), row))
    session.execute(
        sa.text(
            "CREATE TEMP TABLE met ON COMMIT DROP AS"
            " SELECT s.key, min(s.texts) AS texts, (sum(s.row) % 9223372036854775808)::bigint AS row FROM seen s"
            " GROUP BY s.key"
        )
    )
    session.execute(
        sa.text(
            "CREATE TEMP TABLE judged ON COMMIT DROP AS SELECT m.key, m.texts, m.row,"
            " NOT EXISTS (SELECT FROM remembered r WHERE r.template_id = :template AND r.round_id = :round"
            " AND r.key = m.key AND (NOT :changed OR r.row = m.row))"
            " AND NOT EXISTS (SELECT FROM remembering p JOIN runs o ON o.id = p.run_id WHERE p.key = m.key"
            " AND (NOT :changed OR p.row = m.row) AND o.template_id = :template"
            " AND coalesce(o.round_id, 0) = :round AND o.id <> :run AND o.status IN ('running', 'releasing')) AS new"
            " FROM met m"
        ),
        {"changed": changed, "template": memory.template_id, "round": memory.round_id, "run": run_id or 0},
    )
    counted = session.execute(
        sa.text("SELECT count(*) FILTER (WHERE new), count(*) FILTER (WHERE NOT new) FROM judged")
    )
    new, known = counted.one()
    if not known:
        return New(None, False, new, known)
    fewer = new if new <= known else known
    if fewer > most:
        return New((), True, new, known)
    chosen = sa.text("SELECT texts FROM judged WHERE new = :wanted ORDER BY texts")
    keys = tuple(tuple(t) for (t,) in session.execute(chosen, {"wanted": new <= known}))
    return New(keys, new > known, new, known)


def put_pending(session: Session, run_id: int, attempt: int, only: Sequence[UUID] | None = None) -> None:
    """
    Keep the new records of `what_is_new`, in the same transaction, as those that the run holds; or only these of them.
    An attempt that was overtaken keeps nothing.
    """
    run = session.get(Run, run_id, with_for_update={"of": Run}, populate_existing=True)
    if run is None or run.attempt != attempt or run.status != "running":
        return
    drop_pending(session, run_id)
    session.execute(
        sa.text(
            "INSERT INTO remembering (run_id, key, row) SELECT :run, key, row FROM judged WHERE new"
            + ("" if only is None else " AND key = ANY(:only)")
        ),
        {"run": run_id, **({} if only is None else {"only": list(only)})},
    )


def drop_pending(session: Session, run_id: int) -> None:
    """
    Forget what a run held: it was not delivered.
    """
    session.execute(sa.delete(Remembering).where(Remembering.run_id == run_id))


def advance(session: Session, run: Run, now: datetime) -> None:
    """
    Remember what a run held, in the transaction that ends it as delivered.
    """
    if run.template_id is None:
        return
    session.execute(
        sa.text(
            "INSERT INTO remembered (template_id, round_id, key, row, sent_at, run_id)"
            " SELECT :template, :round, key, row, :now, run_id FROM remembering WHERE run_id = :run"
            " ON CONFLICT (template_id, round_id, key) DO UPDATE"
            " SET row = excluded.row, sent_at = excluded.sent_at, run_id = excluded.run_id"
        ),
        {"template": run.template_id, "round": run.round_id or 0, "now": now, "run": run.id},
    )
    drop_pending(session, run.id)


def take_back(session: Session, run: Run) -> None:
    """
    What a run sent counts as not sent: it was discarded.
    """
    drop_pending(session, run.id)
    session.execute(sa.delete(Remembered).where(Remembered.run_id == run.id))


def facts_of(session: Session, memory: Memory) -> tuple[int, datetime | None, datetime | None]:
    """
    (records, first sent, last sent) of a memory.
    """
    query = sa.select(sa.func.count(), sa.func.min(Remembered.sent_at), sa.func.max(Remembered.sent_at))
    count, first, last = session.execute(query.where(*_of(memory))).one()
    return count, first, last


def look_up(session: Session, memory: Memory, key: UUID) -> tuple[datetime, int | None] | None:
    """
    (when, in which run) a record was last sent; None where it was not.
    """
    query = sa.select(Remembered.sent_at, Remembered.run_id).where(*_of(memory), Remembered.key == key)
    found = session.execute(query).first()
    return (found[0], found[1]) if found is not None else None


def forget(
    session: Session, memory: Memory, *, keys: Sequence[UUID] | None = None, since: datetime | None = None
) -> int:
    """
    Forget records, so that they are sent again: these, those sent since a moment, or all. Returns how many.
    """
    conditions = [*_of(memory)]
    if keys is not None:
        conditions.append(Remembered.key.in_(keys))
    if since is not None:
        conditions.append(Remembered.sent_at >= since)
    gone = session.execute(sa.delete(Remembered).where(*conditions).returning(Remembered.key))
    return len(gone.all())


def mark(session: Session, memory: Memory, rows: Sequence[tuple[UUID, int]], now: datetime) -> int:
    """
    Remember records as sent that were not sent from here. Returns how many were not known before.
    """
    known = 0
    for key, row in rows:
        facts = {"template_id": memory.template_id, "round_id": memory.round_id, "key": key}
        if session.get(Remembered, tuple(facts.values())) is None:
            session.add(Remembered(**facts, row=row, sent_at=now, run_id=None))
            known += 1
    session.flush()
    return known


def _of(memory: Memory) -> list[sa.ColumnElement[bool]]:
    return [Remembered.template_id == memory.template_id, Remembered.round_id == memory.round_id]


def _cursor(session: Session) -> Any:
    connection: Any = session.connection().connection
    return connection.cursor()
