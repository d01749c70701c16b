"""
Rounds, and the days on which they rest, as they go over the wire.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from bouquet.core.recurrence.document import RhythmDocument
from bouquet.core.template.described import AnswersDocument, AnswersGiven, DescribedAs
from bouquet.core.template.filter import Window
from bouquet.rounds.document import Event, OwnPart, RoundRecipientIn, Trigger
from bouquet.web.schemas.runs import RunOut
from bouquet.web.schemas.sharing import SharedWith


class RoundChange(BaseModel):
    """
    Pause a round, for good or until a moment, or let it go on; and say who looks after it beside its owner.
    """

    paused: bool | None = None
    until: datetime | None = None
    shared_with: list[SharedWith] | None = Field(None, max_length=200)


class HandOver(BaseModel):
    """
    To whom something is handed over.
    """

    to: int = Field(ge=0, le=2**63 - 1)


class RoundCall(BaseModel):
    """
    What comes with a call: answers to what the template asks, by name.
    """

    answers: AnswersGiven = {}


class RoundRecipientOut(RoundRecipientIn):
    name: str
    kind: str
    remembers: bool = Field(False, description="Whether what they were sent is remembered for them.")


class RoundOut(BaseModel):
    id: int
    template_id: int
    template: str
    words: str
    trigger: Trigger
    watch: dict[str, int] | None = None
    event: Event | None = None
    answers: AnswersDocument = {}
    kind: Literal["template", "bundle"] = "template"
    records: str = ""
    source: str = Field("", description="The source that its template or bundle reads.")
    after_id: int | None
    when_empty: Literal["send", "skip"]
    paused_until: datetime | None
    paused_for: str = Field(description="Why it paused by itself: `source`, `owner`; empty where a person paused it.")
    mine: bool
    owner_id: int = Field(description="For whom it runs: with their rights, and in their name.")
    owner: str
    looked_after: bool = Field(description="Whether whoever asks may pause it, skip its next moment and run it.")
    shared_with: list[SharedWith] = Field([], description="Who does beside its owner; told to whoever may change that.")
    purpose: str
    rhythm: Annotated[dict[str, Any], DescribedAs(RhythmDocument)]
    mail_to: list[str]
    zone: str
    folder: str
    format: str
    mode: str
    paused: bool
    recipients: list[RoundRecipientOut]
    own_part: OwnPart | None
    remembers: bool = Field(description="Whether it remembers what went otherwise than to its recipients.")
    next: list[datetime]
    covers: list[str] = Field([], description="The days that each of the next moments covers, in words.")
    runs: list[RunOut]


class OwnDay(BaseModel):
    day: date
    name: str = Field("", max_length=100)


class CalendarText(BaseModel):
    """
    An iCalendar file (RFC 5545) as text.
    """

    text: str = Field(min_length=1, max_length=2_000_000)


class DaysOffPart(BaseModel):
    """
    The days on which the house does not work: of the week (0 is Monday), public holidays of a country and its region,
    and days of its own.
    """

    weekend: list[Annotated[int, Field(ge=0, le=6)]] = Field([5, 6], max_length=7)
    country: str = Field("", max_length=2)
    region: str = Field("", max_length=6)
    days: list[OwnDay] = Field([], max_length=2_000)


class DaysOffOut(DaysOffPart):
    """
    The same, with the next days off but weekends, and why they are.
    """

    next: list[OwnDay]


class Planned(BaseModel):
    """
    The next moments a rhythm comes to, and what they cover: `coverage` says in sentences which days of the next year
    would be in no run, or in several; `covered` tells that each is in exactly one. `cure` is a window that would have
    it so.
    """

    words: str
    next: list[datetime]
    coverage: list[str] = []
    covered: bool = True
    cure: Window | None = None
    parts: int | None = Field(None, description="Parts that each go to whose fact is their value, as the rows are now")
    parts_of_nobody: list[str] = []
