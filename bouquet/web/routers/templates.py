"""
Templates: the library, drafts, versions.
"""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal
from urllib.parse import quote

from fastapi import APIRouter, Depends, Response
from sqlalchemy.orm import Session

from bouquet.core.errors import Problem, TemplateError
from bouquet.core.language import tr
from bouquet.core.naming import safe_name
from bouquet.core.template import read_document
from bouquet.core.wording.sentence import Sentence
from bouquet.designing import proposed_document
from bouquet.designing.library import ReadSource, said_of
from bouquet.rights import may, may_change
from bouquet.rounds import NEVER, list_rounds, rhythm_words, whom_words
from bouquet.runs import Services
from bouquet.runs.asking import as_format
from bouquet.runs.drift import Replacing, missing_of, move_template, with_replaced
from bouquet.sources import LEDGER
from bouquet.store import NotFound, views
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Person, TemplateRecord
from bouquet.store.sharing import checked_entries
from bouquet.web.access import CurrentPerson, Id, TheServices, TheView, needs, view_of, visible
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.routers.asking import questions_of
from bouquet.web.routers.runs import run_out
from bouquet.web.schemas import (
    Move,
    Moved,
    NewTemplate,
    PinChange,
    Questions,
    SharedWith,
    TemplateChange,
    TemplateOut,
    TemplateRow,
)
from bouquet.web.schemas.curating import MissingOut

router = APIRouter(
    route_class=ExactRoute, prefix="/templates", tags=["templates"], dependencies=[Depends(needs("look"))]
)

Designer = Annotated[Person, Depends(needs("design"))]


@router.get("", response_model=list[TemplateRow])
def list_templates(services: TheServices, person: CurrentPerson) -> Any:
    """
    The library: every template with its sentence, its last run, its last row counts and its next planned moment.
    """
    with services.store.session() as session:
        records = [r for r in shelf.list_templates(session) if may(person, "look", r)]
        sources = {key: ReadSource.of(services, person, key) for key in {r.source for r in records}}
        ids = [r.id for r in records]
        last, rows = ledger.last_runs(session, ids, person), ledger.last_rows(session, ids, person=person)
        planned = {r.template_id: r for r in reversed(list_rounds(session)) if not r.paused}
        pins = views.pins_of(session, person)
        several = len(services.sources.listed()) > 1
        running = shelf.running_documents(session, records)
        records = [r for r in records if sources[r.source].opens(running[r.id].get("records", ""))]
        known = {r.id: said_of(services, r, running[r.id], sources[r.source]) for r in records}
        return [
            TemplateRow(
                id=r.id,
                name=r.name,
                sentence=known[r.id].sentence or r.sentence,
                records=running[r.id].get("records", ""),
                records_label=sources[r.source].label_of(running[r.id].get("records", "")),
                source=r.source,
                source_title=sources[r.source].title if several else "",
                version=r.version,
                owner=r.owner.name,
                mine=r.owner_id == person.id,
                format=(running[r.id].get("output") or {}).get("format", "csv"),
                changed_at=r.draft_changed_at,
                last_run=run_out(last[r.id], person) if r.id in last else None,
                rows=rows.get(r.id, []),
                next_at=planned[r.id].next_at if r.id in planned and planned[r.id].next_at < NEVER else None,
                next_words=rhythm_words(planned[r.id]) if r.id in planned else "",
                next_to=whom_words(planned[r.id]) if r.id in planned else "",
                labels=r.labels,
                standing=r.standing,
                pinned=r.id in pins and pins[r.id].pinned,
                asks=len(running[r.id].get("asks") or ()),
                fields=known[r.id].fields,
                broken=known[r.id].broken,
                personal=known[r.id].personal,
            )
            for r in records
        ]


@router.post("", response_model=TemplateOut, status_code=201)
def add_template(body: NewTemplate, view: TheView, services: TheServices, person: Designer, response: Response) -> Any:
    """
    A new template, as a draft.
    """
    with services.store.session() as session:
        if body.document is not None:
            document = body.document
            if body.free_name:
                document = {**document, "name": shelf.free_name(session, str(document.get("name", "")).strip()[:110])}
        else:
            record_type = view.record_type(body.records or "")
            name = shelf.free_name(session, record_type.plural.capitalize())
            document = proposed_document(view.catalogue, record_type, name, everyday=body.everyday)
        document, sentence = readable(services, document, view.key)
        record = shelf.add_template(session, document, sentence, person, services.clock(), source=view.key)
        return template_answer(session, record, response)


@router.post("/from-run/{run_id}", response_model=TemplateOut, status_code=201)
def keep_run_as_template(run_id: Id, services: TheServices, person: Designer, response: Response) -> Any:
    """
    A new template that asks for what a run was asked for, once-only narrowings included; its own format is the run's.
    """
    with services.store.session() as session:
        run = ledger.see_run(session, run_id, person)
        if run.is_bundle or run.source == LEDGER:
            raise Refused(409, "no_template", tr("Run {run_id} was not made by a template of records.", run_id=run_id))
        asked = as_format(read_document(run.document), run.format).as_document()
        document = {**asked, "name": shelf.free_name(session, run.name[:110])}
        document, sentence = readable(services, document, run.source)
        record = shelf.add_template(session, document, sentence, person, services.clock(), source=run.source)
        return template_answer(session, record, response)


@router.get("/{template_id}", response_model=TemplateOut)
def get_template(template_id: Id, services: TheServices, person: CurrentPerson, response: Response) -> Any:
    """
    A template with its draft; the `ETag` is the draft's revision.
    """
    with services.store.session() as session:
        return template_answer(session, visible(session, person, template_id), response)


@router.patch("/{template_id}", response_model=TemplateOut)
def change_template(
    template_id: Id, body: TemplateChange, services: TheServices, person: Designer, response: Response
) -> Any:
    """
    Labels, standing, with whom it is shared, and whose it is. Only the owner or a keeper shares a template, takes it
    back or hands it over; only a keeper makes it the house's standard.
    """
    with services.store.session() as session:
        record = visible(session, person, template_id)
        keeper = may(person, "keep")
        if body.standing is not None and body.standing != record.standing:
            if not keeper and (record.owner_id != person.id or "house" in (body.standing, record.standing)):
                house = "house" in (body.standing, record.standing)
                who = tr("an administrator") if house else tr("{owner} or an administrator", owner=record.owner.name)
                raise Refused(403, "not_allowed", tr("Only {who} can change for whom this template is.", who=who))
            record.standing = body.standing
        if body.shared_with is not None or body.owner_id is not None:
            _share(session, record, person, body)
        if body.labels is not None:
            labels = [label for raw in body.labels if (label := " ".join(raw.split())[:40])]
            record.labels = sorted(dict.fromkeys(labels), key=str.casefold)
        return template_answer(session, record, response)


def _share(session: Session, record: TemplateRecord, person: Person, body: TemplateChange) -> None:
    """
    Share a template with others, or hand it over. Raises NotFound for who is not there.
    """
    _check_owner(record, person)
    if body.shared_with is not None:
        record.shared_with = checked_entries(session, [e.model_dump(exclude_none=True) for e in body.shared_with])
    if body.owner_id is not None:
        owner = session.get(Person, body.owner_id)
        if owner is None or owner.disabled_at is not None:
            raise NotFound(tr("There is no such person."))
        if not may(owner, "design"):
            raise Refused(
                409, "not_possible", tr("{owner} may not design templates, so this cannot be theirs.", owner=owner.name)
            )
        record.owner_id = owner.id
        session.flush()
        session.refresh(record)


@router.post("/{template_id}/missing", response_model=Moved)
def look_for_missing(template_id: Id, body: Move, services: TheServices, person: Designer) -> Any:
    """
    What a template would not find in another source, once these names are replaced. Nothing is changed.
    """
    view = view_of(services, person, body.to)
    with services.store.session() as session:
        document = visible(session, person, template_id).draft
    found = missing_of(with_replaced(document, view.catalogue, _replacing(body)), view.catalogue)
    missing = [MissingOut(records=m.records, name=m.name, candidates=list(m.candidates)) for m in found]
    return Moved(source=view.key, missing=missing)


def _replacing(body: Move) -> list[Replacing]:
    return [Replacing(r.records, r.name, r.new) for r in body.replacing]


@router.post("/{template_id}/move", response_model=TemplateOut)
def move_to_source(template_id: Id, body: Move, services: TheServices, person: Designer, response: Response) -> Any:
    """
    Have a template read another source. Whoever may remove it may move it.
    """
    view = view_of(services, person, body.to)
    with services.store.session() as session:
        record = visible(session, person, template_id)
        _check_owner(record, person)
        move_template(services, session, record, view.source, _replacing(body), person)
        return template_answer(session, record, response)


@router.put("/{template_id}/pin", status_code=204)
def pin_template(template_id: Id, body: PinChange, services: TheServices, person: CurrentPerson) -> None:
    """
    Keep a template at the head of my library, or no longer.
    """
    with services.store.session() as session:
        visible(session, person, template_id)
        views.put_pin(session, person, template_id, pinned=body.pinned)


@router.get("/{template_id}/document")
def export_document(template_id: Id, services: TheServices, person: CurrentPerson) -> Response:
    """
    The template as a document that another Bouquet can read.
    """
    with services.store.session() as session:
        record = visible(session, person, template_id)
        text = json.dumps(record.draft, ensure_ascii=False, indent=2) + "\n"
    name = f"{safe_name(record.name)}.json"
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return Response(text, media_type="application/vnd.bouquet.template+json", headers=headers)


@router.get("/{template_id}/questions", response_model=Questions)
def get_questions(
    template_id: Id, services: TheServices, person: CurrentPerson, use: Literal["saved", "draft"] = "saved"
) -> Any:
    """
    What a runner needs: the newest saved version, or the draft, its asks with their choices and my last answers, its
    windows.
    """
    with services.store.session() as session:
        record = visible(session, person, template_id)
        saved = shelf.latest_version(session, template_id)
        pin = views.pins_of(session, person).get(template_id)
        mine = dict(pin.answers) if pin else {}
        format = pin.format if pin else None
        source = record.source
        document, name, version = (
            (saved.document if saved and use == "saved" else record.draft),
            record.name,
            record.version,
        )
    template = read_document(document)
    view = view_of(services, person, source)
    return questions_of(view, template_id, template, name, version, mine, format)


@router.post("/{template_id}/copy", response_model=TemplateOut, status_code=201)
def copy_template(template_id: Id, services: TheServices, person: Designer, response: Response) -> Any:
    """
    A new template that starts as a copy of this one's draft.
    """
    with services.store.session() as session:
        original = visible(session, person, template_id)
        document = {**original.draft, "name": shelf.free_name(session, f"{original.name}, copy")}
        now = services.clock()
        record = shelf.add_template(session, document, original.sentence, person, now, source=original.source)
        return template_answer(session, record, response)


@router.delete("/{template_id}", status_code=204)
def remove_template(template_id: Id, services: TheServices, person: Designer) -> None:
    """
    Put a template away. Its runs and files stay; one that a round needs is kept.
    """
    with services.store.session() as session:
        _check_owner(visible(session, person, template_id), person)
        if any(r.template_id == template_id for r in list_rounds(session)):
            raise Refused(409, "in_use", tr("A round runs this template. Remove the round first."))
        holds = [b.name for b in shelf.list_templates(session, "bundle") if _holds(b.draft, template_id)]
        if holds:
            raise Refused(
                409, "in_use", tr("The bundle “{holds}” holds this template. Take it out there first.", holds=holds[0])
            )
        shelf.remove_template(session, template_id, services.clock())


@router.post("/{template_id}/restore", response_model=TemplateOut)
def restore_template(template_id: Id, services: TheServices, person: Designer, response: Response) -> Any:
    """
    Bring back a removed template, with its versions.
    """
    with services.store.session() as session:
        record = shelf.restore_template(session, template_id)
        if record.kind != "template":
            raise NotFound(tr("There is no such removed template."))
        _check_owner(record, person)
        return template_answer(session, record, response)


def _holds(contents: dict[str, Any], template_id: int) -> bool:
    return any(e["template"] == template_id for e in contents.get("templates", ()))


def _check_owner(record: TemplateRecord, person: Person) -> None:
    """
    What is somebody's own is theirs and the keeper's; the house's standard is the keeper's.
    """
    if may_change(person, record):
        return
    who = (
        tr("an administrator")
        if record.standing == "house"
        else tr("{owner} or an administrator", owner=record.owner.name)
    )
    raise Refused(403, "not_allowed", tr("Only {who} can remove this template or bring it back.", who=who))


def _used_by(session: Session, template_id: int) -> list[str]:
    """
    What takes a template's newest version, in words: rounds, and bundles that hold it.
    """
    rounds = [r for r in list_rounds(session) if r.template_id == template_id]
    bundles = [b.name for b in shelf.list_templates(session, "bundle") if _holds(b.draft, template_id)]
    return [
        *(tr("the round {r}, to {r2}", r=rhythm_words(r), r2=whom_words(r)) for r in rounds),
        *(tr("the bundle “{name}”", name=name) for name in bundles),
    ]


def template_answer(session: Session, record: TemplateRecord, response: Response) -> TemplateOut:
    """
    A template as it is answered; the revision of its draft goes into the `ETag`.
    """
    response.headers["ETag"] = f'"{record.draft_revision}"'
    saved = shelf.latest_version(session, record.id)
    return TemplateOut(
        id=record.id,
        name=record.name,
        document=record.draft,
        revision=record.draft_revision,
        version=record.version,
        changed=saved is None or saved.document != record.draft,
        changed_at=record.draft_changed_at,
        owner=record.owner.name,
        saved_at=saved.saved_at if saved else None,
        labels=record.labels,
        standing=record.standing,
        shared_with=[SharedWith(**entry) for entry in record.shared_with],
        owner_id=record.owner_id,
        source=record.source,
        used_by=_used_by(session, record.id),
    )


def readable(services: Services, document: dict[str, Any], source: str) -> tuple[dict[str, Any], str]:
    """
    The document in its plain form, and its sentence. Only the shape must be right; problems of meaning may stay.
    """
    template = read_document(document)
    name = template.name.strip()
    if not name:
        raise TemplateError([Problem(code="no_name", message=tr("A template needs a name."), place="name")])
    sentence = Sentence(template, services.sources.get(source).catalogue(), services.context(source=source)).text()
    return {**template.as_document(), "name": name}, sentence
