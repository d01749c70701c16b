"""
Reading the values of a template document as the kind of value a field holds.
"""

from __future__ import annotations

import re
from datetime import date, datetime, time
from decimal import MAX_EMAX, MIN_EMIN, Context, Decimal, InvalidOperation
from typing import TypeAlias
from zoneinfo import ZoneInfo

from bouquet.core.catalogue import Field, Kind
from bouquet.core.language import Texts, day_words, moment_words, number_words, tr, whole

__all__ = [
    "DAY_SAID",
    "EXACT",
    "NO_SAID",
    "NUMBER_SAID",
    "WHITE",
    "WHOLE_SAID",
    "YES_SAID",
    "Value",
    "check_digits",
    "json_number",
    "read_value",
    "say_value",
]

#: White space: the characters with this property in Unicode. A text of nothing else is blank.
WHITE = (
    "\t\n\x0b\x0c\r \x85\u00a0\u1680\u2000"
    "\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u2028\u2029\u202f\u205f\u3000"
)

#: What a text says, without the white space around it: a number, a whole number, a date.
NUMBER_SAID = r"[+-]?[0-9]{1,40}(\.[0-9]{1,40})?"
WHOLE_SAID = r"[+-]?[0-9]{1,18}"
DAY_SAID = r"[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])"

#: Words that say yes and no, in lower case.
YES_SAID = ("true", "yes", "y", "1", "t")
NO_SAID = ("false", "no", "n", "0", "f")


class NoCode(ValueError):
    """
    A code of a choice that none can be.
    """


Value: TypeAlias = bool | int | Decimal | str | date | datetime | time

_EXPECTED = Texts(
    {
        Kind.INTEGER: "a whole number, such as 12",
        Kind.DECIMAL: "a number, such as 12.5",
        Kind.BOOLEAN: "yes or no",
        Kind.DATE: "a date, such as 2026-11-22",
        Kind.TIMESTAMP: "a date and time, such as 2026-11-22T14:30",
        Kind.MOMENT: "a date and time, such as 2026-11-22T14:30",
        Kind.TIME: "a time, such as 14:30",
    }
)


#: Digits of a number before and after its point. A database's own limits are wider; no record needs them.
MOST_DIGITS = 1_000

#: Adds and compares decimals of any size without rounding.
EXACT = Context(prec=200_000, Emax=MAX_EMAX, Emin=MIN_EMIN)


def check_digits(number: Decimal) -> Decimal:
    """
    The number as it is. Raises ValueError where written out it would have more than `MOST_DIGITS` on one side of its
    point, or is none.
    """
    if not number.is_finite():
        msg = tr("This is no number.")
        raise ValueError(msg)
    exponent = number.as_tuple().exponent
    if number.adjusted() >= MOST_DIGITS or (isinstance(exponent, int) and exponent < -MOST_DIGITS):
        msg = tr("Numbers have at most {n} digits.", n=whole(MOST_DIGITS))
        raise ValueError(msg)
    return number


def json_number(number: Decimal) -> int | float | str:
    """
    A decimal as JSON readers keep it: a number where none of its digits is lost on the way, else its digits.
    """
    if number == number.to_integral_value() and abs(number) < 2**53:
        return int(number)
    near = float(number)
    return near if Decimal(repr(near)) == number else f"{number:f}"


def _decimal(raw: object) -> Decimal:
    try:
        return check_digits(Decimal(str(raw).strip()))
    except ValueError as error:
        raise InvalidOperation from error


def read_value(raw: object, field: Field, zone: ZoneInfo) -> Value:
    """
    Read one value of the document as `field` holds it. A moment without an offset is taken in `zone`.

    Raises ValueError with a sentence for a person.
    """
    kind = field.kind
    try:
        if isinstance(raw, str) and "\x00" in raw:
            raise ValueError
        if kind is Kind.BOOLEAN:
            if not isinstance(raw, bool):
                raise ValueError
            return raw
        if isinstance(raw, bool):
            raise ValueError
        if kind.is_number:
            number = _decimal(raw)
            return int(number) if number == number.to_integral_value() and kind is Kind.INTEGER else number
        if field.stored == "integer":
            if not re.fullmatch(r"\s*[+-]?\d{1,18}\s*", str(raw)):
                msg = tr(
                    "“{value}” is not a code of {field}; its codes are whole numbers.", value=raw, field=field.label
                )
                raise NoCode(msg)
            return int(str(raw))
        if kind is Kind.DATE:
            return date.fromisoformat(str(raw))
        if kind is Kind.TIME:
            return time.fromisoformat(str(raw))
        if kind is Kind.TIMESTAMP:
            return datetime.fromisoformat(str(raw)).replace(tzinfo=None)
        if kind is Kind.MOMENT:
            moment = datetime.fromisoformat(str(raw))
            return moment if moment.tzinfo else moment.replace(tzinfo=zone)
        return str(raw)
    except (ValueError, InvalidOperation) as error:
        if isinstance(error, NoCode):
            raise
        said = tr("yes") if raw is True else tr("no") if raw is False else str(raw).replace("\x00", "␀")
        msg = tr(
            "“{value}” is not {expected}, which {field} needs.",
            value=said,
            expected=_EXPECTED.get(kind, tr("a text that can be read")),
            field=field.label,
        )
        raise ValueError(msg) from error


def say_value(value: Value, field: Field) -> str:
    """
    A value in words, for the sentence: a choice by its label, a date as `22 Nov 2026`.
    """
    if isinstance(value, bool):
        return tr("yes") if value else tr("no")
    if field.choices:
        return field.label_of(value)
    if isinstance(value, datetime):
        return moment_words(value)
    if isinstance(value, date):
        return day_words(value)
    if isinstance(value, time):
        return f"{value:%H:%M}"
    if isinstance(value, int | Decimal):
        return number_words(value)
    return tr("“{value}”", value=value) if field.kind is Kind.TEXT else value
