"""
Signing in, sessions, and the brake on guessed passwords.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable
from datetime import datetime, timedelta

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NotFound, TooManyTries
from bouquet.store.models import Person, SignIn, SignInTry
from bouquet.store.people import LONGEST_EMAIL, find_person, fits
from bouquet.store.secrets import digest_of

__all__ = [
    "check_brake",
    "end_other_sign_ins",
    "end_sign_in",
    "is_own",
    "list_sign_ins",
    "note_try",
    "session_for",
    "sign_in",
    "sign_out",
    "signed_in",
]

#: Failed tries within the window, of an account from one address, of one address, of one account; then a pause.
MOST_OF_BOTH, MOST_OF_ADDRESS, MOST_OF_ACCOUNT = 8, 40, 100
BRAKE_WINDOW, PAUSE = timedelta(minutes=15), timedelta(minutes=1)

#: Between two times that the use of a session is noted.
SEEN = timedelta(minutes=1)


def check_brake(session: Session, email: str, address: str, now: datetime) -> None:
    """
    Raises TooManyTries, with the seconds to wait, where too many tries to sign in failed of late: for this account from
    this network address, from this address for any account, or for this account from anywhere. Only the last is felt by
    somebody else, and it is far above what a person types.
    """
    since = now - BRAKE_WINDOW
    email = email.strip().lower()[:LONGEST_EMAIL]
    failed = sa.select(sa.func.count(), sa.func.max(SignInTry.tried_at)).where(
        SignInTry.tried_at > since, sa.not_(SignInTry.succeeded)
    )
    for most, part in (
        (MOST_OF_BOTH, (SignInTry.email == email, SignInTry.address == address)),
        (MOST_OF_ADDRESS, (SignInTry.address == address,)),
        (MOST_OF_ACCOUNT, (SignInTry.email == email,)),
    ):
        count, last = session.execute(failed.where(*part)).one()
        wait = PAUSE - (now - last) if last is not None else PAUSE
        if count >= most and wait > timedelta(0):
            raise TooManyTries(max(1, round(wait.total_seconds())))


def note_try(session: Session, email: str, address: str, now: datetime, *, succeeded: bool) -> None:
    """
    Remember a try to sign in; old ones are forgotten.
    """
    session.execute(sa.delete(SignInTry).where(SignInTry.tried_at < now - BRAKE_WINDOW * 4))
    email = email.strip().lower()[:LONGEST_EMAIL]
    session.add(SignInTry(email=email, address=address, tried_at=now, succeeded=succeeded))


def sign_in(
    session: Session,
    email: str,
    password: str,
    now: datetime,
    hours: int,
    *,
    address: str = "",
    agent: str = "",
    second: Callable[[Person], None] | None = None,
) -> tuple[str, Person] | None:
    """
    A new token and the person, or None for a wrong address or password. Takes as long whether the address is known.
    `second` is the second step, asked of who has the password; what it raises is raised.
    """
    person = find_person(session, email)
    if not fits(person, password) or person is None or person.disabled_at is not None:
        return None
    if second is not None:
        second(person)
    return session_for(session, person, now, hours, address=address, agent=agent), person


def session_for(
    session: Session, person: Person, now: datetime, hours: int, *, address: str = "", agent: str = ""
) -> str:
    """
    The token of a new session of somebody who proved who they are.
    """
    session.execute(sa.delete(SignIn).where(SignIn.expires_at < now))
    token = secrets.token_urlsafe(32)
    facts = {"created_at": now, "seen_at": now, "address": address[:100], "agent": agent[:300]}
    expires = now + timedelta(hours=hours)
    session.add(SignIn(token_digest=digest_of(token), person_id=person.id, expires_at=expires, **facts))
    return token


def signed_in(
    session: Session, token: str, now: datetime, idle: timedelta | None = None, *, used: bool = True
) -> Person | None:
    """
    Whose token this is, while it is valid, and was used within `idle`; asking is a use of it, unless `used` says no.
    """
    found = session.get(SignIn, digest_of(token))
    if found is None or found.expires_at <= now or found.person.disabled_at is not None:
        return None
    seen = found.seen_at or found.created_at
    if idle is not None and seen is not None and seen + idle <= now:
        return None
    if used and (seen is None or seen + SEEN < now):
        found.seen_at = now
    return found.person


def list_sign_ins(session: Session, person_id: int, now: datetime) -> list[SignIn]:
    """
    The browsers in which a person is signed in, the last used first.
    """
    query = sa.select(SignIn).where(SignIn.person_id == person_id, SignIn.expires_at > now)
    return list(session.scalars(query.order_by(SignIn.seen_at.desc().nulls_last(), SignIn.number.desc())))


def is_own(entry: SignIn, token: str) -> bool:
    """
    Whether it is the sign-in of this token.
    """
    return entry.token_digest == digest_of(token)


def end_sign_in(session: Session, person_id: int, number: int) -> None:
    """
    Sign a person out in one browser. Raises NotFound.
    """
    gone = sa.delete(SignIn).where(SignIn.person_id == person_id, SignIn.number == number).returning(SignIn.number)
    if session.scalar(gone) is None:
        raise NotFound(tr("There is no such session."))


def end_other_sign_ins(session: Session, person_id: int, token: str) -> int:
    """
    Sign a person out everywhere but here. Returns in how many browsers.
    """
    others = sa.delete(SignIn).where(SignIn.person_id == person_id, SignIn.token_digest != digest_of(token))
    return len(session.scalars(others.returning(SignIn.number)).all())


def sign_out(session: Session, token: str) -> None:
    """
    Forget a token.
    """
    session.execute(sa.delete(SignIn).where(SignIn.token_digest == digest_of(token)))
