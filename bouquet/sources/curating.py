"""
Editing a curated catalogue: single edits laid on the document, which stays one that can be read and written as TOML.

What is edited of a field is kept with all that is known of it, guesses included, so that it stays as people saw it when
they said so; what nobody touched goes on being guessed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from bouquet.core.catalogue import Catalogue, Kind, RecordType
from bouquet.core.catalogue import Field as CatalogueField
from bouquet.core.language import tr
from bouquet.core.personal import PersonalClass
from bouquet.core.template.described import NarrowingDocument
from bouquet.sources.making import field_made, made_type
from bouquet.sources.names import free_name, name_of_label
from bouquet.sources.overlay import (
    FieldOverlay,
    MadeFieldOverlay,
    MadeTypeOverlay,
    Overlay,
    OverlayError,
    RecordTypeOverlay,
    RelationOverlay,
    field_overlay,
    kinds_of,
    table_key,
)

__all__ = ["Edit", "NewField", "NewRelation", "NewType", "edited", "known_share"]

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


class NewField(BaseModel):
    """
    A field that a formula makes, of the record's own fields and of those that it leads to.
    """

    model_config = ConfigDict(extra="forbid")

    label: Annotated[str, Field(min_length=1, max_length=120)]
    formula: Annotated[str, Field(min_length=1, max_length=4_000)]
    meaning: _Text = ""


class NewType(BaseModel):
    """
    A record type made from another: of its records those that a narrowing, as in a template document, leaves.
    """

    model_config = ConfigDict(extra="forbid")

    label: Annotated[str, Field(min_length=1, max_length=120)]
    plural: Annotated[str, Field(min_length=1, max_length=120)]
    where: NarrowingDocument
    meaning: _Text = ""


class Edit(BaseModel):
    """
    One edit of the catalogue: of a table as a whole, or of one `field` of it, by its name. What is not given stays.
    `schemas`, without a table, are those whose tables are read; none for all.

    `title` is the field that records are known by; `hidden` takes the record type away; `keep` keeps all guesses about
    the field, or the table, as what is known. An empty `retired` brings a field back. `made` adds a field that a
    formula makes, or changes the `field` that is one; `without_made` takes one away. `made_type` adds a record type
    made from that of the table, or changes the one that `table` names.
    """

    model_config = ConfigDict(extra="forbid")

    table: Annotated[str, Field(max_length=200)]
    schemas: Annotated[tuple[Annotated[str, Field(max_length=120)], ...], Field(max_length=500)] | None = None
    field: Annotated[str, Field(max_length=200)] | None = None
    keep: bool = False
    label: _Label | None = None
    plural: _Label | None = None
    meaning: _Text | None = None
    title: Annotated[str, Field(max_length=400)] | None = None
    link: Annotated[str, Field(max_length=500)] | None = None
    touched_by: Annotated[str, Field(max_length=400)] | None = None
    belongs_to: Annotated[str, Field(max_length=400)] | None = None
    unit_by: Annotated[str, Field(max_length=400)] | None = None
    hidden: bool | None = None
    relation: NewRelation | None = None
    without_relation: Annotated[str, Field(max_length=200)] | None = None
    made: NewField | None = None
    without_made: Annotated[str, Field(max_length=200)] | None = None
    made_type: NewType | None = None
    unit: Annotated[str, Field(max_length=40)] | None = None
    kind: Kind | None = None
    everyday: bool | None = None
    personal: bool | None = None
    personal_class: PersonalClass | None = None
    part_of: Annotated[str, Field(max_length=40)] | None = None
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
    tables, hidden, made = dict(overlay.tables), list(overlay.hidden), dict(overlay.made)
    for edit in edits:
        if edit.schemas is not None:
            overlay = overlay.model_copy(update={"schemas": _known_schemas(catalogue, edit.schemas)})
            continue
        if edit.table.startswith("#") or edit.made_type is not None:
            _edit_made_type(made, edit, catalogue, types)
            continue
        if edit.hidden is not None:
            hidden = [t for t in hidden if t != edit.table] + [edit.table] * edit.hidden
        record_type = types.get(edit.table)
        if record_type is None:
            if edit.hidden is None:
                raise OverlayError(tr("There is no record type of the table “{table}”.", table=edit.table))
            continue
        known = tables.get(edit.table, RecordTypeOverlay(name=record_type.name, guessed=True))
        if edit.field is not None and edit.made is None:
            tables[edit.table] = _with_field(known, record_type, edit)
        elif edit.keep:
            tables[edit.table] = _with_all_kept(known, record_type)
        elif edit.made is not None or edit.without_made is not None:
            tables[edit.table] = _with_made(known, catalogue, record_type, edit)
        else:
            tables[edit.table] = _with_record_type(known, record_type, edit, types)
    return overlay.model_copy(update={"tables": tables, "hidden": tuple(hidden), "made": made})


def _known_schemas(catalogue: Catalogue, schemas: Sequence[str]) -> tuple[str, ...]:
    known = [name for name, _ in catalogue.schemas]
    missing = [s for s in schemas if s not in known]
    if missing:
        raise OverlayError(tr("There is no schema “{missing}” in this source.", missing=missing[0]))
    chosen = tuple(s for s in known if s in schemas)
    return () if len(chosen) == len(known) else chosen


def known_share(record_type: RecordType) -> tuple[int, int]:
    """
    (fields about which nothing is guessed, all fields) of a record type.
    """
    return sum(not f.guesses for f in record_type.fields), len(record_type.fields)


def _with_field(known: RecordTypeOverlay, record_type: RecordType, edit: Edit) -> RecordTypeOverlay:
    found = record_type.field_named(edit.field or "")
    if found is None:
        raise OverlayError(
            tr(
                "The {record_type} has no field “{field}”.",
                record_type=record_type.label,
                field=edit.field,
            )
        )
    if found.formula:
        return _with_made_changed(known, found, edit)
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
    for name in ("meaning", "unit", "everyday", "personal", "personal_class", "part_of", "synonyms", "choices"):
        if getattr(edit, name) is not None:
            changes[name] = getattr(edit, name)
    if edit.choices is not None:
        changes["lookup"] = None
    if edit.label is not None:
        if not edit.label.strip():
            raise OverlayError(
                tr(
                    "“{label}” of {record_type} needs a label.",
                    label=found.label,
                    record_type=record_type.plural,
                )
            )
        changes["label"] = edit.label.strip()
    if edit.kind is not None:
        stored = "text" if found.typed_text else found.stored
        if edit.kind is not found.kind and edit.kind not in kinds_of(stored, found.kind):
            raise OverlayError(
                tr(
                    "“{label}” is kept as {stored}, and cannot be of the kind {kind}.",
                    label=found.label,
                    stored=stored,
                    kind=edit.kind,
                )
            )
        changes["kind"] = edit.kind
    if edit.retired is not None:
        changes["retired"] = edit.retired.strip() or None
    if edit.substitute is not None:
        if edit.substitute and record_type.field_named(edit.substitute) is None:
            raise OverlayError(
                tr(
                    "The {record_type} has no field “{substitute}” to take instead.",
                    record_type=record_type.label,
                    substitute=edit.substitute,
                )
            )
        changes["substitute"] = edit.substitute or None
    return told.model_copy(update=changes)


def _with_all_kept(known: RecordTypeOverlay, record_type: RecordType) -> RecordTypeOverlay:
    """
    Everything that is guessed of a record type as what is known.
    """
    parts: dict[str, dict[str, FieldOverlay]] = {"fields": dict(known.fields), "custom": dict(known.custom)}
    for found in record_type.fields:
        if found.formula:
            continue
        part, key = _place_of(found)
        parts[part].setdefault(key, field_overlay(found))
    facts = {
        "label": known.label or record_type.label,
        "plural": known.plural or record_type.plural,
        "title": known.title or record_type.title,
        "touched_by": known.touched_by or record_type.touched_by,
        "belongs_to": known.belongs_to or record_type.belongs_to,
        "unit_by": known.unit_by or record_type.unit_by,
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
                raise OverlayError(tr("The {record_type} needs a name.", record_type=record_type.label))
            changes[name] = value.strip()
    if edit.meaning is not None:
        changes["meaning"] = edit.meaning
    if edit.link is not None:
        changes["link"] = edit.link.strip() or None
    facts = {
        "touched_by": tr("that names a person"),
        "belongs_to": tr("that names a person"),
        "unit_by": tr("that tells a unit"),
    }
    for fact, what in facts.items():
        said = getattr(edit, fact)
        if said and record_type.field_named(said) is None:
            raise OverlayError(
                tr(
                    "The {record_type} has no field “{said}” {what}.",
                    record_type=record_type.label,
                    said=said,
                    what=what,
                )
            )
        if said is not None:
            changes[fact] = said or None
    if edit.title is not None:
        if record_type.field_named(edit.title) is None:
            raise OverlayError(
                tr(
                    "The {record_type} has no field “{edit}” to be known by.",
                    record_type=record_type.label,
                    edit=edit.title,
                )
            )
        changes["title"] = edit.title
    relations = list(known.relations)
    if edit.without_relation is not None:
        relations = [r for r in relations if r.name != edit.without_relation]
        if len(relations) == len(known.relations):
            raise OverlayError(
                tr(
                    "“{without_relation}” is no relation that was made by hand.",
                    without_relation=edit.without_relation,
                )
            )
    if edit.relation is not None:
        relations.append(_relation(record_type, edit.relation, types))
    return known.model_copy(update={**changes, "relations": tuple(relations)})


def _relation(record_type: RecordType, new: NewRelation, types: dict[str, RecordType]) -> RelationOverlay:
    target = types.get(new.to)
    if target is None:
        raise OverlayError(tr("There is no record type of the table “{to}” to lead to.", to=new.to))
    for own, other in new.columns.items():
        for holder, column in ((record_type, own), (target, other)):
            if column not in {f.column for f in holder.fields if not f.is_custom and not f.formula}:
                raise OverlayError(tr("The {holder} has no column “{column}”.", holder=holder.label, column=column))
    taken = {r.name for r in record_type.relations} | {f.name for f in record_type.fields}
    name = free_name(name_of_label(new.label, target.name), taken)
    return RelationOverlay(name=name, label=new.label.strip(), to=new.to, columns=new.columns, many=new.many)


def _with_made(
    known: RecordTypeOverlay, catalogue: Catalogue, record_type: RecordType, edit: Edit
) -> RecordTypeOverlay:
    made = dict(known.made)
    if edit.without_made is not None:
        if made.pop(edit.without_made, None) is None:
            raise OverlayError(
                tr(
                    "“{without_made}” is no field that was made by a formula.",
                    without_made=edit.without_made,
                )
            )
        return known.model_copy(update={"made": made})
    assert edit.made is not None
    plain = replace(record_type, fields=tuple(f for f in record_type.fields if f.name != edit.field))
    taken = {r.name for r in plain.relations} | {f.name for f in plain.fields}
    name = edit.field if edit.field in made else free_name(name_of_label(edit.made.label, "made"), taken)
    assert name is not None
    told = made.get(name, MadeFieldOverlay(label="", formula="", everyday=True))
    new = told.model_copy(update=edit.made.model_dump())
    field_made(catalogue, plain, name, new)
    return known.model_copy(update={"made": {**made, name: new}})


def _with_made_changed(known: RecordTypeOverlay, found: CatalogueField, edit: Edit) -> RecordTypeOverlay:
    """
    What can be said of a field that a formula makes: all but its kind, which the formula gives.
    """
    names = ("label", "meaning", "unit", "everyday", "personal", "personal_class", "part_of", "synonyms")
    changes = {n: getattr(edit, n) for n in names if getattr(edit, n) is not None}
    if edit.label is not None and not edit.label.strip():
        raise OverlayError(tr("“{label}” needs a label.", label=found.label))
    return known.model_copy(
        update={"made": {**known.made, found.name: known.made[found.name].model_copy(update=changes)}}
    )


def _edit_made_type(
    made: dict[str, MadeTypeOverlay], edit: Edit, catalogue: Catalogue, types: dict[str, RecordType]
) -> None:
    name = edit.table.removeprefix("#")
    told = made.get(name) if edit.table.startswith("#") else None
    if edit.table.startswith("#") and told is None:
        raise OverlayError(tr("There is no record type “{name}” that was made from another.", name=name))
    if edit.hidden:
        made.pop(name, None)
        return
    if edit.made_type is not None:
        of = told.of if told is not None else edit.table
        if told is None:
            name = free_name(name_of_label(edit.made_type.label, "made"), catalogue.record_types)
        told = MadeTypeOverlay(of=of, **edit.made_type.model_dump())
    elif told is not None:
        changes = {n: getattr(edit, n) for n in ("label", "plural", "meaning") if getattr(edit, n)}
        told = told.model_copy(update=changes)
    assert told is not None
    made_of = types.get(told.of)
    if made_of is None:
        raise OverlayError(tr("There is no record type of the table “{of}” to make another from.", of=told.of))
    others = replace(catalogue, record_types={k: v for k, v in catalogue.record_types.items() if k != name})
    made_type(others, made_of, name, told)
    made[name] = told
