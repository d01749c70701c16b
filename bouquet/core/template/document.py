"""
The template document, format `bouquet-template/1`.

Loose JSON becomes these frozen models at the door (`read_document`); inside nothing is checked twice.
Unknown keys are refused with their path; an older format is upgraded; a newer one is refused.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Mapping
from decimal import Decimal
from typing import Annotated, Any, Literal, TypeAlias
from zoneinfo import available_timezones

import babel.localedata
from pydantic import Discriminator, Field, Tag, ValidationError, field_validator, model_validator

from bouquet.core.errors import DocumentError, Problem
from bouquet.core.template.checks import Check
from bouquet.core.template.part import Part, Scalar

__all__ = [
    "FORMAT",
    "HEADING_LENGTH",
    "AllOf",
    "AnyOf",
    "Ask",
    "Attachments",
    "By",
    "ChildFile",
    "Column",
    "Condition",
    "Constant",
    "Csv",
    "FieldValue",
    "Fold",
    "FoldOrder",
    "FoldValue",
    "FormulaTest",
    "FormulaValue",
    "Has",
    "Narrowing",
    "NoneOf",
    "Order",
    "Output",
    "Part",
    "PerChild",
    "PerGroup",
    "PerRecord",
    "Picks",
    "Reader",
    "Show",
    "Split",
    "Template",
    "Window",
    "Xlsx",
    "document_schema",
    "read_document",
]

FORMAT: Literal["bouquet-template/1"] = "bouquet-template/1"
NEWEST = 1

#: Parts of a document.
MOST = {"columns": 1_000, "order": 50}
MOST_CONDITIONS = 2_000
#: Groups within groups of a filter.
DEEPEST = 60

#: Characters. The most that a spreadsheet's cell shows of a heading without trouble, and then some.
HEADING_LENGTH = 255


@functools.cache
def _locales() -> frozenset[str]:
    return frozenset(name.casefold() for name in babel.localedata.locale_identifiers())


Operator: TypeAlias = Literal[
    "is",
    "is_not",
    "one_of",
    "none_of",
    "contains",
    "not_contains",
    "starts_with",
    "ends_with",
    "matches",
    "less_than",
    "greater_than",
    "at_least",
    "at_most",
    "between",
    "in_window",
    "before",
    "after",
    "blank",
    "not_blank",
    "yes",
    "no",
]
Unit: TypeAlias = Literal["minute", "hour", "day", "week", "month", "quarter", "year"]


class PerRecord(Part):
    """
    One row per record of the type.
    """

    per: Literal["record"] = "record"


class PerChild(Part):
    """
    One row per record at the end of a path that leads to many; fields of the records above repeat.

    `parents_without` says what becomes of a record with no child that passes: a row with blank child cells, or none.
    """

    per: Literal["child"]
    path: str = Field(min_length=1)
    parents_without: Literal["keep", "leave_out"] = "leave_out"


class By(Part):
    """
    One value of a grouping; a dated one may be cut into steps of time, in the template's zone.

    `count` is only for minutes: 1, 2, 3, 4, 5, 6, 10, 12, 15, 20 or 30 of them.
    `fill_gaps` adds a row for each step of the window in which nothing happened.
    """

    path: str = Field(min_length=1)
    step: Unit | None = None
    count: int = Field(1, ge=1, le=30)
    fill_gaps: bool = False


class PerGroup(Part):
    """
    One row per distinct combination of the `by` values.
    """

    per: Literal["group"]
    by: tuple[By, ...] = Field(min_length=1, max_length=12)


class FieldValue(Part):
    """
    The value of a field, by its path from the record type outward. In groups it is one of the `by` values; `step`
    tells two steps of the same field apart.
    """

    field: str = Field(min_length=1)
    step: Unit | None = None


class Constant(Part):
    """
    The same text in every row.
    """

    constant: str


class FoldOrder(Part):
    """
    One level of the order in which a fold meets its records; the path starts at these records.
    """

    path: str = Field(min_length=1)
    direction: Literal["ascending", "descending"] = "ascending"
    blanks: Literal["first", "last"] = "last"


How: TypeAlias = Literal[
    "count",
    "count_distinct",
    "sum",
    "mean",
    "least",
    "greatest",
    "first",
    "latest",
    "joined",
    "spread",
    "any",
    "all",
    "none",
]


class Fold(Part):
    """
    How many records become one cell.

    `path` leads through at least one relation to many, and, but for `count`, on to a field. In groups a path through
    no such relation folds the group's own records; then an empty path counts them.
    Paths in `where` and `order` start at the folded records.
    """

    path: str = ""
    how: How
    where: Narrowing | None = None
    order: tuple[FoldOrder, ...] = ()
    separator: str = Field("; ", max_length=20)
    distinct: bool = False
    at_most: int | None = Field(None, ge=1, le=1000)
    #: Columns of a spread.
    columns: int = Field(3, ge=1, le=60)


class FoldValue(Part):
    """
    The value of a fold.
    """

    fold: Fold


class FormulaValue(Part):
    """
    The value of a formula; see `bouquet.core.formula`.
    """

    formula: str = Field(min_length=1, max_length=4000)


class Show(Part):
    """
    How a column's values stand on paper. What is not given follows the machine style.
    """

    date: str | None = Field(None, description="Date pattern of Unicode TR 35, e.g. dd/MM/yyyy")
    decimals: int | None = Field(None, ge=0, le=12, description="Digits after the point, rounded half away from zero")
    rounding: Literal["half_away", "half_even"] = "half_away"
    factor: Decimal | None = Field(
        None, gt=0, lt=10**15, decimal_places=15, description="Multiplied with the number, e.g. 100 for m to cm"
    )
    decimal_mark: Literal[".", ","] | None = None
    grouping: Literal["", " ", "\u00a0", "\u202f", ",", ".", "'", "’"] | None = None
    prefix: str = Field("", max_length=40)
    suffix: str = Field("", max_length=40)
    choice: Literal["label", "code"] = "label"
    yes: str | None = None
    no: str | None = None
    case: Literal["as_is", "upper", "lower"] = "as_is"
    trim: bool = False
    first: int | None = Field(None, ge=1, le=32_767, description="Only the first so many characters")
    pad: int | None = Field(None, ge=1, le=255, description="Filled up to so many characters")
    pad_with: str = Field("0", min_length=1, max_length=1)
    pad_side: Literal["left", "right"] = "left"
    link: bool = Field(False, description="In spreadsheets, a link to the record's page")


class Column(Part):
    """
    One place in the sheet.
    """

    id: str = Field(min_length=1, max_length=40)
    heading: str
    value: Value
    show: Show = Show()
    blank: str = ""
    width: int | None = Field(None, ge=4, le=120, description="Characters, on the bench and in spreadsheets")
    total: Literal["sum", "mean", "count", "least", "greatest"] | None = Field(
        None, description="What the subtotals and the total of a reader's file say of this column"
    )
    editable: bool = Field(False, description="Whether its cells may be given back changed")


class Window(Part):
    """
    A span of days relative to the moment of the run; see `bouquet.core.windows`.
    """

    type: Literal[
        "last",
        "this",
        "previous",
        "next",
        "to_date",
        "between",
        "before_days_ago",
        "after_days_ago",
        "since_last_run",
        "all_time",
    ]
    count: int = Field(1, ge=1, le=100_000)
    unit: Unit | Literal["financial_year"] = "day"
    with_current: bool = False
    first: str | None = None
    last: str | None = None


class Condition(Part):
    """
    One comparison of one field, or of a column of the sheet by its id.

    What it is compared with stands in `value`, `values` or `window`, or is asked at each run: then `ask` names the
    question.
    """

    path: str | None = Field(None, min_length=1)
    column: str | None = Field(None, min_length=1)
    is_: Operator = Field(alias="is")
    value: Scalar | None = None
    values: tuple[Scalar, ...] | None = None
    window: Window | None = None
    exact: bool = False
    ask: str | None = None

    @model_validator(mode="after")
    def _one_source(self) -> Condition:
        if (self.path is None) == (self.column is None):
            msg = "A condition compares a field (path) or a column, one of the two."
            raise ValueError(msg)
        return self

    @property
    def named(self) -> str:
        """
        The path or the column it compares.
        """
        return self.path or self.column or ""


class Has(Part):
    """
    Whether a record has many others at the end of `path`: any, none, or at least `count`.

    Paths in `where` start at these others.
    """

    path: str = Field(min_length=1)
    has: Literal["any", "none", "at_least"]
    count: int = Field(1, ge=1, le=1_000_000)
    where: Narrowing | None = None


class Picks(Part):
    """
    Whether a record is in a saved list.
    """

    picks: str = Field(min_length=1, max_length=120)


class FormulaTest(Part):
    """
    A formula that must be true.
    """

    formula: str = Field(min_length=1, max_length=4000)


class AllOf(Part):
    """
    Every part must hold. Empty: no narrowing.
    """

    all: tuple[Narrowing, ...]


class AnyOf(Part):
    """
    At least one part must hold. Empty: no narrowing.
    """

    any: tuple[Narrowing, ...]


class NoneOf(Part):
    """
    No part may hold. Empty: no narrowing.
    """

    none: tuple[Narrowing, ...]


def _narrowing_tag(value: Any) -> str:
    keys = value.keys() if isinstance(value, Mapping) else type(value).model_fields if isinstance(value, Part) else ()
    return next((f"<{k}>" for k in ("has", "all", "any", "none", "picks", "formula") if k in keys), "<condition>")


def _value_tag(value: Any) -> str:
    keys = value.keys() if isinstance(value, Mapping) else type(value).model_fields if isinstance(value, Part) else ()
    return next((f"<{k}>" for k in ("fold", "formula", "constant") if k in keys), "<field>")


Value: TypeAlias = Annotated[
    Annotated[FieldValue, Tag("<field>")]
    | Annotated[Constant, Tag("<constant>")]
    | Annotated[FoldValue, Tag("<fold>")]
    | Annotated[FormulaValue, Tag("<formula>")],
    Discriminator(_value_tag),
]


Narrowing: TypeAlias = Annotated[
    Annotated["AllOf", Tag("<all>")]
    | Annotated["AnyOf", Tag("<any>")]
    | Annotated["NoneOf", Tag("<none>")]
    | Annotated["Has", Tag("<has>")]
    | Annotated["Picks", Tag("<picks>")]
    | Annotated["FormulaTest", Tag("<formula>")]
    | Annotated["Condition", Tag("<condition>")],
    Discriminator(_narrowing_tag),
]


class Order(Part):
    """
    One level of the order of rows: by a column of the sheet, or by a field that need not be in it.
    """

    column: str | None = None
    path: str | None = None
    direction: Literal["ascending", "descending"] = "ascending"
    blanks: Literal["first", "last"] = "last"


class Csv(Part):
    """
    Options of a CSV file (RFC 4180).
    """

    separator: str = Field(",", min_length=1, max_length=1)
    line_end: Literal["CRLF", "LF"] = "CRLF"
    encoding: Literal["utf-8", "utf-8-sig", "utf-16", "windows-1252", "iso-8859-1"] = "utf-8"
    unencodable: Literal["stop", "replace"] = "stop"
    quoting: Literal["as_needed", "text", "everything"] = "as_needed"
    heading_row: Literal["headings", "names", "both", "none"] = "headings"

    @field_validator("separator")
    @classmethod
    def _no_clash(cls, value: str) -> str:
        if value in '"\r\n' or ord(value) > 127 or (ord(value) < 32 and value != "\t"):
            msg = "A separator is one plain character other than a quotation mark or a line break."
            raise ValueError(msg)
        return value


class Xlsx(Part):
    """
    Options of a spreadsheet file (ISO/IEC 29500).
    """

    sheet: str = Field("", max_length=31)
    title: str = ""
    subject: str = ""
    author: str = ""
    keywords: str = ""
    about_sheet: bool = False
    findings_sheet: bool = False


class Reader(Part):
    """
    What a file in reader's style carries besides its rows: lines of title above the headings, a heading line for
    each group of rows that agree in the columns `groups`, and totals of the columns that ask for one.
    """

    title: bool = True
    groups: tuple[str, ...] = Field((), max_length=4, description="Ids of columns, outermost first")
    subtotals: bool = True
    grand_total: bool = True


class Split(Part):
    """
    One file becomes several: by a number of rows, by size, or by the value of a field; one of the three.

    Split by a value, each part may also be a sheet of one spreadsheet.
    """

    rows: int | None = Field(None, ge=1)
    megabytes: Decimal | None = Field(None, gt=0, le=100_000, description="Millions of bytes")
    by: str | None = Field(None, min_length=1)
    into: Literal["files", "sheets"] = "files"

    @model_validator(mode="after")
    def _one_way(self) -> Split:
        if sum(way is not None for way in (self.rows, self.megabytes, self.by)) != 1:
            msg = "A file is split by rows, by megabytes or by a value, one of the three."
            raise ValueError(msg)
        if self.into == "sheets" and self.by is None:
            msg = "Only a split by value can go into sheets."
            raise ValueError(msg)
        return self


class ChildFile(Part):
    """
    A companion CSV of the records at the end of `path`, each with the key of the record it belongs to.

    `columns` are paths that start at these records; their everyday fields, where none are given.
    """

    path: str = Field(min_length=1)
    columns: tuple[str, ...] = Field((), max_length=200)


class Attachments(Part):
    """
    Files kept in the records, put into the archive: `path` leads to a field that holds a file, such as
    `photographs.picture`. Each record has a folder of its own there, below `folder`; a column with the heading
    `heading` names it.
    """

    path: str = Field(min_length=1)
    folder: str = Field("attachments", pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]{0,39}$")
    heading: str = Field("Attachments", max_length=HEADING_LENGTH)


class Output(Part):
    """
    The file a run makes, unless the person who runs it asks for another format.

    `style` `machine` is for programs: ISO dates, plain numbers, nothing but headings and rows. `reader` is for
    people: dates and numbers as the `locale` writes them, titles, groups, totals.
    `guard_formulas`: whether texts that a spreadsheet would run are guarded; not given, reader's style does.
    `dictionary`: how what the columns mean goes along; as a sheet, a companion CSV, or CSV on the Web metadata.
    `companions`: what else goes along, as files: the findings as CSV, the slip as JSON, and `children` as CSV.
    `archive`: all of a run's files once more in one zip; `attachments` always make one.
    `keep_days`: days until the files expire; the house's own rule where it is not given.
    """

    format: Literal["csv", "xlsx", "jsonl"] = "csv"
    name: str = Field("{template}_{as_of:%Y-%m-%d}", min_length=1, max_length=200)
    style: Literal["machine", "reader"] = "machine"
    locale: str = Field("en_GB", max_length=20)
    reader: Reader = Reader()
    guard_formulas: bool | None = None
    split: Split | None = None
    dictionary: tuple[Literal["sheet", "csv", "csvw"], ...] = ()
    companions: tuple[Literal["findings", "slip"], ...] = ()
    children: tuple[ChildFile, ...] = Field((), max_length=10)
    attachments: Attachments | None = None
    archive: bool = False
    keep_days: int | None = Field(None, ge=1, le=36_500)
    csv: Csv = Csv()
    xlsx: Xlsx = Xlsx()

    @field_validator("locale")
    @classmethod
    def _known_locale(cls, value: str) -> str:
        if value.casefold() not in _locales():
            msg = f"“{value}” is not a locale, such as en_GB or de_DE."
            raise ValueError(msg)
        return value


class Ask(Part):
    """
    A question that the template leaves open. Conditions name it; each run answers it.

    `default` is an answer as a run would give it: a list of values for `choices`, a window for `window`, otherwise
    one value.
    """

    name: str = Field(pattern=r"^[A-Za-z][A-Za-z0-9_]{0,39}$")
    label: str = Field(min_length=1, max_length=200)
    kind: Literal["choices", "text", "number", "date", "yes_no", "window"] = "text"
    default: Any = None
    required: bool = True


class Template(Part):
    """
    A reusable export template: settings, never rows.
    """

    format: Literal["bouquet-template/1"] = FORMAT
    name: str = Field(min_length=1, max_length=120)
    about: str = Field("", max_length=4_000)
    records: str
    rows: PerRecord | PerChild | PerGroup = Field(PerRecord(), discriminator="per")
    columns: tuple[Column, ...] = ()
    filter: Narrowing = AllOf(all=())
    asks: tuple[Ask, ...] = Field((), max_length=40)
    order: tuple[Order, ...] = ()
    at_most: int | None = Field(None, ge=1, le=10**12)
    zone: str = "Europe/London"
    checks: tuple[Check, ...] = Field((), max_length=100)
    output: Output = Output()

    @field_validator("zone")
    @classmethod
    def _known_zone(cls, value: str) -> str:
        if value not in available_timezones():
            msg = f"“{value}” is not a time zone, such as Europe/London."
            raise ValueError(msg)
        return value

    def as_document(self) -> dict[str, Any]:
        """
        The document as JSON values, without what stands at its default.
        """
        body = self.model_dump(mode="json", by_alias=True, exclude_defaults=True)
        return {"format": FORMAT, "name": self.name, "records": self.records, **body}


def _upgrade(document: dict[str, Any], version: int) -> dict[str, Any]:
    """
    Bring an older document to the newest format. Version 1 is the first.
    """
    return {**document, "format": f"bouquet-template/{max(version, NEWEST)}"}


def read_document(document: object) -> Template:
    """
    Read a template document.

    Raises `DocumentError` with every problem found, each at its place.
    """
    if not isinstance(document, dict):
        raise DocumentError([Problem(code="not_a_document", message="A template document is a JSON object.")])
    named = re.fullmatch(r"bouquet-template/(\d{1,6})", str(document.get("format", FORMAT)))
    if named is None:
        message = f"“{document.get('format')}” is not a format of template; expected “{FORMAT}”."
        raise DocumentError([Problem(code="unknown_format", message=message, place="format")])
    version = int(named.group(1))
    if version > NEWEST:
        message = (
            f"This document was written by a newer Bouquet (format {version}; this one reads up to {NEWEST}). "
            "Update Bouquet, or export it again in the older format."
        )
        raise DocumentError([Problem(code="newer_format", message=message, place="format")])
    problem = _unreadable(document) or _oversize(document)
    if problem is not None:
        raise DocumentError([problem])
    try:
        return Template.model_validate(_upgrade(document, version))
    except ValidationError as error:
        raise DocumentError([_problem_of(e) for e in error.errors()]) from error


def _unreadable(document: dict[str, Any]) -> Problem | None:
    """
    Texts with half a character (a lone surrogate), which no file and no database can hold.
    """
    waiting: list[tuple[Any, tuple[int | str, ...]]] = [(document, ())]
    while waiting:
        part, location = waiting.pop()
        if isinstance(part, str) and any("\ud800" <= c <= "\udfff" for c in part):
            message = "This text holds a character that no file can carry."
            return Problem(code="unreadable", message=message, place=_place_of(location))
        if len(location) > 4 * DEEPEST:
            return Problem(code="too_deep", message=f"This is nested more than {DEEPEST} deep.", place="")
        if isinstance(part, dict):
            waiting += [(inner, (*location, str(key))) for key, inner in part.items()]
        elif isinstance(part, list | tuple):
            waiting += [(inner, (*location, n)) for n, inner in enumerate(part)]
    return None


def _oversize(document: dict[str, Any]) -> Problem | None:
    """
    What of a document is more than can be worked with: told before anything is made of it.
    """
    conditions, waiting = 0, [(document.get(name), name, 0) for name in ("filter", "columns", "checks")]
    for name, most in MOST.items():
        found = document.get(name)
        if isinstance(found, list | tuple) and len(found) > most:
            message = f"A template has at most {most:,} {name}; this one has {len(found):,}."
            return Problem(code="too_many", message=message, place=name)
    while waiting:
        part, place, depth = waiting.pop()
        if depth > DEEPEST:
            message = f"This is nested more than {DEEPEST} deep."
            return Problem(code="too_deep", message=message, place=place)
        if isinstance(part, dict):
            conditions += bool({"is", "has", "picks"} & part.keys())
            if conditions > MOST_CONDITIONS:
                message = f"A template has at most {MOST_CONDITIONS:,} conditions."
                return Problem(code="too_many", message=message, place=place)
            waiting += [(inner, place, depth + 1) for inner in part.values()]
        elif isinstance(part, list | tuple):
            waiting += [(inner, place, depth) for inner in part if isinstance(inner, dict | list | tuple)]
    return None


def document_schema() -> dict[str, Any]:
    """
    The JSON Schema of a template document.
    """
    return Template.model_json_schema(by_alias=True)


_TAGS = re.compile(r"^<.*>$|^(FieldValue|Constant|bool|int|float|str|decimal|record|child|group)$")


def _place_of(location: tuple[int | str, ...]) -> str:
    place = ""
    for step in location:
        if isinstance(step, int):
            place += f"[{step}]"
        elif not _TAGS.match(step):
            place += f".{step}" if place else step
    return place


_WORDS = {
    "extra_forbidden": "This key is not known here.",
    "missing": "This is missing.",
    "string_type": "A text is expected here.",
    "int_parsing": "A whole number is expected here.",
    "union_tag_invalid": "A condition or a group (all, any, none) is expected here.",
    "union_tag_not_found": "A “per” is expected here: record, child or group.",
}


def _problem_of(error: Any) -> Problem:
    message = _WORDS.get(error["type"]) or re.sub(r"^Value error, ", "", error["msg"])
    return Problem(code=error["type"], message=message, place=_place_of(error["loc"]))


for _model in (Fold, Has, Column, AllOf, AnyOf, NoneOf):
    _model.model_rebuild()
Template.model_rebuild()
