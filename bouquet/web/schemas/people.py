"""
People, their session and what they like.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from bouquet.store.people import LONGEST_EMAIL, SHORTEST_PASSWORD

__all__ = [
    "NewPassword",
    "PersonOut",
    "Preferences",
    "Session",
    "SignInRequest",
]


class PersonOut(BaseModel):
    """
    A person, and what they may do: `look`, `run`, `design`, `keep`.
    """

    id: int
    name: str
    email: str
    roles: list[str]
    may: list[str]
    sends_anywhere: bool = Field(True, description="Whether their files may go to any recipient, also to new ones.")
    through: bool = Field(False, description="Whether an administrator looks through their eyes.")
    password_given: bool = Field(False, description="Whether their password is one that an administrator gave them.")


class NewPassword(BaseModel):
    current: str = Field(max_length=1_000)
    new: str = Field(
        min_length=SHORTEST_PASSWORD, max_length=1_000, description=f"At least {SHORTEST_PASSWORD} characters"
    )


class AboutMe(BaseModel):
    """
    What I am called, and the address at which I sign in and get mail.
    """

    name: str = Field(min_length=1, max_length=120)
    email: str = Field(max_length=LONGEST_EMAIL, pattern=r"^[^@\s]+@[^@\s]+$")
    password: str = Field(max_length=1_000, description="The one I sign in with")


class SignedIn(BaseModel):
    """
    A browser in which somebody is signed in; `here` is the one that asks.
    """

    number: int
    created_at: datetime | None
    seen_at: datetime | None
    address: str
    agent: str
    here: bool


class SignInRequest(BaseModel):
    email: str = Field(max_length=LONGEST_EMAIL)
    password: str = Field(max_length=1_000)
    code: str = Field("", max_length=40, description="A one-time code, where one is asked for.")


class Preferences(BaseModel):
    """
    How a person likes the interface. A language or locale of "" is the browser's. `hints_seen` are the hints put away.
    """

    theme: Literal["light", "dark", "system"] = "light"
    language: Literal["", "en", "de", "fr"] = Field("", description="What the interface speaks; “” is the browser's.")
    locale: str = Field("", max_length=20, pattern=r"^([A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*)?$")
    hints: bool = True
    hints_seen: list[str] = Field([], max_length=100)
    quiet_runs: list[int] = Field([], max_length=200, description="Templates that run at one press.")
    library_sort: Literal["last", "mine", "name", "changed", "next"] = "last"
    called: list[Annotated[str, Field(min_length=1, max_length=120)]] = Field(
        [], max_length=10, description="What a person is called in records, beside their name and e-mail address."
    )
    views: dict[Annotated[str, Field(max_length=300)], Annotated[int, Field(ge=0, lt=2**63)]] = Field(
        {}, max_length=500, description="The view that records open with, by source/record type."
    )


class SourceName(BaseModel):
    """
    A source that a person may see; requests name it by its `key`.
    """

    key: str
    title: str
    environment: str


class Session(BaseModel):
    """
    Who is signed in, and where: the first source, whether it is practice or live, and all that they may see.
    """

    person: PersonOut
    source: str
    environment: str
    sources: list[SourceName]
    preferences: Preferences
    mail: bool = Field(False, description="Whether the house can send mail.")
    whom_to_ask: list[str] = Field([], description="Names of some administrators.")
