"""
Date patterns: a subset of the fields of Unicode Technical Standard 35, translated for each writer.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

__all__ = ["DatePattern", "PatternError", "parse_date_pattern"]

#: UTS 35 field → (code of the text formatter, code of a spreadsheet number format).
_FIELDS = {
    "yyyy": ("%Y", "yyyy"),
    "yy": ("%y", "yy"),
    "MMMM": ("%B", "mmmm"),
    "MMM": ("%b", "mmm"),
    "MM": ("%m", "mm"),
    "M": ("%-m", "m"),
    "dd": ("%d", "dd"),
    "d": ("%-d", "d"),
    "EEEE": ("%A", "dddd"),
    "EEE": ("%a", "ddd"),
    "HH": ("%H", "hh"),
    "H": ("%-H", "h"),
    "hh": ("%I", "hh"),
    "h": ("%-I", "h"),
    "mm": ("%M", "mm"),
    "ss": ("%S", "ss"),
    "a": ("%p", "AM/PM"),
    "xxx": ("%:z", ""),
}

_TOKEN = re.compile(r"'((?:[^']|'')*)'|([A-Za-z])\2*|([^A-Za-z']+)")


class PatternError(ValueError):
    """
    The pattern has a part that is not known.
    """


@dataclass(frozen=True)
class DatePattern:
    """
    A date pattern as the text formatter (`strftime` codes) and as a spreadsheet (number format) read it.
    """

    strftime: str
    number_format: str


def parse_date_pattern(pattern: str) -> DatePattern:
    """
    Translate a UTS 35 pattern such as `dd/MM/yyyy HH:mm`. Text between single quotes stands for itself.

    Raises PatternError naming the part that is not known.
    """
    strftime, number_format, at = "", "", 0
    while at < len(pattern):
        found = _TOKEN.match(pattern, at)
        if found is None:
            msg = f"The date pattern has a quotation mark that is never closed: {pattern[at:]}"
            raise PatternError(msg)
        at = found.end()
        text = found.group(0)
        if found.group(2):
            if text not in _FIELDS:
                msg = f"“{text}” is not a part of a date; use yyyy, MM, dd, HH, mm, ss, MMM or EEE."
                raise PatternError(msg)
            codes = _FIELDS[text]
            strftime += codes[0]
            number_format += codes[1]
        else:
            literal = "'" if text == "''" else found.group(1).replace("''", "'") if found.group(1) else text
            strftime += literal.replace("%", "%%")
            number_format += "".join(c if c in " /-:.," else f"\\{c}" for c in literal)
    if not strftime:
        msg = "The date pattern is empty."
        raise PatternError(msg)
    return DatePattern(strftime, number_format)
