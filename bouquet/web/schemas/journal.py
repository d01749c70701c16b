"""
The journal as it goes over the wire.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from pydantic import BaseModel, Field

__all__ = ["EntryOut", "JournalPage", "VerifiedOut"]


class EntryOut(BaseModel):
    """
    One act: who, when, from where, what, with which thing, and what more there is to say.
    """

    id: int
    at: datetime
    person_id: int | None
    who: str
    via: str
    address: str
    act: str
    thing: str
    thing_id: str
    name: str
    facts: dict[str, Any]


class JournalPage(BaseModel):
    """
    Entries, the newest first; `next` is the cursor of the page after, null at the end.
    """

    entries: list[EntryOut]
    next: int | None


class VerifiedOut(BaseModel):
    """
    What came of holding the journal against its seals.
    """

    entries: int
    seals: int
    waiting: int = Field(description="Entries that are not sealed yet.")
    retired: int = Field(description="Entries that were let go by the house's rule; their seals are still there.")
    wrong: list[str]
    digest: str = Field(description="Of the newest seal. Kept elsewhere, it shows whether the end was cut off.")
