"""
The people of the house as an administrator keeps them: added, changed, given a new password, let go.
"""

from __future__ import annotations

import secrets
from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store import people
from bouquet.store.errors import NameTaken, NotFound
from bouquet.store.groups import keep_somebody, set_groups, settle
from bouquet.store.models import Person, Round, SignIn, Token

__all__ = [
    "OWNER_LEFT",
    "add_person",
    "change_person",
    "count_rounds",
    "get_person",
    "give_password",
    "last_seen",
    "list_people",
    "owned_rounds",
]

#: Why a round paused by itself: whom it runs for was let go.
OWNER_LEFT = "owner"

#: Letters of passwords that are given out: none that is taken for another when it is read aloud.
_LETTERS = "abcdefghijkmnpqrstuvwxyz23456789"


#: What makes a round one that runs.
_RUNNING = (Round.deleted_at.is_(None), ~Round.paused)


def list_people(session: Session) -> Sequence[Person]:
    """
    Everybody, by name; who was let go comes last.
    """
    return session.scalars(
        sa.select(Person).order_by(Person.disabled_at.is_not(None), sa.func.lower(Person.name), Person.id)
    ).all()


def get_person(session: Session, person_id: int) -> Person:
    """
    One person. Raises NotFound.
    """
    found = session.get(Person, person_id, with_for_update=True)
    if found is None:
        raise NotFound(tr("There is no such person."))
    return found


def add_person(
    session: Session,
    *,
    email: str,
    name: str,
    roles: Sequence[str],
    scope: dict[str, Any] | None,
    limits: dict[str, Any] | None = None,
) -> tuple[Person, str]:
    """
    A new person, and the password that they sign in with first; it is told this once. Raises NameTaken.
    """
    if people.find_person(session, email) is not None:
        raise NameTaken(email, "person with the address")
    password = _new_password()
    try:
        with session.begin_nested():
            person = people.new_person(
                session, email=email.strip(), name=name, roles=list(roles), password=password, scope=scope
            )
    except IntegrityError as error:
        raise NameTaken(email, "person with the address") from error
    person.password_given, person.own_limits = True, limits
    settle(session, person)
    return person, password


def change_person(session: Session, person_id: int, now: datetime, **changes: Any) -> Person:
    """
    Change `name`, `roles`, `scope`, `limits`, `as_groups`, `groups` or `disabled`. Who is let go is signed out
    everywhere, their tokens end, and their rounds pause. Raises NotFound, RightsDiffer, and NotPossible where nobody
    would be left to administer the house.
    """
    person = get_person(session, person_id)
    if "disabled" in changes:
        disabled = changes.pop("disabled")
        if disabled and person.disabled_at is None:
            person.disabled_at = now
            _end_sessions(session, person)
            session.execute(sa.delete(Token).where(Token.person_id == person.id))
            for round_ in owned_rounds(session, person):
                round_.paused, round_.paused_for = True, OWNER_LEFT
        elif not disabled:
            person.disabled_at = None
    wanted = changes.pop("groups", None)
    given = {"roles": "own_roles", "scope": "own_scope", "limits": "own_limits"}
    for name, value in changes.items():
        setattr(person, given.get(name, name), value)
    session.flush()
    if wanted is not None:
        set_groups(session, person, wanted)
    settle(session, person)
    keep_somebody(session)
    return person


def give_password(session: Session, person_id: int) -> tuple[Person, str]:
    """
    A new password for somebody who lost theirs; it is told this once. They are signed out everywhere.
    """
    person, password = get_person(session, person_id), _new_password()
    people.put_person(session, email=person.email, name=person.name, roles=person.own_roles, password=password)
    person.password_given = True
    return person, password


def last_seen(session: Session, person_ids: Collection[int]) -> dict[int, datetime | None]:
    """
    When each of some people was last here, as far as a session of theirs still tells.
    """
    latest = sa.func.max(SignIn.seen_at).label("latest")
    query = sa.select(SignIn.person_id, latest).where(SignIn.person_id.in_(person_ids)).group_by(SignIn.person_id)
    return {row.person_id: row.latest for row in session.execute(query)}


def count_rounds(session: Session, person_ids: Collection[int]) -> dict[int, int]:
    """
    How many rounds run for each of some people.
    """
    query = sa.select(Round.created_by, sa.func.count().label("rounds"))
    query = query.where(Round.created_by.in_(person_ids), *_RUNNING).group_by(Round.created_by)
    return {row.created_by: row.rounds for row in session.execute(query)}


def owned_rounds(session: Session, person: Person) -> Sequence[Round]:
    """
    The rounds that run for a person.
    """
    return session.scalars(sa.select(Round).where(Round.created_by == person.id, *_RUNNING)).all()


def _end_sessions(session: Session, person: Person) -> None:
    session.execute(sa.delete(SignIn).where(SignIn.person_id == person.id))


def _new_password() -> str:
    """
    Twenty letters in groups of five: 100 bits.
    """
    return "-".join("".join(secrets.choice(_LETTERS) for _ in range(5)) for _ in range(4))
