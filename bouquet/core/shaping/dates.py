"""
Dates as text, by looking days and times of day up in tables made once.

Formatting each of a million moments takes the library ten times as long as looking two texts up and joining them; a
batch that the tables do not fit goes through the library.
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
#: that are kept of each kind: what people may ask for has no end.
WORTH_A_TABLE, LONGEST_FORM, TABLES = 300, 40, 16

#: Codes of the formatter that speak of the time of day, and of the clock's offset.
_TIME = re.compile(r"%-?[HIMSp]|%\.f|%:z")
_DAY = re.compile(r"%-?[YyBbmdAaGVju]")

#: How a month or day whose name is written afterwards stands in a text: its number between marks that no pattern has.
_MARKED = {"month": ("%m", "{:02}"), "day": ("%u", "{}")}

_MINUTE, _SECOND, _DAY_LONG = 60_000_000, 1_000_000, 86_400_000_000


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


@lru_cache(TABLES)
def _times(form: str, unit: int) -> pl.Series:
    moments = pl.int_range(0, _DAY_LONG, unit, dtype=pl.Int64).cast(pl.Datetime("us"))
    return pl.select(moments.dt.to_string(form).alias("t"))["t"]


@lru_cache(1_000)
def _split(form: str) -> tuple[str, str] | None:
    """
    A format as its part for the day and its part for the time; None where they are mixed.
    """
    first = _TIME.search(form)
    if first is None:
        return form, ""
    day, time = form[: first.start()], form[first.start() :]
    return None if _DAY.search(time) else (day, time)


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
    parts = _split(form) if len(values) >= WORTH_A_TABLE and len(form) <= LONGEST_FORM else None
    if parts is None or values.null_count() == len(values):
        return _shown(values, form)
    day, time = parts
    if values.dtype == pl.Date:
        days = values.cast(pl.Int32)
        return _days(form).gather(days - FIRST_DAY) if _within(days) else _shown(values, form)
    local = values.dt.replace_time_zone(None) if getattr(values.dtype, "time_zone", None) else values
    whole = local.dt.cast_time_unit("us").cast(pl.Int64)
    days = whole // _DAY_LONG
    offset = "%:z" in time
    if not _within(days) or (offset and time.count("%:z") > 1):
        return _shown(values, form)
    rest = whole - days * _DAY_LONG
    if "%.f" in time:
        if (rest % _SECOND != 0).any():
            return _shown(values, form)
        time = time.replace("%.f", "")
    zones = _offsets(values, local) if offset else None
    if offset and zones is None:
        return _shown(values, form)
    time = time.replace("%:z", "")
    unit = _SECOND if re.search(r"%-?S", time) else _MINUTE
    pieces = [_days(day).gather((days - FIRST_DAY).cast(pl.UInt32))] if day else []
    if time:
        pieces.append(_times(time, unit).gather((rest // unit).cast(pl.UInt32)))
    if zones is not None:
        pieces.append(zones)
    joined = pl.select(pl.concat_str([p.alias(f"p{n}") for n, p in enumerate(pieces)]).alias("t"))["t"]
    return joined if len(joined) == len(values) else _shown(values, form)


def _within(days: pl.Series) -> bool:
    least, greatest = days.min(), days.max()
    return isinstance(least, int) and isinstance(greatest, int) and least >= FIRST_DAY and greatest < LAST_DAY


def _offsets(values: pl.Series, local: pl.Series) -> pl.Series | None:
    """
    The clock's offset of each moment as `+01:00`; None where there are more than a few, or odd ones.
    """
    if getattr(values.dtype, "time_zone", None) is None:
        return None
    utc = values.dt.convert_time_zone("UTC").dt.replace_time_zone(None)
    minutes = (local.cast(pl.Int64) - utc.cast(pl.Int64)) // _MINUTE
    known = minutes.drop_nulls().unique().to_list()
    if len(known) > 4 or any(abs(m) >= 24 * 60 for m in known):
        return None
    texts = [f"{'-' if m < 0 else '+'}{abs(m) // 60:02d}:{abs(m) % 60:02d}" for m in known]
    return minutes.replace_strict(known, texts, return_dtype=pl.String) if known else None
