"""
Drift: what the templates of a source use of its catalogue, what a change of it breaks, and replacing a field everywhere
at once. A broken template's rounds pause; none ever makes a narrower file.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.catalogue import Catalogue
from bouquet.core.errors import Problem, TemplateError, nearest
from bouquet.core.language import tr
from bouquet.core.plan import resolve
from bouquet.core.template import read_document
from bouquet.core.template.paths import replace_step, steps_of
from bouquet.core.wording.sentence import Sentence
from bouquet.rights import may, told_of
from bouquet.runs.services import Services
from bouquet.sources import Source
from bouquet.store import people
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Person, Round, TemplateRecord, View
from bouquet.store.rounds import SOURCE_CHANGED, let_go_on, rounds_of

__all__ = [
    "DRIFT",
    "Broken",
    "Missing",
    "Replaced",
    "Replacing",
    "broken_templates",
    "look_for_drift",
    "missing_of",
    "move_template",
    "numbers_of_uses",
    "replace_everywhere",
    "uses_of",
    "with_replaced",
]

#: Problems that come from the source, not from the design: something that was there is no longer.
DRIFT = frozenset({"unknown_field", "unknown_relation", "unknown_records", "unknown_record_type"})

#: Templates whose uses are counted: going through them takes a quarter of a millisecond each.
LATELY = 200


@dataclass(frozen=True)
class Missing:
    """
    A name that templates use and the catalogue does not have: a field or relation of `records`, or, with no `name`, the
    record type itself. `candidates` are the nearest that there are, the best first.
    """

    records: str
    name: str
    candidates: tuple[str, ...]


@dataclass(frozen=True)
class Replacing:
    """
    `new` in the place of a field or relation of `records`, or, with no `name`, of the record type itself.
    """

    records: str
    name: str
    new: str


@dataclass(frozen=True)
class Broken:
    """
    A template that the source no longer gives what it asks for.
    """

    template: TemplateRecord
    problems: tuple[Problem, ...]
    missing: tuple[Missing, ...]
    rounds: tuple[Round, ...]


@dataclass(frozen=True)
class Replaced:
    """
    A template in which a name was replaced: whether it is whole again, and how many rounds go on.
    """

    template: TemplateRecord
    whole: bool
    resumed: int


def templates_of(session: Session, source: str) -> list[TemplateRecord]:
    """
    The templates that read a source.
    """
    return [t for t in shelf.list_templates(session) if t.source == source]


def uses_of(session: Session, source: str, catalogue: Catalogue) -> dict[tuple[str, str], list[str]]:
    """
    (record type, field or relation) → the names of the templates that use it.
    """
    return _uses(templates_of(session, source), catalogue)


def numbers_of_uses(session: Session, person: Person, source: str, catalogue: Catalogue) -> Counter[tuple[str, str]]:
    """
    (record type, field or relation) → how many templates have it in a column, of those `LATELY` changed that a person
    may see.
    """
    shown = [t for t in templates_of(session, source) if may(person, "look", t)]
    shown = sorted(shown, key=lambda t: t.draft_changed_at, reverse=True)[:LATELY]
    return Counter({at: len(names) for at, names in _uses(shown, catalogue, "columns").items()})


def _uses(records: Iterable[TemplateRecord], catalogue: Catalogue, part: str = "") -> dict[tuple[str, str], list[str]]:
    found: dict[tuple[str, str], list[str]] = {}
    for record in records:
        steps = [s for s in steps_of(record.draft, catalogue) if s.place.startswith(part)]
        for at in dict.fromkeys((s.records, s.name) for s in steps):
            found.setdefault(at, []).append(record.name)
    return found


def missing_of(document: dict[str, Any], catalogue: Catalogue) -> tuple[Missing, ...]:
    """
    The names in a document that a catalogue does not have.
    """
    records = str(document.get("records", ""))
    if records not in catalogue.record_types:
        return (Missing(records, "", tuple(nearest(records, list(catalogue.record_types)))),)
    return tuple(dict.fromkeys(_missing_names(document, catalogue)))


def _missing_names(document: dict[str, Any], catalogue: Catalogue) -> Iterator[Missing]:
    for step in steps_of(document, catalogue):
        here = catalogue.record_types[step.records]
        field = here.field_named(step.name)
        if field is None and here.relation_named(step.name) is None and step.name not in ("label", "code"):
            names = [f.name for f in here.fields] + [r.name for r in here.relations]
            yield Missing(step.records, step.name, tuple(nearest(step.name, names)) or tuple(names[:3]))


def broken_templates(services: Services, session: Session, source: Source, catalogue: Catalogue) -> list[Broken]:
    """
    The templates of a source that a catalogue does not give what they ask for: the one in use, or one yet to be.
    """
    found = []
    for record in templates_of(session, source.key):
        problems = _drift_of(services, record, catalogue)
        if problems:
            missing = missing_of(record.draft, catalogue)
            found.append(Broken(record, problems, missing, tuple(rounds_of(session, record.id))))
    return found


def _drift_of(services: Services, record: TemplateRecord, catalogue: Catalogue) -> tuple[Problem, ...]:
    try:
        resolution = resolve(read_document(record.draft), catalogue, services.context(source=record.source))
    except TemplateError:
        return ()
    return tuple(p for p in resolution.problems if p.code in DRIFT)


def look_for_drift(services: Services, source: Source) -> list[Broken]:
    """
    Read a source again, and pause the rounds of the templates it no longer gives what they ask for; their owners and
    the house's administrators are told, once. Raises SourceDown.
    """
    catalogue = source.catalogue(fresh=True)
    now = services.clock()
    with services.store.session() as session:
        found = broken_templates(services, session, source, catalogue)
        for broken in found:
            running = [r for r in broken.rounds if not r.paused]
            for round_ in running:
                round_.paused, round_.paused_for = True, SOURCE_CHANGED
            if running:
                said = broken.problems[0].message
                text = tr(
                    "{source} changed, so the rounds of {template} are paused: {said}",
                    source=source.title,
                    template=broken.template.name,
                    said=said,
                )
                whom = [*(told for r in running for told in told_of(session, r)), *people.keeper_ids(session)]
                ledger.tell(session, whom, f"/templates/{broken.template.id}", text, now)
    return found


def replace_everywhere(
    services: Services, session: Session, source: Source, missing: Missing, new: str, by: Person
) -> list[Replaced]:
    """
    Replace a field, relation or record type that is not there any more by one that is, in every template and view of
    the source that names it. Templates that were saved are saved again; rounds that paused for it go on once theirs is
    whole.
    """
    catalogue, done = source.catalogue(), []
    for record in templates_of(session, source.key):
        document = _replaced(record.draft, catalogue, missing, new)
        if document == record.draft:
            continue
        saved = shelf.latest_version(session, record.id)
        was_saved = saved is not None and saved.document == record.draft
        template = read_document(document)
        sentence = Sentence(template, catalogue, services.context(source=source.key)).text()
        now = services.clock()
        shelf.change_draft(session, record.id, template.as_document(), sentence, record.draft_revision, by, now)
        whole = not _drift_of(services, record, catalogue)
        if was_saved and whole:
            shelf.save_version(session, record.id, _note(missing, new), by, now)
        elif saved is not None and whole:
            # What is being edited stays a draft; what rounds run is mended by itself.
            mended = read_document(_replaced(saved.document, catalogue, missing, new)).as_document()
            shelf.save_version(session, record.id, _note(missing, new), by, now, document=mended)
        resumed = 0
        for round_ in rounds_of(session, record.id):
            if whole and round_.paused and round_.paused_for == SOURCE_CHANGED:
                let_go_on(session, round_, now)
                resumed += 1
        done.append(Replaced(record, whole, resumed))
    for view in session.scalars(sa.select(View).where(View.source == source.key, View.deleted_at.is_(None))):
        document = _replaced(view.document, catalogue, missing, new)
        if document != view.document:
            view.document, view.records = document, str(document["records"])
    return done


def move_template(
    services: Services, session: Session, record: TemplateRecord, target: Source, replacing: list[Replacing], by: Person
) -> Replaced:
    """
    Have a template read another source, with names of it in the place of those that are not there. A template that is
    whole there and was saved is saved again; one that is not keeps its problems, and its rounds pause.
    """
    catalogue = target.catalogue()
    document = with_replaced(record.draft, catalogue, replacing)
    template = read_document(document)
    sentence = Sentence(template, catalogue, services.context(source=target.key)).text()
    saved, now = shelf.latest_version(session, record.id), services.clock()
    was_saved = saved is not None and saved.document == record.draft
    record.source = target.key
    shelf.change_draft(session, record.id, template.as_document(), sentence, record.draft_revision, by, now)
    whole = not resolve(template, catalogue, services.context(source=target.key)).problems
    if saved is not None and whole:
        mended = None if was_saved else read_document(with_replaced(saved.document, catalogue, replacing)).as_document()
        shelf.save_version(session, record.id, tr("moved to {target}", target=target.title), by, now, document=mended)
    for round_ in rounds_of(session, record.id):
        if not whole and not round_.paused:
            round_.paused, round_.paused_for = True, SOURCE_CHANGED
    return Replaced(record, whole, 0)


def with_replaced(document: dict[str, Any], catalogue: Catalogue, replacing: list[Replacing]) -> dict[str, Any]:
    """
    A document with names of a catalogue in the place of others.
    """
    # The record type first: what is missing of it is only known then.
    for one in sorted(replacing, key=lambda r: bool(r.name)):
        document = _replaced(document, catalogue, Missing(one.records, one.name, ()), one.new)
    return document


def _replaced(document: dict[str, Any], catalogue: Catalogue, missing: Missing, new: str) -> dict[str, Any]:
    if missing.name:
        return replace_step(document, catalogue, missing.records, missing.name, new)
    return {**document, "records": new} if document.get("records") == missing.records else document


def _note(missing: Missing, new: str) -> str:
    return tr(
        "“{missing}” replaced by “{new}” everywhere, as the source changed",
        missing=missing.name or missing.records,
        new=new,
    )
