"""
People who arrive from the house's own sign-in service.
"""

from __future__ import annotations

from collections.abc import Collection

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NotYours
from bouquet.store.groups import list_groups, put_claimed
from bouquet.store.models import Person
from bouquet.store.people import find_person, keeper_names

__all__ = ["arrive"]


def arrive(session: Session, *, subject: str, email: str, verified: bool, name: str, groups: Collection[str]) -> Person:
    """
    The person whom the service knows by `subject`: the one who came before, else the one with that address, else a new
    one, where one of the service's groups is a group here. They are put into these groups.

    Raises NotYours for who may not be here, and RightsDiffer where their groups cannot be joined.
    """
    person = session.scalars(sa.select(Person).where(Person.subject == subject)).first()
    if person is None:
        person = find_person(session, email)
        if person is not None and (person.subject is not None or not verified):
            # Whoever can give themselves an address there would be whoever has it here.
            raise NotYours(tr("This address belongs to somebody else here, as far as the sign-in service tells."))
    if person is None:
        if not any(g.claim and g.claim in groups for g in list_groups(session)):
            who = ", ".join(keeper_names(session))
            raise NotYours(
                tr(
                    "Nobody has let you in here yet. Ask an administrator{who}.",
                    who=f": {who}" if who else "",
                )
            )
        person = Person(email=email, name=name, roles=[], own_roles=[], password_hash="", as_groups=True)
        session.add(person)
        session.flush()
    if person.disabled_at is not None:
        raise NotYours(tr("You cannot sign in here any more. Ask an administrator."))
    person.subject = subject
    put_claimed(session, person, groups)
    return person
