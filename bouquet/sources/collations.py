"""
Columns that compare their texts in a way of their own (https://www.postgresql.org/docs/current/collation.html,
https://www.sqlite.org/datatype3.html#collation). In MariaDB and MySQL every column does, and is read as one that does.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

import sqlalchemy as sa

__all__ = ["compared_otherwise"]

#: The numbers of the collation of the database and of the plainest (`pg_collation.dat`), and of the type of names,
#: which has that one always.
_DEFAULT, _PLAIN, _NAME = 100, 950, 19

#: Before version 12 every collation tells all texts apart, and its table does not say so.
_COLLATED = f"""
SELECT n.nspname, c.relname, a.attname, a.attcollation,
    a.attcollation IN (SELECT o.oid FROM pg_collation o WHERE to_jsonb(o) ->> 'collisdeterministic' = 'false') AS loose
FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'v', 'm', 'f')
    AND a.attcollation NOT IN (0, {_DEFAULT}) AND a.atttypid <> {_NAME}
    AND n.nspname NOT LIKE 'pg\\_%' AND n.nspname <> 'information_schema'
"""


def compared_otherwise(connection: sa.Connection) -> Iterator[tuple[str | None, str, str | None]]:
    """
    (schema, table, column) of what has to be compared as the database does otherwise; no column for all of a table. To
    some collations different texts are one: they cannot be looked into, and are neither told apart nor grouped as they
    are written.
    """
    if connection.dialect.name == "postgresql":
        yield from _in_postgresql(connection)
    elif connection.dialect.name == "sqlite":
        # Where any table has such a column, views may show it under any name.
        made = connection.execute(sa.text("SELECT name, sql FROM sqlite_master WHERE type IN ('table', 'view')")).all()
        if any(re.search(r"\bcollate\b", sql or "", re.IGNORECASE) for _, sql in made):
            yield from ((None, name, None) for name, _ in made)


def _in_postgresql(connection: sa.Connection) -> Iterator[tuple[str, str, str]]:
    """
    Besides, columns of two collations cannot be compared with each other: where there are several, only the plainest,
    or else the one that most columns have, stays.
    """
    try:
        with connection.begin_nested():
            found = connection.execute(sa.text(_COLLATED)).all()
    except sa.exc.DBAPIError:
        # Another server that speaks PostgreSQL's protocol, and has no such table.
        return
    exact = Counter(row.attcollation for row in found if not row.loose)
    stays = _PLAIN if _PLAIN in exact else next((known for known, _ in exact.most_common(1)), None)
    for row in found:
        if row.loose or row.attcollation != stays:
            yield row.nspname, row.relname, row.attname
