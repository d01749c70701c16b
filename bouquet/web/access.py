"""
Who is asking, and of which source? Every route behind the sign-in asks here; `bouquet.rights` decides what they may.
"""

from __future__ import annotations

import base64
from collections.abc import Callable, Coroutine
from datetime import timedelta
from typing import Annotated, Any

from fastapi import Depends, Path, Query, Request, Security
from fastapi.concurrency import run_in_threadpool
from fastapi.security import APIKeyCookie, HTTPBearer

from bouquet.core.language import Texts, tr
from bouquet.designing import Counting, SourceView
from bouquet.rights import Act, may, may_send, visible
from bouquet.runs import Queue, Services
from bouquet.store import people, sign_ins, tokens
from bouquet.store.models import Person, Recipient
from bouquet.store.sources import LONGEST_NAME
from bouquet.web.journalling import ACTS
from bouquet.web.problems import Refused

__all__ = [
    "COOKIE",
    "EYES",
    "CurrentPerson",
    "Id",
    "TheCounting",
    "TheQueue",
    "TheServices",
    "TheView",
    "WholeNumber",
    "check_may_send",
    "cookie_of",
    "needs",
    "session_of",
    "view_of",
    "visible",
]

COOKIE = "bouquet_session"

#: The header by which a keeper looks through somebody's eyes: that person's number.
EYES = "Bouquet-Eyes"


def check_may_send(person: Person, recipient: Recipient | None = None) -> None:
    """
    Refuse who may not let files go to a recipient; without one, who may let them go to named recipients only.
    """
    if not may_send(person, recipient):
        whom = tr("this recipient") if recipient is not None else tr("anybody but the recipients named in your rights")
        raise Refused(
            403, "may_not_send", tr("Files of yours may not go to {whom}. An administrator can change that.", whom=whom)
        )


def session_of(request: Request) -> str:
    """
    The token of a request's session; empty where there is none.
    """
    return request.cookies.get(cookie_of(request), "")


def cookie_of(request: Request) -> str:
    """
    What the cookie of sessions is called. Served by TLS it is bound to this very host (RFC 6265bis, 4.1.3.2).
    """
    return f"__Host-{COOKIE}" if request.app.state.settings.secure_cookies else COOKIE


_NEEDED = Texts(
    {
        "run": "run templates",
        "design": "design templates",
        "keep": "administer Bouquet",
        "audit": "read the journal",
    }
)


# What needs no waiting is a coroutine: as a function, each would take a turn in a thread of its own.


async def get_services(request: Request) -> Services:
    services: Services = request.app.state.services
    return services


async def get_queue(request: Request) -> Queue:
    queue: Queue = request.app.state.queue
    return queue


#: A number by which something is known in an address: those that the store can hold.
Id = Annotated[int, Path(ge=0, le=2**63 - 1)]

#: A number after the question mark of an address.
WholeNumber = Annotated[int, Query(ge=0, le=2**63 - 1)]

TheServices = Annotated[Services, Depends(get_services)]
TheQueue = Annotated[Queue, Depends(get_queue)]


async def get_counting(request: Request) -> Counting:
    counting: Counting = request.app.state.counting
    return counting


TheCounting = Annotated[Counting, Depends(get_counting)]


#: How people and programs are known, for the description of the API.
_SIGNED_IN = APIKeyCookie(
    name=COOKIE,
    scheme_name="session",
    description=f"Given by signing in; served by TLS it is called `__Host-{COOKIE}`.",
    auto_error=False,
)
_PROGRAM = HTTPBearer(scheme_name="token", description="The token of a program.", auto_error=False)


def current_person(
    request: Request,
    services: TheServices,
    _cookie: Annotated[Any, Security(_SIGNED_IN)] = None,
    _token: Annotated[Any, Security(_PROGRAM)] = None,
) -> Person:
    """
    The person signed in with this request's cookie, or whom a program acts for by its token. Refuses with 401.
    """
    return _person_of(request, services, used=True)


def still_signed_in(request: Request, services: Services) -> Person | None:
    """
    The person of a request that goes on, with the rights they have by now; None where they are not signed in any more.
    That it goes on is no use of their session.
    """
    try:
        return _person_of(request, services, used=False)
    except Refused:
        return None


def _person_of(request: Request, services: Services, *, used: bool) -> Person:
    secret = _secret_of(request)
    token = session_of(request)
    with services.store.session() as session:
        if secret is not None:
            person = tokens.person_of_token(session, secret, services.clock())
        else:
            idle = request.app.state.settings.idle_minutes
            spare = timedelta(minutes=idle) if idle else None
            person = sign_ins.signed_in(session, token, services.clock(), spare, used=used) if token else None
    if person is None and secret is not None:
        raise Refused(401, "bad_token", tr("This token is unknown or has expired. Make a new one, and use that."))
    if person is None:
        raise Refused(401, "sign_in", tr("Please sign in."))
    person = _through_eyes(request, services, person)
    writes = request.method not in ("GET", "HEAD") and not request.url.path.startswith("/api/v1/design/")
    if person.by_token is not None and writes and "run" not in person.by_token:
        raise Refused(403, "not_allowed", tr("This token may not run templates."))
    request.state.person = person
    return person


def _through_eyes(request: Request, services: Services, person: Person) -> Person:
    """
    Whom the request is answered as: the person, or, for a keeper who looks through somebody's eyes, that somebody, for
    whom nothing is changed.
    """
    named = request.headers.get(EYES)
    if named is None:
        return person
    if not may(person, "keep") or not named.isdecimal() or len(named) > 18:
        raise Refused(403, "not_allowed", tr("Only an administrator looks through somebody's eyes."))
    route = request.scope.get("route")
    only_looks = request.method in ("GET", "HEAD") or request.url.path.startswith("/api/v1/design/")
    # What is written into the journal changes something, or gives something away.
    if not only_looks or getattr(route, "name", "") in ACTS:
        raise Refused(
            403, "only_looking", tr("You look through somebody's eyes: nothing is changed, and nothing taken.")
        )
    with services.store.session() as session:
        seen = session.get(Person, int(named))
        if seen is None:
            raise Refused(404, "not_found", tr("There is no such person."))
        session.expunge(seen)
    seen.through = person.id  # type: ignore[misc]
    return seen


def _secret_of(request: Request) -> str | None:
    """
    The token of a request: as `Authorization: Bearer …`, or as the password of basic authentication (RFC 7617), for
    programs that know nothing else, whatever the name.
    """
    scheme, _, rest = request.headers.get("Authorization", "").partition(" ")
    if scheme.lower() == "bearer":
        return rest.strip()
    if scheme.lower() == "basic":
        try:
            return base64.b64decode(rest, validate=True).decode().partition(":")[2]
        except (ValueError, UnicodeDecodeError):
            return ""
    return None


CurrentPerson = Annotated[Person, Depends(current_person)]


def view_of(services: Services, person: Person, source: str) -> SourceView:
    """
    A source as a person may see it. Raises NoSource.
    """
    return SourceView.of(services, person, source)


def _asked_view(
    services: TheServices,
    person: CurrentPerson,
    source: Annotated[
        str, Query(max_length=LONGEST_NAME, description="The source that is meant; the house's first if not given.")
    ] = "",
) -> SourceView:
    bound = person.scope is not None and bool({"records", "types"} & set(person.scope))
    own = (person.scope or {}).get("source", "") if bound else services.sources.default
    return view_of(services, person, source or own)


#: The source that a request is about, as its person may see it.
TheView = Annotated[SourceView, Depends(_asked_view)]


def needs(act: Act) -> Callable[[Person, Services], Coroutine[Any, Any, Person]]:
    """
    A dependency that refuses with 403 who may not `act`, and says who can grant it.
    """

    async def check(person: CurrentPerson, services: TheServices) -> Person:
        if not may(person, act):
            raise await run_in_threadpool(_not_allowed, act, person, services)
        return person

    return check


def _not_allowed(act: Act, person: Person, services: Services) -> Refused:
    with services.store.session() as session:
        who = ", ".join(people.keeper_names(session))
    message = tr(
        "You may not {act}. Ask an administrator{who}.",
        act=_NEEDED.get(act, "look here"),
        who=f": {who}" if who else "",
    )
    if person.by_token is not None:
        message = tr("This token may not {act}.", act=_NEEDED.get(act, "look here"))
    return Refused(403, "not_allowed", message)


def person_facts(person: Person) -> dict[str, Any]:
    """
    A person as the interface shows them.
    """
    acts = [act for act in ("look", "audit", "run", "design", "keep") if may(person, act)]
    return {
        "id": person.id,
        "name": person.name,
        "email": person.email,
        "roles": person.roles,
        "may": acts,
        "sends_anywhere": may_send(person),
        "through": person.through is not None,
        "password_given": person.password_given,
    }
