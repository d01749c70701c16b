"""
Foreign keys, from what a database itself keeps of them.
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa

__all__ = ["foreign_keys"]


def foreign_keys(connection: sa.Connection) -> dict[tuple[str | None, str], list[dict[str, Any]]] | None:
    """
    The foreign keys of each (schema, table), as SQLAlchemy's inspector has them; None where it is to be asked.
    Elsewhere it reads names from the text of a constraint, where a comma, a bracket or a quotation mark in one leads it
    astray.
    """
    asked = _FOREIGN_KEYS.get(connection.dialect.name)
    if asked is None:
        return None
    found: dict[tuple[str | None, str], dict[str, dict[str, Any]]] = {}
    for schema, table, name, there, target, own, theirs, sure in connection.execute(sa.text(asked)):
        key = {"referred_schema": there, "referred_table": target, "sure": bool(sure)}
        known = found.setdefault((schema, table), {}).setdefault(
            name, {**key, "constrained_columns": [], "referred_columns": []}
        )
        known["constrained_columns"].append(own)
        known["referred_columns"].append(theirs)
    return {at: list(keys.values()) for at, keys in found.items()}


_OF_INFORMATION_SCHEMA = (
    "SELECT table_schema, table_name, constraint_name, referenced_table_schema, referenced_table_name, column_name,"
    " referenced_column_name, TRUE FROM information_schema.key_column_usage"
    " WHERE table_schema = DATABASE() AND referenced_table_name IS NOT NULL"
    " ORDER BY table_name, constraint_name, ordinal_position"
)

#: (schema, table, constraint, schema there, table there, own column, column there, whether it holds for all rows that
#: are read) of each column of a foreign key. In PostgreSQL it does not where tables inherit, or a policy hides rows;
#: what it has for single partitions says nothing more. SQLite has keys, and as a rule does not look at them.
_FOREIGN_KEYS = {
    "postgresql": (
        "SELECT n.nspname, c.relname, x.conname, fn.nspname, fc.relname, a.attname, fa.attname,"
        " x.convalidated AND NOT fc.relrowsecurity AND (c.relkind = 'p' OR NOT EXISTS"
        " (SELECT FROM pg_inherits h WHERE h.inhparent = c.oid))"
        " FROM pg_constraint x JOIN pg_class c ON c.oid = x.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace"
        " JOIN pg_class fc ON fc.oid = x.confrelid JOIN pg_namespace fn ON fn.oid = fc.relnamespace"
        " CROSS JOIN LATERAL unnest(x.conkey, x.confkey) WITH ORDINALITY AS k(own, theirs, place)"
        " JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum = k.own"
        " JOIN pg_attribute fa ON fa.attrelid = fc.oid AND fa.attnum = k.theirs"
        " WHERE x.contype = 'f' AND x.conparentid = 0 ORDER BY n.nspname, c.relname, x.conname, k.place"
    ),
    "mysql": _OF_INFORMATION_SCHEMA,
    "mariadb": _OF_INFORMATION_SCHEMA,
}
