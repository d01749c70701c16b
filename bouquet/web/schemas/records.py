"""
Records as people browse them: views, saved lists, uses, and what was removed.
"""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from bouquet.web.schemas.described import TemplateDocument
from bouquet.web.schemas.sharing import SharedWith

__all__ = [
    "NewPicks",
    "NewView",
    "PicksOut",
    "RecordUse",
    "RecordUses",
    "RemovedOut",
    "ViewOut",
    "WhereaboutOut",
]


class RecordUse(BaseModel):
    """
    A template of a record's type: whether the record is in its rows, and the step that stopped it otherwise.
    """

    template_id: int
    name: str
    is_in: bool | None
    stopped_by: str


class RecordUses(BaseModel):
    """
    Where a record is used: the saved lists that hold it, and the templates of its type.
    """

    picks: list[str]
    templates: list[RecordUse]


class WhereaboutOut(BaseModel):
    """
    A run whose files left with a record: when, what they are called, who asked, and where they went.
    """

    run_id: int
    name: str
    asked_by: str
    at: datetime
    files: list[str]
    went_to: list[str]
    purpose: str


class RemovedOut(BaseModel):
    """
    Something removed that can be brought back at `/templates/{id}/restore`, `/rounds/{id}/restore`,
    `/picks/removed/{id}/restore` or `/records/views/{id}/restore`. A round is called as its template.
    """

    kind: Literal["template", "bundle", "round", "picks", "view"]
    id: int
    name: str
    owner: str
    removed_at: datetime


class PicksOut(BaseModel):
    name: str
    records: str
    size: int
    changed_at: datetime
    owner: str
    changes: bool = Field(description="Whether whoever asks may replace or remove it.")
    mine: bool = Field(description="Whether whoever asks says who else may.")
    shared_with: list[SharedWith] = Field(description="Who changes it beside its owner; told to its owner.")


class NewPicks(BaseModel):
    """
    A hand-picked list: the records' keys, each a list of texts, or those of all rows of a document.
    """

    records: str = Field(max_length=100)
    keys: list[list[str]] = Field([], max_length=50_000)
    document: TemplateDocument | None = None


class PicksShare(BaseModel):
    """
    Who else may replace and remove a list.
    """

    shared_with: list[SharedWith] = Field(max_length=200)


class NewView(BaseModel):
    """
    A way of looking at the records of a type, to be saved: a template document's columns, filter and order.
    """

    name: str = Field(min_length=1, max_length=120)
    document: TemplateDocument
    shared: bool = Field(False, description="Whether everybody may use it.")
    shared_with: list[SharedWith] = Field([], max_length=200, description="Who else may, where not everybody.")


class ViewOut(BaseModel):
    id: int
    name: str
    records: str
    document: TemplateDocument
    shared: bool
    shared_with: list[SharedWith] = Field(description="With whom it is shared; told to its owner alone.")
    owner: str
    mine: bool
