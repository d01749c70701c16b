"""
SQLite.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.dialects import sqlite
from sqlalchemy.sql import operators

from bouquet.core.catalogue import Field, Kind
from bouquet.core.formula import SQL_TYPES, Node, Reference, Target, can_fail, write_tree
from bouquet.core.language import tr
from bouquet.core.sql.dialects.base import Element, LacksError
from bouquet.core.sql.dialects.standard import PYTHON_TYPES, StandardSql, each_step, first_of_each
from bouquet.core.sql.formulas import ReadReference
from bouquet.core.sql.literals import literal
from bouquet.core.sql.quoting import quote_all
from bouquet.core.template import Show
from bouquet.core.values import Value

__all__ = ["Sqlite"]


#: Different fields and columns that one formula refers to: a function of SQLite takes 127 arguments.
MOST_REFERENCES = 60

_ZERO: Element = sa.literal_column("0")


def _bare(value: Element) -> Element:
    """
    A value without its collation.
    """
    return value.left if _is_collated(value) else value


def _is_collated(value: Element) -> bool:
    return isinstance(value, sa.BinaryExpression) and value.operator is operators.collate


def _level(level: Element) -> tuple[Element, Element]:
    """
    (value, how it is ordered) of one level of an order, as `bouquet_listed` takes them.
    """
    how, value = "", level
    while isinstance(value, sa.UnaryExpression) and value.modifier is not None:
        how += {operators.desc_op: "d", operators.nulls_first_op: "b"}.get(value.modifier, "")
        value = value.element
    if _is_collated(value):
        how, value = how + "p", value.left
    return value, literal(how)


class Sqlite(StandardSql):
    """
    SQLite, with the functions that `bouquet.sources.alchemy` gives it. Moments are texts in UTC.
    """

    name: ClassVar[str] = "sqlite"
    always_joins: ClassVar[bool] = True

    def __init__(self) -> None:
        self.engine_dialect = sqlite.dialect(paramstyle="named")
        quote_all(self.engine_dialect)

    def literal(self, value: Value, stored: str | None = None) -> Element:
        if isinstance(value, bool):
            return sa.literal_column(str(int(value)))
        if isinstance(value, datetime):
            utc = value.astimezone(UTC).replace(tzinfo=None) if value.tzinfo else value
            return literal(utc.isoformat(sep=" "))
        if isinstance(value, int | str) or not hasattr(value, "isoformat"):
            return literal(value, stored)
        return literal(value.isoformat())

    def trimmed(self, text: Element, white: str) -> Element:
        return sa.func.trim(text, literal(white))

    def lowered(self, text: Element) -> Element:
        # As bytes: a function of ours is given no text that is not UTF-8.
        return sa.func.bouquet_lower(sa.cast(text, sa.BLOB))

    def collated(self, text: Element) -> Element:
        # As what it means: a collation of ours is given no text that is not UTF-8.
        return sa.collate(sa.func.bouquet_text(sa.cast(text, sa.BLOB)), "bouquet")

    def by_digits(self, text: Element, digits: int) -> Element:
        return sa.func.bouquet_digits(text)

    def directed(self, value: Element, *, descending: bool, blanks_first: bool, filled: bool) -> list[Element]:
        directed: Element = value.desc() if descending else value.asc()
        if filled:
            return [directed]
        return [directed.nulls_first() if blanks_first else directed.nulls_last()]

    def number(self, text: Element, places: int | None = None) -> Element:
        # A number of SQLite has sixteen digits; what adds and compares exactly reads the text.
        return text

    def outermost(self, value: Element, found: Field, *, greatest: bool) -> Element:
        if not found.kind.is_number:
            return super().outermost(value, found, greatest=greatest)
        return sa.func.bouquet_greatest(value) if greatest else sa.func.bouquet_least(value)

    def is_true(self, value: Element) -> Element:
        return value == sa.literal_column("1")

    def is_false(self, value: Element) -> Element:
        return value == sa.literal_column("0")

    def some(self, value: Element) -> Element:
        return sa.func.max(value)

    def every(self, value: Element) -> Element:
        return sa.func.min(value)

    def total(self, value: Element, found: Field) -> Element:
        return sa.func.bouquet_sum(value, _scale(found))

    def mean(self, value: Element, found: Field, *where: Element | None) -> Element:
        return self.filtered(sa.func.bouquet_mean(value, _scale(found)), *where)

    def divided(self, total: Element, count: Element) -> Element:
        return sa.func.bouquet_divided(total, count)

    def read_text(self, text: Element, stored: str) -> Element:
        return sa.func.bouquet_read(text, literal(stored)) if stored != "text" else text

    def scaled(self, value: Element, factor: Decimal, found: Field) -> Element:
        return sa.func.bouquet_scaled(value, literal(str(factor)))

    def trimmed_number(self, value: Element) -> Element:
        return sa.func.bouquet_trimmed(value)

    def step(self, value: Element, unit: str, count: int, kind: Kind, zone: ZoneInfo) -> Element:
        clock = zone.key if kind is Kind.MOMENT else ""
        return sa.func.bouquet_step(value, literal(unit), sa.literal_column(str(count)), literal(clock))

    def series(self, first: Element, last: Element, unit: str, count: int, *, dated: bool, name: str) -> sa.Select[Any]:
        length: list[Element] = [literal(unit), sa.literal_column(str(count))]
        return each_step(name, first, last, lambda step: sa.func.bouquet_next(step, *length, type_=first.type))

    def one_of_each(self, statement: sa.Select[Any], keys: list[Element], order: list[Element]) -> sa.Select[Any]:
        return first_of_each(statement, keys, order)

    def local(self, moment: Element, zone: ZoneInfo) -> Element:
        return sa.func.bouquet_local(moment, literal(zone.key))

    # Formulas

    def formula(self, tree: Node, read: ReadReference, zone: ZoneInfo) -> tuple[Element, Element | None]:
        """
        Computed by `core.formula.evaluate`, from what its references come to and whether they are at fault.
        """
        places: dict[Target, int] = {}
        found: list[tuple[Element, Element | None]] = []

        def place_of(reference: Reference) -> int:
            if reference.target not in places:
                places[reference.target] = len(places)
                found.append(read(reference.target, reference.type))
            return places[reference.target]

        text = write_tree(tree, place_of)
        if len(found) > MOST_REFERENCES:
            msg = tr("A formula in a SQLite source refers to at most {n} fields and columns.", n=MOST_REFERENCES)
            raise LacksError(msg)
        faults = [sa.func.coalesce(f, sa.false()) if f is not None else sa.false() for _, f in found]
        given = [literal(text), sa.literal_column(str(len(found))), *(v for v, _ in found), *faults]
        value = sa.func.bouquet_formula(*given, type_=SQL_TYPES[tree.type])
        certain = all(f is None for _, f in found) and not can_fail(tree)
        return sa.type_coerce(value, SQL_TYPES[tree.type]), None if certain else sa.func.bouquet_at_fault(*given) == 1

    def compared_number(self, value: Element) -> Element:
        # What our functions compute exactly is a text.
        return sa.cast(value, sa.Numeric)

    def formula_number(self, value: Element, found: Field) -> Element:
        return self.number_text(value, found, None, even=False)

    # Many records as one value

    def listed(self, value: Element, order: Sequence[Element], *where: Element | None) -> Element:
        known = [w for w in where if w is not None]
        counts = sa.and_(*known) if known else sa.true()
        return sa.func.bouquet_listed(value, counts, *(part for level in order for part in _level(level)))

    def different(self, value: Element, *where: Element | None) -> Element:
        listed = self.listed(_bare(value), [value.asc()], *where)
        return sa.func.bouquet_once(listed, sa.null(), _ZERO, _ZERO)

    def nth(self, values: Element, n: int, found: Field) -> Element:
        return sa.func.bouquet_nth(values, sa.literal_column(str(n)))

    def different_in_order(self, values: Element, blanks: Element, *, backwards: bool, blanks_first: bool) -> Element:
        flags: list[Element] = [sa.literal_column(str(int(flag))) for flag in (backwards, blanks_first)]
        return sa.func.bouquet_once(values, blanks, *flags)

    def listed_text(self, values: Element, separator: str, at_most: int | None) -> Element:
        most: Element = sa.literal_column("-1" if at_most is None else str(at_most))
        return sa.func.bouquet_joined(values, literal(separator), most)

    def joined(self, text: Element, separator: str, order: Sequence[Element], *where: Element | None) -> Element:
        return self.listed_text(self.listed(text, order, *where), separator, None)

    def grouped(self, text: Element, grouping: str, mark: str) -> Element:
        return sa.func.bouquet_grouped(text, literal(grouping), literal(mark))

    def shown_date(self, value: Element, found: Field, show: Show, zone: ZoneInfo) -> Element:
        kind = {Kind.DATE: "date", Kind.TIME: "time", Kind.MOMENT: "moment"}.get(found.kind, "timestamp")
        pattern, language = literal(show.date or ""), literal(show.language or "")
        return sa.func.bouquet_dated(value, literal(kind), pattern, language, literal(zone.key))

    def exact(self, value: Element, found: Field) -> Element:
        return value

    def paper(self, value: Element, found: Field) -> Element:
        kind = PYTHON_TYPES.get(found.stored, sa.Text())
        return sa.type_coerce(sa.cast(value, sa.Text) if found.stored == "other" else value, kind)

    def size(self, value: Element) -> Element:
        return sa.func.length(value, type_=sa.BigInteger)

    def digest(self, value: Element) -> Element:
        return sa.func.bouquet_digest(value, type_=sa.Text)

    def number_text(self, value: Element, found: Field, decimals: int | None, *, even: bool) -> Element:
        """
        SQLite keeps decimals as binary numbers; the declared scale brings back the digits that were entered.
        """
        scale = found.scale if found.stored == "numeric" else None
        return sa.func.bouquet_number(
            value,
            sa.literal_column("-1" if scale is None else str(scale)),
            sa.literal_column("-1" if decimals is None else str(decimals)),
            sa.literal_column(str(int(even))),
        )

    def read_as(self, value: Element, how: str) -> Element:
        if how == "clock":
            return sa.func.bouquet_clock(value, type_=value.type)
        if how == "exactly":
            # A column brings its way of comparing along, also under a cast; what is made of it does not.
            return value.op("||")(sa.literal_column("''"))
        return sa.cast(value, sa.Text) if how == "text" else sa.cast(value, sa.Numeric) if how == "numeric" else value


def _scale(found: Field) -> Element:
    """
    The digits that a field's decimals have, as the functions that add them take it.
    """
    return sa.literal_column(str(found.scale if found.stored == "numeric" and found.scale is not None else -1))
