"""
How values of a column's type are read, by what SQLAlchemy takes from a database's own types.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects import mysql, postgresql

from bouquet.core.catalogue import Kind

__all__ = ["Stored", "stored_as"]

#: SQLAlchemy type → (how it is stored, what kind of value it is). The first that fits counts.
_TYPES: tuple[tuple[type[Any], str, Kind], ...] = (
    (sa.Boolean, "boolean", Kind.BOOLEAN),
    (sa.Float, "float", Kind.DECIMAL),
    (sa.Integer, "integer", Kind.INTEGER),
    (sa.Numeric, "numeric", Kind.DECIMAL),
    (sa.String, "text", Kind.TEXT),
    (sa.Date, "date", Kind.DATE),
    (sa.Time, "time", Kind.TIME),
    (sa.LargeBinary, "bytes", Kind.FILE),
)


@dataclass(frozen=True)
class Stored:
    """
    How a column's values are read: see `core.catalogue.Field.stored` and `.read_as`.
    """

    stored: str
    kind: Kind
    read_as: str = ""
    choices: tuple[str, ...] = ()
    scale: int | None = None
    length: int | None = None


def _mysql_stored(column_type: Any) -> Stored | None:
    """
    Types of MariaDB and MySQL that are not what their name says elsewhere; None where they are.
    """
    if isinstance(column_type, mysql.TINYINT) and column_type.display_width == 1:
        return Stored("boolean", Kind.BOOLEAN)
    if isinstance(column_type, mysql.BIGINT) and column_type.unsigned:
        return Stored("numeric", Kind.INTEGER, scale=0)
    if isinstance(column_type, mysql.BIT):
        return Stored("integer", Kind.INTEGER, "bits")
    if isinstance(column_type, mysql.YEAR):
        return Stored("integer", Kind.INTEGER)
    if isinstance(column_type, mysql.TIMESTAMP):
        return Stored("timestamptz", Kind.MOMENT)
    if isinstance(column_type, mysql.SET):
        return Stored("text", Kind.TEXT)
    return None


def stored_as(column_type: Any) -> Stored:
    """
    How values of a type are read. What is not known is read as its text.
    """
    if isinstance(column_type, postgresql.DOMAIN):
        return stored_as(column_type.data_type)
    if column_type.__class__.__module__.startswith("sqlalchemy.dialects.mysql"):
        own = _mysql_stored(column_type)
        if own is not None:
            return own
    if isinstance(column_type, sa.Enum):
        return Stored("text", Kind.CHOICE, "text", choices=tuple(column_type.enums))
    if isinstance(column_type, sa.DateTime):
        zoned = bool(getattr(column_type, "timezone", False))
        return Stored("timestamptz", Kind.MOMENT) if zoned else Stored("timestamp", Kind.TIMESTAMP)
    if isinstance(column_type, sa.ARRAY):
        return Stored("text", Kind.TEXT, "list")
    if isinstance(column_type, sa.JSON):
        # Only the binary kind knows whether two values are the same.
        same = isinstance(column_type, postgresql.JSONB)
        return Stored("other", Kind.OTHER) if same else Stored("text", Kind.OTHER, "text")
    if isinstance(column_type, postgresql.MONEY):
        return Stored("numeric", Kind.DECIMAL, "numeric", scale=2)
    if isinstance(column_type, sa.Uuid):
        return Stored("text", Kind.IDENTIFIER, "text")
    if isinstance(column_type, sa.Time) and column_type.timezone:
        # A time of day with an offset is neither a time on a wall clock nor a moment.
        return Stored("text", Kind.OTHER, "text")
    if isinstance(column_type, sa.CHAR) and (column_type.length or 1) > 1:
        # What fills such a text up to its length belongs to the column, not to the value.
        return Stored("text", Kind.TEXT, "text", length=column_type.length)
    if type(column_type) is sa.String:
        # PostgreSQL's own `name` and `"char"`; the driver would give a byte of zero for an empty one.
        return Stored("text", Kind.TEXT, "text")
    if isinstance(column_type, postgresql.CITEXT):
        return Stored("text", Kind.TEXT, "text")
    for known, stored, kind in _TYPES:
        if isinstance(column_type, known):
            scale = getattr(column_type, "scale", None) if stored == "numeric" else None
            # A numeric(5, -2) of PostgreSQL holds whole hundreds.
            scale = max(0, scale) if scale is not None else None
            return Stored(stored, kind, scale=scale, length=getattr(column_type, "length", None))
    return Stored("text", Kind.OTHER, "text")
