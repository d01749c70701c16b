"""
Saved, hand-picked lists of records.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Path
from sqlalchemy.orm import Session

from bouquet.core.errors import PlanError, Problem
from bouquet.core.language import tr, whole
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.designing import SourceView
from bouquet.rights import may
from bouquet.store import picks as lists
from bouquet.store.models import Person, Picks
from bouquet.store.people import names_of
from bouquet.web.access import CurrentPerson, Id, TheServices, TheView, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas import NewPicks, PicksOut, PicksShare
from bouquet.web.schemas.sharing import SharedWith

router = APIRouter(route_class=ExactRoute, prefix="/picks", tags=["picks"], dependencies=[Depends(needs("look"))])

Designer = Annotated[Person, Depends(needs("design"))]
#: Records that a saved list can hold.
MOST = 50_000

Name = Annotated[str, Path(min_length=1, max_length=120)]


def _out(session: Session, picks: Picks, person: Person) -> PicksOut:
    return _told(picks, person, names_of(session, [picks.owner_id]))


def _told(picks: Picks, person: Person, owners: dict[int, str]) -> PicksOut:
    owns = lists.owns(picks, person)
    return PicksOut(
        name=picks.name,
        records=picks.records,
        size=len(picks.keys),
        changed_at=picks.changed_at,
        owner=owners.get(picks.owner_id, ""),
        changes=may(person, "design") and lists.changes(picks, person),
        mine=owns,
        shared_with=[SharedWith(**e) for e in picks.shared_with] if owns else [],
    )


@router.get("", response_model=list[PicksOut])
def list_picks(view: TheView, services: TheServices, person: CurrentPerson, records: str | None = None) -> Any:
    """
    All saved lists, or those of one record type.
    """
    with services.store.session() as session:
        saved = lists.list_picks(session, records, source=view.key)
        owners = names_of(session, {p.owner_id for p in saved})
        found = [_told(p, person, owners) for p in saved]
    if view.scope is None:
        return found
    return [p.model_copy(update={"size": _theirs(view, p)}) for p in found if p.records in view.catalogue.record_types]


def _theirs(view: SourceView, saved: PicksOut) -> int:
    """
    How many records of a list a person may see.
    """
    document = {"name": "own", "records": saved.records, "columns": [], "filter": {"picks": saved.name}}
    plan = view.resolve(read_document(document)).partial
    if plan is None:
        return 0
    with view.snapshot() as snapshot:
        return len(snapshot.rows(Statements(plan).all_keys().limit(MOST)))


@router.put("/{name}", response_model=PicksOut)
def put_picks(name: Name, body: NewPicks, view: TheView, services: TheServices, person: Designer) -> Any:
    """
    Save a list; an earlier one of that name is replaced.
    """
    view.record_type(body.records)
    keys = body.keys if body.document is None else _keys_of(view, body)
    with services.store.session() as session:
        saved = lists.put_picks(
            session,
            name=name,
            source=view.key,
            records=body.records,
            keys=keys,
            owner=person,
            now=services.clock(),
        )
        return _out(session, saved, person)


@router.patch("/{name}", response_model=PicksOut)
def share_picks(name: Name, body: PicksShare, services: TheServices, person: Designer) -> Any:
    """
    Say who else changes a list.
    """
    with services.store.session() as session:
        entries = [e.model_dump(exclude_none=True) for e in body.shared_with]
        return _out(session, lists.share_picks(session, name, person, entries), person)


def _keys_of(view: SourceView, body: NewPicks) -> list[list[str]]:
    """
    The keys of all records that a document narrows to.
    """
    template = read_document({**(body.document or {}), "columns": [], "rows": {"per": "record"}, "at_most": None})
    if template.records != body.records:
        message = tr(
            "The list is of {records}, the document of {records2}.",
            records=body.records,
            records2=template.records,
        )
        raise PlanError([Problem(code="wrong_records", message=message, place="document.records")])
    resolution = view.resolve(template)
    if resolution.partial is None:
        raise PlanError(resolution.problems)
    with view.snapshot() as snapshot:
        statement = Statements(resolution.partial).all_keys().limit(MOST + 1)
        found = [[str(v) for v in row.values()] for row in snapshot.rows(statement)]
    if len(found) > MOST:
        message = tr(
            "A list holds up to {most} records; narrow further, or keep the narrowing as a template instead.",
            most=whole(MOST),
        )
        raise PlanError([Problem(code="too_many", message=message, place="document")])
    return found


@router.delete("/{name}", status_code=204)
def remove_picks(name: Name, services: TheServices, person: Designer) -> None:
    """
    Remove a saved list.
    """
    with services.store.session() as session:
        lists.remove_picks(session, name, person, services.clock())


@router.post("/removed/{picks_id}/restore", response_model=PicksOut)
def restore_picks(picks_id: Id, services: TheServices, person: Designer) -> Any:
    """
    Bring back a removed list.
    """
    with services.store.session() as session:
        return _out(session, lists.restore_picks(session, picks_id, person), person)
