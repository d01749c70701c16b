"""
What people are told: of their runs, and of the house.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bouquet.store.models import Notice

__all__ = ["list_notices", "notify", "read_notices", "tell"]


def notify(session: Session, person_ids: Iterable[int | None], run_id: int, text: str, now: datetime) -> None:
    """
    Tell people something about a run. What is newest of a run is what its notice says: a changed one is marked unread.
    """
    facts = {"text": text, "created_at": now, "read_at": None}
    for person_id in dict.fromkeys(p for p in person_ids if p is not None):
        entered = insert(Notice).values(person_id=person_id, run_id=run_id, **facts)
        session.execute(entered.on_conflict_do_update(index_elements=["person_id", "run_id"], set_=facts))


def tell(session: Session, person_ids: Iterable[int | None], link: str, text: str, now: datetime) -> None:
    """
    Tell people something that is about no run; `link` is the place of the interface that it leads to.
    """
    for person_id in dict.fromkeys(p for p in person_ids if p is not None):
        session.add(Notice(person_id=person_id, run_id=None, link=link, text=text, created_at=now))


def list_notices(session: Session, person_id: int, at_most: int = 20) -> list[Notice]:
    """
    A person's notices, newest first.
    """
    query = sa.select(Notice).where(Notice.person_id == person_id).order_by(Notice.id.desc()).limit(at_most)
    return list(session.scalars(query))


def read_notices(session: Session, person_id: int, now: datetime) -> None:
    """
    Mark all of a person's notices as read.
    """
    query = sa.update(Notice).where(Notice.person_id == person_id, Notice.read_at.is_(None))
    session.execute(query.values(read_at=now))
