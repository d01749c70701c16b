"""
Bouquet's own records.
"""

from bouquet.store.models.base import Base, Document
from bouquet.store.models.deliveries import (
    SENT,
    UNDER_WAY,
    Appending,
    Delivery,
    DeliveryEvent,
    Download,
    Link,
    Means,
    Placing,
    Recipient,
    RecipientWay,
    RoundRecipient,
)
from bouquet.store.models.journal import JournalEntry, JournalRetired, JournalSeal, JournalSealed
from bouquet.store.models.memory import MemoryChange, MemoryChanged, Remembered, Remembering, SentKeysRecord
from bouquet.store.models.people import Group, GroupMember, Person, PersonLink, SignIn, SignInTry, Token
from bouquet.store.models.rounds import Care, HouseFact, Noticed, Occurrence, Round
from bouquet.store.models.runs import ACTIVE, LATER, ComparisonRecord, Notice, Run, RunFile, RunRange
from bouquet.store.models.sources import CuratedDraft, CuratedVersion, KeptCatalogue, SourceRecord
from bouquet.store.models.templates import Picks, Pin, TemplateRecord, TemplateVersion, View

__all__ = [
    "ACTIVE",
    "LATER",
    "SENT",
    "UNDER_WAY",
    "Appending",
    "Base",
    "Care",
    "ComparisonRecord",
    "CuratedDraft",
    "CuratedVersion",
    "Delivery",
    "DeliveryEvent",
    "Document",
    "Download",
    "Group",
    "GroupMember",
    "HouseFact",
    "JournalEntry",
    "JournalRetired",
    "JournalSeal",
    "JournalSealed",
    "KeptCatalogue",
    "Link",
    "Means",
    "MemoryChange",
    "MemoryChanged",
    "Notice",
    "Noticed",
    "Occurrence",
    "Person",
    "PersonLink",
    "Picks",
    "Pin",
    "Placing",
    "Recipient",
    "RecipientWay",
    "Remembered",
    "Remembering",
    "Round",
    "RoundRecipient",
    "Run",
    "RunFile",
    "RunRange",
    "SentKeysRecord",
    "SignIn",
    "SignInTry",
    "SourceRecord",
    "TemplateRecord",
    "TemplateVersion",
    "Token",
    "View",
]
