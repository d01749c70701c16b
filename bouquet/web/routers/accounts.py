"""
The people of the house, for who administers it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Annotated, Any

import structlog
from fastapi import APIRouter, Depends, Query, Request
from sqlalchemy.orm import Session

from bouquet.core.errors import BouquetError, PlanError, Problem
from bouquet.core.language import tr
from bouquet.core.rights import Limits
from bouquet.core.wording.rights import right_words
from bouquet.designing import SourceView
from bouquet.designing.leaving import left_templates, left_types
from bouquet.rounds.handing import belongings_of, hand_over
from bouquet.runs import Services
from bouquet.runs.inviting import check_can_invite, mail_link
from bouquet.store import accounts, links
from bouquet.store.groups import groups_of_people, list_groups
from bouquet.store.models import Group, Person
from bouquet.store.recipients import list_recipients
from bouquet.store.sources import LONGEST_NAME
from bouquet.web.access import Id, TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas.accounts import (
    Account,
    AccountChange,
    BelongingOut,
    GroupName,
    HandedOver,
    Leaves,
    LimitsOut,
    Names,
    NewAccount,
    NewSecret,
    ScopeOut,
    StaysOut,
)
from bouquet.web.schemas.accounts import LeftTemplates as LeftTemplatesOut
from bouquet.web.schemas.accounts import LeftType as LeftTypeOut
from bouquet.web.schemas.rounds import HandOver

log = structlog.get_logger()

router = APIRouter(route_class=ExactRoute, prefix="/people", tags=["people"])

Keeper = Annotated[Person, Depends(needs("keep"))]


@router.get("", response_model=list[Account])
def list_people(services: TheServices, person: Keeper) -> Any:
    """
    Everybody who can, or could, sign in.
    """
    with services.store.session() as session:
        return _all_out(services, session, accounts.list_people(session))


@router.get("/names", response_model=Names)
def list_names(services: TheServices, person: Annotated[Person, Depends(needs("design"))]) -> Any:
    """
    With whom something can be shared: people who can sign in, and groups.
    """
    with services.store.session() as session:
        return Names(
            people=[GroupName(id=p.id, name=p.name) for p in accounts.list_people(session) if p.disabled_at is None],
            groups=[GroupName(id=g.id, name=g.name) for g in list_groups(session)],
        )


@router.post("/{person_id}/eyes", status_code=204)
def look_through_eyes(person_id: Id, services: TheServices, person: Keeper) -> None:
    """
    Begin to look through somebody's eyes: requests with `Bouquet-Eyes` and their number are answered as they would be
    to them, and change nothing.
    """
    with services.store.session() as session:
        accounts.get_person(session, person_id)


@router.post("", response_model=NewSecret, status_code=201)
def add_person(body: NewAccount, services: TheServices, person: Keeper) -> Any:
    """
    Add a person. The answer holds the password that they sign in with first, or they are sent a link to set one.
    """
    scope, limits = kept_scope(services, body.scope), kept_limits(body.limits)
    if body.invite:
        check_can_invite(services, body.email)
    with services.store.session() as session:
        added, password = accounts.add_person(
            session, email=body.email, name=body.name, roles=body.roles, scope=scope, limits=limits
        )
        if body.groups or body.as_groups:
            accounts.change_person(session, added.id, services.clock(), as_groups=body.as_groups, groups=body.groups)
        secret = links.make_link(session, added, "invite", services.clock()) if body.invite else ""
        out = NewSecret(person=_out(services, session, added), password=None if body.invite else password)
        if body.invite:
            # Who cannot be reached is not added.
            mail_link(services, added, "invite", secret, person.name, services.clock())
    log.info("person_added", added=out.person.id, roles=body.roles, person=person.id)
    return out


@router.patch("/{person_id}", response_model=Account)
def change_person(person_id: Id, body: AccountChange, request: Request, services: TheServices, person: Keeper) -> Any:
    """
    Change somebody's name, roles or what they may see; let them go, or bring them back.
    """
    given = body.model_dump(exclude_unset=True)
    changes = {k: v for k, v in given.items() if v is not None or k in ("scope", "limits")}
    if changes.pop("codes", None) is False:
        changes |= {"codes_sealed": "", "spare_codes": []}
    if "scope" in changes:
        changes["scope"] = kept_scope(services, body.scope)
    if "limits" in changes:
        changes["limits"] = kept_limits(body.limits)
    with services.store.session() as session:
        known = session.get(Person, person_id)
        if known is not None:
            before = {"roles": known.own_roles, "scope": known.own_scope, "limits": known.own_limits}
            request.state.told = {"before": before}
        out = _out(services, session, accounts.change_person(session, person_id, services.clock(), **changes))
    log.info("person_changed", changed=person_id, what=sorted(changes), person=person.id)
    return out


@router.post("/{person_id}/password", response_model=NewSecret)
def give_password(person_id: Id, services: TheServices, person: Keeper) -> Any:
    """
    Make a new password for somebody who lost theirs. They are signed out everywhere.
    """
    with services.store.session() as session:
        known, password = accounts.give_password(session, person_id)
        out = NewSecret(person=_out(services, session, known), password=password)
    log.info("password_given", to=person_id, person=person.id)
    return out


@router.get("/{person_id}/leaves", response_model=Leaves)
def get_what_is_left(
    person_id: Id,
    services: TheServices,
    person: Keeper,
    source: Annotated[str, Query(max_length=LONGEST_NAME)] = "",
) -> Any:
    """
    What somebody's rights leave them of a source, counted just now.
    """
    with services.store.session() as session:
        whose = accounts.get_person(session, person_id)
        session.expunge(whose)
    bound = (whose.scope or {}).get("source", "")
    view = SourceView.of(services, whose, source or bound or services.sources.default)
    return Leaves(
        types=[LeftTypeOut(**asdict(t)) for t in left_types(view)],
        templates=[LeftTemplatesOut(**asdict(t)) for t in left_templates(view)],
    )


@router.get("/{person_id}/belongings", response_model=list[BelongingOut])
def get_belongings(person_id: Id, services: TheServices, person: Keeper) -> Any:
    """
    What belongs to somebody: templates, bundles, rounds, lists and views.
    """
    with services.store.session() as session:
        return [BelongingOut(**asdict(b)) for b in belongings_of(session, accounts.get_person(session, person_id))]


@router.post("/{person_id}/hand-over", response_model=HandedOver)
def hand_everything_over(person_id: Id, body: HandOver, services: TheServices, person: Keeper) -> Any:
    """
    Hand everything of somebody to another. What the other may not have stays, and is told with why.
    """
    with services.store.session() as session:
        # Locked in one order, also where two hand over to each other at once.
        both = {number: accounts.get_person(session, number) for number in sorted({person_id, body.to})}
        handed, stays = hand_over(services, session, both[person_id], both[body.to])
        out = HandedOver(
            handed=[BelongingOut(**asdict(b)) for b in handed],
            stays=[StaysOut(**asdict(s.thing), why=s.why) for s in stays],
        )
    log.info("handed_over", giver=person_id, to=body.to, things=len(handed), stay=len(stays), person=person.id)
    return out


def kept_scope(services: Services, scope: ScopeOut | None) -> dict[str, Any] | None:
    """
    A scope as the store keeps it. Raises PlanError where it speaks of what is not there: it would close everything.
    """
    if scope is None:
        return None
    types = services.sources.get(scope.source).catalogue().record_types
    kept: dict[str, Any] = {}
    if scope.records is not None or scope.field is not None or scope.values is not None:
        known = types.get(scope.records or "")
        if known is None or known.field_named(scope.field or "") is None or not scope.values:
            message = tr(
                "There is no field “{records}.{field}” to tell by what somebody may see.",
                records=scope.records,
                field=scope.field,
            )
            raise PlanError([Problem(code="unknown_field", message=message, place="scope.field")])
        kept |= {"records": scope.records, "field": scope.field, "values": scope.values}
    if scope.types is not None:
        unknown = [name for name in scope.types if name not in types]
        if unknown:
            message = tr("There is no record type “{unknown}”.", unknown=unknown[0])
            raise PlanError([Problem(code="unknown_record_type", message=message, place="scope.types")])
        kept["types"] = sorted(set(scope.types))
    if scope.source and kept:
        kept["source"] = scope.source
    personal = {name: said for name, said in (scope.personal or {}).items() if name == "*" or said != "seen"}
    if any(said != "seen" for said in personal.values()) or (scope.personal or {}).get("*", "seen") != "seen":
        kept["personal"] = dict(scope.personal or {})
    return kept or None


def kept_limits(limits: LimitsOut | None) -> dict[str, Any] | None:
    """
    What limits somebody's acts as the store keeps it.
    """
    return None if limits is None else Limits.read(limits.model_dump(exclude_none=True)).as_json()


def limits_out(kept: dict[str, Any] | None) -> LimitsOut | None:
    """
    What limits somebody's acts as it is told.
    """
    return LimitsOut(**kept) if kept is not None else None


def scope_out(kept: dict[str, Any] | None) -> ScopeOut | None:
    """
    A scope as it is told.
    """
    return ScopeOut(**kept) if kept is not None else None


def recipients_named(session: Session, of: Sequence[Person | Group]) -> dict[int, str]:
    """
    What recipients are called, where the limits of some people or groups speak of any.
    """
    return {r.id: r.name for r in list_recipients(session)} if any(Limits.read(w.limits).sends_to for w in of) else {}


def words_of(services: Services, whose: Person | Group, recipients: Mapping[int, str]) -> str:
    """
    What the roles, the scope and the limits of somebody or of a group come to, as a sentence.
    """
    kept, limits = whose.scope, Limits.read(whose.limits)
    source = (kept or {}).get("source", "") or services.sources.default
    try:
        catalogue = services.sources.get(source).catalogue()
        scope = services.context(scope=kept, source=source).scope
    except BouquetError:
        catalogue, scope = None, services.scope_of(kept, source)
    named = [name for number, name in recipients.items() if number in limits.sends_to] if limits.sends_to else []
    return right_words(whose.roles, services.sight_of(kept, source), scope, catalogue, limits, named)


def _out(services: Services, session: Session, person: Person) -> Account:
    return _all_out(services, session, [person])[0]


def _all_out(services: Services, session: Session, people: Sequence[Person]) -> list[Account]:
    """
    People as they are told, with as many questions to the store for many as for one.
    """
    ids = [p.id for p in people]
    groups, seen = groups_of_people(session, ids), accounts.last_seen(session, ids)
    rounds, named = accounts.count_rounds(session, ids), recipients_named(session, people)
    return [
        _told(
            p,
            groups=[GroupName(id=g.id, name=g.name) for g in groups[p.id]],
            words=words_of(services, p, named),
            last_seen=seen.get(p.id),
            rounds=rounds.get(p.id, 0),
        )
        for p in people
    ]


def _told(person: Person, **more: Any) -> Account:
    return Account(
        id=person.id,
        name=person.name,
        email=person.email,
        roles=person.roles,
        scope=scope_out(person.scope),
        own_roles=person.own_roles,
        own_scope=scope_out(person.own_scope),
        limits=limits_out(person.limits),
        own_limits=limits_out(person.own_limits),
        as_groups=person.as_groups,
        codes=bool(person.codes_sealed),
        disabled_at=person.disabled_at,
        password_given=person.password_given,
        **more,
    )
