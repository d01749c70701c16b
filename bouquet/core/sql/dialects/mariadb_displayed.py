"""
Values as displayed, in MariaDB: what several of them joined in one cell read like.

The same forms as `displayed` gives in PostgreSQL; a test holds the two together.
"""

from __future__ import annotations

from zoneinfo import ZoneInfo

import sqlalchemy as sa

from bouquet.core.catalogue import Field, Kind
from bouquet.core.formula import mariadb_codes
from bouquet.core.patterns import Names, date_pieces, parse_date_pattern
from bouquet.core.sql.dialects.base import Dialect, Element
from bouquet.core.sql.dialects.displayed import named
from bouquet.core.sql.literals import literal
from bouquet.core.template import Show

__all__ = ["dated_text"]

#: What stands for the clock's offset in a pattern.
_OFFSET = "%:z"

_MACHINE = {
    Kind.DATE: "%Y-%m-%d",
    Kind.TIMESTAMP: "%Y-%m-%dT%H:%i:%s",
    Kind.MOMENT: f"%Y-%m-%dT%H:%i:%s{_OFFSET}",
    Kind.TIME: "%H:%i:%s",
}


def dated_text(value: Element, found: Field, show: Show, dialect: Dialect, zone: ZoneInfo) -> Element:
    """
    A date, moment or time by the column's pattern, or as ISO 8601: a fraction of a second only where there is one, a
    moment with the offset of the template's clock.
    """
    kind = found.kind
    local = dialect.local(value, zone) if kind is Kind.MOMENT else value
    pieces: list[Element] = []
    for part in date_pieces(show.date, show.language) if show.date else ("",):
        if isinstance(part, Names):
            of_week: Element = sa.func.weekday(local) + sa.literal_column("1")
            pieces.append(named(sa.extract("month", local) if part.of == "month" else of_week, part))
            continue
        pattern = mariadb_codes(parse_date_pattern(part).strftime) if part else _MACHINE[kind]
        for n, code in enumerate(pattern.split(_OFFSET)):
            if n:
                pieces.append(_offset(value, local) if kind is Kind.MOMENT else literal(""))
            if code:
                written = sa.func.time_format if kind is Kind.TIME else sa.func.date_format
                pieces.append(written(local, literal(code)))
            if not show.date and not n and kind is not Kind.DATE:
                pieces.append(_fraction(local))
    return dialect.joined_texts(*pieces)


def _fraction(local: Element) -> Element:
    micros = sa.func.microsecond(local)
    six = sa.func.lpad(micros, sa.literal_column("6"), literal("0"))
    none: Element = sa.literal_column("0")
    whole = micros.op("%")(sa.literal_column("1000")) == none
    three = sa.func.left(six, sa.literal_column("3"))
    return sa.case(
        (micros == none, literal("")),
        (whole, sa.func.concat(literal("."), three)),
        else_=sa.func.concat(literal("."), six),
    )


def _offset(value: Element, local: Element) -> Element:
    minutes = sa.func.timestampdiff(sa.literal_column("MINUTE"), value, local)
    size: Element = sa.func.abs(minutes)
    sixty: Element = sa.literal_column("60")
    parts = [
        sa.func.lpad(part, sa.literal_column("2"), literal("0"))
        for part in (size.op("DIV")(sixty), size.op("%")(sixty))
    ]
    sign = sa.case((minutes < sa.literal_column("0"), literal("-")), else_=literal("+"))
    return sa.func.concat(sign, parts[0], literal(":"), parts[1])
