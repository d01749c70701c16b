"""
Dates that no calendar of the library holds: PostgreSQL's `infinity` and `-infinity`, and years beyond 9999 or before 1.

A frame keeps such a value as null in its dated column `c{n}`, and its text in `far{n}` beside it.
"""

from __future__ import annotations

from datetime import date, timedelta

import polars as pl
import pyarrow as pa

__all__ = ["FAR", "far_column", "near_dates"]

#: What the name of a column of such texts begins with.
FAR = "far"

#: PostgreSQL counts from 2000-01-01 and keeps the greatest and the least integer for its infinities; counted from
#: 1970-01-01 these overflow to (infinity, -infinity).
_INFINITE_DAYS = (-2_147_472_692, -2_147_472_691)
_INFINITE_MOMENTS = (-9_222_425_352_054_775_809, -9_222_425_352_054_775_808)

#: The days from 0001-01-01 to 9999-12-31, counted from 1970-01-01.
_FIRST_DAY, _LAST_DAY = -719_162, 2_932_896
_DAY = 86_400_000_000

#: The first moment that PostgreSQL has, in the year 4714 before ours.
_FIRST_MOMENT = -210_866_803_200_000_000

#: Days of 400 years.
_CYCLE = 146_097
_EPOCH = date(1970, 1, 1)


def far_column(name: str) -> str:
    """
    The column that keeps the far dates of `name`.
    """
    return f"{FAR}{name[1:]}"


def near_dates(values: pa.Array) -> tuple[pa.Array, pl.Series | None]:
    """
    Dates or moments with null for each far one, and the texts of those; None where there are none, as nearly always.
    """
    if pa.types.is_time64(values.type):
        return _near_times(values)
    dates = pa.types.is_date32(values.type)
    if not dates and not (pa.types.is_timestamp(values.type) and values.type.unit == "us"):
        return values, None
    zoned = not dates and values.type.tz is not None
    numbers = values.view(pa.int32() if dates else pa.int64())
    first, last = (_FIRST_DAY, _LAST_DAY) if dates else (_FIRST_DAY * _DAY, (_LAST_DAY + 1) * _DAY - 1)
    seen = _series(numbers)
    if not seen.is_between(first, last).not_().any():
        return values, None
    near, far = _without(values, seen.is_between(first, last))
    infinite = _INFINITE_DAYS if dates else _INFINITE_MOMENTS
    texts = [
        None if not odd else _text(n, infinite, of_days=dates, zoned=zoned) for n, odd in zip(seen, far, strict=True)
    ]
    return near, pl.Series(texts, dtype=pl.String)


def _near_times(values: pa.Array) -> tuple[pa.Array, pl.Series | None]:
    """
    The same for times of day: midnight at the day's end, 24:00, is one that a database keeps and a library has not.
    """
    seen = _series(values.view(pa.int64()))
    if not (seen >= _DAY).any():
        return values, None
    near, far = _without(values, seen < _DAY)
    return near, pl.Series(["24:00:00" if odd else None for odd in far], dtype=pl.String)


def _series(numbers: pa.Array) -> pl.Series:
    found = pl.from_arrow(numbers)
    assert isinstance(found, pl.Series)
    return found


def _without(values: pa.Array, kept: pl.Series) -> tuple[pa.Array, list[bool]]:
    """
    (the values that are kept, null for the others; which are the others)
    """
    # The functions on arrays take 8 MB, and far dates are rare.
    import pyarrow.compute as pc

    far = [odd is True for odd in kept.not_()]
    return pc.if_else(pa.array(far), pa.scalar(None, values.type), values), far


def _text(number: int, infinite: tuple[int, int], *, of_days: bool, zoned: bool = False) -> str:
    if number in infinite:
        return "infinity" if number == infinite[0] else "-infinity"
    if not of_days and number < _FIRST_MOMENT:
        # What the database has after the year 294246 is beyond 64 bits when it is counted from 1970, and wraps round.
        number += 2**64
    days, rest = (number, 0) if of_days else divmod(number, _DAY)
    year, month, day = _civil(days)
    era = " BC" if year < 1 else ""
    text = f"{year if year > 0 else 1 - year:04d}-{month:02d}-{day:02d}"
    if not of_days:
        seconds, fraction = divmod(rest, 1_000_000)
        text += f"T{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}"
        text += f".{fraction:06d}".rstrip("0") if fraction else ""
        text += "+00:00" if zoned else ""
    return text + era


def _civil(days: int) -> tuple[int, int, int]:
    """
    The day of the Gregorian calendar, counted back before it began (ISO 8601), so many days after 1970-01-01; the year
    before 1 is 0. Whole cycles of 400 years are taken off, as every one has the same days.
    """
    cycles, rest = divmod(days, _CYCLE)
    found = _EPOCH + timedelta(days=rest)
    return found.year + 400 * cycles, found.month, found.day
