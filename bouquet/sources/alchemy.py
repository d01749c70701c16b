"""
Reading a source through SQLAlchemy with server-side cursors: slower than the Arrow driver, the same results.

Proven with SQLite and MariaDB. What a dialect lacks is said while a template is designed (`core.plan.capabilities`).
"""

from __future__ import annotations

import re
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, date, datetime, timedelta
from decimal import ROUND_HALF_EVEN, ROUND_HALF_UP, Decimal
from typing import Any
from zoneinfo import ZoneInfo

import pyarrow as pa
import sqlalchemy as sa

from bouquet.core.sql import DIALECTS
from bouquet.core.sql.ordering import CODE_DIGITS
from bouquet.core.values import DAY_SAID, NO_SAID, NUMBER_SAID, WHITE, WHOLE_SAID, YES_SAID
from bouquet.sources import mysql, sqlite
from bouquet.sources.base import python_rows
from bouquet.sources.errors import SourceCancelled, SourceTimeout, renamed_errors

__all__ = ["AlchemyReader", "AlchemySnapshot"]

#: Rows of one batch.
BATCH_ROWS = 20_000

#: Steps of SQLite's machine between two looks at the clock.
STEPS = 20_000

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
        self._cancelled = False
        self._deadline = deadline
        self._raw: Any = connection.connection.driver_connection
        if isinstance(self._raw, sqlite3.Connection):
            self._raw.set_progress_handler(self._stop, STEPS)

    def _stop(self) -> int:
        return int(self._cancelled or (self._deadline is not None and time.monotonic() > self._deadline))

    def batches(self, statement: Any) -> Iterator[pa.RecordBatch]:
        """
        The rows of a statement, batch by batch, as they arrive.
        """
        with renamed_errors(self.title):
            result = self._run(statement)
            types = [_arrow_type(c.type) for c in statement.selected_columns]
            names = list(result.keys())
            for rows in result.partitions(BATCH_ROWS):
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

    def cancel(self) -> None:
        """
        Stop whatever runs in this snapshot; may be called from another thread.
        """
        self._cancelled = True
        if self._stop_query is not None:
            self._stop_query(self._raw)

    def _run(self, statement: Any) -> Any:
        try:
            return self.connection.execution_options(stream_results=True, max_row_buffer=BATCH_ROWS).execute(statement)
        except sa.exc.OperationalError as error:
            if "interrupted" not in str(error.orig):
                raise
            if self._cancelled:
                raise SourceCancelled(f"{self.title}: the query was stopped.") from error
            raise SourceTimeout(f"{self.title}: this takes longer than interactive work may.") from error


def _batch(names: Sequence[str], types: Sequence[Any], rows: Sequence[Any]) -> pa.RecordBatch:
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(names)
    arrays = []
    for values, arrow in zip(columns, types, strict=True):
        if arrow is not None and pa.types.is_timestamp(arrow) and arrow.tz:
            values = tuple(v.replace(tzinfo=UTC) if v is not None else None for v in values)
        if arrow is not None and pa.types.is_string(arrow):
            values = tuple(None if v is None else str(v) for v in values)
        arrays.append(pa.array(values, type=arrow))
    return pa.RecordBatch.from_arrays(arrays, names=list(names))


class AlchemyReader:
    """
    Opens snapshots of any database that SQLAlchemy speaks to and `core.sql` has a dialect for.
    """

    def __init__(self, url: str, title: str) -> None:
        self.title = title
        self._mysql = sa.make_url(url).get_backend_name() in ("mysql", "mariadb")
        if self._mysql:
            known, arguments = mysql.engine_url(url), mysql.connect_arguments()
            self.engine = sa.create_engine(known, poolclass=sa.NullPool, connect_args=arguments)
            mysql.prepare(self.engine)
        elif sa.make_url(url).get_backend_name() == "sqlite":
            self.engine = sqlite.open_engine(sa.make_url(url))
        else:
            self.engine = sa.create_engine(url, poolclass=sa.NullPool)
        if self.engine.dialect.name not in DIALECTS:
            msg = f"{title}: Bouquet does not speak {self.engine.dialect.name} yet."
            raise ValueError(msg)
        self._lock = threading.Lock()
        if self.engine.dialect.name == "sqlite":
            sa.event.listen(self.engine, "connect", _equip)
            sa.event.listen(self.engine, "begin", _begin)

    @contextmanager
    def snapshot(self, *, timeout_ms: int | None = None, pooled: bool = False) -> Iterator[AlchemySnapshot]:
        """
        A new snapshot. `timeout_ms` bounds it as a whole, for interactive work.
        """
        deadline = time.monotonic() + timeout_ms / 1000 if timeout_ms else None
        with renamed_errors(self.title), self.engine.connect() as connection:
            if not self._mysql:
                yield AlchemySnapshot(connection, self.title, deadline)
                return
            if timeout_ms:
                mysql.set_timeout(connection, timeout_ms)
            yield AlchemySnapshot(connection, self.title, deadline, self._stop_query)

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


def _equip(connection: Any, _record: Any) -> None:
    """
    Give SQLite what `core.sql.dialects.Sqlite` calls by name.
    """
    connection.isolation_level = None
    connection.execute("PRAGMA query_only = ON")
    connection.execute("PRAGMA case_sensitive_like = ON")
    connection.create_collation("bouquet", _compare)
    for name, count, function in (
        ("bouquet_lower", 1, lambda t: None if t is None else str(t).lower()),
        ("bouquet_digits", 1, _filled_digits),
        ("bouquet_number", 4, _number_text),
        ("bouquet_divided", 2, _divided),
        ("bouquet_read", 2, _read_text),
        ("bouquet_scaled", 2, _scaled),
        ("bouquet_trimmed", 1, _trimmed),
        ("bouquet_step", 4, _step),
    ):
        connection.create_function(name, count, function, deterministic=True)
    connection.create_aggregate("bouquet_sum", 2, _Sum)
    connection.create_aggregate("bouquet_mean", 2, _Mean)


def _compare(a: str, b: str) -> int:
    left, right = (a.casefold(), a.swapcase()), (b.casefold(), b.swapcase())
    return (left > right) - (left < right)


def _filled_digits(text: str | None) -> str | None:
    return None if text is None else re.sub(r"\d+", lambda m: m.group(0).zfill(CODE_DIGITS), text)


def _exact(value: Any, scale: int) -> Decimal:
    number = Decimal(repr(value)) if isinstance(value, float) else Decimal(str(value))
    return number if scale < 0 else number.quantize(Decimal(1).scaleb(-scale), ROUND_HALF_UP)


def _number_text(value: Any, scale: int, decimals: int, even: int) -> str | None:
    """
    A number as text: with the digits that its column declares, or rounded to so many. -1 stands for "not given".
    """
    if value is None:
        return None
    number = _exact(value, scale)
    if decimals >= 0:
        number = number.quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_EVEN if even else ROUND_HALF_UP)
    text = f"{number:f}"
    return text.removesuffix(".0") if isinstance(value, float) and scale < 0 and decimals < 0 else text


def _scaled(value: Any, factor: str) -> str | None:
    return None if value is None else f"{_exact(value, -1) * Decimal(factor):f}"


def _trimmed(value: Any) -> str | None:
    if value is None:
        return None
    text = f"{_exact(value, -1):f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def _step(value: str | None, unit: str, count: int, zone: str) -> str | None:
    """
    The beginning of a step of time: a date for steps of days and longer, else a moment, in UTC where there is a `zone`.
    """
    if value is None:
        return None
    try:
        moment = datetime.fromisoformat(value)
        local = moment.replace(tzinfo=UTC).astimezone(ZoneInfo(zone)) if zone else moment
    except (ValueError, OverflowError):
        # A year that no calendar here has lies in no step.
        return None
    if unit in ("minute", "hour"):
        minute = local.minute - local.minute % count if unit == "minute" else 0
        begun = moment - timedelta(minutes=local.minute - minute, seconds=local.second, microseconds=local.microsecond)
        return begun.isoformat(sep=" ", timespec="seconds")
    day = local.date()
    if unit == "week":
        day -= timedelta(days=day.weekday())
    elif unit != "day":
        month = {"month": day.month, "quarter": day.month - (day.month - 1) % 3, "year": 1}[unit]
        day = day.replace(month=month, day=1)
    return day.isoformat()


def _divided(total: Any, count: Any) -> str | None:
    return f"{_exact(total, -1) / _exact(count, -1):f}" if total is not None and count else None


def _read_text(text: Any, stored: str) -> Any:
    """
    A text as what it says, None where it says none.
    """
    plain = "" if text is None else str(text).strip(WHITE)
    if stored == "boolean":
        return 1 if plain.lower() in YES_SAID else 0 if plain.lower() in NO_SAID else None
    if stored == "integer":
        return int(plain) if re.fullmatch(WHOLE_SAID, plain) else None
    if stored == "numeric":
        return float(Decimal(plain)) if re.fullmatch(NUMBER_SAID, plain) else None
    try:
        return date.fromisoformat(plain).isoformat() if re.fullmatch(DAY_SAID, plain) else None
    except ValueError:
        return None


class _Sum:
    """
    An exact sum of decimals, as text.
    """

    def __init__(self) -> None:
        self.total, self.count = Decimal(0), 0

    def step(self, value: Any, scale: int) -> None:
        if value is not None:
            self.total += _exact(value, scale)
            self.count += 1

    def finalize(self) -> str | None:
        return f"{self.total:f}" if self.count else None


class _Mean(_Sum):
    """
    An exact mean of decimals, as text.
    """

    def finalize(self) -> str | None:
        return f"{self.total / self.count:f}" if self.count else None
