"""
Help while designing: examples, values, and header rows matched with fields.
"""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from bouquet.web.schemas.design import UnderDesign

__all__ = [
    "CandidateOut",
    "ExampleOut",
    "ExampleRequest",
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

    shows: list[dict[str, Any]]
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


class CandidateOut(BaseModel):
    """
    A field that may fill a heading; `score` from 0 to 1; `value` is the first value it would write.
    """

    path: str
    trail: str
    score: float
    reasons: list[str]
    show: dict[str, Any]
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
