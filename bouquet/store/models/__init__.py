"""
Bouquet's own records.
"""

from bouquet.store.models.base import Base, Document
from bouquet.store.models.deliveries import Appending, Delivery, Download
from bouquet.store.models.memory import Remembered, Remembering, SentKeysRecord
from bouquet.store.models.people import Person, SignIn, SignInTry, Token
from bouquet.store.models.rounds import Care, HouseFact, Occurrence, Round
from bouquet.store.models.runs import ACTIVE, LATER, ComparisonRecord, Notice, Run, RunFile
from bouquet.store.models.sources import CuratedDraft, CuratedVersion, KeptCatalogue, SourceRecord
from bouquet.store.models.templates import Picks, Pin, TemplateRecord, TemplateVersion, View

__all__ = [
    "ACTIVE",
    "LATER",
    "Appending",
    "Base",
    "Care",
    "ComparisonRecord",
    "CuratedDraft",
    "CuratedVersion",
    "Delivery",
    "Document",
    "Download",
    "HouseFact",
    "KeptCatalogue",
    "Notice",
    "Occurrence",
    "Person",
    "Picks",
    "Pin",
    "Remembered",
    "Remembering",
    "Round",
    "Run",
    "RunFile",
    "SentKeysRecord",
    "SignIn",
    "SignInTry",
    "SourceRecord",
    "TemplateRecord",
    "TemplateVersion",
    "Token",
    "View",
]
