"""
The connection to Bouquet's own database, and bringing it up to date.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from decimal import Decimal
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session, sessionmaker

from bouquet.core.values import json_number
from bouquet.database_urls import watched_url

__all__ = ["Store"]

#: Connections that a process keeps, and that it makes for a moment beyond these.
POOLED, BEYOND = 20, 12


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


class Store:
    """
    Bouquet's own database.

    Args:
        url: libpq URL of a role that owns it.
    """

    def __init__(self, url: str) -> None:
        self.url = watched_url(url)
        # A restart of the database must cost nobody an error: dead connections are noticed and replaced.
        self.engine = sa.create_engine(
            sa.make_url(self.url).set(drivername="postgresql+psycopg"),
            pool_pre_ping=True,
            json_serializer=_as_json,
            # Errors are logged, and values are nobody's there.
            hide_parameters=True,
            # Making a connection takes longer than most of what is asked over it.
            pool_size=POOLED,
            max_overflow=BEYOND,
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """
        A session in one transaction: committed at the end, rolled back on an error.
        """
        with self._sessions.begin() as session:
            yield session

    def is_empty(self) -> bool:
        """
        Whether nothing was made in the database yet.
        """
        return not sa.inspect(self.engine).has_table("people")

    def migrate(self, revision: str = "head") -> None:
        """
        Bring the tables to a version, the newest unless told otherwise.
        """
        # Only here: a run needs no migrations.
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, revision)

    def close(self) -> None:
        """
        Close all connections.
        """
        self.engine.dispose()
