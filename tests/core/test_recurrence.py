"""
Rhythms against a day-by-day reading of what they say, against RFC 5545 rules, and in words.
"""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.errors import DocumentError
from bouquet.core.recurrence import DaysOff, DaysOffError, Rhythm, read_rhythm

LONDON = ZoneInfo("Europe/London")
TOWN = DaysOff("GB", "ENG", {date(2026, 11, 20): "Marrowby Fair"})
MONDAY = date(2024, 1, 1)

MOMENTS = st.datetimes(datetime(2024, 2, 1), datetime(2030, 1, 1), timezones=st.just(UTC))
CLOCK = st.builds(lambda h, m: f"{h:02}:{m:02}", st.integers(0, 23), st.integers(0, 59))
WHAT = st.fixed_dictionaries(
    {"every": st.sampled_from(["day", "working_day", "week", "month", "year"]), "times": st.lists(CLOCK, min_size=1, max_size=3)},
    optional={
        "interval": st.integers(1, 5),
        "day_off": st.sampled_from(["run", "leave_out", "next", "previous"]),
        "months": st.lists(st.integers(1, 12), min_size=1, max_size=4),
        "month_days": st.lists(st.sampled_from([1, 2, 15, 28, 29, 30, 31, -1, -2, -31]), min_size=1, max_size=3),
        "nth": st.lists(
            st.fixed_dictionaries({"n": st.sampled_from([1, 2, 3, 4, 5, -1]), "weekday": st.integers(0, 6)}), max_size=2
        ),
        "nth_working_day": st.lists(st.sampled_from([1, 3, 10, 22, -1, -5]), max_size=2),
    },
)  # fmt: skip


def in_month(day: date) -> list[date]:
    first = day.replace(day=1)
    return [d for n in range(31) if (d := first + timedelta(days=n)).month == day.month]


def planned(made: dict[str, Any], day: date) -> bool:
    """What a document says of one day, read word by word."""
    every, interval = made["every"], made.get("interval", 1)
    if every == "day":
        return True
    if every == "working_day":
        return not TOWN.is_off(day)
    if every == "week":
        return day.weekday() in made["weekdays"] and (day - MONDAY).days // 7 % interval == 0
    months = (day.year - 2024) * 12 + day.month - 1
    if every == "month" and months % interval:
        return False
    if made.get("months") and day.month not in made["months"]:
        return False
    whole = in_month(day)
    worked = [d for d in whole if not TOWN.is_off(d)]
    such = [d for d in whole if d.weekday() == day.weekday()]
    return (
        any(n in (day.day, day.day - len(whole) - 1) for n in made.get("month_days", []))
        or any(
            n["weekday"] == day.weekday() and (such.index(day) + 1 == n["n"] or (n["n"] == -1 and such[-1] == day))
            for n in made.get("nth", [])
        )
        or (
            day in worked
            and any(
                n in (worked.index(day) + 1, worked.index(day) - len(worked)) for n in made.get("nth_working_day", [])
            )
        )
    )


def expected(made: dict[str, Any], moment: datetime, count: int) -> list[datetime]:
    found: set[date] = set()
    for n in range(-40, 500):
        day = moment.date() + timedelta(days=n)
        if not planned(made, day):
            continue
        step = {"next": 1, "previous": -1}.get(made.get("day_off", "run"))
        if TOWN.is_off(day) and made.get("day_off") == "leave_out":
            continue
        while step and TOWN.is_off(day):
            day += timedelta(days=step)
        found.add(day)
    moments = [
        datetime.combine(d, time.fromisoformat(t), UTC) for d in sorted(found) for t in sorted(set(made["times"]))
    ]
    return [m for m in moments if m > moment][:count]


@given(WHAT, st.lists(st.integers(0, 6), min_size=1, max_size=4), MOMENTS)
def test_a_rhythm_comes_to_the_days_it_says(made: dict[str, Any], weekdays: list[int], moment: datetime) -> None:
    """Every kind, with days off left out, moved on and moved back, each moment once."""
    if made["every"] == "week":
        made["weekdays"] = weekdays
    if made["every"] in ("month", "year") and not any(made.get(k) for k in ("month_days", "nth", "nth_working_day")):
        made["month_days"] = [1]
    if made["every"] == "year":
        made.setdefault("months", [3])
    rhythm = Rhythm(read_rhythm(made), ZoneInfo("UTC"), TOWN)
    wanted = expected(made, moment, 3)

    assert rhythm.next(moment, len(wanted)) == wanted


@given(
    MOMENTS,
    st.sampled_from(["FREQ=MONTHLY;BYDAY=-1FR", "FREQ=WEEKLY;INTERVAL=3;BYDAY=TU,SA", "FREQ=YEARLY;BYYEARDAY=100"]),
)
def test_a_pasted_rule_comes_to_its_days(moment: datetime, rule: str) -> None:
    """As the library reads the same rule with the time in it."""
    rhythm = Rhythm(read_rhythm({"every": "rule", "rule": rule, "times": ["07:30"]}), ZoneInfo("UTC"))
    whole = rrulestr(rule + ";BYHOUR=7;BYMINUTE=30;BYSECOND=0", dtstart=datetime(2024, 1, 1))
    local = moment.replace(tzinfo=None)

    assert [m.replace(tzinfo=None) for m in rhythm.next(moment, 3)] == list(whole.xafter(local, count=3))


def test_the_wall_clock_is_kept_when_the_clocks_change() -> None:
    """06:00 in London is 05:00Z until 25 October 2026, and 06:00Z after."""
    rhythm = Rhythm(read_rhythm({"times": ["06:00"]}), LONDON)

    assert [m.hour for m in rhythm.next(datetime(2026, 10, 23, tzinfo=UTC), 4)] == [5, 5, 6, 6]


def test_a_skipped_time_runs_at_the_first_moment_after_and_a_doubled_one_once() -> None:
    """01:30 on 29 March 2026 does not exist and on 25 October comes twice: one run a day either way."""
    rhythm = Rhythm(read_rhythm({"times": ["01:30"]}), LONDON)

    spring = rhythm.next(datetime(2026, 3, 28, 12, tzinfo=UTC), 2)
    assert [m.isoformat() for m in spring] == ["2026-03-29T01:00:00+00:00", "2026-03-30T00:30:00+00:00"]
    assert [m.day for m in rhythm.next(datetime(2026, 10, 24, 12, tzinfo=UTC), 2)] == [25, 26]


@pytest.mark.parametrize(
    ("made", "words"),
    [
        ({"times": ["06:00"]}, "every day at 06:00"),
        ({"every": "working_day", "times": ["18:00", "06:00"]}, "every working day at 06:00 and 18:00"),
        ({"every": "week", "weekdays": [0, 1, 2, 3, 4], "times": ["06:00"]}, "Monday to Friday at 06:00"),
        ({"every": "week", "weekdays": [4], "times": ["17:00"]}, "Fridays at 17:00"),
        (
            {"every": "week", "interval": 2, "weekdays": [0, 3], "times": ["06:00"]},
            "every 2 weeks on Monday and Thursday at 06:00",
        ),
        (
            {"every": "month", "month_days": [15, -1], "times": ["06:00"], "day_off": "previous"},
            "on the 15th and last day of each month at 06:00, on the last working day before a day off",
        ),
        (
            {"every": "month", "nth": [{"n": 1, "weekday": 0}], "times": ["06:00"]},
            "on the first Monday of each month at 06:00",
        ),
        (
            {"every": "month", "nth_working_day": [3, -1], "times": ["06:00"]},
            "on the 3rd working day and last working day of each month at 06:00",
        ),
        (
            {"every": "year", "months": [1, 4, 7, 10], "month_days": [1], "times": ["06:00"]},
            "on the 1st of each quarter's first month at 06:00",
        ),
        ({"every": "dates", "dates": ["2026-12-24"], "times": ["09:00"]}, "on 24 December 2026 at 09:00"),
        ({"often": {"minutes": 120, "first": "08:00", "last": "18:00"}}, "every day every 2 hours from 08:00 to 18:00"),
    ],
)
def test_a_rhythm_in_words(made: dict[str, Any], words: str) -> None:
    """As people say it."""
    assert Rhythm(read_rhythm(made), LONDON).words() == words


@pytest.mark.parametrize(
    "made",
    [
        {},
        {"times": ["25:00"]},
        {"every": "week", "times": ["06:00"]},
        {"every": "month", "times": ["06:00"]},
        {"every": "month", "month_days": [0], "times": ["06:00"]},
        {"every": "year", "month_days": [1], "times": ["06:00"]},
        {"every": "dates", "times": ["06:00"]},
        {"every": "rule", "rule": "FREQ=HOURLY", "times": ["06:00"]},
        {"every": "rule", "rule": "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=31", "times": ["06:00"]},
        {"every": "rule", "rule": "FREQ=DAILY;BYHOUR=3", "times": ["06:00"]},
        {"every": "rule", "rule": "nonsense", "times": ["06:00"]},
        {"often": {"minutes": 60, "first": "18:00", "last": "08:00"}},
        {"times": ["06:00"], "often": {"minutes": 60}},
    ],
)
def test_what_is_no_rhythm_is_refused(made: dict[str, Any]) -> None:
    """With words, at the door, and in no time."""
    with pytest.raises(DocumentError):
        read_rhythm(made)


def test_a_rhythm_may_end() -> None:
    """Listed dates, and a rule with an end: then there are no more moments."""
    dates = Rhythm(read_rhythm({"every": "dates", "dates": ["2026-12-24", "2026-12-01"], "times": ["09:00"]}), LONDON)
    rule = Rhythm(
        read_rhythm({"every": "rule", "rule": "FREQ=DAILY;COUNT=3", "start": "2026-12-01", "times": ["09:00"]}), LONDON
    )
    now = datetime(2026, 11, 23, tzinfo=UTC)

    assert [m.day for m in dates.next(now, 9)] == [1, 24]
    assert [m.day for m in rule.next(now, 9)] == [1, 2, 3]


def test_days_off_have_names() -> None:
    """A holiday, a day of the house's own, a weekend; an unknown country is refused."""
    days = [date(2026, 12, 25), date(2026, 11, 20), date(2026, 11, 21), date(2026, 11, 23)]

    assert [TOWN.name_of(d) for d in days] == ["Christmas Day", "Marrowby Fair", "the weekend", None]
    with pytest.raises(DaysOffError):
        DaysOff("XX")
    with pytest.raises(DaysOffError):
        DaysOff("GB", "QQQ")
