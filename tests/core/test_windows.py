"""
Windows: half-open spans in the template's zone.
"""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.template import Window
from bouquet.core.windows import read_window, resolve_window, span_words, window_words

LONDON = ZoneInfo("Europe/London")
AS_OF = datetime(2026, 11, 23, 9, 30, tzinfo=UTC)


def days(window: Window, as_of: datetime = AS_OF) -> tuple[date | None, date | None]:
    span = resolve_window(window, as_of, LONDON)
    return span.first_day, span.last_day


@pytest.mark.parametrize(
    ("window", "first", "last"),
    [
        (Window(type="last", count=30), date(2026, 10, 24), date(2026, 11, 22)),
        (Window(type="last", count=30, with_current=True), date(2026, 10, 25), date(2026, 11, 23)),
        (Window(type="this"), date(2026, 11, 23), date(2026, 11, 23)),
        (Window(type="previous"), date(2026, 11, 22), date(2026, 11, 22)),
        (Window(type="this", unit="week"), date(2026, 11, 23), date(2026, 11, 29)),
        (Window(type="previous", unit="month"), date(2026, 10, 1), date(2026, 10, 31)),
        (Window(type="last", count=3, unit="month"), date(2026, 8, 1), date(2026, 10, 31)),
        (Window(type="previous", unit="quarter"), date(2026, 7, 1), date(2026, 9, 30)),
        (Window(type="next", unit="month"), date(2026, 12, 1), date(2026, 12, 31)),
        (Window(type="to_date", unit="year"), date(2026, 1, 1), date(2026, 11, 23)),
        (Window(type="previous", unit="financial_year"), date(2025, 4, 1), date(2026, 3, 31)),
        (Window(type="between", first="2026-03-01", last="2026-03-31"), date(2026, 3, 1), date(2026, 3, 31)),
        (Window(type="before_days_ago", count=7), None, date(2026, 11, 15)),
        (Window(type="before_ago", count=3, unit="month"), None, date(2026, 8, 22)),
        (Window(type="after_ago", count=2, unit="week"), date(2026, 11, 9), None),
        (Window(type="next", count=2, unit="quarter"), date(2027, 4, 1), date(2027, 6, 30)),
        (Window(type="all_time"), None, None),
    ],
)
def test_a_window_covers_these_days(window: Window, first: date | None, last: date | None) -> None:
    """First and last day, both included, as people say them."""
    assert days(window) == (first, last)


def test_the_day_the_clocks_change_is_25_hours_long() -> None:
    """A day is the local day: 25 October 2026 in London lasts from 23:00Z to 00:00Z."""
    as_of = datetime(2026, 10, 26, 8, tzinfo=UTC)
    span = resolve_window(Window(type="previous"), as_of, LONDON)
    assert span.start is not None
    assert span.end is not None

    assert span.end.astimezone(UTC) - span.start.astimezone(UTC) == timedelta(hours=25)


def test_hours_are_elapsed_time_also_in_that_night() -> None:
    """The last 3 hours are 3 hours, whatever the clock on the wall did."""
    as_of = datetime(2026, 10, 25, 2, 30, tzinfo=UTC)
    span = resolve_window(Window(type="last", count=3, unit="hour"), as_of, LONDON)
    assert span.start is not None

    assert as_of - span.start.astimezone(UTC) == timedelta(hours=3)


def test_a_day_begins_where_the_template_lives() -> None:
    """At 23:30Z in June it is already tomorrow in London."""
    assert days(Window(type="this"), datetime(2026, 6, 1, 23, 30, tzinfo=UTC)) == (date(2026, 6, 2), date(2026, 6, 2))


@pytest.mark.parametrize(
    "window",
    [
        Window(type="between", first="2026-03-02", last="2026-03-01"),
        Window(type="between"),
        Window(type="this", unit="hour"),
    ],
)
def test_a_window_without_sense_says_so(window: Window) -> None:
    """Reversed, missing or senseless parts are refused in words."""
    with pytest.raises(ValueError, match=r"window"):
        resolve_window(window, AS_OF, LONDON)


def test_words_and_dates() -> None:
    """The chip says what it means, and the dates it comes to."""
    window = Window(type="last", count=30)

    assert window_words(window) == "the last 30 days"
    assert span_words(resolve_window(window, AS_OF, LONDON), AS_OF) == "24 Oct – 22 Nov"


@given(
    st.sampled_from(["last", "this", "previous", "next", "to_date"]),
    st.sampled_from(["day", "week", "month", "quarter", "year", "financial_year"]),
    st.integers(1, 40),
    st.datetimes(datetime(2000, 1, 1), datetime(2090, 1, 1), timezones=st.just(UTC)),
)
def test_every_window_is_half_open_and_begins_at_midnight(kind: str, unit: str, count: int, as_of: datetime) -> None:
    """Start before end, both at local midnight; consecutive months meet without gap or overlap."""
    span = resolve_window(Window(type=kind, unit=unit, count=count), as_of, LONDON)  # type: ignore[arg-type]
    assert span.start is not None
    assert span.end is not None

    assert span.start < span.end
    assert span.whole_days


def test_hours_ago_are_a_moment_not_a_day() -> None:
    """More than two hours ago, at half past nine, is until half past seven."""
    before = resolve_window(Window(type="before_ago", count=2, unit="hour"), AS_OF, LONDON)
    after = resolve_window(Window(type="after_ago", count=2, unit="hour"), AS_OF, LONDON)

    assert (before.end, after.start) == (AS_OF - timedelta(hours=2), AS_OF - timedelta(hours=2))
    assert span_words(before, AS_OF) == "until 23 Nov 2026 07:30"
    assert span_words(after, AS_OF) == "from 23 Nov 2026 07:30"


@pytest.mark.parametrize(
    ("window", "said"),
    [
        (Window(type="previous", count=3, unit="month"), "the month 3 months ago"),
        (Window(type="previous", unit="month"), "the month before"),
        (Window(type="next", count=2, unit="week"), "the week in 2 weeks"),
        (Window(type="before_ago", unit="year"), "more than 1 year ago"),
        (Window(type="after_ago", count=90, unit="minute"), "90 minutes ago or later"),
    ],
)
def test_the_words_of_a_window_say_its_number(window: Window, said: str) -> None:
    """The third month back is not called the month before."""
    assert window_words(window) == said


DAYS = ("day", "week", "month", "quarter", "year", "financial_year")


@given(
    st.builds(Window, type=st.sampled_from(["this", "previous", "next"]), unit=st.sampled_from(DAYS))
    | st.builds(
        Window,
        type=st.sampled_from(["last", "before_ago", "after_ago"]),
        unit=st.sampled_from(("minute", "hour", *DAYS)),
        count=st.integers(2, 99_999),
    )
    | st.builds(
        Window, type=st.sampled_from(["previous", "next"]), unit=st.sampled_from(DAYS), count=st.integers(2, 99)
    )
    | st.builds(Window, type=st.just("last"), unit=st.sampled_from(DAYS[:3]), with_current=st.just(True))
    | st.builds(Window, type=st.just("to_date"), unit=st.sampled_from(DAYS[1:]))
    | st.builds(Window, type=st.sampled_from(["all_time", "since_last_run"]))
)
def test_the_words_of_a_window_are_read_back_as_it(window: Window) -> None:
    """What the sentence says can be typed as an answer."""
    assert read_window(window_words(window)) == window


@pytest.mark.parametrize(
    ("said", "window"),
    [
        ("previous month", Window(type="previous", unit="month")),
        ("Last 30 days", Window(type="last", count=30)),
        ("2026-01-01 to 2026-01-31", Window(type="between", first="2026-01-01", last="2026-01-31")),
        ("2026-01-01", Window(type="between", first="2026-01-01", last="2026-01-01")),
        ("this year to date", Window(type="to_date", unit="year")),
        ("last blue moon", None),
        ("last 0 days", None),
    ],
)
def test_a_period_is_read_as_people_type_it(said: str, window: Window | None) -> None:
    """And what means no period is none."""
    assert read_window(said) == window
