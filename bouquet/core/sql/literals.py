"""
The one place where a value becomes part of a statement's text.

A statement with bound parameters makes the Arrow driver fetch the whole result before the first batch, so
values stand in the statement as typed literals: always a quoted text, cast to its type.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql
from sqlalchemy.types import UserDefinedType

from bouquet.core.values import Value

__all__ = ["literal"]


def quote(text: str) -> str:
    """
    `text` as a PostgreSQL string constant (PostgreSQL 15, 4.1.2.1 and 4.1.2.2).

    A text with a backslash takes the escape form, which reads the same under every server setting.
    Raises ValueError for NUL, which no PostgreSQL text can hold.
    """
    if "\x00" in text:
        msg = "A text with a NUL character cannot be sent to the database."
        raise ValueError(msg)
    quoted = text.replace("'", "''")
    return "E'" + quoted.replace("\\", "\\\\") + "'" if "\\" in text else f"'{quoted}'"


def quote_plain(text: str) -> str:
    """
    `text` as a string constant of standard SQL, in which a backslash is a letter like any other.

    Raises ValueError for NUL.
    """
    if "\x00" in text:
        msg = "A text with a NUL character cannot be sent to the database."
        raise ValueError(msg)
    return "'" + text.replace("'", "''") + "'"


class QuotedText(UserDefinedType[str]):
    """
    A text that is rendered by `quote` and nothing else.
    """

    cache_ok = True

    def get_col_spec(self, **_kw: Any) -> str:
        return "TEXT"

    def literal_processor(self, dialect: sa.Dialect) -> Callable[[str], str]:
        return quote if dialect.name == "postgresql" else quote_plain


def _text(value: str) -> sa.ColumnElement[Any]:
    return sa.literal(value, QuotedText(), literal_execute=False)


def literal(value: Value, stored: str | None = None) -> sa.ColumnElement[Any]:
    """
    A typed literal. `stored` is the database type of the field it is compared with (see `catalogue.Field`).
    """
    if isinstance(value, bool):
        return sa.true() if value else sa.false()
    if isinstance(value, int | Decimal):
        plain = f"{value:f}" if isinstance(value, Decimal) else str(value)
        as_type: Any = sa.BigInteger if isinstance(value, int) and abs(value) < 2**63 else sa.Numeric
        return sa.cast(_text(plain), as_type)
    if isinstance(value, datetime):
        zoned = value.tzinfo is not None
        return sa.cast(_text(value.isoformat(sep=" ")), postgresql.TIMESTAMP(timezone=zoned))
    if isinstance(value, date):
        return sa.cast(_text(value.isoformat()), sa.Date)
    if isinstance(value, time):
        return sa.cast(_text(value.isoformat()), sa.Time)
    return sa.cast(_text(value), sa.Text)
