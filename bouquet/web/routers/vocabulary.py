"""
What templates can choose from, declared once in the core: lists that the front end, scripts and people share.
"""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from bouquet.core.formats import FORMATS, FormatName
from bouquet.core.personal import CLASSES, PersonalClass
from bouquet.web.access import needs

router = APIRouter(prefix="/vocabulary", tags=["design"], dependencies=[Depends(needs("look"))])


class FormatOut(BaseModel):
    """
    A format of files, and what it can hold.
    """

    name: FormatName
    label: str
    meaning: str
    media_type: str
    audience: Literal["programs", "readers", "either"]
    lines: bool = Field(description="Whether headings of groups and totals may stand between its rows.")
    sheets: bool
    sized: bool = Field(description="Whether a file can be split by its size.")


class PersonalClassOut(BaseModel):
    """
    A class of personal data: what it covers, and what a masked value of it shows.
    """

    name: PersonalClass
    title: str
    meaning: str
    masked: str


class Vocabulary(BaseModel):
    """
    The lists there are.
    """

    formats: list[FormatOut]
    personal: list[PersonalClassOut]


@router.get("", response_model=Vocabulary)
def get_vocabulary() -> Any:
    """
    All lists, each in the order in which it is offered.
    """
    return Vocabulary(
        formats=[FormatOut.model_validate(f, from_attributes=True) for f in FORMATS.values()],
        personal=[
            PersonalClassOut(name=name, title=c.title, meaning=c.meaning, masked=c.masked)
            for name, c in CLASSES.items()
        ],
    )
