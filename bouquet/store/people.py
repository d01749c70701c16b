"""
People, and signing in.
"""

from __future__ import annotations

import hashlib
import secrets
import threading
from collections.abc import Callable
from datetime import datetime, timedelta
from functools import lru_cache
from typing import Any, Literal, TypeAlias

import sqlalchemy as sa
from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.passwords import why_guessed
from bouquet.store.errors import NameTaken, NotFound, TooManyTries, WeakPassword
from bouquet.store.groups import settle
from bouquet.store.models import Person, SignIn, SignInTry, Token

__all__ = [
    "LONGEST_EMAIL",
    "SHORTEST_PASSWORD",
    "add_first",
    "add_token",
    "change_me",
    "change_password",
    "check_brake",
    "check_password",
    "end_other_sign_ins",
    "end_sign_in",
    "find_person",
    "is_nobody",
    "is_own",
    "keeper_ids",
    "keeper_names",
    "list_programs",
    "list_sign_ins",
    "list_tokens",
    "new_person",
    "note_try",
    "person_of_token",
    "prepare",
    "proves",
    "put_person",
    "remove_token",
    "session_for",
    "set_password",
    "sign_in",
    "sign_out",
    "signed_in",
]

#: What somebody may see, as it is kept; None for everything.
GivenScope: TypeAlias = dict[str, Any] | Literal["as it is"] | None

#: What tokens begin with, so that people and scanners know one where they see it.
TOKEN_START = "bouquet_"

#: Characters of the shortest password that may be set.
SHORTEST_PASSWORD = 12

#: How exactly the last use of a token is kept.
USED_EVERY = timedelta(minutes=1)

#: Failed tries within the window, of an account from one address, of one address, of one account; then a pause.
MOST_OF_BOTH, MOST_OF_ADDRESS, MOST_OF_ACCOUNT = 8, 40, 100
BRAKE_WINDOW, PAUSE = timedelta(minutes=15), timedelta(minutes=1)

LONGEST_EMAIL = 254

#: Between two times that the use of a session is noted.
SEEN = timedelta(minutes=1)

_hasher = PasswordHasher()

#: Each check takes 64 MB and a core for a moment; more at once only make all of them wait.
_HASHING = threading.BoundedSemaphore(2)


@lru_cache
def _nobodys_hash() -> str:
    """
    Checked when nobody has the address, or whoever has it no password, so that the answer takes as long as for a wrong
    password.
    """
    return _hasher.hash(secrets.token_urlsafe(16))


def prepare() -> None:
    """
    Do what the first try to sign in would otherwise be slower by.
    """
    _nobodys_hash()


def put_person(
    session: Session,
    *,
    email: str,
    name: str,
    roles: list[str],
    password: str,
    scope: GivenScope = "as it is",
) -> Person:
    """
    Add a person, or bring name, roles, password and, where it is given, scope of a known address up to date.
    """
    person = find_person(session, email)
    if person is None:
        return new_person(session, email=email, name=name, roles=roles, password=password, scope=scope)
    return _up_to_date(session, person, name, roles, password, scope)


def new_person(
    session: Session,
    *,
    email: str,
    name: str,
    roles: list[str],
    password: str,
    scope: GivenScope = "as it is",
) -> Person:
    """
    Add a person. Raises sqlalchemy.exc.IntegrityError where somebody has the address.
    """
    person = Person(email=email.lower(), name=name, roles=roles, own_roles=roles, password_hash="")
    session.add(person)
    return _up_to_date(session, person, name, roles, password, scope)


def _up_to_date(
    session: Session, person: Person, name: str, roles: list[str], password: str, scope: GivenScope
) -> Person:
    person.name, person.own_roles = name, roles
    if scope != "as it is":
        person.own_scope, person.as_groups = scope, False
    settle(session, person)
    if not _matches(person.password_hash, password):
        _put_password(session, person, password)
    session.flush()
    return person


def is_nobody(session: Session) -> bool:
    """
    Whether there are no people yet.
    """
    return session.scalars(sa.select(Person.id).limit(1)).first() is None


def add_first(session: Session, *, email: str, name: str, password: str) -> bool:
    """
    Add the first person, who keeps and designs. Returns False, and adds nobody, where there is anybody; of two at once
    one comes too late.
    """
    session.execute(sa.text("LOCK TABLE people IN EXCLUSIVE MODE"))
    if not is_nobody(session):
        return False
    check_password(password, name, email)
    put_person(session, email=email, name=name, roles=["designer", "keeper"], password=password)
    return True


def check_password(password: str, name: str, email: str) -> None:
    """
    Refuse a password that is too short, or that everybody tries first. Raises WeakPassword.
    """
    if len(password) < SHORTEST_PASSWORD:
        raise WeakPassword(tr("A password has at least {n} characters.", n=SHORTEST_PASSWORD))
    if why := why_guessed(password, name, email):
        raise WeakPassword(why)


def change_password(session: Session, person_id: int, current: str, new: str, keep: str) -> bool:
    """
    Change one's own password; every session but the one with the token `keep` ends. Returns False, and changes nothing,
    where the current password is wrong.
    """
    person = session.get_one(Person, person_id)
    if not _matches(person.password_hash, current):
        return False
    check_password(new, person.name, person.email)
    _put_password(session, person, new, keep=keep)
    person.password_given = False
    return True


def proves(session: Session, person_id: int, password: str) -> bool:
    """
    Whether it is somebody's password.
    """
    return _matches(session.get_one(Person, person_id).password_hash, password)


def set_password(session: Session, person: Person, password: str) -> None:
    """
    Set somebody's password; all their sessions end. Raises WeakPassword.
    """
    check_password(password, person.name, person.email)
    _put_password(session, person, password)
    person.password_given = False


def change_me(session: Session, person_id: int, password: str, *, name: str, email: str) -> bool:
    """
    Change one's own name and address. Returns False, and changes nothing, where the password is wrong. Raises NameTaken
    where somebody else has the address.
    """
    person = session.get_one(Person, person_id)
    if not _matches(person.password_hash, password):
        return False
    other = find_person(session, email)
    if other is not None and other.id != person_id:
        raise NameTaken(email.strip().lower(), "person")
    person.name, person.email = " ".join(name.split()), email.strip().lower()
    return True


def _put_password(session: Session, person: Person, password: str, *, keep: str = "") -> None:
    with _HASHING:
        person.password_hash = _hasher.hash(password)
    if person.id is not None:
        others = sa.delete(SignIn).where(SignIn.person_id == person.id, SignIn.token_digest != _digest(keep))
        session.execute(others)


def keeper_ids(session: Session) -> list[int]:
    """
    The people who administer the house.
    """
    there = sa.select(Person).where(Person.disabled_at.is_(None))
    return [p.id for p in session.scalars(there) if "keeper" in p.roles]


def keeper_names(session: Session, at_most: int = 3) -> list[str]:
    """
    The names of some administrators, who can grant rights.
    """
    found = sa.select(Person.name, Person.roles).where(Person.disabled_at.is_(None)).order_by(Person.id)
    return [name for name, roles in session.execute(found) if "keeper" in roles][:at_most]


def find_person(session: Session, email: str) -> Person | None:
    """
    The person with an address, whatever its case.
    """
    return session.scalars(sa.select(Person).where(Person.email == email.strip().lower())).first()


def _matches(hashed: str, password: str) -> bool:
    try:
        with _HASHING:
            return _hasher.verify(hashed, password)
    except (VerifyMismatchError, InvalidHashError):
        return False


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


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
    hashed = person.password_hash if person else ""
    if not _matches(hashed or _nobodys_hash(), password) or person is None or not hashed:
        return None
    if person.disabled_at is not None:
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
    session.add(SignIn(token_digest=_digest(token), person_id=person.id, expires_at=expires, **facts))
    return token


def signed_in(
    session: Session, token: str, now: datetime, idle: timedelta | None = None, *, used: bool = True
) -> Person | None:
    """
    Whose token this is, while it is valid, and was used within `idle`; asking is a use of it, unless `used` says no.
    """
    found = session.get(SignIn, _digest(token))
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
    return entry.token_digest == _digest(token)


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
    others = sa.delete(SignIn).where(SignIn.person_id == person_id, SignIn.token_digest != _digest(token))
    return len(session.scalars(others.returning(SignIn.number)).all())


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
    token = session.scalars(sa.select(Token).where(Token.digest == _digest(secret))).first()
    if token is None or token.expires_at <= now or token.person.disabled_at is not None:
        return None
    if token.last_used_at is None or now - token.last_used_at > USED_EVERY:
        token.last_used_at = now
    person = token.person
    person.by_token = frozenset(token.acts)  # type: ignore[misc]
    return person
