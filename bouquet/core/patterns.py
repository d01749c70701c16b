"""
Patterns of dates and numbers, translated for each writer. Those of dates are a subset of the fields of Unicode
Technical Standard 35.
"""

from __future__ import annotations

import functools
import itertools
import re
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, cast

from babel import Locale
from babel.core import UnknownLocaleError, get_global

from bouquet.core.language import tr

__all__ = [
    "DatePattern",
    "Names",
    "NumberPattern",
    "PatternError",
    "date_pieces",
    "parse_date_pattern",
    "parse_number_pattern",
    "read_dated",
    "spoken_where",
]

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
class Names:
    """
    A part of a date pattern that is a name: one of twelve months, January first, or of seven days, Monday first.
    """

    field: str
    of: Literal["month", "day"]
    names: tuple[str, ...]


#: Of a text that is read back: its letters, and names in its pattern, at most. More of them fit in too many ways.
_LONGEST_READ, _MOST_NAMES = 200, 3

#: UTS 35 field → (what it names, width of the name in CLDR).
_NAMES: dict[str, tuple[Literal["month", "day"], Literal["wide", "abbreviated"]]] = {
    "MMMM": ("month", "wide"),
    "MMM": ("month", "abbreviated"),
    "EEEE": ("day", "wide"),
    "EEE": ("day", "abbreviated"),
}


@functools.lru_cache(1_000)
def date_pieces(pattern: str, language: str | None) -> tuple[str | Names, ...]:
    """
    A date pattern cut where a name of a month or day stands: patterns without names, and names in `language`, a locale
    such as `de` or `fr_CH` (Unicode CLDR). The pattern whole where it has no names, or those that
    `parse_date_pattern` writes: without a language, in English and in a language that is not known.

    Beside a day, a month has the form that some languages have for that: `1 listopada`, else `listopad`.
    """
    locale = _locale(language)
    if locale is None:
        return (pattern,)
    tokens = [("'" if m.group(2) is None else m.group(0), m.group(0)) for m in _TOKEN.finditer(pattern)]
    beside = "format" if any(field in ("d", "dd") for field, _ in tokens) else "stand-alone"
    pieces: list[str | Names] = []
    for named, group in itertools.groupby(tokens, lambda token: token[0] in _NAMES):
        if named:
            pieces += [_named(field, locale, beside) for field, _ in group]
        else:
            pieces.append("".join(text for _, text in group))
    return tuple(pieces)


def _named(field: str, locale: Locale, beside: str) -> Names:
    of, width = _NAMES[field]
    held = locale.months if of == "month" else locale.days
    names = cast("dict[int, str]", held[beside if of == "month" else "format"][width])
    return Names(field, of, tuple(names[n] for n in sorted(names)))


def _locale(language: str | None) -> Locale | None:
    try:
        found = Locale.parse(language.replace("-", "_")) if language else None
    except (ValueError, UnknownLocaleError):
        return None
    return None if found is None or found.language == "en" else found


def spoken_where(language: str) -> str:
    """
    A known locale with its land, `de_DE` for `de`, that of most of its speakers where it has none (CLDR).
    """
    locale = Locale.parse(language.replace("-", "_"))
    likely = cast("dict[str, str]", get_global("likely_subtags")).get(locale.language, "")
    return f"{locale.language}_{locale.territory or likely.rpartition('_')[2]}"


def with_english_names(text: str, pattern: str, language: str | None) -> str:
    """
    A text written by a pattern in `language`, with the names that `parse_date_pattern` writes; as it is where it was
    not written so.
    """
    pieces = date_pieces(pattern, language)
    if not 0 < sum(isinstance(p, Names) for p in pieces) <= _MOST_NAMES or len(text) > _LONGEST_READ:
        return text
    form = "".join("(.*?)" if isinstance(p, str) else f"({_any_of(p.names)})" for p in pieces)
    found = re.fullmatch(form, text, re.IGNORECASE | re.DOTALL)
    if found is None:
        return text
    made = ""
    for piece, said in zip(pieces, found.groups(), strict=True):
        if isinstance(piece, str):
            made += said
        else:
            at = [name.casefold() for name in piece.names].index(said.casefold())
            made += _named(piece.field, Locale("en"), "format").names[at]
    return made


def read_dated(text: str, pattern: str, language: str | None = None) -> datetime:
    """
    A text as a pattern writes dates. Raises ValueError where it is none, and for a pattern that says a part twice.
    """
    form = parse_date_pattern(pattern).strftime.replace("%-", "%")
    try:
        return datetime.strptime(with_english_names(text, pattern, language), form)
    except re.error as error:
        raise ValueError(text) from error


def _any_of(names: tuple[str, ...]) -> str:
    return "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True))


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
