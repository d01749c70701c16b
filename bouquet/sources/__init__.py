"""
Reading other people's databases.
"""

from bouquet.sources.base import Reader, Snapshot
from bouquet.sources.errors import (
    NoSource,
    SourceCancelled,
    SourceChanged,
    SourceDown,
    SourceError,
    SourceFull,
    SourceRefused,
    SourceStopped,
    SourceTimeout,
)
from bouquet.sources.facts import FieldFacts, field_facts
from bouquet.sources.find import Finding, Found, find_value
from bouquet.sources.ledger import LEDGER, LedgerSource
from bouquet.sources.overlay import Overlay, OverlayError, overlay_of, read_overlay, write_overlay
from bouquet.sources.postgres import PostgresReader, PostgresSnapshot
from bouquet.sources.profile import FieldProfile
from bouquet.sources.reflect import reflect_catalogue
from bouquet.sources.registry import Kept, KeptSources, Sources
from bouquet.sources.source import INTERACTIVE_TIMEOUT, Source
from bouquet.sources.trying import Step, try_source

__all__ = [
    "INTERACTIVE_TIMEOUT",
    "LEDGER",
    "FieldFacts",
    "FieldProfile",
    "Finding",
    "Found",
    "Kept",
    "KeptSources",
    "LedgerSource",
    "NoSource",
    "Overlay",
    "OverlayError",
    "PostgresReader",
    "PostgresSnapshot",
    "Reader",
    "Snapshot",
    "Source",
    "SourceCancelled",
    "SourceChanged",
    "SourceDown",
    "SourceError",
    "SourceFull",
    "SourceRefused",
    "SourceStopped",
    "SourceTimeout",
    "Sources",
    "Step",
    "field_facts",
    "find_value",
    "overlay_of",
    "read_overlay",
    "reflect_catalogue",
    "try_source",
    "write_overlay",
]
