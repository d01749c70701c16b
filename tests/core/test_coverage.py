"""
Coverage: days in no run and in several, against days counted one by one.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.coverage import cover, coverage_words, window_of
from bouquet.core.recurrence import Rhythm, read_rhythm
from bouquet.core.template import read_document
from bouquet.core.template.filter import Window
from bouquet.core.windows import resolve_window

LONDON = ZoneInfo("Europe/London")
NOW = datetime(2026, 11, 27, 9, 0, tzinfo=UTC)


def moments(**rhythm: object) -> list[datetime]:
    return Rhythm(read_rhythm({"times": ["06:00"], **rhythm}), LONDON).next(NOW, 400)


WORKING = moments(every="week", weekdays=[0, 1, 2, 3, 4])
DAILY = moments(every="day")
WEEKLY = moments(every="week", weekdays=[0])
MONTHLY = moments(every="month", month_days=[1])


@pytest.mark.parametrize(
    ("planned", "window", "says"),
    [
        (DAILY, Window(type="previous", unit="day"), ["Every day falls into exactly one run."]),
        (WEEKLY, Window(type="previous", unit="week"), ["Every day falls into exactly one run."]),
        (MONTHLY, Window(type="previous", unit="month"), ["Every day falls into exactly one run."]),
        (
            WORKING,
            Window(type="previous", unit="day"),
            [
                "Fridays and Saturdays would be in no run.",
                "With “the time since the last delivered run” each would be in one.",
            ],
        ),
        (
            WEEKLY,
            Window(type="last", unit="day", count=30),
            ["Every day would be in more than one run.", "With “the week before” each would be in one."],
        ),
        (
            DAILY,
            Window(type="last", unit="day", count=7),
            ["Every day would be in more than one run.", "With “yesterday” each would be in one."],
        ),
    ],
)
def test_what_is_said_of_a_rhythm_and_its_window(planned: list[datetime], window: Window, says: list[str]) -> None:
    """With the plainest window that would cure it."""
    found = cover(planned, window, LONDON)

    assert found is not None
    assert coverage_words(found) == says


@given(
    st.sampled_from(["day", "week"]),
    st.sets(st.integers(0, 6), min_size=1),
    st.sampled_from(
        [Window(type="last", unit="day", count=n) for n in (1, 2, 3, 7, 10)]
        + [Window(type="previous", unit="week"), Window(type="this", unit="day"), Window(type="to_date", unit="month")]
    ),
)
def test_days_are_those_that_counting_finds(every: str, weekdays: set[int], window: Window) -> None:
    """Each day of the time line, looked up in each window."""
    document = {"every": every, "weekdays": sorted(weekdays)} if every == "week" else {"every": every}
    planned = moments(**document)[:60]
    found = cover(planned, window, LONDON, cure=False)
    spans = [resolve_window(window, m, LONDON) for m in planned]
    first, last = spans[0].end, spans[-1].end
    if first is None or last is None or last <= first:
        assert found is None
        return
    assert found is not None
    day, none, twice = first.date(), [], []
    while day < last.date():
        times = sum(s.first_day <= day <= s.last_day for s in spans if s.first_day and s.last_day)
        none += [day] * (times == 0)
        twice += [day] * (times > 1)
        day += timedelta(days=1)

    assert (list(found.none), list(found.twice)) == (none, twice)


def test_only_one_window_can_be_laid_on_the_time_line() -> None:
    """Open ones and several ones say nothing."""
    window = {"path": "inspected_on", "is": "in_window", "window": {"type": "previous", "unit": "day"}}
    one = read_document({"name": "T", "records": "x", "filter": {"all": [window]}})
    two = read_document({"name": "T", "records": "x", "filter": {"all": [window, window]}})

    assert window_of(one.filter) == ("inspected_on", Window(type="previous", unit="day"))
    assert window_of(two.filter) is None
    assert cover(DAILY, Window(type="all_time"), LONDON) is None
    assert cover(DAILY[:1], Window(type="previous", unit="day"), LONDON) is None
