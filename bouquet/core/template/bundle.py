"""
Bundles: several templates, run as one on one snapshot. Format `bouquet-bundle/1`.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Any, Literal

from pydantic import Field, ValidationError, field_validator

from bouquet.core.catalogue import Kind, RecordType
from bouquet.core.errors import DocumentError, Problem
from bouquet.core.language import tr
from bouquet.core.template.described import AnswersGiven
from bouquet.core.template.document import Template, read_document
from bouquet.core.template.output import Attachments, Output
from bouquet.core.template.part import Part
from bouquet.core.template.values import Column, FieldValue
from bouquet.core.vocabulary.formats import FormatName

__all__ = [
    "BUNDLE",
    "CONTENTS",
    "MOST_PARTS",
    "Bundle",
    "BundleContents",
    "BundleTemplate",
    "is_bundle",
    "read_bundle",
    "whole_template",
    "whole_templates",
    "with_own_folders",
]

BUNDLE = "bouquet-bundle/1"

#: The form of what a saved bundle holds: templates by number, record types by name.
CONTENTS: Literal["bouquet-bundle-contents/1"] = "bouquet-bundle-contents/1"


#: Templates in one bundle: as many as a large source has record types, and more.
MOST_PARTS = 2_000


class BundleTemplate(Part):
    """
    A template of the library in a bundle, with the answers to what it asks.
    """

    template: int = Field(ge=0, lt=2**63)
    answers: AnswersGiven = Field({})


class BundleContents(Part):
    """
    What a saved bundle holds. It follows its templates: each run takes what was saved of them last. `everything` takes
    all record types of the source, `attachments` all files that are kept in the records of whole record types.
    `file_format`: of all files, instead of what each template says.
    """

    format: Literal["bouquet-bundle-contents/1"] = CONTENTS
    name: str = Field(min_length=1, max_length=120)
    templates: tuple[BundleTemplate, ...] = Field((), max_length=100)
    records: tuple[str, ...] = Field((), max_length=200)
    everything: bool = False
    attachments: bool = False
    file_format: FormatName | None = None

    @field_validator("templates", mode="before")
    @classmethod
    def _numbers_alone(cls, value: Any) -> Any:
        return [{"template": v} if isinstance(v, int) else v for v in value] if isinstance(value, list) else value

    @field_validator("name")
    @classmethod
    def _named(cls, value: str) -> str:
        if not value.strip():
            msg = tr("A bundle has a name.")
            raise ValueError(msg)
        return value.strip()

    def as_document(self) -> dict[str, Any]:
        """
        The contents as JSON values.
        """
        return {"format": CONTENTS, **self.model_dump(mode="json", exclude_defaults=True, exclude={"format"})}


class Bundle(Part):
    """
    Several templates under one name, each with answers to what it asks. Their files go into one archive with one slip.
    """

    format: str = BUNDLE
    name: str = Field(min_length=1, max_length=120)
    parts: tuple[Template, ...] = Field(min_length=1, max_length=MOST_PARTS)
    answers: tuple[dict[str, Any], ...] = ()

    def answers_of(self, n: int) -> dict[str, Any]:
        """
        The answers to what the n-th template asks.
        """
        return self.answers[n] if n < len(self.answers) else {}

    def as_document(self) -> dict[str, Any]:
        """
        The bundle as JSON values.
        """
        answers = {"answers": list(self.answers)} if any(self.answers) else {}
        return {"format": BUNDLE, "name": self.name, "parts": [p.as_document() for p in self.parts], **answers}


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
        message = tr(
            "“{value}” is not a format of bundle that can be read; expected “{bundle}”.",
            value=document.get("format"),
            bundle=BUNDLE,
        )
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
        return Bundle(name=document.get("name", ""), parts=tuple(parts), answers=tuple(document.get("answers") or ()))
    except ValidationError as error:
        message = tr("A bundle has a name, and at least one template or record type in it.")
        raise DocumentError([Problem(code="empty_bundle", message=message, place="parts")]) from error


def whole_templates(
    record_type: RecordType, fields: Sequence[str] = (), *, attachments: bool = False
) -> Iterator[Template]:
    """
    A template of every field of a record type that a sheet can hold, and of all its records; with `attachments`, also
    of the files that are kept in them: those of the first field that holds files go along with the template, those of
    each further one with a template of its own.
    """
    whole = whole_template(record_type, fields)
    files = [f for f in record_type.fields if f.kind is Kind.FILE and attachments and record_type.key]
    if not files:
        yield whole
    for n, field in enumerate(files):
        kept = Attachments(path=field.name, folder=_folder(f"{record_type.name}-{field.name}"), heading=field.label)
        made = whole.model_copy(update={"output": whole.output.model_copy(update={"attachments": kept})})
        if n:
            name = f"{whole.name}, {field.label}"[:120]
            keys = {FieldValue(field=k) for k in record_type.key}
            held = tuple(c for c in made.columns if c.value in keys)
            made = made.model_copy(update={"name": name, "columns": held})
        yield made


def _folder(name: str) -> str:
    return re.sub(r"[^A-Za-z0-9_-]", "-", name).lstrip("-_")[:40] or "attachments"


def with_own_folders(parts: Sequence[Template]) -> tuple[Template, ...]:
    """
    The templates, each with a folder of its own for the files that go along with it, in the one archive of all.
    """
    taken: set[str] = set()
    found = []
    for part in parts:
        kept = part.output.attachments
        if kept is not None:
            folder, n = kept.folder, 1
            while folder.casefold() in taken:
                n += 1
                folder = f"{kept.folder[:36]}-{n}"
            taken.add(folder.casefold())
            output = part.output.model_copy(update={"attachments": kept.model_copy(update={"folder": folder})})
            part = part.model_copy(update={"output": output})
        found.append(part)
    return tuple(found)


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
