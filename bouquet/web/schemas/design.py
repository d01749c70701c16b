"""
A template under design: its sentence, sheet, tally, trace and checks.
"""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from bouquet.core.template.described import AnswersGiven
from bouquet.core.vocabulary.comparisons import Operator
from bouquet.web.schemas.described import NarrowingDocument, TemplateDocument, WindowDocument
from bouquet.web.schemas.problems import ProblemOut

__all__ = [
    "CheckCount",
    "CheckCounts",
    "ColumnOut",
    "EmptyRelation",
    "LeftOut",
    "LeftOutRequest",
    "Look",
    "LookRequest",
    "Mark",
    "ObjectedRow",
    "PartOut",
    "RecordName",
    "SawOut",
    "Tally",
    "TallyStepOut",
    "Trace",
    "TraceRequest",
    "TraceStepOut",
    "TracedOut",
    "UnderDesign",
    "WindowOut",
    "WindowsRequest",
]


class UnderDesign(BaseModel):
    """
    A document under design, with answers to its asks, and the template whose earlier runs count for it.
    """

    document: TemplateDocument
    answers: AnswersGiven | None = None
    template_id: int | None = Field(None, ge=0, lt=2**63)


class LookRequest(UnderDesign):
    """
    A newer tally with the same `bench` stops the older one's query: the one of the greater `turn`, or, where none is
    given, the one that came later. `only` limits it to the records with these keys; `keys` asks for the key of what
    each row stands for. In a `hurry`, what takes the source a while is answered at once with what it can say: any rows
    in the place of the first, an estimate in the place of a count.
    """

    limit: int = Field(50, ge=1, le=500)
    offset: int = Field(0, ge=0, le=10_000_000)
    bench: str = Field("", max_length=60)
    turn: int | None = Field(None, ge=1, lt=2**53)
    only: list[list[str]] | None = Field(None, max_length=5_000)
    keys: bool = False
    hurry: bool | None = None
    view: int | None = Field(None, ge=0, lt=2**63, description="A saved view whose columns are taken for this once.")


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


class LeftOut(BaseModel):
    """
    Records that a step was the first to stop.
    """

    records: list[RecordName]
    more: bool


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
    operators: list[Operator] = Field([], description="How rows can be narrowed by it.")


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
    #: Whether these are the first rows; otherwise any that the template takes. Ask again without hurry for the first.
    in_order: bool = True
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


class UsualOut(BaseModel):
    """
    How the numbers of a column are spread: the least and the greatest, the middle half, and what is still usual.
    """

    least: float
    greatest: float
    middle_from: float
    middle_to: float
    usual_from: float
    usual_to: float


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
    at_run: bool = Field(False, description="Whether it is judged only when it runs.")
    rows: list[ObjectedRow]
    #: Of a check that objects to numbers far from the usual, what is usual.
    usual: UsualOut | None = None


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
    leave_out: NarrowingDocument | None


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
    #: Whether this is what the source expects, and not counted. Ask again without hurry for the count.
    about: bool = False
    counted_at: datetime
    milliseconds: float


class WindowsRequest(BaseModel):
    windows: list[WindowDocument] = Field(max_length=40)
    zone: str = Field("Europe/London", max_length=60)


class WindowOut(BaseModel):
    """
    A window in words and the dates it comes to now; `dates` is null where it is not sound.
    """

    words: str
    dates: str | None
