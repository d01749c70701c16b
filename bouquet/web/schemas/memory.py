"""
The memory of a template as the API speaks of it.
"""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

__all__ = ["MemoryAct", "MemoryChangeOut", "MemoryChanged", "MemoryFound", "MemoryKey", "MemoryOut"]

_Key = list[str]


class MemoryChangeOut(BaseModel):
    """
    A change of a memory by hand: records `forgotten`, to be sent again, or `marked` as sent.
    """

    id: int
    kind: Literal["forgotten", "marked"]
    who: str
    at: datetime
    records: int


class MemoryOut(BaseModel):
    """
    What a template, or one of its rounds, has sent: records, and from when to when.
    """

    records: int
    first_sent: datetime | None
    last_sent: datetime | None
    changes: list[MemoryChangeOut] = Field([], description="What people changed by hand, that can be undone.")


class MemoryKey(BaseModel):
    """
    A record's key, as texts.
    """

    key: _Key = Field(min_length=1, max_length=16)


class MemoryFound(BaseModel):
    """
    When a record was last sent, and in which run; neither where it was not sent.
    """

    sent_at: datetime | None
    run_id: int | None


class MemoryAct(BaseModel):
    """
    What is to be forgotten, so that it is sent again: the records with these keys, those sent since a moment, or, with
    neither, all. `mark` takes keys as sent instead.
    """

    keys: list[_Key] | None = Field(None, max_length=10_000)
    since: datetime | None = None


class MemoryChanged(BaseModel):
    """
    How many records the act was about.
    """

    records: int
