"""
The one place where a value becomes part of a statement's text.

A statement with bound parameters makes the Arrow driver fetch the whole result before the first batch, so
values stand in the statement as typed literals: always a quoted text, cast to its type.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql
from sqlalchemy.types import UserDefinedType

from bouquet.core.language import tr
from bouquet.core.values import Value

__all__ = ["literal", "literals"]


def quote(text: str) -> str:
    """
    `text` as a PostgreSQL string constant (PostgreSQL 15, 4.1.2.1 and 4.1.2.2).

    A text with a backslash takes the escape form, which reads the same under every server setting.
    Raises ValueError for NUL, which no PostgreSQL text can hold.
    """
    if "\x00" in text:
        msg = tr("A text with a NUL character cannot be sent to the database.")
        raise ValueError(msg)
    quoted = text.replace("'", "''")
    return "E'" + quoted.replace("\\", "\\\\") + "'" if "\\" in text else f"'{quoted}'"


def quote_plain(text: str) -> str:
    """
    `text` as a string constant of standard SQL, in which a backslash is a letter like any other.

    Raises ValueError for NUL.
    """
    if "\x00" in text:
        msg = tr("A text with a NUL character cannot be sent to the database.")
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
    text, as_type = _typed(value)
    return sa.cast(_text(text), as_type)


def literals(values: Sequence[Value]) -> sa.ColumnElement[Any] | None:
    """
    Values as one array of PostgreSQL (8.15.2), a single literal however many they are; None where they are of several
    types, or truth values.
    """
    typed = [_typed(v) for v in values if not isinstance(v, bool)]
    if len(typed) != len(values) or len({repr(as_type) for _, as_type in typed}) != 1:
        return None
    quoted = (text.replace("\\", "\\\\").replace('"', '\\"') for text, _ in typed)
    array = "{" + ",".join(f'"{text}"' for text in quoted) + "}"
    return sa.cast(_text(array), postgresql.ARRAY(typed[0][1]))


def _typed(value: Value) -> tuple[str, Any]:
    """
    The text of a value that is no truth value, and the type that it is cast to.
    """
    if isinstance(value, int | Decimal):
        plain = f"{value:f}" if isinstance(value, Decimal) else str(value)
        return plain, sa.BigInteger() if isinstance(value, int) and abs(value) < 2**63 else sa.Numeric()
    if isinstance(value, datetime):
        return value.isoformat(sep=" "), postgresql.TIMESTAMP(timezone=value.tzinfo is not None)
    if isinstance(value, date):
        return value.isoformat(), sa.Date()
    if isinstance(value, time):
        return value.isoformat(), sa.Time()
    return value, sa.Text()
