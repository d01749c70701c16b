"""
Coverage: which days of the next year fall into no run of a round, or into several, and a window that would cure it.

Computed, not guessed: the planned moments, each with its window, are laid on the time line.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

from bouquet.core.language import WEEKLY, day_words, listed, month_words, tr, weekday_words
from bouquet.core.template.filter import AllOf, Condition, Narrowing, Window
from bouquet.core.windows import resolve_window, window_words

__all__ = ["Coverage", "cover", "coverage_words", "covered_days", "window_of"]

#: Windows that are tried as a cure, the plainest first.
_CURES = (
    *(Window(type="previous", unit=unit) for unit in ("day", "week", "month", "quarter", "year", "financial_year")),
    *(Window(type="last", unit="day", count=n) for n in range(2, 32)),
    Window(type="this", unit="day"),
    Window(type="this", unit="week"),
    Window(type="this", unit="month"),
)

_NEARLY_ALL = 0.95

#: Moments by which most windows are seen to be no cure.
_FEW = 12

#: What a round with any rhythm covers without a gap: from one delivered run to the next.
_ALWAYS = Window(type="since_last_run")


@dataclass(frozen=True)
class Coverage:
    """
    Of `days` days, those with a part that is in no run and those with a part that is in several, in order. `cure` is a
    window that would have each in exactly one; None where the round has that, or where nothing would.
    """

    days: int
    none: tuple[date, ...]
    twice: tuple[date, ...]
    cure: Window | None = None

    @property
    def whole(self) -> bool:
        return not self.none and not self.twice


def window_of(narrowing: Narrowing) -> tuple[str, Window] | None:
    """
    (path, window) of the one window that every row must meet; None where there is none, or more than one.
    """
    parts = narrowing.all if isinstance(narrowing, AllOf) else (narrowing,)
    found = [p for p in parts if isinstance(p, Condition) and p.window is not None and p.path is not None]
    if len(found) != 1 or found[0].window is None or found[0].path is None:
        return None
    return found[0].path, found[0].window


def cover(
    moments: Sequence[datetime], window: Window, zone: ZoneInfo, *, year_start: int = 4, cure: bool = True
) -> Coverage | None:
    """
    How the windows of planned moments, in order, cover the days between the first one's and the last one's. None for
    windows that are open at an end, or with fewer than two moments.
    """
    if window.type == "since_last_run" or len(moments) < 2:
        return None
    spans = [resolve_window(window, m, zone, year_start=year_start) for m in moments]
    known = [(s.start, s.end) for s in spans if s.start is not None and s.end is not None]
    if len(known) < len(spans) or window.type == "between":
        return None
    # Where the first window begins others would have ended; where the last one ends others would begin.
    begin, end = known[0][1], known[-1][1]
    if end <= begin:
        return None
    changes: Counter[datetime] = Counter()
    for start, until in known:
        changes[start] += 1
        changes[until] -= 1
    none: dict[date, None] = {}
    twice: dict[date, None] = {}
    depth, edges = 0, sorted(changes)
    for here, following in pairwise(edges):
        depth += changes[here]
        first, last = max(here, begin), min(following, end)
        if first < last and depth != 1:
            (none if depth == 0 else twice).update(dict.fromkeys(_days(first, last, zone)))
    total = sum(1 for _ in _days(begin, end, zone))
    found = Coverage(total, tuple(none), tuple(twice))
    if found.whole or not cure:
        return found
    return Coverage(total, found.none, found.twice, _cure(moments, window, zone, year_start))


def _cure(moments: Sequence[datetime], window: Window, zone: ZoneInfo, year_start: int) -> Window:
    for candidate in _CURES:
        # A few moments tell of most that they are none.
        few = cover(moments[:_FEW], candidate, zone, year_start=year_start, cure=False)
        if candidate == window or (few is not None and not few.whole):
            continue
        tried = cover(moments, candidate, zone, year_start=year_start, cure=False)
        if tried is not None and tried.whole:
            return candidate
    return _ALWAYS


def _days(first: datetime, last: datetime, zone: ZoneInfo) -> Iterator[date]:
    """
    The local days with any part in `[first, last)`.
    """
    day, until = first.astimezone(zone).date(), (last - timedelta(microseconds=1)).astimezone(zone).date()
    while day <= until:
        yield day
        day += timedelta(days=1)


def covered_days(moments: Sequence[datetime], window: Window, zone: ZoneInfo, *, year_start: int = 4) -> list[str]:
    """
    The days that each moment's window covers, in words; empty for a window that is open at an end.
    """
    found = []
    for moment in moments:
        span = resolve_window(window, moment, zone, year_start=year_start) if window.type != _ALWAYS.type else None
        if span is None or span.start is None or span.end is None or span.end <= span.start:
            found.append("")
            continue
        first = span.start.astimezone(zone).date()
        last = (span.end - timedelta(microseconds=1)).astimezone(zone).date()
        found.append(_day(first) if first == last else tr("{first} to {last}", first=_day(first), last=_day(last)))
    return found


def _day(day: date) -> str:
    return f"{weekday_words(day.weekday(), short=True)} {day_words(day)}"


def coverage_words(found: Coverage) -> list[str]:
    """
    What there is to say of a round's coverage, a sentence each.
    """
    if found.whole:
        return [tr("Every day falls into exactly one run.")]
    said = []
    if found.none:
        said.append(tr("{none} would be in no run.", none=_some(found.none, found.days)))
    if found.twice:
        said.append(tr("{twice} would be in more than one run.", twice=_some(found.twice, found.days)))
    if found.cure is not None:
        said.append(tr("With “{cure}” each would be in one.", cure=window_words(found.cure)))
    return said


def _some(days: Sequence[date], total: int) -> str:
    """
    Days in words: all of them, by their weekday where these say it all, or counted.
    """
    if len(days) >= _NEARLY_ALL * total:
        # At both ends of the time that is looked at, windows beyond it would have their part.
        return tr("Every day")
    weekdays = sorted({d.weekday() for d in days})
    such = [n for n in range(total) if (days[0] + timedelta(days=n)).weekday() in weekdays]
    if len(weekdays) <= 3 and len(days) >= len(such) - len(weekdays) * 2:
        return listed([tr(WEEKLY[n]) for n in weekdays])
    return tr(
        "{days} of {total} days of the next year, such as {weekday} {day} {month},",
        days=len(days),
        total=total,
        weekday=weekday_words(days[0].weekday()),
        day=days[0].day,
        month=month_words(days[0].month),
    )
