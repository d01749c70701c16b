"""
Rounds in people's own calendars: planned and past moments as iCalendar (RFC 5545), at a private address.
"""

from __future__ import annotations

import json
import secrets
import threading
from collections import deque
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from functools import cache
from itertools import chain, islice, takewhile

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.errors import BouquetError
from bouquet.core.language import Texts, tr
from bouquet.core.recurrence import DaysOff
from bouquet.rights import may
from bouquet.rounds.calendar import rhythm_of, rhythm_words
from bouquet.store.house import days_off
from bouquet.store.models import Occurrence, Person, Round, Run
from bouquet.store.rounds import NEVER, list_rounds
from bouquet.store.secrets import digest_of

__all__ = ["Readings", "drop_feed", "feed_of", "new_feed", "person_of_feed"]

#: Days that a feed shows ahead and behind, and moments of one round at most.
DAYS, MOST = 62, 200

#: Bytes of a line, without its end.
LINE = 74

#: How long a moment is in a calendar: runs take minutes.
LENGTH = timedelta(minutes=15)

#: A past moment: when it was planned, its note, and its run with its status.
Past = tuple[datetime, str, tuple[int, str] | None]

_ENDED = Texts(
    {
        "ready": "went well",
        "held": "waits for review",
        "failed": "failed",
        "cancelled": "was cancelled",
        "discarded": "was discarded",
    }
)


def new_feed(session: Session, person_id: int) -> str:
    """
    A new private address for a person's rounds: its secret part, which is kept nowhere. The one before no longer works.
    """
    secret = secrets.token_urlsafe(24)
    session.get_one(Person, person_id).feed_digest = digest_of(secret)
    return secret


class Readings:
    """
    How often each person's address was read of late. A feed of many rounds takes half a second of a processor, and
    whoever has the address can ask for it; calendars ask once an hour.
    """

    def __init__(self, most: int = 12, within: timedelta = timedelta(minutes=1)) -> None:
        self.most, self.within = most, within
        self._read: dict[int, deque[datetime]] = {}
        self._lock = threading.Lock()

    def note(self, person_id: int, now: datetime) -> bool:
        """
        Note a reading; False where there were too many before it, in each process of the server.
        """
        with self._lock:
            read = self._read.setdefault(person_id, deque())
            while read and read[0] <= now - self.within:
                read.popleft()
            if len(read) >= self.most:
                return False
            read.append(now)
            return True


def drop_feed(session: Session, person_id: int) -> None:
    """
    Make a person's address worthless at once.
    """
    session.get_one(Person, person_id).feed_digest = None


def person_of_feed(session: Session, secret: str) -> Person | None:
    """
    Whose rounds an address shows; None where it is none, or where they may not sign in any more.
    """
    query = sa.select(Person).where(Person.feed_digest == digest_of(secret), Person.disabled_at.is_(None))
    return session.scalars(query).first()


def feed_of(session: Session, person: Person, now: datetime, address: str) -> bytes:
    """
    The planned and past moments of the rounds that a person may look at. `address` is that of the house, for links.
    """
    from icalendar import Calendar

    made = Calendar()
    made.add("prodid", "-//Bouquet//Rounds//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", tr("Bouquet rounds"))
    made.add("refresh-interval", timedelta(hours=1), parameters={"VALUE": "DURATION"})
    end = b"END:VCALENDAR\r\n"
    texts = [made.to_ical().removesuffix(end)]
    off = days_off(session)
    rounds = [r for r in list_rounds(session) if may(person, "look", r)]
    past = _past(session, person, [r.id for r in rounds], now)
    events = _Events(now, address)
    planned: dict[tuple[str, str, datetime, bool], list[str]] = {}
    for round_ in rounds:
        # Many rounds of a house have the same rhythm.
        rhythm = (json.dumps(round_.rhythm), round_.zone, round_.next_at, round_.paused)
        if rhythm not in planned:
            planned[rhythm] = [_moment(m) for m in _ahead(round_, off, now)]
        texts += events.of(round_, past.get(round_.id, ()), planned[rhythm])
    return b"".join((*texts, end))


def _past(session: Session, person: Person, rounds: list[int], now: datetime) -> dict[int, list[Past]]:
    query = (
        sa.select(Occurrence.round_id, Occurrence.planned_at, Occurrence.note, Run.id, Run.status)
        .outerjoin(Run, Run.id == Occurrence.run_id)
        .where(Occurrence.round_id.in_(rounds), Occurrence.planned_at > now - timedelta(days=DAYS))
        .order_by(Occurrence.planned_at.desc())
    )
    found: dict[int, list[Past]] = {}
    told = person.scope is None
    for round_id, moment, note, run_id, status in session.execute(query):
        mine = found.setdefault(round_id, [])
        # Of which records, or how many, somebody who sees a part of them is not told.
        note = note if told or run_id is None else ""
        if len(mine) < MOST:
            mine.append((moment, note, None if run_id is None else (run_id, status)))
    return found


def _ahead(round_: Round, off: DaysOff, now: datetime) -> list[datetime]:
    if round_.paused or round_.next_at >= NEVER:
        return []
    until = now + timedelta(days=DAYS)
    try:
        planned = chain((round_.next_at,), rhythm_of(round_, off).after(round_.next_at))
        return list(takewhile(lambda m: m < until, islice(planned, MOST)))
    except (KeyError, ValueError, OSError, BouquetError):
        # A zone or rhythm that cannot be understood any more has no moments.
        return []


class _Events:
    """
    The events of rounds as text. There are tens of thousands in a feed: what several have in common is written once.
    """

    def __init__(self, now: datetime, address: str) -> None:
        self.address = address
        self.common = {status: _common(status, now) for status in ("CONFIRMED", "CANCELLED")}
        self.moment = cache(_moment)
        self.description = cache(lambda said: _line("DESCRIPTION", _escaped(tr("A round, {said}.", said=said))))

    def of(self, round_: Round, past: Sequence[Past], ahead: Sequence[str]) -> list[bytes]:
        """
        Those of one round; `ahead` are its planned moments as a calendar writes them.
        """
        words, name = rhythm_words(round_), _line("SUMMARY", _escaped(round_.template.name))
        confirmed, cancelled = name + self.common["CONFIRMED"], name + self.common["CANCELLED"]
        rounds = _line("URL", f"{self.address}/rounds")
        found = []
        for moment, note, run in past:
            said = self.description(f"{words}: {_became(note, run)}")
            tail = rounds + cancelled if run is None else _line("URL", f"{self.address}/runs/{run[0]}") + confirmed
            found.append(_event(round_.id, self.moment(moment), said + tail))
        tail = self.description(words) + rounds + confirmed
        found += [_event(round_.id, at, tail) for at in ahead]
        return found


def _event(round_id: int, at: str, tail: bytes) -> bytes:
    return f"BEGIN:VEVENT\r\nUID:round-{round_id}-{at}@bouquet\r\nDTSTART:{at}\r\n".encode() + tail


def _moment(moment: datetime) -> str:
    return f"{moment.astimezone(UTC):%Y%m%dT%H%M%SZ}"


def _became(note: str, run: tuple[int, str] | None) -> str:
    if run is None:
        return note or tr("did not run")
    return str(_ENDED.get(run[1], tr("is under way"))) + (f" ({note})" if note else "")


def _common(status: str, now: datetime) -> bytes:
    """
    The lines that all events with a status have, up to the end of the event.
    """
    from icalendar import Event

    event = Event()
    event.add("dtstamp", now)
    event.add("duration", LENGTH)
    event.add("transp", "TRANSPARENT")
    event.add("status", status)
    text: bytes = event.to_ical()
    return text.removeprefix(b"BEGIN:VEVENT\r\n")


def _escaped(text: str) -> str:
    from icalendar import vText

    found: bytes = vText(text).to_ical()
    return found.decode()


def _line(name: str, value: str) -> bytes:
    """
    A content line, folded as RFC 5545 asks.
    """
    from icalendar.parser import Contentline

    line = f"{name}:{value}".encode()
    folded: bytes = line if len(line) <= LINE else Contentline(line.decode()).to_ical()  # type: ignore[no-untyped-call]
    return folded + b"\r\n"
