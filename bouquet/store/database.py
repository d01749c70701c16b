"""
The connection to Bouquet's own database, and bringing it up to date.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.orm import Session, sessionmaker

__all__ = ["Store"]


class Store:
    """
    Bouquet's own database.

    Args:
        url: libpq URL of a role that owns it.
    """

    def __init__(self, url: str) -> None:
        self.url = url
        # A restart of the database must cost nobody an error: dead connections are noticed and replaced.
        self.engine = sa.create_engine(
            sa.make_url(url).set(drivername="postgresql+psycopg"),
            pool_pre_ping=True,
            pool_size=8,
            max_overflow=16,
            connect_args={"connect_timeout": 5},
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """
        A session in one transaction: committed at the end, rolled back on an error.
        """
        with self._sessions.begin() as session:
            yield session

    def migrate(self) -> None:
        """
        Bring the tables to the newest version.
        """
        # Only here: a run needs no migrations.
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def close(self) -> None:
        """
        Let go of connections.
        """
        self.engine.dispose()
