"""
Tokens, by which programs act for people.
"""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NotFound
from bouquet.store.models import Person, Token
from bouquet.store.secrets import digest_of

__all__ = ["add_token", "list_programs", "list_tokens", "person_of_token", "remove_token"]

#: What tokens begin with, so that people and scanners know one where they see it.
TOKEN_START = "bouquet_"

#: How exactly the last use of a token is kept.
USED_EVERY = timedelta(minutes=1)


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
        digest=digest_of(secret),
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


def list_programs(session: Session, now: datetime) -> list[Token]:
    """
    The tokens of all people that are still good, by name.
    """
    good = sa.select(Token).where(Token.expires_at > now).order_by(sa.func.lower(Token.name), Token.id)
    return list(session.scalars(good))


def remove_token(session: Session, person_id: int | None, token_id: int) -> None:
    """
    Make a person's token worthless at once; anybody's where no person is given. Raises NotFound.
    """
    token = session.get(Token, token_id)
    if token is None or person_id not in (None, token.person_id):
        msg = tr("There is no such token, or it was removed.")
        raise NotFound(msg)
    session.delete(token)


def person_of_token(session: Session, secret: str, now: datetime) -> Person | None:
    """
    Whom a program acts for by a token, while it is valid; `by_token` says what it may do.
    """
    token = session.scalars(sa.select(Token).where(Token.digest == digest_of(secret))).first()
    if token is None or token.expires_at <= now or token.person.disabled_at is not None:
        return None
    if token.last_used_at is None or now - token.last_used_at > USED_EVERY:
        token.last_used_at = now
    person = token.person
    person.by_token = frozenset(token.acts)  # type: ignore[misc]
    return person
