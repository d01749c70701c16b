"""
Times as colleagues say them: last month, for two years, since March, before 2000, on 3 May 2024.
"""

from __future__ import annotations

import calendar
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from bouquet.core.asked.tokens import Token, number_in

__all__ = ["When", "read_when"]

_UNITS = ("minute", "hour", "day", "week", "month", "quarter", "year")
_MONTHS = {name.casefold(): n for n, name in enumerate(calendar.month_name) if name} | {
    name.casefold(): n for n, name in enumerate(calendar.month_abbr) if name
}

#: Words before a time, and what they make of it. What stands in no line leaves it as it is.
_SIDES = {
    "before": "before",
    "until": "until",
    "till": "until",
    "after": "after",
    "since": "since",
    "from": "since",
    "for": "within",
    "within": "within",
    "in": "in",
    "during": "in",
    "on": "in",
    "of": "in",
    "over": "in",
}


@dataclass(frozen=True)
class When:
    """
    A condition on a dated field without the field, as in a template document, and how many tokens say it. `open` tells
    that a place in the year was filled in.
    """

    tokens: int
    condition: dict[str, Any]
    filled: bool = False


def read_when(tokens: Sequence[Token], at: int, today: date) -> When | None:
    """
    The time that is said from a token on, with the word before it (before, since, in, for); None where none is.
    """
    side, n = "in", at
    if n < len(tokens) and tokens[n].word in _SIDES:
        side, n = _SIDES[tokens[n].word], n + 1
    while n < len(tokens) and tokens[n].word == "the":
        n += 1
    rolling = n > at and n < len(tokens) and tokens[n - 1].word == "the"
    for read in (_relative, _named, _calendar):
        found = _rolling(tokens, n) if rolling and read is _named else None
        found = found or read(tokens, n, side, today)
        if found is not None:
            taken, condition, filled = found
            return When(n + taken - at, condition, filled)
    return None


_Found = tuple[int, dict[str, Any], bool]


def _window(**parts: Any) -> dict[str, Any]:
    return {"is": "in_window", "window": parts}


def _word(tokens: Sequence[Token], n: int) -> str:
    return tokens[n].word if n < len(tokens) else ""


def _relative(tokens: Sequence[Token], n: int, side: str, _: date) -> _Found | None:
    """
    A number of units: the last 30 days, for two years, more than a year ago, in the past 6 months.
    """
    start, than = n, ""
    if _word(tokens, n) in ("more", "longer", "older", "less", "fewer", "younger") and _word(tokens, n + 1) == "than":
        than, n = "more" if _word(tokens, n) in ("more", "longer", "older") else "less", n + 2
    past = _word(tokens, n) in ("last", "past", "previous")
    n += past
    count = number_in(tokens[n]) if n < len(tokens) else None
    if count is None or count != int(count) or not 1 <= count <= 100_000 or _word(tokens, n + 1) not in _UNITS:
        return None
    unit, n = _word(tokens, n + 1), n + 2
    ago = _word(tokens, n) == "ago"
    n += ago
    if than == "more" or (ago and side in ("before", "until")):
        return n - start, _window(type="before_ago", count=int(count), unit=unit), False
    if unit == "day" and past and not ago:
        return n - start, _window(type="last", count=int(count), unit="day"), False
    if past or ago or than == "less" or side == "within":
        return n - start, _window(type="after_ago", count=int(count), unit=unit), False
    return None


def _rolling(tokens: Sequence[Token], n: int) -> _Found | None:
    """
    The last year, which is the twelve months until now; “last year” is the calendar's.
    """
    if _word(tokens, n) in ("last", "past") and _word(tokens, n + 1) in _UNITS:
        return 2, _window(type="after_ago", count=1, unit=_word(tokens, n + 1)), False
    return None


def _named(tokens: Sequence[Token], n: int, side: str, _: date) -> _Found | None:
    """
    A period that has a name: today, last month, this year, the financial year before.
    """
    days = {"today": "this", "yesterday": "previous", "tomorrow": "next"}
    if side not in ("in", "within") and tokens[n - 1].word not in ("from", "for"):
        return None
    word = _word(tokens, n)
    if word in days:
        return 1, _window(type=days[word], unit="day"), False
    kinds = {"last": "previous", "previous": "previous", "this": "this", "current": "this", "next": "next"}
    unit = _word(tokens, n + 1)
    taken = 2
    if unit == "financial" and _word(tokens, n + 2) == "year":
        unit, taken = "financial_year", 3
    if word in kinds and unit in (*_UNITS[2:], "financial_year"):
        so_far = _word(tokens, n + taken) == "so" and _word(tokens, n + taken + 1) == "far"
        kind = "to_date" if so_far and unit != "day" else kinds[word]
        return taken + 2 * so_far, _window(type=kind, unit=unit), False
    return None


def _calendar(tokens: Sequence[Token], n: int, side: str, today: date) -> _Found | None:
    """
    A day, month or year of the calendar, before, after, since, until or in it.
    """
    if side == "in" and _word(tokens, n) == "between":
        first = _period(tokens, n + 1, today)
        if first is None or _word(tokens, n + 1 + first[0]) != "and":
            return None
        last = _period(tokens, n + 2 + first[0], today)
        if last is None or last[2] < first[1]:
            return None
        return 2 + first[0] + last[0], _between(first[1], last[2]), first[3] or last[3]
    found = _period(tokens, n, today)
    if found is None:
        return None
    taken, begins, ends, filled = found
    # A lone number is a year only where something says so.
    bare = taken == 1 and number_in(tokens[n]) is not None
    if bare and side == "in" and (n == 0 or tokens[n - 1].word not in _SIDES):
        return None
    try:
        condition = _on_a_side(side, begins, ends)
    except OverflowError:
        return None
    return taken, condition, filled


def _between(first: date, last: date) -> dict[str, Any]:
    return _window(type="between", first=first.isoformat(), last=last.isoformat())


def _period(tokens: Sequence[Token], n: int, today: date) -> tuple[int, date, date, bool] | None:
    """
    (tokens, first day, last day, whether the year was filled in) of a day, a month or a year.
    """
    if n >= len(tokens):
        return None
    day = _day(tokens[n].text)
    if day is not None:
        return 1, day, day, False
    words = [_word(tokens, k) for k in range(n, n + 3)]
    if words[0] in _MONTHS:
        year = _year(words[1])
        taken, filled = (2, False) if year else (1, True)
        month = _MONTHS[words[0]]
        year = year or today.year - (month > today.month)
        return taken, date(year, month, 1), date(year, month, calendar.monthrange(year, month)[1]), filled
    if words[0].isdecimal() and words[1] in _MONTHS:
        year = _year(words[2])
        try:
            day = date(year or today.year, _MONTHS[words[1]], int(words[0]))
        except ValueError:
            return None
        if not year and day > today:
            day = day.replace(year=day.year - 1) if (day.month, day.day) != (2, 29) else day
        return 3 if year else 2, day, day, not year
    year = _year(words[0])
    return (1, date(year, 1, 1), date(year, 12, 31), False) if year else None


def _year(word: str) -> int:
    return int(word) if len(word) == 4 and word.isdecimal() and 1800 <= int(word) <= 2199 else 0


def _day(text: str) -> date | None:
    try:
        if text[4:5] == "-":
            return date.fromisoformat(text)
        day, month, year = text.replace("/", ".").split(".")
        return date(int(year), int(month), int(day))
    except ValueError:
        return None


def _on_a_side(side: str, begins: date, ends: date) -> dict[str, Any]:
    """
    The condition of lying before, after or in a span of days.
    """
    if side == "before":
        return {"is": "before", "value": begins.isoformat()}
    if side == "until":
        return {"is": "before", "value": (ends + timedelta(days=1)).isoformat()}
    if side == "after":
        return {"is": "after", "value": ends.isoformat()}
    if side == "since":
        return {"is": "after", "value": (begins - timedelta(days=1)).isoformat()}
    return _between(begins, ends)
