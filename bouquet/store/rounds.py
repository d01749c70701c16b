"""
Rounds as the store keeps them.
"""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.recurrence import NO_DAYS_OFF, DaysOff, Rhythm, read_rhythm
from bouquet.store.errors import NotFound
from bouquet.store.house import days_off
from bouquet.store.models import Round

__all__ = ["NEVER", "SOURCE_CHANGED", "first_moment", "get_round", "let_go_on", "list_rounds", "rhythm_of", "rounds_of"]

#: When a round is planned next whose rhythm has ended.
NEVER = datetime(9999, 1, 1, tzinfo=UTC)

#: Why a round paused by itself: the source no longer gives what its template asks for.
SOURCE_CHANGED = "source"


def list_rounds(session: Session) -> list[Round]:
    """
    All rounds, the next one first.
    """
    query = sa.select(Round).where(Round.deleted_at.is_(None)).order_by(Round.paused, Round.next_at)
    return list(session.scalars(query))


def rhythm_of(round_: Round, off: DaysOff = NO_DAYS_OFF) -> Rhythm:
    """
    The rhythm of a round, with the house's days off.
    """
    return Rhythm(read_rhythm(round_.rhythm), ZoneInfo(round_.zone), off)


def first_moment(session: Session, round_: Round, now: datetime) -> datetime:
    """
    The first planned moment from now on; never, for a round that the calendar does not start.
    """
    if round_.trigger != "calendar":
        return NEVER
    return next(rhythm_of(round_, days_off(session)).after(now), NEVER)


def let_go_on(session: Session, found: Round, now: datetime) -> None:
    """
    Have a paused round go on from now; what it missed while paused is not made up for.
    """
    if found.paused:
        found.next_at = first_moment(session, found, now)
        # What ended while it was paused does not start it.
        found.since = now
        found.look_at = now if found.trigger in ("appears", "closes") else None
        # Nor does what came to meet the condition.
        found.found = {"baseline": True} if found.trigger == "closes" else None
    found.paused, found.paused_for, found.paused_until = False, "", None


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
        msg = tr("There is no such round, or it was removed.")
        raise NotFound(msg)
    return found
