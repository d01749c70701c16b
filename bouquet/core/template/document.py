"""
The template document, format `bouquet-template/1`.

Loose JSON becomes these frozen models at the door (`read_document`); inside nothing is checked twice.
Unknown keys are refused with their path; an older format is upgraded; a newer one is refused.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated, Any, Literal, TypeAlias
from zoneinfo import available_timezones

from pydantic import BaseModel, ConfigDict, Discriminator, Field, Tag, ValidationError, field_validator

from bouquet.core.errors import DocumentError, Problem

__all__ = [
    "FORMAT",
    "HEADING_LENGTH",
    "AllOf",
    "AnyOf",
    "Column",
    "Condition",
    "Constant",
    "Csv",
    "FieldValue",
    "Narrowing",
    "NoneOf",
    "Order",
    "Output",
    "PerRecord",
    "Show",
    "Template",
    "Window",
    "Xlsx",
    "document_schema",
    "read_document",
]

FORMAT: Literal["bouquet-template/1"] = "bouquet-template/1"
NEWEST = 1

#: Characters. The most that a spreadsheet's cell shows of a heading without trouble, and then some.
HEADING_LENGTH = 255

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
Scalar: TypeAlias = bool | int | float | str


class Part(BaseModel):
    """
    Any part of a document: frozen, and strict about its keys.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class PerRecord(Part):
    """
    One row per record of the type.
    """

    per: Literal["record"] = "record"


class FieldValue(Part):
    """
    The value of a field, by its path from the record type outward.
    """

    field: str = Field(min_length=1)


class Constant(Part):
    """
    The same text in every row.
    """

    constant: str


class Show(Part):
    """
    How a column's values stand on paper. What is not given follows the machine style.
    """

    date: str | None = Field(None, description="Date pattern of Unicode TR 35, e.g. dd/MM/yyyy")
    decimals: int | None = Field(None, ge=0, le=12, description="Digits after the point, rounded half away from zero")
    decimal_mark: Literal[".", ","] = "."
    grouping: Literal["", " ", ",", ".", "'"] = ""
    prefix: str = ""
    suffix: str = ""
    choice: Literal["label", "code"] = "label"
    yes: str = "true"
    no: str = "false"
    case: Literal["as_is", "upper", "lower"] = "as_is"
    trim: bool = False


class Column(Part):
    """
    One place in the sheet.
    """

    id: str = Field(min_length=1, max_length=40)
    heading: str
    value: FieldValue | Constant
    show: Show = Show()
    blank: str = ""


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
        "all_time",
    ]
    count: int = Field(1, ge=1, le=100_000)
    unit: Unit | Literal["financial_year"] = "day"
    with_current: bool = False
    first: str | None = None
    last: str | None = None


class Condition(Part):
    """
    One comparison of one field.
    """

    path: str = Field(min_length=1)
    is_: Operator = Field(alias="is")
    value: Scalar | None = None
    values: tuple[Scalar, ...] | None = None
    window: Window | None = None
    exact: bool = False


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
    return next((f"<{k}>" for k in ("all", "any", "none") if k in keys), "<condition>")


Narrowing: TypeAlias = Annotated[
    Annotated["AllOf", Tag("<all>")]
    | Annotated["AnyOf", Tag("<any>")]
    | Annotated["NoneOf", Tag("<none>")]
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
    about_sheet: bool = False


class Output(Part):
    """
    The file a run makes, unless the person who runs it asks for another format.
    """

    format: Literal["csv", "xlsx"] = "csv"
    name: str = Field("{template}_{as_of:%Y-%m-%d}", min_length=1, max_length=200)
    csv: Csv = Csv()
    xlsx: Xlsx = Xlsx()


class Template(Part):
    """
    A reusable export template: settings, never rows.
    """

    format: Literal["bouquet-template/1"] = FORMAT
    name: str = Field(min_length=1, max_length=120)
    about: str = ""
    records: str
    rows: PerRecord = PerRecord()
    columns: tuple[Column, ...] = ()
    filter: Narrowing = AllOf(all=())
    order: tuple[Order, ...] = ()
    at_most: int | None = Field(None, ge=1)
    zone: str = "Europe/London"
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
    try:
        return Template.model_validate(_upgrade(document, version))
    except ValidationError as error:
        raise DocumentError([_problem_of(e) for e in error.errors()]) from error


def document_schema() -> dict[str, Any]:
    """
    The JSON Schema of a template document.
    """
    return Template.model_json_schema(by_alias=True)


_TAGS = re.compile(r"^<.*>$|^(FieldValue|Constant|bool|int|float|str)$")


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
}


def _problem_of(error: Any) -> Problem:
    message = _WORDS.get(error["type"]) or re.sub(r"^Value error, ", "", error["msg"])
    return Problem(code=error["type"], message=message, place=_place_of(error["loc"]))


AllOf.model_rebuild()
AnyOf.model_rebuild()
NoneOf.model_rebuild()
Template.model_rebuild()
