"""
What templates can choose from, declared once in the core: lists that the front end, scripts and people share.
"""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Literal

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from bouquet.core.catalogue import Kind
from bouquet.core.personal import CLASSES, PersonalClass
from bouquet.core.vocabulary.checks import COLUMN_CHECKS, FILE_CHECKS, SEVERITIES, FileMust, Must, Severity
from bouquet.core.vocabulary.comparisons import COMPARISONS, Operator
from bouquet.core.vocabulary.folds import FOLDS, How
from bouquet.core.vocabulary.formats import FORMATS, FormatName
from bouquet.core.vocabulary.windows import OFFERED, WINDOWS, Unit, WindowKind
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
    pictures: bool = Field(description="Whether pictures are drawn in it.")


class ComparingOut(BaseModel):
    """
    A comparison, in words, and what it compares with.
    """

    name: Operator
    words: str
    hint: str
    takes: Literal["nothing", "value", "list", "range", "window"]
    kinds: list[Kind] = Field(description="The kinds of value that it compares.")


class FoldOut(BaseModel):
    """
    A way in which many records become one cell.
    """

    name: How
    words: str
    kinds: list[Kind] = Field(description="The kinds of value that it folds.")
    field: bool = Field(description="Whether it folds a field; else the records themselves.")
    order: Literal["no", "may", "must"] = Field(description="Whether an order makes a difference, or is needed.")


class CheckOut(BaseModel):
    """
    What a check can ask of every cell of a column.
    """

    name: Must
    words: str
    takes: list[str] = Field(description="The parts of its document that it goes by.")
    kinds: list[Kind] = Field(description="The kinds of value that it is for.")


class FileCheckOut(BaseModel):
    """
    What a check can ask of a file.
    """

    name: FileMust
    words: str
    takes: list[str] = Field(description="The parts of its document that it goes by.")
    kinds: list[Kind] = Field(description="The kinds of value of the column that it names, if it names one.")


class SeverityOut(BaseModel):
    """
    What becomes of a run in which a check objects.
    """

    name: Severity
    words: str


class WindowKindOut(BaseModel):
    """
    A kind of window, and what it is put together from.
    """

    name: WindowKind
    words: str
    units: list[Unit] = Field(description="The units it knows; empty where it has none.")
    counted: bool = Field(description="Whether it has a number.")
    after: str = Field(description="Words behind number and unit.")


class OfferedWindow(BaseModel):
    """
    A window that is offered by one press.
    """

    type: WindowKind
    count: int
    unit: Unit


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
    comparisons: list[ComparingOut]
    folds: list[FoldOut]
    column_checks: list[CheckOut]
    file_checks: list[FileCheckOut]
    severities: list[SeverityOut]
    windows: list[WindowKindOut]
    offered_windows: list[OfferedWindow]
    personal: list[PersonalClassOut]


@router.get("", response_model=Vocabulary)
def get_vocabulary() -> Any:
    """
    All lists, each in the order in which it is offered.
    """
    return {
        "formats": [asdict(f) for f in FORMATS.values()],
        "comparisons": [asdict(c) | {"kinds": _in_order(c.kinds)} for c in COMPARISONS.values()],
        "folds": [asdict(f) | {"kinds": [k for k in Kind if f.folds(k)]} for f in FOLDS.values()],
        "column_checks": [asdict(c) | {"kinds": _in_order(c.kinds)} for c in COLUMN_CHECKS.values()],
        "file_checks": [asdict(c) | {"kinds": _in_order(c.kinds)} for c in FILE_CHECKS.values()],
        "severities": [{"name": name, "words": words} for name, words in SEVERITIES.items()],
        "windows": [asdict(w) for w in WINDOWS.values() if w.offered],
        "offered_windows": [{"type": kind, "count": count, "unit": unit} for kind, count, unit in OFFERED],
        "personal": [{"name": name, **asdict(c)} for name, c in CLASSES.items()],
    }


def _in_order(kinds: frozenset[Kind] | None) -> list[Kind]:
    return [k for k in Kind if kinds is None or k in kinds]
