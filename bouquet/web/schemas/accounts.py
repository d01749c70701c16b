"""
The people of the house as an administrator sees them.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from bouquet.store.people import LONGEST_EMAIL
from bouquet.store.sources import LONGEST_NAME

__all__ = ["Account", "AccountChange", "NewAccount", "NewSecret", "ScopeOut"]

Role = Literal["runner", "designer", "auditor", "keeper"]
Roles = Annotated[list[Role], Field(min_length=1, max_length=4)]
PersonName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]


class ScopeOut(BaseModel):
    """
    What a person may see: records that belong to one of these values of a field, such as a ward's code, in one source.
    """

    source: str = Field("", max_length=LONGEST_NAME)
    records: str = Field(min_length=1, max_length=200)
    field: str = Field(min_length=1, max_length=200)
    values: list[Annotated[str, Field(max_length=200)]] = Field(min_length=1, max_length=500)


class Account(BaseModel):
    """
    A person of the house. `rounds` counts those that run for them.
    """

    id: int
    name: str
    email: str
    roles: list[str]
    scope: ScopeOut | None
    disabled_at: datetime | None
    password_given: bool = Field(description="Whether they still have the password that an administrator gave them.")
    rounds: int


class NewAccount(BaseModel):
    """
    A person to be added.
    """

    name: PersonName
    email: str = Field(min_length=3, max_length=LONGEST_EMAIL, pattern=r"^\s*[^@\s]+@[^@\s]+\s*$")
    roles: Roles
    scope: ScopeOut | None = None


class AccountChange(BaseModel):
    """
    What is to be different about a person; what is not given stays. A `scope` of null lets them see everything.
    """

    name: PersonName | None = None
    roles: Roles | None = None
    scope: ScopeOut | None = None
    disabled: bool | None = None


class NewSecret(BaseModel):
    """
    A person with the password that was made for them. It is told this once.
    """

    person: Account
    password: str
