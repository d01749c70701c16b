"""
Programs that act for people by tokens, for who administers the house.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends

from bouquet.store import tokens
from bouquet.store.models import Person
from bouquet.web.access import Id, TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas.accounts import ProgramOut

router = APIRouter(route_class=ExactRoute, prefix="/programs", tags=["people"])

Keeper = Annotated[Person, Depends(needs("keep"))]


@router.get("", response_model=list[ProgramOut])
def list_programs(services: TheServices, person: Keeper) -> Any:
    """
    The tokens of all people that are still good, by name.
    """
    with services.store.session() as session:
        return [
            ProgramOut(
                id=t.id,
                name=t.name,
                hint=t.hint,
                acts=t.acts,
                expires_at=t.expires_at,
                last_used_at=t.last_used_at,
                acts_for=t.person.name,
            )
            for t in tokens.list_programs(session, services.clock())
        ]


@router.delete("/{token_id}", status_code=204)
def end_program(token_id: Id, services: TheServices, person: Keeper) -> None:
    """
    Make somebody's token worthless at once.
    """
    with services.store.session() as session:
        tokens.remove_token(session, None, token_id)
