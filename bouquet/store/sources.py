"""
Sources that the house keeps beside the one in the settings.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NameTaken, NotFound, NotPossible
from bouquet.store.models import KeptCatalogue, SourceRecord, TemplateRecord

__all__ = [
    "LONGEST_NAME",
    "add_source",
    "change_source",
    "checked_name",
    "find_source",
    "keep_catalogue",
    "kept_catalogue",
    "list_sources",
    "remove_source",
    "used_by",
]

#: Characters of a source's name.
LONGEST_NAME = 60


def checked_name(name: str) -> str:
    """
    A name that a source can have: of letters that can be seen, without slashes, which addresses are divided by. Raises
    NotPossible.
    """
    found = " ".join(name.split())
    if not 0 < len(found) <= LONGEST_NAME or not found.isprintable() or "/" in found or "\\" in found:
        raise NotPossible(
            tr(
                "A source's name has 1 to {longest_name} characters, and no slashes.",
                longest_name=LONGEST_NAME,
            )
        )
    return found


def list_sources(session: Session) -> Sequence[SourceRecord]:
    """
    The sources that are kept, the first added first.
    """
    return session.scalars(
        sa.select(SourceRecord).where(SourceRecord.deleted_at.is_(None)).order_by(SourceRecord.id)
    ).all()


def find_source(session: Session, name: str, *, lock: bool = False) -> SourceRecord:
    """
    A source by its name, whatever the case. Raises NotFound.
    """
    query = sa.select(SourceRecord).where(
        SourceRecord.deleted_at.is_(None), sa.func.lower(SourceRecord.name) == name.lower()
    )
    found = session.scalars(query.with_for_update() if lock else query).first()
    if found is None:
        raise NotFound(tr("There is no source “{name}” that is kept here.", name=name))
    return found


def add_source(
    session: Session, *, name: str, sealed: str, environment: str, person_id: int | None, now: datetime
) -> SourceRecord:
    """
    Keep a source. `sealed` is its address, encrypted. Raises NameTaken.
    """
    record = SourceRecord(
        name=name, address=sealed, environment=environment, revision=1, added_by=person_id, added_at=now
    )
    try:
        with session.begin_nested():
            session.add(record)
    except IntegrityError as error:
        raise NameTaken(name, "source") from error
    return record


def change_source(
    session: Session,
    name: str,
    *,
    sealed: str | None = None,
    environment: str | None = None,
    sealed_copy: str | None = None,
) -> SourceRecord:
    """
    Give a source another address, or a copy that runs read (none where that is empty), or say whether it is live.
    Raises NotFound.
    """
    record = find_source(session, name, lock=True)
    record.address = sealed if sealed is not None else record.address
    record.environment = environment if environment is not None else record.environment
    record.copy = sealed_copy if sealed_copy is not None else record.copy
    record.revision += 1
    return record


def used_by(session: Session, name: str) -> list[str]:
    """
    The names of the templates that read a source.
    """
    query = sa.select(TemplateRecord.name).where(TemplateRecord.source == name, TemplateRecord.deleted_at.is_(None))
    return list(session.scalars(query.order_by(sa.func.lower(TemplateRecord.name))))


def remove_source(session: Session, name: str, now: datetime) -> SourceRecord:
    """
    Forget a source's address. Raises NotFound, and NotPossible while templates read it.
    """
    record = find_source(session, name, lock=True)
    users = used_by(session, record.name)
    if users:
        more = tr(" and {users} more", users=len(users) - 3) if len(users) > 3 else ""
        raise NotPossible(
            tr(
                "Templates read this source: {users}{more}. Remove or move them first.",
                users=", ".join(users[:3]),
                more=more,
            )
        )
    record.deleted_at, record.address, record.copy = now, "", ""
    return record


def kept_catalogue(session: Session, source: str, digest: str) -> bytes | None:
    """
    What was kept of a source under this digest.
    """
    query = sa.select(KeptCatalogue.body).where(KeptCatalogue.source == source, KeptCatalogue.digest == digest)
    return session.scalars(query).first()


def keep_catalogue(session: Session, source: str, digest: str, body: bytes, now: datetime) -> None:
    """
    Keep what was read of a source, in the place of what was kept before.
    """
    facts = {"digest": digest, "body": body, "read_at": now}
    entered = insert(KeptCatalogue).values(source=source, **facts)
    session.execute(entered.on_conflict_do_update(index_elements=["source"], set_=facts))
