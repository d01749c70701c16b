"""
What differs between two catalogues of a source, as a clerk would say it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from bouquet.core.catalogue import Catalogue, Field, RecordType
from bouquet.core.language import tr

__all__ = ["CatalogueChange", "compare_catalogues"]


@dataclass(frozen=True)
class CatalogueChange:
    """
    One thing that differs. `records` and `field` name what it is about; no `field` for the record type itself.
    """

    records: str
    field: str
    what: str
    before: str
    after: str


def compare_catalogues(before: Catalogue, after: Catalogue) -> list[CatalogueChange]:
    """
    Everything that people see and that differs, by record types in the order of the later catalogue.
    """
    found = []
    for name, new in after.record_types.items():
        old = before.record_types.get(name)
        found += list(_compared(old, new)) if old is not None else [CatalogueChange(name, "", "shown", "", new.label)]
    gone = [t for name, t in before.record_types.items() if name not in after.record_types]
    return found + [CatalogueChange(t.name, "", "hidden", t.label, "") for t in gone]


def _compared(old: RecordType, new: RecordType) -> Iterator[CatalogueChange]:
    for what in ("label", "plural", "meaning", "title", "link"):
        one, other = getattr(old, what) or "", getattr(new, what) or ""
        if one != other:
            yield CatalogueChange(new.name, "", {"title": tr("known by")}.get(what, what), str(one), str(other))
    relations = {r.name for r in old.relations}
    for relation in new.relations:
        if relation.name not in relations:
            yield CatalogueChange(new.name, relation.name, tr("new relation"), "", relation.label)
    kept = {r.name for r in new.relations}
    for relation in old.relations:
        if relation.name not in kept:
            yield CatalogueChange(new.name, relation.name, tr("no longer a relation"), relation.label, "")
    for field in new.fields:
        was = old.field_named(field.name)
        if was is None:
            yield CatalogueChange(new.name, field.name, tr("new field"), "", field.label)
        else:
            yield from _compared_fields(new.name, was, field)
    for was in old.fields:
        if new.field_named(was.name) is None:
            yield CatalogueChange(new.name, was.name, tr("no longer a field"), was.label, "")


def _compared_fields(records: str, old: Field, new: Field) -> Iterator[CatalogueChange]:
    facts = (
        ("label", old.label, new.label),
        ("kind", old.kind.value, new.kind.value),
        ("unit", old.unit, new.unit),
        ("meaning", old.meaning, new.meaning),
        ("everyday", _yes_no(old.everyday), _yes_no(new.everyday)),
        ("personal", _yes_no(old.personal), _yes_no(new.personal)),
        (tr("class of personal data"), old.personal_class, new.personal_class),
        (tr("part of"), old.part_of, new.part_of),
        ("retired", old.retired.reason if old.retired else "", new.retired.reason if new.retired else ""),
        ("synonyms", ", ".join(old.synonyms), ", ".join(new.synonyms)),
        ("choices", _listed(old), _listed(new)),
    )
    for what, before, after in facts:
        if before != after:
            yield CatalogueChange(records, new.name, what, before, after)


def _yes_no(value: bool) -> str:
    return "yes" if value else "no"


def _listed(field: Field) -> str:
    return ", ".join(f"{c.code}: {c.label}" if c.code != c.label else c.code for c in field.choices)
