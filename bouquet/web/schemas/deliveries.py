"""
Ways out, recipients and deliveries as they go over the wire.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field, SecretStr

from bouquet.store.recipients import LONGEST_NAME, MOST_WAYS
from bouquet.web.schemas.described import AcceptanceDocument, AddressDocument, SettingsDocument
from bouquet.web.schemas.sharing import SharedWith
from bouquet.web.schemas.sources import StepOut

__all__ = [
    "DeliveryAct",
    "DeliveryOut",
    "DeliveryPage",
    "EventOut",
    "FitOut",
    "FitsOut",
    "HeaderText",
    "LayoutOut",
    "LinkOut",
    "MeansChange",
    "MeansOut",
    "NewMeans",
    "NewRecipient",
    "RecipientOut",
    "StepOut",
    "TryMeans",
    "WayOut",
]

State = Literal["waiting", "sending", "trying", "offered", "arrived", "failed", "waived", "withdrawn"]


class WayOut(BaseModel):
    """
    A way out there is: its settings and its addresses as JSON Schema, and what its secret is called.
    """

    kind: str
    label: str
    secret: str
    withdraws: bool
    settings: dict[str, Any] = Field(description="JSON Schema")
    address: dict[str, Any] = Field(description="JSON Schema")


class NewMeans(BaseModel):
    """
    A server, bucket or folder that files leave by. What `settings` are follows from its `kind`.
    """

    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    kind: str = Field(max_length=20)
    settings: SettingsDocument = {}
    secret: SecretStr = Field(SecretStr(""), max_length=20_000)


class MeansChange(BaseModel):
    """
    What changes of means; the secret stays where none is given.
    """

    name: str | None = Field(None, min_length=1, max_length=LONGEST_NAME)
    settings: SettingsDocument | None = None
    secret: SecretStr | None = Field(None, max_length=20_000)


class TryMeans(BaseModel):
    """
    Settings to be tried; with `means_id`, the secret that is kept with these is taken where none is given.
    """

    kind: str = Field(max_length=20)
    settings: SettingsDocument = {}
    secret: SecretStr = Field(SecretStr(""), max_length=20_000)
    means_id: int | None = Field(None, ge=0, lt=2**63)


class MeansOut(BaseModel):
    """
    Means without their secret. `down_until`: until when they are left alone, after failures; `said` is the last one.
    """

    id: int
    name: str
    kind: str
    label: str
    settings: SettingsDocument
    has_secret: bool
    down_until: datetime | None
    said: str
    recipients: list[str]


class WayOfRecipient(BaseModel):
    """
    By what files go, and where to; what `address` is follows from the means.
    """

    means_id: int = Field(ge=0, lt=2**63)
    address: AddressDocument = {}


class NewRecipient(BaseModel):
    """
    Who or what receives. `acceptance` is a `bouquet-recipient/1` document; what `address` is follows from the means.
    """

    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    about: str = Field("", max_length=2_000)
    means_id: int = Field(ge=0, lt=2**63)
    address: AddressDocument = {}
    more_ways: list[WayOfRecipient] = Field(
        [], max_length=MOST_WAYS - 1, description="By which they receive the same files as well."
    )
    acceptance: AcceptanceDocument = {}
    for_all: bool | None = Field(None, description="Whether everybody who designs sends to them; said by their owner.")
    shared_with: list[SharedWith] | None = Field(
        None, max_length=200, description="Who sends to them beside their owner, where not everybody does."
    )


class MoreWay(WayOfRecipient):
    """
    One more way by which a recipient receives; `where` says it in words.
    """

    means: str
    kind: str
    where: str


class RecipientOut(BaseModel):
    """
    A recipient; `sentence` says what they take and how, `rounds` send to them.
    """

    id: int
    name: str
    about: str
    means_id: int
    means: str
    kind: str
    where: str
    address: AddressDocument
    more_ways: list[MoreWay]
    acceptance: AcceptanceDocument
    sentence: str
    takes: str = Field(description="What they take, without how they get it.")
    rounds: list[str]
    may_send: bool = Field(description="Whether files of whoever asks may go to them.")
    for_all: bool = Field(description="Whether everybody who designs sends to them.")
    shares: bool = Field(description="Whether whoever asks says for whom they are there.")
    shared_with: list[SharedWith] = Field(description="Told to whoever may change that.")
    last_state: State | None
    last_at: datetime | None


class FitOut(BaseModel):
    """
    How one column stands to a layout; `stops` where nothing can be sent like this.
    """

    heading: str
    state: Literal["met", "missing", "wrong kind", "wrong place", "extra"]
    says: str
    column: str | None
    stops: bool


class FitsOut(BaseModel):
    """
    A template held against a recipient: its columns, and what keeps files from being sent.
    """

    columns: list[FitOut]
    unmet: list[str]
    words: str


class HeaderText(BaseModel):
    """
    A header row, with sample rows below it or without.
    """

    text: str = Field(min_length=1, max_length=200_000)


class LayoutOut(BaseModel):
    acceptance: AcceptanceDocument


class EventOut(BaseModel):
    at: datetime
    state: str
    says: str
    by: str


class DeliveryOut(BaseModel):
    """
    A run's files handed to one recipient.
    """

    id: int
    run_id: int
    run: str
    recipient_id: int
    recipient: str
    means: str
    kind: str
    where: str
    number: int
    must: bool
    may_send: bool = Field(description="Whether files of whoever asks may go to this recipient.")
    state: State
    why: str
    reply: str
    tries: int
    files: list[str]
    rows: int = Field(0, description="In these files: others may be left for this recipient than for the run's own.")
    entered_at: datetime
    next_at: datetime | None
    tried_at: datetime | None
    arrived_at: datetime | None
    withdraws: bool
    events: list[EventOut]


class DeliveryPage(BaseModel):
    """
    Deliveries, newest first; `next` is the cursor of the page after, null at the end.
    """

    deliveries: list[DeliveryOut]
    next: int | None


class DeliveryAct(BaseModel):
    """
    What a person does with a delivery: send it `now`, send it `again` (to somebody else with `recipient_id`), `waive`
    it or `withdraw` it, for a `reason`.
    """

    act: Literal["now", "again", "waive", "withdraw"]
    reason: str = Field("", max_length=500)
    recipient_id: int | None = Field(None, ge=0, lt=2**63)


class LinkOut(BaseModel):
    """
    The address at which a delivery can be fetched, for who may pass it on.
    """

    address: str
    expires_at: datetime
    fetched: int
    passphrase: bool
