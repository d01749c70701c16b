"""
The sources of a house, asked for by name: the one in the settings, and those that the house keeps itself.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import sqlalchemy as sa

from bouquet.core.language import tr
from bouquet.sources.errors import NoSource, SourceDown
from bouquet.sources.overlay import Overlay
from bouquet.sources.source import CatalogueKeeper, Source

__all__ = ["Kept", "KeptSources", "NothingKept", "Sources"]

#: Seconds until it is looked again which sources are kept: what one process adds, the others have that soon.
KEPT_AGE = 2.0


@dataclass(frozen=True)
class Kept:
    """
    What is known of a source without opening it. `key` is empty for the one in the settings.

    `revision` counts changes of its address, `curated` is the number of the curated catalogue in use, 0 for none.
    """

    key: str
    environment: str = "live"
    revision: int = 0
    curated: int = 0


class KeptSources(CatalogueKeeper, Protocol):
    """
    Where the house keeps its sources.
    """

    def listed(self) -> Sequence[Kept]:
        """
        All that are kept, the first added first; the one in the settings is among them where it was curated here.
        """
        ...

    def address(self, key: str) -> str:
        """
        The URL of one. Raises NoKey or WrongKey where it cannot be opened.
        """
        ...

    def copy(self, key: str) -> str:
        """
        The URL of the copy that runs read; empty where there is none.
        """
        ...

    def overlay(self, key: str, number: int) -> Overlay:
        """
        A version of a curated catalogue.
        """
        ...


class NothingKept:
    """
    A house whose only source is in the settings.
    """

    def listed(self) -> Sequence[Kept]:
        """
        Nothing.
        """
        return ()

    def address(self, key: str) -> str:
        """
        Never asked for.
        """
        raise NoSource(tr("There is no source “{key}”.", key=key))

    def copy(self, key: str) -> str:
        """
        None.
        """
        return ""

    def overlay(self, key: str, number: int) -> Overlay:
        """
        Never asked for.
        """
        raise NoSource(tr("There is no source “{key}”.", key=key))

    def kept_catalogue(self, key: str, digest: str) -> bytes | None:
        """
        Nothing.
        """
        return None

    def keep_catalogue(self, key: str, digest: str, body: bytes) -> None:
        """
        Not kept.
        """


class Sources:
    """
    The sources of a house. Each is opened when it is first asked for.

    Args:
        fixed: The source of the settings, if there is one; its key is empty.
        kept: Where the house keeps others.
    """

    def __init__(self, fixed: Source | None, kept: KeptSources | None = None) -> None:
        self.fixed = fixed
        self._kept = kept or NothingKept()
        self._lock = threading.Lock()
        self._read_at: float | None = None
        self._listed: dict[str, Kept] = {}
        self._open: dict[str, tuple[int, Source]] = {}
        self._replaced: list[Source] = []

    def listed(self) -> list[str]:
        """
        What templates know the sources by, the one in the settings first.
        """
        with self._lock:
            self._look()
            return [""] * (self.fixed is not None) + [k for k in self._listed if k]

    @property
    def default(self) -> str:
        """
        The source that is meant where none is named. Raises NoSource where there is none.
        """
        keys = self.listed()
        if not keys:
            raise NoSource(tr("No source is set up yet. An administrator adds one under Set-up."))
        return keys[0]

    def get(self, key: str = "") -> Source:
        """
        A source by what templates know it by. Raises NoSource, and NoKey or WrongKey where its address is sealed.
        """
        with self._lock:
            self._look()
            kept = self._listed.get(key, Kept(key))
            if not key:
                if self.fixed is None:
                    raise NoSource(
                        tr("The source that was in the settings (BOUQUET_SOURCE_URL) is not there any more.")
                    )
                source = self.fixed
                source.keeper = self._kept
            elif key in self._listed:
                source = self._opened(kept)
            else:
                raise NoSource(tr("There is no source “{key}” here, or it was removed.", key=key))
            if kept.curated and kept.curated != source.curated:
                source.lay(self._kept.overlay(key, kept.curated), kept.curated)
            return source

    def refresh(self) -> None:
        """
        Look again which sources are kept when one is next asked for.
        """
        with self._lock:
            self._read_at = None

    def forget_catalogues(self) -> None:
        """
        Read every catalogue again when it is next asked for.
        """
        for source in self._opened_so_far():
            source.forget()

    def close(self) -> None:
        """
        Close all connections.
        """
        for source in (*self._opened_so_far(), *self._replaced):
            source.close()
        with self._lock:
            self._open, self._replaced = {}, []

    def _opened_so_far(self) -> list[Source]:
        with self._lock:
            known = [source for _, source in self._open.values()]
        return known if self.fixed is None else [self.fixed, *known]

    def _look(self) -> None:
        now = time.monotonic()
        if self._read_at is None or now - self._read_at > KEPT_AGE:
            self._listed = {k.key: k for k in self._kept.listed()}
            self._read_at = now

    def _opened(self, kept: Kept) -> Source:
        revision, source = self._open.get(kept.key, (0, None))
        if source is None or revision != kept.revision:
            if source is not None:
                # Somebody may still be reading; idle connections go now, the others when they are given back.
                source.close()
                self._replaced.append(source)
            address = self._kept.address(kept.key)
            try:
                copy = self._kept.copy(kept.key)
                source = Source(kept.key, address, key=kept.key, environment=kept.environment, copy=copy)
            except (sa.exc.ArgumentError, ValueError) as error:
                raise SourceDown(
                    tr("{kept}: its address is none. An administrator gives it another one.", kept=kept.key)
                ) from error
            source.keeper = self._kept
            self._open[kept.key] = (kept.revision, source)
        return source
