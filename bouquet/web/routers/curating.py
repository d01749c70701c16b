"""
Editing what is known of a source: a draft of its catalogue, its consequences, putting it into use; and what became
broken because the source changed.
"""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any
from urllib.parse import quote

import structlog
from fastapi import APIRouter, Depends, Query, Response
from pydantic import ValidationError

from bouquet.core.catalogue import Catalogue, Field, RecordType
from bouquet.core.language import tr
from bouquet.core.naming import safe_name
from bouquet.core.personal import class_of
from bouquet.core.wording.catalogue_changes import compare_catalogues
from bouquet.designing import SourceView
from bouquet.runs import Services
from bouquet.runs.drift import Broken, Missing, broken_templates, look_for_drift, replace_everywhere, uses_of
from bouquet.sources import Overlay, OverlayError, Source, write_overlay
from bouquet.sources.curating import edited
from bouquet.sources.overlay import RecordTypeOverlay, kinds_of, parse_overlay, table_key
from bouquet.sources.profile import FieldProfile
from bouquet.store import NotFound, NotPossible, curating
from bouquet.web.access import Id, TheServices, TheView, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas.catalogue import ChoiceOut, GuessOut
from bouquet.web.schemas.curating import (
    BrokenOut,
    CatalogueChangeOut,
    CatalogueEdits,
    CatalogueOut,
    CatalogueTable,
    CatalogueText,
    CatalogueVersion,
    Consequences,
    CuratedField,
    CuratedRelation,
    CuratedType,
    Drift,
    MissingOut,
    Note,
    ReplacedOut,
    Replacement,
    SchemaOut,
)

log = structlog.get_logger()

router = APIRouter(
    route_class=ExactRoute, prefix="/catalogue", tags=["catalogue"], dependencies=[Depends(needs("keep"))]
)


@router.get("", response_model=CatalogueOut)
def get_catalogue(view: TheView, services: TheServices) -> Any:
    """
    The catalogue as it is being edited, or as it is in use.
    """
    overlay, catalogue, revision = _under_edit(services, view)
    return _out(view, overlay, catalogue, revision)


@router.get("/table", response_model=CuratedType)
def get_catalogue_table(view: TheView, services: TheServices, table: Annotated[str, Query(max_length=200)]) -> Any:
    """
    One record type as it is being edited, by its table.
    """
    overlay, catalogue, _ = _under_edit(services, view)
    found = next((t for t in catalogue.record_types.values() if table_key(t) == table), None)
    if found is None:
        raise NotFound(tr("There is no record type of the table “{table}”, or it is hidden.", table=table))
    with services.store.session() as session:
        uses = uses_of(session, view.key, catalogue)
    return _type_out(view, overlay, catalogue, found, uses)


@router.patch("/draft", response_model=CatalogueOut, responses={412: {}})
def edit_catalogue_draft(body: CatalogueEdits, view: TheView, services: TheServices) -> Any:
    """
    Make edits on the draft; the first one begins it. 412 when somebody else edited it in the meantime.
    """
    overlay, catalogue, _ = _under_edit(services, view)
    new = edited(overlay, catalogue, body.edits)
    return _kept_draft(services, view, new, body.revision)


@router.put("/document", response_model=CatalogueOut, responses={412: {}})
def put_catalogue_document(body: CatalogueText, view: TheView, services: TheServices) -> Any:
    """
    Take a whole catalogue (TOML) as the draft.
    """
    return _kept_draft(services, view, parse_overlay(body.text, tr("The document")), body.revision)


@router.get("/document", response_class=Response)
def get_catalogue_document(view: TheView, services: TheServices) -> Response:
    """
    The catalogue as it is being edited, or in use, as TOML; `bouquet catalogue` prints one with all guesses.
    """
    overlay, _, _ = _under_edit(services, view)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(safe_name(overlay.title))}.toml"}
    return Response(write_overlay(overlay), media_type="application/toml", headers=headers)


@router.delete("/draft", status_code=204)
def drop_catalogue_draft(view: TheView, services: TheServices) -> None:
    """
    Give up what is being edited; what is in use stays.
    """
    with services.store.session() as session:
        curating.drop_draft(session, view.key)


@router.get("/consequences", response_model=Consequences)
def get_consequences(view: TheView, services: TheServices) -> Any:
    """
    What putting the draft into use would change and break.
    """
    _, catalogue, _ = _under_edit(services, view)
    with services.store.session() as session:
        uses = uses_of(session, view.key, view.catalogue)
        known = {b.template.id for b in broken_templates(services, session, view.source, view.catalogue)}
        broken = [
            _broken(b)
            for b in broken_templates(services, session, view.source, catalogue)
            if b.template.id not in known
        ]
    changes = [
        CatalogueChangeOut(**asdict(c), used_by=uses.get((c.records, c.field), []))
        for c in compare_catalogues(view.catalogue, catalogue)
    ]
    return Consequences(changes=changes, breaks=broken)


@router.post("/use", response_model=CatalogueOut)
def put_catalogue_into_use(body: Note, view: TheView, services: TheServices) -> Any:
    """
    Put the draft into use, for everybody, at once.
    """
    with services.store.session() as session:
        version = curating.put_into_use(session, view.key, body.note.strip(), view.person.id, services.clock())
        number = version.number
    log.info("catalogue_in_use", source=view.key, version=number, person=view.person.id)
    services.sources.refresh()
    return get_catalogue(SourceView.of(services, view.person, view.key), services)


@router.get("/versions", response_model=list[CatalogueVersion])
def list_catalogue_versions(view: TheView, services: TheServices) -> Any:
    """
    The catalogues that were put into use, newest first.
    """
    with services.store.session() as session:
        return [
            CatalogueVersion(number=v.number, note=v.note, saved_by=by, saved_at=v.saved_at)
            for v, by in curating.list_versions(session, view.key)
        ]


@router.post("/versions/{number}/edit", response_model=CatalogueOut)
def edit_catalogue_version(number: Id, view: TheView, services: TheServices) -> Any:
    """
    Take an earlier version as the draft. Refused while something else is being edited.
    """
    with services.store.session() as session:
        document = curating.get_version(session, view.key, number).document
        if curating.get_draft(session, view.key) is not None:
            raise NotPossible(tr("This catalogue is being edited. Put that into use, or give it up first."))
    return _kept_draft(services, view, Overlay.model_validate(document), 0)


@router.get("/drift", response_model=Drift)
def get_drift(view: TheView, services: TheServices) -> Any:
    """
    The templates that the source, as it was last read, no longer gives what they ask for.
    """
    with services.store.session() as session:
        return Drift(broken=[_broken(b) for b in broken_templates(services, session, view.source, view.catalogue)])


@router.post("/read", response_model=Drift)
def read_source_again(view: TheView, services: TheServices) -> Any:
    """
    Read the source again now. Rounds of templates that became broken are paused.
    """
    found = look_for_drift(services, view.source)
    return Drift(broken=[_broken(b) for b in found])


@router.post("/replace", response_model=list[ReplacedOut])
def replace_everywhere_in_templates(body: Replacement, view: TheView, services: TheServices) -> Any:
    """
    Replace what is not there any more, in every template that names it; rounds that paused for it go on.
    """
    known = view.catalogue.record_types.get(body.records)
    if not body.name:
        there = body.new in view.catalogue.record_types
    else:
        there = known is not None and bool(known.field_named(body.new) or known.relation_named(body.new))
    if not there:
        raise NotFound(tr("There is no “{new}” to take instead.", new=body.new))
    missing = Missing(body.records, body.name, ())
    with services.store.session() as session:
        done = replace_everywhere(services, session, view.source, missing, body.new, view.person)
        out = [
            ReplacedOut(template_id=r.template.id, template=r.template.name, whole=r.whole, resumed=r.resumed)
            for r in done
        ]
    log.info("replaced_everywhere", source=view.key, templates=len(out), person=view.person.id)
    return out


def _under_edit(services: Services, view: SourceView) -> tuple[Overlay, Catalogue, int]:
    """
    (curated document, what it comes to, revision) of the draft, or of what is in use.
    """
    with services.store.session() as session:
        draft = curating.get_draft(session, view.key)
        document, revision = (draft.document, draft.revision) if draft is not None else (None, 0)
    if document is None:
        return _in_use(view.source), view.catalogue, 0
    overlay = _read(document)
    return overlay, view.source.catalogue_with(overlay), revision


def _read(document: dict[str, Any]) -> Overlay:
    try:
        return Overlay.model_validate(document)
    except ValidationError as error:
        raise OverlayError(
            tr("The draft was kept by another version of Bouquet. Give it up, and edit anew.")
        ) from error


def _in_use(source: Source) -> Overlay:
    environment = "practice" if source.environment == "practice" else "live"
    return source.overlay or Overlay(title=source.title, environment=environment)


def _kept_draft(services: Services, view: SourceView, overlay: Overlay, revision: int) -> CatalogueOut:
    # Read first: what cannot be laid over the source is not kept.
    catalogue = view.source.catalogue_with(overlay)
    with services.store.session() as session:
        document = overlay.model_dump(mode="json", exclude_defaults=True) | {"title": overlay.title}
        draft = curating.put_draft(session, view.key, document, revision, view.person.id, services.clock())
        number = draft.revision
    return _out(view, overlay, catalogue, number)


def _out(view: SourceView, overlay: Overlay, catalogue: Catalogue, revision: int) -> CatalogueOut:
    changes = compare_catalogues(view.catalogue, catalogue) if revision else []
    tables = [
        CatalogueTable(
            table=table_key(t),
            name=t.name,
            label=t.label,
            plural=t.plural,
            rows=t.rows_estimate,
            fields=len(t.fields),
            guessed=sum(bool(f.guesses) for f in t.fields),
            personal=sum(f.personal for f in t.fields),
            hidden=False,
        )
        for t in sorted(catalogue.record_types.values(), key=lambda t: -(t.rows_estimate or 0))
    ]
    hidden = [
        CatalogueTable(
            table=name, name=name, label=name, plural=name, rows=None, fields=0, guessed=0, personal=0, hidden=True
        )
        for name in overlay.hidden
    ]
    return CatalogueOut(
        source=view.key,
        title=overlay.title,
        version=view.source.curated,
        revision=revision,
        changes=len(changes),
        schemas=[
            SchemaOut(name=name, tables=count, chosen=not overlay.schemas or name in overlay.schemas)
            for name, count in catalogue.schemas
        ],
        tables=tables + hidden,
    )


def _type_out(
    view: SourceView,
    overlay: Overlay,
    catalogue: Catalogue,
    found: RecordType,
    uses: dict[tuple[str, str], list[str]],
) -> CuratedType:
    told = overlay.tables.get(table_key(found), RecordTypeOverlay())
    made = {r.name for r in told.relations}
    profile = view.source.profile(found.name, view.scope) if found.name in view.catalogue.record_types else {}
    why = dict(found.guesses)
    return CuratedType(
        table=table_key(found),
        name=found.name,
        label=found.label,
        plural=found.plural,
        meaning=found.meaning,
        title=found.title,
        link=found.link,
        touched_by=found.touched_by,
        belongs_to=found.belongs_to,
        unit_by=found.unit_by,
        by_row=found.by_row,
        guesses=[GuessOut(what=what, why=reason) for what, reason in found.guesses],
        fields=[_field_out(f, profile.get(f.name), uses.get((found.name, f.name), [])) for f in found.fields],
        relations=[
            CuratedRelation(
                name=r.name,
                label=r.label,
                target=r.target,
                many=r.many,
                columns=dict(r.pairs),
                made=r.name in made,
                guess=why.get(f"relation {r.pairs[0][0]}", ""),
            )
            for r in found.relations
        ],
        made_of=found.made_of,
        where=dict(found.where),
    )


def _field_out(f: Field, profile: FieldProfile | None, used_by: list[str]) -> CuratedField:
    return CuratedField(
        name=f.name,
        label=f.label,
        column=f.json_key or (f.attribute.name if f.attribute else f.column),
        kind=f.kind,
        kinds=list(dict.fromkeys((f.kind, *kinds_of("text" if f.typed_text else f.stored, f.kind)))),
        unit=f.unit,
        meaning=f.meaning,
        everyday=f.everyday,
        personal=f.personal,
        personal_class=class_of(f) if f.personal else "",
        part_of=f.part_of,
        retired=f.retired.reason if f.retired else None,
        substitute=f.retired.substitute if f.retired else None,
        synonyms=list(f.synonyms),
        choices=[ChoiceOut(code=c.code, label=c.label) for c in f.choices],
        example=profile.example if profile is not None else None,
        fill=profile.fill if profile is not None else None,
        guesses=[GuessOut(what=what, why=reason) for what, reason in f.guesses],
        used_by=used_by,
        formula=f.formula,
    )


def _broken(broken: Broken) -> BrokenOut:
    return BrokenOut(
        template_id=broken.template.id,
        template=broken.template.name,
        problems=[p.message for p in broken.problems],
        missing=[MissingOut(records=m.records, name=m.name, candidates=list(m.candidates)) for m in broken.missing],
        rounds=len(broken.rounds),
        paused=sum(r.paused for r in broken.rounds),
    )
