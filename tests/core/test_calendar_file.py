"""
Days off from an iCalendar file, against the days that an independent reader finds in it.
"""

from __future__ import annotations

from datetime import date, datetime, timedelta

import icalendar
import pytest
import recurring_ical_events

from bouquet.core.recurrence import DaysOffError, days_of_calendar

FIRST, LAST = date(2026, 1, 1), date(2028, 12, 31)

CALENDAR = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Marrowby//Town hall//EN
BEGIN:VEVENT
UID:1
SUMMARY:Office closed
DTSTART;VALUE=DATE:20261224
DTEND;VALUE=DATE:20261228
END:VEVENT
BEGIN:VEVENT
UID:2
SUMMARY:Founders' day
DTSTART;VALUE=DATE:20200309
RRULE:FREQ=YEARLY
EXDATE;VALUE=DATE:20270309
END:VEVENT
BEGIN:VEVENT
UID:3
SUMMARY:Night of the trees
DTSTART:20260605T200000Z
DTEND:20260606T020000Z
END:VEVENT
BEGIN:VEVENT
UID:4
SUMMARY:Training
DTSTART;VALUE=DATE:20260105
RRULE:FREQ=MONTHLY;COUNT=3;BYDAY=1MO
END:VEVENT
BEGIN:VEVENT
UID:5
SUMMARY:Given up
STATUS:CANCELLED
DTSTART;VALUE=DATE:20260701
END:VEVENT
BEGIN:VEVENT
UID:6
SUMMARY:Stocktaking
DTSTART;VALUE=DATE:20260203
RRULE:FREQ=MONTHLY;COUNT=6
RDATE;VALUE=DATE:20261130,20270131
END:VEVENT
BEGIN:VEVENT
UID:6
RECURRENCE-ID;VALUE=DATE:20260403
SUMMARY:Stocktaking, later
DTSTART;VALUE=DATE:20260409
END:VEVENT
BEGIN:VEVENT
UID:6
RECURRENCE-ID;VALUE=DATE:20260503
SUMMARY:Stocktaking
STATUS:CANCELLED
DTSTART;VALUE=DATE:20260503
END:VEVENT
END:VCALENDAR
"""


def by_another_reader(text: str) -> set[date]:
    calendar = icalendar.Calendar.from_ical(text)
    found = set()
    for event in recurring_ical_events.of(calendar).between(FIRST, LAST + timedelta(days=1)):
        if str(event.get("STATUS", "")) == "CANCELLED":
            continue
        begin, end = event["DTSTART"].dt, event["DTEND"].dt if "DTEND" in event else None
        whole = not isinstance(begin, datetime)
        day = begin if whole else begin.date()
        last = day if end is None else end - timedelta(days=1) if whole else (end - timedelta(seconds=1)).date()
        while day <= last:
            found.add(day)
            day += timedelta(days=1)
    return found


def test_days_are_those_that_another_reader_finds() -> None:
    """Several days long, over midnight, every year but one, a few times, on listed days, moved, and cancelled."""
    found = days_of_calendar(CALENDAR, FIRST, LAST)

    assert set(found) == by_another_reader(CALENDAR)
    assert list(found) == sorted(found)
    assert found[date(2026, 12, 26)] == "Office closed"
    assert {d.year for d, name in found.items() if name == "Founders' day"} == {2026, 2028}
    assert date(2026, 7, 1) not in found
    assert [d for d, name in found.items() if name.startswith("Stocktaking")] == [
        *(date(2026, month, 3) for month in (2, 3)),
        date(2026, 4, 9),
        *(date(2026, month, 3) for month in (6, 7)),
        date(2026, 11, 30),
        date(2027, 1, 31),
    ]


def event(*lines: str) -> str:
    return "\r\n".join(("BEGIN:VCALENDAR", "BEGIN:VEVENT", *lines, "END:VEVENT", "END:VCALENDAR", ""))


@pytest.mark.parametrize(
    "text",
    [
        "no calendar",
        CALENDAR.replace("VALUE=DATE:20261224", "VALUE=DATE:nonsense"),
        event("SUMMARY:No day"),
        event("DTSTART:20260101", "DTSTART:20260102"),
        event(f"DTSTART;TZID={'Nowhere' * 60}:20260101T100000"),
        event("DTSTART;VALUE=DATE:20260101", "RRULE:FREQ=DAILY", "RRULE:FREQ=WEEKLY"),
        "BEGIN:VCALENDAR\r\nBEGIN:ENDVEVENT\r\nTZID:x\r\nBEGIN:VTIMEZONE\r\nTZID:x\r\nEND:VTIMEZONE\r\nEND:VEVENT\r\n",
    ],
)
def test_what_is_no_calendar_of_days_is_refused_in_words(text: str) -> None:
    with pytest.raises(DaysOffError, match="calendar"):
        days_of_calendar(text, FIRST, LAST)


def test_a_calendar_of_every_day_is_bounded() -> None:
    """A rule without an end is followed through the years that are asked for, and no further."""
    daily = CALENDAR.replace("FREQ=YEARLY", "FREQ=DAILY").replace("20200309", "19000101")

    assert len(days_of_calendar(daily, FIRST, LAST)) == (LAST - FIRST).days + 1 - 1
