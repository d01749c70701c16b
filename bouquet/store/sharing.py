"""
With whom something is shared: people and groups, as entries of one or the other.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import InstrumentedAttribute, Session

from bouquet.core.language import tr
from bouquet.store.errors import NotFound
from bouquet.store.groups import get_group
from bouquet.store.models import GroupMember, Person

__all__ = ["Entry", "checked_entries", "is_shared_with", "people_of", "shared_with"]

#: `{"person": number}` or `{"group": number}`.
Entry = dict[str, int]


def checked_entries(session: Session, entries: Iterable[Entry]) -> list[Entry]:
    """
    Entries, each once. Raises NotFound for who is not there.
    """
    wanted = list(entries)
    for entry in wanted:
        if "group" in entry:
            get_group(session, entry["group"])
        elif session.get(Person, entry["person"]) is None:
            raise NotFound(tr("There is no such person."))
    return [entry for n, entry in enumerate(wanted) if entry not in wanted[:n]]


def is_shared_with(entries: Iterable[Entry], person: Person) -> bool:
    """
    Whether one of the entries is a person, or a group of theirs.
    """
    theirs = _of(person)
    return any(entry in theirs for entry in entries)


def people_of(session: Session, entries: Iterable[Entry]) -> list[Person]:
    """
    The people that entries speak of, each once, who are still here.
    """
    wanted = list(entries)
    if not wanted:
        return []
    members = sa.select(GroupMember.person_id).where(GroupMember.group_id.in_([e.get("group", 0) for e in wanted]))
    named = sa.or_(Person.id.in_([e.get("person", 0) for e in wanted]), Person.id.in_(members))
    return list(session.scalars(sa.select(Person).where(named, Person.disabled_at.is_(None)).order_by(Person.id)))


def shared_with(column: InstrumentedAttribute[Any], person: Person) -> sa.ColumnElement[bool]:
    """
    The same as a condition on a column of entries.
    """
    return sa.or_(*(sa.cast(column, JSONB).contains([entry]) for entry in _of(person)))


def _of(person: Person) -> list[Entry]:
    return [{"person": person.id}, *({"group": group_id} for group_id in person.group_ids)]
