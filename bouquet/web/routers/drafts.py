"""
Drafts of templates, their saved versions, and what differs between them.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Header, Response

from bouquet.core.language import tr
from bouquet.core.template import read_document
from bouquet.core.wording.changes import compare_templates
from bouquet.designing.source_view import SourceView
from bouquet.store import templates as shelf
from bouquet.web.access import CurrentPerson, Id, TheServices, WholeNumber, needs, visible
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.routers.templates import Designer, readable, template_answer
from bouquet.web.schemas import ChangeOut, SaveRequest, TemplateOut, VersionDocument, VersionOut
from bouquet.web.schemas.described import TemplateDocument

router = APIRouter(
    route_class=ExactRoute, prefix="/templates", tags=["templates"], dependencies=[Depends(needs("look"))]
)

IfMatch = Annotated[str | None, Header(alias="If-Match")]


@router.put("/{template_id}/draft", response_model=TemplateOut)
def change_draft(
    template_id: Id,
    document: TemplateDocument,
    services: TheServices,
    person: Designer,
    response: Response,
    if_match: IfMatch = None,
) -> Any:
    """
    Keep the draft as it stands, also with problems. `If-Match` names the revision it started from; 412 when another
    change came first.
    """
    with services.store.session() as session:
        revision = _revision(if_match)
        document, sentence = readable(services, document, visible(session, person, template_id).source)
        record = shelf.change_draft(session, template_id, document, sentence, revision, person, services.clock())
        return template_answer(session, record, response)


@router.post("/{template_id}/versions", response_model=TemplateOut, status_code=201)
def save_version(
    template_id: Id,
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
        record = visible(session, person, template_id)
        if record.draft_revision != _revision(if_match):
            raise Refused(412, "lost_update", tr("The draft was changed in the meantime. Look at it again, then save."))
        template = read_document(record.draft)
        SourceView.of(services, person, record.source).resolve(template).require()
        shelf.save_version(session, template_id, body.note, person, services.clock())
        return template_answer(session, record, response)


@router.get("/{template_id}/versions", response_model=list[VersionOut])
def list_versions(template_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    The saved versions, newest first.
    """
    with services.store.session() as session:
        visible(session, person, template_id)
        return [
            VersionOut(number=v.number, note=v.note, saved_by=by, saved_at=v.saved_at)
            for v, by in shelf.list_versions(session, template_id)
        ]


@router.get("/{template_id}/versions/{number}", response_model=VersionDocument)
def get_version(template_id: Id, number: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    One saved version with its document.
    """
    with services.store.session() as session:
        visible(session, person, template_id)
        return VersionDocument(number=number, document=shelf.get_version(session, template_id, number).document)


@router.get("/{template_id}/compare", response_model=list[ChangeOut])
def compare(
    template_id: Id, services: TheServices, person: CurrentPerson, before: WholeNumber, after: WholeNumber | None = None
) -> Any:
    """
    What differs from version `before` to version `after`, or to the draft where no `after` is given; in words.
    """
    with services.store.session() as session:
        record = visible(session, person, template_id)
        one = shelf.get_version(session, template_id, before).document
        other = record.draft if after is None else shelf.get_version(session, template_id, after).document
        source = record.source
    view = SourceView.of(services, person, source)
    found = compare_templates(read_document(one), read_document(other), view.catalogue, view.context())
    return [ChangeOut(act=c.act, what=c.what, before=c.before, after=c.after) for c in found]


def _revision(if_match: str | None) -> int:
    text = (if_match or "").strip('W/" ')
    if not (text.isascii() and text.isdecimal() and len(text) < 19):
        raise Refused(422, "no_revision", tr("Say in If-Match which revision this change started from."))
    return int(text)
