"""
What a bundle holds, gathered: the saved templates as they are now, and a template for each whole record type.
"""

from __future__ import annotations

from typing import Any

from bouquet.core.errors import PlanError, Problem
from bouquet.core.language import tr, whole
from bouquet.core.template import (
    MOST_PARTS,
    Bundle,
    BundleContents,
    Template,
    read_document,
    whole_templates,
    with_own_folders,
)
from bouquet.rights import may
from bouquet.runs.asking import as_format
from bouquet.runs.services import Services
from bouquet.store import NotFound
from bouquet.store import templates as shelf
from bouquet.store.models import Person, TemplateRecord

__all__ = ["gather_bundle", "source_of_bundle"]


def source_of_bundle(services: Services, person: Person, contents: BundleContents, source: str) -> str:
    """
    The one source that everything in a bundle reads; `source` where only record types are named. Raises NotFound for a
    template that is not there or not theirs, and PlanError where there are several sources, or nothing at all.
    """
    found = {record.source for record in _records(services, person, contents)}
    if contents.everything or contents.records:
        found.add(source)
    if not found:
        message = tr("A bundle holds at least one template or record type.")
        raise PlanError([Problem(code="empty_bundle", message=message, place="bundle.templates")])
    if len(found) > 1:
        message = tr("These templates read different sources. A bundle is of one, so that its files agree.")
        raise PlanError([Problem(code="several_sources", message=message, place="bundle.templates")])
    return found.pop()


def gather_bundle(services: Services, person: Person, contents: BundleContents, source: str) -> Bundle:
    """
    A bundle that can be run. Raises NotFound and PlanError, at `bundle.…`.
    """
    types = services.catalogue_for(person.scope, source).record_types
    names = list(types) if contents.everything else list(contents.records)
    unknown = [n for n in names if n not in types]
    if unknown:
        message = tr("There is no record type “{unknown}”.", unknown=unknown[0])
        raise PlanError([Problem(code="unknown_record_type", message=message, place="bundle.records")])
    parts: list[Template] = []
    answers: list[dict[str, Any]] = []
    with services.store.session() as session:
        for entry, record in zip(contents.templates, _records(services, person, contents), strict=True):
            saved = shelf.latest_version(session, record.id)
            parts.append(read_document(saved.document if saved else record.draft))
            answers.append(entry.answers)
    for name in names:
        parts += whole_templates(types[name], attachments=contents.attachments)
    if not 0 < len(parts) <= MOST_PARTS:
        message = tr(
            "A bundle holds 1 to {most_parts} templates and record types; this has {parts}.",
            most_parts=whole(MOST_PARTS),
            parts=whole(len(parts)),
        )
        raise PlanError([Problem(code="bundle_size", message=message, place="bundle.records")])
    if contents.file_format is not None:
        parts = [as_format(part, contents.file_format) for part in parts]
    answers += [{}] * (len(parts) - len(answers))
    return Bundle(name=contents.name, parts=with_own_folders(parts), answers=tuple(answers))


def _records(services: Services, person: Person, contents: BundleContents) -> list[TemplateRecord]:
    found = []
    with services.store.session() as session:
        for entry in contents.templates:
            record = shelf.get_template(session, entry.template)
            if record.kind != "template" or not may(person, "look", record):
                raise NotFound(tr("A template of this bundle was removed, or is not yours to see."))
            found.append(record)
    return found
