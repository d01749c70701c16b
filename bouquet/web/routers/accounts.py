"""
The people of the house, for who administers it.
"""

from __future__ import annotations

from typing import Annotated, Any

import structlog
from fastapi import APIRouter, Depends, Request
from sqlalchemy.orm import Session

from bouquet.core.errors import PlanError, Problem
from bouquet.runs import Services
from bouquet.store import accounts
from bouquet.store.models import Person
from bouquet.web.access import Id, TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas.accounts import Account, AccountChange, NewAccount, NewSecret, ScopeOut

log = structlog.get_logger()

router = APIRouter(route_class=ExactRoute, prefix="/people", tags=["people"])

Keeper = Annotated[Person, Depends(needs("keep"))]


@router.get("", response_model=list[Account])
def list_people(services: TheServices, person: Keeper) -> Any:
    """
    Everybody who can, or could, sign in.
    """
    with services.store.session() as session:
        return [_out(session, p) for p in accounts.list_people(session)]


@router.post("", response_model=NewSecret, status_code=201)
def add_person(body: NewAccount, services: TheServices, person: Keeper) -> Any:
    """
    Add a person. The answer holds the password that they sign in with first.
    """
    scope = _scope(services, body.scope)
    with services.store.session() as session:
        added, password = accounts.add_person(session, email=body.email, name=body.name, roles=body.roles, scope=scope)
        out = NewSecret(person=_out(session, added), password=password)
    log.info("person_added", added=out.person.id, roles=body.roles, person=person.id)
    return out


@router.patch("/{person_id}", response_model=Account)
def change_person(person_id: Id, body: AccountChange, request: Request, services: TheServices, person: Keeper) -> Any:
    """
    Change somebody's name, roles or what they may see; let them go, or bring them back.
    """
    given = body.model_dump(exclude_unset=True)
    changes = {k: v for k, v in given.items() if v is not None or k == "scope"}
    if "scope" in changes:
        changes["scope"] = _scope(services, body.scope)
    with services.store.session() as session:
        known = session.get(Person, person_id)
        if known is not None:
            request.state.told = {"before": {"roles": known.roles, "scope": known.scope}}
        out = _out(session, accounts.change_person(session, person_id, services.clock(), **changes))
    log.info("person_changed", changed=person_id, what=sorted(changes), person=person.id)
    return out


@router.post("/{person_id}/password", response_model=NewSecret)
def give_password(person_id: Id, services: TheServices, person: Keeper) -> Any:
    """
    Make a new password for somebody who lost theirs. They are signed out everywhere.
    """
    with services.store.session() as session:
        known, password = accounts.give_password(session, person_id)
        out = NewSecret(person=_out(session, known), password=password)
    log.info("password_given", to=person_id, person=person.id)
    return out


def _scope(services: Services, scope: ScopeOut | None) -> dict[str, Any] | None:
    """
    A scope as the store keeps it. Raises PlanError where it speaks of no field: it would close everything.
    """
    if scope is None:
        return None
    known = services.sources.get(scope.source).catalogue().record_types.get(scope.records)
    if known is None or known.field_named(scope.field) is None:
        message = f"There is no field “{scope.records}.{scope.field}” to tell by what somebody may see."
        raise PlanError([Problem(code="unknown_field", message=message, place="scope.field")])
    kept = {"records": scope.records, "field": scope.field, "values": scope.values}
    return {**kept, "source": scope.source} if scope.source else kept


def _out(session: Session, person: Person) -> Account:
    return Account(
        id=person.id,
        name=person.name,
        email=person.email,
        roles=person.roles,
        scope=ScopeOut(**person.scope) if person.scope is not None else None,
        disabled_at=person.disabled_at,
        password_given=person.password_given,
        rounds=len(accounts.owned_rounds(session, person)),
    )
