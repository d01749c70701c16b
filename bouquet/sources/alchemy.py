"""
Reading a source through SQLAlchemy with server-side cursors: slower than the Arrow driver, the same results.

Proven with SQLite and MariaDB. What a dialect lacks is said while a template is designed (`core.plan.capabilities`).
"""

from __future__ import annotations

import sqlite3
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import Any

import pyarrow as pa
import sqlalchemy as sa

from bouquet.core.language import tr
from bouquet.core.sql import DIALECTS
from bouquet.database_urls import connected
from bouquet.sources import mysql, sqlite
from bouquet.sources.base import HURRIED, PATIENT, Planned, python_rows
from bouquet.sources.errors import SourceCancelled, SourceTimeout, renamed_errors
from bouquet.sources.sqlite_functions import equip

__all__ = ["AlchemyReader", "AlchemySnapshot"]

#: Rows of one batch.
BATCH_ROWS = 20_000

#: The same of rows that hold files.
FILES_ROWS = 50


_ARROW: tuple[tuple[type[Any], pa.DataType], ...] = (
    (sa.Boolean, pa.bool_()),
    (sa.Integer, pa.int64()),
    (sa.Float, pa.float64()),
    (sa.Date, pa.date32()),
    (sa.Time, pa.time64("us")),
    (sa.String, pa.string()),
)


def _arrow_type(column: Any) -> pa.DataType | None:
    if isinstance(column, sa.DateTime):
        return pa.timestamp("us", "UTC" if column.timezone else None)
    return next((arrow for known, arrow in _ARROW if isinstance(column, known)), None)


class AlchemySnapshot:
    """
    One read transaction of a source; the verbs of `bouquet.sources.base.Snapshot`.
    """

    def __init__(
        self, connection: sa.Connection, title: str, deadline: float | None, stop: Callable[[Any], None] | None = None
    ) -> None:
        self.connection, self.title, self.taken_at = connection, title, datetime.now(UTC)
        self._stop_query = stop
        self.cancelled = False
        self._deadline = deadline
        self._raw: Any = connection.connection.driver_connection
        if isinstance(self._raw, sqlite3.Connection):
            self._raw.set_progress_handler(self._stop, sqlite.STEPS)

    def _stop(self) -> int:
        return int(self.cancelled or (self._deadline is not None and time.monotonic() > self._deadline))

    def batches(self, statement: Any) -> Iterator[pa.RecordBatch]:
        """
        The rows of a statement, batch by batch, as they arrive.
        """
        with renamed_errors(self.title):
            result = self._run(statement)
            types = [_arrow_type(c.type) for c in statement.selected_columns]
            names = list(result.keys())
            files = any(isinstance(c.type, sa.LargeBinary) for c in statement.selected_columns)
            for rows in result.partitions(FILES_ROWS if files else BATCH_ROWS):
                yield _batch(names, types, rows)

    def table(self, statement: Any) -> pa.Table:
        """
        All rows of a statement, with its columns also when there are none.
        """
        found = list(self.batches(statement))
        if found:
            return pa.Table.from_batches([b.cast(found[0].schema) for b in found])
        types = [_arrow_type(c.type) for c in statement.selected_columns]
        return pa.Table.from_batches([_batch([c.name for c in statement.selected_columns], types, [])])

    def rows(self, statement: Any) -> list[dict[str, Any]]:
        """
        All rows of a statement as Python's own values; see `Snapshot.rows`.
        """
        return python_rows(self.table(statement))

    def row(self, statement: Any) -> dict[str, Any]:
        """
        The single row of a statement that has one.
        """
        return self.rows(statement)[0]

    def planned(self, statement: Any) -> Planned | None:
        """
        Nothing: what these databases say of a plan is no measure of its time.
        """
        del statement
        return None

    def cancel(self) -> None:
        """
        Stop whatever runs in this snapshot; may be called from another thread.
        """
        self.cancelled = True
        if self._stop_query is not None:
            self._stop_query(self._raw)

    def _run(self, statement: Any) -> Any:
        try:
            return self.connection.execution_options(stream_results=True, max_row_buffer=BATCH_ROWS).execute(statement)
        except sa.exc.OperationalError as error:
            if "interrupted" not in str(error.orig):
                raise
            if self.cancelled:
                raise SourceCancelled(tr("{title}: the query was stopped.", title=self.title)) from error
            raise SourceTimeout(
                tr("{title}: this takes longer than interactive work may.", title=self.title)
            ) from error


def _batch(names: Sequence[str], types: Sequence[Any], rows: Sequence[Any]) -> pa.RecordBatch:
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(names)
    arrays = []
    for values, arrow in zip(columns, types, strict=True):
        if arrow is not None and pa.types.is_timestamp(arrow) and arrow.tz:
            values = tuple(v.replace(tzinfo=UTC) if v is not None else None for v in values)
        if arrow is not None and pa.types.is_string(arrow):
            values = tuple(None if v is None else str(v) for v in values)
        array = pa.array(values, type=arrow)
        # What is computed has a type by its values: where all are blank it is a text, as most is. Digits of a decimal
        # do not follow from those of its neighbours.
        arrays.append(_as_text(values) if pa.types.is_null(array.type) or pa.types.is_decimal(array.type) else array)
    return pa.RecordBatch.from_arrays(arrays, names=list(names))


def _as_text(values: Sequence[Any]) -> pa.Array:
    return pa.array((f"{v:f}" if v is not None else None for v in values), type=pa.string())


class AlchemyReader:
    """
    Opens snapshots of any database that SQLAlchemy speaks to and `core.sql` has a dialect for.
    """

    def __init__(self, url: str, title: str) -> None:
        self.title = title
        self._mysql = sa.make_url(url).get_backend_name() in ("mysql", "mariadb")
        if self._mysql:
            self.engine = mysql.open_engine(url)
            mysql.prepare(self.engine)
        elif sa.make_url(url).get_backend_name() == "sqlite":
            self.engine = sqlite.open_engine(sa.make_url(url))
        else:
            self.engine = sa.create_engine(url, poolclass=sa.NullPool)
        if self.engine.dialect.name not in DIALECTS:
            msg = tr(
                "{title}: Bouquet does not speak {dialect} yet.",
                title=title,
                dialect=self.engine.dialect.name,
            )
            raise ValueError(msg)
        self._lock = threading.Lock()
        if self.engine.dialect.name == "sqlite":
            sa.event.listen(self.engine, "connect", equip)
            sa.event.listen(self.engine, "begin", _begin)

    @contextmanager
    def snapshot(self, *, timeout_ms: int | None = None, pooled: bool = False) -> Iterator[AlchemySnapshot]:
        """
        A new snapshot. `timeout_ms` bounds it as a whole, for interactive work.
        """
        deadline = time.monotonic() + timeout_ms / 1000 if timeout_ms else None
        patience = HURRIED if timeout_ms else PATIENT
        made: AlchemySnapshot | None = None

        def asked() -> bool:
            return made is not None and made.cancelled

        with (
            renamed_errors(self.title, asked=asked, bounded=timeout_ms is not None),
            connected(self.engine.connect, patience) as connection,
        ):
            if self._mysql and timeout_ms:
                mysql.set_timeout(connection, timeout_ms)
            made = AlchemySnapshot(connection, self.title, deadline, self._stop_query if self._mysql else None)
            yield made

    def _stop_query(self, raw: Any) -> None:
        mysql.cancel_query(self.engine, raw.thread_id())

    def close(self) -> None:
        """
        Close all connections.
        """
        self.engine.dispose()


def _begin(connection: sa.Connection) -> None:
    # The driver begins a transaction only when something is written; a snapshot needs one for reading.
    connection.exec_driver_sql("BEGIN")
