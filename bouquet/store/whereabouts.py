"""
Where records have gone: the keys that runs sent, and the runs that sent one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.models import Download, Person, Run, RunFile, SentKeysRecord
from bouquet.store.runs import visible_runs

__all__ = ["Whereabout", "keep_keys", "keys_sent", "runs_that_sent", "whereabout"]

#: What a run may have become for its files to have left: those that are held or failed never did.
_LEFT = ("ready", "releasing")


@dataclass(frozen=True)
class Whereabout:
    """
    A run whose files left: `went_to` says where, in words.
    """

    run_id: int
    name: str
    asked_by: str
    at: datetime
    files: tuple[str, ...]
    went_to: tuple[str, ...]
    purpose: str


def whereabout(session: Session, run: Run) -> Whereabout:
    """
    What became of a run's files: the folder, the addresses that they were mailed to, and who took them.
    """
    taken = (
        sa.select(Person.name, sa.func.min(Download.taken_at).label("first"))
        .join(Download, Download.person_id == Person.id)
        .join(RunFile, RunFile.id == Download.run_file_id)
        .where(RunFile.run_id == run.id)
        .group_by(Person.name)
        .order_by("first")
    )
    went = [
        f"{d.target}, by mail" if d.mode == "mail" else f"the folder, as {d.target}" for d in run.placings if d.done
    ]
    went += [f"{d.recipient.name}, by {d.recipient.means.name}" for d in run.deliveries if d.state == "arrived"]
    went += [f"{name}, who took it" for name, _ in session.execute(taken)]
    return Whereabout(
        run_id=run.id,
        name=run.name,
        asked_by=run.asked_by,
        at=run.finished_at or run.asked_at,
        files=tuple(f.name for f in run.files if f.role == "data"),
        went_to=tuple(went),
        purpose=run.purpose,
    )


def keep_keys(session: Session, run: Run, sent: Sequence[tuple[str, bytes]]) -> None:
    """
    Keep the keys of the records that a run's files hold, in the place of those of an earlier attempt. An attempt that
    was overtaken keeps nothing.
    """
    known = session.get(Run, run.id, with_for_update={"of": Run}, populate_existing=True)
    if known is None or known.attempt != run.attempt:
        return
    session.execute(sa.delete(SentKeysRecord).where(SentKeysRecord.run_id == run.id))
    for records, keys in sent:
        if keys:
            session.add(SentKeysRecord(run_id=run.id, records=records, source=run.source, keys=keys))


def keys_sent(session: Session, run_id: int, records: str) -> frozenset[bytes] | None:
    """
    The digests of the keys that a run sent; None where they were not kept.
    """
    found = session.get(SentKeysRecord, (run_id, records))
    if found is None:
        return None
    return frozenset(found.keys[n : n + 8] for n in range(0, len(found.keys), 8))


def runs_that_sent(
    session: Session, person: Person | None, source: str, records: str, digest: bytes, at_most: int = 100
) -> Sequence[Run]:
    """
    The runs whose files left with a record, newest first, of those that a person may see; all where none is given.
    """
    place = sa.func.position(sa.cast(sa.literal(digest), sa.LargeBinary).op("IN")(SentKeysRecord.keys))
    query = (
        sa.select(Run)
        .join(SentKeysRecord, SentKeysRecord.run_id == Run.id)
        .where(
            SentKeysRecord.source == source,
            SentKeysRecord.records == records,
            Run.status.in_(_LEFT),
            place > sa.literal_column("0"),
        )
    )
    if person is not None:
        query = query.where(visible_runs(person))
    return session.scalars(query.order_by(Run.id.desc()).limit(at_most)).all()
