"""
The curated catalogue as the API speaks of it.
"""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

from bouquet.core.catalogue import Kind
from bouquet.core.template.described import NarrowingOrNone
from bouquet.sources.curating import Edit
from bouquet.web.schemas.catalogue import ChoiceOut, GuessOut

__all__ = [
    "BrokenOut",
    "CatalogueChangeOut",
    "CatalogueEdits",
    "CatalogueOut",
    "CatalogueTable",
    "CatalogueText",
    "CatalogueVersion",
    "Consequences",
    "CuratedField",
    "CuratedRelation",
    "CuratedType",
    "Drift",
    "MissingOut",
    "Note",
    "ReplacedOut",
    "Replacement",
    "SchemaOut",
]


class CatalogueTable(BaseModel):
    """
    A record type at a glance. `guessed` counts its fields about which something is only guessed.
    """

    table: str
    name: str
    label: str
    plural: str
    rows: int | None
    fields: int
    guessed: int
    personal: int
    hidden: bool


class SchemaOut(BaseModel):
    """
    A schema of the source, how many tables and views it has, and whether they are read.
    """

    name: str
    tables: int
    chosen: bool


class CatalogueOut(BaseModel):
    """
    The catalogue of a source as it is being edited, or as it is in use where nothing is. `revision` counts the edits of
    the draft, 0 where there is none; `version` is the one in use, 0 where nobody curated it here.
    """

    source: str
    title: str
    version: int
    revision: int
    changes: int
    schemas: list[SchemaOut] = []
    tables: list[CatalogueTable]


class CuratedField(BaseModel):
    """
    A field with everything that is known or guessed of it. `kinds` are those that it may be said to be of.
    """

    name: str
    label: str
    column: str
    kind: Kind
    kinds: list[Kind]
    unit: str
    meaning: str
    everyday: bool
    personal: bool
    personal_class: str = Field(description="The class of personal data; empty where it is none.")
    part_of: str = Field(description="What it is a part of with other fields, such as Address; empty for nothing.")
    retired: str | None
    substitute: str | None
    synonyms: list[str]
    choices: list[ChoiceOut]
    example: str | None
    fill: float | None
    guesses: list[GuessOut]
    used_by: list[str] = Field(description="The templates that use it.")
    formula: str = Field("", description="The formula that makes it, where it is no field of the source.")


class CuratedRelation(BaseModel):
    """
    A way to other records. `made` tells that it was made by hand, and can be taken away again.
    """

    name: str
    label: str
    target: str
    many: bool
    columns: dict[str, str]
    made: bool
    guess: str


class CuratedType(BaseModel):
    """
    A record type with its fields and relations.
    """

    table: str
    name: str
    label: str
    plural: str
    meaning: str
    title: str | None
    link: str | None
    touched_by: str | None
    belongs_to: str | None
    unit_by: str | None
    by_row: bool
    guesses: list[GuessOut]
    fields: list[CuratedField]
    relations: list[CuratedRelation]
    made_of: str = Field("", description="The record type that it was made from, by its name.")
    where: NarrowingOrNone = Field({}, description="The narrowing that makes it, as in a template document.")


class CatalogueEdits(BaseModel):
    """
    Edits, made one after the other on the draft of this `revision`.
    """

    revision: int = Field(ge=0, le=2**63 - 1)
    edits: list[Edit] = Field(min_length=1, max_length=500)


class CatalogueText(BaseModel):
    """
    The whole catalogue as TOML, in place of the draft of this `revision`.
    """

    revision: int = Field(ge=0, le=2**63 - 1)
    text: str = Field(max_length=5_000_000)


class Note(BaseModel):
    """
    What a version is about.
    """

    note: str = Field("", max_length=500)


class CatalogueChangeOut(BaseModel):
    """
    One thing that the draft changes, and the templates that use it.
    """

    records: str
    field: str
    what: str
    before: str
    after: str
    used_by: list[str]


class MissingOut(BaseModel):
    """
    A name that is not there any more, with the nearest that are.
    """

    records: str
    name: str
    candidates: list[str]


class BrokenOut(BaseModel):
    """
    A template that does not get what it asks for. `paused` counts its rounds that wait for it.
    """

    template_id: int
    template: str
    problems: list[str]
    missing: list[MissingOut]
    rounds: int
    paused: int


class Consequences(BaseModel):
    """
    What putting the draft into use would change, and which templates it would break. Headings stay as they are.
    """

    changes: list[CatalogueChangeOut]
    breaks: list[BrokenOut]


class CatalogueVersion(BaseModel):
    """
    A catalogue that was put into use.
    """

    number: int
    note: str
    saved_by: str
    saved_at: datetime


class Drift(BaseModel):
    """
    What the source no longer gives: the templates that are broken.
    """

    broken: list[BrokenOut]


class Replacement(BaseModel):
    """
    Take `new` for what is not there any more: for the field or relation `name` of `records`, or for the record type
    itself where there is no name.
    """

    records: str = Field(min_length=1, max_length=200)
    name: str = Field("", max_length=200)
    new: str = Field(min_length=1, max_length=200)


class ReplacedOut(BaseModel):
    """
    A template in which something was replaced: whether it is whole again, and how many rounds go on.
    """

    template_id: int
    template: str
    whole: bool
    resumed: int
