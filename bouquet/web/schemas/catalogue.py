"""
Record types, fields and what they hold.
"""

from __future__ import annotations

from pydantic import BaseModel, Field

from bouquet.core.vocabulary.comparisons import Operator
from bouquet.web.schemas.described import NarrowingDocument, TemplateDocument

__all__ = [
    "Bar",
    "ChoiceOut",
    "FieldFacts",
    "FieldGroup",
    "FieldOut",
    "FunctionOut",
    "GuessOut",
    "ManyOut",
    "Proposal",
    "RecordTypeFields",
    "RecordTypeOut",
    "TopValue",
]


class GuessOut(BaseModel):
    """
    What was guessed of a record type or a field, and why. Nobody has said it.
    """

    what: str
    why: str


class RecordTypeOut(BaseModel):
    """
    A record type. `rows` is the database's estimate; `key`, `title` and `belongs_to`, which says whose a record is, are
    paths of its fields. `by_row` says that
    nothing tells its records apart but all their fields together.
    """

    name: str
    label: str
    plural: str
    meaning: str
    rows: int | None
    key: list[str]
    title: str | None
    link: str | None
    belongs_to: str | None = None
    by_row: bool = False
    guesses: list[GuessOut] = []


class ChoiceOut(BaseModel):
    code: str
    label: str


class FieldOut(BaseModel):
    """
    A field as the shelf shows it. `fill` is the share of rows that are not blank; `exact` whether all were seen.
    """

    path: str
    label: str
    column: str
    kind: str
    meaning: str
    unit: str
    everyday: bool
    personal: bool
    part_of: str = Field(description="What it is a part of with other fields of its record, such as Address.")
    uses: int = Field(description="Templates with it in a column, of the 200 changed last that I may look at.")
    retired: str | None
    substitute: str | None
    synonyms: list[str]
    choices: list[ChoiceOut]
    operators: list[Operator]
    example: str | None
    fill: float | None
    exact: bool
    whole: bool = Field(False, description="Whether its values are whole numbers, also where they are codes.")
    guesses: list[GuessOut] = []


class FieldGroup(BaseModel):
    """
    The fields of one record that a row leads to. `path` is empty for the row's own record. `unit_by` names the field
    that tells a unit, where the record is one.
    """

    path: str
    label: str
    note: str
    records: str
    unit_by: str | None = None
    fields: list[FieldOut]


class ManyOut(BaseModel):
    """
    A way to many records: its path, the record type at its end, what one and several of these are called, and the
    names of its fields that hold files.
    """

    path: str
    label: str
    records: str
    one: str
    plural: str
    files: list[str]


class RecordTypeFields(BaseModel):
    """
    Everything that can stand in a template of one record type.
    """

    record_type: RecordTypeOut
    groups: list[FieldGroup]
    many: list[ManyOut]
    proposed: list[NarrowingDocument]


class Proposal(BaseModel):
    """
    A template document to start from.
    """

    document: TemplateDocument


class TopValue(BaseModel):
    value: str
    count: int


class Bar(BaseModel):
    """
    One bar of a histogram: from `least` up to `greatest`.
    """

    least: str
    greatest: str
    count: int


class FieldFacts(BaseModel):
    """
    A field's values at a glance. `seen` is the number of rows looked at; `exact` whether these were all. Values of
    personal fields are not shown.
    """

    field: str
    label: str
    rows: int
    seen: int
    exact: bool
    fill: float
    distinct: int
    distinct_exact: bool
    least: str | None
    greatest: str | None
    top: list[TopValue]
    histogram: list[Bar]
    personal: bool


class FunctionOut(BaseModel):
    """
    A function or operator of formulas.
    """

    name: str
    group: str
    calls: list[str]
    meaning: str
    example: list[str]
