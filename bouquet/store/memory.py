"""
The memory of what was sent: what is new in a run, what becomes of it when the run is delivered, and looking at it.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.memory import SeenRecords
from bouquet.store.models import Remembered, Remembering, Run

__all__ = [
    "Memory",
    "New",
    "advance",
    "drop_pending",
    "facts_of",
    "look_up",
    "put_pending",
    "take_back",
    "what_is_new",
]


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
    fewer; None where all is new. `new` and `known` count both. `gone`: where it was asked for, the keys of records that
    were sent and are no longer there, and `unnamed`, how many more there are whose keys were not kept.
    """

    keys: tuple[tuple[str, ...], ...] | None
    but: bool
    new: int
    known: int
    gone: tuple[tuple[str, ...], ...] = ()
    unnamed: int = 0


def what_is_new(
    session: Session,
    memory: Memory,
    records: Iterable[SeenRecords],
    *,
    changed: bool,
    most: int,
    run_id: int | None = None,
    gone: bool = False,
) -> New:
    """
    Hold the records that a file would have against what was sent; with `changed`, those whose rows differ are new
    again. What another run is about to deliver counts as sent. The new ones stay in a table of this transaction for
    `put_pending`, and with `gone` those that were sent and are not among the records. At most so many keys are told.

    Who judges for a run waits for others of the same memory, so that no two runs take a record at once.
    """
    whose = {"template": memory.template_id, "round": memory.round_id}
    if run_id is not None:
        session.execute(sa.text("SELECT pg_advisory_xact_lock(hashtextextended(:template || '/' || :round, 7))"), whose)
    session.execute(sa.text("CREATE TEMP TABLE fresh (key uuid PRIMARY KEY, row bigint, texts json) ON COMMIT DROP"))
    session.execute(sa.text("CREATE TEMP TABLE lost (key uuid PRIMARY KEY) ON COMMIT DROP"))
    if gone:
        session.execute(sa.text("CREATE TEMP TABLE there (key uuid PRIMARY KEY) ON COMMIT DROP"))
    new: list[tuple[str, ...]] = []
    known: list[tuple[str, ...]] = []
    count_new = count_known = 0
    for part in records:
        given = {"keys": "{" + ",".join(part.keys) + "}", "rows": "{" + ",".join(map(str, part.rows)) + "}"}
        asked = {**whose, **given, "texts": [json.dumps(t) for t in part.texts] if gone else []}
        if gone:
            session.execute(_THERE, asked)
            # What was sent before it was asked for can be named from now on.
            session.execute(_NAMED, asked)
        asked |= {"changed": changed, "run": run_id or 0}
        places = set(session.execute(_JUDGED, asked).scalars())
        count_new += len(places)
        count_known += len(part) - len(places)
        # The fewer of both are named in the end; more than can be named are not kept.
        if count_new <= most:
            new += [part.texts[n - 1] for n in sorted(places)]
        if count_known <= most:
            known += [t for n, t in enumerate(part.texts, 1) if n not in places]
    lost = [] if not gone else session.execute(_LOST, {**whose, "run": run_id or 0}).scalars().all()
    named = tuple(tuple(t) for t in lost if t is not None)
    unnamed = len(lost) - len(named)
    if not count_known:
        return New(None, False, count_new, count_known, named, unnamed)
    if min(count_new, count_known) > most:
        return New((), True, count_new, count_known, named, unnamed)
    chosen = new if count_new <= count_known else known
    return New(tuple(sorted(chosen)), count_new > count_known, count_new, count_known, named, unnamed)


#: That a run `o` of the same memory is about to deliver what it holds.
_UNDER_WAY = (
    "coalesce(o.round_id, 0) = :round AND o.id <> :run AND (o.status IN ('running', 'releasing')"
    " OR o.status = 'ready' AND EXISTS (SELECT FROM deliveries d WHERE d.run_id = o.id AND d.must"
    " AND d.state IN ('waiting', 'sending', 'trying', 'offered')))"
)

#: The places, from 1, of records that are new; they are entered in the table of this transaction.
_JUDGED = sa.text(
    "WITH given AS MATERIALIZED (SELECT * FROM"
    " unnest(CAST(:keys AS uuid[]), CAST(:rows AS bigint[]), CAST(:texts AS text[]))"
    " WITH ORDINALITY AS g(key, row, texts, place)),"
    " judged AS (SELECT g.* FROM given g"
    " WHERE NOT EXISTS (SELECT FROM remembered r WHERE r.template_id = :template AND r.round_id = :round"
    " AND r.key = g.key AND (NOT :changed OR r.row = g.row))"
    " AND NOT EXISTS (SELECT FROM remembering p JOIN runs o ON o.id = p.run_id WHERE p.key = g.key AND NOT p.gone"
    " AND (NOT :changed OR p.row = g.row) AND o.template_id = :template"
    f" AND {_UNDER_WAY})),"
    " entered AS (INSERT INTO fresh SELECT key, row, CAST(texts AS json) FROM judged ON CONFLICT (key) DO NOTHING)"
    " SELECT place FROM judged"
)

_THERE = sa.text("INSERT INTO there SELECT unnest(CAST(:keys AS uuid[])) ON CONFLICT DO NOTHING")

_NAMED = sa.text(
    "UPDATE remembered r SET texts = CAST(g.texts AS json)"
    " FROM unnest(CAST(:keys AS uuid[]), CAST(:texts AS text[])) AS g(key, texts)"
    " WHERE r.template_id = :template AND r.round_id = :round AND r.key = g.key AND r.texts IS NULL"
)

#: The keys, as texts, of what was sent and is not there any more, but what another run is about to tell.
_LOST = sa.text(
    "WITH told AS (INSERT INTO lost SELECT r.key FROM remembered r WHERE r.template_id = :template"
    " AND r.round_id = :round AND NOT EXISTS (SELECT FROM there t WHERE t.key = r.key)"
    " AND NOT EXISTS (SELECT FROM remembering p JOIN runs o ON o.id = p.run_id WHERE p.key = r.key AND p.gone"
    f" AND o.template_id = :template AND {_UNDER_WAY}) RETURNING key)"
    " SELECT r.texts FROM told JOIN remembered r ON r.template_id = :template AND r.round_id = :round"
    " AND r.key = told.key ORDER BY r.texts::text"
)


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
            "INSERT INTO remembering (run_id, key, row, texts) SELECT :run, key, row, texts FROM fresh"
            + ("" if only is None else " WHERE key = ANY(:only)")
        ),
        {"run": run_id, **({} if only is None else {"only": list(only)})},
    )
    # A record that is there again meanwhile is held as new, not as gone.
    gone = "INSERT INTO remembering (run_id, key, row, gone) SELECT :run, key, 0, true FROM lost ON CONFLICT DO NOTHING"
    session.execute(sa.text(gone), {"run": run_id})


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
            "WITH forgotten AS (DELETE FROM remembered r USING remembering p WHERE p.run_id = :run AND p.gone"
            " AND r.template_id = :template AND r.round_id = :round AND r.key = p.key)"
            " INSERT INTO remembered (template_id, round_id, key, row, sent_at, run_id, texts)"
            " SELECT :template, :round, key, row, :now, run_id, texts FROM remembering WHERE run_id = :run AND NOT gone"
            " ON CONFLICT (template_id, round_id, key) DO UPDATE"
            " SET row = excluded.row, sent_at = excluded.sent_at, run_id = excluded.run_id,"
            " texts = coalesce(excluded.texts, remembered.texts)"
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


def _of(memory: Memory) -> list[sa.ColumnElement[bool]]:
    return [Remembered.template_id == memory.template_id, Remembered.round_id == memory.round_id]
