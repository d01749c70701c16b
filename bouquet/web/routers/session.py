"""
Signing in and out.
"""

from __future__ import annotations

from contextlib import suppress
from typing import Any

import structlog
from fastapi import APIRouter, Request, Response

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.rights import sees_source
from bouquet.store import people, sign_ins, views
from bouquet.store.codes import CodeNeeded, require_code
from bouquet.web.access import CurrentPerson, Id, TheServices, cookie_of, person_facts, session_of
from bouquet.web.bodies import ExactRoute
from bouquet.web.journalling import note_failed_sign_in
from bouquet.web.problems import Refused
from bouquet.web.schemas import AboutMe, NewPassword, Preferences, Session, SignedIn, SignInRequest

log = structlog.get_logger()

router = APIRouter(route_class=ExactRoute, prefix="/session", tags=["session"])


def session_facts(services: TheServices, person: Any) -> dict[str, Any]:
    keys = [k for k in services.sources.listed() if sees_source(person, k)]
    sources = []
    for key in keys:
        with suppress(BouquetError):
            source = services.sources.get(key)
            sources.append({"key": key, "title": source.title, "environment": source.environment})
    with services.store.session() as session:
        whom = people.keeper_names(session)
    first = sources[0] if sources else {"title": "", "environment": "live"}
    return {
        "person": person_facts(person),
        "source": first["title"],
        "environment": first["environment"],
        "sources": sources,
        "preferences": person.preferences or {},
        "mail": services.mail is not None,
        "whom_to_ask": whom,
    }


def set_session(request: Request, response: Response, token: str) -> None:
    """
    Keep a session in the browser's cookie.
    """
    settings = request.app.state.settings
    response.set_cookie(
        cookie_of(request),
        token,
        max_age=settings.session_hours * 3600,
        httponly=True,
        samesite="strict",
        secure=settings.secure_cookies,
    )


@router.post("", response_model=Session, responses={401: {}})
def sign_in(body: SignInRequest, request: Request, response: Response, services: TheServices) -> Any:
    """
    Sign in with address and password; the session is kept in a cookie.
    """
    hours = request.app.state.settings.session_hours
    if not request.app.state.settings.passwords:
        raise Refused(403, "no_passwords", tr("Passwords are not used here. Sign in by the house's own sign-in."))
    agent = request.headers.get("User-Agent", "")
    address = request.client.host if request.client else ""
    with services.store.session() as session:
        sign_ins.check_brake(session, body.email, address, services.clock())
    try:
        with services.store.session() as session:
            found = sign_ins.sign_in(
                session,
                body.email,
                body.password,
                services.clock(),
                hours,
                address=address,
                agent=agent,
                second=lambda person: require_code(session, services.vault, person, body.code, services.clock()),
            )
            sign_ins.note_try(session, body.email, address, services.clock(), succeeded=found is not None)
    except CodeNeeded:
        if body.code:
            with services.store.session() as session:
                sign_ins.note_try(session, body.email, address, services.clock(), succeeded=False)
            note_failed_sign_in(request, body.email)
        raise
    if found is None:
        log.warning("sign_in_failed", address=address)
        note_failed_sign_in(request, body.email)
        raise Refused(401, "wrong_password", tr("Wrong e-mail address or password."))
    token, person = found
    log.info("signed_in", person=person.id, address=address)
    set_session(request, response, token)
    return session_facts(services, person)


@router.get("", response_model=Session)
def who(person: CurrentPerson, services: TheServices) -> Any:
    """
    Who is signed in.
    """
    return session_facts(services, person)


@router.put("/preferences", response_model=Preferences)
def put_preferences(body: Preferences, person: CurrentPerson, services: TheServices) -> Any:
    """
    How I like the interface; what is not given stays as it was.
    """
    with services.store.session() as session:
        return views.put_preferences(session, person, body.model_dump(mode="json", exclude_unset=True))


@router.put("/password", status_code=204)
def change_password(body: NewPassword, request: Request, person: CurrentPerson, services: TheServices) -> None:
    """
    Change my password. All my other sessions end.
    """
    if person.by_token is not None:
        raise Refused(403, "not_allowed", tr("Passwords are changed by people who signed in, not by programs."))
    address = request.client.host if request.client else ""
    with services.store.session() as session:
        sign_ins.check_brake(session, person.email, address, services.clock())
    with services.store.session() as session:
        keep = session_of(request)
        changed = people.change_password(session, person.id, body.current, body.new, keep)
        sign_ins.note_try(session, person.email, address, services.clock(), succeeded=changed)
    if not changed:
        raise Refused(403, "wrong_password", tr("The current password is wrong."))
    log.info("password_changed", person=person.id, address=address)


@router.put("/me", status_code=204)
def change_me(body: AboutMe, request: Request, person: CurrentPerson, services: TheServices) -> None:
    """
    Change my own name and address; my password says that it is me.
    """
    _not_by_token(person)
    address = request.client.host if request.client else ""
    with services.store.session() as session:
        sign_ins.check_brake(session, person.email, address, services.clock())
    with services.store.session() as session:
        changed = people.change_me(session, person.id, body.password, name=body.name, email=body.email)
        sign_ins.note_try(session, person.email, address, services.clock(), succeeded=changed)
    if not changed:
        raise Refused(403, "wrong_password", tr("The password is wrong."))


@router.delete("", status_code=204)
def sign_out(request: Request, response: Response, services: TheServices) -> None:
    """
    Sign out.
    """
    with services.store.session() as session:
        request.state.person = sign_ins.signed_in(session, session_of(request), services.clock())
        sign_ins.sign_out(session, session_of(request))
    response.delete_cookie(cookie_of(request), secure=request.app.state.settings.secure_cookies)


@router.get("/all", response_model=list[SignedIn])
def list_my_sessions(request: Request, person: CurrentPerson, services: TheServices) -> Any:
    """
    The browsers in which I am signed in.
    """
    _not_by_token(person)
    token = session_of(request)
    with services.store.session() as session:
        return [
            SignedIn(
                number=s.number,
                created_at=s.created_at,
                seen_at=s.seen_at,
                address=s.address,
                agent=s.agent,
                here=sign_ins.is_own(s, token),
            )
            for s in sign_ins.list_sign_ins(session, person.id, services.clock())
        ]


@router.delete("/all", status_code=204)
def end_other_sign_ins(request: Request, person: CurrentPerson, services: TheServices) -> None:
    """
    Sign me out everywhere but here.
    """
    _not_by_token(person)
    with services.store.session() as session:
        sign_ins.end_other_sign_ins(session, person.id, session_of(request))


@router.delete("/all/{number}", status_code=204)
def end_sign_in(number: Id, person: CurrentPerson, services: TheServices) -> None:
    """
    Sign me out in one browser.
    """
    _not_by_token(person)
    with services.store.session() as session:
        sign_ins.end_sign_in(session, person.id, number)


def _not_by_token(person: Any) -> None:
    if person.by_token is not None:
        raise Refused(403, "not_allowed", tr("Sessions are looked at by people who signed in, not by programs."))
