"""
Where records have gone: the keys that runs sent, and the runs that sent one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.memory import split_keys
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


def whereabout(session: Session, run: Run, holders: Mapping[int, bool]) -> Whereabout:
    """
    What became of a run's files with a record: the folder, the addresses that they were mailed to, and who took them.
    `holders` are the sets of keys that were kept of it, and whether the record is among them (`runs_that_sent`).
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
        tr("{target}, by mail", target=d.target) if d.mode == "mail" else tr("the folder, as {target}", target=d.target)
        for d in run.placings
        if d.done and _holds(holders, 0)
    ]
    arrived = [d for d in run.deliveries if d.state == "arrived" and _holds(holders, d.recipient_id)]
    went += [tr("{recipient}, by {means}", recipient=d.recipient.name, means=d.means.name) for d in arrived]
    went += [tr("{name}, who took it", name=name) for name, _ in session.execute(taken)]
    return Whereabout(
        run_id=run.id,
        name=run.name,
        asked_by=run.asked_by,
        at=run.finished_at or run.asked_at,
        files=tuple(
            dict.fromkeys(
                f.name
                for f in run.files
                if (f.role == "data" and _holds(holders, 0))
                or (f.recipient_id is not None and holders.get(f.recipient_id, False))
            )
        ),
        went_to=tuple(went),
        purpose=run.purpose,
    )


def _holds(holders: Mapping[int, bool], recipient_id: int) -> bool:
    return holders.get(recipient_id, holders.get(0, False))


def keep_keys(session: Session, run: Run, sent: Mapping[int, Sequence[tuple[str, bytes]]]) -> None:
    """
    Keep the keys of the records that a run's files hold, by record type, in the place of those of an earlier attempt:
    0 is for everybody but the recipients who are named themselves. An attempt that was overtaken keeps nothing.
    """
    attempt = session.scalar(sa.select(Run.attempt).where(Run.id == run.id).with_for_update())
    if attempt != run.attempt:
        return
    session.execute(sa.delete(SentKeysRecord).where(SentKeysRecord.run_id == run.id))
    for recipient_id, of_types in sent.items():
        for records, keys in of_types:
            if keys or recipient_id or len(sent) > 1:
                facts = {"run_id": run.id, "records": records, "recipient_id": recipient_id, "keys": keys}
                session.add(SentKeysRecord(**facts, source=run.source))


def keys_sent(session: Session, run_id: int, records: str) -> frozenset[bytes] | None:
    """
    The digests of the keys that a run sent to anybody; None where they were not kept.
    """
    query = sa.select(SentKeysRecord.keys).where(SentKeysRecord.run_id == run_id, SentKeysRecord.records == records)
    found = session.scalars(query).all()
    if not found:
        return None
    return frozenset[bytes]().union(*map(split_keys, found))


def runs_that_sent(
    session: Session, person: Person | None, source: str, records: str, digest: bytes, at_most: int = 100
) -> Sequence[tuple[Run, dict[int, bool]]]:
    """
    The runs whose files left with a record, newest first, of those that a person may see; all where none is given. With
    each: whether the record is in the files of the recipients who got others than everybody, and, as 0, in those.
    """
    place = sa.func.position(sa.cast(sa.literal(digest), sa.LargeBinary).op("IN")(SentKeysRecord.keys))
    of_type = (SentKeysRecord.source == source, SentKeysRecord.records == records)
    holds = place > sa.literal_column("0")
    query = sa.select(Run).where(
        Run.status.in_(_LEFT), Run.id.in_(sa.select(SentKeysRecord.run_id).where(*of_type, holds))
    )
    if person is not None:
        query = query.where(visible_runs(person))
    runs = session.scalars(query.order_by(Run.id.desc()).limit(at_most)).all()
    kept = sa.select(SentKeysRecord.run_id, SentKeysRecord.recipient_id, holds)
    kept = kept.where(*of_type, SentKeysRecord.run_id.in_([r.id for r in runs]))
    found: dict[int, dict[int, bool]] = {r.id: {} for r in runs}
    for run_id, recipient_id, held in session.execute(kept):
        found[run_id][recipient_id] = held
    return [(run, found[run.id]) for run in runs]
