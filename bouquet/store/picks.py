"""
Saved, hand-picked lists of records.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.errors import NotFound
from bouquet.store.models import Picks

__all__ = ["find_picks", "list_picks", "put_picks", "remove_picks"]


def list_picks(session: Session, records: str | None = None) -> Sequence[Picks]:
    """
    All saved lists, or those of one record type, by name.
    """
    query = sa.select(Picks).order_by(sa.func.lower(Picks.name))
    return session.scalars(query if records is None else query.where(Picks.records == records)).all()


def find_picks(session: Session, name: str) -> Picks | None:
    """
    A saved list by its name, without regard to case.
    """
    return session.scalars(sa.select(Picks).where(sa.func.lower(Picks.name) == name.lower())).first()


def put_picks(
    session: Session, *, name: str, records: str, keys: Sequence[Sequence[str]], owner_id: int, now: datetime
) -> Picks:
    """
    Save a list under a name; an earlier one of that name is replaced. `keys` are the records' keys as texts.
    """
    picks = find_picks(session, name)
    if picks is None:
        picks = Picks(name=name, owner_id=owner_id)
        session.add(picks)
    unique = list(dict.fromkeys(tuple(map(str, k)) for k in keys))
    picks.records, picks.keys, picks.changed_at = records, [list(k) for k in unique], now
    session.flush()
    return picks


def remove_picks(session: Session, name: str) -> None:
    """
    Remove a saved list. Raises NotFound. Templates that name it say so when they are looked at.
    """
    picks = find_picks(session, name)
    if picks is None:
        msg = f"There is no saved list “{name}”."
        raise NotFound(msg)
    session.delete(picks)
