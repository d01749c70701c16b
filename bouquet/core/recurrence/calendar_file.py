"""
Days off from a calendar that people keep elsewhere: an iCalendar file (RFC 5545).
"""

from __future__ import annotations

import contextlib
from collections import defaultdict
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from itertools import chain
from typing import Any

from bouquet.core.language import tr, whole
from bouquet.core.recurrence.days_off import DaysOffError
from bouquet.core.recurrence.rules import rule_days

__all__ = ["MOST_DAYS", "days_of_calendar"]

#: Days that are taken from a file, and days that one event may last, at most.
MOST_DAYS, LONGEST = 2_000, 400

#: Events that a file may have, and those among them that recur.
MOST_EVENTS, MOST_RECURRING = 10_000, 100


def days_of_calendar(text: str, first: date, last: date) -> dict[date, str]:
    """
    The days of a calendar's events from `first` to `last`, with their names, in order. Events of a part of a day count
    for the days that they touch; cancelled ones do not; those that recur are followed by their rule.

    Raises DaysOffError where the text is no calendar, or has more than `MOST_DAYS` such days.
    """
    from icalendar import Calendar

    try:
        events = list(Calendar.from_ical(text).walk("VEVENT"))
    except Exception as error:
        # Of what is no calendar, the library fails in ways of many kinds.
        msg = tr("This is no calendar: a file that begins with BEGIN:VCALENDAR is needed.")
        raise DaysOffError(msg) from error
    if len(events) > MOST_EVENTS or sum(e.get("rrule") is not None for e in events) > MOST_RECURRING:
        msg = tr(
            "This calendar has more than {most_events} events, or than {most_recurring} that recur.",
            most_events=whole(MOST_EVENTS),
            most_recurring=MOST_RECURRING,
        )
        raise DaysOffError(msg)
    found: dict[date, str] = {}
    moved = _moved(events)
    for event in events:
        if str(event.get("status", "")).upper() == "CANCELLED":
            continue
        name = " ".join(str(event.get("summary", "")).split())[:100]
        for day in _days(event, first, last, moved[str(event.get("uid", ""))]):
            found.setdefault(day, name)
            if len(found) > MOST_DAYS:
                msg = tr(
                    "This calendar has more than {most_days} days. Is it one of days off?",
                    most_days=whole(MOST_DAYS),
                )
                raise DaysOffError(msg)
    return dict(sorted(found.items()))


def _moved(events: list[Any]) -> defaultdict[str, set[date]]:
    """
    By event, the days of its recurrence that another entry speaks of: moved, renamed or cancelled (RFC 5545, 3.8.4.4).
    """
    moved = defaultdict[str, set[date]](set)
    for event in events:
        if event.get("recurrence-id") is not None:
            with contextlib.suppress(AttributeError, ValueError):
                moved[str(event.get("uid", ""))].add(_day(event.get("recurrence-id").dt))
    return moved


def _days(event: Any, first: date, last: date, moved: set[date]) -> Iterator[date]:
    """
    The days of an event, but for those that other entries speak of.
    """
    try:
        begin, end = event.decoded("dtstart"), event.get("dtend")
        end = end.dt if end is not None else None
        start = _day(begin)
        # The end of a whole day is the day after it; a moment ends on its own day, or just before the next.
        until = start + timedelta(days=1)
        if end is not None:
            until = _day(end) if not isinstance(end, datetime) else _day(end - timedelta(seconds=1)) + timedelta(days=1)
        elif event.get("duration") is not None:
            until = start + max(timedelta(days=1), event.decoded("duration"))
        length = min(max((until - start).days, 1), LONGEST)
        rule = event.get("rrule")
        since = max(first - timedelta(days=length), start)
        starts = [start] if rule is None else rule_days(rule.to_ical().decode(), start, since, last)
        also = {_day(d.dt) for d in _dates(event.get("rdate"))}
        left_out = {_day(d.dt) for d in _dates(event.get("exdate"))}
        left_out |= moved if event.get("recurrence-id") is None else set()
    except Exception as error:
        # A day may be missing, stand twice, or be a list; each of these fails in its own way.
        msg = tr(
            "“{value}” of this calendar has no day that can be read.",
            value=event.get("summary", "An event"),
        )
        raise DaysOffError(msg) from error
    for begun in chain(starts, sorted(also)):
        if begun not in left_out:
            days = (begun + timedelta(days=n) for n in range(length))
            yield from (d for d in days if first <= d <= last)


def _day(moment: date | tuple[date, Any]) -> date:
    """
    The day of a day, of a moment, or on which a period begins.
    """
    if isinstance(moment, tuple):
        moment = moment[0]
    return moment.date() if isinstance(moment, datetime) else moment


def _dates(found: Any) -> list[Any]:
    listed = found if isinstance(found, list) else [found] if found is not None else []
    return [d for part in listed for d in part.dts]
