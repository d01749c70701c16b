"""
Help while designing: examples, values, and header rows matched with fields.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from bouquet.core.asked import LONGEST_REQUEST, Role
from bouquet.web.schemas.described import ShowDocument, TemplateDocument
from bouquet.web.schemas.design import UnderDesign
from bouquet.web.schemas.problems import ProblemOut

__all__ = [
    "AskedOut",
    "AskedPartOut",
    "AskedRequest",
    "CandidateOut",
    "ExampleOut",
    "ExampleRequest",
    "Extent",
    "FirstLines",
    "MatchRequest",
    "MatchedOut",
    "Matches",
    "PerValueRequest",
    "ValueCount",
]


class PerValueRequest(UnderDesign):
    """
    The path by whose values the document's rows are counted.
    """

    path: str = Field(min_length=1, max_length=300)


class ValueCount(BaseModel):
    """
    How many rows have a value; null for blank.
    """

    value: str | None
    rows: int


class ExampleRequest(UnderDesign):
    """
    How one cell of a column, in a row counted from 0, should look.
    """

    column: str = Field(max_length=40)
    row: int = Field(0, ge=0, le=100_000)
    text: str = Field(max_length=300)


class ExampleOut(BaseModel):
    """
    Formats under which the cell reads like that, the simplest first, each with how some other cells then read.
    """

    shows: list[ShowDocument]
    others: list[list[str | None]]


class FirstLines(BaseModel):
    """
    The beginning of the file as it will be.
    """

    text: str


class MatchRequest(BaseModel):
    """
    A pasted header row, with a few sample rows below it or without, to be held against the fields of a record type.
    """

    records: str = Field(max_length=100)
    text: str = Field(max_length=200_000)


class Extent(BaseModel):
    """
    A part of a text, in characters; the end is not included.
    """

    start: int = Field(ge=0, le=LONGEST_REQUEST)
    end: int = Field(ge=0, le=LONGEST_REQUEST)


class AskedRequest(BaseModel):
    """
    What somebody asked for, in their words. `records` is the record type, where it was chosen; `ignored` are parts of
    the text that are not meant as they were read; with a `document` it is what is asked
    besides.
    """

    text: str = Field(min_length=1, max_length=LONGEST_REQUEST)
    records: str = Field("", max_length=100)
    ignored: list[Extent] = Field([], max_length=100)
    document: TemplateDocument | None = None


class AskedPartOut(BaseModel):
    """
    A part of a request: where it stands (characters, the end not included; both 0 where nobody said it), what it was
    taken for, and why it may be meant otherwise, empty where that is sure.
    """

    start: int
    end: int
    role: Role
    place: str
    words: str
    doubt: str


class AskedOut(BaseModel):
    """
    A proposed template document, null where nothing was understood; and the words that were not.
    """

    document: TemplateDocument | None
    sentence: str
    parts: list[AskedPartOut]
    unread: list[Extent]
    problems: list[ProblemOut]


class CandidateOut(BaseModel):
    """
    A field that may fill a heading; `score` from 0 to 1; `value` is the first value it would write.
    """

    path: str
    trail: str
    score: float
    reasons: list[str]
    show: ShowDocument
    value: str | None
    retired: str | None


class MatchedOut(BaseModel):
    heading: str
    samples: list[str]
    confidence: Literal["sure", "check", "open"]
    candidates: list[CandidateOut]


class Matches(BaseModel):
    """
    A header row as it was read, and what may fill each of its headings.
    """

    separator: str | None
    samples: int
    headings: list[MatchedOut]
