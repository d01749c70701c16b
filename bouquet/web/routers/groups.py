"""
Groups of people, for who administers the house.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request
from sqlalchemy.orm import Session

from bouquet.runs import Services
from bouquet.store import groups
from bouquet.store.models import Group, Person
from bouquet.web.access import Id, TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.routers.accounts import kept_limits, kept_scope, limits_out, recipients_named, scope_out, words_of
from bouquet.web.schemas.accounts import GroupChange, GroupOut, NewGroup

router = APIRouter(route_class=ExactRoute, prefix="/groups", tags=["people"])

Keeper = Annotated[Person, Depends(needs("keep"))]


@router.get("", response_model=list[GroupOut])
def list_groups(services: TheServices, person: Keeper) -> Any:
    """
    All groups.
    """
    with services.store.session() as session:
        return _all_out(services, session, groups.list_groups(session))


@router.post("", response_model=GroupOut, status_code=201)
def add_group(body: NewGroup, services: TheServices, person: Keeper) -> Any:
    """
    A new group, with its members.
    """
    scope = kept_scope(services, body.scope)
    with services.store.session() as session:
        added = groups.add_group(
            session,
            name=body.name,
            meaning=body.meaning.strip(),
            roles=body.roles,
            scope=scope,
            limits=kept_limits(body.limits),
            claim=body.claim.strip(),
            members=body.members,
        )
        return _out(services, session, added)


@router.patch("/{group_id}", response_model=GroupOut)
def change_group(group_id: Id, body: GroupChange, request: Request, services: TheServices, person: Keeper) -> Any:
    """
    Change what a group is called, what its members may do and see, and who is in it.
    """
    given = body.model_dump(exclude_unset=True)
    changes = {k: v for k, v in given.items() if v is not None or k in ("scope", "limits")}
    if "scope" in changes:
        changes["scope"] = kept_scope(services, body.scope)
    if "limits" in changes:
        changes["limits"] = kept_limits(body.limits)
    with services.store.session() as session:
        known = groups.get_group(session, group_id)
        request.state.told = {"before": {"roles": known.roles, "scope": known.scope, "limits": known.limits}}
        return _out(services, session, groups.change_group(session, group_id, **changes))


@router.delete("/{group_id}", status_code=204)
def remove_group(group_id: Id, services: TheServices, person: Keeper) -> None:
    """
    Remove a group. Its members lose what it gave them.
    """
    with services.store.session() as session:
        groups.remove_group(session, group_id)


def _out(services: Services, session: Session, group: Group) -> GroupOut:
    return _all_out(services, session, [group])[0]


def _all_out(services: Services, session: Session, found: Sequence[Group]) -> list[GroupOut]:
    members, named = groups.member_ids(session, [g.id for g in found]), recipients_named(session, found)
    return [_told(g, members[g.id], words_of(services, g, named)) for g in found]


def _told(group: Group, members: list[int], words: str) -> GroupOut:
    return GroupOut(
        id=group.id,
        name=group.name,
        meaning=group.meaning,
        roles=group.roles,
        scope=scope_out(group.scope),
        limits=limits_out(group.limits),
        claim=group.claim,
        members=members,
        words=words,
    )
