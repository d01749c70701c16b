"""
Groups of people, and what comes of them for each of their members.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

import sqlalchemy as sa
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.rights import joined_limits, joined_rights
from bouquet.store.errors import NameTaken, NotFound, NotPossible
from bouquet.store.models import Group, GroupMember, Person, Picks, Recipient, Round, TemplateRecord, View

__all__ = [
    "ROLES",
    "add_group",
    "change_group",
    "get_group",
    "groups_of",
    "groups_of_people",
    "keep_somebody",
    "list_groups",
    "member_ids",
    "put_claimed",
    "remove_group",
    "set_groups",
    "set_members",
    "settle",
]

#: From what gives least to what gives most.
ROLES = ("runner", "designer", "auditor", "keeper")


def list_groups(session: Session) -> Sequence[Group]:
    """
    All groups, by name.
    """
    return session.scalars(sa.select(Group).order_by(sa.func.lower(Group.name))).all()


def get_group(session: Session, group_id: int) -> Group:
    """
    One group. Raises NotFound.
    """
    found = session.get(Group, group_id, with_for_update=True)
    if found is None:
        raise NotFound(tr("There is no such group."))
    return found


def groups_of(session: Session, person_id: int) -> Sequence[Group]:
    """
    The groups that somebody is in, by name.
    """
    return groups_of_people(session, [person_id])[person_id]


def groups_of_people(session: Session, person_ids: Collection[int]) -> dict[int, list[Group]]:
    """
    The same of each of some people.
    """
    query = sa.select(GroupMember.person_id, Group).join(Group, GroupMember.group_id == Group.id)
    found: dict[int, list[Group]] = {number: [] for number in person_ids}
    for number, group in session.execute(
        query.where(GroupMember.person_id.in_(person_ids)).order_by(sa.func.lower(Group.name))
    ):
        found[number].append(group)
    return found


def member_ids(session: Session, group_ids: Collection[int]) -> dict[int, list[int]]:
    """
    The numbers of the people in each of some groups, by name.
    """
    query = sa.select(GroupMember.group_id, Person.id).join(Person, GroupMember.person_id == Person.id)
    found: dict[int, list[int]] = {number: [] for number in group_ids}
    for number, person_id in session.execute(
        query.where(GroupMember.group_id.in_(group_ids)).order_by(sa.func.lower(Person.name))
    ):
        found[number].append(person_id)
    return found


def add_group(session: Session, *, name: str, members: Collection[int] = (), **facts: Any) -> Group:
    """
    A new group. Raises NameTaken, NotFound, and RightsDiffer where a member's groups cannot be joined.
    """
    group = Group(name=" ".join(name.split()), **facts)
    _put(session, group)
    set_members(session, group, members)
    return group


def change_group(session: Session, group_id: int, members: Collection[int] | None = None, **changes: Any) -> Group:
    """
    Change what a group is called, may do, sees, or who is in it. Raises NotFound, NameTaken and RightsDiffer.
    """
    group = get_group(session, group_id)
    for name, value in changes.items():
        setattr(group, name, value)
    _put(session, group)
    if members is not None:
        set_members(session, group, members)
    else:
        _settle_all(session, member_ids(session, [group_id])[group_id])
    return group


def remove_group(session: Session, group_id: int) -> None:
    """
    Remove a group; its members lose what it gave them. Raises NotFound.
    """
    group = get_group(session, group_id)
    were = member_ids(session, [group_id])[group_id]
    entry = {"group": group_id}
    shared: list[TemplateRecord | View | Round | Recipient | Picks] = [
        *session.scalars(sa.select(TemplateRecord)),
        *session.scalars(sa.select(View)),
        *session.scalars(sa.select(Round)),
        *session.scalars(sa.select(Recipient)),
        *session.scalars(sa.select(Picks)),
    ]
    for thing in shared:
        if entry in thing.shared_with:
            thing.shared_with = [with_ for with_ in thing.shared_with if with_ != entry]
    session.delete(group)
    session.flush()
    _settle_all(session, were)


def set_members(session: Session, group: Group, members: Collection[int]) -> None:
    """
    Say who is in a group. Who is in it by the house's own sign-in stays. Raises NotFound and RightsDiffer.
    """
    rows = session.scalars(sa.select(GroupMember).where(GroupMember.group_id == group.id)).all()
    were = {row.person_id for row in rows}
    for row in rows:
        if not row.by_claim and row.person_id not in members:
            session.delete(row)
    for person_id in set(members) - were:
        if session.get(Person, person_id) is None:
            raise NotFound(tr("There is no such person."))
        session.add(GroupMember(group_id=group.id, person_id=person_id))
    session.flush()
    _settle_all(session, were | set(members))


def set_groups(session: Session, person: Person, wanted: Collection[int]) -> None:
    """
    Say which groups somebody is in. Raises NotFound and RightsDiffer.
    """
    rows = session.scalars(sa.select(GroupMember).where(GroupMember.person_id == person.id)).all()
    for row in rows:
        if not row.by_claim and row.group_id not in wanted:
            session.delete(row)
    for group_id in set(wanted) - {row.group_id for row in rows}:
        get_group(session, group_id)
        session.add(GroupMember(group_id=group_id, person_id=person.id))
    session.flush()
    settle(session, person)


def put_claimed(session: Session, person: Person, claims: Collection[str]) -> None:
    """
    Put somebody into the groups that the house's own sign-in names, and out of those that it does not name any more.
    Raises RightsDiffer.
    """
    named = {g.id for g in list_groups(session) if g.claim and g.claim in claims}
    rows = session.scalars(sa.select(GroupMember).where(GroupMember.person_id == person.id)).all()
    for row in rows:
        if row.by_claim and row.group_id not in named:
            session.delete(row)
    for group_id in named - {row.group_id for row in rows}:
        session.add(GroupMember(group_id=group_id, person_id=person.id, by_claim=True))
    session.flush()
    settle(session, person)


def keep_somebody(session: Session) -> None:
    """
    Refuse a change that leaves nobody to administer the house. Raises NotPossible.
    """
    session.flush()
    # One after the other: two administrators who let each other go would leave nobody.
    session.execute(sa.text("SELECT pg_advisory_xact_lock(726002)"))
    if not any("keeper" in p.roles for p in session.scalars(sa.select(Person).where(Person.disabled_at.is_(None)))):
        raise NotPossible(
            tr("Nobody would be left to administer the house. Make somebody else an administrator first.")
        )


def settle(session: Session, person: Person) -> None:
    """
    Work out what somebody may do and see: what they were given themselves, and what their groups give. What they see is
    either their own or their groups', and so is what limits their acts. Raises RightsDiffer.
    """
    groups = groups_of(session, person.id) if person.id is not None else []
    roles = {*person.own_roles, *(role for group in groups for role in group.roles)}
    person.group_ids = [group.id for group in groups]
    person.roles = [role for role in ROLES if role in roles]
    person.scope = joined_rights([g.scope for g in groups]) if person.as_groups else person.own_scope
    joined = joined_limits([(g.scope, g.limits) for g in groups]) if person.as_groups else person.own_limits
    person.limits = joined
    session.flush()


def _settle_all(session: Session, people: Collection[int]) -> None:
    for person_id in sorted(people):
        settle(session, session.get_one(Person, person_id))
    keep_somebody(session)


def _put(session: Session, group: Group) -> None:
    try:
        with session.begin_nested():
            session.add(group)
            session.flush()
    except IntegrityError as error:
        raise NameTaken(group.name, "group") from error
