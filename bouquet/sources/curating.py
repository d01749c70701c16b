"""
Editing a curated catalogue: single edits laid on the document, which stays one that can be read and written as TOML.

What is edited of a field is kept with all that is known of it, guesses included, so that it stays as people saw it when
they said so; what nobody touched goes on being guessed.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from bouquet.core.catalogue import Catalogue, Kind, RecordType
from bouquet.core.catalogue import Field as CatalogueField
from bouquet.sources.overlay import (
    FieldOverlay,
    Overlay,
    OverlayError,
    RecordTypeOverlay,
    RelationOverlay,
    field_overlay,
    kinds_of,
    table_key,
)

__all__ = ["Edit", "NewRelation", "edited", "known_share"]

_Label = Annotated[str, Field(max_length=120)]
_Text = Annotated[str, Field(max_length=2_000)]


class NewRelation(BaseModel):
    """
    A way from a record type to another that the database does not declare: to the table `to`, where `columns` (own
    column → column there) are equal.
    """

    model_config = ConfigDict(extra="forbid")

    label: Annotated[str, Field(min_length=1, max_length=120)]
    to: Annotated[str, Field(min_length=1, max_length=200)]
    columns: Annotated[dict[str, str], Field(min_length=1, max_length=8)]
    many: bool = False


class Edit(BaseModel):
    """
    One edit of the catalogue: of a table as a whole, or of one `field` of it, by its name. What is not given stays.

    `title` is the field that records are known by; `hidden` takes the record type away; `keep` keeps all guesses about
    the field, or the table, as what is known. An empty `retired` brings a field back.
    """

    model_config = ConfigDict(extra="forbid")

    table: Annotated[str, Field(min_length=1, max_length=200)]
    field: Annotated[str, Field(max_length=200)] | None = None
    keep: bool = False
    label: _Label | None = None
    plural: _Label | None = None
    meaning: _Text | None = None
    title: Annotated[str, Field(max_length=400)] | None = None
    link: Annotated[str, Field(max_length=500)] | None = None
    hidden: bool | None = None
    relation: NewRelation | None = None
    without_relation: Annotated[str, Field(max_length=200)] | None = None
    unit: Annotated[str, Field(max_length=40)] | None = None
    kind: Kind | None = None
    everyday: bool | None = None
    personal: bool | None = None
    retired: _Text | None = None
    substitute: Annotated[str, Field(max_length=200)] | None = None
    synonyms: Annotated[tuple[_Label, ...], Field(max_length=40)] | None = None
    choices: Annotated[dict[_Label, _Label], Field(max_length=500)] | None = None


def edited(overlay: Overlay, catalogue: Catalogue, edits: Sequence[Edit]) -> Overlay:
    """
    The curated catalogue with edits made on `catalogue`, which is what it comes to now.

    Raises OverlayError where an edit is of what is not there, or cannot be said of it.
    """
    types = {table_key(t): t for t in catalogue.record_types.values()}
    tables, hidden = dict(overlay.tables), list(overlay.hidden)
    for edit in edits:
        if edit.hidden is not None:
            hidden = [t for t in hidden if t != edit.table] + [edit.table] * edit.hidden
        record_type = types.get(edit.table)
        if record_type is None:
            if edit.hidden is None:
                raise OverlayError(f"There is no record type of the table “{edit.table}”.")
            continue
        known = tables.get(edit.table, RecordTypeOverlay(name=record_type.name, guessed=True))
        if edit.field is not None:
            tables[edit.table] = _with_field(known, record_type, edit)
        elif edit.keep:
            tables[edit.table] = _with_all_kept(known, record_type)
        else:
            tables[edit.table] = _with_record_type(known, record_type, edit, types)
    return overlay.model_copy(update={"tables": tables, "hidden": tuple(hidden)})


def known_share(record_type: RecordType) -> tuple[int, int]:
    """
    (fields about which nothing is guessed, all fields) of a record type.
    """
    return sum(not f.guesses for f in record_type.fields), len(record_type.fields)


def _with_field(known: RecordTypeOverlay, record_type: RecordType, edit: Edit) -> RecordTypeOverlay:
    found = record_type.field_named(edit.field or "")
    if found is None:
        raise OverlayError(f"The {record_type.label} has no field “{edit.field}”.")
    part, key = _place_of(found)
    fields: dict[str, FieldOverlay] = dict(getattr(known, part))
    fields[key] = _changed(fields.get(key) or field_overlay(found), found, record_type, edit)
    return known.model_copy(update={part: fields})


def _place_of(found: CatalogueField) -> tuple[str, str]:
    """
    Where the curated catalogue speaks of a field, and by what name.
    """
    if found.attribute is not None:
        return "custom", found.attribute.name
    return ("custom", found.json_key) if found.json_key is not None else ("fields", found.column)


def _changed(told: FieldOverlay, found: CatalogueField, record_type: RecordType, edit: Edit) -> FieldOverlay:
    changes: dict[str, object] = {"name": found.name}
    for name in ("meaning", "unit", "everyday", "personal", "synonyms", "choices"):
        if getattr(edit, name) is not None:
            changes[name] = getattr(edit, name)
    if edit.choices is not None:
        changes["lookup"] = None
    if edit.label is not None:
        if not edit.label.strip():
            raise OverlayError(f"“{found.label}” of {record_type.plural} needs a label.")
        changes["label"] = edit.label.strip()
    if edit.kind is not None:
        stored = "text" if found.typed_text else found.stored
        if edit.kind is not found.kind and edit.kind not in kinds_of(stored, found.kind):
            raise OverlayError(f"“{found.label}” is kept as {stored}, and cannot be of the kind {edit.kind}.")
        changes["kind"] = edit.kind
    if edit.retired is not None:
        changes["retired"] = edit.retired.strip() or None
    if edit.substitute is not None:
        if edit.substitute and record_type.field_named(edit.substitute) is None:
            raise OverlayError(f"The {record_type.label} has no field “{edit.substitute}” to take instead.")
        changes["substitute"] = edit.substitute or None
    return told.model_copy(update=changes)


def _with_all_kept(known: RecordTypeOverlay, record_type: RecordType) -> RecordTypeOverlay:
    """
    Everything that is guessed of a record type as what is known.
    """
    parts: dict[str, dict[str, FieldOverlay]] = {"fields": dict(known.fields), "custom": dict(known.custom)}
    for found in record_type.fields:
        part, key = _place_of(found)
        parts[part].setdefault(key, field_overlay(found))
    facts = {
        "label": known.label or record_type.label,
        "plural": known.plural or record_type.plural,
        "title": known.title or record_type.title,
        "touched_by": known.touched_by or record_type.touched_by,
        "proposed": known.proposed or tuple(dict(p) for p in record_type.proposed),
    }
    return known.model_copy(update={**parts, **facts})


def _with_record_type(
    known: RecordTypeOverlay, record_type: RecordType, edit: Edit, types: dict[str, RecordType]
) -> RecordTypeOverlay:
    changes: dict[str, object] = {}
    for name in ("label", "plural"):
        value = getattr(edit, name)
        if value is not None:
            if not value.strip():
                raise OverlayError(f"The {record_type.label} needs a name.")
            changes[name] = value.strip()
    if edit.meaning is not None:
        changes["meaning"] = edit.meaning
    if edit.link is not None:
        changes["link"] = edit.link.strip() or None
    if edit.title is not None:
        if record_type.field_named(edit.title) is None:
            raise OverlayError(f"The {record_type.label} has no field “{edit.title}” to be known by.")
        changes["title"] = edit.title
    relations = list(known.relations)
    if edit.without_relation is not None:
        relations = [r for r in relations if r.name != edit.without_relation]
        if len(relations) == len(known.relations):
            raise OverlayError(f"“{edit.without_relation}” is no relation that was made by hand.")
    if edit.relation is not None:
        relations.append(_relation(record_type, edit.relation, types))
    return known.model_copy(update={**changes, "relations": tuple(relations)})


def _relation(record_type: RecordType, new: NewRelation, types: dict[str, RecordType]) -> RelationOverlay:
    target = types.get(new.to)
    if target is None:
        raise OverlayError(f"There is no record type of the table “{new.to}” to lead to.")
    for own, other in new.columns.items():
        for holder, column in ((record_type, own), (target, other)):
            if column not in {f.column for f in holder.fields if not f.is_custom}:
                raise OverlayError(f"The {holder.label} has no column “{column}”.")
    taken = {r.name for r in record_type.relations} | {f.name for f in record_type.fields}
    plain = "_".join("".join(c if c.isalnum() else " " for c in new.label.lower()).split()) or target.name
    name, n = plain, 2
    while name in taken:
        name, n = f"{plain}_{n}", n + 1
    return RelationOverlay(name=name, label=new.label.strip(), to=new.to, columns=new.columns, many=new.many)
