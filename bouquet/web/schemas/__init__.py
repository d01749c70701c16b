"""
What goes over the wire. The front end's types are generated from these.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field

from bouquet.store.people import LONGEST_EMAIL, SHORTEST_PASSWORD
from bouquet.web.schemas.runs import RunOut

__all__ = [
    "ColumnOut",
    "FieldGroup",
    "FieldOut",
    "Look",
    "LookRequest",
    "NewTemplate",
    "PartOut",
    "PersonOut",
    "ProblemOut",
    "RecordTypeOut",
    "RunOut",
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


class NewPassword(BaseModel):
    current: str = Field(max_length=1_000)
    new: str = Field(
        min_length=SHORTEST_PASSWORD, max_length=1_000, description=f"At least {SHORTEST_PASSWORD} characters"
    )


class SignInRequest(BaseModel):
    email: str = Field(max_length=LONGEST_EMAIL)
    password: str = Field(max_length=1_000)


class Preferences(BaseModel):
    """
    How a person likes the interface. A locale of "" is the browser's. `hints_seen` are the hints put away.
    """

    theme: Literal["light", "dark", "system"] = "light"
    locale: str = Field("", max_length=20, pattern=r"^([A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*)?$")
    hints: bool = True
    hints_seen: list[str] = Field([], max_length=100)


class Session(BaseModel):
    """
    Who is signed in, and where: the source and whether it is practice or live.
    """

    person: PersonOut
    source: str
    environment: str
    preferences: Preferences


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


class GuessOut(BaseModel):
    """
    What was guessed of a record type or a field, and why. Nobody has said it.
    """

    what: str
    why: str


class RecordTypeOut(BaseModel):
    """
    A record type. `rows` is the database's estimate; `key` and `title` are paths of its fields. `by_row` says that
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
    retired: str | None
    substitute: str | None
    synonyms: list[str]
    choices: list[ChoiceOut]
    operators: list[str]
    example: str | None
    fill: float | None
    exact: bool
    guesses: list[GuessOut] = []


class FieldGroup(BaseModel):
    """
    The fields of one record that a row leads to. `path` is empty for the row's own record.
    """

    path: str
    label: str
    note: str
    records: str
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
    proposed: list[dict[str, Any]]


class UnderDesign(BaseModel):
    """
    A document under design, with answers to its asks, and the template whose earlier runs count for it.
    """

    document: dict[str, Any]
    answers: dict[str, Any] | None = None
    template_id: int | None = Field(None, ge=0, lt=2**63)


class LookRequest(UnderDesign):
    """
    A newer tally with the same `bench` stops the older one's query. `only` limits it to the records with these keys;
    `keys` asks for the key of what each row stands for.
    """

    limit: int = Field(50, ge=1, le=500)
    offset: int = Field(0, ge=0, le=10_000_000)
    bench: str = Field("", max_length=60)
    only: list[list[str]] | None = Field(None, max_length=5_000)
    keys: bool = False


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


class TraceRequest(UnderDesign):
    """
    The record that is asked about: its key, or what its title field says.
    """

    key: list[str] = Field(min_length=1, max_length=8)


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


class LeftOutRequest(UnderDesign):
    """
    The place of the step whose left-out records are asked for.
    """

    place: str = Field(max_length=300)
    limit: int = Field(50, ge=1, le=500)


class RecordName(BaseModel):
    """
    A record, and what the step that stopped it saw.
    """

    key: list[str]
    title: str | None
    saw: list[SawOut]


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


class RemovedOut(BaseModel):
    """
    Something removed that can be brought back at `/templates/{id}/restore`, `/rounds/{id}/restore`,
    `/picks/removed/{id}/restore` or `/records/views/{id}/restore`. A round is called as its template.
    """

    kind: Literal["template", "round", "picks", "view"]
    id: int
    name: str
    owner: str
    removed_at: datetime


class PicksOut(BaseModel):
    name: str
    records: str
    size: int
    changed_at: datetime


class NewPicks(BaseModel):
    """
    A hand-picked list: the records' keys, each a list of texts, or those of all rows of a document.
    """

    records: str = Field(max_length=100)
    keys: list[list[str]] = Field([], max_length=50_000)
    document: dict[str, Any] | None = None


class NewView(BaseModel):
    """
    A way of looking at the records of a type, to be saved: a template document's columns, filter and order.
    """

    name: str = Field(min_length=1, max_length=120)
    document: dict[str, Any]
    shared: bool = False


class ViewOut(BaseModel):
    id: int
    name: str
    records: str
    document: dict[str, Any]
    shared: bool
    owner: str
    mine: bool


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
    repeats: bool


class Mark(BaseModel):
    """
    A cell, or with no `column` a whole row, that a check objects to: the row among those shown, the column's position
    in the sheet.
    """

    row: int
    column: int | None
    words: str
    severity: Literal["note", "hold", "stop"]


class Look(BaseModel):
    """
    The sheet as the file will show it; `rows` hold one text per column, null for blank. `keys` are those of the rows,
    where they were asked for and rows are no groups. `personal` are headings of columns with personal data. `marks` say
    what checks object to.
    """

    sentence: list[PartOut]
    columns: list[ColumnOut]
    rows: list[list[str | None]]
    keys: list[list[str | None]] = []
    marks: list[Mark] = []
    more: bool
    file_name: str
    problems: list[ProblemOut]
    notes: list[ProblemOut]
    personal: list[str] = []
    milliseconds: float


class ObjectedRow(BaseModel):
    """
    A row that a check objects to: the key of its record, and the value.
    """

    key: list[str]
    value: str | None


class CheckCount(BaseModel):
    """
    How a check fares on the rows as they are now. `place` is where it stands in the document; checks of the file as a
    whole have no rows of their own and say what they `saw` where they object.
    """

    place: str
    words: str
    severity: Literal["note", "hold", "stop"]
    whole: bool
    objections: int
    saw: str
    rows: list[ObjectedRow]


class CheckCounts(BaseModel):
    rows: int
    checks: list[CheckCount]
    milliseconds: float


class EmptyRelation(BaseModel):
    """
    Rows whose relation to one record leads nowhere; `leave_out` is the narrowing that would leave them out.
    """

    path: str
    words: str
    rows: int
    leave_out: dict[str, Any] | None


class TallyStepOut(BaseModel):
    """
    One step of the tally. `kind`: all, filter, scope (hidden by rights), open (children become rows), group, limit.
    `without` counts records that have no child, where rows stand for children; `empty` the rows that the step leaves
    whose relation to one record leads nowhere, `lost_empty` those that it lost.
    """

    kind: str
    place: str
    words: str
    rows: int
    left_out: int
    blank: int
    without: int | None
    empty: list[EmptyRelation] = []
    lost_empty: list[EmptyRelation] = []


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
    Start from a record type (with its everyday fields, or with nothing), or from a document; `free_name` takes the next
    free name where the document's is taken.
    """

    records: str | None = None
    everyday: bool = True
    document: dict[str, Any] | None = None
    free_name: bool = False


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
    labels: list[str]
    standing: Literal["own", "shared", "house"]
    used_by: list[str]


class TemplateChange(BaseModel):
    """
    Labels and standing of a template: `own`, `shared` with all, or the `house`'s standard.
    """

    labels: list[str] | None = Field(None, max_length=20)
    standing: Literal["own", "shared", "house"] | None = None


class PinChange(BaseModel):
    pinned: bool


class VersionDocument(BaseModel):
    number: int
    document: dict[str, Any]


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
    answer: Any


class PeriodOut(BaseModel):
    """
    A window of the template that can be another for this once.
    """

    place: str
    words: str
    window: dict[str, Any]


class Questions(BaseModel):
    """
    What a runner needs to run a template. `personal` are the headings of columns with personal data.
    """

    id: int
    name: str
    about: str
    version: int
    document: dict[str, Any]
    asks: list[QuestionOut]
    periods: list[PeriodOut]
    format: Literal["csv", "xlsx", "jsonl"]
    personal: list[str]


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
