"""
Copies of Marrowby in SQLite and MariaDB: the same tables and records, for trying the second way to a source.
"""

from __future__ import annotations

import re
import sqlite3
from datetime import date
from fractions import Fraction
from importlib.resources import files
from pathlib import Path

import polars as pl
import pymysql
import sqlalchemy as sa

from bouquet.demo.marrowby.generate import tables_of

__all__ = ["copy_marrowby", "copy_to_mariadb"]

_SPARED = ("photograph",)


def copy_marrowby(path: Path, *, until: date, scale: int | Fraction = 1) -> None:
    """
    Make and fill the copy, without photographs. Moments become texts in UTC.
    """
    tables = files("bouquet.demo.marrowby").joinpath("tables.sql").read_text(encoding="utf-8")
    statements = [s for s in re.sub(r"--.*", "", tables).split(";") if "CREATE TABLE" in s]
    indexes = files("bouquet.demo.marrowby").joinpath("indexes.sql").read_text(encoding="utf-8")
    with sqlite3.connect(path) as connection:
        for statement in statements:
            connection.execute(statement)
        for name, make in tables_of(scale, until):
            if name not in _SPARED:
                _fill(connection, name, make())
        for n, found in enumerate(re.findall(r"CREATE INDEX ON (.*?);", indexes)):
            connection.execute(f"CREATE INDEX i{n} ON {found}")
    connection.close()


def _fill(connection: sqlite3.Connection, name: str, rows: pl.DataFrame) -> None:
    plain = rows.select(_plain(rows, column) for column in rows.columns)
    marks = ", ".join("?" * len(rows.columns))
    connection.executemany(f"INSERT INTO {name} ({', '.join(rows.columns)}) VALUES ({marks})", plain.iter_rows())


def _plain(rows: pl.DataFrame, column: str) -> pl.Expr:
    value, dtype = pl.col(column), rows.schema[column]
    if isinstance(dtype, pl.Datetime):
        utc = value.dt.convert_time_zone("UTC") if dtype.time_zone else value
        return utc.dt.strftime("%Y-%m-%d %H:%M:%S")
    return value.cast(pl.String) if dtype == pl.Date else value


#: What PostgreSQL's types are called in MariaDB. Texts of keys have a length, as they must there.
_MARIADB_TYPES = (
    (r"\btext (PRIMARY KEY|NOT NULL UNIQUE)", r"varchar(190) \1"),
    (r"\battr text\b", "attr varchar(190)"),
    (r"\btext\b", "longtext"),
    (r"\btimestamptz\b", "timestamp(6) NULL DEFAULT NULL"),
    (r"\btimestamp\b(?!\()", "datetime(6)"),
    (r"\bjsonb\b", "longtext"),
    (r"\bbytea\b", "longblob"),
    (r"\bdouble precision\b", "double"),
    (r"REFERENCES (\w+)", ""),
)

#: Rows of one INSERT.
_AT_ONCE = 2_000


def copy_to_mariadb(url: str, *, until: date, scale: int | Fraction = 1) -> None:
    """
    Make and fill the copy in an empty database, without photographs.
    """
    tables = files("bouquet.demo.marrowby").joinpath("tables.sql").read_text(encoding="utf-8")
    statements = [s for s in re.sub(r"--.*", "", tables).split(";") if "CREATE TABLE" in s]
    indexes = files("bouquet.demo.marrowby").joinpath("indexes.sql").read_text(encoding="utf-8")
    made = sa.make_url(url)
    connection = pymysql.connect(
        host=made.host, port=made.port or 3306, user=made.username, password=made.password or "",
        database=made.database, charset="utf8mb4",
    )  # fmt: skip
    with connection, connection.cursor() as cursor:
        cursor.execute("SET time_zone = '+00:00'")
        for statement in statements:
            for pattern, instead in _MARIADB_TYPES:
                statement = re.sub(pattern, instead, statement)
            cursor.execute(statement)
        for name, make in tables_of(scale, until):
            if name not in _SPARED:
                rows = make()
                plain = rows.select(_plain(rows, column) for column in rows.columns)
                marks = ", ".join(["%s"] * len(rows.columns))
                insert = f"INSERT INTO {name} ({', '.join(rows.columns)}) VALUES ({marks})"
                for part in plain.iter_slices(_AT_ONCE):
                    cursor.executemany(insert, part.rows())
        for n, found in enumerate(re.findall(r"CREATE INDEX ON (.*?);", indexes)):
            if re.search(r"\((?:s_id|sp_id|t_id|i_id|wo_id|i_on|t_changed)\)", found):
                table, _, columns = found.partition(" ")
                cursor.execute(f"CREATE INDEX i{n} ON {table} {columns}")
        connection.commit()
