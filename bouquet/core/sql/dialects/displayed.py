"""
Values as displayed, in PostgreSQL: what several of them joined in one cell read like.

The same forms as `core.shaping` gives to whole columns; a test holds the two together.
"""

from __future__ import annotations

import re
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql

from bouquet.core.catalogue import Field, Kind
from bouquet.core.patterns import Names, date_pieces, parse_date_pattern
from bouquet.core.sql.dialects.base import Dialect, Element
from bouquet.core.sql.literals import literal
from bouquet.core.template import Show

__all__ = ["dated_text", "has_parts", "named"]

#: What `to_char` writes for the clock's offset; it would be that of the session, not of the template's zone.
_OFFSET = "TZH:TZM"

_MACHINE = {
    Kind.DATE: "YYYY-MM-DD",
    Kind.TIMESTAMP: 'YYYY-MM-DD"T"HH24:MI:SS',
    Kind.MOMENT: f'YYYY-MM-DD"T"HH24:MI:SS{_OFFSET}',
    Kind.TIME: "HH24:MI:SS",
}


def dated_text(value: Element, found: Field, show: Show, dialect: Dialect, zone: ZoneInfo) -> Element:
    """
    A date, moment or time by the column's pattern, or as ISO 8601: a fraction of a second only where there is one, a
    moment with the offset of the template's clock.
    """
    kind = found.kind
    local = dialect.local(value, zone) if kind is Kind.MOMENT else value
    if kind is Kind.TIME:
        local = sa.cast(local, postgresql.INTERVAL())
    pieces: list[Element] = []
    for part in date_pieces(show.date, show.language) if show.date else ("",):
        if isinstance(part, Names):
            pieces.append(named(sa.extract("month" if part.of == "month" else "isodow", local), part))
            continue
        pattern = parse_date_pattern(part).to_char if part else _MACHINE[kind]
        for n, code in enumerate(re.split(re.escape(_OFFSET), pattern)):
            if n:
                pieces.append(_offset(value, local, zone, dialect) if kind is Kind.MOMENT else literal(""))
            if code:
                pieces.append(sa.func.to_char(local, literal(code)))
            if not show.date and not n and kind is not Kind.DATE:
                pieces.append(_fraction(local))
    if kind is not Kind.TIME:
        ours = sa.cast(literal("0001-01-01"), sa.Date)
        pieces.append(sa.case((local < ours, literal(" BC")), else_=literal("")))
    text = dialect.joined_texts(*pieces)
    # Infinity has no parts to write down, and a date may lie where no moment does.
    return text if kind is Kind.TIME else sa.case((has_parts(value, kind), text), else_=sa.cast(value, sa.Text))


def has_parts(value: Element, kind: Kind) -> Element:
    if kind is not Kind.DATE:
        return sa.func.isfinite(value)
    return value.between(sa.cast(literal("4713-01-01 BC"), sa.Date), sa.cast(literal("294276-12-31"), sa.Date))


def named(number: Element, part: Names) -> Element:
    """
    The name of a month or day by its number, from 1.
    """
    return sa.case(*((number == sa.literal_column(str(n)), literal(name)) for n, name in enumerate(part.names, 1)))


def _fraction(local: Element) -> Element:
    micros = sa.extract("microseconds", local)
    rest, milli = micros.op("%")(sa.literal_column("1000000")), micros.op("%")(sa.literal_column("1000"))
    none: Element = sa.literal_column("0")
    return sa.case(
        (rest == none, literal("")),
        (milli == none, sa.func.to_char(local, literal(".MS"))),
        else_=sa.func.to_char(local, literal(".US")),
    )


def _offset(value: Element, local: Element, zone: ZoneInfo, dialect: Dialect) -> Element:
    ahead = local.op("-", return_type=postgresql.INTERVAL())(dialect.local(value, ZoneInfo("UTC")))
    nothing = sa.cast(literal("0"), postgresql.INTERVAL())
    size = sa.func.greatest(ahead, nothing.op("-", return_type=postgresql.INTERVAL())(ahead))
    sign = sa.case((ahead < nothing, literal("-")), else_=literal("+"))
    return dialect.joined_texts(sign, sa.func.to_char(size, literal("HH24:MI")))
