"""
What every way into Bouquet shares: the store, the sources, the clock, the folders.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from bouquet.core.catalogue import Catalogue
from bouquet.core.personal import EVERYTHING, Sight, seen_catalogue
from bouquet.core.plan import Context, Picked, Scope
from bouquet.core.rights import NOTHING
from bouquet.runs.mail_server import MailServer
from bouquet.runs.storage import FileStore
from bouquet.settings import Settings
from bouquet.sources import LEDGER, Kept, LedgerSource, Overlay, Source, Sources
from bouquet.store import Store, curating
from bouquet.store import runs as ledger
from bouquet.store import sources as kept_sources
from bouquet.store.picks import find_picks, list_picks
from bouquet.store.secrets import Vault

__all__ = ["Services"]

#: Earlier runs that a check of the usual number of rows may look back on.
USUAL = 100


def _now() -> datetime:
    return datetime.now(UTC)


def _mail_server(settings: Settings) -> MailServer | None:
    if settings.smtp_url is None:
        return None
    url, most = settings.smtp_url.get_secret_value(), settings.mail_megabytes * 1_000_000
    own = settings.mail_from.rpartition("@")[2]
    named = {d.strip().lower() for d in (settings.mail_domains or own).split(",") if d.strip()}
    domains = None if "*" in named else frozenset(named)
    return MailServer.at(url, settings.mail_from, address=settings.public_url, most_bytes=most, domains=domains)


class _SavedPicks(Mapping[str, Picked]):
    """
    The saved lists of a source that the store keeps, read when a template names one.
    """

    def __init__(self, store: Store, source: str) -> None:
        self._store, self._source = store, source

    def __getitem__(self, name: str) -> Picked:
        with self._store.session() as session:
            found = find_picks(session, name)
            if found is None or found.source != self._source:
                raise KeyError(name)
            return Picked(found.records, tuple(tuple(k) for k in found.keys))

    def __iter__(self) -> Iterator[str]:
        with self._store.session() as session:
            return iter([p.name for p in list_picks(session, source=self._source)])

    def __len__(self) -> int:
        return len(list(iter(self)))


class _KeptInStore:
    """
    The sources that the store keeps.
    """

    def __init__(self, store: Store, vault: Vault) -> None:
        self._store, self._vault = store, vault

    def listed(self) -> Sequence[Kept]:
        with self._store.session() as session:
            numbers = curating.numbers_in_use(session)
            found = [
                Kept(s.name, s.environment, s.revision, numbers.get(s.name, 0))
                for s in kept_sources.list_sources(session)
            ]
        return [Kept("", curated=numbers.get("", 0)), *found]

    def address(self, key: str) -> str:
        with self._store.session() as session:
            sealed = kept_sources.find_source(session, key).address
        return self._vault.open(sealed)

    def copy(self, key: str) -> str:
        with self._store.session() as session:
            sealed = kept_sources.find_source(session, key).copy
        return self._vault.open(sealed) if sealed else ""

    def overlay(self, key: str, number: int) -> Overlay:
        with self._store.session() as session:
            return Overlay.model_validate(curating.get_version(session, key, number).document)

    def kept_catalogue(self, key: str, digest: str) -> bytes | None:
        with self._store.session() as session:
            return kept_sources.kept_catalogue(session, key, digest)

    def keep_catalogue(self, key: str, digest: str, body: bytes) -> None:
        with self._store.session() as session:
            kept_sources.keep_catalogue(session, key, digest, body, _now())


@dataclass
class Services:
    """
    The parts that web, command line and workers work with. `clock` gives the moment, in UTC.

    `configured` is the source in the settings, if there is one; all of them are in `sources`.
    """

    store: Store
    configured: Source | None
    files: Path | str
    outgoing: Path
    year_start: int = 4
    #: What is written in where nobody asks just then.
    language: str = "en"
    #: Days until files expire whose template says nothing else.
    keep_days: int = 90
    #: Hours after which a run is ended that is not done.
    run_hours: float = 24
    #: Rows of a range; a run of at least twice as many is cut into ranges.
    range_rows: int = 2_500_000
    #: Days that entries of the journal are kept; 0 for ever.
    journal_days: int = 0
    #: What the file store wants to know besides its URL.
    files_options: Mapping[str, Any] = field(default_factory=dict, repr=False)
    #: Where mail is handed over; None where none is sent.
    mail: MailServer | None = None
    clock: Callable[[], datetime] = field(default=_now)
    #: Seconds between the tries of a delivery; the usual ones where none are given.
    delivery_pauses: Sequence[float] = ()
    #: Seconds that one step of a conversation with another machine may take.
    delivery_wait: float = 30.0
    #: What addresses of sources are kept with.
    vault: Vault = field(default_factory=Vault, repr=False)

    def __post_init__(self) -> None:
        #: Whether a large run would be made faster by several workers, and what asks so many to help with an attempt at
        #: one; nobody, where there is no queue.
        self.has_help: Callable[[], bool] = lambda: False
        self.ask_for_help: Callable[[int, int, int], None] = lambda run_id, attempt, workers: None
        self.storage = FileStore(self.files, self.files_options)
        self.sources = Sources(self.configured, _KeptInStore(self.store, self.vault))
        #: What the secrets in addresses of links are made with.
        self.link_key = self.vault.derived(b"links")
        environment = self.configured.environment if self.configured is not None else "live"
        self.ledger = LedgerSource(self.store.url, environment)

    @classmethod
    def from_settings(cls, settings: Settings) -> Services:
        source = None
        if settings.source_url is not None:
            source = Source(settings.source_name, settings.source_url.get_secret_value(), settings.source_catalogue)
        store = Store(settings.store_url.get_secret_value())
        return cls(
            store=store,
            clock=store.now,
            configured=source,
            vault=Vault(settings.secret_key.get_secret_value()),
            files=settings.files,
            outgoing=settings.outgoing,
            year_start=settings.year_start,
            language=settings.language,
            keep_days=settings.keep_days,
            run_hours=settings.run_hours,
            range_rows=settings.range_rows,
            journal_days=settings.journal_days,
            files_options=json.loads(settings.files_options.get_secret_value()),
            mail=_mail_server(settings),
        )

    def source_of(self, name: str) -> Source | LedgerSource:
        """
        The source that a run reads, by name. Raises NoSource where it is not there any more.
        """
        return self.ledger if name == LEDGER else self.sources.get(name)

    def context(
        self,
        as_of: datetime | None = None,
        *,
        answers: Mapping[str, Any] | None = None,
        scope: Mapping[str, Any] | None = None,
        source: str = "",
        template_id: int | None = None,
        run_id: int | None = None,
    ) -> Context:
        """
        The context of a run or a look: as of the moment given, or now.

        Args:
            answers: To the template's asks; None while designing.
            scope: What the asking person's rights leave, as the store keeps it.
            source: The source that is read. A scope does not speak of the built-in one.
            template_id: The template whose earlier runs count, and `run_id` the run they are earlier than.
        """
        last, count, usual = None, 0, []
        if template_id is not None:
            with self.store.session() as session:
                last, count = ledger.last_delivered(session, template_id, run_id)
                usual = ledger.last_rows(session, [template_id], USUAL, before=run_id).get(template_id, [])
        return Context(
            as_of=as_of or self.clock(),
            year_start=self.year_start,
            answers=answers,
            picks=_SavedPicks(self.store, source),
            scope=self._named(self.scope_of(scope, source), source),
            sight=self.sight_of(scope, source),
            last_run_at=last,
            sequence=count + 1,
            usual=tuple(usual),
        )

    def _named(self, scope: Scope | None, source: str) -> Scope | None:
        if scope is None or not scope.values:
            return scope
        return replace(scope, names=self.sources.get(source).titles(scope))

    def catalogue_for(self, scope: Mapping[str, Any] | None, source: str) -> Catalogue:
        """
        The catalogue of a source as somebody with these rights sees it. Raises NoSource.
        """
        return seen_catalogue(self.source_of(source).catalogue(), self.sight_of(scope, source))

    @staticmethod
    def scope_of(kept: Mapping[str, Any] | None, source: str = "") -> Scope | None:
        """
        What a person's rights leave of a source, from how the store keeps it. A right speaks of one source, and leaves
        nothing of the others.
        """
        if not kept or source == LEDGER or not ({"records", "types"} & set(kept)):
            return None
        if kept.get("source", "") != source:
            return NOTHING
        if "records" not in kept:
            return None
        return Scope(kept["records"], kept["field"], tuple(kept["values"]))

    @staticmethod
    def sight_of(kept: Mapping[str, Any] | None, source: str = "") -> Sight:
        """
        What a person's rights leave of a source's record types and personal data.
        """
        return EVERYTHING if source == LEDGER else Sight.of(kept)

    def close(self) -> None:
        """
        Close all connections.
        """
        self.sources.close()
        self.ledger.close()
        self.storage.close()
        self.store.close()
