"""
What personal data may leave the house for.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field, StringConstraints

from bouquet.store.house import purposes, put_purposes
from bouquet.store.models import Person
from bouquet.web.access import CurrentPerson, TheServices, needs
from bouquet.web.bodies import ExactRoute

router = APIRouter(route_class=ExactRoute, prefix="/purposes", tags=["people"], dependencies=[Depends(needs("look"))])

PurposeName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]


class PurposesPart(BaseModel):
    """
    The purposes that are offered where personal data leaves the house; with `only`, no others are taken.
    """

    names: list[PurposeName] = Field(max_length=200)
    only: bool = False


@router.get("", response_model=PurposesPart)
def get_purposes(services: TheServices, person: CurrentPerson) -> Any:
    """
    What personal data may leave the house for.
    """
    with services.store.session() as session:
        found = purposes(session)
    return PurposesPart(names=list(found.names), only=found.only)


@router.put("", response_model=PurposesPart)
def set_purposes(body: PurposesPart, services: TheServices, person: Annotated[Person, Depends(needs("keep"))]) -> Any:
    """
    Say what personal data may leave the house for. Rounds keep what they were set for.
    """
    with services.store.session() as session:
        put_purposes(session, body.names, only=body.only, now=services.clock())
    return get_purposes(services, person)
