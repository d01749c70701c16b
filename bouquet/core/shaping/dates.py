"""
Dates as text, with names of months and days in any language; days by looking them up in tables made once.

Formatting each of many days takes the library four to fourteen times as long as looking them up; of moments, in batches
of some thousands, a table of times of day was no faster.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache

import polars as pl

from bouquet.core.patterns import Names, parse_date_pattern

__all__ = ["dated_text", "names_by_mark", "written_form"]

#: The days that tables hold, counted from 1970-01-01: from 1880 to the end of 2100.
FIRST_DAY, LAST_DAY = -32_872, 47_846

#: Rows of a batch from which on a table is worth being made, letters of a form that it is made for at most, and tables
#: that are kept: what people may ask for has no end.
WORTH_A_TABLE, LONGEST_FORM, TABLES = 300, 40, 16

#: Codes of the formatter that speak of the time of day, and of the clock's offset.
_TIME = re.compile(r"%-?[HIMSp]|%\.f|%:z")

#: How a month or day whose name is written afterwards stands in a text: its number between marks that no pattern has.
_MARKED = {"month": ("%m", "{:02}"), "day": ("%u", "{}")}


def written_form(pieces: Iterable[str | Names]) -> str:
    """
    The formatter's codes of a pattern in pieces, with marks where its names belong.
    """
    return "".join(parse_date_pattern(p).strftime if isinstance(p, str) else _mark(p, _MARKED[p.of][0]) for p in pieces)


def names_by_mark(pieces: Iterable[str | Names]) -> dict[str, str]:
    """
    The names that stand for the marks of `written_form`.
    """
    found: dict[str, str] = {}
    for piece in pieces:
        if not isinstance(piece, str):
            number = _MARKED[piece.of][1]
            found |= {_mark(piece, number.format(n)): name for n, name in enumerate(piece.names, 1)}
    return found


def _mark(piece: Names, number: str) -> str:
    return f"\x01{piece.field}{number}\x01"


@lru_cache(TABLES)
def _days(form: str) -> pl.Series:
    return pl.select(pl.int_range(FIRST_DAY, LAST_DAY, dtype=pl.Int32).cast(pl.Date).dt.to_string(form).alias("t"))["t"]


def _shown(values: pl.Series, form: str) -> pl.Series:
    """
    As the library writes them; a year after 9999 without the sign that it puts before it.
    """
    text = values.dt.to_string(form)
    return text.str.strip_prefix("+") if form.startswith("%Y") else text


def dated_text(values: pl.Series, form: str) -> pl.Series:
    """
    Dates or moments as text. `form` has the codes of `Expr.dt.to_string`; moments are on their zone's wall clock.
    """
    if values.dtype == pl.Date and _TIME.search(form):
        # A date is the beginning of its day.
        values = values.cast(pl.Datetime("us"))
    elif values.dtype == pl.Date and len(values) >= WORTH_A_TABLE and len(form) <= LONGEST_FORM:
        days = values.cast(pl.Int32)
        if _within(days):
            return _days(form).gather(days - FIRST_DAY)
    return _shown(values, form)


def _within(days: pl.Series) -> bool:
    least, greatest = days.min(), days.max()
    return isinstance(least, int) and isinstance(greatest, int) and least >= FIRST_DAY and greatest < LAST_DAY
