"""
Signing in and out.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request, Response

from bouquet.store import people, views
from bouquet.web.access import COOKIE, CurrentPerson, TheServices, person_facts
from bouquet.web.problems import Refused
from bouquet.web.schemas import Preferences, Session, SignInRequest

router = APIRouter(prefix="/session", tags=["session"])


def _facts(services: TheServices, person: Any) -> dict[str, Any]:
    source = services.source
    return {
        "person": person_facts(person),
        "source": source.title,
        "environment": source.environment,
        "preferences": person.preferences or {},
    }


@router.post("", response_model=Session)
def sign_in(body: SignInRequest, request: Request, response: Response, services: TheServices) -> Any:
    """
    Sign in with address and password; the session is kept in a cookie.
    """
    hours = request.app.state.settings.session_hours
    with services.store.session() as session:
        found = people.sign_in(session, body.email, body.password, services.clock(), hours)
    if found is None:
        raise Refused(401, "wrong_password", "This address and this password do not belong together.")
    token, person = found
    response.set_cookie(
        COOKIE,
        token,
        max_age=hours * 3600,
        httponly=True,
        samesite="strict",
        secure=request.app.state.settings.secure_cookies,
    )
    return _facts(services, person)


@router.get("", response_model=Session)
def who(person: CurrentPerson, services: TheServices) -> Any:
    """
    Who is signed in.
    """
    return _facts(services, person)


@router.put("/preferences", response_model=Preferences)
def put_preferences(body: Preferences, person: CurrentPerson, services: TheServices) -> Any:
    """
    How I like the interface; what is not given stays as it was.
    """
    with services.store.session() as session:
        return views.put_preferences(session, person, body.model_dump(mode="json", exclude_unset=True))


@router.delete("", status_code=204)
def sign_out(request: Request, response: Response, services: TheServices) -> None:
    """
    Sign out.
    """
    with services.store.session() as session:
        people.sign_out(session, request.cookies.get(COOKIE, ""))
    response.delete_cookie(COOKIE)
