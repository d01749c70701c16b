"""
SQLite.
"""

from __future__ import annotations

from datetime import UTC, datetime
from decimal import Decimal
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.dialects import sqlite

from bouquet.core.catalogue import Field, Kind
from bouquet.core.sql.dialects.base import Element
from bouquet.core.sql.dialects.standard import PYTHON_TYPES, StandardSql, first_of_each
from bouquet.core.sql.literals import literal
from bouquet.core.values import Value

__all__ = ["Sqlite"]


class Sqlite(StandardSql):
    """
    SQLite, with the functions that `bouquet.sources.alchemy` gives it. Moments are texts in UTC.
    """

    name: ClassVar[str] = "sqlite"
    always_joins: ClassVar[bool] = True

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

    def directed(self, value: Element, *, descending: bool, blanks_first: bool, filled: bool) -> list[Element]:
        directed: Element = value.desc() if descending else value.asc()
        if filled:
            return [directed]
        return [directed.nulls_first() if blanks_first else directed.nulls_last()]

    def number(self, text: Element, places: int | None = None) -> Element:
        return sa.cast(text, sa.Numeric)

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

    def scaled(self, value: Element, factor: Decimal) -> Element:
        return sa.func.bouquet_scaled(value, literal(str(factor)))

    def trimmed_number(self, value: Element) -> Element:
        return sa.func.bouquet_trimmed(value)

    def step(self, value: Element, unit: str, count: int, kind: Kind, zone: ZoneInfo) -> Element:
        clock = zone.key if kind is Kind.MOMENT else ""
        return sa.func.bouquet_step(value, literal(unit), sa.literal_column(str(count)), literal(clock))

    def one_of_each(self, statement: sa.Select[Any], keys: list[Element], order: list[Element]) -> sa.Select[Any]:
        return first_of_each(statement, keys, order)

    def local(self, moment: Element, zone: ZoneInfo) -> Element:
        return moment

    def exact(self, value: Element, found: Field) -> Element:
        return value

    def paper(self, value: Element, found: Field) -> Element:
        kind = PYTHON_TYPES.get(found.stored, sa.Text())
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

    def read_as(self, value: Element, how: str) -> Element:
        return sa.cast(value, sa.Text) if how == "text" else sa.cast(value, sa.Numeric) if how == "numeric" else value
