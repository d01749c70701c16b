"""
Recurrence rules of days: the days that the library finds, also where it would look for them for ever.
"""

from __future__ import annotations

from datetime import date, datetime

import pytest
from dateutil.rrule import rrulestr
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from bouquet.core.errors import DocumentError
from bouquet.core.recurrence import DaysOffError, days_of_calendar, read_rhythm
from bouquet.core.recurrence.rules import RuleError, rule_days

FIRST, LAST = date(2026, 1, 1), date(2031, 12, 31)


def several(least: int, most: int) -> st.SearchStrategy[str]:
    numbers = st.integers(least, most).filter(bool)
    return st.lists(numbers, min_size=1, max_size=3).map(lambda found: ",".join(map(str, found)))


PARTS = {
    "INTERVAL": st.integers(1, 20).map(str),
    "COUNT": st.integers(1, 300).map(str),
    "UNTIL": st.sampled_from(["20280229", "20270101T000000", "99991231", "20251231"]),
    "BYDAY": st.lists(st.sampled_from(["MO", "TU", "1WE", "-1FR", "2SU"]), min_size=1, max_size=3).map(",".join),
    "BYMONTH": several(1, 12),
    "BYMONTHDAY": several(-31, 31),
    "BYYEARDAY": several(-366, 366),
    "BYWEEKNO": several(-53, 53),
    "BYSETPOS": several(-3, 3),
    "WKST": st.sampled_from(["MO", "SU"]),
}


@st.composite
def rules(draw: st.DrawFn) -> str:
    names = draw(st.lists(st.sampled_from(sorted(PARTS)), unique=True, max_size=3))
    said = {"FREQ": draw(st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]))}
    said |= {name: draw(PARTS[name]) for name in names if name != "UNTIL" or "COUNT" not in names}
    return ";".join(f"{name}={value}" for name, value in said.items())


@settings(max_examples=40)
@given(rules(), st.dates(date(2015, 1, 1), date(2030, 12, 31)))
def test_the_days_are_those_of_the_library_where_it_comes_to_an_end(said: str, start: date) -> None:
    """It does so soon where a rule comes to days at all, and is told of the last day that is asked for."""
    found = list(rule_days(said, start, FIRST, LAST))
    assume(found)
    made = rrulestr(said, dtstart=datetime(start.year, start.month, start.day))
    end = datetime(LAST.year, LAST.month, LAST.day)
    whole = made if made._count is not None else made.replace(until=min(made._until or end, end))

    assert found == [d.date() for d in whole if FIRST <= d.date() <= LAST]


@pytest.mark.parametrize(
    "said",
    [
        "FREQ=SECONDLY",
        "FREQ=MINUTELY;BYMONTH=2;BYMONTHDAY=30",
        "FREQ=DAILY;INTERVAL=0",
        "FREQ=DAILY;INTERVAL=-1",
        "FREQ=DAILY;COUNT=9999999999",
        "FREQ=MONTHLY;BYDAY=53FR",
        "FREQ=YEARLY;BYDAY=99MO",
        "FREQ=YEARLY;BYMONTH=-2;BYDAY=1MO",
        "FREQ=YEARLY;BYEASTER=0",
        "FREQ=DAILY;BYHOUR=3",
        "FREQ=DAILY\nEXDATE:20260101",
        "COUNT=3",
        "FREQ=DAILY;COUNT=3;UNTIL=20270101",
        "",
    ],
)
def test_what_is_no_rule_of_days_is_refused_at_once(said: str) -> None:
    """By itself, as a rhythm, and in a calendar of days off."""
    with pytest.raises(RuleError):
        rule_days(said, FIRST, FIRST, LAST)
    with pytest.raises(DocumentError):
        read_rhythm({"every": "rule", "rule": said, "times": ["06:00"]})
    if said.isprintable() and said:
        event = f"BEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20260101\r\nRRULE:{said}\r\nEND:VEVENT\r\n"
        with pytest.raises(DaysOffError):
            days_of_calendar(f"BEGIN:VCALENDAR\r\n{event}END:VCALENDAR\r\n", FIRST, LAST)


@pytest.mark.parametrize(
    "said", ["FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30", "FREQ=DAILY;BYSETPOS=4", "FREQ=WEEKLY;UNTIL=19990101"]
)
def test_a_rule_that_comes_to_no_day_ends(said: str) -> None:
    """The library looks for one through eight thousand years."""
    assert list(rule_days(said, date(1900, 1, 1), FIRST, LAST)) == []


def test_a_calendar_that_recurs_without_measure_is_refused() -> None:
    event = "BEGIN:VEVENT\r\nDTSTART;VALUE=DATE:19000101\r\nRRULE:FREQ=DAILY\r\nEND:VEVENT\r\n"
    with pytest.raises(DaysOffError, match="recur"):
        days_of_calendar(f"BEGIN:VCALENDAR\r\n{event * 101}END:VCALENDAR\r\n", FIRST, LAST)


def test_a_day_left_out_that_cannot_be_read_is_told() -> None:
    event = "BEGIN:VEVENT\r\nSUMMARY:x\r\nDTSTART;VALUE=DATE:20260101\r\nEXDATE:xx\r\nEND:VEVENT\r\n"
    with pytest.raises(DaysOffError, match="no day that can be read"):
        days_of_calendar(f"BEGIN:VCALENDAR\r\n{event}END:VCALENDAR\r\n", FIRST, LAST)
