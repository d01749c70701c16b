"""
What every way to a source has: snapshots that stream Arrow.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Protocol

import pyarrow as pa

from bouquet.core.shaping.far import near_dates

__all__ = ["HURRIED", "PATIENT", "Planned", "Reader", "Snapshot", "python_rows"]

#: Seconds that a run, and that somebody who looks, waits for a connection where the source has none left.
PATIENT, HURRIED = 60.0, 5.0


@dataclass(frozen=True)
class Planned:
    """
    What a source expects of a statement before it runs: the rows it gives, and its cost in the source's own unit, about
    one page read from disk in a row.
    """

    rows: int
    cost: float


class Snapshot(Protocol):
    """
    One read-only view of a source. All that is read through it agrees.
    """

    @property
    def taken_at(self) -> datetime:
        """
        When it was taken, in UTC.
        """
        ...

    def batches(self, statement: Any) -> Iterator[pa.RecordBatch]:
        """
        The rows of a statement, batch by batch, as they arrive.
        """
        ...

    def table(self, statement: Any) -> pa.Table:
        """
        All rows of a statement, with its columns also when there are none; for results known to be small.
        """
        ...

    def rows(self, statement: Any) -> list[dict[str, Any]]:
        """
        All rows of a statement as Python's own values, for results known to be small. A date that Python has none for
        (PostgreSQL's infinity, the year 12000) is None.
        """
        ...

    def row(self, statement: Any) -> dict[str, Any]:
        """
        The single row of a statement that has one.
        """
        ...

    def planned(self, statement: Any) -> Planned | None:
        """
        What the source expects of a statement, without running it; None where it does not say.
        """
        ...

    def cancel(self) -> None:
        """
        Stop whatever runs in this snapshot; may be called from another thread.
        """
        ...


def python_rows(table: pa.Table) -> list[dict[str, Any]]:
    """
    The rows of a table as Python's own values; see `Snapshot.rows`.
    """
    columns = [near_dates(c.combine_chunks())[0] for c in table.columns]
    rows: list[dict[str, Any]] = pa.table(columns, names=table.column_names).to_pylist()
    return rows


class Reader(Protocol):
    """
    Opens snapshots of one source, with a role that cannot write.
    """

    def snapshot(self, *, timeout_ms: int | None = None, pooled: bool = False) -> AbstractContextManager[Snapshot]:
        """
        A new snapshot. `timeout_ms` bounds interactive work; `pooled` keeps the connection for the next one.

        Raises SourceDown when the source cannot be reached.
        """
        ...

    def close(self) -> None:
        """
        Let go of connections.
        """
        ...
