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

from bouquet.store.errors import NotFound
from bouquet.store.models import Person, SignIn, Token

__all__ = [
    "add_token",
    "find_person",
    "list_tokens",
    "person_of_token",
    "put_person",
    "remove_token",
    "sign_in",
    "sign_out",
    "signed_in",
]

#: What tokens begin with, so that people and scanners know one where they see it.
TOKEN_START = "bouquet_"

#: How exactly the last use of a token is kept.
USED_EVERY = timedelta(minutes=1)

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
    person = find_person(session, email)
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


def find_person(session: Session, email: str) -> Person | None:
    """
    The person with an address, whatever its case.
    """
    return session.scalars(sa.select(Person).where(Person.email == email.strip().lower())).first()


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
    person = find_person(session, email)
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


def add_token(
    session: Session, person_id: int, name: str, acts: list[str], now: datetime, days: int
) -> tuple[str, Token]:
    """
    A new token for a program, and the secret itself, which is not kept.
    """
    secret = TOKEN_START + secrets.token_urlsafe(32)
    token = Token(
        person_id=person_id,
        name=name,
        hint=secret[: len(TOKEN_START) + 4],
        digest=_digest(secret),
        acts=acts,
        created_at=now,
        expires_at=now + timedelta(days=days),
        last_used_at=None,
    )
    session.add(token)
    session.flush()
    return secret, token


def list_tokens(session: Session, person_id: int) -> list[Token]:
    """
    A person's tokens, newest first.
    """
    return list(session.scalars(sa.select(Token).where(Token.person_id == person_id).order_by(Token.id.desc())))


def remove_token(session: Session, person_id: int, token_id: int) -> None:
    """
    Make a token worthless at once. Raises NotFound.
    """
    token = session.get(Token, token_id)
    if token is None or token.person_id != person_id:
        msg = "There is no such token, or it was removed."
        raise NotFound(msg)
    session.delete(token)


def person_of_token(session: Session, secret: str, now: datetime) -> Person | None:
    """
    Whom a program acts for by a token, while it is valid; `by_token` says what it may do.
    """
    token = session.scalars(sa.select(Token).where(Token.digest == _digest(secret))).first()
    if token is None or token.expires_at <= now:
        return None
    if token.last_used_at is None or now - token.last_used_at > USED_EVERY:
        token.last_used_at = now
    person = token.person
    person.by_token = frozenset(token.acts)  # type: ignore[assignment]
    return person
