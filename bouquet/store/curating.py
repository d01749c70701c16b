"""
Curated catalogues: a draft for each source, and the versions that were put into use.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import LostUpdate, NotFound, NotPossible
from bouquet.store.models import CuratedDraft, CuratedVersion, Person

__all__ = [
    "drop_draft",
    "get_draft",
    "get_version",
    "in_use",
    "list_versions",
    "numbers_in_use",
    "put_draft",
    "put_into_use",
]


def get_draft(session: Session, source: str) -> CuratedDraft | None:
    """
    What is being edited of a source's catalogue; None where nothing is.
    """
    return session.get(CuratedDraft, source)


def put_draft(
    session: Session, source: str, document: dict[str, Any], revision: int, person_id: int | None, now: datetime
) -> CuratedDraft:
    """
    Keep a catalogue under edit. `revision` is the one it started from, 0 for a new draft. Raises LostUpdate.
    """
    draft = session.get(CuratedDraft, source, with_for_update=True)
    if (draft.revision if draft is not None else 0) != revision:
        by = session.get(Person, draft.changed_by) if draft is not None and draft.changed_by is not None else None
        at, number = (draft.changed_at, draft.revision) if draft is not None else (now, 0)
        raise LostUpdate(by.name if by is not None else "Somebody", at, number, "catalogue")
    if draft is None:
        draft = CuratedDraft(source=source, document=document, revision=1, changed_by=person_id, changed_at=now)
        session.add(draft)
    else:
        draft.document, draft.changed_by, draft.changed_at = document, person_id, now
        draft.revision += 1
    session.flush()
    return draft


def drop_draft(session: Session, source: str) -> None:
    """
    Give up what is being edited.
    """
    draft = session.get(CuratedDraft, source, with_for_update=True)
    if draft is not None:
        session.delete(draft)


def in_use(session: Session, source: str) -> CuratedVersion | None:
    """
    The version of a source's catalogue that is in use; None where nobody curated it here.
    """
    query = sa.select(CuratedVersion).where(CuratedVersion.source == source).order_by(CuratedVersion.number.desc())
    return session.scalars(query.limit(1)).first()


def numbers_in_use(session: Session) -> dict[str, int]:
    """
    The number of the version in use, by source.
    """
    query = sa.select(CuratedVersion.source, sa.func.max(CuratedVersion.number)).group_by(CuratedVersion.source)
    return {row[0]: row[1] for row in session.execute(query)}


def list_versions(session: Session, source: str) -> Sequence[tuple[CuratedVersion, str]]:
    """
    (version, who put it into use) of a source's catalogue, newest first.
    """
    query = (
        sa.select(CuratedVersion, sa.func.coalesce(Person.name, ""))
        .outerjoin(Person, Person.id == CuratedVersion.saved_by)
        .where(CuratedVersion.source == source)
        .order_by(CuratedVersion.number.desc())
    )
    return [(version, name) for version, name in session.execute(query)]


def get_version(session: Session, source: str, number: int) -> CuratedVersion:
    """
    One version. Raises NotFound.
    """
    found = session.get(CuratedVersion, (source, number))
    if found is None:
        raise NotFound(tr("There is no such version of this catalogue."))
    return found


def put_into_use(session: Session, source: str, note: str, person_id: int | None, now: datetime) -> CuratedVersion:
    """
    Make the draft the newest version, and end it. Raises NotPossible where nothing is being edited.
    """
    draft = session.get(CuratedDraft, source, with_for_update=True)
    if draft is None:
        raise NotPossible(tr("Nothing of this catalogue is being edited."))
    newest = in_use(session, source)
    version = CuratedVersion(
        source=source,
        number=newest.number + 1 if newest is not None else 1,
        document=draft.document,
        note=note,
        saved_by=person_id,
        saved_at=now,
    )
    session.add(version)
    session.delete(draft)
    session.flush()
    return version
