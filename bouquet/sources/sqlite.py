"""
Opening SQLite files for reading only: none is made where there is none, and nothing is written into one that is there.
"""

from __future__ import annotations

import sqlite3
from pathlib import Path
from urllib.parse import quote

import sqlalchemy as sa

from bouquet.core.sql.quoting import quote_all

__all__ = ["STEPS", "file_of", "open_engine"]

#: Steps of SQLite's machine between two looks at the clock.
STEPS = 20_000

#: Seconds that a file which somebody writes to is waited for.
BUSY = 5.0


def file_of(url: sa.URL) -> Path:
    """
    The file that an address names.
    """
    return Path(url.database or "")


def open_engine(url: sa.URL) -> sa.Engine:
    """
    An engine whose connections cannot write (SQLite, "URI filenames": `mode=ro`).
    """
    name = f"file:{quote(str(file_of(url)))}?mode=ro"

    def connect() -> sqlite3.Connection:
        return sqlite3.connect(name, uri=True, timeout=BUSY, check_same_thread=False)

    engine = sa.create_engine("sqlite://", creator=connect, poolclass=sa.NullPool)
    quote_all(engine.dialect)
    return engine
