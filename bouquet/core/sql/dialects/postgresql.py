"""
PostgreSQL.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql
from sqlalchemy.dialects.postgresql import aggregate_order_by

from bouquet.core.catalogue import Field, Kind
from bouquet.core.formula import F, Node
from bouquet.core.sql.dialects.base import Element
from bouquet.core.sql.dialects.displayed import dated_text, has_parts
from bouquet.core.sql.dialects.standard import StandardSql
from bouquet.core.sql.formulas import ReadReference, compile_formula
from bouquet.core.sql.literals import literal, literals
from bouquet.core.sql.quoting import quote_all
from bouquet.core.template import Show
from bouquet.core.values import DAY_SAID, NO_SAID, NUMBER_SAID, WHITE, WHOLE_SAID, YES_SAID, Value
from bouquet.core.windows import MOST_FILLED

__all__ = ["COLLATION", "Postgresql"]

#: The order of the root of the Unicode collation, as shipped by every PostgreSQL built with ICU.
COLLATION = "und-x-icu"


class Postgresql(StandardSql):
    """
    PostgreSQL 12 and later, built with ICU.
    """

    name: ClassVar[str] = "postgresql"
    keeps_apart: ClassVar[bool] = True
    cuts: ClassVar[bool] = True

    def __init__(self) -> None:
        # `named` parameters, so that per cent signs in literals are not doubled.
        self.engine_dialect: Any = postgresql.dialect(paramstyle="named")  # type: ignore[no-untyped-call]
        quote_all(self.engine_dialect)

    def literal(self, value: Value, stored: str | None = None) -> Element:
        """
        A value as it is compared with a field that is stored so.
        """
        return literal(value, stored)

    def among(self, column: Element, values: Sequence[Value], stored: str | None = None) -> Element:
        array = literals(values)
        return super().among(column, values, stored) if array is None else column == sa.any_(array)

    def trimmed(self, text: Element, white: str) -> Element:
        """
        A text without what surrounds it.
        """
        return sa.func.btrim(text, literal(white))

    def not_blank(self, text: Element) -> Element:
        """
        Of a column the first sign is looked at first: taking off white space of all kinds takes twice as long as what
        is done with the text (measured: groups of a million rows).
        """
        found = super().not_blank(text)
        if not isinstance(text, sa.ColumnClause):
            return found
        by_bytes = sa.collate(text, "C")
        return sa.or_(sa.and_(by_bytes >= literal("!"), by_bytes < literal("\x7f")), found)

    def lowered(self, text: Element) -> Element:
        return sa.func.lower(text)

    def collated(self, text: Element) -> Element:
        """
        A text to be ordered as people order.
        """
        return sa.collate(text, COLLATION)

    def by_digits(self, text: Element, digits: int) -> Element:
        """
        A code with its runs of digits filled up, so that T-9 comes before T-10.
        """
        filled = sa.func.regexp_replace(text, literal(r"(\d+)"), literal("0" * digits + r"\1"), literal("g"))
        return sa.func.regexp_replace(filled, literal(rf"\d*(\d{{{digits}}})"), literal(r"\1"), literal("g"))

    def directed(self, value: Element, *, descending: bool, blanks_first: bool, filled: bool) -> list[Element]:
        """
        The database puts NULL last when ascending and first when descending; where that is wanted it is not mentioned,
        so that an index on the column can give the order.
        """
        directed: Element = value.desc() if descending else value.asc()
        if filled or descending == blanks_first:
            return [directed]
        return [directed.nulls_first() if blanks_first else directed.nulls_last()]

    def is_true(self, value: Element) -> Element:
        return value.is_(sa.true())

    def is_false(self, value: Element) -> Element:
        return value.is_(sa.false())

    def some(self, value: Element) -> Element:
        """
        An aggregate: whether any value is true.
        """
        return sa.func.bool_or(value)

    def every(self, value: Element) -> Element:
        """
        An aggregate: whether all values are true.
        """
        return sa.func.bool_and(value)

    def total(self, value: Element, found: Field) -> Element:
        """
        An aggregate: the exact sum of numbers.
        """
        return sa.func.sum(self.exact(value, found))

    def mean(self, value: Element, found: Field, *where: Element | None) -> Element:
        """
        The exact mean of the numbers of records that meet all of `where`.
        """
        # `avg` itself leaves a large mean no digits after the point.
        return self.divided(
            self.filtered(self.total(value, found), *where), self.filtered(sa.func.count(value), *where)
        )

    def divided(self, total: Element, count: Element) -> Element:
        """
        The exact quotient, NULL where there is nothing to divide by.
        """
        return F.divided(total, sa.func.nullif(count, sa.literal_column("0")), type_=sa.Numeric())

    def local(self, moment: Element, zone: ZoneInfo) -> Element:
        """
        A moment on a zone's wall clock.
        """
        return sa.func.timezone(literal(zone.key), moment, type_=sa.DateTime())

    def exact(self, value: Element, found: Field) -> Element:
        """
        A number as an exact decimal. A float goes through the shortest text that reads back as the same number, so
        that no digits are invented.
        """
        return sa.cast(sa.cast(value, sa.Text), sa.Numeric) if found.stored == "float" else value

    def number_text(self, value: Element, found: Field, decimals: int | None, *, even: bool) -> Element:
        """
        An exact number as its text, rounded half away from zero, as people do, or half to even.
        """
        if decimals is None:
            return sa.cast(value, sa.Text)
        places: Element = sa.literal_column(str(decimals))
        if even:
            # PostgreSQL rounds numeric half away from zero only.
            scale: Element = sa.literal_column("1" + "0" * decimals + ".0")
            shifted = value.op("*")(scale)
            half = sa.func.abs(shifted.op("-")(sa.func.trunc(shifted))) == sa.literal_column("0.5")
            two: Element = sa.literal_column("2.0")
            to_even = sa.func.round(shifted.op("/")(two)).op("*")(two).op("/")(scale)
            value = sa.case((half, to_even), else_=value)
        return sa.cast(sa.func.round(value, places), sa.Text)

    def read_text(self, text: Element, stored: str) -> Element:
        """
        A text as what it says, NULL where it says none.
        """
        plain = self.trimmed(text, WHITE)
        if stored in ("numeric", "integer"):
            pattern, kind = (NUMBER_SAID, sa.Numeric) if stored == "numeric" else (WHOLE_SAID, sa.BigInteger)
            fits = plain.bool_op("~")(literal(f"^{pattern}$"))
            return sa.case((fits, sa.cast(sa.case((fits, plain)), kind)))
        if stored == "boolean":
            word = sa.func.lower(plain)
            yes, no = (word.in_([literal(w) for w in words]) for words in (YES_SAID, NO_SAID))
            return sa.case((yes, sa.true()), (no, sa.false()))
        if stored == "date":
            year, month, day = (
                sa.cast(sa.func.substr(plain, sa.literal_column(a), sa.literal_column(b)), sa.Integer)
                for a, b in (("1", "4"), ("6", "2"), ("9", "2"))
            )
            one: Element = sa.literal_column("1")
            next_month = sa.func.make_date(year, month, one) + sa.cast(
                literal("1 month - 1 day"), postgresql.INTERVAL()
            )
            fits = plain.bool_op("~")(literal(f"^{DAY_SAID}$"))
            inside = sa.and_(year > sa.literal_column("0"), day <= sa.extract("day", next_month))
            return sa.case((fits, sa.case((inside, sa.func.make_date(year, month, day)))))
        return text

    def read_as(self, value: Element, how: str) -> Element:
        """
        A column of a type of the database's own as what its field's `stored` says; see `Field.read_as`.
        """
        if how == "text":
            return sa.cast(value, sa.Text)
        if how == "exactly":
            return sa.collate(sa.cast(value, sa.Text), "default")
        if how == "numeric":
            return sa.cast(value, sa.Numeric)
        if how == "list":
            return sa.collate(sa.func.array_to_string(value, literal(", "), type_=sa.Text()), "default")
        return value

    def paper(self, value: Element, found: Field) -> Element:
        """
        A value on its way out, where the driver needs help.
        """
        return sa.cast(value, sa.Text) if found.stored == "other" else value

    def scaled(self, value: Element, factor: Decimal, found: Field) -> Element:
        return value.op("*")(sa.cast(literal(factor), sa.Numeric))

    def number(self, text: Element, places: int | None = None) -> Element:
        return sa.cast(text, sa.Numeric)

    def trimmed_number(self, value: Element) -> Element:
        return sa.func.trim_scale(value)

    def step(self, value: Element, unit: str, count: int, kind: Kind, zone: ZoneInfo) -> Element:
        moment = kind is Kind.MOMENT
        if unit in ("minute", "hour"):
            clock = [literal(zone.key)] if moment else []
            if unit == "minute" and count != 1:
                # Counted from the hour of the clock, which in some zones begins in the middle of one elsewhere.
                hour = sa.func.date_trunc(literal("hour"), value, *clock)
                return sa.func.date_bin(_interval(f"{count} minutes"), value, hour)
            return sa.func.date_trunc(literal(unit), value, *clock)
        day = self.local(value, zone) if moment else value
        return sa.cast(day, sa.Date) if unit == "day" else sa.cast(sa.func.date_trunc(literal(unit), day), sa.Date)

    def series(self, first: Element, last: Element, unit: str, count: int, *, dated: bool, name: str) -> sa.Select[Any]:
        del name
        length = {"quarter": "3 months"}.get(unit, f"{count} {unit}")
        begin, end = (sa.cast(b, sa.DateTime) if dated else b for b in (first, last))
        if unit in ("minute", "hour", "day"):
            # Longer ones end with the calendar.
            end = sa.func.least(end, begin + _interval(f"{(MOST_FILLED + 1) * count} {unit}"))
        made = sa.func.generate_series(begin, end, _interval(length))
        return sa.select((sa.cast(made, sa.Date) if dated else made).label("step"))

    def on_the_calendar(self, value: Element, *, dated: bool) -> Element | None:
        return has_parts(value, Kind.DATE if dated else Kind.TIMESTAMP)

    def one_of_each(self, statement: sa.Select[Any], keys: list[Element], order: list[Element]) -> sa.Select[Any]:
        return statement.ext(postgresql.distinct_on(*keys)).order_by(*keys, *order)

    def formula(self, tree: Node, read: ReadReference, zone: ZoneInfo) -> tuple[Element, Element | None]:
        return compile_formula(tree, read, self.literal)

    def listed(self, value: Element, order: Sequence[Element], *where: Element | None) -> Element:
        return self.filtered(sa.func.array_agg(aggregate_order_by(value, *order)), *where)

    def different(self, value: Element, *where: Element | None) -> Element:
        return self.filtered(sa.func.array_agg(aggregate_order_by(sa.distinct(value), value)), *where)

    def nth(self, values: Element, n: int, found: Field) -> Element:
        return sa.type_coerce(values, postgresql.ARRAY(sa.Text))[sa.literal_column(str(n))]

    def different_in_order(self, values: Element, blanks: Element, *, backwards: bool, blanks_first: bool) -> Element:
        met = sa.func.unnest(values, blanks).table_valued("value", "blank", with_ordinality="place", name="met")
        met = met.render_derived()
        each = sa.select(
            met.c.value.label("value"),
            sa.func.bool_and(met.c.blank).label("blank"),
            sa.func.min(met.c.place).label("place"),
        ).group_by(met.c.value)
        found = each.subquery("different")
        place = found.c.place.desc() if backwards else found.c.place.asc()
        ordered = [found.c.blank.desc() if blanks_first else found.c.blank.asc(), place]
        return sa.select(self.listed(found.c.value, ordered)).select_from(found).scalar_subquery()

    def listed_text(self, values: Element, separator: str, at_most: int | None) -> Element:
        array, between = sa.type_coerce(values, postgresql.ARRAY(sa.Text)), literal(separator)
        if at_most is None:
            return sa.func.array_to_string(array, between)
        more = sa.func.cardinality(array) - sa.literal_column(str(at_most))
        head = sa.func.array_to_string(array[sa.literal_column("1") : sa.literal_column(str(at_most))], between)
        tail = sa.case(
            (more > sa.literal_column("0"), sa.func.concat(between, literal("+"), more, literal(" more"))),
            else_=literal(""),
        )
        return self.joined_texts(head, tail)

    def joined(self, text: Element, separator: str, order: Sequence[Element], *where: Element | None) -> Element:
        return self.filtered(sa.func.string_agg(text, aggregate_order_by(literal(separator), *order)), *where)

    def grouped(self, text: Element, grouping: str, mark: str) -> Element:
        whole = sa.func.split_part(text, literal("."), sa.literal_column("1"))
        marked = sa.func.regexp_replace(whole, literal(r"(\d)(?=(\d{3})+$)"), literal("\\1" + grouping), literal("g"))
        rest = sa.func.regexp_replace(text, literal(r"^[^.]*"), literal(""))
        return self.joined_texts(marked, sa.func.replace(rest, literal("."), literal(mark)))

    def shown_date(self, value: Element, found: Field, show: Show, zone: ZoneInfo) -> Element:
        return dated_text(value, found, show, self, zone)


def _interval(length: str) -> Element:
    return sa.cast(literal(length), postgresql.INTERVAL())
