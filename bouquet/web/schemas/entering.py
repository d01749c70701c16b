"""
Ways in besides a password: the house's own sign-in, links by mail, one-time codes.
"""

from __future__ import annotations

from pydantic import BaseModel, Field

from bouquet.store.people import LONGEST_EMAIL

__all__ = [
    "CodesOut",
    "Forgotten",
    "NewCodes",
    "Proof",
    "SetByLink",
    "SpareCodes",
    "StartOfCodes",
    "WaysIn",
]


class WaysIn(BaseModel):
    """
    How people sign in here: by password, by the house's own sign-in of this name, and whether a link to set a new
    password can be sent.
    """

    password: bool
    house: str | None
    by_mail: bool


class Forgotten(BaseModel):
    """
    Whose password was forgotten.
    """

    email: str = Field(max_length=LONGEST_EMAIL)


class SetByLink(BaseModel):
    """
    A password, set by a link that was sent.
    """

    link: str = Field(max_length=200)
    password: str = Field(max_length=1_000)


class Proof(BaseModel):
    """
    The password of who is signed in, asked once more.
    """

    password: str = Field(max_length=1_000)


class NewCodes(Proof):
    """
    The secret that a device was given, and a code that proves that it has it.
    """

    secret: str = Field(min_length=16, max_length=64, pattern=r"^[A-Z2-7]+$")
    code: str = Field(max_length=20)


class CodesOut(BaseModel):
    """
    Whether one-time codes are asked of me, how many spare ones are left, and whether the house can keep the secret.
    """

    on: bool
    spare: int
    possible: bool


class StartOfCodes(BaseModel):
    """
    A secret for a device: as text, as the address that devices read, and as a picture of that (a data URI).
    """

    secret: str
    address: str
    picture: str


class SpareCodes(BaseModel):
    """
    Codes for who lost the device, each good for one sign-in. They are told this once.
    """

    spare: list[str]
