"""
The template document, format `bouquet-template/1`.

Loose JSON becomes these frozen models at the door (`read_document`); inside nothing is checked twice.
Unknown keys are refused with their path; an older format is upgraded; a newer one is refused.
"""

from __future__ import annotations

import re
from typing import Any, Literal, TypeAlias

from pydantic import Field, ValidationError, field_validator

from bouquet.core.errors import DocumentError, Problem
from bouquet.core.language import tr
from bouquet.core.template.checks import Check
from bouquet.core.template.described import AnswerDocument
from bouquet.core.template.filter import AllOf, Narrowing
from bouquet.core.template.output import Output
from bouquet.core.template.part import Part
from bouquet.core.template.refusals import oversize, problem_of, unreadable
from bouquet.core.template.values import Column, PerChild, PerGroup, PerRecord
from bouquet.core.zones import known_zones

__all__ = ["FORMAT", "Ask", "Order", "Template", "document_schema", "read_document"]

FORMAT: Literal["bouquet-template/1"] = "bouquet-template/1"


NEWEST = 1


class Order(Part):
    """
    One level of the order of rows: by a column of the sheet, or by a field that need not be in it.
    """

    column: str | None = None
    path: str | None = None
    direction: Literal["ascending", "descending"] = "ascending"
    blanks: Literal["first", "last"] = "last"


class Ask(Part):
    """
    A question that the template leaves open. Conditions name it; each run answers it.

    `default` is an answer as a run would give it: a list of values for `choices`, a window for `window`, otherwise
    one value.
    """

    name: str = Field(pattern=r"^[A-Za-z][A-Za-z0-9_]{0,39}$")
    label: str = Field(min_length=1, max_length=200)
    kind: Literal["choices", "text", "number", "date", "yes_no", "window"] = "text"
    default: AnswerDocument = None
    required: bool = True


#: Which records a file holds: everything, what no earlier one held, or also what changed since.
Only: TypeAlias = Literal["everything", "new", "new_or_changed"]


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
    only: Only = "everything"
    zone: str = "Europe/London"
    checks: tuple[Check, ...] = Field((), max_length=100)
    output: Output = Output()

    @field_validator("zone")
    @classmethod
    def _known_zone(cls, value: str) -> str:
        if value not in known_zones():
            msg = tr("“{value}” is not a time zone, such as Europe/London.", value=value)
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
        raise DocumentError([Problem(code="not_a_document", message=tr("A template document is a JSON object."))])
    named = re.fullmatch(r"bouquet-template/(\d{1,6})", str(document.get("format", FORMAT)))
    if named is None:
        message = tr(
            "“{value}” is not a format of template; expected “{format}”.",
            value=document.get("format"),
            format=FORMAT,
        )
        raise DocumentError([Problem(code="unknown_format", message=message, place="format")])
    version = int(named.group(1))
    if version > NEWEST:
        message = tr(
            "This document was written by a newer Bouquet (format {version}; this one reads up to "
            "{newest}). Update Bouquet, or export it again in the older format.",
            version=version,
            newest=NEWEST,
        )
        raise DocumentError([Problem(code="newer_format", message=message, place="format")])
    problem = unreadable(document) or oversize(document)
    if problem is not None:
        raise DocumentError([problem])
    try:
        return Template.model_validate(_upgrade(document, version))
    except ValidationError as error:
        raise DocumentError([problem_of(e) for e in error.errors()]) from error


def document_schema() -> dict[str, Any]:
    """
    The JSON Schema of a template document.
    """
    return Template.model_json_schema(by_alias=True)
