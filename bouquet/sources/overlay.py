"""
The curated document that is laid over what the database says of itself.

TOML; unknown keys are refused. What it does not mention keeps the database's own names.
"""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any, Literal

import tomli_w
from pydantic import BaseModel, ConfigDict, ValidationError

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType
from bouquet.core.errors import BouquetError
from bouquet.core.exact_json import decimal_of
from bouquet.core.language import tr
from bouquet.core.personal import PersonalClass

__all__ = [
    "AttributeOverlay",
    "FieldOverlay",
    "Lookup",
    "MadeFieldOverlay",
    "MadeTypeOverlay",
    "Overlay",
    "OverlayError",
    "RecordTypeOverlay",
    "RelationOverlay",
    "field_overlay",
    "kinds_of",
    "overlay_of",
    "parse_overlay",
    "read_overlay",
    "table_key",
    "write_overlay",
]


class OverlayError(BouquetError):
    """
    The curated catalogue cannot be read.
    """

    code = "overlay"


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Lookup(_Part):
    """
    The table that holds the labels of a column's codes. `order` names the column that ranks them, where there is one;
    whole numbers rank themselves.
    """

    table: str
    code: str = "code"
    label: str = "label"
    order: str | None = None


class FieldOverlay(_Part):
    """
    What people know about one column.
    """

    name: str | None = None
    label: str | None = None
    meaning: str = ""
    unit: str = ""
    kind: Kind | None = None
    everyday: bool = False
    personal: bool = False
    #: What kind of personal data it is (see `core.personal`); guessed where nobody says.
    personal_class: PersonalClass | None = None
    part_of: str = ""
    retired: str | None = None
    substitute: str | None = None
    synonyms: tuple[str, ...] = ()
    #: Labels of codes, from a table of the source, or spelled out.
    lookup: Lookup | None = None
    choices: dict[str, str] = {}


class RelationOverlay(_Part):
    """
    A relation that the database does not declare, or a better name for one that it does.
    """

    name: str
    label: str
    to: str
    columns: dict[str, str]
    many: bool = False


class AttributeOverlay(_Part):
    """
    A table beside this one that holds further values, a row each: `name` says which, `value` what.
    """

    table: str
    columns: dict[str, str]
    name: str
    value: str


class MadeFieldOverlay(_Part):
    """
    A field that a formula makes, once for all, of the record's own fields and of those that it leads to.
    """

    label: str
    formula: str
    meaning: str = ""
    unit: str = ""
    everyday: bool = False
    personal: bool = False
    personal_class: PersonalClass | None = None
    part_of: str = ""
    synonyms: tuple[str, ...] = ()


class MadeTypeOverlay(_Part):
    """
    A record type made from that of the table `of`: those of its records that `where`, a narrowing as in a template
    document, leaves.
    """

    of: str
    label: str
    plural: str
    where: dict[str, Any]
    meaning: str = ""


class RecordTypeOverlay(_Part):
    """
    What people know about one table.

    `guessed` has what is not mentioned guessed, as of a table that nobody curated; without it, fields that are not
    mentioned keep the database's own names. `custom` is what they know about fields that are no columns: keys of its
    JSON columns, and names in its `attributes`; those that it does not mention are found in the data.
    """

    name: str | None = None
    label: str | None = None
    plural: str | None = None
    meaning: str = ""
    title: str | None = None
    link: str | None = None
    touched_by: str | None = None
    belongs_to: str | None = None
    unit_by: str | None = None
    guessed: bool = False
    fields: dict[str, FieldOverlay] = {}
    custom: dict[str, FieldOverlay] = {}
    attributes: tuple[AttributeOverlay, ...] = ()
    relations: tuple[RelationOverlay, ...] = ()
    proposed: tuple[dict[str, Any], ...] = ()
    made: dict[str, MadeFieldOverlay] = {}


class Overlay(_Part):
    """
    The whole document. Of `schemas`, where some are named, the tables are read, of others none. Tables in `hidden` are
    no record types of their own; `made` are record types made from others,
    by their names.
    """

    title: str
    environment: Literal["practice", "live"] = "live"
    schemas: tuple[str, ...] = ()
    hidden: tuple[str, ...] = ()
    tables: dict[str, RecordTypeOverlay] = {}
    made: dict[str, MadeTypeOverlay] = {}


def kinds_of(stored: str, own: Kind) -> tuple[Kind, ...]:
    """
    The kinds that a column may be said to be of: `stored` is how the database keeps it, `own` what it is by itself. A
    text may hold numbers, dates or yes and no; what cannot be read as such is blank then, and a finding of the run.
    """
    if stored == "text":
        return (Kind.TEXT, Kind.IDENTIFIER, Kind.INTEGER, Kind.DECIMAL, Kind.DATE, Kind.BOOLEAN)
    if stored in ("integer", "numeric"):
        return tuple(dict.fromkeys((own, Kind.INTEGER if stored == "integer" else Kind.DECIMAL, Kind.IDENTIFIER)))
    return (own,)


def overlay_of(catalogue: Catalogue) -> Overlay:
    """
    A catalogue as the curated document that would give it again, guesses included: what a house begins to curate from.
    """
    return Overlay(
        title=catalogue.title,
        environment="practice" if catalogue.environment == "practice" else "live",
        tables={table_key(t): _record_type(t, catalogue) for t in catalogue.record_types.values() if not t.made_of},
        made={
            t.name: MadeTypeOverlay(
                of=table_key(catalogue.record_types[t.made_of]),
                label=t.label,
                plural=t.plural,
                where=dict(t.where),
                meaning=t.meaning,
            )
            for t in catalogue.record_types.values()
            if t.made_of
        },
    )


def write_overlay(overlay: Overlay) -> str:
    """
    A curated document as TOML, which `read_overlay` reads.
    """
    return tomli_w.dumps(overlay.model_dump(mode="json", exclude_defaults=True) | {"title": overlay.title})


def table_key(record_type: RecordType) -> str:
    """
    How a curated catalogue speaks of a record type's table, and editing it of one that was made from another.
    """
    if record_type.made_of:
        return f"#{record_type.name}"
    return record_type.table if record_type.schema is None else f"{record_type.schema}.{record_type.table}"


def _record_type(record_type: RecordType, catalogue: Catalogue) -> RecordTypeOverlay:
    custom = [f for f in record_type.fields if f.is_custom]
    return RecordTypeOverlay(
        name=record_type.name,
        label=record_type.label,
        plural=record_type.plural,
        meaning=record_type.meaning,
        title=record_type.title,
        link=record_type.link,
        touched_by=record_type.touched_by,
        belongs_to=record_type.belongs_to,
        unit_by=record_type.unit_by,
        fields={f.column: field_overlay(f) for f in record_type.fields if not f.is_custom and not f.formula},
        custom={f.attribute.name if f.attribute else str(f.json_key): field_overlay(f) for f in custom},
        attributes=tuple(
            AttributeOverlay(table=table, columns=dict(pairs), name=name, value=value)
            for table, pairs, name, value in dict.fromkeys(
                (f.attribute.table, f.attribute.pairs, f.attribute.name_column, f.attribute.value_column)
                for f in custom
                if f.attribute
            )
        ),
        relations=tuple(
            RelationOverlay(
                name=r.name,
                label=r.label,
                to=table_key(catalogue.record_types[r.target]),
                columns=dict(r.pairs),
            )
            for r in record_type.relations
            if not r.many
        ),
        proposed=tuple(dict(p) for p in record_type.proposed),
        made={
            f.name: MadeFieldOverlay(
                label=f.label,
                formula=f.formula,
                meaning=f.meaning,
                unit=f.unit,
                everyday=f.everyday,
                personal=f.personal,
                personal_class=f.personal_class or None,
                part_of=f.part_of,
                synonyms=f.synonyms,
            )
            for f in record_type.fields
            if f.formula
        },
    )


def field_overlay(field: Field) -> FieldOverlay:
    """
    A field as the curated catalogue that would give it again.
    """
    return FieldOverlay(
        name=field.name,
        label=field.label,
        meaning=field.meaning,
        unit=field.unit,
        kind=None if field.kind is Kind.CHOICE else field.kind,
        everyday=field.everyday,
        personal=field.personal,
        personal_class=field.personal_class or None,
        part_of=field.part_of,
        retired=field.retired.reason if field.retired else None,
        substitute=field.retired.substitute if field.retired else None,
        synonyms=field.synonyms,
        choices={c.code: c.label for c in field.choices},
    )


def read_overlay(path: Path) -> Overlay:
    """
    Read a curated catalogue. Raises OverlayError naming the first place that is wrong.
    """
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise OverlayError(f"{path.name} cannot be read: {error}") from error
    return parse_overlay(text, path.name)


def parse_overlay(text: str, name: str = "This") -> Overlay:
    """
    A curated catalogue from its TOML. Raises OverlayError naming the first place that is wrong.
    """
    try:
        return Overlay.model_validate(tomllib.loads(text, parse_float=decimal_of))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(s) for s in first["loc"])
        raise OverlayError(f"{name}: {place}: {first['msg']}") from error
    except ValueError as error:
        is_wrong = isinstance(error, tomllib.TOMLDecodeError)
        said = str(error) if is_wrong else tr("it holds a number with more digits than can be read")
        raise OverlayError(tr("{name} cannot be read: {said}", name=name, said=said)) from error
    except RecursionError as error:
        raise OverlayError(tr("{name} is nested more deeply than anything that can be read.", name=name)) from error
