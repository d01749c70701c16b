"""
Windows: spans of days relative to the as-of moment.

All are half-open `[start, end)` in the template's zone; a day is the local day, 23 or 25 hours long when
the clocks change.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, tzinfo

from dateutil.relativedelta import relativedelta

from bouquet.core.language import CONSTANT, PLURAL, day_words, moment_words, tr, trn
from bouquet.core.template.filter import Window

__all__ = [
    "MOST_FILLED",
    "Span",
    "later",
    "on_the_clock",
    "read_window",
    "resolve_window",
    "span_words",
    "window_words",
]


#: Steps of time that are filled at most: about the rows that a spreadsheet has.
MOST_FILLED = 1_000_000


@dataclass(frozen=True)
class Span:
    """
    `[start, end)` as moments in the template's zone; None is open on that side.
    """

    start: datetime | None
    end: datetime | None

    @property
    def first_day(self) -> date | None:
        return self.start.date() if self.start else None

    @property
    def last_day(self) -> date | None:
        """
        The last day that has any part inside.
        """
        return (self.end - timedelta(microseconds=1)).date() if self.end else None

    def within(self, other: Span) -> Span:
        """
        What both have in common; it ends where it begins, where that is nothing.
        """
        starts = [m for m in (self.start, other.start) if m is not None]
        ends = [m for m in (self.end, other.end) if m is not None]
        start, end = max(starts, default=None), min(ends, default=None)
        return Span(start, max(start, end) if start is not None and end is not None else end)

    @property
    def whole_days(self) -> bool:
        return all(m is None or m.time() == time(0) for m in (self.start, self.end))


def later(moment: datetime, by: timedelta = timedelta(days=1)) -> datetime:
    """
    A moment so much later, by the clock; the end of the calendar where that is beyond it.
    """
    try:
        return moment + by
    except OverflowError:
        return datetime.max.replace(tzinfo=moment.tzinfo)


def on_the_clock(moment: datetime, zone: tzinfo) -> datetime:
    """
    A moment on a zone's clock; as it is where that clock shows a year that no calendar here has.
    """
    try:
        return moment.astimezone(zone)
    except OverflowError:
        return moment


def _midnight(day: date, zone: tzinfo) -> datetime:
    return datetime.combine(day, time(0), zone)


def _first_of(unit: str, day: date, year_start: int) -> date:
    """
    The first day of the period that `day` lies in; weeks begin on Monday (ISO 8601).
    """
    if unit == "week":
        return day - timedelta(days=day.weekday())
    if unit == "month":
        return day.replace(day=1)
    if unit == "quarter":
        return day.replace(month=(day.month - 1) // 3 * 3 + 1, day=1)
    if unit == "year":
        return day.replace(month=1, day=1)
    if unit == "financial_year":
        return day.replace(year=day.year - (day.month < year_start), month=year_start, day=1)
    return day


_STEP = {
    "day": relativedelta(days=1),
    "week": relativedelta(weeks=1),
    "month": relativedelta(months=1),
    "quarter": relativedelta(months=3),
    "year": relativedelta(years=1),
    "financial_year": relativedelta(years=1),
}


def resolve_window(
    window: Window, as_of: datetime, zone: tzinfo, *, year_start: int = 4, last_run_at: datetime | None = None
) -> Span:
    """
    The span a window comes to at `as_of`.

    `year_start` is the first month of the financial year, 1 to 12; `last_run_at` the as-of moment of the last run
    that was delivered, None when there was none yet.
    Raises ValueError with a sentence for a person when the window lacks a date or its dates are reversed.
    """
    now = as_of.astimezone(zone)
    today = now.date()
    kind, n, unit = window.type, window.count, window.unit
    if kind == "all_time":
        return Span(None, None)
    if kind == "since_last_run":
        return Span(last_run_at.astimezone(zone) if last_run_at else None, now)
    if kind == "between":
        if not window.first or not window.last:
            msg = tr("A window between two dates needs both.")
            raise ValueError(msg)
        first, last = date.fromisoformat(window.first), date.fromisoformat(window.last)
        if last < first:
            msg = tr("The window ends ({last}) before it begins ({first}).", last=last, first=first)
            raise ValueError(msg)
        return Span(_midnight(first, zone), _midnight(last + timedelta(days=1), zone))
    if kind == "before_days_ago":
        return Span(None, _midnight(today - timedelta(days=n), zone))
    if kind == "after_days_ago":
        return Span(_midnight(today - timedelta(days=n - 1), zone), None)
    if kind in ("last", "before_ago", "after_ago") and unit in ("minute", "hour"):
        # Elapsed time, not wall-clock time: an hour is an hour also in the night the clocks change.
        back = timedelta(minutes=n) if unit == "minute" else timedelta(hours=n)
        then = (now.astimezone(UTC) - back).astimezone(zone)
        return {"last": Span(then, now), "before_ago": Span(None, then), "after_ago": Span(then, None)}[kind]
    if unit not in _STEP:
        msg = tr("There is no window “{window}”.", window=f"{kind} {unit}")
        raise ValueError(msg)
    step = _STEP[unit]
    if kind in ("before_ago", "after_ago"):
        then = _midnight(today - step * n, zone)
        return Span(None, then) if kind == "before_ago" else Span(then, None)
    current = _first_of(unit, today, year_start)
    if kind == "to_date":
        return Span(_midnight(current, zone), _midnight(today + timedelta(days=1), zone))
    begins, ends = {
        "this": (current, current + step),
        "previous": (current - step * n, current - step * (n - 1)),
        "next": (current + step * n, current + step * (n + 1)),
        "last": (current - step * (n - window.with_current), current + step * int(window.with_current)),
    }[kind]
    return Span(_midnight(begins, zone), _midnight(ends, zone))


def span_words(span: Span, as_of: datetime) -> str:
    """
    The dates a span comes to: `24 Oct – 22 Nov`; years only where they are not this year.
    """
    if span.start is None and span.end is None:
        return ""
    if not span.whole_days and span.start and span.end:
        if span.end - span.start > timedelta(days=1):
            return f"{moment_words(span.start)} – {moment_words(span.end)}"
        return f"{span.start:%H:%M} – {span.end:%H:%M}"
    if not span.whole_days and span.end:
        return tr("until {end}", end=moment_words(span.end))
    first, last = span.first_day, span.last_day
    years = {d.year for d in (first, last) if d}
    year = years != {as_of.year}
    if first and last:
        if first == last:
            return day_words(first, year=year)
        return f"{day_words(first, year=year and first.year != last.year)} – {day_words(last, year=year)}"
    if span.start and not span.whole_days:
        return tr("from {start}", start=moment_words(span.start))
    if last:
        return tr("until {end}", end=day_words(last, year=year))
    return tr("from {start}", start=day_words(first, year=year)) if first else ""


_UNITS = ("minute", "hour", "day", "week", "month", "quarter", "year", "financial year")

# Phrases are whole texts for each unit: other languages bend their words by it.
for _unit in _UNITS:
    CONSTANT.update(
        text.format(unit=_unit)
        for text in ("with this {unit}", "this {unit}", "the {unit} before", "the next {unit}", "this {unit} so far")
    )
    PLURAL.update(
        (one.format(unit=_unit), several.format(unit=_unit, n="{n}"))
        for one, several in (
            ("the last {unit}", "the last {n} {unit}s"),
            ("more than 1 {unit} ago", "more than {n} {unit}s ago"),
            ("1 {unit} ago or later", "{n} {unit}s ago or later"),
            ("the {unit} 1 {unit} ago", "the {unit} {n} {unit}s ago"),
            ("the {unit} in 1 {unit}", "the {unit} in {n} {unit}s"),
        )
    )


def window_words(window: Window) -> str:
    """
    A window as people say it, without its dates: `the last 30 days`.
    """
    n, unit = window.count, window.unit.replace("_", " ")
    if window.type == "last":
        many = trn(f"the last {unit}", f"the last {{n}} {unit}s", n)
        with_current = window.with_current and unit not in ("minute", "hour")
        return f"{many} {tr(f'with this {unit}')}" if with_current else many
    if window.type == "previous" and n > 1:
        return trn(f"the {unit} 1 {unit} ago", f"the {unit} {{n}} {unit}s ago", n)
    if window.type == "next" and n > 1:
        return trn(f"the {unit} in 1 {unit}", f"the {unit} in {{n}} {unit}s", n)
    if window.type in ("this", "previous", "next") and unit == "day":
        return {"this": tr("today"), "previous": tr("yesterday"), "next": tr("tomorrow")}[window.type]
    return {
        "before_ago": trn(f"more than 1 {unit} ago", f"more than {{n}} {unit}s ago", n),
        "after_ago": trn(f"1 {unit} ago or later", f"{{n}} {unit}s ago or later", n),
        "this": tr(f"this {unit}"),
        "previous": tr(f"the {unit} before"),
        "next": tr(f"the next {unit}"),
        "to_date": tr(f"this {unit} so far"),
        "between": tr("these dates"),
        "before_days_ago": trn("more than {n} day ago", "more than {n} days ago", n),
        "after_days_ago": tr("the last {n} days with today and later", n=n),
        "since_last_run": tr("the time since the last delivered run"),
        "all_time": tr("all time"),
    }[window.type]


_UNIT = r"(?P<unit>minute|hour|day|week|month|quarter|financial[ _]year|year)s?"
_COUNT = r"(?P<count>\d{1,3}(?:,\d{3})+|\d{1,6})"
_DATE = r"\d{4}-\d\d-\d\d"

#: What people say of a period, and the window that it is.
_SAID: tuple[tuple[str, Callable[[re.Match[str]], dict[str, object]]], ...] = (
    (r"today", lambda m: {"type": "this"}),
    (r"yesterday", lambda m: {"type": "previous"}),
    (r"tomorrow", lambda m: {"type": "next"}),
    (r"all(?: |_)time", lambda m: {"type": "all_time"}),
    (r"(?:the time )?since (?:the )?last (?:delivered )?run|since_last_run", lambda m: {"type": "since_last_run"}),
    (
        rf"(?:the )?last (?:{_COUNT} )?{_UNIT}(?P<current> with (?:today|this \w+(?: year)?))?",
        lambda m: {"type": "last", **({"with_current": True} if m["current"] else {})},
    ),
    (rf"this {_UNIT}", lambda m: {"type": "this"}),
    (rf"this {_UNIT} (?:so far|to date)|to_date {_UNIT.replace('<unit>', '<other>')}", lambda m: {"type": "to_date"}),
    (rf"(?:the )?previous {_UNIT}", lambda m: {"type": "previous"}),
    (rf"the {_UNIT} before", lambda m: {"type": "previous"}),
    (rf"(?:the )?next {_UNIT}", lambda m: {"type": "next"}),
    (rf"the (?:{_UNIT.replace('<unit>', '<other>')}) {_COUNT} {_UNIT} ago", lambda m: {"type": "previous"}),
    (rf"the (?:{_UNIT.replace('<unit>', '<other>')}) in {_COUNT} {_UNIT}", lambda m: {"type": "next"}),
    (rf"more than {_COUNT} {_UNIT} ago", lambda m: {"type": "before_ago"}),
    (rf"{_COUNT} {_UNIT} ago or later", lambda m: {"type": "after_ago"}),
    (
        rf"(?:between )?(?P<first>{_DATE}) (?:to|and|until) (?P<last>{_DATE})",
        lambda m: {"type": "between", "first": m["first"], "last": m["last"]},
    ),
    (rf"(?P<first>{_DATE})", lambda m: {"type": "between", "first": m["first"], "last": m["first"]}),
)


def read_window(text: str) -> Window | None:
    """
    The window that people mean by words such as `previous month`, `last 30 days`, `2026-01-01 to 2026-01-31`; what
    `window_words` says is read back. None where the words mean none.
    """
    said = " ".join(text.split()).casefold()
    for pattern, made in _SAID:
        found = re.fullmatch(pattern, said)
        if found is not None:
            named = found.groupdict()
            unit = (named.get("unit") or named.get("other") or "day").replace(" ", "_")
            count = {"count": int(named["count"].replace(",", ""))} if named.get("count") else {}
            try:
                return Window.model_validate({"unit": unit, **count, **made(found)})
            except ValueError:
                return None
    return None
