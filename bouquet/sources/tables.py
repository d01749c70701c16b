"""
What a database says of its tables and views: columns, keys, comments, sizes, and what it counted in them.

Tables in the default schema go by their name, others by `schema.name`. Partitions are not listed beside the table they
are parts of, nor is what the role may not read.
"""

from __future__ import annotations

import contextlib
import time
import warnings
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import sqlalchemy as sa
from sqlalchemy.engine.interfaces import ReflectedColumn

from bouquet.core.catalogue import Kind
from bouquet.sources.collations import compared_otherwise
from bouquet.sources.foreign import foreign_keys
from bouquet.sources.stored import Stored, stored_as
from bouquet.sources.strays import declared_types, strayed, strays, written_freely

__all__ = ["Foreign", "Table", "read_tables"]

#: Schemas that belong to the database itself.
OWN = ("information_schema", "mysql", "performance_schema", "sys")

#: Seconds that SQLite's values are looked at for what they are.
STRAYS_TIME = 3.0


@dataclass(frozen=True)
class Foreign:
    """
    A foreign key: (own column, other column) pairs, and the table that it leads to; `sure` that the database sees to it
    that it leads somewhere.
    """

    pairs: tuple[tuple[str, str], ...]
    target: str
    sure: bool = False


@dataclass
class Table:
    """
    One table or view. `key` are the columns of its primary key, `unique` other sets of columns that are; `paged` is as
    in `core.catalogue.RecordType`.
    """

    schema: str | None
    name: str
    columns: list[ReflectedColumn]
    key: list[str] = field(default_factory=list)
    unique: list[list[str]] = field(default_factory=list)
    #: The columns that an index begins with which holds all rows in their order.
    indexed: set[str] = field(default_factory=set)
    foreign: list[Foreign] = field(default_factory=list)
    comment: str = ""
    rows: int | None = None
    paged: bool = True

    @cached_property
    def stored(self) -> dict[str, Stored]:
        """
        How the values of each column are read.
        """
        return {c["name"]: stored_as(c["type"]) for c in self.columns}

    @property
    def column_names(self) -> set[str]:
        return set(self.stored)

    def leave_only(self, readable: set[str]) -> None:
        """
        Forget the columns that may not be read, and the keys that they are parts of.
        """
        self.columns = [c for c in self.columns if c["name"] in readable]
        self.paged = False
        self.key = self.key if readable.issuperset(self.key) else []
        self.unique = [u for u in self.unique if readable.issuperset(u)]
        self.foreign = [f for f in self.foreign if readable.issuperset(own for own, _ in f.pairs)]

    def compare_exactly(self, columns: Iterable[str]) -> None:
        """
        Read the texts of these as they are written, however the database compares them.
        """
        for name in columns:
            if (known := self.stored[name]).stored == "text" and known.read_as in ("", "text"):
                self.stored[name] = replace(known, read_as="exactly")

    def column(self, name: str) -> ReflectedColumn:
        return next(c for c in self.columns if c["name"] == name)

    def identity(self) -> list[str]:
        """
        What tells its rows apart: the primary key, or the smallest set of columns that are unique and never empty.
        """
        if self.key:
            return self.key
        sure = [u for u in self.unique if u and all(not self.column(c)["nullable"] for c in u)]
        return min(sure, key=len) if sure else []

    def is_unique(self, columns: set[str]) -> bool:
        return any(u and set(u) <= columns for u in (self.key, *self.unique))


def read_tables(connection: sa.Connection) -> dict[str, Table]:
    """
    All that may be read, by name; see the module on names.
    """
    inspector = sa.inspect(connection)
    default = inspector.default_schema_name
    seen = _seen_by_role(connection)
    foreign = foreign_keys(connection)
    tables: dict[str, Table] = {}
    for schema in _schemas(inspector, connection):
        wanted = None if schema == default else schema
        if seen is not None and not any(s == schema for s, _ in seen):
            continue
        with warnings.catch_warnings():
            # A type that is not known is read as text.
            warnings.simplefilter("ignore", sa.exc.SAWarning)
            _read_schema(
                inspector,
                wanted,
                default,
                tables,
                lambda name, schema=schema: (schema, name) in (seen or ()) or seen is None,
                foreign,
            )
    for name, column, stored in declared_types(connection, tables):
        tables[name].stored[column] = stored
    if connection.dialect.name != "postgresql":
        until = time.monotonic() + STRAYS_TIME
        for table in tables.values():
            for column in strays(connection, table, until - time.monotonic()):
                table.stored[column] = strayed(connection, table.stored[column])
            for column in written_freely(connection, table, until - time.monotonic()):
                table.stored[column] = replace(table.stored[column], read_as="clock")
    for where, name, only in compared_otherwise(connection):
        known = tables.get(name if where in (default, None) else f"{where}.{name}")
        if known is not None:
            known.compare_exactly(known.column_names if only is None else {only} & known.column_names)
    for name, column in _shapes(connection):
        if name in tables and column in tables[name].stored:
            tables[name].stored[column] = Stored("text", Kind.OTHER, "shape")
    for (schema, name), (rows, paged) in (seen or {}).items():
        known = tables.get(name if schema == default else f"{schema}.{name}")
        if known is not None:
            known.rows, known.paged = rows if rows >= 0 else None, paged
    for (schema, name), readable in _open_columns(connection).items():
        known = tables.get(name if schema == default else f"{schema}.{name}")
        if known is not None:
            known.leave_only(readable)
    return tables


def _schemas(inspector: sa.Inspector, connection: sa.Connection) -> Iterator[str | None]:
    if connection.dialect.name == "postgresql":
        names = [s for s in inspector.get_schema_names() if s not in OWN and not s.startswith("pg_")]
        yield from sorted(names, key=lambda s: s != inspector.default_schema_name)
    else:
        yield inspector.default_schema_name


def _read_schema(
    inspector: sa.Inspector,
    schema: str | None,
    default: str | None,
    tables: dict[str, Table],
    seen: Any,
    known: Mapping[tuple[str | None, str], list[dict[str, Any]]] | None,
) -> None:
    everything: Any = {"schema": schema, "kind": sa.engine.reflection.ObjectKind.ANY}
    if inspector.dialect.name == "sqlite":
        everything["filter_names"] = list(_sound(inspector))
    columns = inspector.get_multi_columns(**everything)
    keys: dict[Any, Any] = dict(inspector.get_multi_pk_constraint(**everything))
    foreign: dict[Any, Any] = {}
    if known is None:
        foreign = dict(inspector.get_multi_foreign_keys(**everything))
    unique: dict[Any, Any] = dict(inspector.get_multi_unique_constraints(**everything))
    indexes: dict[Any, Any] = dict(inspector.get_multi_indexes(**everything))
    comments = _comments(inspector, everything)
    if inspector.dialect.name in ("mysql", "mariadb"):
        columns, keys, unique, indexes = (_plain_names(d) for d in (columns, keys, unique, indexes))
    for (_, name), found in columns.items():
        if not seen(name):
            continue
        at = (schema, name)
        table = Table(schema, name, list(found))
        table.key = list((keys.get(at) or {}).get("constrained_columns") or ())
        table.unique = [list(u["column_names"]) for u in unique.get(at) or ()]
        for index in indexes.get(at) or ():
            options = index.get("dialect_options") or {}
            whole = not options.get("postgresql_where")
            names = index["column_names"]
            if whole and names and names[0] and options.get("postgresql_using", "btree") == "btree":
                table.indexed.add(str(names[0]))
            if index["unique"] and whole and all(names) and not index.get("expressions"):
                table.unique.append([str(n) for n in names])
        table.indexed.update(columns[0] for columns in (table.key, *table.unique) if columns)
        table.comment = comments.get(at, "")
        for f in (foreign.get(at) if known is None else known.get((schema or default, name))) or ():
            where = f["referred_schema"] or default
            target = f["referred_table"] if where == default else f"{where}.{f['referred_table']}"
            pairs = zip(f["constrained_columns"], f["referred_columns"], strict=True)
            table.foreign.append(Foreign(tuple(pairs), target, f.get("sure", False)))
        tables[name if schema is None else f"{schema}.{name}"] = table


def _sound(inspector: sa.Inspector) -> Iterator[str]:
    """
    The tables and views of a file of SQLite, without views of what is gone, which cannot even be described.
    """
    for name in (*inspector.get_table_names(), *inspector.get_view_names()):
        with contextlib.suppress(sa.exc.DBAPIError):
            inspector.get_columns(name)
            yield name


def _plain_names(read: Any) -> Any:
    """
    What was read of MariaDB's tables, with names as they are: the reader leaves back quotes in them doubled.
    """
    if isinstance(read, Mapping):
        return {k: v if k in ("comment", "default") else _plain_names(v) for k, v in read.items()}
    if isinstance(read, list):
        return [_plain_names(value) for value in read]
    return read.replace("``", "`") if isinstance(read, str) else read


def _comments(inspector: sa.Inspector, everything: Mapping[str, Any]) -> dict[Any, str]:
    try:
        return {at: (c or {}).get("text") or "" for at, c in inspector.get_multi_table_comment(**everything).items()}
    except NotImplementedError:
        return {}


def _seen_by_role(connection: sa.Connection) -> dict[tuple[str, str], tuple[int, bool]] | None:
    """
    (schema, name) of what the role may read, with the rows that the database counted last (-1 where it did not) and
    whether it is `paged`; None where every table may be read. Partitions are left out.
    """
    if connection.dialect.name != "postgresql":
        return None
    found = connection.execute(
        sa.text(
            "SELECT n.nspname, c.relname, c.relkind IN ('r', 'm') AS paged, CASE WHEN c.relkind = 'p' THEN"
            " (SELECT sum(greatest(p.reltuples, 0)) FROM pg_partition_tree(c.oid) t"
            " JOIN pg_class p ON p.oid = t.relid WHERE t.isleaf)"
            " WHEN c.relkind IN ('r', 'm', 'f') THEN c.reltuples ELSE -1 END::bigint AS rows"
            " FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace"
            " WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND NOT c.relispartition"
            " AND n.nspname NOT LIKE 'pg\\_%' AND n.nspname <> 'information_schema'"
            " AND has_schema_privilege(n.oid, 'USAGE')"
            " AND (has_table_privilege(c.oid, 'SELECT') OR has_any_column_privilege(c.oid, 'SELECT'))"
        )
    )
    return {(row.nspname, row.relname): (-1 if row.rows is None else row.rows, row.paged) for row in found}


def _shapes(connection: sa.Connection) -> list[tuple[str, str]]:
    """
    (table, column) of points and other shapes of MariaDB and MySQL, whose types SQLAlchemy does not know.
    """
    if connection.dialect.name not in ("mysql", "mariadb"):
        return []
    found = connection.exec_driver_sql(
        "SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = DATABASE()"
        " AND data_type IN ('geometry', 'point', 'linestring', 'polygon', 'multipoint', 'multilinestring',"
        " 'multipolygon', 'geometrycollection', 'geomcollection')"
    )
    return [(str(table), str(column)) for table, column in found]


def _open_columns(connection: sa.Connection) -> dict[tuple[str, str], set[str]]:
    """
    The columns that the role may read, of tables of which it may not read all.
    """
    if connection.dialect.name != "postgresql":
        return {}
    found = connection.execute(
        sa.text(
            "SELECT n.nspname, c.relname, a.attname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace"
            " JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped"
            " WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND n.nspname NOT LIKE 'pg\\_%'"
            " AND n.nspname <> 'information_schema' AND has_schema_privilege(n.oid, 'USAGE')"
            " AND NOT has_table_privilege(c.oid, 'SELECT') AND has_column_privilege(c.oid, a.attnum, 'SELECT')"
        )
    )
    columns: dict[tuple[str, str], set[str]] = {}
    for row in found:
        columns.setdefault((row.nspname, row.relname), set()).add(row.attname)
    return columns
