"""
Templates, their versions, and what they ask.
"""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from bouquet.core.template.described import AnswerDocument
from bouquet.core.vocabulary.formats import FormatName
from bouquet.store.sources import LONGEST_NAME
from bouquet.web.schemas.catalogue import ChoiceOut
from bouquet.web.schemas.curating import MissingOut, Replacement
from bouquet.web.schemas.described import TemplateDocument, WindowDocument
from bouquet.web.schemas.runs import RunOut
from bouquet.web.schemas.sharing import SharedWith

__all__ = [
    "ChangeOut",
    "NewTemplate",
    "PeriodOut",
    "PinChange",
    "QuestionOut",
    "Questions",
    "SaveRequest",
    "TemplateChange",
    "TemplateOut",
    "TemplateRow",
    "VersionDocument",
    "VersionOut",
]


class NewTemplate(BaseModel):
    """
    Start from a record type (with its everyday fields, or with nothing), or from a document; `free_name` takes the next
    free name where the document's is taken.
    """

    records: str | None = None
    everyday: bool = True
    document: TemplateDocument | None = None
    free_name: bool = False


class TemplateOut(BaseModel):
    """
    A template with its draft. `revision` goes back in `If-Match` with the next change.
    """

    id: int
    name: str
    document: TemplateDocument
    revision: int
    version: int
    changed: bool
    changed_at: datetime
    owner: str
    saved_at: datetime | None
    labels: list[str]
    standing: Literal["own", "shared", "house"]
    shared_with: list[SharedWith]
    owner_id: int
    source: str = Field(description="The key of the source that it reads.")
    used_by: list[str]


class Move(BaseModel):
    """
    Have a template read the source `to`, with other names in the place of those that are not there.
    """

    to: str = Field(max_length=LONGEST_NAME, description="The key of the source.")
    replacing: list[Replacement] = Field([], max_length=400)


class Moved(BaseModel):
    """
    What a template would not find in another source; candidates are the nearest, the best first.
    """

    source: str
    missing: list[MissingOut]


class TemplateChange(BaseModel):
    """
    Labels and standing of a template: `own`, `shared` with all, or the `house`'s standard; with whom an own one is
    shared; and to whom it is handed over.
    """

    shared_with: list[SharedWith] | None = Field(None, max_length=200)
    owner_id: int | None = Field(None, ge=1, le=2**63 - 1)

    labels: list[str] | None = Field(None, max_length=20)
    standing: Literal["own", "shared", "house"] | None = None


class PinChange(BaseModel):
    pinned: bool


class VersionDocument(BaseModel):
    number: int
    document: TemplateDocument


class ChangeOut(BaseModel):
    """
    One difference between two versions; before and after in words.
    """

    act: Literal["added", "gone", "moved", "changed"]
    what: str
    before: str
    after: str


class QuestionOut(BaseModel):
    """
    An ask as a runner meets it: with the choices it has, and the answer this person gave last, else the default.
    """

    name: str
    label: str
    kind: Literal["choices", "text", "number", "date", "yes_no", "window"]
    required: bool
    choices: list[ChoiceOut]
    answer: AnswerDocument


class PeriodOut(BaseModel):
    """
    A window of the template that can be another for this once.
    """

    place: str
    words: str
    dates: str = Field("", description="The days that it comes to now.")
    window: WindowDocument


class Questions(BaseModel):
    """
    What a runner needs to run a template. `personal` are the headings of columns with personal data.
    """

    id: int
    name: str
    about: str
    version: int
    source: str = Field(description="The key of the source that it reads.")
    document: TemplateDocument
    asks: list[QuestionOut]
    periods: list[PeriodOut]
    format: FormatName
    languages: list[str] = Field([], description="Languages that there are headings of, besides the columns' own.")
    personal: list[str]
    not_included: dict[str, list[str]] = Field(
        {}, description="Labels of `fields`, `files` and `records` that no column shows."
    )


class TemplateRow(BaseModel):
    """
    A template in the library.
    """

    id: int
    name: str
    sentence: str
    source: str = Field(description="The key of the source that it reads.")
    source_title: str = Field(description="The source's title where the house has several, else empty.")
    records: str
    records_label: str
    version: int
    owner: str
    mine: bool
    format: str
    changed_at: datetime
    last_run: RunOut | None
    rows: list[int]
    next_at: datetime | None
    next_words: str
    next_to: str
    labels: list[str]
    standing: Literal["own", "shared", "house"]
    pinned: bool
    asks: int
    fields: str
    broken: str
    personal: bool


class VersionOut(BaseModel):
    number: int
    note: str
    saved_by: str
    saved_at: datetime


class SaveRequest(BaseModel):
    note: str = Field("", max_length=500)
