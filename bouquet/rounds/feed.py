"""
Rounds in people's own calendars: planned and past moments as iCalendar (RFC 5545), at a private address.
"""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime, timedelta
from itertools import takewhile
from typing import TYPE_CHECKING

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.errors import BouquetError
from bouquet.core.recurrence import DaysOff
from bouquet.rights import may
from bouquet.rounds.calendar import rhythm_of, rhythm_words
from bouquet.store.house import days_off
from bouquet.store.models import Occurrence, Person, Round, Run
from bouquet.store.rounds import NEVER, list_rounds

if TYPE_CHECKING:
    from icalendar import Event

__all__ = ["drop_feed", "feed_of", "new_feed", "person_of_feed"]

#: Days that a feed shows ahead and behind, and moments of one round at most.
DAYS, MOST = 62, 200

#: How long a moment is in a calendar: runs take minutes.
LENGTH = timedelta(minutes=15)

_ENDED = {
    "ready": "went well",
    "held": "waits for review",
    "failed": "failed",
    "cancelled": "was cancelled",
    "discarded": "was discarded",
}


def new_feed(session: Session, person_id: int) -> str:
    """
    A new private address for a person's rounds: its secret part, which is kept nowhere. The one before no longer works.
    """
    secret = secrets.token_urlsafe(24)
    session.get_one(Person, person_id).feed_digest = _digest(secret)
    return secret


def drop_feed(session: Session, person_id: int) -> None:
    """
    Make a person's address worthless at once.
    """
    session.get_one(Person, person_id).feed_digest = None


def person_of_feed(session: Session, secret: str) -> Person | None:
    """
    Whose rounds an address shows; None where it is none, or where they may not sign in any more.
    """
    query = sa.select(Person).where(Person.feed_digest == _digest(secret), Person.disabled_at.is_(None))
    return session.scalars(query).first()


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def feed_of(session: Session, person: Person, now: datetime, address: str) -> bytes:
    """
    The planned and past moments of the rounds that a person may look at. `address` is that of the house, for links.
    """
    from icalendar import Calendar

    made = Calendar()
    made.add("prodid", "-//Bouquet//Rounds//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", "Bouquet rounds")
    made.add("refresh-interval", timedelta(hours=1), parameters={"VALUE": "DURATION"})
    off = days_off(session)
    rounds = [r for r in list_rounds(session) if may(person, "look", r)]
    past = _past(session, person, [r.id for r in rounds], now)
    for round_ in rounds:
        words = rhythm_words(round_)
        for moment, note, run in past.get(round_.id, ()):
            made.add_component(_past_event(round_, words, moment, note, run, now, address))
        for moment in _ahead(round_, off, now):
            event = _event(round_, words, moment, now)
            event.add("status", "CONFIRMED")
            event.add("url", f"{address}/rounds")
            made.add_component(event)
    found: bytes = made.to_ical()
    return found


def _past(
    session: Session, person: Person, rounds: list[int], now: datetime
) -> dict[int, list[tuple[datetime, str, tuple[int, str] | None]]]:
    query = (
        sa.select(Occurrence.round_id, Occurrence.planned_at, Occurrence.note, Run.id, Run.status)
        .outerjoin(Run, Run.id == Occurrence.run_id)
        .where(Occurrence.round_id.in_(rounds), Occurrence.planned_at > now - timedelta(days=DAYS))
        .order_by(Occurrence.planned_at.desc())
    )
    found: dict[int, list[tuple[datetime, str, tuple[int, str] | None]]] = {}
    for round_id, moment, note, run_id, status in session.execute(query):
        mine = found.setdefault(round_id, [])
        # Of which records, or how many, somebody who sees a part of them is not told.
        note = note if person.scope is None or run_id is None else ""
        if len(mine) < MOST:
            mine.append((moment, note, None if run_id is None else (run_id, status)))
    return found


def _ahead(round_: Round, off: DaysOff, now: datetime) -> list[datetime]:
    if round_.paused or round_.next_at >= NEVER:
        return []
    until = now + timedelta(days=DAYS)
    try:
        planned = [round_.next_at, *rhythm_of(round_, off).next(round_.next_at, MOST - 1)]
    except (KeyError, ValueError, OSError, BouquetError):
        # A zone or rhythm that cannot be understood any more has no moments.
        return []
    return list(takewhile(lambda m: m < until, planned))


def _event(round_: Round, said: str, moment: datetime, now: datetime) -> Event:
    from icalendar import Event

    event = Event()
    event.add("uid", f"round-{round_.id}-{moment:%Y%m%dT%H%M%SZ}@bouquet")
    event.add("dtstamp", now)
    event.add("dtstart", moment)
    event.add("duration", LENGTH)
    event.add("summary", round_.template.name)
    event.add("description", f"A round, {said}.")
    event.add("transp", "TRANSPARENT")
    return event


def _past_event(
    round_: Round,
    words: str,
    moment: datetime,
    note: str,
    run: tuple[int, str] | None,
    now: datetime,
    address: str,
) -> Event:
    ended = (
        note or "did not run" if run is None else _ENDED.get(run[1], "is under way") + (f" ({note})" if note else "")
    )
    event = _event(round_, f"{words}: {ended}", moment, now)
    event.add("status", "CANCELLED" if run is None else "CONFIRMED")
    event.add("url", f"{address}/rounds" if run is None else f"{address}/runs/{run[0]}")
    return event
