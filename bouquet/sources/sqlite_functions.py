"""
What SQLite does not know and `core.sql.dialects.Sqlite` calls by name: exact numbers, order as people order, steps of
time, lists, and formulas. All values travel as SQLite keeps them: numbers and texts; lists as JSON.
"""

from __future__ import annotations

import json
import re
import unicodedata
from datetime import UTC, date, datetime, time, timedelta
from decimal import MAX_EMAX, MIN_EMIN, ROUND_HALF_EVEN, ROUND_HALF_UP, Context, Decimal, localcontext
from functools import cmp_to_key, lru_cache
from hashlib import md5
from typing import Any
from zoneinfo import ZoneInfo

from bouquet.core.formula import dated_by_pattern, divided, evaluate, read_tree
from bouquet.core.sql.ordering import CODE_DIGITS
from bouquet.core.values import DAY_SAID, NO_SAID, NUMBER_SAID, WHITE, WHOLE_SAID, YES_SAID
from bouquet.sources.encodings import text_of

__all__ = ["equip"]

#: Formulas compute exactly; only quotients and the like are rounded, each in its own way.
_EXACT = Context(prec=3_000, Emax=MAX_EMAX, Emin=MIN_EMIN)


def _digest(value: bytes | str | None) -> str | None:
    if value is None:
        return None
    data = value if isinstance(value, bytes) else value.encode("utf-8", "surrogateescape")
    return md5(data, usedforsecurity=False).hexdigest()


def equip(connection: Any, _record: Any) -> None:
    """
    Give SQLite what `core.sql.dialects.Sqlite` calls by name.
    """
    connection.isolation_level = None
    connection.text_factory = text_of
    connection.execute("PRAGMA query_only = ON")
    connection.execute("PRAGMA case_sensitive_like = ON")
    connection.create_collation("bouquet", _compare)
    kept = str(connection.execute("PRAGMA encoding").fetchone()[0])
    # The bytes of a text are in the file's own encoding, which need not be UTF-8.
    read = text_of if kept == "UTF-8" else lambda content: None if content is None else content.decode(kept, "replace")
    for name, count, function in (
        ("bouquet_lower", 1, lambda content: _lowered(read(content))),
        ("bouquet_digest", 1, _digest),
        ("bouquet_text", 1, read),
        ("bouquet_digits", 1, _filled_digits),
        ("bouquet_number", 4, _number_text),
        ("bouquet_divided", 2, _divided),
        ("bouquet_read", 2, _read_text),
        ("bouquet_scaled", 2, _scaled),
        ("bouquet_trimmed", 1, _trimmed),
        ("bouquet_step", 4, _step),
        ("bouquet_next", 3, _next_step),
        ("bouquet_local", 2, _local),
        ("bouquet_clock", 1, _clock),
        ("bouquet_dated", 5, _dated),
        ("bouquet_grouped", 3, _grouped),
        ("bouquet_nth", 2, _nth),
        ("bouquet_joined", 3, _joined),
        ("bouquet_once", 4, _once),
        ("bouquet_formula", -1, lambda *given: _formula(*given)[0]),
        ("bouquet_at_fault", -1, lambda *given: _formula(*given)[1]),
    ):
        connection.create_function(name, count, function, deterministic=True)
    connection.create_aggregate("bouquet_sum", 2, _Sum)
    connection.create_aggregate("bouquet_mean", 2, _Mean)
    connection.create_aggregate("bouquet_least", 1, _Least)
    connection.create_aggregate("bouquet_greatest", 1, _Greatest)
    connection.create_aggregate("bouquet_listed", -1, _Listed)


def _lowered(plain: str | None) -> str | None:
    """
    Letter by letter, as databases do it: a capital dotted I becomes one letter, and a sigma looks at no neighbour.
    """
    if plain is None:
        return None
    return plain.lower() if plain.isascii() else "".join(letter.lower()[0] for letter in plain)


def _compare(a: str, b: str) -> int:
    left, right = _sort_key(a), _sort_key(b)
    return (left > right) - (left < right)


@lru_cache(maxsize=65_536)
def _sort_key(text: str) -> tuple[str, str, str]:
    """
    As people order: spaces, punctuation, symbols, digits, letters; accents decide after all letters, and case last.
    """
    folded = unicodedata.normalize("NFKD", text.casefold().translate(_LETTERS))
    letters = (c for c in folded if not unicodedata.combining(c))
    return "".join(_RANK.get(unicodedata.category(c)[0], "0") + c for c in letters), folded, text.swapcase()


#: Letters that have no accent of their own to be taken off, and stand by others all the same.
_LETTERS = str.maketrans({"æ": "ae", "œ": "oe", "ø": "o", "đ": "d", "ð": "d", "ħ": "h", "ı": "i", "ł": "l", "ŧ": "t"})

#: The order of the general categories of Unicode (UAX 44, 5.7.1).
_RANK = {"Z": "0", "C": "0", "P": "1", "S": "2", "N": "3", "L": "4"}


def _filled_digits(text: str | None) -> str | None:
    return None if text is None else re.sub(r"\d+", lambda m: m.group(0).zfill(CODE_DIGITS), text)


def _exact(value: Any, scale: int) -> Decimal:
    number = Decimal(repr(value)) if isinstance(value, float) else Decimal(str(value))
    return number if scale < 0 else _rounded(number, scale, ROUND_HALF_UP)


def _rounded(number: Decimal, places: int, how: str) -> Decimal:
    """
    A number of any length, rounded; what is no number, or without end, as it is. There is no zero below zero.
    """
    return _EXACT.plus(number.quantize(Decimal(1).scaleb(-places), how, _EXACT)) if number.is_finite() else number


def _digits(number: Decimal) -> str:
    """
    All digits of a number. There is no zero below zero.
    """
    return f"{number if number else abs(number):f}"


def _number_text(value: Any, scale: int, decimals: int, even: int) -> str | None:
    """
    A number as text: with the digits that its column declares, or rounded to so many. -1 stands for "not given".
    """
    if value is None:
        return None
    number = _exact(value, scale)
    if decimals >= 0:
        number = _rounded(number, decimals, ROUND_HALF_EVEN if even else ROUND_HALF_UP)
    text = _digits(number)
    return text.removesuffix(".0") if isinstance(value, float) and scale < 0 and decimals < 0 else text


def _scaled(value: Any, factor: str) -> str | None:
    return None if value is None else _digits(_EXACT.multiply(_exact(value, -1), Decimal(factor)))


def _trimmed(value: Any) -> str | None:
    if value is None:
        return None
    text = _digits(_exact(value, -1))
    return text.rstrip("0").rstrip(".") if "." in text else text


def _step(value: str | None, unit: str, count: int, zone: str) -> str | None:
    """
    The beginning of a step of time: a date for steps of days and longer, else a moment, in UTC where there is a `zone`.
    """
    if value is None:
        return None
    try:
        moment = datetime.fromisoformat(value)
        local = moment.replace(tzinfo=UTC).astimezone(ZoneInfo(zone)) if zone else moment
    except (ValueError, OverflowError):
        # A year that no calendar here has lies in no step.
        return None
    if unit in ("minute", "hour"):
        minute = local.minute - local.minute % count if unit == "minute" else 0
        begun = moment - timedelta(minutes=local.minute - minute, seconds=local.second, microseconds=local.microsecond)
        return begun.isoformat(sep=" ", timespec="seconds")
    day = local.date()
    if unit == "week":
        day -= timedelta(days=day.weekday())
    elif unit != "day":
        month = {"month": day.month, "quarter": day.month - (day.month - 1) % 3, "year": 1}[unit]
        day = day.replace(month=month, day=1)
    return day.isoformat()


def _clock(value: Any) -> Any:
    """
    A moment, in UTC where it has an offset, or a time of day as they are compared: with seconds, and a fraction only
    where there is one. What is neither stays as it is.
    """
    if not isinstance(value, str):
        return value
    try:
        if len(value) > 2 and value[2] == ":":
            return time.fromisoformat(value).isoformat()
        moment = datetime.fromisoformat(value)
        naive = moment.astimezone(UTC).replace(tzinfo=None) if moment.tzinfo else moment
    except (ValueError, OverflowError):
        return value
    return naive.isoformat(sep=" ")


def _divided(total: Any, count: Any) -> str | None:
    return _digits(divided(_exact(total, -1), _exact(count, -1))) if total is not None and count else None


def _read_text(text: Any, stored: str) -> Any:
    """
    A text as what it says, None where it says none.
    """
    plain = "" if text is None else str(text).strip(WHITE)
    if stored == "boolean":
        return 1 if plain.lower() in YES_SAID else 0 if plain.lower() in NO_SAID else None
    if stored == "integer":
        return int(plain) if re.fullmatch(WHOLE_SAID, plain) else None
    if stored == "numeric":
        return float(Decimal(plain)) if re.fullmatch(NUMBER_SAID, plain) else None
    try:
        return date.fromisoformat(plain).isoformat() if re.fullmatch(DAY_SAID, plain) else None
    except ValueError:
        return None


class _Sum:
    """
    An exact sum of decimals, as text.
    """

    def __init__(self) -> None:
        self.total, self.count = Decimal(0), 0

    def step(self, value: Any, scale: int) -> None:
        if value is not None:
            self.total = _EXACT.add(self.total, _exact(value, scale))
            self.count += 1

    def finalize(self) -> str | None:
        return _digits(self.total) if self.count else None


class _Least:
    """
    The least of decimals, as text: as numbers of SQLite they would have sixteen digits.
    """

    greatest = False

    def __init__(self) -> None:
        self.found: Decimal | None = None

    def step(self, value: Any) -> None:
        if value is None:
            return
        number = _exact(value, -1)
        if self.found is None or ((number > self.found) is self.greatest and number != self.found):
            self.found = number

    def finalize(self) -> str | None:
        return _digits(self.found) if self.found is not None else None


class _Greatest(_Least):
    """
    The greatest.
    """

    greatest = True


class _Mean(_Sum):
    """
    An exact mean of decimals, as text.
    """

    def finalize(self) -> str | None:
        return _digits(divided(self.total, Decimal(self.count))) if self.count else None


def _next_step(value: str | None, unit: str, count: int) -> str | None:
    """
    The step of time after one.
    """
    if value is None:
        return None
    if unit in ("minute", "hour"):
        moved = datetime.fromisoformat(value) + timedelta(**{f"{unit}s": count})
        return moved.isoformat(sep=" ", timespec="seconds")
    day = date.fromisoformat(value)
    if unit in ("day", "week"):
        return (day + timedelta(days=count * (7 if unit == "week" else 1))).isoformat()
    months = day.year * 12 + day.month - 1 + count * {"month": 1, "quarter": 3, "year": 12}[unit]
    return date(months // 12, months % 12 + 1, 1).isoformat()


def _local(value: str | None, zone: str) -> str | None:
    """
    A moment in UTC on a zone's wall clock; as it is where no calendar here has it.
    """
    if value is None or zone == "UTC":
        return value
    try:
        moment = datetime.fromisoformat(value).replace(tzinfo=UTC).astimezone(ZoneInfo(zone))
    except (ValueError, OverflowError):
        return value
    return moment.replace(tzinfo=None).isoformat(sep=" ")


def _dated(value: str | None, kind: str, pattern: str, language: str, zone: str) -> str | None:
    """
    A date, moment or time by a pattern with names in a language, or as ISO 8601; a moment on a zone's clock, with its
    offset.
    """
    if value is None:
        return None
    try:
        kinds: dict[str, Any] = {"date": date, "time": time}
        made: Any = kinds.get(kind, datetime).fromisoformat(value)
        if kind == "moment":
            made = made.replace(tzinfo=UTC).astimezone(ZoneInfo(zone))
    except (ValueError, OverflowError):
        return value
    if pattern:
        return dated_by_pattern(made, pattern, language)
    if kind == "date":
        return str(made.isoformat())
    # A fraction of a second only where there is one.
    return str(made.isoformat(timespec="milliseconds" if made.microsecond and not made.microsecond % 1000 else "auto"))


def _grouped(text: str | None, grouping: str, mark: str) -> str | None:
    if text is None:
        return None
    whole, point, rest = text.partition(".")
    return re.sub(r"(\d)(?=(\d{3})+$)", lambda m: m.group(1) + grouping, whole) + (mark if point else "") + rest


class _Listed:
    """
    The values of a group as a JSON list, in order. Each call brings the value, whether it counts, and, for each level
    of the order, its value and how it is ordered: a letter each for descending, blanks first and as people order.
    """

    def __init__(self) -> None:
        self.rows: list[tuple[Any, tuple[Any, ...]]] = []
        self.how: tuple[str, ...] = ()

    def step(self, value: Any, counts: Any, *levels: Any) -> None:
        self.how = levels[1::2]
        if counts:
            self.rows.append((value, levels[::2]))

    def finalize(self) -> str | None:
        ordered = sorted(self.rows, key=cmp_to_key(self._compare)) if self.how else self.rows
        return json.dumps([v for v, _ in ordered], ensure_ascii=False) if ordered else None

    def _compare(self, one: tuple[Any, tuple[Any, ...]], other: tuple[Any, tuple[Any, ...]]) -> int:
        for a, b, how in zip(one[1], other[1], self.how, strict=True):
            if a is None or b is None:
                if (a is None) != (b is None):
                    return -1 if (a is None) == ("b" in how) else 1
                continue
            found = _compare(a, b) if "p" in how else (a > b) - (a < b)
            if found:
                return -found if "d" in how else found
        return 0


def _nth(values: str | None, n: int) -> Any:
    found = json.loads(values) if values is not None else []
    return found[n - 1] if n <= len(found) else None


def _joined(values: str | None, separator: str, at_most: int) -> str | None:
    """
    Listed texts in one, the first `at_most` (-1: all) and how many more there are.
    """
    if values is None:
        return None
    found = [str(v) for v in json.loads(values) if v is not None]
    if at_most < 0 or len(found) <= at_most:
        return separator.join(found)
    return separator.join(found[:at_most]) + f"{separator}+{len(found) - at_most} more"


def _once(values: str | None, blanks: str | None, backwards: int, blanks_first: int) -> str | None:
    """
    The different ones of listed values, each where it first stands; those that only stand as blanks do at one end.
    `blanks` is None where none does.
    """
    if values is None:
        return None
    place: dict[Any, int] = {}
    blank: dict[Any, bool] = {}
    found = json.loads(values)
    flags = json.loads(blanks) if blanks is not None else [False] * len(found)
    for n, (value, empty) in enumerate(zip(found, flags, strict=True)):
        place.setdefault(value, n)
        blank[value] = blank.get(value, True) and bool(empty)
    found = sorted(place, key=lambda v: -place[v] if backwards else place[v])
    found.sort(key=lambda v: blank[v] != bool(blanks_first))
    return json.dumps(found, ensure_ascii=False)


@lru_cache(maxsize=256)
def _formula(tree: str, count: int, *given: Any) -> tuple[Any, int]:
    """
    (value, 1 where there is no result) of a formula, from what its `count` references come to and whether each is at
    fault. A statement asks for both of each row.
    """
    with localcontext(_EXACT):
        value, fault = evaluate(read_tree(tree), given[:count], given[count:])
        return _kept(value), int(fault)


def _kept(value: Any) -> Any:
    if isinstance(value, bool):
        return int(value)
    if isinstance(value, Decimal):
        return _digits(value)
    if isinstance(value, datetime):
        return value.isoformat(sep=" ")
    return value.isoformat() if isinstance(value, date | time) else value
