"""
The journal: added to, sealed, read, and held against its seals.

Entries are written in the transaction of whoever acts, without waiting for each other. A worker seals what was
committed since: each seal is the SHA-256 of its entries and of the seal before, so that an entry that was changed,
removed or slipped in later is seen by whoever verifies (the idea of RFC 6962, as one chain). What is older than the
house's rule goes with all that is under its seal; the seal stays, so that the chain holds.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import takewhile
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.models import JournalEntry, JournalRetired, JournalSeal, JournalSealed

__all__ = ["JournalFilter", "Verified", "add_entry", "list_entries", "retire_entries", "seal_entries", "verify_journal"]

#: Entries under one seal at most, and the lock by which one worker seals.
MOST_SEALED, LOCK = 5_000, 0x6A6F7572

#: Seals whose entries are let go at a time.
MOST_RETIRED = 50

#: What stands before the first seal.
BEGINNING = "0" * 64

#: Days that the database keeps of it whatever the rule says.
YEAR = 365

#: Seconds by which clocks of several machines may differ.
CLOCKS = 300


@dataclass(frozen=True)
class JournalFilter:
    """
    Which entries are listed; nothing given is every one.
    """

    person_id: int | None = None
    act: str | None = None
    thing: str | None = None
    thing_id: str | None = None
    search: str | None = None
    since: datetime | None = None
    until: datetime | None = None
    before: int | None = None


@dataclass(frozen=True)
class Verified:
    """
    What came of holding the journal against its seals: entries and seals that were looked at, entries that are not
    sealed yet, those that were let go by the house's rule, what is wrong, in words, and the digest of the newest seal,
    to be kept elsewhere.
    """

    entries: int
    seals: int
    waiting: int
    retired: int
    wrong: tuple[str, ...]
    digest: str


def add_entry(
    session: Session,
    now: datetime,
    act: str,
    *,
    who: str,
    via: str,
    person_id: int | None = None,
    address: str = "",
    thing: str = "",
    thing_id: object = "",
    name: str = "",
    facts: Mapping[str, Any] | None = None,
) -> None:
    """
    Write an act down.
    """
    session.add(
        JournalEntry(
            at=now,
            person_id=person_id,
            who=who[:200],
            via=via,
            address=address[:100],
            act=act[:100],
            thing=thing[:100],
            thing_id=str(thing_id)[:200],
            name=name[:200],
            facts=dict(facts or {}),
        )
    )


def list_entries(session: Session, wanted: JournalFilter, at_most: int = 100) -> Sequence[JournalEntry]:
    """
    Entries, the newest first.
    """
    query = sa.select(JournalEntry).order_by(JournalEntry.id.desc()).limit(at_most)
    for column, value in (
        (JournalEntry.person_id, wanted.person_id),
        (JournalEntry.act, wanted.act),
        (JournalEntry.thing, wanted.thing),
        (JournalEntry.thing_id, wanted.thing_id),
    ):
        if value is not None:
            query = query.where(column == value)
    if wanted.search:
        like = f"%{wanted.search.replace('%', '').replace('_', ' ')}%"
        named = (JournalEntry.who.ilike(like), JournalEntry.act.ilike(like), JournalEntry.name.ilike(like))
        query = query.where(sa.or_(*named))
    if wanted.since is not None:
        query = query.where(JournalEntry.at >= wanted.since)
    if wanted.until is not None:
        query = query.where(JournalEntry.at < wanted.until)
    if wanted.before is not None:
        query = query.where(JournalEntry.id < wanted.before)
    return session.scalars(query).all()


def seal_entries(session: Session, now: datetime) -> int:
    """
    Seal what was written since the last seal. Returns how many entries; none while another worker does it.
    """
    if not session.scalar(sa.text("SELECT pg_try_advisory_xact_lock(:lock)"), {"lock": LOCK}):
        return 0
    query = sa.select(JournalEntry).where(~_is_sealed()).order_by(JournalEntry.id).limit(MOST_SEALED)
    entries = session.scalars(query).all()
    if not entries:
        return 0
    last = session.scalars(sa.select(JournalSeal).order_by(JournalSeal.id.desc()).limit(1)).first()
    previous = last.digest if last is not None else BEGINNING
    seal = JournalSeal(at=now, entries=len(entries), previous=previous, digest=_digest(previous, entries))
    session.add(seal)
    session.flush()
    session.execute(sa.insert(JournalSealed), [{"entry_id": e.id, "seal_id": seal.id} for e in entries])
    return len(entries)


def retire_entries(session: Session, now: datetime, days: int) -> int:
    """
    Let go of entries that are older than so many days, of a few seals at a time. Returns how many; none while another
    worker does it. The database refuses what is younger than a year.
    """
    if not session.scalar(sa.text("SELECT pg_try_advisory_xact_lock(:lock)"), {"lock": LOCK}):
        return 0
    kept = ~sa.exists().where(JournalRetired.seal_id == JournalSeal.id)
    first = session.scalars(sa.select(JournalSeal).where(kept).order_by(JournalSeal.id).limit(MOST_RETIRED))
    # Nothing behind one that is kept goes, also where clocks differed when they were made.
    seals = list(takewhile(lambda seal: seal.at < now - timedelta(days=days), first))
    if not seals:
        return 0
    for seal in seals:
        session.add(JournalRetired(seal_id=seal.id, at=now))
        session.flush()
    under = sa.select(JournalSealed.entry_id).where(JournalSealed.seal_id.in_([s.id for s in seals]))
    session.execute(sa.delete(JournalEntry).where(JournalEntry.id.in_(under)))
    retired = sum(s.entries for s in seals)
    facts = {"entries": retired, "days": days, "until": seals[-1].at.isoformat()}
    add_entry(session, now, "let old entries of the journal go", who="Bouquet", via="house", facts=facts)
    return retired


def verify_journal(session: Session, now: datetime) -> Verified:
    """
    Hold every entry against its seal, and every seal against the one before.
    """
    wrong: list[str] = []
    previous, entries, seals, retired = BEGINNING, 0, 0, 0
    before: datetime | None = None
    gone = set(session.scalars(sa.select(JournalRetired.seal_id)))
    for seal in session.scalars(sa.select(JournalSeal).order_by(JournalSeal.id).execution_options(yield_per=100)):
        under = sa.select(JournalEntry).join(JournalSealed, JournalSealed.entry_id == JournalEntry.id)
        found = session.scalars(under.where(JournalSealed.seal_id == seal.id).order_by(JournalEntry.id)).all()
        entries, seals = entries + len(found), seals + 1
        if seal.previous != previous:
            wrong.append(f"seal {seal.id} does not follow the one before: a seal was removed or changed")
        if before is not None and (before - seal.at).total_seconds() > CLOCKS:
            wrong.append(f"seal {seal.id} says that it is older than the one before it")
        if seal.id in gone and not found:
            retired += seal.entries
            if (now - seal.at).days < YEAR:
                wrong.append(f"the entries under seal {seal.id} are gone, and are younger than a year")
        elif len(found) != seal.entries:
            wrong.append(f"under seal {seal.id} there are {len(found):,} entries, and there were {seal.entries:,}")
        elif _digest(seal.previous, found) != seal.digest:
            wrong.append(f"an entry under seal {seal.id} ({seal.at:%Y-%m-%d %H:%M} UTC) was changed")
        late = [e for e in found if before is not None and (before - e.at).total_seconds() > CLOCKS]
        if late:
            wrong.append(f"entry {late[0].id} says that it is older than the seal before it: it was slipped in later")
        previous, before = seal.digest, seal.at
        for entry in found:
            session.expunge(entry)
    waiting = session.scalar(sa.select(sa.func.count()).select_from(JournalEntry).where(~_is_sealed())) or 0
    return Verified(entries + waiting, seals, waiting, retired, tuple(wrong[:100]), previous)


def _is_sealed() -> sa.Exists:
    return sa.exists().where(JournalSealed.entry_id == JournalEntry.id)


def _digest(previous: str, entries: Iterable[JournalEntry]) -> str:
    made = hashlib.sha256(previous.encode())
    for e in entries:
        told = [e.id, e.at.astimezone(UTC).isoformat(), e.person_id, e.who, e.via, e.address, e.act]
        whole = [*told, e.thing, e.thing_id, e.name, e.facts]
        text = json.dumps(whole, sort_keys=True, ensure_ascii=False, separators=(",", ":"))
        made.update(hashlib.sha256(text.encode()).digest())
    return made.hexdigest()
