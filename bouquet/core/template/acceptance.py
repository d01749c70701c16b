"""
What a recipient can take, format `bouquet-recipient/1`: the form of their files, the columns they ask for, what they
may receive. See semantics, "Recipients and layouts".
"""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal, TypeAlias

import polars as pl
from pydantic import Field, StringConstraints, ValidationError, field_validator, model_validator

from bouquet.core.catalogue import PersonalClass
from bouquet.core.errors import DocumentError, Problem
from bouquet.core.language import tr
from bouquet.core.template.output import Csv
from bouquet.core.template.part import Number, Part
from bouquet.core.template.refusals import oversize, problem_of, unreadable
from bouquet.core.template.values import HEADING_LENGTH
from bouquet.core.vocabulary.formats import FormatName

__all__ = [
    "MOST_LAYOUT_COLUMNS",
    "RECIPIENT_FORMAT",
    "Acceptance",
    "GivenAs",
    "LayoutColumn",
    "read_acceptance",
    "whole_pattern",
]

RECIPIENT_FORMAT: Literal["bouquet-recipient/1"] = "bouquet-recipient/1"

MOST_LAYOUT_COLUMNS = 400


def whole_pattern(pattern: str) -> str:
    """
    The regular expression for a text that is a pattern as a whole.
    """
    return f"^(?:{pattern})$"


#: How personal data of a class is given to somebody.
GivenAs: TypeAlias = Literal["seen", "masked", "pseudonym", "hidden"]

FactName = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


class LayoutColumn(Part):
    """
    A column that a recipient asks for.

    `kind` is of its values as they are written; `any` takes every one. `required`: no cell of it is blank; `full`: at
    least so many of a hundred are filled. `least` and `greatest` bound numbers.
    """

    heading: str = Field(min_length=1, max_length=HEADING_LENGTH)
    kind: Literal["any", "text", "whole number", "number", "date", "moment", "yes or no"] = "any"
    required: bool = False
    unique: bool = False
    one_of: tuple[str, ...] = Field((), max_length=500)
    pattern: str = Field("", max_length=200)
    longest: int | None = Field(None, ge=1, le=1_000_000)
    least: Number | None = None
    greatest: Number | None = None
    full: int | None = Field(None, ge=1, le=100)
    example: str = Field("", max_length=200)

    @field_validator("pattern")
    @classmethod
    def _sound_pattern(cls, value: str) -> str:
        # Of the kind whose matching takes time in proportion to the text, whatever the pattern.
        try:
            pl.Series([""]).str.contains(whole_pattern(value))
        except pl.exceptions.ComputeError as error:
            msg = tr(
                "“{value}” is no pattern: {error}",
                value=value,
                error=str(error).splitlines()[-1].strip(),
            )
            raise ValueError(msg) from error
        return value


class Acceptance(Part):
    """
    What a recipient can take. What is not given is as the template makes it.

    `columns` is their layout; with `exact`, a file has these columns in this order and no others.
    `name` is the pattern of their files' names. `facts` say things about them that names and parts may use.
    `personal`: whether they may receive personal data; `classes` say otherwise for some of it: as it is (`seen`),
    `masked`, as a `pseudonym` that stays the same for them, or not at all (`hidden`, the column is left out).
    """

    document: Literal["bouquet-recipient/1"] = RECIPIENT_FORMAT
    format: FormatName | None = None
    csv: Csv | None = None
    name: str = Field("", max_length=200)
    columns: tuple[LayoutColumn, ...] = Field((), max_length=MOST_LAYOUT_COLUMNS)
    exact: bool = True
    most_rows: int | None = Field(None, ge=1, le=10**12)
    facts: dict[FactName, Annotated[str, StringConstraints(min_length=1, max_length=200)]] = Field({}, max_length=40)
    personal: bool = False
    classes: dict[PersonalClass, GivenAs] = Field({}, max_length=20)

    @model_validator(mode="after")
    def _headings_differ(self) -> Acceptance:
        seen: set[str] = set()
        for column in self.columns:
            if column.heading in seen:
                msg = tr("Two columns of the layout are called “{column}”.", column=column.heading)
                raise ValueError(msg)
            seen.add(column.heading)
        return self

    @property
    def has_form(self) -> bool:
        """
        Whether their files may differ from the template's own.
        """
        treated = any(given != "seen" for given in self.classes.values())
        return bool(self.format or self.csv or self.name or self.columns) or treated

    @property
    def allowed(self) -> dict[str, Any]:
        """
        What they may receive of personal data, as a slip has it.
        """
        return {"personal": self.personal, "classes": dict(self.classes)}

    def as_document(self) -> dict[str, Any]:
        """
        The document as JSON values, without what stands at its default.
        """
        body = self.model_dump(mode="json", exclude_defaults=True)
        return {"document": RECIPIENT_FORMAT, **body}


def read_acceptance(document: object) -> Acceptance:
    """
    Read what a recipient can take. Raises DocumentError with every problem, each at its place.
    """
    if not isinstance(document, dict):
        raise DocumentError([Problem(code="not_a_document", message=tr("A recipient is a JSON object."))])
    named = str(document.get("document", RECIPIENT_FORMAT))
    if re.fullmatch(r"bouquet-recipient/\d{1,6}", named) is None or named != RECIPIENT_FORMAT:
        message = tr(
            "“{named}” is not a format of recipient that is known here; expected “{recipient_format}”.",
            named=named[:60],
            recipient_format=RECIPIENT_FORMAT,
        )
        raise DocumentError([Problem(code="unknown_format", message=message, place="document")])
    problem = unreadable(document) or oversize(document)
    if problem is not None:
        raise DocumentError([problem])
    try:
        return Acceptance.model_validate(document)
    except ValidationError as error:
        raise DocumentError([problem_of(e) for e in error.errors()]) from error
