"""
Looks into tables while a catalogue is read: they may fail, and may take only so long, for a view may compute for hours.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import sqlalchemy as sa

from bouquet.sources import mysql, sqlite

__all__ = ["LONGEST_LOOK", "briefly"]

#: Milliseconds that one look into a table or view may take.
LONGEST_LOOK = 1_500


@contextmanager
def briefly(connection: sa.Connection, milliseconds: int = LONGEST_LOOK) -> Iterator[None]:
    """
    A look that may fail, or take too long, without ending the transaction around it. Raises SQLAlchemy's DBAPIError.
    """
    dialect = connection.dialect.name
    with connection.begin_nested():
        if dialect == "postgresql":
            # Where the look fails, the limit goes with what was done since.
            connection.exec_driver_sql(f"SET LOCAL statement_timeout = {milliseconds}")
            yield
            connection.exec_driver_sql("SET LOCAL statement_timeout = 0")
        elif dialect == "sqlite":
            until = time.monotonic() + milliseconds / 1000
            raw: Any = connection.connection.driver_connection
            raw.set_progress_handler(lambda: int(time.monotonic() > until), sqlite.STEPS)
            try:
                yield
            finally:
                raw.set_progress_handler(None, 0)
        else:
            mysql.set_timeout(connection, milliseconds)
            try:
                yield
            finally:
                mysql.set_timeout(connection, 0)
