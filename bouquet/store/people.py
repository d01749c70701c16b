"""
People, and signing in.
"""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime, timedelta
from functools import lru_cache
from typing import Any, Literal

import sqlalchemy as sa
from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy.orm import Session

from bouquet.store.models import Person, SignIn

__all__ = ["put_person", "sign_in", "sign_out", "signed_in"]

_hasher = PasswordHasher()


@lru_cache
def _nobodys_hash() -> str:
    """
    Checked when nobody has the address, so that the answer takes as long as for a wrong password.
    """
    return _hasher.hash(secrets.token_urlsafe(16))


def put_person(
    session: Session,
    *,
    email: str,
    name: str,
    roles: list[str],
    password: str,
    scope: dict[str, Any] | Literal["as it is"] | None = "as it is",
) -> Person:
    """
    Add a person, or bring name, roles, password and, where it is given, scope of a known address up to date.
    """
    person = session.scalars(sa.select(Person).where(Person.email == email.lower())).first()
    if person is None:
        person = Person(email=email.lower(), name=name, roles=roles, password_hash="")
        session.add(person)
    person.name, person.roles = name, roles
    if scope != "as it is":
        person.scope = scope
    if not _matches(person.password_hash, password):
        person.password_hash = _hasher.hash(password)
    session.flush()
    return person


def _matches(hashed: str, password: str) -> bool:
    try:
        return _hasher.verify(hashed, password)
    except (VerifyMismatchError, InvalidHashError):
        return False


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(session: Session, email: str, password: str, now: datetime, hours: int) -> tuple[str, Person] | None:
    """
    A new token and the person, or None when address and password do not belong together.
    """
    person = session.scalars(sa.select(Person).where(Person.email == email.strip().lower())).first()
    if not _matches(person.password_hash if person else _nobodys_hash(), password) or person is None:
        return None
    session.execute(sa.delete(SignIn).where(SignIn.expires_at < now))
    token = secrets.token_urlsafe(32)
    session.add(SignIn(token_digest=_digest(token), person_id=person.id, expires_at=now + timedelta(hours=hours)))
    return token, person


def signed_in(session: Session, token: str, now: datetime) -> Person | None:
    """
    Whose token this is, while it is valid.
    """
    found = session.get(SignIn, _digest(token))
    return found.person if found and found.expires_at > now else None


def sign_out(session: Session, token: str) -> None:
    """
    Forget a token.
    """
    session.execute(sa.delete(SignIn).where(SignIn.token_digest == _digest(token)))
