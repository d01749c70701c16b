"""
Links that are sent to people, by which they set a password: who is invited, and who forgot theirs.
"""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta
from typing import Literal, TypeAlias

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store import people
from bouquet.store.errors import NotFound
from bouquet.store.models import Person, PersonLink
from bouquet.store.secrets import digest_of

__all__ = ["LIVES", "WhatFor", "make_link", "sent_since", "take_link"]

WhatFor: TypeAlias = Literal["invite", "recover"]

#: How long a link can be used.
LIVES: dict[WhatFor, timedelta] = {"invite": timedelta(days=7), "recover": timedelta(hours=1)}


def make_link(session: Session, person: Person, what_for: WhatFor, now: datetime) -> str:
    """
    The secret of a new link; earlier ones of the person for the same end. It is not kept.
    """
    same = sa.and_(PersonLink.person_id == person.id, PersonLink.what_for == what_for)
    session.execute(sa.delete(PersonLink).where(sa.or_(same, PersonLink.expires_at < now)))
    secret = secrets.token_urlsafe(32)
    entry = PersonLink(
        digest=digest_of(secret), person_id=person.id, what_for=what_for, expires_at=now + LIVES[what_for]
    )
    session.add(entry)
    return secret


def sent_since(session: Session, person: Person, since: datetime) -> bool:
    """
    Whether a link to recover was made for somebody since a moment.
    """
    later = since + LIVES["recover"]
    query = sa.select(PersonLink.digest).where(
        PersonLink.person_id == person.id, PersonLink.what_for == "recover", PersonLink.expires_at > later
    )
    return session.scalar(query.limit(1)) is not None


def take_link(session: Session, secret: str, password: str, now: datetime) -> Person:
    """
    Set a password by a link, which is used up by it; all sessions end. Raises NotFound for a link that is not good, and
    WeakPassword, which leaves it good.
    """
    found = session.get(PersonLink, digest_of(secret), with_for_update=True)
    person = session.get(Person, found.person_id) if found is not None and found.expires_at > now else None
    if found is None or person is None or person.disabled_at is not None:
        raise NotFound(tr("This link is not good any more. Ask for another one."))
    people.set_password(session, person, password)
    session.execute(sa.delete(PersonLink).where(PersonLink.person_id == person.id))
    return person
