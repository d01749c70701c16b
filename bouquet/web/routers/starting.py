"""
The first start: a house without people gets its first keeper, by whoever reads the code that the server printed.
"""

from __future__ import annotations

import secrets
from typing import Any

import structlog
from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from bouquet.core.language import tr
from bouquet.store import people, sign_ins
from bouquet.web.access import TheServices
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.routers.session import session_facts, set_session
from bouquet.web.schemas import Session

log = structlog.get_logger()

router = APIRouter(route_class=ExactRoute, prefix="/first-start", tags=["session"])

#: Wrong codes until the server has to be started again.
MOST_TRIES = 20


class FirstStart(BaseModel):
    """
    Whether the house still waits for its first keeper.
    """

    needed: bool


class FirstKeeper(BaseModel):
    """
    Who keeps the house from now on. `code` was printed when the server started.
    """

    code: str = Field(max_length=100)
    name: str = Field(min_length=1, max_length=200, pattern=r"\S")
    email: str = Field(min_length=3, max_length=people.LONGEST_EMAIL, pattern=r"^[^@\s]+@[^@\s]+$")
    password: str = Field(min_length=people.SHORTEST_PASSWORD, max_length=1_000)


@router.get("", response_model=FirstStart)
def is_first_start(services: TheServices) -> Any:
    """
    Whether there is nobody yet.
    """
    with services.store.session() as session:
        return FirstStart(needed=people.is_nobody(session))


@router.post("", response_model=Session)
def add_first_keeper(body: FirstKeeper, request: Request, response: Response, services: TheServices) -> Any:
    """
    Add the first keeper, who designs, too, and sign them in. Refused once there is anybody.
    """
    state = request.app.state
    if state.first_tries >= MOST_TRIES:
        raise Refused(429, "too_many_tries", tr("Too many wrong codes. Start the server again; it prints a new one."))
    if not secrets.compare_digest(body.code.strip().encode(), state.first_code.encode()):
        state.first_tries += 1
        log.warning("first_start_refused", address=request.client.host if request.client else "")
        raise Refused(403, "wrong_code", tr("This is not the code that the server printed when it started."))
    with services.store.session() as session:
        added = people.add_first(session, email=body.email.strip(), name=body.name.strip(), password=body.password)
    if not added:
        raise Refused(409, "not_first", tr("The house has people already. Sign in, or ask an administrator."))
    hours = state.settings.session_hours
    with services.store.session() as session:
        found = sign_ins.sign_in(session, body.email.strip(), body.password, services.clock(), hours)
    assert found is not None
    token, person = found
    log.info("first_keeper", person=person.id)
    set_session(request, response, token)
    return session_facts(services, person)
