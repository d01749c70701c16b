"""
Record types and their fields.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends

from bouquet.core.catalogue import Field, RecordType, walk_to_one
from bouquet.core.plan import OPERATORS
from bouquet.runs import Services
from bouquet.store import NotFound
from bouquet.web.access import TheServices, needs
from bouquet.web.schemas import ChoiceOut, FieldGroup, FieldOut, RecordTypeFields, RecordTypeOut

router = APIRouter(prefix="/record-types", tags=["catalogue"], dependencies=[Depends(needs("look"))])


def _record_type(record_type: RecordType) -> RecordTypeOut:
    return RecordTypeOut(
        name=record_type.name,
        label=record_type.label,
        plural=record_type.plural,
        meaning=record_type.meaning,
        rows=record_type.rows_estimate,
    )


@router.get("", response_model=list[RecordTypeOut])
def list_record_types(services: TheServices) -> Any:
    """
    All record types of the source, the largest first.
    """
    types = services.source.catalogue().record_types.values()
    return [_record_type(t) for t in sorted(types, key=lambda t: -(t.rows_estimate or 0))]


@router.get("/{name}", response_model=RecordTypeFields)
def get_record_type(name: str, services: TheServices) -> Any:
    """
    The fields that can stand in a template of a record type: its own, and those of the records it leads to.
    """
    catalogue = services.source.catalogue()
    start = catalogue.record_types.get(name)
    if start is None:
        msg = f"There is no record type “{name}”."
        raise NotFound(msg)
    groups = []
    for way, here in walk_to_one(catalogue, start):
        path = ".".join(r.name for r in way)
        label = " › ".join(r.label for r in way) or here.label.capitalize()
        note = "repeats where shared" if way else "one row each"
        fields = [_field(services, here, f, path) for f in here.fields]
        groups.append(FieldGroup(path=path, label=label, note=note, fields=fields))
    return RecordTypeFields(record_type=_record_type(start), groups=groups, proposed=[dict(p) for p in start.proposed])


def _field(services: Services, record_type: RecordType, field: Field, path: str) -> FieldOut:
    profile = services.source.profile(record_type.name)[field.name]
    return FieldOut(
        path=f"{path}.{field.name}" if path else field.name,
        label=field.label,
        column=f"{record_type.table}.{field.column}",
        kind=field.kind,
        meaning=field.meaning,
        unit=field.unit,
        everyday=field.everyday,
        personal=field.personal,
        retired=field.retired.reason if field.retired else None,
        substitute=field.retired.substitute if field.retired else None,
        synonyms=list(field.synonyms),
        choices=[ChoiceOut(code=c.code, label=c.label) for c in field.choices],
        operators=list(OPERATORS[field.kind]),
        example=profile.example,
        fill=profile.fill,
        exact=profile.exact,
    )
