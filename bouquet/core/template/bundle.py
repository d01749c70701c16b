"""
Bundles: several templates, run as one on one snapshot. Format `bouquet-bundle/1`.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from pydantic import Field, ValidationError

from bouquet.core.catalogue import Kind, RecordType
from bouquet.core.errors import DocumentError, Problem
from bouquet.core.template.document import Template, read_document
from bouquet.core.template.output import Output
from bouquet.core.template.part import Part
from bouquet.core.template.values import Column, FieldValue

__all__ = ["BUNDLE", "Bundle", "is_bundle", "read_bundle", "whole_template"]

BUNDLE = "bouquet-bundle/1"


class Bundle(Part):
    """
    Several templates under one name. Their files go into one archive with one slip.
    """

    format: str = BUNDLE
    name: str = Field(min_length=1, max_length=120)
    parts: tuple[Template, ...] = Field(min_length=1, max_length=200)

    def as_document(self) -> dict[str, Any]:
        """
        The bundle as JSON values.
        """
        return {"format": BUNDLE, "name": self.name, "parts": [p.as_document() for p in self.parts]}


def is_bundle(document: Any) -> bool:
    """
    Whether a document says that it is a bundle.
    """
    return isinstance(document, dict) and str(document.get("format", "")).startswith("bouquet-bundle/")


def read_bundle(document: dict[str, Any]) -> Bundle:
    """
    Read a bundle. Raises DocumentError with every problem found, those of parts at `parts[n]`.
    """
    if document.get("format") != BUNDLE:
        message = f"“{document.get('format')}” is not a format of bundle that can be read; expected “{BUNDLE}”."
        raise DocumentError([Problem(code="unknown_format", message=message, place="format")])
    problems: list[Problem] = []
    parts: list[Template] = []
    for n, part in enumerate(document.get("parts") or ()):
        try:
            parts.append(read_document(part))
        except DocumentError as error:
            problems += [replace(p, place=f"parts[{n}].{p.place}".rstrip(".")) for p in error.problems]
    if problems:
        raise DocumentError(problems)
    try:
        return Bundle(name=document.get("name", ""), parts=tuple(parts))
    except ValidationError as error:
        message = "A bundle has a name, and at least one template or record type in it."
        raise DocumentError([Problem(code="empty_bundle", message=message, place="parts")]) from error


def whole_template(record_type: RecordType, fields: Sequence[str] = ()) -> Template:
    """
    A template of every field of a record type that a sheet can hold, and of all its records.
    """
    held = [f for f in record_type.fields if f.kind is not Kind.FILE and (not fields or f.name in fields)]
    labels = Counter(f.label.casefold() for f in held)
    columns = [
        Column(
            id=f"c{n}",
            heading=f.label if labels[f.label.casefold()] == 1 else f"{f.label} ({f.name})",
            value=FieldValue(field=f.name),
        )
        for n, f in enumerate(held)
    ]
    plural = record_type.plural[:1].upper() + record_type.plural[1:]
    return Template(
        name=plural, records=record_type.name, columns=tuple(columns), output=Output(name="{records}_{as_of:%Y-%m-%d}")
    )
