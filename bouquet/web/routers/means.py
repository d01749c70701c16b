"""
The ways out of the house, for who administers it: listed, tried, added, changed, removed.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict
from typing import Annotated, Any

import structlog
from fastapi import APIRouter, Depends
from fastapi.sse import EventSourceResponse
from sqlalchemy.orm import Session

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.delivery import WAYS, checked_settings, try_means, way_of
from bouquet.store import recipients as kept
from bouquet.store.models import Means, Person
from bouquet.web.access import Id, TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas.deliveries import MeansChange, MeansOut, NewMeans, StepOut, TryMeans, WayOut

log = structlog.get_logger()

router = APIRouter(route_class=ExactRoute, prefix="/means", tags=["deliveries"])

Keeper = Annotated[Person, Depends(needs("keep"))]
Designer = Annotated[Person, Depends(needs("design"))]


@router.get("/ways", response_model=list[WayOut])
def list_ways(person: Designer) -> Any:
    """
    The ways out there are, with what has to be said of each.
    """
    return [
        WayOut(
            kind=way.kind,
            label=tr(way.label),
            secret=tr(way.secret),
            withdraws=way.withdraws,
            settings=_worded(way.settings_model.model_json_schema()),
            address=_worded(way.address_model.model_json_schema()),
        )
        for way in WAYS.values()
    ]


def _worded(schema: Any) -> Any:
    """
    A schema with its titles in the language that is spoken.
    """
    if isinstance(schema, list):
        return [_worded(part) for part in schema]
    if not isinstance(schema, dict):
        return schema
    return {
        name: tr(part) if name == "title" and isinstance(part, str) else _worded(part) for name, part in schema.items()
    }


@router.get("", response_model=list[MeansOut])
def list_means(services: TheServices, person: Designer) -> Any:
    """
    The means of the house. Their settings are told to keepers only.
    """
    with services.store.session() as session:
        users = kept.users_of_all_means(session)
        return [_told(m, person, users.get(m.id, [])) for m in kept.list_means(session)]


@router.post("/try", response_class=EventSourceResponse)
def try_new_means(body: TryMeans, services: TheServices, person: Keeper) -> Iterator[StepOut]:
    """
    Server-sent events: each step that was tried, as it is done. Nothing is delivered.
    """
    secret = body.secret.get_secret_value()
    try:
        if not secret and body.means_id is not None:
            with services.store.session() as session:
                sealed = kept.get_means(session, body.means_id).secret
            secret = services.vault.open(sealed) if sealed else ""
        for step in try_means(services, body.kind, body.settings, secret):
            yield StepOut(**asdict(step))
    except BouquetError as error:
        # The stream has begun: what is wrong is its last step.
        yield StepOut(name="settings", mark="wrong", says=str(error))


@router.post("", response_model=MeansOut, status_code=201)
def add_means(body: NewMeans, services: TheServices, person: Keeper) -> Any:
    """
    Set means up; their secret is kept encrypted.
    """
    secret = body.secret.get_secret_value()
    made = Means(
        name=kept.checked_name(body.name),
        kind=way_of(body.kind).kind,
        settings=checked_settings(body.kind, body.settings),
        secret=services.vault.seal(secret) if secret else "",
        created_at=services.clock(),
    )
    with services.store.session() as session:
        kept.keep(session, made)
        log.info("means_added", means=made.name, kind=made.kind, person=person.id)
        return _out(session, made, person)


@router.patch("/{means_id}", response_model=MeansOut)
def change_means(means_id: Id, body: MeansChange, services: TheServices, person: Keeper) -> Any:
    """
    Change means. With that they are tried anew, however often they failed.
    """
    with services.store.session() as session:
        found = kept.get_means(session, means_id, lock=True)
        facts: dict[str, Any] = {"failures": 0, "down_until": None, "said": ""}
        if body.name is not None:
            facts["name"] = kept.checked_name(body.name)
        if body.settings is not None:
            facts["settings"] = checked_settings(found.kind, body.settings)
        if body.secret is not None:
            secret = body.secret.get_secret_value()
            facts["secret"] = services.vault.seal(secret) if secret else ""
        kept.change(session, found, facts)
        log.info("means_changed", means=found.name, person=person.id)
        return _out(session, found, person)


@router.delete("/{means_id}", status_code=204)
def remove_means(means_id: Id, services: TheServices, person: Keeper) -> None:
    """
    Remove means that nobody receives by.
    """
    with services.store.session() as session:
        kept.remove_means(session, means_id, services.clock())
    log.info("means_removed", means=means_id, person=person.id)


def _out(session: Session, means: Means, person: Person) -> MeansOut:
    return _told(means, person, kept.users_of_means(session, means.id))


def _told(means: Means, person: Person, recipients: list[str]) -> MeansOut:
    keeper = "keeper" in person.roles
    return MeansOut(
        id=means.id,
        name=means.name,
        kind=means.kind,
        label=way_of(means.kind).label,
        settings=means.settings if keeper else {},
        has_secret=bool(means.secret),
        down_until=means.down_until,
        said=means.said,
        recipients=recipients,
    )
