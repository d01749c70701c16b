"""
What goes over the wire. The front end's types are generated from these.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field

__all__ = [
    "ColumnOut",
    "FieldGroup",
    "FieldOut",
    "Look",
    "LookRequest",
    "NewRound",
    "NewRun",
    "NewTemplate",
    "NoticeOut",
    "PartOut",
    "PersonOut",
    "ProblemOut",
    "RecordTypeOut",
    "RoundOut",
    "RunFileOut",
    "RunOut",
    "RunPage",
    "Session",
    "SignInRequest",
    "Tally",
    "TallyStepOut",
    "TemplateOut",
    "TemplateRow",
    "VersionOut",
]


class PersonOut(BaseModel):
    """
    A person, and what they may do: `look`, `run`, `design`, `keep`.
    """

    id: int
    name: str
    email: str
    roles: list[str]
    may: list[str]


class SignInRequest(BaseModel):
    email: str = Field(max_length=200)
    password: str = Field(max_length=200)


class Session(BaseModel):
    """
    Who is signed in, and where: the source and whether it is practice or live.
    """

    person: PersonOut
    source: str
    environment: str


class WayOutOut(BaseModel):
    """
    An edit that would cure a problem: set `place` to `value`. Without a place it is no edit of this document.
    """

    act: str
    label: str
    place: str
    value: Any


class ProblemOut(BaseModel):
    """
    One thing wrong, at its place in the document; `at` is the character of a formula that it points at.
    """

    code: str
    message: str
    place: str = ""
    candidates: list[str] = []
    ways_out: list[WayOutOut] = []
    at: int | None = None


class RecordTypeOut(BaseModel):
    """
    A record type. `rows` is the database's estimate.
    """

    name: str
    label: str
    plural: str
    meaning: str
    rows: int | None


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
    retired: str | None
    substitute: str | None
    synonyms: list[str]
    choices: list[ChoiceOut]
    operators: list[str]
    example: str | None
    fill: float | None
    exact: bool


class FieldGroup(BaseModel):
    """
    The fields of one record that a row leads to. `path` is empty for the row's own record.
    """

    path: str
    label: str
    note: str
    fields: list[FieldOut]


class RecordTypeFields(BaseModel):
    """
    Everything that can stand in a template of one record type.
    """

    record_type: RecordTypeOut
    groups: list[FieldGroup]
    proposed: list[dict[str, Any]]


class LookRequest(BaseModel):
    """
    A document under design. A newer tally with the same `bench` stops the older one's query.
    """

    document: dict[str, Any]
    limit: int = Field(50, ge=1, le=500)
    offset: int = Field(0, ge=0, le=10_000_000)
    bench: str = Field("", max_length=60)
    answers: dict[str, Any] | None = None


class TraceRequest(BaseModel):
    """
    A document under design, and the record that is asked about: its key, or what its title field says.
    """

    document: dict[str, Any]
    key: list[str] = Field(min_length=1, max_length=8)
    answers: dict[str, Any] | None = None


class SawOut(BaseModel):
    """
    A value that a step looked at; null for blank.
    """

    label: str
    value: str | None


class TraceStepOut(BaseModel):
    place: str
    words: str
    passed: bool
    saw: list[SawOut]


class TracedOut(BaseModel):
    """
    One record and how it fared: `stopped_by` is the position of the first step that stopped it, null when it is in.
    """

    key: list[str]
    title: str | None
    what: str
    is_in: bool
    stopped_by: int | None
    steps: list[TraceStepOut]


class Trace(BaseModel):
    """
    Why a record is in, or out. `children` are the rows it could become, where rows stand for children; the first few.
    `others` are keys of further records of the same title.
    """

    record: TracedOut | None
    children: list[TracedOut]
    others: list[list[str]]
    milliseconds: float


class LeftOutRequest(BaseModel):
    """
    A document, and the place of the step whose left-out records are asked for.
    """

    document: dict[str, Any]
    place: str = Field(max_length=300)
    limit: int = Field(50, ge=1, le=500)
    answers: dict[str, Any] | None = None


class RecordName(BaseModel):
    key: list[str]
    title: str | None


class LeftOut(BaseModel):
    """
    Records that a step was the first to stop.
    """

    records: list[RecordName]
    more: bool


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


class PicksOut(BaseModel):
    name: str
    records: str
    size: int
    changed_at: datetime


class NewPicks(BaseModel):
    """
    A hand-picked list: the records' keys, each a list of texts.
    """

    records: str = Field(max_length=100)
    keys: list[list[str]] = Field(max_length=50_000)


class FunctionOut(BaseModel):
    """
    A function or operator of formulas.
    """

    name: str
    group: str
    calls: list[str]
    meaning: str
    example: list[str]


class PartOut(BaseModel):
    """
    A piece of the sentence.
    """

    text: str
    role: str
    place: str
    note: str


class ColumnOut(BaseModel):
    """
    A column of the sheet as it stands: where it comes from and how it is shown. A spread makes several of one `id`.
    """

    id: str
    heading: str
    number: int
    trail: str
    shown: str
    kind: str
    sound: bool


class Look(BaseModel):
    """
    The sheet as the file will show it; `rows` hold one text per column, null for blank.
    """

    sentence: list[PartOut]
    columns: list[ColumnOut]
    rows: list[list[str | None]]
    more: bool
    file_name: str
    problems: list[ProblemOut]
    notes: list[ProblemOut]
    milliseconds: float


class TallyStepOut(BaseModel):
    """
    One step of the tally. `kind`: all, filter, scope (hidden by rights), open (children become rows), group, limit.
    `without` counts records that have no child, where rows stand for children.
    """

    kind: str
    place: str
    words: str
    rows: int
    left_out: int
    blank: int
    without: int | None


class Tally(BaseModel):
    """
    The tally, and the moment of the snapshot it was counted in.
    """

    steps: list[TallyStepOut]
    counted_at: datetime
    milliseconds: float


class WindowsRequest(BaseModel):
    windows: list[dict[str, Any]] = Field(max_length=40)
    zone: str = Field("Europe/London", max_length=60)


class WindowOut(BaseModel):
    """
    A window in words and the dates it comes to now; `dates` is null where it is not sound.
    """

    words: str
    dates: str | None


class NewTemplate(BaseModel):
    """
    Start from a record type (with its everyday fields, or with nothing), or from a document.
    """

    records: str | None = None
    everyday: bool = True
    document: dict[str, Any] | None = None


class TemplateOut(BaseModel):
    """
    A template with its draft. `revision` goes back in `If-Match` with the next change.
    """

    id: int
    name: str
    document: dict[str, Any]
    revision: int
    version: int
    changed: bool
    changed_at: datetime
    owner: str
    saved_at: datetime | None


class RunFileOut(BaseModel):
    id: int
    name: str
    media_type: str
    size: int
    rows: int
    sha256: str


class RunOut(BaseModel):
    """
    A run as the ledger has it. `status`: asked, running, ready, failed, cancelled.
    """

    id: int
    template_id: int | None
    version: int | None
    name: str
    format: str
    asked_by: str
    via: str
    as_of: datetime
    status: Literal["asked", "running", "ready", "failed", "cancelled"]
    stage: str
    rows_announced: int | None
    rows_written: int
    error: dict[str, Any] | None
    asked_at: datetime
    started_at: datetime | None
    finished_at: datetime | None
    delivered_to: str | None
    files: list[RunFileOut]
    mine: bool
    slip: dict[str, Any] | None = None


class RunPage(BaseModel):
    """
    Runs, newest first; `next` is the cursor of the page after, null at the end.
    """

    runs: list[RunOut]
    next: int | None


class NewRun(BaseModel):
    """
    Run a template: its newest saved version, or its draft as it stands. `answers` are to its asks, by name.
    """

    template_id: int
    use: Literal["saved", "draft"] = "saved"
    format: Literal["csv", "xlsx", "jsonl"] | None = None
    answers: dict[str, Any] = {}


class TemplateRow(BaseModel):
    """
    A template in the library.
    """

    id: int
    name: str
    sentence: str
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


class VersionOut(BaseModel):
    number: int
    note: str
    saved_by: str
    saved_at: datetime


class SaveRequest(BaseModel):
    note: str = Field("", max_length=500)


class NewRound(BaseModel):
    """
    A template set to run by the calendar. `day` is the day of a weekly round, 0 for Monday; `at` is `HH:MM`.
    """

    template_id: int
    beat: Literal["daily", "weekdays", "weekly"]
    day: int = Field(0, ge=0, le=6)
    at: str = Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")
    zone: str = Field("Europe/London", max_length=60)
    folder: str = Field(min_length=1, max_length=200)
    format: Literal["csv", "xlsx", "jsonl"] = "csv"


class RoundChange(BaseModel):
    paused: bool


class RoundOut(BaseModel):
    id: int
    template_id: int
    template: str
    words: str
    beat: str
    zone: str
    folder: str
    format: str
    paused: bool
    next: list[datetime]
    runs: list[RunOut]


class Planned(BaseModel):
    """
    The next moments a rhythm comes to, and where its files will go.
    """

    words: str
    next: list[datetime]


class NoticeOut(BaseModel):
    id: int
    run_id: int
    text: str
    created_at: datetime
    read: bool
