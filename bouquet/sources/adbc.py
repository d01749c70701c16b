"""
Connections of the ADBC driver by its own functions. Its DB-API, which is wider, loads data sets and file formats that
no source is read by: 18 MB in each process.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from typing import Any

import adbc_driver_postgresql
import pyarrow as pa
from adbc_driver_manager import AdbcConnection, AdbcStatement, Error
from adbc_driver_manager._reader import AdbcRecordBatchReader

from bouquet.database_urls import WATCHED_BY_SERVER

__all__ = ["Connection", "Database", "Query"]


class Query:
    """
    A statement of a connection, and the rows that it gives. It can be closed twice: by who reads it, who may come to
    that late or never, and by its connection.
    """

    def __init__(self, connection: AdbcConnection, text: str, options: dict[str, str]) -> None:
        self._reader: pa.RecordBatchReader | None = None
        self._statement: AdbcStatement | None = AdbcStatement(connection)
        try:
            self._statement.set_options(**options)
            self._statement.set_sql_query(text)
        except BaseException:
            self.close()
            raise

    def begin(self) -> pa.RecordBatchReader:
        """
        Begin it; its rows come batch by batch. Errors on the way have the database's own codes.
        """
        assert self._statement is not None
        stream, _ = self._statement.execute_query()
        self._reader = AdbcRecordBatchReader._import_from_c(stream.address)
        return self._reader

    def cancel(self) -> None:
        """
        Stop it; may be called from another thread.
        """
        if self._statement is not None:
            self._statement.cancel()

    def close(self) -> None:
        """
        Leave what was not read yet.
        """
        reader, self._reader = self._reader, None
        statement, self._statement = self._statement, None
        try:
            if reader is not None:
                reader.close()
        finally:
            if statement is not None:
                statement.close()


class Database:
    """
    A database that connections are opened to. The driver reads the types and the columns of all its tables first, which
    takes longer than anything else where there are thousands; all connections share what it read. Types that came later
    it does not know: whatever statements give is of PostgreSQL's own types.

    Raises `adbc_driver_manager.Error`.
    """

    def __init__(self, url: str) -> None:
        self._database = adbc_driver_postgresql.connect(url)
        self._lock, self._connections, self._leaves = threading.Lock(), 0, False

    def connect(self) -> Connection:
        """
        A new connection.
        """
        with self._lock:
            self._connections += 1
        try:
            opened = AdbcConnection(self._database)
        except BaseException:
            self._left()
            raise
        made = Connection(opened, self._left)
        try:
            made.prepare()
        except BaseException:
            made.close()
            raise
        return made

    def close(self) -> None:
        """
        Close it once nobody is connected to it.
        """
        with self._lock:
            self._connections += 1
            self._leaves = True
        self._left()

    def _left(self) -> None:
        with self._lock:
            self._connections -= 1
            is_last = self._leaves and not self._connections
        if is_last:
            # A connection that could not be closed holds it; whoever closes can do no more.
            with suppress(Error, RuntimeError):
                self._database.close()


class Connection:
    """
    A connection to PostgreSQL that is always in a transaction; `left` is called once it is closed. Raises
    `adbc_driver_manager.Error`.
    """

    def __init__(self, connection: AdbcConnection, left: Callable[[], None]) -> None:
        self._open: set[Query] = set()
        self._connection, self._left, self._is_closed = connection, left, False

    def prepare(self) -> None:
        """
        Set what holds for as long as it is open, and begin a transaction with the next statement.
        """
        # What is set in a transaction would end with it. Others that speak the protocol of PostgreSQL may know nothing
        # of it.
        with suppress(Error):
            self.execute(WATCHED_BY_SERVER)
        self._connection.set_autocommit(False)

    @contextmanager
    def query(self, text: str, **options: str) -> Iterator[Query]:
        """
        A query, not yet begun.
        """
        made = Query(self._connection, text, options)
        self._open.add(made)
        try:
            yield made
        finally:
            self._open.discard(made)
            made.close()

    def execute(self, text: str) -> None:
        """
        Do what a statement says, and leave its rows.
        """
        with self.query(text) as query:
            query.begin()

    def rows(self, text: str) -> list[tuple[Any, ...]]:
        """
        All rows of a statement, as Python's values.
        """
        with self.query(text) as query:
            # By position: two columns may have the same name.
            return list(zip(*(column.to_pylist() for column in query.begin().read_all().columns), strict=True))

    def rollback(self) -> None:
        """
        End the transaction, and begin another one with the next statement.
        """
        self._connection.rollback()

    def close(self) -> None:
        """
        Close the connection, also where rows of it were not read to their end: whoever reads them may hold them still.
        """
        for left in tuple(self._open):
            with suppress(Error, pa.ArrowException):
                left.close()
        try:
            self._connection.close()
        finally:
            if not self._is_closed:
                self._is_closed = True
                self._left()
