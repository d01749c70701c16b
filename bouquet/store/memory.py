"""
The memory of what was sent: what is new in a run, what becomes of it when the run is delivered, and looking at it.
"""

from __future__ import annotations

import json
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import TypeVar
from uuid import UUID

import polars as pl
import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.memory import SeenRecords
from bouquet.store.models import UNDER_WAY, Remembered, Remembering, Run

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

_T = TypeVar("_T", bound=Hashable)


@dataclass(frozen=True)
class Memory:
    """
    Whose memory: a template's, as it is taken by hand (no round), or by one of its rounds; there each recipient has one
    of their own. No recipient is the folder of a round, those it mails to, or all recipients who get their own parts.
    """

    template_id: int
    round_id: int = 0
    recipient_id: int = 0


@dataclass(frozen=True)
class New:
    """
    What earlier files leave, for those readers of a memory for whom it is the same. `keys` are those of the new
    records, or, `but` for them, of the others, whichever are fewer; None where all is new. `new` and `known` count
    both. `gone`: where it was asked for, the keys of records that were sent and are no longer there, and `unnamed`, how
    many more there are whose keys were not kept.
    """

    readers: tuple[int, ...]
    keys: tuple[tuple[str, ...], ...] | None
    but: bool
    new: int
    known: int
    gone: tuple[tuple[str, ...], ...] = ()
    unnamed: int = 0


@dataclass
class _Alike:
    """
    Readers for whom the same records are new so far.
    """

    readers: list[int]
    #: Their keys, as texts.
    new: list[pl.DataFrame]
    known: list[pl.DataFrame]
    count_new: int = 0
    count_known: int = 0

    def parted(self, places: Mapping[int, list[int]]) -> list[_Alike]:
        """
        The same, by which of the next records are new for them.
        """
        found: dict[tuple[int, ...], list[int]] = {}
        for reader in self.readers:
            found.setdefault(tuple(places.get(reader, ())), []).append(reader)
        if len(found) == 1:
            return [self]
        return [
            _Alike(readers, self.new.copy(), self.known.copy(), self.count_new, self.count_known)
            for readers in found.values()
        ]

    def take(self, part: SeenRecords, places: Sequence[int], most: int) -> None:
        """
        Take in records, of which those at these places, from 1, are new. The fewer of both are named in the end; more
        than can be named are not kept.
        """
        at = pl.Series(places, dtype=pl.Int64) - 1
        is_new = pl.int_range(len(part), eager=True).is_in(at.implode())
        self.count_new += len(places)
        self.count_known += len(part) - len(places)
        if self.count_new <= most:
            self.new.append(part.known.filter(is_new))
        if self.count_known <= most:
            self.known.append(part.known.filter(~is_new))

    def result(self, most: int, readers: Sequence[int], lost: Sequence[tuple[str, ...] | None]) -> New:
        named = tuple(t for t in lost if t is not None)
        whole = New(tuple(readers), None, False, self.count_new, self.count_known, named, len(lost) - len(named))
        if not self.count_known:
            return whole
        if min(self.count_new, self.count_known) > most:
            return replace(whole, keys=(), but=True)
        chosen = self.new if self.count_new <= self.count_known else self.known
        keys = tuple(sorted(row for frame in chosen for row in frame.iter_rows()))
        return replace(whole, keys=keys, but=self.count_new > self.count_known)


def what_is_new(
    session: Session,
    memory: Memory,
    readers: Mapping[int, bool],
    records: Iterable[SeenRecords],
    *,
    most: int,
    run_id: int | None = None,
    gone: bool = False,
    starting: bool = False,
) -> list[New]:
    """
    Hold the records that a file would have against what was sent. `readers` are whose memories of this round are looked
    into, by recipient, and whether records whose rows differ are new to them again. What another run is about to
    deliver counts as sent; `starting`, for what starts a run, also what could not be delivered: it goes out with the
    next one. With `run_id` the new ones stay in a table of this transaction for `put_pending`, and with `gone` those
    that were sent and are not among the records. At most so many keys are told.

    Who judges for a run waits for others of the same round, so that no two runs take a record at once.
    """
    whose: dict[str, object] = {"template": memory.template_id, "round": memory.round_id}
    if run_id is not None:
        session.execute(sa.text("SELECT pg_advisory_xact_lock(hashtextextended(:template || '/' || :round, 7))"), whose)
    for table in _TABLES:
        session.execute(sa.text(f"CREATE TEMP TABLE {table} ON COMMIT DROP"))
    whose |= {"readers": list(readers), "changed": list(readers.values()), "run": run_id or 0}
    states = [*UNDER_WAY, "failed"] if starting else list(UNDER_WAY)
    held = session.execute(_UNDER_WAY, {**whose, "states": states}).all()
    whose |= {"held": [run for run, _ in held], "holders": [reader for _, reader in held]}
    judged = _judging(held=bool(held), kept=run_id is not None)
    alike = [_Alike(list(readers), [], [])]
    for part in records:
        given = {"keys": "{" + ",".join(part.keys) + "}", "rows": "{" + ",".join(map(str, part.rows)) + "}"}
        asked = {**whose, **given, "texts": [json.dumps(t) for t in part.texts] if gone else []}
        if gone:
            session.execute(_THERE, asked)
            # What was sent before it was asked for can be named from now on.
            session.execute(_NAMED, asked)
        places: dict[int, list[int]] = {}
        for reader, place in session.execute(judged, asked):
            places.setdefault(reader, []).append(place)
        for found in places.values():
            found.sort()
        alike = [one for several in alike for one in several.parted(places)]
        for one in alike:
            one.take(part, places.get(one.readers[0], ()), most)
    lost = _lost(session, whose) if gone else {}
    return [
        one.result(most, same, told)
        for one in alike
        for told, same in _by_value(one.readers, {r: tuple(lost.get(r, ())) for r in one.readers})
    ]


def _by_value(readers: Sequence[int], values: Mapping[int, _T]) -> Iterable[tuple[_T, list[int]]]:
    """
    Readers, by what they have the same of.
    """
    found: dict[_T, list[int]] = {}
    for reader in readers:
        found.setdefault(values[reader], []).append(reader)
    return found.items()


def _lost(session: Session, whose: dict[str, object]) -> dict[int, list[tuple[str, ...] | None]]:
    """
    By reader, the keys of what was sent to them and is not there any more; None for a key that was not kept.
    """
    found: dict[int, list[tuple[str, ...] | None]] = {}
    for reader, texts in session.execute(_LOST, whose):
        found.setdefault(reader, []).append(tuple(texts) if texts is not None else None)
    return found


#: What is new, what is gone, and what is there, in this transaction.
_TABLES = (
    "fresh (recipient_id bigint, key uuid, row bigint, texts json, PRIMARY KEY (recipient_id, key))",
    "lost (recipient_id bigint, key uuid, PRIMARY KEY (recipient_id, key))",
    "there (key uuid PRIMARY KEY)",
)

_READERS = "unnest(CAST(:readers AS bigint[]), CAST(:changed AS boolean[])) AS w(recipient, changed)"

#: (run, reader) for whom other runs of a memory hold what they are about to deliver.
_UNDER_WAY = sa.text(
    f"SELECT o.id, w.recipient FROM runs o CROSS JOIN {_READERS}"
    " WHERE o.template_id = :template AND coalesce(o.round_id, 0) = :round AND o.id <> :run"
    " AND (o.status IN ('running', 'releasing') OR o.status = 'ready' AND EXISTS (SELECT FROM deliveries d"
    " WHERE d.run_id = o.id AND d.state = ANY(:states)"
    " AND CASE w.recipient WHEN 0 THEN d.must ELSE d.recipient_id = w.recipient END))"
    " AND EXISTS (SELECT FROM remembering p WHERE p.run_id = o.id AND p.recipient_id = w.recipient)"
)

_HELD = "unnest(CAST(:held AS bigint[]), CAST(:holders AS bigint[])) AS h(run, recipient)"


def _judging(*, held: bool, kept: bool) -> sa.TextClause:
    """
    (reader, place from 1) of records that are new for a reader; `kept`, they are entered in the table of this
    transaction. `held`: other runs hold some.
    """
    pending = (
        f" AND NOT EXISTS (SELECT FROM {_HELD} JOIN remembering p ON p.run_id = h.run AND p.recipient_id = h.recipient"
        " WHERE h.recipient = w.recipient AND p.key = g.key AND NOT p.gone AND (NOT w.changed OR p.row = g.row))"
    )
    entered = (
        ", entered AS (INSERT INTO fresh SELECT recipient, key, row, CAST(texts AS json) FROM judged"
        " ON CONFLICT DO NOTHING)"
    )
    return sa.text(
        "WITH given AS MATERIALIZED (SELECT * FROM"
        " unnest(CAST(:keys AS uuid[]), CAST(:rows AS bigint[]), CAST(:texts AS text[]))"
        " WITH ORDINALITY AS g(key, row, texts, place)),"
        f" judged AS (SELECT w.recipient, g.* FROM {_READERS} CROSS JOIN given g"
        " WHERE NOT EXISTS (SELECT FROM remembered r WHERE r.template_id = :template AND r.round_id = :round"
        " AND r.recipient_id = w.recipient AND r.key = g.key AND (NOT w.changed OR r.row = g.row))"
        f"{pending if held else ''}){entered if kept else ''} SELECT recipient, place FROM judged"
    )


_THERE = sa.text("INSERT INTO there SELECT unnest(CAST(:keys AS uuid[])) ON CONFLICT DO NOTHING")

_NAMED = sa.text(
    "UPDATE remembered r SET texts = CAST(g.texts AS json)"
    " FROM unnest(CAST(:keys AS uuid[]), CAST(:texts AS text[])) AS g(key, texts)"
    " WHERE r.template_id = :template AND r.round_id = :round AND r.key = g.key AND r.texts IS NULL"
)

#: (reader, key as texts) of what was sent to them and is not there any more, but what another run is about to tell.
_LOST = sa.text(
    "WITH told AS (INSERT INTO lost SELECT r.recipient_id, r.key FROM remembered r WHERE r.template_id = :template"
    " AND r.round_id = :round AND r.recipient_id = ANY(CAST(:readers AS bigint[]))"
    " AND NOT EXISTS (SELECT FROM there t WHERE t.key = r.key)"
    f" AND NOT EXISTS (SELECT FROM {_HELD} JOIN remembering p ON p.run_id = h.run AND p.recipient_id = h.recipient"
    " WHERE h.recipient = r.recipient_id AND p.key = r.key AND p.gone) RETURNING recipient_id, key)"
    " SELECT told.recipient_id, r.texts FROM told JOIN remembered r ON r.template_id = :template"
    " AND r.round_id = :round AND r.recipient_id = told.recipient_id AND r.key = told.key ORDER BY r.texts::text"
)


def put_pending(session: Session, run_id: int, attempt: int, only: Mapping[int, Sequence[UUID]] | None = None) -> None:
    """
    Keep the new records of `what_is_new`, in the same transaction, as those that the run holds; for the readers in
    `only` these of them. An attempt that was overtaken keeps nothing.
    """
    run = session.get(Run, run_id, with_for_update={"of": Run}, populate_existing=True)
    if run is None or run.attempt != attempt or run.status != "running":
        return
    drop_pending(session, run_id)
    for reader, keys in (only or {}).items():
        cut = sa.text("DELETE FROM fresh WHERE recipient_id = :reader AND NOT key = ANY(:only)")
        session.execute(cut, {"reader": reader, "only": list(keys)})
    kept = (
        "INSERT INTO remembering (run_id, recipient_id, key, row, texts)"
        " SELECT :run, recipient_id, key, row, texts FROM fresh"
    )
    session.execute(sa.text(kept), {"run": run_id})
    # A record that is there again meanwhile is held as new, not as gone.
    gone = (
        "INSERT INTO remembering (run_id, recipient_id, key, row, gone) SELECT :run, recipient_id, key, 0, true"
        " FROM lost ON CONFLICT DO NOTHING"
    )
    session.execute(sa.text(gone), {"run": run_id})


def drop_pending(session: Session, run_id: int, recipient_id: int | None = None) -> None:
    """
    Forget what a run held, for one reader or for all: it was not delivered.
    """
    statement = sa.delete(Remembering).where(Remembering.run_id == run_id)
    if recipient_id is not None:
        statement = statement.where(Remembering.recipient_id == recipient_id)
    session.execute(statement)


def advance(session: Session, run: Run, recipient_id: int, now: datetime, only: Iterable[bytes] | None = None) -> None:
    """
    Remember what a run held for a reader, in the transaction in which it is delivered to them. What a later run
    delivered meanwhile stays as it was then. `only` are the first eight bytes of the keys that were delivered, where
    these are not all.
    """
    if run.template_id is None:
        return
    of_part = ""
    if only is not None:
        session.execute(sa.text("CREATE TEMP TABLE IF NOT EXISTS parted (digest bytea PRIMARY KEY) ON COMMIT DROP"))
        session.execute(sa.text("DELETE FROM parted"))
        session.execute(sa.text("INSERT INTO parted SELECT unnest(CAST(:only AS bytea[]))"), {"only": list(only)})
        of_part = " AND NOT p.gone AND substring(uuid_send(p.key) FOR 8) IN (SELECT digest FROM parted)"
    session.execute(
        sa.text(
            "WITH forgotten AS (DELETE FROM remembered r USING remembering p WHERE p.run_id = :run"
            f" AND p.recipient_id = :reader AND p.gone{of_part} AND r.template_id = :template AND r.round_id = :round"
            " AND r.recipient_id = :reader AND r.key = p.key)"
            " INSERT INTO remembered AS r (template_id, round_id, recipient_id, key, row, sent_at, run_id, texts)"
            " SELECT :template, :round, :reader, key, row, :now, run_id, texts FROM remembering p"
            f" WHERE run_id = :run AND recipient_id = :reader AND NOT gone{of_part}"
            " ON CONFLICT (template_id, round_id, recipient_id, key) DO UPDATE"
            " SET row = excluded.row, sent_at = excluded.sent_at, run_id = excluded.run_id,"
            " texts = coalesce(excluded.texts, r.texts)"
            " WHERE r.run_id IS NULL OR r.run_id <= excluded.run_id"
        ),
        {
            "template": run.template_id,
            "round": run.round_id or 0,
            "reader": recipient_id,
            "now": now,
            "run": run.id,
        },
    )
    if only is None:
        drop_pending(session, run.id, recipient_id)
    else:
        delivered = f"DELETE FROM remembering p WHERE run_id = :run AND recipient_id = :reader{of_part}"
        session.execute(sa.text(delivered), {"run": run.id, "reader": recipient_id})


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
    return [
        Remembered.template_id == memory.template_id,
        Remembered.round_id == memory.round_id,
        Remembered.recipient_id == memory.recipient_id,
    ]
