"""
Values that are not what their column was declared as, or not written as they are compared: SQLite keeps whatever it is
given, and MariaDB's small numbers and times may be more than they say.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING

import sqlalchemy as sa

from bouquet.core.catalogue import Kind
from bouquet.sources.brief import briefly
from bouquet.sources.stored import Stored

if TYPE_CHECKING:
    from bouquet.sources.tables import Table

__all__ = ["declared_types", "strayed", "strays", "written_freely"]

#: Types that SQLite keeps only as a word.
_SQLITE_TYPES = {
    "timestamptz": ("timestamptz", Kind.MOMENT),
    "jsonb": ("other", Kind.OTHER),
    "json": ("other", Kind.OTHER),
    "bytea": ("bytes", Kind.FILE),
}


#: Of a column of this stored type, SQLite's condition for a value that is none of it.
_STRAY = {
    "integer": "typeof({c}) NOT IN ('integer', 'null')",
    "numeric": "typeof({c}) NOT IN ('integer', 'real', 'null')",
    "float": "typeof({c}) NOT IN ('integer', 'real', 'null')",
    "boolean": "{c} NOT IN (0, 1)",
    "date": "coalesce(date({c}), '') <> {c}",
    "time": "{c} IS NOT NULL AND (typeof({c}) <> 'text' OR time({c}) IS NULL OR {c} NOT LIKE '__:__%')",
    "timestamp": "coalesce(datetime({c}), '') <> replace(substr({c}, 1, 19), 'T', ' ')",
    "timestamptz": "{c} IS NOT NULL AND (typeof({c}) <> 'text' OR datetime({c}) IS NULL)",
}

#: How SQLite's times are compared as they are kept: with seconds, and a fraction only where there is one.
_CLOCK = "[0-9][0-9]:[0-9][0-9]:[0-9][0-9]"
_AS_COMPARED = {
    "time": _CLOCK,
    "timestamp": f"[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9] {_CLOCK}",
    "timestamptz": f"[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9] {_CLOCK}",
}


#: The same of MariaDB and MySQL, where a yes-no is a small number, and a time of day may be any length of time.
_STRAY_MYSQL = {
    "boolean": "{c} NOT IN (0, 1)",
    "time": "{c} < '00:00:00' OR {c} >= '24:00:00'",
}


def strayed(connection: sa.Connection, declared: Stored) -> Stored:
    """
    What a column is read as that holds values which are none of its type.
    """
    if connection.dialect.name != "sqlite" and declared.stored == "boolean":
        return Stored("integer", Kind.INTEGER)
    return Stored("text", Kind.TEXT, "text")


def strays(connection: sa.Connection, table: Table, seconds: float) -> list[str]:
    """
    Columns with values that are not what the column was declared as: SQLite keeps whatever it is given
    (https://sqlite.org/flexibletypegood.html). They are read as texts; small numbers of MariaDB as such. Empty
    where looking takes longer.
    """
    quoted = connection.dialect.identifier_preparer.quote
    known = _STRAY if connection.dialect.name == "sqlite" else _STRAY_MYSQL
    kept = {name: s.stored for name, s in table.stored.items() if s.stored in known and not s.read_as}
    conditions = {n: known[stored].format(c=quoted(n)) for n, stored in kept.items()}
    return _meeting(connection, table, conditions, seconds) or []


def _meeting(
    connection: sa.Connection, table: Table, conditions: Mapping[str, str], seconds: float
) -> list[str] | None:
    """
    The columns some of whose values meet the condition given for each; None where that cannot be told in time. A view
    that fails says so when it is read.
    """
    if not conditions:
        return []
    if seconds <= 0:
        return None
    cells = ", ".join(f"max({condition})" for condition in conditions.values())
    source = connection.dialect.identifier_preparer.quote(table.name)
    try:
        with briefly(connection, max(1, int(seconds * 1000))):
            row = connection.exec_driver_sql(f"SELECT {cells} FROM {source}").one()
    except sa.exc.DBAPIError:
        return None
    return [name for name, met in zip(conditions, row, strict=True) if met]


def declared_types(connection: sa.Connection, tables: Mapping[str, Table]) -> Iterator[tuple[str, str, Stored]]:
    """
    (table, column, how it is stored) of columns whose declared type says more than SQLAlchemy takes from it in SQLite.
    """
    if connection.dialect.name != "sqlite":
        return
    quoted = connection.dialect.identifier_preparer.quote_identifier
    for name in tables:
        for row in connection.exec_driver_sql(f"PRAGMA table_info({quoted(name)})"):
            known = _SQLITE_TYPES.get(str(row[2]).lower())
            if known and row[1] in tables[name].stored:
                yield name, row[1], Stored(*known)


def written_freely(connection: sa.Connection, table: Table, seconds: float) -> list[str]:
    """
    Columns of SQLite with times that are written in several ways, such as `2026-11-23T09:00Z`, and so cannot be
    compared as texts; all that may be, where looking takes longer.
    """
    if connection.dialect.name != "sqlite":
        return []
    asked = {n: _AS_COMPARED[s.stored] for n, s in table.stored.items() if s.stored in _AS_COMPARED and not s.read_as}
    quoted = connection.dialect.identifier_preparer.quote
    conditions = {n: f"{quoted(n)} NOT GLOB '{form}'" for n, form in asked.items()}
    found = _meeting(connection, table, conditions, seconds)
    return list(asked) if found is None else found
