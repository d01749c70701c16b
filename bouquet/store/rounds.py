"""
Rounds as the store keeps them.
"""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.errors import NotFound
from bouquet.store.models import Round

__all__ = ["SOURCE_CHANGED", "get_round", "list_rounds", "rounds_of"]

#: Why a round paused by itself: the source no longer gives what its template asks for.
SOURCE_CHANGED = "source"


def list_rounds(session: Session) -> list[Round]:
    """
    All rounds, the next one first.
    """
    query = sa.select(Round).where(Round.deleted_at.is_(None)).order_by(Round.paused, Round.next_at)
    return list(session.scalars(query))


def rounds_of(session: Session, template_id: int) -> list[Round]:
    """
    The rounds that run a template.
    """
    return list(session.scalars(sa.select(Round).where(Round.deleted_at.is_(None), Round.template_id == template_id)))


def get_round(session: Session, round_id: int) -> Round:
    """
    One round. Raises NotFound.
    """
    found = session.get(Round, round_id)
    if found is None or found.deleted_at is not None:
        msg = "There is no such round, or it was removed."
        raise NotFound(msg)
    return found
