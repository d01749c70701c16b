"""
The resolved plan: a template with every path found, every value read and every window dated.

Nodes are frozen data. They know no SQL and no file format; visitors in `core.sql`, `core.template.sentence`
and `core.shaping` say how they read.

    Value = Read | Stepped | Folded | Computed | Fixed         what a cell holds; each tells its kind through `.field`
    Predicate = Comparison | Having | Among | Listed | Test | Permitted | Group     what a record must meet
"""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any, Literal
from zoneinfo import ZoneInfo

from bouquet.core.catalogue import Catalogue, Choice, Field, Kind, RecordType, Relation, Route
from bouquet.core.language import Key, Texts
from bouquet.core.personal import EVERYTHING, Sight
from bouquet.core.plan.nodes import (
    Cell,
    Comparison,
    Fixed,
    Folded,
    PlanOrder,
    Predicate,
    Read,
    Stepped,
)
from bouquet.core.rights import Rights, Scope
from bouquet.core.template import FileCheck as FileCheckPart
from bouquet.core.template import Output, Severity, Show
from bouquet.core.windows import Span

__all__ = [
    "Attached",
    "Context",
    "FileCheck",
    "GroupBy",
    "NotSent",
    "Picked",
    "Plan",
    "PlanAcross",
    "PlanColumn",
    "RowCheck",
    "Step",
]


@dataclass(frozen=True)
class Picked:
    """
    A saved list of records: the record type, and the keys as texts, one tuple per record.
    """

    records: str
    keys: tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class NotSent:
    """
    What earlier files leave of the records: only those with these keys, or, `but` for these, all. Keys are texts.
    """

    keys: tuple[tuple[str, ...], ...]
    but: bool


@dataclass(frozen=True)
class AcrossValue:
    """
    One of the values across, None for blank, and how it is shown.
    """

    value: Any
    text: str


@dataclass(frozen=True, kw_only=True)
class Context:
    """
    What a run brings to a template.

    Args:
        as_of: The moment windows count from.
        year_start: First month of the financial year.
        answers: Answers to the template's asks, by name; None while designing, when unanswered asks narrow nothing.
        picks: Saved lists of records, by name.
        scope: What the asking person's rights leave of the records.
        sight: What they leave of record types and of personal data.
        last_run_at: As-of moment of the last run that was delivered.
        sequence: The number of this run among the template's.
        usual: Rows of its last runs, the newest last.
        recipient: Who receives.
        across: The values across of a cross-tab; None where they are not known yet.
        not_sent: What earlier files leave, where a template wants only what is new; None where that is not known.
    """

    as_of: datetime
    year_start: int = 4
    answers: Mapping[str, Any] | None = None
    picks: Mapping[str, Picked] = dataclasses.field(default_factory=dict)
    scope: Scope | None = None
    sight: Sight = EVERYTHING
    last_run_at: datetime | None = None
    sequence: int = 1
    usual: tuple[int, ...] = ()
    recipient: str = ""
    across: tuple[AcrossValue, ...] | None = None
    not_sent: NotSent | None = None


@dataclass(frozen=True, kw_only=True)
class PlanColumn:
    """
    One column of the sheet. `id` is that of the template's column; a spread makes several with one id.

    `once_by` is given where a number belongs to a record that several rows share: the key of that record. A total over
    rows would count it more than once.
    """

    id: str
    heading: str
    cell: Cell
    show: Show
    blank: str
    number: int = 1
    total: str | None = None
    once_by: tuple[Route, ...] = ()
    #: Pattern of the address of the record's page, with its key fields in braces, where the column is a link.
    link: str | None = None
    #: Characters; None where the values decide.
    width: int | None = None
    #: What the template says that it means.
    said: str = ""

    @property
    def meaning(self) -> str:
        """
        What it means: as the template says it, or else the catalogue of its field.
        """
        return self.said or self.cell.field.meaning

    @property
    def field(self) -> Field:
        return self.cell.field

    @property
    def kind(self) -> Kind:
        return self.cell.field.kind

    @property
    def is_constant(self) -> bool:
        return isinstance(self.cell, Fixed)

    @property
    def constant(self) -> str | None:
        return str(self.cell.value or "") if isinstance(self.cell, Fixed) else None

    @property
    def route(self) -> Route | None:
        return self.cell.route if isinstance(self.cell, Read | Stepped) else None

    @property
    def choices(self) -> tuple[Choice, ...]:
        return self.cell.field.choices

    @property
    def technical(self) -> str:
        """
        The column's technical name: its path, or its id where it is made of several fields.
        """
        route = self.route
        suffix = f"_{self.number}" if isinstance(self.cell, Folded) and self.cell.how == "spread" else ""
        return route.path if route else self.id + suffix


@dataclass(frozen=True)
class Step:
    """
    One step of the tally. `side` says whether it narrows the records of the type or the children that became rows;
    `hidden` that it stands for a person's rights and not for the template.
    """

    predicate: Predicate
    side: Literal["parent", "child"] = "parent"
    hidden: bool = False

    @property
    def place(self) -> str:
        return self.predicate.place


@dataclass(frozen=True)
class GroupBy:
    """
    One value of a grouping, and the window in which gaps are filled, if they are.
    """

    cell: Read | Stepped
    fill_gaps: bool = False
    span: Span | None = None


@dataclass(frozen=True)
class PlanAcross:
    """
    What stands across in a cross-tab. `folds` are those of the records with one of its values, each with the fold of
    all records that it is one of, and with what tells that a value of `by` is the one; empty where that cannot be told.
    """

    by: GroupBy
    folds: tuple[tuple[Folded, Folded, Comparison], ...] = ()


@dataclass(frozen=True, kw_only=True)
class RowCheck:
    """
    A check of single rows. `objects` holds for the rows it objects to; without it, values that are not the only ones
    of their kind are objected to. `column` is the position of the column that it is about, None for the whole row.
    """

    place: str
    words: str
    severity: Severity
    column: int | None
    objects: Predicate | None
    #: Whether it takes all rows to know of one.
    takes_all: bool = False


@dataclass(frozen=True, kw_only=True)
class FileCheck:
    """
    A check of the file as a whole. `column` is the position of the column that it is about.
    """

    place: str
    words: str
    severity: Severity
    column: int | None
    part: FileCheckPart


@dataclass(frozen=True)
class Attached:
    """
    The files that go along: rows of `plan` stand for the records that hold them, `route` leads to the field with the
    files, and `folder` is where they go in the archive.
    """

    plan: Plan
    route: Route
    folder: str


@dataclass(frozen=True, kw_only=True)
class Plan:
    """
    Everything needed to read, count, trace and write one template at one as-of moment.

    `opened` leads from the record type to the records that rows stand for, where that is not the record itself;
    `keeps_childless` whether a record without a child that passes has a row all the same.
    `by` is given where a row stands for a group.
    `steps` are the parts of the filter: those of the records first, then those of children, each one step of the tally.
    `order` is total: the keys stand at its end.
    `key` identifies the record of the type, `row_key` what a row stands for.
    """

    catalogue: Catalogue
    record_type: RecordType
    row_type: RecordType
    opened: tuple[Relation, ...]
    keeps_childless: bool
    by: tuple[GroupBy, ...]
    columns: tuple[PlanColumn, ...]
    steps: tuple[Step, ...]
    order: tuple[PlanOrder, ...]
    key: tuple[Route, ...]
    row_key: tuple[Route, ...]
    at_most: int | None
    split: Cell | None
    groups: tuple[int, ...]
    zone: ZoneInfo
    context: Context
    output: Output
    name: str
    answers: tuple[tuple[str, str], ...] = ()
    row_checks: tuple[RowCheck, ...] = ()
    file_checks: tuple[FileCheck, ...] = ()
    #: Of companion files: a plan for each, whose rows are children of this plan's records.
    children: tuple[Plan, ...] = ()
    attached: Attached | None = None
    #: How many columns of the template are not there because the person may not see what they hold.
    unseen: int = 0
    #: Of a cross-tab, what its columns are called by.
    across: PlanAcross | None = None

    @cached_property
    def rights(self) -> Rights | None:
        """
        What the asking person may see; None for everything.
        """
        return Rights(self.catalogue, self.context.scope) if self.context.scope else None

    @property
    def personal(self) -> tuple[str, ...]:
        """
        Headings of the columns that hold personal data, as it is, folded or computed with, in companions, too; and what
        parts or columns are called by, where that is personal.
        """
        own = [c.heading for c in self.columns if c.field.personal]
        named_by = (self.split, self.across.by.cell if self.across else None)
        own += [cell.field.label for cell in named_by if cell is not None and cell.field.personal]
        return tuple(dict.fromkeys([*own, *(h for child in self.children for h in child.personal)]))

    def words(self, texts: Texts[Key]) -> dict[Key, str]:
        """
        Fixed words of the file: in the language that is spoken where it is for readers; programs know them as they are
        written.
        """
        return dict(texts.items() if self.output.style == "reader" else dict.items(texts))

    @property
    def guards_formulas(self) -> bool:
        """
        Whether texts that a spreadsheet would run are guarded in files of plain text.
        """
        asked = self.output.guard_formulas
        return self.output.style == "reader" if asked is None else asked

    @property
    def file_columns(self) -> tuple[int, ...]:
        """
        The positions of columns whose values are files.
        """
        return tuple(n for n, c in self.data_columns if c.kind is Kind.FILE)

    @property
    def data_columns(self) -> tuple[tuple[int, PlanColumn], ...]:
        """
        The columns that are read, with their positions in the sheet.
        """
        return tuple((n, c) for n, c in enumerate(self.columns) if not c.is_constant)
