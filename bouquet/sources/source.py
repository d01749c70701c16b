"""
A source: its reader, its catalogue and the profiles of its fields, each read when first needed.
"""

from __future__ import annotations

import gc
import threading
import time
import zlib
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Literal, Protocol

import sqlalchemy as sa
import structlog
from pydantic import TypeAdapter, ValidationError

from bouquet.core.catalogue import Catalogue
from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.core.rights import Rights, Scope
from bouquet.core.sql.quoting import quote_all
from bouquet.database_urls import backend_of, watched_engine
from bouquet.sources.alchemy import AlchemyReader
from bouquet.sources.base import Reader, Snapshot
from bouquet.sources.encodings import fit_statements
from bouquet.sources.errors import SourceError, renamed_errors
from bouquet.sources.facts import FieldFacts, field_facts
from bouquet.sources.find import TIME as FIND_TIME
from bouquet.sources.find import Finding, find_value
from bouquet.sources.overlay import Overlay, read_overlay
from bouquet.sources.postgres import PostgresReader, name_plainly
from bouquet.sources.profile import FieldProfile, profile_record_type
from bouquet.sources.reflect import Memory, reflect_catalogue
from bouquet.sources.shape import is_large, reading_digest
from bouquet.sources.titles import titles_of

__all__ = ["CatalogueKeeper", "Source"]

log = structlog.get_logger()

#: Seconds a catalogue is trusted before it is read from the database again.
CATALOGUE_AGE = 300.0

#: Profiles that are kept, of record types and scopes.
MOST_PROFILES = 2_000

#: Seconds that names of what rights speak of are kept.
TITLES_KEPT = 600.0

#: Seconds until a source that could not be reached is asked again.
RETRY_AGE = 5

#: Milliseconds that interactive work may take in the source.
INTERACTIVE_TIMEOUT = 20_000


class CatalogueKeeper(Protocol):
    """
    Keeps catalogues between starts, by the digest of what they were read from.
    """

    def kept_catalogue(self, key: str, digest: str) -> bytes | None:
        """
        What was kept of a source under this digest.
        """
        ...

    def keep_catalogue(self, key: str, digest: str, body: bytes) -> None:
        """
        Keep it in the place of what was kept before.
        """
        ...


@contextmanager
def no_collecting() -> Iterator[None]:
    """
    Without the search for garbage: hundreds of thousands of small parts, none of it garbage, are looked through again
    and again while they are made (a fifth of the time).
    """
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


_CATALOGUE: TypeAdapter[Catalogue] = TypeAdapter(Catalogue)


class Source:
    """
    One database that Bouquet reads and never writes.

    Args:
        name: What people call it, unless the curated catalogue has a title for it.
        url: Of a role that can only read: libpq's for PostgreSQL, SQLAlchemy's for others.
        overlay: The file of the curated catalogue, if there is one.
        key: What templates and runs know it by; empty for the one in the settings.
        environment: `live` or `practice`, unless the curated catalogue says.
        copy: The address of a copy of it (a replica), which runs read; empty where there is none.
    """

    def __init__(
        self,
        name: str,
        url: str,
        overlay: Path | None = None,
        *,
        key: str = "",
        environment: str = "live",
        copy: str = "",
    ) -> None:
        self.name, self.key, self.url = name, key, url
        self._overlay = read_overlay(overlay) if overlay else None
        self.title = self._overlay.title if self._overlay else name
        self.environment = self._overlay.environment if self._overlay else environment
        #: Where a large catalogue is kept between starts.
        self.keeper: CatalogueKeeper | None = None
        self._read_as, self._reading, self._changed = "", False, False
        #: The number of the curated version laid over it; 0 for the file's, or none.
        self.curated = 0
        self.reader: Reader
        if backend_of(url) == "postgresql":
            self.reader = PostgresReader(url, self.title)
            self._engine = watched_engine(url, poolclass=sa.NullPool)
            quote_all(self._engine.dialect)
            fit_statements(self._engine)
            name_plainly(self._engine)
        else:
            reader = AlchemyReader(url, self.title)
            self.reader, self._engine = reader, reader.engine
        #: What runs read: the copy, where there is one.
        self.run_reader: Reader = self.reader
        self.copy = copy
        if copy and backend_of(copy) == "postgresql":
            self.run_reader = PostgresReader(copy, tr("the copy of {title}", title=self.title))
        elif copy:
            self.run_reader = AlchemyReader(copy, tr("the copy of {title}", title=self.title))
        self._lock = threading.Lock()
        self._catalogue: tuple[float, Catalogue] | None = None
        self._profiles: dict[tuple[str, Scope | None], dict[str, FieldProfile]] = {}
        self._titles: dict[Scope, tuple[float, tuple[str, ...]]] = {}
        self._memory = Memory()
        #: Of catalogues that are only tried.
        self._tried = Memory()

    def catalogue(self, *, fresh: bool = False) -> Catalogue:
        """
        The catalogue as it is known. One that is old is read again beside, for those who ask later; when `fresh` is
        asked for, now. A large one is only read where the tables changed since.

        A source that cannot be reached is answered for by what is known. Raises SourceDown when nothing is, or when it
        was to be `fresh`.
        """
        with self._lock:
            if self._catalogue is None or fresh:
                self._catalogue = (time.monotonic(), self._read())
            elif self._changed:
                # Whoever looks next is to see what changed, or, of a source that is away, what is known.
                with suppress(SourceError):
                    self._catalogue = (time.monotonic(), self._read())
            elif time.monotonic() - self._catalogue[0] > CATALOGUE_AGE:
                self._begin_reading()
            self._changed = False
            return self._catalogue[1]

    def _begin_reading(self) -> None:
        if not self._reading:
            self._reading = True
            threading.Thread(target=self._read_beside, name=f"reads {self.name}", daemon=True).start()

    def _read_beside(self) -> None:
        overlay = self._overlay
        try:
            found = self._read()
        except SourceError as error:
            log.warning("source_not_read", source=self.name, error=str(error))
            found = None
        with self._lock:
            self._reading = False
            if self._catalogue is None or self._overlay is not overlay:
                return
            if found is not None:
                self._catalogue = (time.monotonic(), found)
            else:
                # Asked for again soon, but not by everybody at once.
                self._catalogue = (time.monotonic() - CATALOGUE_AGE + RETRY_AGE, self._catalogue[1])

    def _read(self) -> Catalogue:
        """
        Read the source, or take what is known of it where its tables are as they were.
        """
        known = self._catalogue[1] if self._catalogue is not None else None
        digest = self._digest()
        if known is not None and digest == self._read_as and is_large(known):
            return known
        kept = self.keeper.kept_catalogue(self.key, digest) if known is None and self.keeper is not None else None
        if kept is not None:
            with suppress(ValidationError):
                self._read_as = digest
                return _CATALOGUE.validate_json(zlib.decompress(kept))
        # A file of the settings that names what is not there is a mistake; elsewhere the source changed.
        strict = known is None and not self.key and not self.curated
        first = known is None and not self._memory.of
        with no_collecting():
            found = reflect_catalogue(
                self._engine, self.name, self._overlay, strict=strict, memory=self._memory, hurry=first
            )
        if self._memory.hurried:
            # What takes looking into the tables follows, while people look at what names alone say.
            self._read_as = ""
            self._begin_reading()
            return found
        self._read_as = digest
        if self.keeper is not None and is_large(found):
            body = zlib.compress(_CATALOGUE.dump_json(found, exclude_defaults=True), 1)
            self.keeper.keep_catalogue(self.key, digest, body)
        return found

    def _digest(self) -> str:
        with renamed_errors(self.title), self._engine.connect() as connection:
            return reading_digest(connection, self._overlay)

    def lay(self, overlay: Overlay, number: int) -> None:
        """
        Lay a curated catalogue over it, version `number`, instead of the one there was.
        """
        with self._lock:
            self._overlay, self.curated = overlay, number
            self.title, self.environment = overlay.title, overlay.environment
            self._catalogue = None
            self._profiles.clear()
            self._titles.clear()

    def catalogue_with(self, overlay: Overlay) -> Catalogue:
        """
        The catalogue as it would be with another curated one. Raises SourceDown.
        """
        with no_collecting():
            return reflect_catalogue(self._engine, self.name, overlay, strict=False, memory=self._tried)

    def uncurated(self) -> Catalogue:
        """
        The catalogue as the database and guesses alone say it. Raises SourceDown.
        """
        return self.catalogue_with(Overlay(title=self.title, environment=self._environment()))

    @property
    def overlay(self) -> Overlay | None:
        """
        The curated catalogue that is laid over it.
        """
        return self._overlay

    def seconds_behind(self, snapshot: Snapshot) -> float | None:
        """
        How far the copy that a run's snapshot reads lies behind its source; None where nothing tells.
        """
        if not self.copy or backend_of(self.copy) != "postgresql":
            return None
        # All that came was replayed, and more would come at once: not behind, however long ago the last change was.
        receiving = sa.select(sa.column("pid")).select_from(sa.table("pg_stat_wal_receiver")).exists()
        all_replayed = sa.func.pg_last_wal_receive_lsn() == sa.func.pg_last_wal_replay_lsn()
        since = sa.extract("epoch", sa.func.now() - sa.func.pg_last_xact_replay_timestamp())
        behind = sa.case((sa.and_(receiving, all_replayed), 0.0), else_=sa.cast(since, sa.Float))
        row = snapshot.row(sa.select(behind.label("behind")))
        return None if row["behind"] is None else round(max(0.0, float(row["behind"])), 1)

    def _environment(self) -> Literal["practice", "live"]:
        return "practice" if self.environment == "practice" else "live"

    def forget(self) -> None:
        """
        Read the catalogue again when it is next asked for.
        """
        self._changed = True

    def profile(self, record_type: str, scope: Scope | None = None) -> dict[str, FieldProfile]:
        """
        The profiles of a record type's fields, of the records that `scope` leaves; kept for the life of the process.
        """
        key = (record_type, scope)
        if key not in self._profiles:
            if len(self._profiles) > MOST_PROFILES:
                self._profiles.clear()
            catalogue = self.catalogue()
            known = catalogue.record_types[record_type]
            rights = Rights(catalogue, scope) if scope else None
            with self.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot:
                self._profiles[key] = profile_record_type(snapshot, known, catalogue.dialect, rights)
        return self._profiles[key]

    def facts(self, record_type: str, field: str, scope: Scope | None = None) -> FieldFacts:
        """
        A field's values at a glance, of the records that `scope` leaves. Raises KeyError for a record type or field
        that is not there.
        """
        catalogue = self.catalogue()
        known = catalogue.record_types[record_type]
        found = known.field_named(field)
        if found is None:
            raise KeyError(field)
        with self.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot:
            return field_facts(snapshot, catalogue, known, found, Rights(catalogue, scope) if scope else None)

    def titles(self, scope: Scope) -> tuple[str, ...]:
        """
        What people call the records that a scope speaks of, in its order; their values where there is no name. Nothing
        while the source does not answer. Kept for a while.
        """
        at, names = self._titles.get(scope, (0.0, ()))
        if not names or time.monotonic() - at > TITLES_KEPT:
            if len(self._titles) > MOST_PROFILES:
                self._titles.clear()
            try:
                with self.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot:
                    found = titles_of(snapshot, self.catalogue(), scope.records, scope.field, scope.values)
            except BouquetError:
                return ()
            names = tuple(found.get(v, v) for v in scope.values)
            self._titles[scope] = (time.monotonic(), names)
        return names

    def find(
        self,
        record_type: str,
        text: str,
        *,
        scope: Scope | None = None,
        seen: Catalogue | None = None,
        seconds: float = FIND_TIME,
    ) -> Iterator[Finding]:
        """
        Search a record type and its neighbours for a value, in the records that `scope` leaves and in what is `seen`
        of the catalogue; see `find_value`. Raises KeyError for a record type that is not there.
        """
        catalogue = seen or self.catalogue()
        start = catalogue.record_types[record_type]
        with self.reader.snapshot(timeout_ms=int(seconds * 1000) + 1000) as snapshot:
            rights = Rights(catalogue, scope) if scope else None
            yield from find_value(snapshot, catalogue, start, text, rights=rights, seconds=seconds)

    def close(self) -> None:
        """
        Let go of connections.
        """
        self.reader.close()
        if self.run_reader is not self.reader:
            self.run_reader.close()
        self._engine.dispose()
