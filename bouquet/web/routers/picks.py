"""
Saved, hand-picked lists of records.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Path

from bouquet.store import NotFound
from bouquet.store import picks as lists
from bouquet.store.models import Person, Picks
from bouquet.web.access import TheServices, needs
from bouquet.web.schemas import NewPicks, PicksOut

router = APIRouter(prefix="/picks", tags=["picks"], dependencies=[Depends(needs("look"))])

Designer = Annotated[Person, Depends(needs("design"))]
Name = Annotated[str, Path(min_length=1, max_length=120)]


def _out(picks: Picks) -> PicksOut:
    return PicksOut(name=picks.name, records=picks.records, size=len(picks.keys), changed_at=picks.changed_at)


@router.get("", response_model=list[PicksOut])
def list_picks(services: TheServices, records: str | None = None) -> Any:
    """
    All saved lists, or those of one record type.
    """
    with services.store.session() as session:
        return [_out(p) for p in lists.list_picks(session, records)]


@router.put("/{name}", response_model=PicksOut)
def put_picks(name: Name, body: NewPicks, services: TheServices, person: Designer) -> Any:
    """
    Save a list; an earlier one of that name is replaced.
    """
    if body.records not in services.source.catalogue().record_types:
        msg = f"There is no record type “{body.records}”."
        raise NotFound(msg)
    with services.store.session() as session:
        saved = lists.put_picks(
            session, name=name, records=body.records, keys=body.keys, owner_id=person.id, now=services.clock()
        )
        return _out(saved)


@router.delete("/{name}", status_code=204)
def remove_picks(name: Name, services: TheServices, person: Designer) -> None:
    """
    Remove a saved list.
    """
    with services.store.session() as session:
        lists.remove_picks(session, name)
