"""
Templates: drafts, versions, names.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import LostUpdate, NameTaken, NotFound
from bouquet.store.models import Person, TemplateRecord, TemplateVersion

__all__ = [
    "add_template",
    "change_draft",
    "find_template",
    "free_name",
    "get_template",
    "get_version",
    "latest_version",
    "list_templates",
    "list_versions",
    "remove_template",
    "restore_template",
    "running_document",
    "running_documents",
    "save_version",
]


def list_templates(session: Session, kind: str = "template") -> list[TemplateRecord]:
    """
    All templates, or all bundles, by name.
    """
    query = sa.select(TemplateRecord).where(TemplateRecord.deleted_at.is_(None), TemplateRecord.kind == kind)
    return list(session.scalars(query.order_by(sa.func.lower(TemplateRecord.name))))


def get_template(session: Session, template_id: int, *, lock: bool = False) -> TemplateRecord:
    """
    One template. Raises NotFound.
    """
    record = session.get(TemplateRecord, template_id, with_for_update={"of": TemplateRecord} if lock else None)
    if record is None or record.deleted_at is not None:
        msg = tr("There is no such template, or it was removed.")
        raise NotFound(msg)
    return record


def find_template(session: Session, name: str) -> TemplateRecord | None:
    """
    The template of this name, whatever its case.
    """
    query = sa.select(TemplateRecord).where(
        sa.func.lower(TemplateRecord.name) == name.strip().lower(), TemplateRecord.deleted_at.is_(None)
    )
    return session.scalars(query).first()


def free_name(session: Session, name: str) -> str:
    """
    `name`, or the first of `name 2`, `name 3`… that no template has.
    """
    candidate, n = name, 1
    while find_template(session, candidate):
        n += 1
        candidate = f"{name} {n}"
    return candidate


def add_template(
    session: Session,
    document: dict[str, Any],
    sentence: str,
    owner: Person,
    now: datetime,
    *,
    source: str = "",
    kind: str = "template",
) -> TemplateRecord:
    """
    A new template of a source with this draft, or a bundle. Raises NameTaken.
    """
    record = TemplateRecord(
        kind=kind,
        source=source,
        name=document["name"],
        owner_id=owner.id,
        draft=document,
        draft_changed_at=now,
        draft_changed_by=owner.id,
        sentence=sentence,
        deleted_at=None,
    )
    session.add(record)
    _flush_name(session, document["name"])
    return record


def change_draft(
    session: Session,
    template_id: int,
    document: dict[str, Any],
    sentence: str,
    revision: int,
    by: Person,
    now: datetime,
) -> TemplateRecord:
    """
    Replace the draft that `revision` names. Whoever did so already and did not hear the answer may do it again. Raises
    NotFound, NameTaken or LostUpdate.
    """
    record = get_template(session, template_id, lock=True)
    done = (record.draft_revision, record.draft_changed_by, record.draft) == (revision + 1, by.id, document)
    if done:
        return record
    if record.draft_revision != revision:
        other = session.get_one(Person, record.draft_changed_by)
        raise LostUpdate(other.name, record.draft_changed_at, record.draft_revision)
    record.draft, record.name, record.sentence = document, document["name"], sentence
    record.draft_revision += 1
    record.draft_changed_at, record.draft_changed_by = now, by.id
    _flush_name(session, document["name"])
    return record


def save_version(
    session: Session,
    template_id: int,
    note: str,
    by: Person,
    now: datetime,
    *,
    document: dict[str, Any] | None = None,
) -> TemplateVersion:
    """
    Keep the draft as a new version, or another document while the draft stays as it is.
    """
    record = get_template(session, template_id, lock=True)
    record.version += 1
    version = TemplateVersion(
        template_id=record.id,
        number=record.version,
        document=record.draft if document is None else document,
        note=note,
        saved_by=by.id,
        saved_at=now,
    )
    session.add(version)
    session.flush()
    return version


def list_versions(session: Session, template_id: int) -> list[tuple[TemplateVersion, str]]:
    """
    The saved versions, newest first, each with the name of who saved it.
    """
    query = (
        sa.select(TemplateVersion, Person.name)
        .join(Person, Person.id == TemplateVersion.saved_by)
        .where(TemplateVersion.template_id == template_id)
        .order_by(TemplateVersion.number.desc())
    )
    return [(version, name) for version, name in session.execute(query)]


def latest_version(session: Session, template_id: int) -> TemplateVersion | None:
    """
    The newest saved version, if there is one.
    """
    query = sa.select(TemplateVersion).where(TemplateVersion.template_id == template_id)
    return session.scalars(query.order_by(TemplateVersion.number.desc()).limit(1)).first()


def running_document(session: Session, record: TemplateRecord) -> dict[str, Any]:
    """
    What a run of a template runs: its newest saved version, or its draft as long as there is none.
    """
    return running_documents(session, [record])[record.id]


def running_documents(session: Session, records: Sequence[TemplateRecord]) -> dict[int, dict[str, Any]]:
    """
    What runs of templates run, by template: see running_document. One statement, however many there are.
    """
    found = sa.select(TemplateVersion.template_id, TemplateVersion.document).join(
        TemplateRecord,
        sa.and_(TemplateRecord.id == TemplateVersion.template_id, TemplateRecord.version == TemplateVersion.number),
    )
    ids = [r.id for r in records if r.version]
    saved = {row.template_id: row.document for row in session.execute(found.where(TemplateRecord.id.in_(ids)))}
    return {r.id: saved.get(r.id, r.draft) for r in records}


def get_version(session: Session, template_id: int, number: int) -> TemplateVersion:
    """
    One saved version. Raises NotFound.
    """
    version = session.get(TemplateVersion, (template_id, number))
    if version is None:
        msg = tr("There is no version {number} of this template.", number=number)
        raise NotFound(msg)
    return version


def remove_template(session: Session, template_id: int, now: datetime) -> None:
    """
    Put a template away. Its runs stay in the ledger.
    """
    get_template(session, template_id, lock=True).deleted_at = now


def restore_template(session: Session, template_id: int) -> TemplateRecord:
    """
    Bring back a removed template. Raises NotFound, and NameTaken where another has its name by now.
    """
    record = session.get(TemplateRecord, template_id, with_for_update={"of": TemplateRecord})
    if record is None or record.deleted_at is None:
        msg = tr("There is no such removed template.")
        raise NotFound(msg)
    record.deleted_at = None
    _flush_name(session, record.name)
    return record


def _flush_name(session: Session, name: str) -> None:
    try:
        session.flush()
    except IntegrityError as error:
        if "uq_templates_name" in str(error):
            raise NameTaken(name) from error
        raise
