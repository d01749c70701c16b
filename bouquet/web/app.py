"""
The web server: the API under `/api/v1`, the built front end for everything else.
"""

from __future__ import annotations

import secrets
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import cache
from pathlib import Path
from typing import Any

from fastapi import APIRouter, FastAPI
from fastapi.responses import FileResponse
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.routing import BaseRoute
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from bouquet import __version__
from bouquet.core.language import language_of, speaking, tr
from bouquet.core.template import document_schema
from bouquet.designing import Counting
from bouquet.rounds.feed import Readings
from bouquet.runs import Queue, Services
from bouquet.settings import Settings
from bouquet.store import people
from bouquet.traces import TracedRequests
from bouquet.web.description import describe
from bouquet.web.guard import Guard
from bouquet.web.house_sign_in import HouseSignIn
from bouquet.web.newsroom import Newsroom
from bouquet.web.problems import add_problem_handlers
from bouquet.web.routers import (
    accounts,
    bundles,
    catalogue,
    comparing,
    curating,
    days_off,
    deliveries,
    design,
    drafts,
    entering,
    feeds,
    files,
    groups,
    health,
    helping,
    journal,
    ledger,
    means,
    memory,
    news,
    picks,
    post_room,
    programs,
    purposes,
    recipients,
    records,
    removed,
    rounds,
    runs,
    session,
    sources,
    starting,
    taking,
    templates,
    tokens,
    vocabulary,
)

__all__ = ["create_app"]

API = "/api/v1"

#: The page loads nothing from elsewhere.
_POLICY = (
    "default-src 'self'; img-src 'self' data:; object-src 'none'; frame-ancestors 'none'; base-uri 'none'; "
    "form-action 'self'"
)

_SAFE_HEADERS = {
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Content-Security-Policy": _POLICY,
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=(), payment=(), usb=()",
}


#: What answers requests, in the order in which addresses are tried.
_PARTS = (
    session,
    entering,
    accounts,
    groups,
    starting,
    sources,
    programs,
    tokens,
    vocabulary,
    catalogue,
    curating,
    design,
    helping,
    picks,
    templates,
    bundles,
    drafts,
    memory,
    records,
    # Before the runs themselves: its addresses would read as a run's number.
    ledger,
    runs,
    comparing,
    files,
    news,
    days_off,
    purposes,
    rounds,
    feeds,
    removed,
    means,
    recipients,
    deliveries,
    journal,
    health,
    post_room,
)


def _named(route: APIRoute) -> str:
    return route.name


@cache
def _routes() -> list[BaseRoute]:
    """
    What answers at which address: the same for every application, and worked out once.
    """
    made = APIRouter(generate_unique_id_function=_named)
    for part in _PARTS:
        made.include_router(part.router, prefix=API)
    made.include_router(taking.router)
    made.add_api_route(f"{API}/schema/template", template_schema, tags=["templates"])
    return made.routes


def template_schema() -> dict[str, Any]:
    """
    The JSON Schema of a template document.
    """
    return document_schema()


def create_app(services: Services, queue: Queue, settings: Settings) -> FastAPI:
    """
    The application, ready to be served.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        people.prepare()
        async with app.state.newsroom.opened():
            with queue.opened():
                yield

    app = FastAPI(
        title="Bouquet",
        version=__version__,
        lifespan=lifespan,
        openapi_url=f"{API}/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=_named,
        routes=_routes(),
    )
    app.state.services, app.state.queue, app.state.settings, app.state.stopping = services, queue, settings, False
    app.state.post_room = None
    app.state.house_sign_in = (
        HouseSignIn(settings, services.vault.derived(b"house sign-in")) if settings.oidc_issuer else None
    )
    app.state.counting, app.state.feeds = Counting(), Readings()
    app.state.newsroom = Newsroom(services.store, app.state.counting.stop)
    if settings.web_processes > 1:
        app.state.counting.announce = app.state.newsroom.announce_count
    app.state.first_code = settings.first_code.get_secret_value() or secrets.token_urlsafe(9)
    app.state.first_tries = 0
    add_problem_handlers(app)
    describe(app)
    app.add_middleware(_SafeHeaders, secure=settings.secure_cookies)
    named = frozenset(h.strip().lower() for h in settings.hosts.split(",") if h.strip())
    app.add_middleware(Guard, hosts=named, any_host=not named and settings.host in ("0.0.0.0", "::"))
    app.add_middleware(TracedRequests)
    app.add_middleware(_Speaking)
    if settings.frontend is not None:
        _add_frontend(app, settings.frontend)
    return app


class _SafeHeaders:
    """
    Wraps the application: every answer has the headers that keep browsers to what was meant.
    """

    def __init__(self, app: ASGIApp, *, secure: bool) -> None:
        self.app = app
        self.headers = dict(_SAFE_HEADERS)
        if secure:
            # Served by TLS: from now on by nothing else (RFC 6797).
            self.headers["Strict-Transport-Security"] = "max-age=31536000"

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def answer(message: Message) -> None:
            if message["type"] == "http.response.start":
                given = MutableHeaders(scope=message)
                for name, value in self.headers.items():
                    given.setdefault(name, value)
                if scope["path"].startswith(API):
                    given.setdefault("Cache-Control", "no-store")
            await send(message)

        await self.app(scope, receive, answer)


class _Speaking:
    """
    Answers each request in the language it asks for (RFC 9110, 12.5.4), as far as there are texts in it.
    """

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        asked = Headers(scope=scope).get("accept-language", "") if scope["type"] == "http" else ""
        # In the order in which they are written: whoever asks for several puts the dearest first.
        with speaking(language_of(*(part.strip() for part in asked[:200].split(",")))):
            await self.app(scope, receive, send)


def _add_frontend(app: FastAPI, folder: Path) -> None:
    app.mount("/assets", StaticFiles(directory=folder / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        if path.startswith("api/"):
            raise HTTPException(404, tr("There is no such address."))
        icon = folder / "bouquet.svg"
        return FileResponse(icon if path == "bouquet.svg" else folder / "index.html")
