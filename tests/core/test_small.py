"""
Names of files, rhythms, date patterns, the doors of the rooms.
"""

from __future__ import annotations

import importlib
import pkgutil
from datetime import UTC, datetime, time
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

import bouquet
from bouquet.core.naming import NameFacts, check_pattern, file_name, safe_name, with_suffix
from bouquet.core.patterns import PatternError, parse_date_pattern
from bouquet.core.recurrence import Rhythm

LONDON = ZoneInfo("Europe/London")


@given(st.text(max_size=300))
def test_a_name_is_safe_everywhere(text: str) -> None:
    """No separators, no control characters, no device names, not too long, never empty."""
    name = safe_name(text)

    assert name
    assert len(name.encode()) <= 181
    assert not set(name) & set('<>:"/\\|?*\x00\n')
    assert name.lower() not in ("con", "nul", "com1")
    assert not name.startswith(".")


def test_a_name_follows_its_pattern_and_its_format() -> None:
    """Parts are filled in; the extension always follows the format."""
    as_of = datetime(2026, 11, 1, 6, tzinfo=LONDON)

    def made(pattern: str) -> str:
        return file_name(pattern, NameFacts(template="Bills: all", records="line", as_of=as_of, rows=12), "xlsx")

    assert made("{template}_{as_of:%Y-%m}") == "bills-_all_2026-11.xlsx"
    assert made("list.csv") == "list.xlsx"
    assert made("{records}_{rows}") == "line_12.xlsx"
    assert with_suffix("a.b.csv", 2) == "a.b-2.csv"


@pytest.mark.parametrize("pattern", ["{sheet}", "{rows:%Y}", "{as_of:%Q}", "a{b", "{as_of:%}"])
def test_a_pattern_that_cannot_be_filled_is_refused(pattern: str) -> None:
    """Unknown parts, dates and lone braces are named."""
    assert check_pattern(pattern)


def test_a_rhythm_keeps_the_wall_clock_when_the_clocks_change() -> None:
    """06:00 in London is 05:00Z until 25 October 2026, and 06:00Z after."""
    rhythm = Rhythm(beat="daily", at=time(6), zone=LONDON)

    assert [m.hour for m in rhythm.next(datetime(2026, 10, 23, tzinfo=UTC), 4)] == [5, 5, 6, 6]


def test_a_skipped_and_a_doubled_hour_run_once() -> None:
    """01:30 on 29 March 2026 does not exist and on 25 October comes twice: one run a day either way."""
    rhythm = Rhythm(beat="daily", at=time(1, 30), zone=LONDON)

    spring = rhythm.next(datetime(2026, 3, 28, 12, tzinfo=UTC), 2)
    assert [m.isoformat() for m in spring] == ["2026-03-29T01:30:00+00:00", "2026-03-30T00:30:00+00:00"]
    assert [m.day for m in rhythm.next(datetime(2026, 10, 24, 12, tzinfo=UTC), 2)] == [25, 26]


@given(
    st.datetimes(datetime(2020, 1, 1), datetime(2040, 1, 1), timezones=st.just(UTC)),
    st.times(),
    st.sampled_from(["daily", "weekdays", "weekly"]),
    st.integers(0, 6),
)
def test_rhythms_agree_with_their_recurrence_rule(moment: datetime, at: time, beat: str, day: int) -> None:
    """Against RFC 5545 rules written by hand: the same local days, always later than asked."""
    at = at.replace(second=0, microsecond=0)
    rhythm = Rhythm(beat=beat, at=at, zone=ZoneInfo("Asia/Tokyo"), day=day)  # type: ignore[arg-type]
    found = rhythm.next(moment, 3)
    names = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"]
    days = {"daily": "", "weekdays": ";BYDAY=MO,TU,WE,TH,FR", "weekly": f";BYDAY={names[day]}"}
    start = moment.astimezone(rhythm.zone).replace(tzinfo=None)
    rule = rrulestr(
        f"FREQ=DAILY;BYHOUR={at.hour};BYMINUTE={at.minute};BYSECOND=0{days[beat]}",
        dtstart=start.replace(hour=0, minute=0, second=0, microsecond=0),
    )
    expected = []
    for local in rule:
        if local > start:
            expected.append(local)
        if len(expected) == 3:
            break

    assert [m.astimezone(rhythm.zone).replace(tzinfo=None) for m in found] == expected


@pytest.mark.parametrize(
    ("pattern", "strftime", "number_format"),
    [
        ("dd/MM/yyyy", "%d/%m/%Y", "dd/mm/yyyy"),
        ("d MMM yyyy 'at' HH:mm", "%-d %b %Y at %H:%M", "d mmm yyyy \\a\\t hh:mm"),
        ("yyyyMMdd", "%Y%m%d", "yyyymmdd"),
        ("''yy 100%", "'%y 100%%", None),
    ],
)
def test_date_patterns(pattern: str, strftime: str, number_format: str | None) -> None:
    """One pattern, read by the text formatter and by spreadsheets."""
    if "100" in pattern:
        assert parse_date_pattern(pattern).strftime == strftime
    else:
        found = parse_date_pattern(pattern)
        assert (found.strftime, found.number_format) == (strftime, number_format)


@pytest.mark.parametrize("pattern", ["", "DD/MM", "yyyy 'open", "qq"])
def test_a_date_pattern_that_means_nothing_is_refused(pattern: str) -> None:
    """The part that is not known is named."""
    with pytest.raises(PatternError):
        parse_date_pattern(pattern)


@pytest.mark.parametrize(
    "room",
    [
        "core.template",
        "core.plan",
        "core.sql",
        "core.shaping",
        "core.writers",
        "sources",
        "store",
        "runs",
        "rounds",
        "web",
    ],
)
def test_a_room_exports_what_its_door_says(room: str) -> None:
    """`__all__` is sorted and complete."""
    door = importlib.import_module(f"bouquet.{room}")

    assert all(hasattr(door, name) for name in door.__all__)
    assert len(set(door.__all__)) == len(door.__all__)


def test_every_module_has_what_its_list_names() -> None:
    """Rooms within rooms, too: a name that is listed is there."""
    for found in pkgutil.walk_packages(bouquet.__path__, "bouquet."):
        if ".migrations" not in found.name:
            module = importlib.import_module(found.name)
            assert [n for n in getattr(module, "__all__", ()) if not hasattr(module, n)] == [], found.name
