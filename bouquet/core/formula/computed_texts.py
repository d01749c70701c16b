"""
Texts that formulas make in Python.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any

from bouquet.core.formula.computed_numbers import cut, refuse, whole
from bouquet.core.patterns import date_pieces, parse_date_pattern, parse_number_pattern
from bouquet.core.values import WHITE

__all__ = [
    "by_pattern",
    "dated_by_pattern",
    "find",
    "fixed",
    "is_blank",
    "letter",
    "lower",
    "middle",
    "number_said",
    "repeated",
    "replaced",
    "upper",
]

_NUMBER = re.compile(r"[+-]?([0-9]{1,40}(\.[0-9]{0,40})?|\.[0-9]{1,40})([eE][+-]?[0-9]{1,2})?")


def is_blank(value: Any) -> bool:
    return value is None or (isinstance(value, str) and not value.strip(WHITE))


def one_letter(change: Callable[[str], str]) -> Callable[[str], str]:
    """
    Letter by letter: one letter never becomes two, as in databases.
    """
    return lambda text: "".join(c if len(change(c)) != 1 else change(c) for c in text)


lower, upper = one_letter(str.lower), one_letter(str.upper)


def find(needle: str, text: str, start: Decimal | None = None) -> Decimal:
    begin = whole(start, 1, 32_767) if start is not None else 1
    at = text[begin - 1 :].find(needle)
    refuse(at < 0)
    return Decimal(at + begin)


def middle(text: str, start: Decimal, count: Decimal) -> str:
    refuse(start < 1 or count < 0)
    begin = whole(start, 1, 32_767) - 1
    return text[begin : begin + whole(count, 0, 32_767)]


def replaced(text: str, start: Decimal, count: Decimal, new: str) -> str:
    refuse(start < 1 or count < 0)
    begin = whole(start, 1, 32_767) - 1
    return text[:begin] + new + text[begin + whole(count, 0, 32_767) :]


def repeated(text: str, count: Decimal) -> str:
    refuse(count < 0 or count > 1_000)
    return text * int(count)


def number_said(text: str) -> Decimal | None:
    plain = text.strip(WHITE)
    refuse(bool(plain) and not _NUMBER.fullmatch(plain))
    return Decimal(plain) if plain else None


def letter(number: Decimal) -> str:
    refuse(number < 1 or number > 1_114_111 or 55_296 <= number <= 57_343)
    return chr(int(number))


def fixed(number: Decimal, digits: Decimal | None = None) -> str:
    made = cut(number, whole(digits, 0, 15) if digits is not None else 2)
    return f"{made if made else abs(made):f}"


def by_pattern(value: Decimal | date | time, pattern: str) -> str:
    if not isinstance(value, Decimal):
        return dated_by_pattern(value, pattern)
    refuse(abs(value) >= Decimal("1e30"))
    shown = parse_number_pattern(pattern)
    made = cut(value, shown.decimals)
    whole, _, rest = f"{abs(made):f}".partition(".")
    whole = whole.rjust(pattern.partition(".")[0].count("0"), "0")
    if pattern.startswith("#"):
        whole = re.sub(r"(\d)(?=(\d{3})+$)", r"\1,", whole)
    return ("-" if made < 0 else "") + whole + ("." + rest if rest else "")


_MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
           "December")  # fmt: skip
_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")

#: How parts of a date are written, whatever the machine's own library makes of years before 1000.
_PARTS: dict[str, Callable[[Any], str]] = {
    "%Y": lambda v: f"{v.year:04}", "%y": lambda v: f"{v.year % 100:02}", "%B": lambda v: _MONTHS[v.month - 1],
    "%b": lambda v: _MONTHS[v.month - 1][:3], "%m": lambda v: f"{v.month:02}", "%-m": lambda v: str(v.month),
    "%d": lambda v: f"{v.day:02}", "%-d": lambda v: str(v.day), "%A": lambda v: _DAYS[v.weekday()],
    "%a": lambda v: _DAYS[v.weekday()][:3], "%H": lambda v: f"{v.hour:02}", "%-H": lambda v: str(v.hour),
    "%I": lambda v: f"{(v.hour + 11) % 12 + 1:02}", "%-I": lambda v: str((v.hour + 11) % 12 + 1),
    "%M": lambda v: f"{v.minute:02}", "%S": lambda v: f"{v.second:02}", "%p": lambda v: "AM" if v.hour < 12 else "PM",
    "%:z": lambda v: v.isoformat()[-6:] if v.utcoffset() is not None else "+00:00", "%%": lambda _: "%",
}  # fmt: skip


def dated_by_pattern(value: date | time, pattern: str, language: str = "") -> str:
    """
    A date, moment or time by a pattern of `bouquet.core.patterns`, with names in `language`; in English without one.
    """
    whole: Any = value
    if isinstance(value, date) and not isinstance(value, datetime):
        whole = datetime(value.year, value.month, value.day)
    elif isinstance(value, time):
        whole = datetime.combine(date(2000, 1, 1), value)
    made = ""
    for piece in date_pieces(pattern, language):
        if isinstance(piece, str):
            codes = parse_date_pattern(piece).strftime
            made += re.sub(r"%-?:?[A-Za-z%]", lambda m: _PARTS[m.group(0)](whole), codes)
        else:
            made += piece.names[whole.month - 1 if piece.of == "month" else whole.weekday()]
    return made
