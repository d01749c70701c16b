"""
Other ways in than a password alone: the house's own sign-in, a link by mail, and one-time codes.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Annotated, Any
from urllib.parse import quote

import segno
import structlog
from fastapi import APIRouter, BackgroundTasks, Depends, Request
from fastapi.responses import RedirectResponse

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.runs import Services
from bouquet.runs.inviting import mail_link
from bouquet.store import arriving, codes, links, people, sign_ins
from bouquet.store.models import Person
from bouquet.web.access import CurrentPerson, TheServices
from bouquet.web.bodies import ExactRoute
from bouquet.web.house_sign_in import FLOW, HouseSignIn
from bouquet.web.journalling import note_arrival
from bouquet.web.problems import Refused
from bouquet.web.routers.session import set_session
from bouquet.web.schemas.entering import (
    CodesOut,
    Forgotten,
    NewCodes,
    Proof,
    SetByLink,
    SpareCodes,
    StartOfCodes,
    WaysIn,
)

log = structlog.get_logger()

router = APIRouter(route_class=ExactRoute, prefix="/session", tags=["session"])

#: The cookie that a browser carries while it is at the house's own sign-in, and where it is sent.
CARRIED, PLACE = "bouquet_arriving", "/api/v1/session/house"

#: Between two links that are sent to the same person.
BETWEEN = timedelta(minutes=2)


def _house(request: Request) -> HouseSignIn:
    found: HouseSignIn | None = request.app.state.house_sign_in
    if found is None:
        raise Refused(404, "not_found", tr("There is no sign-in of the house's own here."))
    return found


House = Annotated[HouseSignIn, Depends(_house)]


@router.get("/ways", response_model=WaysIn)
def list_ways_in(request: Request, services: TheServices) -> Any:
    """
    How people sign in here.
    """
    house: HouseSignIn | None = request.app.state.house_sign_in
    settings = request.app.state.settings
    mail = services.mail is not None and bool(services.mail.address)
    return WaysIn(
        password=settings.passwords, house=house.title if house else None, by_mail=mail and settings.passwords
    )


# The house's own sign-in


@router.get("/house", status_code=303, responses={404: {}})
def go_to_house(request: Request, house: House) -> RedirectResponse:
    """
    To the house's own sign-in, and back; to our own, which says why, where that does not answer.
    """
    try:
        address, carried = house.begin(_back(request))
    except BouquetError as error:
        return _not_let_in(error)
    answer = RedirectResponse(address, 303)
    settings = request.app.state.settings
    # Lax: the browser comes back from another site.
    answer.set_cookie(
        CARRIED, carried, max_age=FLOW, path=PLACE, httponly=True, samesite="lax", secure=settings.secure_cookies
    )
    return answer


@router.get("/house/back", status_code=303, responses={404: {}})
def come_from_house(request: Request, services: TheServices, house: House) -> RedirectResponse:
    """
    Back from the house's own sign-in: signed in, or told why not.
    """
    try:
        arrived = house.end(_back(request), str(request.url), request.cookies.get(CARRIED, ""))
        with services.store.session() as session:
            person = arriving.arrive(
                session,
                subject=arrived.subject,
                email=arrived.email,
                verified=arrived.verified,
                name=arrived.name,
                groups=arrived.groups,
            )
            token = sign_ins.session_for(
                session,
                person,
                services.clock(),
                request.app.state.settings.session_hours,
                address=request.client.host if request.client else "",
                agent=request.headers.get("User-Agent", ""),
            )
            told = person.id, person.name
    except BouquetError as error:
        return _not_let_in(error)
    note_arrival(request, *told)
    log.info("signed_in", person=told[0], by="house")
    answer = _away(RedirectResponse("/", 303))
    set_session(request, answer, token)
    return answer


def _not_let_in(error: BouquetError) -> RedirectResponse:
    log.warning("house_sign_in_failed", why=str(error))
    # What is said stands in the front end: an address cannot put words into the sign-in's mouth.
    return _away(RedirectResponse(f"/sign-in?why={quote(error.code)}", 303))


def _away(answer: RedirectResponse) -> RedirectResponse:
    answer.delete_cookie(CARRIED, path=PLACE)
    return answer


def _back(request: Request) -> str:
    settings = request.app.state.settings
    house = settings.public_url.rstrip("/") or str(request.base_url).rstrip("/")
    return f"{house}{PLACE}/back"


# By mail


@router.post("/forgotten", status_code=202)
def forget_password(body: Forgotten, request: Request, services: TheServices, later: BackgroundTasks) -> None:
    """
    Have a link sent to set a new password. The answer is the same whether there is such a person.
    """
    _passwords(request)
    later.add_task(_send_link, services, body.email)


def _send_link(services: Services, email: str) -> None:
    now = services.clock()
    with services.store.session() as session:
        person = people.find_person(session, email)
        if person is None or person.disabled_at is not None or links.sent_since(session, person, now - BETWEEN):
            return
        secret = links.make_link(session, person, "recover", now)
        session.flush()
        session.expunge(person)
    try:
        mail_link(services, person, "recover", secret, "", now)
    except BouquetError as error:
        log.warning("link_not_sent", person=person.id, error=str(error))


@router.post("/set-password", status_code=204)
def set_password_by_link(body: SetByLink, request: Request, services: TheServices) -> None:
    """
    Set a password by a link that was sent. All sessions end.
    """
    _passwords(request)
    with services.store.session() as session:
        person = links.take_link(session, body.link, body.password, services.clock())
        request.state.told = {"person": person.id}
        session.flush()
        session.expunge(person)
    request.state.person = person
    log.info("password_set_by_link", person=person.id)


def _passwords(request: Request) -> None:
    if not request.app.state.settings.passwords:
        raise Refused(403, "no_passwords", tr("Passwords are not used here. Sign in by the house's own sign-in."))


# One-time codes


@router.get("/codes", response_model=CodesOut)
def get_my_codes(person: CurrentPerson, services: TheServices) -> Any:
    """
    Whether I sign in with a one-time code, too.
    """
    return CodesOut(on=bool(person.codes_sealed), spare=codes.spare_left(person), possible=services.vault.has_key)


@router.post("/codes", response_model=StartOfCodes)
def begin_codes(person: CurrentPerson, services: TheServices) -> Any:
    """
    A secret for a device, as text and as a picture. Nothing is asked of me until I proved that the device has it.
    """
    _by_hand(person)
    secret = codes.new_secret()
    address = codes.address_of(secret, person.email, "Bouquet")
    return StartOfCodes(secret=secret, address=address, picture=segno.make(address).svg_data_uri(scale=4))


@router.put("/codes", response_model=SpareCodes)
def set_my_codes(body: NewCodes, request: Request, person: CurrentPerson, services: TheServices) -> Any:
    """
    Ask a one-time code of me from now on. The answer has my spare codes.
    """
    _prove(request, services, person, body.password)
    with services.store.session() as session:
        return SpareCodes(
            spare=codes.set_codes(session, services.vault, person.id, body.secret, body.code, services.clock())
        )


@router.post("/codes/stop", status_code=204)
def stop_my_codes(body: Proof, request: Request, person: CurrentPerson, services: TheServices) -> None:
    """
    Ask no one-time codes of me any more.
    """
    _prove(request, services, person, body.password)
    with services.store.session() as session:
        codes.stop_codes(session, person.id)


def _by_hand(person: Person) -> None:
    if person.by_token is not None:
        raise Refused(403, "not_allowed", tr("Codes are set by people who signed in, not by programs."))


def _prove(request: Request, services: Services, person: Person, password: str) -> None:
    """
    Refuse who does not know the password of who is signed in.
    """
    _by_hand(person)
    address = request.client.host if request.client else ""
    with services.store.session() as session:
        sign_ins.check_brake(session, person.email, address, services.clock())
    with services.store.session() as session:
        right = people.proves(session, person.id, password)
        sign_ins.note_try(session, person.email, address, services.clock(), succeeded=right)
    if not right:
        raise Refused(403, "wrong_password", tr("The password is wrong."))
