"""
What databases say differently. A new one is a class here and a line in `DIALECTS`.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql, sqlite

from bouquet.core.catalogue import Field
from bouquet.core.sql.literals import literal
from bouquet.core.values import Value

__all__ = ["COLLATION", "DIALECTS", "Dialect", "Sqlite", "render"]

Element = sa.ColumnElement[Any]

#: The order of the root of the Unicode collation, as shipped by every PostgreSQL built with ICU.
COLLATION = "und-x-icu"

#: Texts that can be read as numbers and dates, where people keep these as texts.
_NUMBER = r"^\s*[+-]?(\d{1,40}(\.\d{1,40})?)\s*$"
_WHOLE = r"^\s*[+-]?\d{1,18}\s*$"
_DAY = r"^\s*\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])\s*$"
_YES = ("true", "yes", "y", "1", "t")
_NO = ("false", "no", "n", "0", "f")


class Dialect:
    """
    PostgreSQL.
    """

    name: ClassVar[str] = "postgresql"

    def __init__(self) -> None:
        # `named` parameters, so that per cent signs in literals are not doubled.
        self.engine_dialect: Any = postgresql.dialect(paramstyle="named")  # type: ignore[no-untyped-call]

    def render(self, statement: sa.ClauseElement) -> str:
        """
        The statement's text, with every value a literal.
        """
        return str(statement.compile(dialect=self.engine_dialect, compile_kwargs={"literal_binds": True}))

    def literal(self, value: Value, stored: str | None = None) -> Element:
        """
        A value as it is compared with a field that is stored so.
        """
        return literal(value, stored)

    def trimmed(self, text: Element, white: str) -> Element:
        """
        A text without what surrounds it.
        """
        return sa.func.btrim(text, literal(white))

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

    def blanks(self, directed: Any, descending: bool, first: bool) -> Element:
        """
        An order with its blanks first or last. The database puts NULL last when ascending and first when descending;
        where that is wanted it is not mentioned, so that an index on the column can give the order.
        """
        if descending == first:
            return directed  # type: ignore[no-any-return]
        return directed.nulls_first() if first else directed.nulls_last()  # type: ignore[no-any-return]

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

    def total(self, how: str, value: Element, found: Field) -> Element:
        """
        The exact `sum` or `avg` of numbers.
        """
        made: Element = getattr(sa.func, how)(self.exact(value, found))
        return made

    def divided(self, total: Element, count: Element) -> Element:
        """
        The exact quotient, NULL where there is nothing to divide by.
        """
        return total.op("/", return_type=sa.Numeric())(sa.func.nullif(count, sa.literal_column("0")))

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
            half = sa.func.abs(shifted - sa.func.trunc(shifted)) == sa.literal_column("0.5")
            two: Element = sa.literal_column("2.0")
            to_even = sa.func.round(shifted.op("/")(two)).op("*")(two).op("/")(scale)
            value = sa.case((half, to_even), else_=value)
        return sa.cast(sa.func.round(value, places), sa.Text)

    def read_text(self, text: Element, stored: str) -> Element:
        """
        A text as what it says, NULL where it says none.
        """
        plain = sa.func.btrim(text)
        if stored in ("numeric", "integer"):
            pattern, kind = (_NUMBER, sa.Numeric) if stored == "numeric" else (_WHOLE, sa.BigInteger)
            fits = text.bool_op("~")(literal(pattern))
            return sa.case((fits, sa.cast(sa.case((fits, plain)), kind)))
        if stored == "boolean":
            word = sa.func.lower(plain)
            yes, no = (word.in_([literal(w) for w in words]) for words in (_YES, _NO))
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
            fits = text.bool_op("~")(literal(_DAY))
            inside = sa.and_(year > sa.literal_column("0"), day <= sa.extract("day", next_month))
            return sa.case((fits, sa.case((inside, sa.func.make_date(year, month, day)))))
        return text

    def read_as(self, value: Element, how: str) -> Element:
        """
        A column of a type of the database's own as what its field's `stored` says; see `Field.read_as`.
        """
        if how == "text":
            return sa.cast(value, sa.Text)
        if how == "numeric":
            return sa.cast(value, sa.Numeric)
        if how == "list":
            return sa.func.array_to_string(value, literal(", "), type_=sa.Text())
        return value

    def paper(self, value: Element, found: Field) -> Element:
        """
        A value on its way out, where the driver needs help.
        """
        return sa.cast(value, sa.Text) if found.stored == "other" else value


#: What values of a stored type become in Python, where the driver gives texts and numbers only.
_PYTHON: dict[str, Any] = {
    "integer": sa.Integer(),
    "boolean": sa.Boolean(),
    "date": sa.Date(),
    "timestamp": sa.DateTime(),
    "timestamptz": sa.DateTime(timezone=True),
    "time": sa.Time(),
    "bytes": sa.LargeBinary(),
}


class Sqlite(Dialect):
    """
    SQLite, with the functions that `bouquet.sources.alchemy` gives it. Moments are texts in UTC.
    """

    name: ClassVar[str] = "sqlite"

    def __init__(self) -> None:
        self.engine_dialect = sqlite.dialect(paramstyle="named")

    def literal(self, value: Value, stored: str | None = None) -> Element:
        if isinstance(value, bool):
            return sa.literal_column(str(int(value)))
        if isinstance(value, datetime):
            utc = value.astimezone(UTC).replace(tzinfo=None) if value.tzinfo else value
            return literal(utc.isoformat(sep=" ", timespec="seconds"))
        if isinstance(value, int | str) or not hasattr(value, "isoformat"):
            return literal(value, stored)
        return literal(value.isoformat())

    def trimmed(self, text: Element, white: str) -> Element:
        return sa.func.trim(text, literal(white))

    def lowered(self, text: Element) -> Element:
        return sa.func.bouquet_lower(text)

    def collated(self, text: Element) -> Element:
        return sa.collate(text, "bouquet")

    def by_digits(self, text: Element, digits: int) -> Element:
        return sa.func.bouquet_digits(text)

    def blanks(self, directed: Any, descending: bool, first: bool) -> Element:
        return directed.nulls_first() if first else directed.nulls_last()  # type: ignore[no-any-return]

    def is_true(self, value: Element) -> Element:
        return value == sa.literal_column("1")

    def is_false(self, value: Element) -> Element:
        return value == sa.literal_column("0")

    def some(self, value: Element) -> Element:
        return sa.func.max(value)

    def every(self, value: Element) -> Element:
        return sa.func.min(value)

    def total(self, how: str, value: Element, found: Field) -> Element:
        scale: Element = sa.literal_column(
            str(found.scale if found.stored == "numeric" and found.scale is not None else -1)
        )
        return sa.func.bouquet_sum(value, scale) if how == "sum" else sa.func.bouquet_mean(value, scale)

    def divided(self, total: Element, count: Element) -> Element:
        return sa.func.bouquet_divided(total, count)

    def read_text(self, text: Element, stored: str) -> Element:
        return sa.func.bouquet_read(text, literal(stored)) if stored != "text" else text

    def local(self, moment: Element, zone: ZoneInfo) -> Element:
        return moment

    def exact(self, value: Element, found: Field) -> Element:
        return value

    def paper(self, value: Element, found: Field) -> Element:
        kind = _PYTHON.get(found.stored, sa.Text())
        return sa.type_coerce(sa.cast(value, sa.Text) if found.stored == "other" else value, kind)

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


DIALECTS: dict[str, Dialect] = {d.name: d for d in (Dialect(), Sqlite())}


def render(statement: sa.ClauseElement, dialect: str = "postgresql") -> str:
    """
    The statement's text, with every value a literal.
    """
    return DIALECTS[dialect].render(statement)
