"""
What a house adds to a source in its catalogue: fields made by formulas, and record types made from others.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType
from bouquet.core.errors import nearest
from bouquet.core.language import tr
from bouquet.core.plan import Context, MadeError, made_field, read_narrowing, resolve
from bouquet.core.template import Template
from bouquet.sources.overlay import MadeFieldOverlay, MadeTypeOverlay, Overlay, OverlayError, table_key

__all__ = ["field_made", "made_type", "with_made"]

#: Any moment will do to tell what a formula comes to.
_SOME_DAY = datetime(2000, 1, 1, tzinfo=UTC)


def with_made(catalogue: Catalogue, overlay: Overlay, *, strict: bool) -> Catalogue:
    """
    The catalogue with what the overlay makes. What cannot be made is an OverlayError where `strict`, and is left out
    elsewhere: the source changed, and templates that use it are broken.
    """
    types = dict(catalogue.record_types)
    by_table = {table_key(t): t for t in types.values()}
    for table, curated in overlay.tables.items():
        holder = by_table.get(table)
        if holder is None:
            continue
        fields = list(holder.fields)
        for name, made in curated.made.items():
            try:
                fields.append(field_made(catalogue, holder, name, made))
            except OverlayError:
                if strict:
                    raise
        by_table[table] = types[holder.name] = replace(holder, fields=tuple(fields))
    found = replace(catalogue, record_types=types)
    for name, told in overlay.made.items():
        try:
            made_of = by_table.get(told.of)
            if made_of is None:
                raise OverlayError(
                    tr("The record type {name} is made from “{of}”, which is not there.", name=name, of=told.of)
                )
            types[name] = made_type(found, made_of, name, told)
        except OverlayError:
            if strict:
                raise
    return replace(catalogue, record_types=types)


def field_made(catalogue: Catalogue, holder: RecordType, name: str, made: MadeFieldOverlay) -> Field:
    """
    A field by its formula. Raises OverlayError, which says what is wrong with it.
    """
    if holder.field_named(name) is not None or holder.relation_named(name) is not None:
        raise OverlayError(tr("The {holder} has a “{name}” already.", holder=holder.label, name=name))
    plain = Field(
        name=name,
        column=name,
        kind=Kind.OTHER,
        stored="other",
        label=made.label,
        meaning=made.meaning,
        unit=made.unit,
        everyday=made.everyday,
        personal=made.personal,
        personal_class=made.personal_class or "",
        part_of=made.part_of,
        synonyms=made.synonyms,
        formula=made.formula,
    )
    try:
        return made_field(catalogue, holder, plain, _SOME_DAY)
    except MadeError as error:
        raise OverlayError(f"{made.label}: {error}") from error


def made_type(catalogue: Catalogue, made_of: RecordType, name: str, told: MadeTypeOverlay) -> RecordType:
    """
    A record type made from another. Raises OverlayError, which says what is wrong with its narrowing.
    """
    if name in catalogue.record_types:
        near = nearest(name, list(catalogue.record_types))
        raise OverlayError(
            tr(
                "There is a record type “{name}” already; choose another name than {near}.",
                name=name,
                near=", ".join(near),
            )
        )
    try:
        where = read_narrowing(told.where)
    except MadeError as error:
        raise OverlayError(f"{told.plural}: {error}") from error
    template = Template(name=told.label, records=made_of.name, filter=where)
    found = resolve(template, catalogue, Context(as_of=_SOME_DAY)).problems
    wrong = next((p.message for p in found if p.place.startswith("filter")), None)
    if wrong is not None:
        raise OverlayError(f"{told.plural}: {wrong}")
    return replace(
        made_of,
        name=name,
        label=told.label,
        plural=told.plural,
        meaning=told.meaning,
        rows_estimate=None,
        made_of=made_of.name,
        where=told.where,
        guesses=(),
    )
