"""
The connection to Bouquet's own database, and bringing it up to date.
"""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import psycopg
import sqlalchemy as sa
import structlog
from psycopg.errors import DeadlockDetected, LockNotAvailable
from sqlalchemy.orm import Session, sessionmaker

from bouquet.core.language import tr
from bouquet.core.values import json_number
from bouquet.database_urls import watched_async, watched_engine, watched_sync, watched_url
from bouquet.store.errors import OtherVersion

__all__ = ["Store", "settle_async", "settle_sync"]

log = structlog.get_logger()

#: Connections that a process keeps, that it makes for a moment beyond these, and seconds for which one is waited for.
POOLED, BEYOND, FOR_ONE = 20, 12, 10.0

#: How our sessions are set, whatever the house, the database or the role prefers: moments are read in UTC, which they
#: are told in, and by a library that knows one form of them; and whoever holds a lock by a connection keeps it (in
#: milliseconds). A query, for the reasons of `WATCHED_BY_SERVER`.
_SESSION = {
    "TimeZone": "UTC",
    "DateStyle": "ISO",
    "IntervalStyle": "postgres",
    "bytea_output": "hex",
    "standard_conforming_strings": "on",
    "transform_null_equals": "off",
    "default_transaction_isolation": "read committed",
    "idle_session_timeout": "0",
    "idle_in_transaction_session_timeout": "3600000",
}
_SETTLING = (
    "SELECT set_config(name, CASE name "
    + " ".join(f"WHEN '{name}' THEN '{value}'" for name, value in _SESSION.items())
    + " END, false) FROM pg_settings WHERE name IN ("
    + ", ".join(f"'{name}'" for name in _SESSION)
    + ")"
)

MIGRATIONS = Path(__file__).parent / "migrations"

#: The version of the tables that this Bouquet works with.
NEWEST = max(p.name[:4] for p in (MIGRATIONS / "versions").glob("[0-9]*.py"))

#: The lock of whoever does alone what only one may do.
ALONE = 0x626F7571756574

#: How long a migration waits for a table that somebody works with, and the seconds after which it tries again.
LONGEST_WAIT, PAUSES = "2s", (1, 2, 4, 8, 8, 8, 8)

#: Seconds between two looks at the database's clock, and the difference that is none: asking takes time, too.
LOOKED_AT, NO_DIFFERENCE = 60.0, timedelta(seconds=1)


def _as_json(value: Any) -> str:
    # Half of a pair of code units is no letter, and no database takes it as one.
    return json.dumps(value, ensure_ascii=False, default=_as_number).encode(errors="replace").decode()


def _as_number(value: Any) -> Any:
    """
    Numbers of requests are decimals; see `core.values.json_number`.
    """
    if isinstance(value, Decimal):
        return json_number(value)
    msg = f"{type(value).__name__} cannot be kept as JSON."
    raise TypeError(msg)


def settle_sync(connection: psycopg.Connection[Any]) -> None:
    """
    Make a new connection to the store one of ours: both sides notice when the other is gone, and it is set as ours are.
    """
    watched_sync(connection)
    _settle(connection)


def _settle(connection: psycopg.Connection[Any]) -> None:
    connection.execute(_SETTLING)
    connection.commit()


async def settle_async(connection: psycopg.AsyncConnection[Any]) -> None:
    """
    The same, for a connection that is waited for.
    """
    await watched_async(connection)
    await connection.execute(_SETTLING)
    await connection.commit()


class _Pool(sa.QueuePool):
    """
    Where all connections are in use, as when the database hangs, that is told as one that is out of reach: whoever
    waits for it to come back waits then, too.
    """

    def _do_get(self) -> sa.pool.ConnectionPoolEntry:
        try:
            return super()._do_get()
        except sa.exc.TimeoutError as error:
            raise sa.exc.OperationalError(None, None, error) from error


class Store:
    """
    Bouquet's own database.

    Args:
        url: libpq URL of a role that owns it.
    """

    def __init__(self, url: str) -> None:
        self.url = watched_url(url)
        # A restart of the database must cost nobody an error: dead connections are noticed and replaced.
        self.engine = watched_engine(
            self.url,
            pool_pre_ping=True,
            json_serializer=_as_json,
            # Errors are logged, and values are nobody's there.
            hide_parameters=True,
            # Making a connection takes longer than most of what is asked over it.
            poolclass=_Pool,
            pool_size=POOLED,
            max_overflow=BEYOND,
            pool_timeout=FOR_ONE,
        )
        sa.event.listen(self.engine, "connect", lambda _, record: _settle(record.driver_connection))
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        #: What our clock lacks to that of the database's machine, and when they were compared.
        self._behind, self._compared = timedelta(0), float("-inf")
        sa.event.listen(self.engine, "checkout", self._compare_clocks)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """
        A session in one transaction: committed at the end, rolled back on an error.
        """
        with self._sessions.begin() as session:
            yield session

    def now(self) -> datetime:
        """
        The moment, in UTC. All machines of a house go by one clock, that of the machine of its database: one whose own
        is wrong begins no round early and takes nobody for dead.
        """
        return datetime.now(UTC) + self._behind

    def _compare_clocks(self, connection: psycopg.Connection[Any], _record: Any, _proxy: Any) -> None:
        """
        Look at the database's clock now and then, over a connection that somebody is about to use.
        """
        begun = time.monotonic()
        if begun - self._compared < LOOKED_AT:
            return
        here = datetime.now(UTC)
        # Where the connection is lost, whoever uses it is told.
        with suppress(psycopg.Error):
            found = connection.execute("SELECT clock_timestamp()").fetchone()
            connection.rollback()
            assert found is not None
            ended = time.monotonic()
            behind = found[0].astimezone(UTC) - here - timedelta(seconds=(ended - begun) / 2)
            behind = behind if abs(behind) > NO_DIFFERENCE else timedelta(0)
            if abs(behind - self._behind) > NO_DIFFERENCE:
                log.warning("clock_differs", seconds_behind_database=round(behind.total_seconds(), 1))
            self._behind, self._compared = behind, ended

    def is_empty(self) -> bool:
        """
        Whether nothing was made in the database yet.
        """
        return not sa.inspect(self.engine).has_table("people")

    def version(self) -> str:
        """
        The version of the tables; empty where there are none.
        """
        with self.engine.connect() as connection:
            if not sa.inspect(connection).has_table("alembic_version"):
                return ""
            return connection.scalar(sa.text("SELECT version_num FROM alembic_version")) or ""

    def check_version(self) -> None:
        """
        Whether this Bouquet can work with the tables as they are. Newer ones will do: a migration takes nothing away
        that the version before it works with, so that the machines of a house are brought up to date one by one.

        Raises OtherVersion where the tables are older.
        """
        found = self.version()
        if found < NEWEST:
            raise OtherVersion(
                tr("Bouquet's own database is of an older version. “bouquet migrate” brings it up to date.")
                if found
                else tr("Bouquet's own database has no tables yet. “bouquet migrate” makes them.")
            )
        if found > NEWEST:
            log.warning("store_is_newer", version=found, known=NEWEST)

    @contextmanager
    def alone(self) -> Iterator[None]:
        """
        For what only one process may do at a time, such as making tables: others that want to wait.
        """
        with self.engine.begin() as connection:
            connection.execute(sa.text("SELECT pg_advisory_xact_lock(:key)"), {"key": ALONE})
            yield

    def migrate(self, revision: str = "head") -> None:
        """
        Bring the tables to a version, the newest unless told otherwise, while others may be at work with them.

        Raises OtherVersion where they are newer than this Bouquet knows, or were in use all the time.
        """
        if self.version() > NEWEST:
            raise OtherVersion(tr("Bouquet's own database is of a newer version than this Bouquet."))
        with self.alone():
            for pause in (*PAUSES, None):
                try:
                    self._migrate(revision)
                    return
                except sa.exc.OperationalError as error:
                    # Whoever works with a table goes before; it must not wait behind us, who wait for it.
                    if not isinstance(error.orig, (LockNotAvailable, DeadlockDetected)):
                        raise
                    if pause is None:
                        msg = tr("Bouquet's own database was in use all the time. Try it again in a quieter minute.")
                        raise OtherVersion(msg) from error
                    time.sleep(pause)

    def _migrate(self, revision: str) -> None:
        # Only here: a run needs no migrations.
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.begin() as connection:
            connection.execute(sa.text(f"SET LOCAL lock_timeout = '{LONGEST_WAIT}'"))
            config.attributes["connection"] = connection
            command.upgrade(config, revision)

    def close(self) -> None:
        """
        Close all connections.
        """
        self.engine.dispose()
