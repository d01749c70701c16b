"""
What MariaDB says in words of its own, as elements of statements; and its zones' clocks, of which it knows nothing
without tables that few have.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql import operators

from bouquet.core.sql.dialects.base import Element

__all__ = ["Concatenated", "OnTheClock", "Shifted"]

#: The seconds since 1970 between which a zone's changes of the clock are known to a statement: 1900 to 2100.
_CLOCK_FROM, _CLOCK_UNTIL = -2_208_988_800, 4_102_444_800


class Shifted(sa.ColumnElement[Any]):
    """
    A date or moment and an interval.
    """

    inherit_cache = False

    def __init__(self, value: Element, sign: str, amount: Element, unit: str, type_: Any = None) -> None:
        self.value, self.sign, self.amount, self.unit = value, sign, amount, unit
        self.type = type_ or sa.DateTime()


@compiles(Shifted)
def _compile_shifted(element: Shifted, compiler: Any, **options: Any) -> str:
    value, amount = (compiler.process(part, **options) for part in (element.value, element.amount))
    return f"({value} {element.sign} INTERVAL ({amount}) {element.unit})"


class OnTheClock(sa.ColumnElement[Any]):
    """
    A moment, kept in UTC, on a zone's clock. By the zone's changes themselves: a server knows zones by name only where
    its tables were filled.
    """

    inherit_cache = False

    def __init__(self, moment: Element, zone: str) -> None:
        self.moment, self.zone = moment, zone
        self.type = sa.DateTime()


@compiles(OnTheClock)
def _compile_on_the_clock(element: OnTheClock, compiler: Any, **options: Any) -> str:
    moment = compiler.process(element.moment, **options)
    (_, first), *later = _offsets_of(element.zone)
    if not later:
        return f"({moment} + INTERVAL {first} SECOND)"
    # The place among the changes of the clock is found by halves, and the moment written twice, however many there are.
    changes = ", ".join(str(int(when.timestamp())) for when, _ in later)
    ahead = ", ".join(str(offset) for _, offset in (("", first), *later))
    place = f"INTERVAL(TIMESTAMPDIFF(SECOND, TIMESTAMP'1970-01-01 00:00:00', {moment}), {changes})"
    return f"({moment} + INTERVAL CAST(ELT({place} + 1, {ahead}) AS SIGNED) SECOND)"


class Concatenated(sa.ColumnElement[Any]):
    """
    Texts of a group joined in order.
    """

    inherit_cache = False

    def __init__(
        self, text: Element, separator: str, order: Sequence[Element], most: Element | None, *, distinct: bool
    ) -> None:
        self.text, self.separator, self.most, self.once = text, separator, most, distinct
        self.order = list(_with_blanks(order))
        self.type = sa.Text()


def _with_blanks(order: Sequence[Element]) -> Iterator[Element]:
    """
    An order in which blanks are told apart: inside of `GROUP_CONCAT`, MariaDB 10.11 orders NULL among numbers as zero.
    """
    told: Element | None = None
    for level in order:
        value = level.element if isinstance(level, sa.UnaryExpression) else level
        if isinstance(value, sa.BinaryExpression) and value.operator is operators.is_:
            told = value.left
        elif isinstance(level, sa.UnaryExpression) and value is not told:
            nothing = value.is_(None)
            yield nothing.asc() if level.modifier is operators.desc_op else nothing.desc()
        yield level


@compiles(Concatenated)
def _compile_concatenated(element: Concatenated, compiler: Any, **options: Any) -> str:
    distinct = "DISTINCT " if element.once else ""
    order = ", ".join(compiler.process(o, **options) for o in element.order)
    # SEPARATOR takes a text as it is written, and in our sessions a backslash is a letter.
    between = compiler.escape_literal_column("'" + element.separator.replace("'", "''") + "'")
    most = f" LIMIT {compiler.process(element.most, **options)}" if element.most is not None else ""
    text = compiler.process(element.text, **options)
    return f"GROUP_CONCAT({distinct}{text} ORDER BY {order} SEPARATOR {between}{most})"


@functools.cache
def _offsets_of(zone: str) -> list[tuple[datetime, int]]:
    """
    (from when, seconds ahead of UTC) of a zone's clock, one entry a change.
    """
    clock = ZoneInfo(zone)

    def ahead(at: float) -> int:
        offset = datetime.fromtimestamp(at, clock).utcoffset()
        return int(offset.total_seconds()) if offset is not None else 0

    found: list[tuple[datetime, int]] = []
    day = 86_400
    for at in range(_CLOCK_FROM, _CLOCK_UNTIL, day):
        if found and found[-1][1] == ahead(at):
            continue
        before, after = at - day, at
        while found and after - before > 1:
            middle = (before + after) // 2
            before, after = (before, middle) if ahead(middle) == ahead(at) else (middle, after)
        found.append((datetime.fromtimestamp(after, UTC), ahead(at)))
    return found
