"""
The people of the house as an administrator sees them.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from bouquet.core.personal import CLASSES, PersonalClass, Treatment
from bouquet.store.people import LONGEST_EMAIL
from bouquet.store.sources import LONGEST_NAME

__all__ = [
    "Account",
    "AccountChange",
    "BelongingOut",
    "GroupChange",
    "GroupName",
    "GroupOut",
    "HandedOver",
    "Leaves",
    "LeftTemplates",
    "LeftType",
    "LimitsOut",
    "Names",
    "NewAccount",
    "NewGroup",
    "NewSecret",
    "ProgramOut",
    "ScopeOut",
    "StaysOut",
]

Role = Literal["runner", "designer", "auditor", "keeper"]
OwnRoles = Annotated[list[Role], Field(max_length=4)]
Id = Annotated[int, Field(ge=0, le=2**63 - 1)]
GroupIds = Annotated[list[Id], Field(max_length=200)]
PersonName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]


class ScopeOut(BaseModel):
    """
    What a person may see of one source: records that belong to one of these values of a field, such as a ward's code;
    these record types; and how they see each class of personal data, `*` standing for all others. What is not given
    limits nothing.
    """

    source: str = Field("", max_length=LONGEST_NAME)
    records: str | None = Field(None, min_length=1, max_length=200)
    field: str | None = Field(None, min_length=1, max_length=200)
    values: list[Annotated[str, Field(max_length=200)]] | None = Field(None, min_length=1, max_length=500)
    types: list[Annotated[str, Field(min_length=1, max_length=200)]] | None = Field(None, max_length=2_000)
    personal: dict[Literal["*", PersonalClass], Treatment] | None = Field(None, max_length=len(CLASSES) + 1)


class LimitsOut(BaseModel):
    """
    What bounds somebody's acts, beside what they see. What is not given limits nothing.
    """

    house_only: bool = Field(False, description="Whether they use only the house's standard templates and their own.")
    sends_to: list[Id] | None = Field(
        None, max_length=1_000, description="The recipients to whom their files may go; null for any way out."
    )


class GroupName(BaseModel):
    """
    Somebody, or a group, by name.
    """

    id: int
    name: str


class Names(BaseModel):
    """
    Everybody, and every group, that something can be shared with.
    """

    people: list[GroupName]
    groups: list[GroupName]


class Account(BaseModel):
    """
    A person of the house. `roles` and `scope` are what comes of their own and of their groups; `rounds` counts those
    that run for them.
    """

    id: int
    name: str
    email: str
    roles: list[str]
    scope: ScopeOut | None
    own_roles: list[str]
    own_scope: ScopeOut | None
    limits: LimitsOut | None
    own_limits: LimitsOut | None
    as_groups: bool = Field(description="Whether they see what their groups see, and nothing else.")
    groups: list[GroupName]
    words: str = Field(description="What they may do and see, as a sentence.")
    codes: bool = Field(description="Whether they sign in with a one-time code, too.")
    last_seen: datetime | None
    disabled_at: datetime | None
    password_given: bool = Field(description="Whether they still have the password that an administrator gave them.")
    rounds: int


class NewAccount(BaseModel):
    """
    A person to be added.
    """

    name: PersonName
    email: str = Field(min_length=3, max_length=LONGEST_EMAIL, pattern=r"^\s*[^@\s]+@[^@\s]+\s*$")
    roles: OwnRoles
    scope: ScopeOut | None = None
    limits: LimitsOut | None = None
    as_groups: bool = False
    groups: GroupIds = []
    invite: bool = Field(False, description="Whether they get a link by mail to set a password, and none is made.")


class AccountChange(BaseModel):
    """
    What is to be different about a person; what is not given stays. A `scope` of null lets them see everything,
    `limits` of null bound nothing.
    """

    name: PersonName | None = None
    roles: OwnRoles | None = None
    scope: ScopeOut | None = None
    limits: LimitsOut | None = None
    as_groups: bool | None = None
    groups: GroupIds | None = None
    disabled: bool | None = None
    codes: Literal[False] | None = Field(None, description="False lets them sign in without one-time codes again.")


class NewGroup(BaseModel):
    """
    A group to be made. `claim` is what the house's own sign-in calls it.
    """

    name: PersonName
    meaning: str = Field("", max_length=400)
    roles: OwnRoles = []
    scope: ScopeOut | None = None
    limits: LimitsOut | None = None
    claim: str = Field("", max_length=200)
    members: list[Id] = Field([], max_length=10_000)


class GroupChange(BaseModel):
    """
    What is to be different about a group; what is not given stays. A `scope` of null lets its members see everything,
    `limits` of null bound nothing.
    """

    name: PersonName | None = None
    meaning: str | None = Field(None, max_length=400)
    roles: OwnRoles | None = None
    scope: ScopeOut | None = None
    limits: LimitsOut | None = None
    claim: str | None = Field(None, max_length=200)
    members: list[Id] | None = Field(None, max_length=10_000)


class GroupOut(BaseModel):
    """
    A group of people.
    """

    id: int
    name: str
    meaning: str
    roles: list[str]
    scope: ScopeOut | None
    limits: LimitsOut | None
    claim: str
    members: list[int]
    words: str = Field(description="What its members may do and see, as a sentence.")


class ProgramOut(BaseModel):
    """
    A program that acts for somebody by a token; `hint` is what the token begins with.
    """

    id: int
    name: str
    hint: str
    acts: list[str] = Field(description="What it may do, of what the person may: `look`, `run`.")
    expires_at: datetime
    last_used_at: datetime | None
    acts_for: str


class LeftType(BaseModel):
    """
    How many records of a type somebody's rights leave, of how many, and how many of its fields they do not see as they
    are. None where it was not counted.
    """

    name: str
    label: str
    closed: bool
    rows: int | None
    of: int | None
    hidden: int
    masked: int


class LeftTemplates(BaseModel):
    """
    How a template fares with somebody: `works`, `lacks` columns, or is `closed`.
    """

    id: int
    name: str
    state: Literal["works", "lacks", "closed"]
    lacks: int


class Leaves(BaseModel):
    """
    What somebody's rights leave them.
    """

    types: list[LeftType]
    templates: list[LeftTemplates]


class BelongingOut(BaseModel):
    """
    Something that belongs to somebody.
    """

    kind: Literal["template", "bundle", "recipient", "round", "list", "view"]
    id: int
    name: str


class StaysOut(BelongingOut):
    """
    Something that could not be handed over, and why.
    """

    why: str


class HandedOver(BaseModel):
    """
    What was handed over, and what stays where it is.
    """

    handed: list[BelongingOut]
    stays: list[StaysOut]


class NewSecret(BaseModel):
    """
    A person with the password that was made for them. It is told this once.
    """

    person: Account
    password: str | None = Field(description="None where they were sent a link to set their own.")
