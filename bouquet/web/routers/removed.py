"""
What was removed and can be brought back, in one list; each kind is brought back at its own address.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends

from bouquet.store.removed import list_removed
from bouquet.web.access import CurrentPerson, TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas import RemovedOut

router = APIRouter(route_class=ExactRoute, prefix="/removed", tags=["removed"], dependencies=[Depends(needs("look"))])


@router.get("", response_model=list[RemovedOut])
def list_what_was_removed(services: TheServices, person: CurrentPerson) -> Any:
    """
    Removed templates, rounds, saved lists and views that I may bring back, the latest first.
    """
    with services.store.session() as session:
        return [
            RemovedOut(kind=r.kind, id=r.id, name=r.name, owner=r.owner, removed_at=r.removed_at)
            for r in list_removed(session, person)
        ]
