"""
Records as people browse them: saved views, and where a record is used.
"""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query

from bouquet.core.memory import short_digest
from bouquet.core.plan import resolve
from bouquet.core.template import read_document
from bouquet.designing import SourceView
from bouquet.rights import may
from bouquet.runs import trace
from bouquet.store import picks as lists
from bouquet.store import templates as shelf
from bouquet.store import views
from bouquet.store.models import Person, View
from bouquet.store.whereabouts import runs_that_sent, whereabout
from bouquet.web.access import CurrentPerson, Id, TheServices, TheView, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas import NewView, RecordUse, RecordUses, SharedWith, ViewOut, WhereaboutOut

router = APIRouter(route_class=ExactRoute, prefix="/records", tags=["records"], dependencies=[Depends(needs("look"))])

#: The key of one record, a text a part.
RecordKey = Annotated[list[str], Query(max_length=8)]


def _out(view: View, person: Person) -> ViewOut:
    return ViewOut(
        id=view.id,
        name=view.name,
        records=view.records,
        document=view.document,
        shared=view.shared,
        shared_with=[SharedWith(**e) for e in view.shared_with] if view.owner_id == person.id else [],
        owner=view.owner.name,
        mine=view.owner_id == person.id,
    )


@router.get("/{name}/views", response_model=list[ViewOut])
def list_views(name: str, view: TheView, services: TheServices, person: CurrentPerson) -> Any:
    """
    The saved views of a record type that I may use, mine first.
    """
    with services.store.session() as session:
        return [_out(v, person) for v in views.list_views(session, person, name, view.key)]


@router.put("/{name}/views", response_model=ViewOut)
def put_view(name: str, body: NewView, view: TheView, services: TheServices, person: CurrentPerson) -> Any:
    """
    Save a view; an earlier one of mine with that name is replaced.
    """
    template = read_document({**body.document, "name": body.name, "records": name})
    view.record_type(name)
    with services.store.session() as session:
        saved = views.put_view(
            session,
            name=body.name.strip(),
            document=template.as_document(),
            shared=body.shared,
            with_some=[e.model_dump(exclude_none=True) for e in body.shared_with],
            owner=person,
            now=services.clock(),
            source=view.key,
        )
        return _out(saved, person)


@router.delete("/views/{view_id}", status_code=204)
def remove_view(view_id: Id, services: TheServices, person: CurrentPerson) -> None:
    """
    Remove a view of mine.
    """
    with services.store.session() as session:
        views.remove_view(session, view_id, person, services.clock())


@router.post("/views/{view_id}/restore", response_model=ViewOut)
def restore_view(view_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    Bring back a view of mine that I removed.
    """
    with services.store.session() as session:
        return _out(views.restore_view(session, view_id, person), person)


@router.get("/{name}/uses", response_model=RecordUses)
def get_uses(
    name: str,
    view: TheView,
    services: TheServices,
    person: CurrentPerson,
    key: RecordKey,
) -> Any:
    """
    Where one record is used: saved lists that hold it, and for each template of its type whether it is in, or why not.
    """
    with services.store.session() as session:
        held = [p.name for p in lists.list_picks(session, name, source=view.key) if list(key) in p.keys]
        listed = [t for t in shelf.list_templates(session) if t.source == view.key and may(person, "look", t)]
        running = shelf.running_documents(session, listed)
        templates = [(t.id, t.name, running[t.id]) for t in listed if running[t.id].get("records") == name]
    return RecordUses(picks=held, templates=[_use(view, *t, key) for t in templates])


@router.get("/{name}/whereabouts", response_model=list[WhereaboutOut])
def get_whereabouts(
    name: str,
    view: TheView,
    services: TheServices,
    person: CurrentPerson,
    key: RecordKey,
) -> Any:
    """
    Where one record has gone: the runs whose files left with it, newest first, of those that one may see.
    """
    found = view.record_type(name)
    with services.store.session() as session:
        runs = runs_that_sent(session, person, view.key, found.made_of or found.name, short_digest(key))
        return [WhereaboutOut(**asdict(whereabout(session, run, holders))) for run, holders in runs]


def _use(view: SourceView, template_id: Id, name: str, document: dict[str, Any], key: list[str]) -> RecordUse:
    context = view.context(template_id=template_id)
    template = read_document(document)
    plan = resolve(template, view.catalogue, context).partial
    if plan is None:
        return RecordUse(template_id=template_id, name=name, is_in=None, stopped_by="")
    words = dict(view.sentence(template, context).steps())
    with view.snapshot() as snapshot:
        found = trace(snapshot, plan, words, key).record
    stopped = found.steps[found.stopped_by].words if found is not None and found.stopped_by is not None else ""
    return RecordUse(template_id=template_id, name=name, is_in=found.is_in if found else None, stopped_by=stopped)
