"""
A copy of Marrowby in SQLite: the same tables and records, for trying the second way to a source.
"""

from __future__ import annotations

import re
import sqlite3
from datetime import date
from importlib.resources import files
from pathlib import Path

import polars as pl

from bouquet.demo.marrowby.generate import tables_of

__all__ = ["copy_marrowby"]

_SPARED = ("photograph",)


def copy_marrowby(path: Path, *, until: date, scale: int = 1) -> None:
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
