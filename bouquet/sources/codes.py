"""
Columns of codes: whether their runs of digits differ in length, so that they are ordered by the digits' value.
"""

from __future__ import annotations

import re
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from typing import Any

import sqlalchemy as sa

from bouquet.sources.brief import briefly
from bouquet.sources.tables import Table

__all__ = ["varying_codes"]

#: Values of a column of codes that are looked at, and columns.
CODES_SAMPLE, MOST_CODES = 1_000, 200

#: Seconds that looking at them may take in all.
CODES_TIME = 3.0


def varying_codes(
    connection: sa.Connection, tables: Mapping[str, Table], codes: Sequence[tuple[str, str]]
) -> set[tuple[str, str]]:
    """
    The text columns among `codes` (table, column) whose runs of digits differ in length, by the values that the
    database keeps as statistics; where it keeps none, by some of its values.
    """
    if connection.dialect.name != "postgresql":
        return set(_varying_samples(connection, tables, codes[:MOST_CODES]))
    found = connection.execute(
        sa.text(
            "SELECT schemaname, tablename, attname, coalesce(most_common_vals::text::text[], '{}') ||"
            " coalesce(histogram_bounds::text::text[], '{}') AS seen FROM pg_stats"
            " WHERE attname = ANY(:codes) AND schemaname NOT LIKE 'pg\\_%' AND schemaname <> 'information_schema'"
            " AND array_ndims(histogram_bounds::text::text[]) = 1"
        ),
        {"codes": sorted({column for _, column in codes})},
    )
    default = connection.dialect.default_schema_name
    return {
        (row.tablename if row.schemaname == default else f"{row.schemaname}.{row.tablename}", row.attname)
        for row in found
        if _digits_vary(row.seen)
    }


def _varying_samples(
    connection: sa.Connection, tables: Mapping[str, Table], codes: Sequence[tuple[str, str]]
) -> Iterator[tuple[str, str]]:
    until = time.monotonic() + CODES_TIME
    for name, column in codes:
        if time.monotonic() > until:
            return
        with suppress(sa.exc.DBAPIError), briefly(connection):
            if _digits_vary(_some_values(connection, tables[name], column)):
                yield name, column


def _some_values(connection: sa.Connection, table: Table, name: str) -> list[str]:
    column: Any = sa.column(name)
    sample = sa.select(column).select_from(sa.table(table.name, column, schema=table.schema))
    found = connection.execute(sample.where(column.is_not(None)).limit(CODES_SAMPLE)).scalars()
    return [str(v) for v in found]


def _digits_vary(values: Iterable[str | None]) -> bool:
    """
    Whether runs of digits in these codes differ in length.
    """
    return len({tuple(map(len, re.findall(r"\d+", v))) for v in values if v and re.search(r"\d", v)}) > 1
