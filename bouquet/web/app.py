"""
The web server: the API under `/api/v1`, the built front end for everything else.
"""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException

from bouquet import __version__
from bouquet.core.template import document_schema
from bouquet.runs import Queue, Services
from bouquet.settings import Settings
from bouquet.web.problems import add_problem_handlers
from bouquet.web.routers import (
    catalogue,
    comparing,
    design,
    files,
    helping,
    news,
    picks,
    records,
    rounds,
    runs,
    session,
    templates,
    tokens,
)

__all__ = ["create_app"]

API = "/api/v1"

#: The page loads nothing from elsewhere.
_POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; "
    "base-uri 'none'; form-action 'self'"
)


def create_app(services: Services, queue: Queue, settings: Settings) -> FastAPI:
    """
    The application, ready to be served.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        with queue.opened():
            yield

    app = FastAPI(
        title="Bouquet",
        version=__version__,
        lifespan=lifespan,
        openapi_url=f"{API}/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=lambda route: route.name,
    )
    app.state.services, app.state.queue, app.state.settings, app.state.stopping = services, queue, settings, False
    add_problem_handlers(app)
    parts = (
        session,
        tokens,
        catalogue,
        design,
        helping,
        picks,
        templates,
        records,
        runs,
        comparing,
        files,
        news,
        rounds,
    )
    for part in parts:
        app.include_router(part.router, prefix=API)

    @app.get(f"{API}/health", tags=["health"])
    def health() -> dict[str, str]:
        """
        Whether the server answers.
        """
        return {"status": "up", "version": __version__}

    @app.get(f"{API}/schema/template", tags=["templates"])
    def template_schema() -> dict[str, Any]:
        """
        The JSON Schema of a template document.
        """
        return document_schema()

    _add_safe_headers(app)
    if settings.frontend is not None:
        _add_frontend(app, settings.frontend)
    return app


def _add_safe_headers(app: FastAPI) -> None:
    @app.middleware("http")
    async def headers(request: Request, call_next: Any) -> Response:
        response: Response = await call_next(request)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "same-origin")
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        if request.url.path.startswith(API):
            response.headers.setdefault("Cache-Control", "no-store")
        return response


def _add_frontend(app: FastAPI, folder: Path) -> None:
    app.mount("/assets", StaticFiles(directory=folder / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        if path.startswith("api/"):
            raise HTTPException(404, "There is no such address.")
        icon = folder / "bouquet.svg"
        return FileResponse(icon if path == "bouquet.svg" else folder / "index.html")
