"""
Runs as they go over the wire.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import BaseModel, Field

from bouquet.core.slip_document import ErrorDocument, FindingDocument, SlipDocument
from bouquet.core.template import BundleContents
from bouquet.core.template.described import AnswersDocument, AnswersGiven, DescribedAs
from bouquet.core.vocabulary.formats import FormatName
from bouquet.web.schemas.described import NarrowingDocument, TemplateDocument, WindowDocument

Status: TypeAlias = Literal["asked", "running", "held", "releasing", "ready", "failed", "cancelled", "discarded"]


class RunFileOut(BaseModel):
    id: int
    name: str
    media_type: str
    size: int
    rows: int
    sha256: str
    role: str
    removed_at: datetime | None


class SentOut(BaseModel):
    """
    What became of the newest delivery to each of a run's recipients: so many of them.
    """

    arrived: int
    under_way: int
    failed: int
    given_up: int


class RunOut(BaseModel):
    """
    A run as the ledger has it. `held` waits for a person, `releasing` is on its way out after one let it go.
    `verdict` is the gravest severity among the checks that objected. `slip` and `findings` come with a single run only,
    `sent` in lists, for runs that were sent to somebody.
    """

    id: int
    template_id: int | None
    version: int | None
    name: str
    format: str
    asked_by: str
    via: str
    as_of: datetime
    status: Status
    stage: str
    rows_announced: int | None
    rows_written: int
    error: Annotated[dict[str, Any], DescribedAs(ErrorDocument)] | None
    asked_at: datetime
    started_at: datetime | None
    finished_at: datetime | None
    delivered_to: list[str]
    files: list[RunFileOut]
    mine: bool
    purpose: str
    answers: AnswersDocument
    records: str
    source: str
    bundle: bool
    personal: int
    verdict: Literal["note", "hold", "stop"] | None
    objections: int
    reviewed_by: str | None
    reviewed_at: datetime | None
    review_reason: str
    keep_until: datetime | None
    may_review: bool
    slip: Annotated[dict[str, Any], DescribedAs(SlipDocument)] | None = None
    findings: list[Annotated[dict[str, Any], DescribedAs(FindingDocument)]] | None = None
    sent: SentOut | None = None


class SheetGlimpseOut(BaseModel):
    """
    A sheet of a file: its name, how many rows it has where that is known, and the first of them.
    """

    name: str
    total: int | None
    rows: list[list[str]]


class GlimpseOut(BaseModel):
    """
    What is in a file: the first and last lines of a text in its `encoding`, `whole` where these are all, or the first
    rows of its `sheets`.
    """

    encoding: str
    first: list[str]
    last: list[str]
    whole: bool
    sheets: list[SheetGlimpseOut]


class RunPage(BaseModel):
    """
    Runs, newest first; `next` is the cursor of the page after, null at the end.
    """

    runs: list[RunOut]
    next: int | None


ListName = Annotated[str, Field(min_length=1, max_length=120)]


class NewRun(BaseModel):
    """
    Run a template: its newest saved version, or its draft as it stands; or a document that is no template; or a bundle;
    or an earlier run `again`, as it was then or as its template is now.

    `answers` are to its asks, by name. For this once, `only` limits it to the records with these keys or, as
    `picks`, to those of a saved list or of any of several, `also` to those that meet a further narrowing; `windows`
    puts other windows at the places of its conditions, and `view` takes the columns of a view of the same record type.
    `purpose` is what personal data is taken out for.
    """

    template_id: int | None = Field(None, ge=0, lt=2**63)
    document: TemplateDocument | None = None
    only: list[list[str]] | None = Field(None, max_length=5_000)
    picks: ListName | Annotated[list[ListName], Field(max_length=50)] | None = None
    also: NarrowingDocument | None = None
    windows: dict[str, WindowDocument] = {}
    view: int | None = Field(None, ge=0, lt=2**63)
    use: Literal["saved", "draft"] = "saved"
    format: FormatName | None = None
    answers: AnswersGiven = {}
    purpose: str = Field("", max_length=300)
    bundle: BundleContents | None = None
    bundle_id: int | None = Field(None, ge=0, lt=2**63, description="A bundle of the library.")
    again: int | None = Field(None, ge=0, lt=2**63)
    as_it: Literal["was", "is"] = "is"
    language: str | None = Field(None, max_length=40, description="Headings of this language, for this once.")


class RunTotals(BaseModel):
    """
    Of the runs that a filter of the ledger leaves; rows and bytes are of those that made files.
    """

    runs: int
    rows: int
    bytes: int
    failed: int
    held: int
    personal: int


class Review(BaseModel):
    """
    Why a run is released or discarded.
    """

    reason: str = Field(min_length=1, max_length=500)


class Expected(BaseModel):
    """
    How large a run will be and how long it will take, by `runs` earlier runs of the same template; by the usual pace
    where there are none.
    """

    rows: int
    bytes: int
    seconds: float
    runs: int


class PastColumn(BaseModel):
    heading: str
    blanks: int
    total: str | None = None


class PastRun(BaseModel):
    """
    One of the last runs of a template, with what its slip says of its columns.
    """

    id: int
    as_of: datetime
    asked_at: datetime
    version: int | None
    status: str
    rows: int
    comparable: bool
    columns: list[PastColumn]


class CompareRequest(BaseModel):
    """
    Compare a run with an earlier one, matching rows on `key`, headings of columns; on what identifies a row by the
    catalogue where it is not given.
    """

    before: int
    key: list[str] | None = Field(None, max_length=20)


class DifferenceOut(BaseModel):
    change: Literal["added", "gone", "changed"]
    before: dict[str, str | None] | None
    after: dict[str, str | None] | None
    columns: list[str]


class ComparisonOut(BaseModel):
    """
    What differs between two runs. While `status` is asked, a worker is at it. `file_id` is that of a CSV with every
    difference, among the files of the later run.
    """

    id: int
    before: int
    after: int
    key: list[str]
    status: Literal["asked", "ready", "failed"]
    error: str = ""
    columns: list[str] = []
    new_columns: list[str] = []
    gone_columns: list[str] = []
    rows_before: int = 0
    rows_after: int = 0
    added: int = 0
    gone: int = 0
    changed: int = 0
    same: int = 0
    repeated: int = 0
    by_column: dict[str, int] = {}
    listed: list[DifferenceOut] = []
    file_id: int | None = None


class ChangeFound(BaseModel):
    """
    A cell, or with no `column` a row, of a file given back that differs from what was made.
    """

    state: Literal["change", "conflict", "impossible", "unknown"]
    key: list[str]
    column: str
    field: str
    before: str | None
    given: str | None
    now: str | None
    reason: str


class EditableOut(BaseModel):
    """
    A column of the run: whether its cells may be given back changed, or why not.
    """

    heading: str
    allowed: bool
    reason: str


class GivenBackOut(BaseModel):
    """
    Result of checking a file given back. `listed` holds the first changes of each state; `files` are lists of them all,
    among the run's files.
    """

    run: RunOut
    recognised: str
    key: list[str]
    rows: int
    same: int
    left_out: int
    taken: int
    changes: int
    conflicts: int
    impossible: int
    unknown: int
    missing_columns: list[str]
    new_columns: list[str]
    columns: list[EditableOut]
    listed: list[ChangeFound]
    files: list[RunFileOut]


class NewToken(BaseModel):
    """
    A token for a program: what it may do for me, and until when. `look` reads, `run` asks for runs as well.
    """

    name: str = Field(min_length=1, max_length=80)
    acts: list[Literal["look", "run", "audit"]] = Field(min_length=1)
    days: int = Field(90, ge=1, le=730)


class TokenOut(BaseModel):
    """
    One of my tokens. `secret` is only there when it was just made; it is shown once and not kept.
    """

    id: int
    name: str
    hint: str
    acts: list[str]
    created_at: datetime
    expires_at: datetime
    last_used_at: datetime | None
    secret: str | None = None


class NoticeOut(BaseModel):
    """
    Something new: about a run, with its file, where that is there to be fetched; or about the place that `link` names.
    """

    id: int
    run_id: int | None
    link: str = Field("", description="The place of the interface that it leads to, where it is about no run.")
    text: str
    created_at: datetime
    read: bool
    file_id: int | None
    file_name: str
