"""
The post room of the demonstration: what arrived at its stand-ins, and having them misbehave. Nowhere else is there one.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Any, Literal, Protocol

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from bouquet.core.language import tr
from bouquet.store import NotFound
from bouquet.web.access import CurrentPerson, needs
from bouquet.web.bodies import ExactRoute

router = APIRouter(
    route_class=ExactRoute, prefix="/post-room", tags=["demonstration"], dependencies=[Depends(needs("look"))]
)

Misdeed = Literal["refuse", "hang", "cut", "full", "busy", "mute"]

#: Things that are listed, the newest first.
LISTED = 200


class PostRoom(Protocol):
    """
    What the demonstration gives.
    """

    arrivals: Any

    def told(self) -> dict[str, str]: ...

    def tell(self, way: str, misdeed: Any, times: int = ...) -> None: ...


class ArrivalOut(BaseModel):
    """
    A thing that arrived at a stand-in.
    """

    number: int
    way: str
    at: datetime
    name: str
    size: int
    sha256: str
    beginning: str
    facts: dict[str, str]


class PostRoomOut(BaseModel):
    """
    What is in the post room; `there` is false outside the demonstration. `told`: how stand-ins misbehave.
    """

    there: bool
    arrivals: Sequence[ArrivalOut]
    told: dict[str, str]


class Told(BaseModel):
    """
    Have the stand-in of a way misbehave so many times; without a `misdeed` it behaves.
    """

    way: Literal["mail", "sftp", "webhook", "store"]
    misdeed: Misdeed | None = None
    times: int = Field(1, ge=1, le=1_000)


@router.get("", response_model=PostRoomOut)
def get_post_room(request: Request, person: CurrentPerson) -> Any:
    """
    What arrived, the newest first; nothing for who may see only a part of the records.
    """
    return _out(request.app.state.post_room if person.scope is None else None)


@router.post("", response_model=PostRoomOut)
def tell_stand_in(body: Told, request: Request, person: Annotated[Any, Depends(needs("design"))]) -> Any:
    """
    Have a stand-in misbehave, so that trying again can be watched. 404 outside the demonstration.
    """
    room: PostRoom | None = request.app.state.post_room
    if room is None:
        raise NotFound(tr("Only the demonstration has a post room."))
    room.tell(body.way, body.misdeed, body.times)
    return _out(room)


def _out(room: PostRoom | None) -> PostRoomOut:
    if room is None:
        return PostRoomOut(there=False, arrivals=[], told={})
    found = [ArrivalOut.model_validate(a, from_attributes=True) for a in reversed(room.arrivals[-LISTED:])]
    return PostRoomOut(there=True, arrivals=found, told=room.told())
