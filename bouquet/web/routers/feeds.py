"""
Rounds in people's own calendars, at a private address that needs no sign-in.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path, Request, Response
from pydantic import BaseModel, Field

from bouquet.core.language import speaking, tr
from bouquet.designing.budget import TooMuchAtOnce
from bouquet.rounds import feed
from bouquet.store import NotFound
from bouquet.store.models import Person
from bouquet.web.access import TheServices
from bouquet.web.bodies import ExactRoute
from bouquet.web.routers.tokens import SignedIn

router = APIRouter(route_class=ExactRoute, prefix="/feeds", tags=["rounds"])


class FeedOut(BaseModel):
    """
    A person's private address of their rounds. It is answered once, when it is made.
    """

    there: bool
    address: str = Field("", description="Where a calendar reads the rounds, right after it was made.")


@router.get("/mine", response_model=FeedOut)
def get_my_feed(services: TheServices, person: SignedIn) -> Any:
    """
    Whether I have a private address.
    """
    with services.store.session() as session:
        return FeedOut(there=session.get_one(Person, person.id).feed_digest is not None)


@router.post("/mine", response_model=FeedOut, status_code=201)
def make_my_feed(request: Request, services: TheServices, person: SignedIn) -> Any:
    """
    A new private address for my rounds. The one before stops working.
    """
    with services.store.session() as session:
        secret = feed.new_feed(session, person.id)
    return FeedOut(there=True, address=f"{house_of(request)}/api/v1/feeds/{secret}.ics")


@router.delete("/mine", status_code=204)
def drop_my_feed(services: TheServices, person: SignedIn) -> None:
    """
    Make my private address worthless at once.
    """
    with services.store.session() as session:
        feed.drop_feed(session, person.id)


@router.get("/{secret}.ics", response_class=Response, responses={200: {"content": {"text/calendar": {}}}})
def read_feed(
    request: Request,
    services: TheServices,
    secret: Annotated[str, Path(min_length=20, max_length=60, pattern=r"^[A-Za-z0-9_-]+$")],
) -> Response:
    """
    The rounds of whose address this is, as iCalendar.
    """
    with services.store.session() as session:
        person = feed.person_of_feed(session, secret)
        if person is None:
            raise NotFound(tr("There is no such calendar, or its address was renewed."))
        if not request.app.state.feeds.note(person.id, services.clock()):
            raise TooMuchAtOnce
        # Programs that read calendars ask for no language, or for their own.
        with speaking(person.preferences.get("language") or services.language):
            body = feed.feed_of(session, person, services.clock(), house_of(request))
    return Response(body, media_type="text/calendar; charset=utf-8")


def house_of(request: Request) -> str:
    """
    The address of the house: as the settings say it, or as it was asked.
    """
    said: str = request.app.state.settings.public_url
    return (said or str(request.base_url)).rstrip("/")
