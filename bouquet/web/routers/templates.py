"""
Templates: the library, drafts, versions.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Header, Response
from sqlalchemy.orm import Session

from bouquet.core.errors import Problem, TemplateError
from bouquet.core.plan import resolve
from bouquet.core.template import FORMAT, read_document
from bouquet.core.template.sentence import Sentence
from bouquet.rounds import list_rounds, rhythm_of
from bouquet.runs import Services
from bouquet.store import NotFound
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Person, TemplateRecord
from bouquet.web.access import CurrentPerson, TheServices, needs
from bouquet.web.problems import Refused
from bouquet.web.routers.runs import run_out
from bouquet.web.schemas import NewTemplate, SaveRequest, TemplateOut, TemplateRow, VersionOut

router = APIRouter(prefix="/templates", tags=["templates"], dependencies=[Depends(needs("look"))])

Designer = Annotated[Person, Depends(needs("design"))]
IfMatch = Annotated[str | None, Header(alias="If-Match")]


@router.get("", response_model=list[TemplateRow])
def list_templates(services: TheServices, person: CurrentPerson) -> Any:
    """
    The library: every template with its sentence, its last run, its last row counts and its next planned moment.
    """
    types = services.source.catalogue().record_types
    with services.store.session() as session:
        records = shelf.list_templates(session)
        ids = [r.id for r in records]
        last, rows = ledger.last_runs(session, ids), ledger.last_rows(session, ids)
        planned = {r.template_id: r for r in reversed(list_rounds(session)) if not r.paused}
        return [
            TemplateRow(
                id=r.id,
                name=r.name,
                sentence=r.sentence,
                records=r.draft.get("records", ""),
                records_label=t.plural.capitalize() if (t := types.get(r.draft.get("records", ""))) else "",
                version=r.version,
                owner=r.owner.name,
                mine=r.owner_id == person.id,
                format=(r.draft.get("output") or {}).get("format", "csv"),
                changed_at=r.draft_changed_at,
                last_run=run_out(last[r.id], person) if r.id in last else None,
                rows=rows.get(r.id, []),
                next_at=planned[r.id].next_at if r.id in planned else None,
                next_words=rhythm_of(planned[r.id]).words() if r.id in planned else "",
            )
            for r in records
        ]


@router.post("", response_model=TemplateOut, status_code=201)
def add_template(body: NewTemplate, services: TheServices, person: Designer, response: Response) -> Any:
    """
    A new template, as a draft.
    """
    with services.store.session() as session:
        if body.document is not None:
            document = body.document
        else:
            document = _first_draft(services, session, body.records or "", everyday=body.everyday)
        document, sentence = _readable(services, document)
        record = shelf.add_template(session, document, sentence, person, services.clock())
        return _answer(session, record, response)


@router.get("/{template_id}", response_model=TemplateOut)
def get_template(template_id: int, services: TheServices, response: Response) -> Any:
    """
    A template with its draft; the `ETag` is the draft's revision.
    """
    with services.store.session() as session:
        return _answer(session, shelf.get_template(session, template_id), response)


@router.put("/{template_id}/draft", response_model=TemplateOut)
def change_draft(
    template_id: int,
    document: dict[str, Any],
    services: TheServices,
    person: Designer,
    response: Response,
    if_match: IfMatch = None,
) -> Any:
    """
    Keep the draft as it stands, also with problems. `If-Match` names the revision it started from; 412 when another
    change came first.
    """
    document, sentence = _readable(services, document)
    with services.store.session() as session:
        revision = _revision(if_match)
        record = shelf.change_draft(session, template_id, document, sentence, revision, person, services.clock())
        return _answer(session, record, response)


@router.post("/{template_id}/versions", response_model=TemplateOut, status_code=201)
def save_version(
    template_id: int,
    body: SaveRequest,
    services: TheServices,
    person: Designer,
    response: Response,
    if_match: IfMatch = None,
) -> Any:
    """
    Keep the draft as a new version. A draft with problems is refused, at their places, and stays a draft.
    """
    with services.store.session() as session:
        record = shelf.get_template(session, template_id)
        if record.draft_revision != _revision(if_match):
            raise Refused(412, "lost_update", "The draft was changed in the meantime. Look at it again, then save.")
        template = read_document(record.draft)
        resolve(template, services.source.catalogue(), services.context()).require()
        shelf.save_version(session, template_id, body.note, person, services.clock())
        return _answer(session, record, response)


@router.get("/{template_id}/versions", response_model=list[VersionOut])
def list_versions(template_id: int, services: TheServices) -> Any:
    """
    The saved versions, newest first.
    """
    with services.store.session() as session:
        return [
            VersionOut(number=v.number, note=v.note, saved_by=by, saved_at=v.saved_at)
            for v, by in shelf.list_versions(session, template_id)
        ]


@router.post("/{template_id}/copy", response_model=TemplateOut, status_code=201)
def copy_template(template_id: int, services: TheServices, person: Designer, response: Response) -> Any:
    """
    A new template that starts as a copy of this one's draft.
    """
    with services.store.session() as session:
        original = shelf.get_template(session, template_id)
        document = {**original.draft, "name": shelf.free_name(session, f"{original.name}, copy")}
        record = shelf.add_template(session, document, original.sentence, person, services.clock())
        return _answer(session, record, response)


@router.delete("/{template_id}", status_code=204)
def remove_template(template_id: int, services: TheServices, person: Designer) -> None:
    """
    Put a template away. Its runs and files stay; one that a round needs is kept.
    """
    with services.store.session() as session:
        if any(r.template_id == template_id for r in list_rounds(session)):
            raise Refused(403, "in_use", "A round runs this template. Remove the round first.")
        shelf.remove_template(session, template_id, services.clock())


def _revision(if_match: str | None) -> int:
    text = (if_match or "").strip('W/" ')
    if not text.isdigit():
        raise Refused(422, "no_revision", "Say in If-Match which revision this change started from.")
    return int(text)


def _answer(session: Session, record: TemplateRecord, response: Response) -> TemplateOut:
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
    )


def _readable(services: Services, document: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """
    The document in its plain form, and its sentence. Only the shape must be right; problems of meaning may stay.
    """
    template = read_document(document)
    name = template.name.strip()
    if not name:
        raise TemplateError([Problem(code="no_name", message="A template needs a name.", place="name")])
    sentence = Sentence(template, services.source.catalogue(), services.context()).text()
    return {**template.as_document(), "name": name}, sentence


def _first_draft(services: Services, session: Session, records: str, *, everyday: bool) -> dict[str, Any]:
    """
    A first draft: wide open but for what the catalogue proposes in plain view; a free name that says what it holds.
    """
    catalogue = services.source.catalogue()
    record_type = catalogue.record_types.get(records)
    if record_type is None:
        msg = f"There is no record type “{records}”."
        raise NotFound(msg)
    fields = [f for f in record_type.fields if f.everyday and not f.personal] if everyday else []
    return {
        "format": FORMAT,
        "name": shelf.free_name(session, record_type.plural.capitalize()),
        "records": records,
        "columns": [
            {"id": f"c{n}", "heading": f"{f.label} ({f.unit})" if f.unit else f.label, "value": {"field": f.name}}
            for n, f in enumerate(fields, 1)
        ],
        "filter": {"all": [dict(p) for p in record_type.proposed]},
    }
