"""
Reading a PostgreSQL source: read-only snapshots that stream Arrow.
"""

from __future__ import annotations

import re
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import adbc_driver_manager
import pyarrow as pa
import sqlalchemy as sa

from bouquet.core.language import tr
from bouquet.core.sql import render
from bouquet.core.sql.literals import quote
from bouquet.database_urls import connected, is_full, watched_url, with_option
from bouquet.sources.adbc import Connection, Database, Query
from bouquet.sources.base import HURRIED, PATIENT, Planned, python_rows
from bouquet.sources.encodings import UNTOLD, fitted, read_texts
from bouquet.sources.errors import SourceCancelled, SourceDown, SourceError, SourceFull, renamed_errors

__all__ = ["PostgresReader", "PostgresSnapshot", "name_plainly"]

#: Bytes. Smaller batches cost more calls, larger ones more memory and no less time (measured: twice as much, 6 MB).
BATCH_BYTES = 1_600_000

#: The cost of all rows and their number, in the first line of a plan.
PLANNED = re.compile(r"\(cost=[\d.]+\.\.([\d.]+) rows=(\d+)")

#: How a session is set, whatever the house, the database or the role prefers. How intervals, arrays, ranges and
#: floating point numbers are written decides what stands in files. A snapshot may lie idle for an hour (in
#: milliseconds): a minute that is meant for what people forgot would end a long run.
SESSION = {
    "datestyle": "ISO",
    "intervalstyle": "postgres",
    "extra_float_digits": "1",
    "bytea_output": "hex",
    "idle_in_transaction_session_timeout": "3600000",
}

#: Idle connections kept for previews, and seconds that they are kept: less than a run waits for one.
IDLE_CONNECTIONS, IDLE_SECONDS = 24, PATIENT / 2


@dataclass
class PostgresSnapshot:
    """
    One read-only, repeatable-read view of the source. All that is read through it agrees.
    """

    connection: Connection
    title: str
    taken_at: datetime
    encoding: str = "UTF8"
    #: Whether each statement may take only so long.
    bounded: bool = False

    def __post_init__(self) -> None:
        self._running: Query | None = None
        self._lock = threading.Lock()
        self._cancelled = False
        self._texts: dict[int, tuple[Any, str]] = {}

    def batches(self, statement: Any) -> Iterator[pa.RecordBatch]:
        """
        The rows of a statement, batch by batch, as they arrive.
        """
        with self._reader(statement) as reader:
            yield from read_texts(reader, self.encoding)

    def table(self, statement: Any) -> pa.Table:
        """
        All rows of a statement, with its columns also when there are none; for results known to be small.
        """
        with self._reader(statement) as reader:
            found = list(read_texts(reader, self.encoding))
            return pa.Table.from_batches(found, None if found else reader.schema)

    @contextmanager
    def _reader(self, statement: Any, *, copied: bool = True) -> Iterator[pa.RecordBatchReader]:
        options = {
            "adbc.postgresql.batch_size_hint_bytes": str(BATCH_BYTES),
            "adbc.postgresql.use_copy": "true" if copied else "false",
        }
        with (
            renamed_errors(self.title, asked=lambda: self._cancelled, bounded=self.bounded),
            self.connection.query(self._text(statement), **options) as query,
        ):
            with self._lock:
                self._running = query
            try:
                if self._cancelled:
                    raise SourceCancelled(tr("{title}: the query was stopped.", title=self.title))
                yield query.begin()
            finally:
                with self._lock:
                    self._running = None

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
        What the planner expects of a statement.
        """
        asked = f"EXPLAIN {self._text(statement)}"
        self._texts[id(statement)] = (statement, asked.removeprefix("EXPLAIN "))
        with self._reader(asked, copied=False) as reader:
            found = PLANNED.search(reader.read_all()[0][0].as_py())
        return Planned(int(found[2]), float(found[1])) if found else None

    def _text(self, statement: Any) -> str:
        """
        A statement's text, which takes long to make; of one that was planned before it is known.
        """
        known = self._texts.get(id(statement))
        if known is not None:
            return known[1]
        return fitted(statement if isinstance(statement, str) else render(statement), self.encoding)

    def shared(self) -> str:
        """
        The snapshot's name, by which other connections read what it shows for as long as it is open.
        """
        return str(self.row("SELECT pg_export_snapshot() AS name")["name"])

    def cancel(self) -> None:
        """
        Stop whatever runs in this snapshot; may be called from another thread.
        """
        self._cancelled = True
        with self._lock:
            if self._running is not None:
                self._running.cancel()


class PostgresReader:
    """
    Opens snapshots of one PostgreSQL database, with a role that cannot write.
    """

    def __init__(self, url: str, title: str) -> None:
        self.url, self.title = watched_url(url), title
        self._database: Database | None = None
        self._looked = False
        self._shares: bool | None = None
        self._idle: list[tuple[Connection, float]] = []
        self._reaper: threading.Timer | None = None
        self._lock = threading.Lock()

    @property
    def shares(self) -> bool:
        """
        Whether snapshots have names by which others read the same: not all that speak the protocol of PostgreSQL give
        them, and not every role may ask. Tried in a snapshot of its own, as a refusal ends one.
        """
        if self._shares is None:
            try:
                with self.snapshot() as tried, self.snapshot(of=tried.shared()):
                    self._shares = True
            except SourceError:
                self._shares = False
        return self._shares

    @contextmanager
    def snapshot(
        self, *, timeout_ms: int | None = None, pooled: bool = False, of: str | None = None
    ) -> Iterator[PostgresSnapshot]:
        """
        A new snapshot. `timeout_ms` bounds each statement, for interactive work; `pooled` keeps the connection. `of` is
        the name of one that somebody else has open, and has it show the same.

        Raises SourceDown when the source cannot be reached, SourceError when there is no snapshot of that name.
        """
        connection, now, encoding = self._begin(timeout_ms, pooled, of)
        healthy = False
        try:
            yield PostgresSnapshot(connection, self.title, now, encoding, bounded=timeout_ms is not None)
            with renamed_errors(self.title):
                connection.rollback()
            healthy = True
        finally:
            if healthy and pooled:
                self._keep(connection)
            else:
                _close(connection)

    def _begin(self, timeout_ms: int | None, pooled: bool, of: str | None) -> tuple[Connection, datetime, str]:
        while True:
            with self._lock:
                kept = self._idle.pop()[0] if pooled and self._idle else None
            try:
                return self._start(kept or self._connect(PATIENT if timeout_ms is None else HURRIED), timeout_ms, of)
            except SourceDown:
                # An idle connection may have died with a restart of the database; a new one may live.
                if kept is None:
                    raise

    def _start(
        self, connection: Connection, timeout_ms: int | None, of: str | None
    ) -> tuple[Connection, datetime, str]:
        try:
            with renamed_errors(self.title):
                connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
                if of is not None:
                    connection.execute(f"SET TRANSACTION SNAPSHOT {quote(of)}")
                # Compiling a plan to machine code costs more than a look at fifty rows.
                jit = "off" if timeout_ms else "on"
                settings = SESSION | {"statement_timeout": str(int(timeout_ms or 0)), "jit": jit}
                set_all = ", ".join(f"set_config('{name}', '{value}', true)" for name, value in settings.items())
                ((now, encoding, *_),) = connection.rows(
                    f"SELECT transaction_timestamp(), current_setting('server_encoding'), {set_all}"
                )
                if encoding in UNTOLD:
                    # What it keeps is given as it is, and not refused.
                    connection.execute("SET LOCAL client_encoding = 'SQL_ASCII'")
                return connection, now.astimezone(UTC), encoding
        except BaseException:
            _close(connection)
            raise

    def _connect(self, patience: float) -> Connection:
        with renamed_errors(self.title):
            try:
                made = connected(self._another, patience)
            except adbc_driver_manager.Error as error:
                kind = SourceFull if is_full(error) else SourceDown
                raise kind(f"{self.title}: {tr(kind.said)}") from error
            return made if self._looked else self._looked_at(made)

    def _another(self) -> Connection:
        try:
            return self._database_known().connect()
        except adbc_driver_manager.Error as error:
            # Where the source has none left, one of ours that nobody uses is as good as a new one.
            with self._lock:
                if self._idle and is_full(error):
                    return self._idle.pop()[0]
            raise

    def _database_known(self) -> Database:
        """
        The database, whose types are read once; two who ask at first read them both, and one is kept.
        """
        if (known := self._database) is not None:
            return known
        made = Database(self.url)
        with self._lock:
            known = self._database = self._database or made
        if known is not made:
            made.close()
        return known

    def _forget_database(self) -> None:
        with self._lock:
            known, self._database = self._database, None
        if known is not None:
            known.close()

    def _looked_at(self, connection: Connection) -> Connection:
        """
        A first connection, or another one in its place: where all names are quoted, the driver knows no type.
        """
        try:
            ((quotes,),) = connection.rows("SELECT current_setting('quote_all_identifiers', true)")
            connection.rollback()
        except BaseException:
            _close(connection)
            raise
        self._looked = True
        if quotes not in ("on", b"on"):
            return connection
        _close(connection)
        self.url = with_option(self.url, "--quote_all_identifiers=off")
        self._forget_database()
        return self._database_known().connect()

    def _keep(self, connection: Connection) -> None:
        with self._lock:
            if len(self._idle) < IDLE_CONNECTIONS:
                self._idle.append((connection, time.monotonic()))
                self._reap_later()
                return
        _close(connection)

    def _reap_later(self) -> None:
        if self._reaper is None and self._idle:
            # The first is the one that was kept for longest.
            left = self._idle[0][1] + IDLE_SECONDS - time.monotonic()
            self._reaper = threading.Timer(max(left, 0.1), self._reap)
            self._reaper.daemon = True
            self._reaper.start()

    def _reap(self) -> None:
        """
        Close what nobody used for a while: it is one of the connections that the source has for us all.
        """
        since = time.monotonic() - IDLE_SECONDS
        with self._lock:
            old = [connection for connection, kept in self._idle if kept <= since]
            self._idle = [(connection, kept) for connection, kept in self._idle if kept > since]
            self._reaper = None
            self._reap_later()
        for connection in old:
            _close(connection)

    def close(self) -> None:
        """
        Close idle connections.
        """
        with self._lock:
            idle, self._idle = self._idle, []
            if self._reaper is not None:
                self._reaper.cancel()
                self._reaper = None
        for connection, _ in idle:
            _close(connection)
        self._forget_database()


def name_plainly(engine: sa.Engine) -> None:
    """
    Have an engine's database name its types and columns without marks around them, whatever the house prefers.
    """
    plain = "SELECT set_config(name, 'off', true) FROM pg_settings WHERE name = 'quote_all_identifiers'"
    sa.event.listen(engine, "begin", lambda connection: connection.exec_driver_sql(plain))


def _close(connection: Connection) -> None:
    with suppress(adbc_driver_manager.Error):
        connection.close()
