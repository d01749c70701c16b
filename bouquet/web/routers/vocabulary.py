"""
What templates can choose from, declared once in the core: lists that the front end, scripts and people share.
"""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from bouquet.core.formats import FORMATS, FormatName
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


class Vocabulary(BaseModel):
    """
    The lists there are.
    """

    formats: list[FormatOut]


@router.get("", response_model=Vocabulary)
def get_vocabulary() -> Any:
    """
    All lists, each in the order in which it is offered.
    """
    return {"formats": [FormatOut.model_validate(f, from_attributes=True) for f in FORMATS.values()]}
