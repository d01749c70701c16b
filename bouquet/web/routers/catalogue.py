"""
Record types and their fields.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query
from fastapi.sse import EventSourceResponse, ServerSentEvent

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, walk_to_one
from bouquet.core.language import tr
from bouquet.core.vocabulary.comparisons import operators_of
from bouquet.designing import SourceView, proposed_document
from bouquet.runs.drift import numbers_of_uses
from bouquet.store import NotFound
from bouquet.store.models import Person
from bouquet.web.access import TheServices, TheView, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas import (
    Bar,
    ChoiceOut,
    FieldFacts,
    FieldGroup,
    FieldOut,
    GuessOut,
    ManyOut,
    Proposal,
    RecordTypeFields,
    RecordTypeOut,
    TopValue,
)

router = APIRouter(
    route_class=ExactRoute, prefix="/record-types", tags=["catalogue"], dependencies=[Depends(needs("look"))]
)


def _record_type(record_type: RecordType, person: Person) -> RecordTypeOut:
    """
    A record type as a person may know it. How many records there are of all is not for who may see a part.
    """
    return RecordTypeOut(
        name=record_type.name,
        label=record_type.label,
        plural=record_type.plural,
        meaning=record_type.meaning,
        rows=record_type.rows_estimate if person.scope is None else None,
        key=list(record_type.key),
        title=record_type.title,
        link=record_type.link,
        belongs_to=record_type.belongs_to,
        by_row=record_type.by_row,
        guesses=[GuessOut(what=what, why=why) for what, why in record_type.guesses],
    )


@router.get("", response_model=list[RecordTypeOut])
def list_record_types(view: TheView) -> Any:
    """
    The record types of the source that I may see, the largest first.
    """
    rights = view.rights
    types = [t for t in view.catalogue.record_types.values() if rights is None or rights.ways(t)]
    return [_record_type(t, view.person) for t in sorted(types, key=lambda t: -(t.rows_estimate or 0))]


@router.get("/{name}", response_model=RecordTypeFields)
def get_record_type(name: str, services: TheServices, view: TheView) -> Any:
    """
    The fields that can stand in a template of a record type: its own, and those of the records it leads to.
    """
    catalogue, start = view.catalogue, view.record_type(name)
    with services.store.session() as session:
        uses = numbers_of_uses(session, view.person, view.key, catalogue)
    groups = []
    for way, here in walk_to_one(catalogue, start):
        path = ".".join(r.name for r in way)
        label = " › ".join(r.label for r in way) or here.label.capitalize()
        note = tr("repeats where shared") if way else tr("one row each")
        fields = [_field(view, here, f, path, uses[here.name, f.name]) for f in here.fields]
        groups.append(
            FieldGroup(path=path, label=label, note=note, records=here.name, unit_by=here.unit_by, fields=fields)
        )
    return RecordTypeFields(
        record_type=_record_type(start, view.person),
        groups=groups,
        many=list(_many(catalogue, start)),
        proposed=[dict(p) for p in start.proposed],
    )


@router.get("/{name}/proposal", response_model=Proposal)
def get_proposal(name: str, view: TheView) -> Any:
    """
    The template that a new one of this record type starts from, with its everyday fields.
    """
    record_type = view.record_type(name)
    return Proposal(document=proposed_document(view.catalogue, record_type, record_type.plural.capitalize()))


def _many(catalogue: Catalogue, start: RecordType) -> Iterator[ManyOut]:
    """
    The ways to many records: of the record itself, then of these in turn, then of the records it leads to.
    """
    ways: list[tuple[Relation, ...]] = [(r,) for r in start.relations if r.many]
    ways += [
        (*way, r)
        for way in list(ways)
        for r in catalogue.record_types[way[-1].target].relations
        if r.many and r.target != start.name
    ]
    ways += [
        (to, r)
        for to in start.relations
        if not to.many
        for r in catalogue.record_types[to.target].relations
        if r.many and r.target != start.name
    ]
    for way in ways:
        end = catalogue.record_types[way[-1].target]
        yield ManyOut(
            path=".".join(r.name for r in way),
            label=" › ".join(r.label for r in way),
            records=end.name,
            one=end.label,
            plural=end.plural,
            files=[f.name for f in end.fields if f.kind is Kind.FILE],
        )


@router.get("/{name}/facts/{field}", response_model=FieldFacts)
def get_facts(name: str, field: str, view: TheView) -> Any:
    """
    A field's values at a glance: distinct, least, greatest, the most frequent, a histogram.
    """
    try:
        facts = view.facts(name, field)
    except KeyError as error:
        msg = tr("There is no field “{name}.{field}”.", name=name, field=field)
        raise NotFound(msg) from error
    return FieldFacts(
        field=facts.field.name,
        label=facts.field.label,
        rows=facts.rows,
        seen=facts.seen,
        exact=facts.exact,
        fill=facts.fill,
        distinct=facts.distinct,
        distinct_exact=facts.distinct_exact,
        least=facts.least,
        greatest=facts.greatest,
        top=[TopValue(value=v, count=n) for v, n in facts.top],
        histogram=[Bar(least=b.least, greatest=b.greatest, count=b.count) for b in facts.histogram],
        personal=facts.field.personal,
    )


def _known_type(name: str, view: TheView) -> RecordType:
    """
    A record type of the source. Raises NotFound, before anything is streamed.
    """
    return view.record_type(name)


@router.get("/{name}/find", response_class=EventSourceResponse)
def find(
    start: Annotated[RecordType, Depends(_known_type)],
    view: TheView,
    value: Annotated[str, Query(min_length=1, max_length=200)],
) -> Iterator[ServerSentEvent]:
    """
    Server-sent events: `finding` with the fields that hold a value, so far, and how much was searched; the last one
    says that it is done, and what was not searched.
    """
    for found in view.find(start.name, value):
        yield ServerSentEvent(event="finding", data=asdict(found))


def _field(view: SourceView, record_type: RecordType, field: Field, path: str, uses: int) -> FieldOut:
    profile = view.source.profile(record_type.name, view.scope).get(field.name)
    return FieldOut(
        path=f"{path}.{field.name}" if path else field.name,
        label=field.label,
        column=f"{record_type.table}.{field.column}",
        kind=field.kind,
        meaning=field.meaning,
        unit=field.unit,
        everyday=field.everyday,
        personal=field.personal,
        part_of=field.part_of,
        uses=uses,
        retired=field.retired.reason if field.retired else None,
        substitute=field.retired.substitute if field.retired else None,
        synonyms=list(field.synonyms),
        choices=[ChoiceOut(code=c.code, label=c.label) for c in field.choices],
        operators=list(operators_of(field.kind)),
        example=profile.example if profile else None,
        fill=profile.fill if profile else None,
        exact=profile.exact if profile else False,
        whole=field.stored == "integer",
        guesses=[GuessOut(what=what, why=why) for what, why in field.guesses],
    )
