"""
The shape of a source: one digest of all tables, columns, keys and comments, by which a change is noticed quickly.
"""

from __future__ import annotations

import hashlib
import json

import sqlalchemy as sa

from bouquet.core.catalogue import Catalogue
from bouquet.sources.overlay import Overlay

__all__ = ["LARGE", "is_large", "reading_digest"]

#: Fields from which on a catalogue is kept between starts, and read again only when the shape changed.
LARGE = 5_000

#: Counts up when the same tables come to another catalogue by a change of Bouquet's own.
READING = 3

_POSTGRESQL = r"""
SELECT md5(string_agg(fact, '' ORDER BY fact)) FROM (
    SELECT md5(concat_ws('|', c.oid, c.relname, c.relnamespace, c.relkind, a.attname, a.atttypid, a.atttypmod,
        a.attnotnull, a.attnum, a.attgenerated, a.attcollation, has_table_privilege(c.oid, 'SELECT'))) AS fact
    FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid
    WHERE a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'v', 'm', 'f')
        AND c.relnamespace NOT IN
            (SELECT oid FROM pg_namespace WHERE nspname LIKE 'pg\_%' OR nspname = 'information_schema')
    UNION ALL SELECT md5(concat_ws('|', oid, nspname, has_schema_privilege(oid, 'USAGE'))) FROM pg_namespace
    UNION ALL SELECT md5(concat_ws('|', oid, conname, contype, conrelid, confrelid, conkey, confkey)) FROM pg_constraint
    UNION ALL SELECT md5(concat_ws('|', indexrelid, indrelid, indisunique, indkey)) FROM pg_index
        WHERE indrelid >= 16384
    UNION ALL SELECT md5(concat_ws('|', objoid, objsubid, description)) FROM pg_description
        WHERE classoid = 'pg_class'::regclass AND objoid >= 16384
    UNION ALL SELECT md5(concat_ws('|', enumtypid, enumlabel, enumsortorder)) FROM pg_enum
) facts
"""

#: Of MariaDB and MySQL: what its information schema says, read whole.
_MYSQL = (
    "SELECT table_name, column_name, ordinal_position, column_type, is_nullable, column_comment"
    " FROM information_schema.columns WHERE table_schema = database() ORDER BY 1, 3",
    "SELECT table_name, index_name, seq_in_index, column_name, non_unique"
    " FROM information_schema.statistics WHERE table_schema = database() ORDER BY 1, 2, 3",
    "SELECT table_name, constraint_name, column_name, referenced_table_name, referenced_column_name"
    " FROM information_schema.key_column_usage WHERE table_schema = database() ORDER BY 1, 2, 3",
)

#: Of SQLite: how each of its tables was made.
_SQLITE = ("SELECT type, name, sql FROM sqlite_master ORDER BY 1, 2",)


def is_large(catalogue: Catalogue) -> bool:
    """
    Whether reading the catalogue takes so long that it is worth keeping.
    """
    return sum(len(t.fields) for t in catalogue.record_types.values()) >= LARGE


def reading_digest(connection: sa.Connection, overlay: Overlay | None) -> str:
    """
    A digest that changes when reading the source with this curated catalogue would come to another one. Values are not
    part of it.
    """
    told = overlay.model_dump(mode="json") if overlay is not None else None
    whole = hashlib.sha256(json.dumps([READING, told, _shape(connection)], sort_keys=True).encode())
    return whole.hexdigest()


def _shape(connection: sa.Connection) -> str:
    name = connection.dialect.name
    if name == "postgresql":
        return str(connection.execute(sa.text(_POSTGRESQL)).scalar())
    found = hashlib.sha256()
    for statement in _MYSQL if name in ("mysql", "mariadb") else _SQLITE:
        for row in connection.exec_driver_sql(statement):
            found.update(repr(tuple(row)).encode())
    return found.hexdigest()
