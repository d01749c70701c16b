"""
What every way into Bouquet shares: the store, the sources, the clock, the folders.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from bouquet.core.plan import Context
from bouquet.settings import Settings
from bouquet.sources import Source
from bouquet.store import Store

__all__ = ["Services"]


def _now() -> datetime:
    return datetime.now(UTC)


@dataclass
class Services:
    """
    The parts that web, command line and workers work with. `clock` gives the moment, in UTC.
    """

    store: Store
    source: Source
    files: Path
    outgoing: Path
    year_start: int = 4
    clock: Callable[[], datetime] = field(default=_now)

    @classmethod
    def from_settings(cls, settings: Settings) -> Services:
        return cls(
            store=Store(settings.store_url.get_secret_value()),
            source=Source(settings.source_name, settings.source_url.get_secret_value(), settings.source_catalogue),
            files=settings.files,
            outgoing=settings.outgoing,
            year_start=settings.year_start,
        )

    def context(self, as_of: datetime | None = None) -> Context:
        """
        The context of a run or a look: as of the moment given, or now.
        """
        return Context(as_of=as_of or self.clock(), year_start=self.year_start)

    def close(self) -> None:
        """
        Let go of all connections.
        """
        self.source.close()
        self.store.close()
