"""
Bundles: several templates and whole record types under one name, in the library.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.template import BundleContents
from bouquet.core.wording.bundle import bundle_sentence
from bouquet.rights import may, may_change, visible
from bouquet.rounds import list_rounds, rhythm_words
from bouquet.runs import Services, gather_bundle, source_of_bundle
from bouquet.store import NotFound
from bouquet.store import templates as shelf
from bouquet.store.models import Person, TemplateRecord
from bouquet.web.access import CurrentPerson, Id, TheServices, TheView, needs, view_of
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.schemas.bundles import BundleOut, NewBundle

router = APIRouter(route_class=ExactRoute, prefix="/bundles", tags=["bundles"], dependencies=[Depends(needs("look"))])

Designer = Annotated[Person, Depends(needs("design"))]


@router.get("", response_model=list[BundleOut])
def list_bundles(services: TheServices, person: CurrentPerson) -> Any:
    """
    The bundles of the library.
    """
    with services.store.session() as session:
        found = [r for r in shelf.list_templates(session, "bundle") if may(person, "look", r)]
        return _all_out(session, found, person)


@router.post("", response_model=BundleOut, status_code=201)
def add_bundle(body: NewBundle, view: TheView, services: TheServices, person: Designer) -> Any:
    """
    Keep a bundle. What it holds is resolved first: nothing that could not run is kept.
    """
    source = source_of_bundle(services, person, body.contents, view.key)
    document, sentence = _checked(services, person, body.contents, source)
    with services.store.session() as session:
        now = services.clock()
        record = shelf.add_template(session, document, sentence, person, now, source=source, kind="bundle")
        record.standing = body.standing
        shelf.save_version(session, record.id, body.note, person, now)
        return _out(session, record, person)


@router.get("/{bundle_id}", response_model=BundleOut)
def get_bundle(bundle_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    One bundle.
    """
    with services.store.session() as session:
        return _out(session, visible(session, person, bundle_id, "bundle"), person)


@router.put("/{bundle_id}", response_model=BundleOut, responses={412: {}})
def change_bundle(bundle_id: Id, body: NewBundle, services: TheServices, person: Designer) -> Any:
    """
    Keep a bundle anew, as its next version.
    """
    with services.store.session() as session:
        record = visible(session, person, bundle_id, "bundle")
        _check_owner(record, person)
        source = record.source
    source = source_of_bundle(services, person, body.contents, source)
    document, sentence = _checked(services, person, body.contents, source)
    with services.store.session() as session:
        record = visible(session, person, bundle_id, "bundle")
        now = services.clock()
        revision = record.draft_revision if body.revision is None else body.revision
        record = shelf.change_draft(session, bundle_id, document, sentence, revision, person, now)
        record.standing, record.source = body.standing, source
        shelf.save_version(session, bundle_id, body.note, person, now)
        return _out(session, record, person)


@router.delete("/{bundle_id}", status_code=204)
def remove_bundle(bundle_id: Id, services: TheServices, person: Designer) -> None:
    """
    Put a bundle away; its templates and its runs stay. One that a round needs is kept.
    """
    with services.store.session() as session:
        _check_owner(visible(session, person, bundle_id, "bundle"), person)
        if any(r.template_id == bundle_id for r in list_rounds(session)):
            raise Refused(409, "in_use", tr("A round runs this bundle. Remove the round first."))
        shelf.remove_template(session, bundle_id, services.clock())


@router.post("/{bundle_id}/restore", response_model=BundleOut)
def restore_bundle(bundle_id: Id, services: TheServices, person: Designer) -> Any:
    """
    Bring back a removed bundle.
    """
    with services.store.session() as session:
        record = shelf.restore_template(session, bundle_id)
        if record.kind != "bundle" or not may(person, "look", record):
            raise NotFound(tr("There is no such removed bundle."))
        _check_owner(record, person)
        return _out(session, record, person)


def _check_owner(record: TemplateRecord, person: Person) -> None:
    if not may_change(person, record):
        said = tr("Only {owner} or an administrator changes this bundle.", owner=record.owner.name)
        raise Refused(403, "not_allowed", said)


def _checked(services: Services, person: Person, contents: BundleContents, source: str) -> tuple[dict[str, Any], str]:
    """
    (document, sentence) of what a bundle is to hold. Raises what keeps it from being run.
    """
    bundle = gather_bundle(services, person, contents, source)
    view = view_of(services, person, source)
    for n, part in enumerate(bundle.parts):
        if part.only != "everything":
            said = tr(
                "A bundle holds everything, and “{part}” wants only what is new. Run it by itself.",
                part=part.name,
            )
            raise Refused(422, "no_memory", said)
        # While it is kept, what is asked may be open still; what is answered has to be right.
        view.resolve(part, answers=bundle.answers_of(n) or None).require()
    plurals = {name: found.plural for name, found in view.catalogue.record_types.items()}
    names = {e.template: part.name for e, part in zip(contents.templates, bundle.parts, strict=False)}
    return contents.as_document(), bundle_sentence(contents, names, plurals)


def _out(session: Session, record: TemplateRecord, person: Person) -> BundleOut:
    return _all_out(session, [record], person)[0]


def _all_out(session: Session, records: list[TemplateRecord], person: Person) -> list[BundleOut]:
    used: dict[int, list[str]] = {r.id: [] for r in records}
    for found in list_rounds(session) if records else ():
        if found.template_id in used:
            used[found.template_id].append(rhythm_words(found))
    return [_told(r, person, used[r.id]) for r in records]


def _told(record: TemplateRecord, person: Person, used_by: list[str]) -> BundleOut:
    return BundleOut(
        id=record.id,
        name=record.name,
        sentence=record.sentence,
        contents=BundleContents.model_validate(record.draft),
        source=record.source,
        standing=record.standing,
        version=record.version,
        revision=record.draft_revision,
        owner=record.owner.name,
        mine=record.owner_id == person.id,
        changed_at=record.draft_changed_at,
        used_by=used_by,
    )
