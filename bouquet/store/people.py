"""
People, and their passwords.
"""

from __future__ import annotations

import secrets
import threading
from collections.abc import Collection
from functools import lru_cache
from typing import Any, Literal, TypeAlias

import sqlalchemy as sa
from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.passwords import why_guessed
from bouquet.store.errors import NameTaken, WeakPassword
from bouquet.store.groups import settle
from bouquet.store.models import Person, SignIn
from bouquet.store.secrets import digest_of

__all__ = [
    "LONGEST_EMAIL",
    "SHORTEST_PASSWORD",
    "add_first",
    "change_me",
    "change_password",
    "check_password",
    "find_person",
    "fits",
    "is_nobody",
    "keeper_ids",
    "keeper_names",
    "names_of",
    "new_person",
    "prepare",
    "proves",
    "put_person",
    "set_password",
]

#: What somebody may see, as it is kept; None for everything.
GivenScope: TypeAlias = dict[str, Any] | Literal["as it is"] | None

#: Characters of the shortest password that may be set.
SHORTEST_PASSWORD = 12

LONGEST_EMAIL = 254

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
        others = sa.delete(SignIn).where(SignIn.person_id == person.id, SignIn.token_digest != digest_of(keep))
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


def names_of(session: Session, person_ids: Collection[int]) -> dict[int, str]:
    """
    What some people are called.
    """
    query = sa.select(Person.id, Person.name).where(Person.id.in_(person_ids))
    return {row.id: row.name for row in session.execute(query)}


def find_person(session: Session, email: str) -> Person | None:
    """
    The person with an address, whatever its case.
    """
    return session.scalars(sa.select(Person).where(Person.email == email.strip().lower())).first()


def fits(person: Person | None, password: str) -> bool:
    """
    Whether this is the password of somebody who may sign in with one. Takes as long whoever it is, and if it is nobody.
    """
    hashed = person.password_hash if person is not None else ""
    return _matches(hashed or _nobodys_hash(), password) and bool(hashed) and person is not None


def _matches(hashed: str, password: str) -> bool:
    try:
        with _HASHING:
            return _hasher.verify(hashed, password)
    except (VerifyMismatchError, InvalidHashError):
        return False
