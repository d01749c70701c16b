"""
Saved, hand-picked lists of records.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NotFound, NotPossible, NotYours
from bouquet.store.models import Person, Picks
from bouquet.store.sharing import Entry, checked_entries, is_shared_with

__all__ = ["changes", "find_picks", "list_picks", "owns", "put_picks", "remove_picks", "restore_picks", "share_picks"]


def list_picks(session: Session, records: str | None = None, *, source: str = "") -> Sequence[Picks]:
    """
    All saved lists of a source, or those of one record type, by name.
    """
    query = sa.select(Picks).where(Picks.deleted_at.is_(None), Picks.source == source)
    query = query.order_by(sa.func.lower(Picks.name))
    return session.scalars(query if records is None else query.where(Picks.records == records)).all()


def find_picks(session: Session, name: str) -> Picks | None:
    """
    A saved list by its name, without regard to case.
    """
    named = sa.select(Picks).where(sa.func.lower(Picks.name) == name.lower(), Picks.deleted_at.is_(None))
    return session.scalars(named).first()


def put_picks(
    session: Session,
    *,
    name: str,
    records: str,
    keys: Sequence[Sequence[str]],
    owner: Person,
    now: datetime,
    source: str = "",
) -> Picks:
    """
    Save a list under a name; an earlier one of that name is replaced. `keys` are the records' keys as texts.

    Raises NotYours where the earlier one is somebody else's, unless the person is a keeper, and NotPossible where it is
    of another source.
    """
    picks = find_picks(session, name)
    if picks is None:
        try:
            with session.begin_nested():
                picks = Picks(name=name, source=source, owner_id=owner.id, records=records, keys=[], changed_at=now)
                session.add(picks)
        except IntegrityError:
            # Saved twice at once: the other one was first.
            picks = find_picks(session, name)
            if picks is None:
                raise
    _check_owner(picks, owner)
    if picks.source != source:
        raise NotPossible(tr("The list “{name}” is of another source. Save this one under another name.", name=name))
    unique = list(dict.fromkeys(tuple(map(str, k)) for k in keys))
    picks.records, picks.keys, picks.changed_at = records, [list(k) for k in unique], now
    session.flush()
    return picks


def changes(picks: Picks, person: Person) -> bool:
    """
    Whether a list is a person's to change: its owner's, with whom they share that, and the keepers'.
    """
    return owns(picks, person) or is_shared_with(picks.shared_with, person)


def owns(picks: Picks, person: Person) -> bool:
    """
    Whether a person says who changes a list.
    """
    return picks.owner_id == person.id or "keeper" in person.roles


def share_picks(session: Session, name: str, by: Person, entries: Sequence[Entry]) -> Picks:
    """
    Say who changes a list beside its owner. Raises NotFound, and NotYours for all but its owner and the keepers.
    """
    picks = _found(session, name)
    if not owns(picks, by):
        raise NotYours(tr("The list “{picks}” is somebody else's.", picks=picks.name))
    picks.shared_with = checked_entries(session, entries)
    return picks


def remove_picks(session: Session, name: str, by: Person, now: datetime) -> Picks:
    """
    Remove a saved list; it can be brought back. Raises NotFound and NotYours. Templates that name it say so when they
    are looked at.
    """
    picks = _found(session, name)
    _check_owner(picks, by)
    picks.deleted_at = now
    return picks


def restore_picks(session: Session, picks_id: int, by: Person) -> Picks:
    """
    Bring back a removed list. Raises NotFound, NotYours, and NotPossible where another has its name by now.
    """
    picks = session.get(Picks, picks_id)
    if picks is None or picks.deleted_at is None:
        msg = tr("There is no such removed list.")
        raise NotFound(msg)
    _check_owner(picks, by)
    if find_picks(session, picks.name) is not None:
        msg = tr("Another list is called “{picks}” by now.", picks=picks.name)
        raise NotPossible(msg)
    picks.deleted_at = None
    return picks


def _found(session: Session, name: str) -> Picks:
    picks = find_picks(session, name)
    if picks is None:
        raise NotFound(tr("There is no saved list “{name}”.", name=name))
    return picks


def _check_owner(picks: Picks, person: Person) -> None:
    if not changes(picks, person):
        msg = tr(
            "The list “{picks}” is somebody else's; save yours under another name.",
            picks=picks.name,
        )
        raise NotYours(msg)
