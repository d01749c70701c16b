"""
Patterns of dates and numbers, translated for each writer. Those of dates are a subset of the fields of Unicode
Technical Standard 35.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from bouquet.core.language import tr

__all__ = ["DatePattern", "NumberPattern", "PatternError", "parse_date_pattern", "parse_number_pattern"]

#: UTS 35 field → (code of the text formatter, of a spreadsheet number format, of PostgreSQL's to_char).
_FIELDS = {
    "yyyy": ("%Y", "yyyy", "YYYY"),
    "yy": ("%y", "yy", "YY"),
    "MMMM": ("%B", "mmmm", "FMMonth"),
    "MMM": ("%b", "mmm", "Mon"),
    "MM": ("%m", "mm", "MM"),
    "M": ("%-m", "m", "FMMM"),
    "dd": ("%d", "dd", "DD"),
    "d": ("%-d", "d", "FMDD"),
    "EEEE": ("%A", "dddd", "FMDay"),
    "EEE": ("%a", "ddd", "Dy"),
    "HH": ("%H", "hh", "HH24"),
    "H": ("%-H", "h", "FMHH24"),
    "hh": ("%I", "hh", "HH12"),
    "h": ("%-I", "h", "FMHH12"),
    "mm": ("%M", "mm", "MI"),
    "ss": ("%S", "ss", "SS"),
    "a": ("%p", "AM/PM", "AM"),
    "xxx": ("%:z", "", "TZH:TZM"),
}

_TOKEN = re.compile(r"'((?:[^']|'')*)'|([A-Za-z])\2*|([^A-Za-z']+)")


class PatternError(ValueError):
    """
    The pattern has a part that is not known.
    """


@dataclass(frozen=True)
class DatePattern:
    """
    A date pattern as the text formatter (`strftime` codes), a spreadsheet (number format) and the database (`to_char`)
    read it.
    """

    strftime: str
    number_format: str
    to_char: str
    #: Its first part that only a day has, and its part that only a moment has; empty where there is none.
    of_day: str = ""
    of_moment: str = ""


def parse_date_pattern(pattern: str) -> DatePattern:
    """
    Translate a UTS 35 pattern such as `dd/MM/yyyy HH:mm`. Text between single quotes stands for itself.

    Raises PatternError naming the part that is not known.
    """
    strftime, number_format, to_char, at = "", "", "", 0
    of_day, of_moment = "", ""
    while at < len(pattern):
        found = _TOKEN.match(pattern, at)
        if found is None:
            msg = tr(
                "The date pattern has a quotation mark that is never closed: {pattern}",
                pattern=pattern[at:],
            )
            raise PatternError(msg)
        at = found.end()
        text = found.group(0)
        if found.group(2):
            if text not in _FIELDS:
                msg = tr("“{what}” is not a part of a date; use yyyy, MM, dd, HH, mm, ss, MMM or EEE.", what=text)
                raise PatternError(msg)
            if text == "xxx":
                of_moment = text
            elif text[0] in "yMdE":
                of_day = of_day or text
            codes = _FIELDS[text]
            strftime += codes[0]
            number_format += codes[1]
            to_char += codes[2]
        else:
            literal = "'" if text == "''" else found.group(1).replace("''", "'") if found.group(1) else text
            strftime += literal.replace("%", "%%")
            number_format += "".join(c if c in " /-:.," else f"\\{c}" for c in literal)
            to_char += '"' + literal.replace("\\", "\\\\").replace('"', '\\"') + '"'
    if not strftime:
        msg = tr("The date pattern is empty.")
        raise PatternError(msg)
    return DatePattern(strftime, number_format, to_char, of_day, of_moment)


@dataclass(frozen=True)
class NumberPattern:
    """
    A number pattern: digits after the point, and the pattern as the database (`to_char`) reads it.
    """

    decimals: int
    to_char: str


_NUMBER_PATTERN = re.compile(r"(#,##)?(0{1,20})(?:\.(0{1,15}))?")


def parse_number_pattern(pattern: str) -> NumberPattern:
    """
    Translate a number pattern such as `0.00`, `0000` or `#,##0.0`: zeros are digits that always stand, `#,##` groups.

    Raises PatternError.
    """
    found = _NUMBER_PATTERN.fullmatch(pattern)
    if found is None:
        msg = tr("“{pattern}” is no pattern of a number; use 0, 0.00, 0000 or #,##0.00.", pattern=pattern)
        raise PatternError(msg)
    grouped, zeros, after = found.group(1), found.group(2), found.group(3) or ""
    digits = "9" * (36 - len(zeros)) + zeros
    if grouped:
        digits = ",".join(digits[n : n + 3] for n in range(0, len(digits), 3))
    return NumberPattern(len(after), "FM" + digits + (f".{after}" if after else ""))
