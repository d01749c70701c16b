"""
Errors as problem details (RFC 9457): a stable type, a sentence a person can act on, and the places in the template.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import DataError, DBAPIError, IntegrityError
from starlette.exceptions import HTTPException

from bouquet.core.errors import BouquetError, Problem, TemplateError
from bouquet.core.language import Texts, tr
from bouquet.core.reading import Unreadable
from bouquet.core.recurrence import DaysOffError
from bouquet.core.refusals import said_of
from bouquet.core.rights import RightsDiffer
from bouquet.core.spreadsheets import BadSpreadsheet
from bouquet.core.sql import LacksError
from bouquet.delivery import DeliveryError, WrongSettings
from bouquet.designing.budget import TooMuchAtOnce
from bouquet.rounds.setting import RoundRefused
from bouquet.runs import FilesDown, FolderError, MailError, RunFailed
from bouquet.sources import (
    NoSource,
    OverlayError,
    SourceCancelled,
    SourceChanged,
    SourceDown,
    SourceRefused,
    SourceStopped,
    SourceTimeout,
)
from bouquet.store import (
    STORE_AWAY,
    LostUpdate,
    NameTaken,
    NotFound,
    NotPossible,
    NotYours,
    OutOfScope,
    TooManyTries,
    WeakPassword,
)
from bouquet.store.codes import CodeNeeded
from bouquet.store.secrets import NoKey, WrongKey

__all__ = ["Refused", "add_problem_handlers", "pointers"]

log = structlog.get_logger()

#: Error class → status. The first that fits counts.
_STATUS: tuple[tuple[type[BouquetError], int], ...] = (
    (NotFound, 404),
    (NameTaken, 409),
    (NotPossible, 409),
    (RightsDiffer, 409),
    (CodeNeeded, 401),
    (NotYours, 403),
    (OutOfScope, 403),
    (TooManyTries, 429),
    (TooMuchAtOnce, 429),
    (WeakPassword, 422),
    (SourceChanged, 409),
    (NoSource, 404),
    (NoKey, 409),
    (WrongKey, 409),
    (OverlayError, 422),
    (LostUpdate, 412),
    (TemplateError, 422),
    (FolderError, 422),
    (WrongSettings, 422),
    (DeliveryError, 409),
    (DaysOffError, 422),
    (RoundRefused, 422),
    (MailError, 422),
    (LacksError, 422),
    (RunFailed, 422),
    (Unreadable, 422),
    (BadSpreadsheet, 422),
    (SourceDown, 503),
    (FilesDown, 503),
    (SourceTimeout, 504),
    (SourceCancelled, 409),
    (SourceStopped, 503),
    (SourceRefused, 403),
)

_TITLES = Texts(
    {
        400: "Not understood",
        401: "Not signed in",
        403: "Not allowed",
        404: "Not found",
        405: "Not possible here",
        409: "Not possible now",
        412: "Changed in the meantime",
        413: "Too large",
        415: "Not understood",
        422: "Not understood",
        429: "Too often",
        503: "Busy",
    }
)


class Refused(BouquetError):
    """
    The person may not do this.
    """

    code = "refused"

    def __init__(self, status: int, code: str, message: str, **more: Any) -> None:
        self.status, self.code, self.more = status, code, more
        super().__init__(message)


def pointers(problems: Sequence[Problem]) -> list[dict[str, Any]]:
    """
    Problems of a template as members of a problem's `errors`.
    """
    return [
        {
            "code": p.code,
            "message": p.message,
            "place": p.place,
            "candidates": list(p.candidates),
            "ways_out": [{"act": w.act, "label": w.label, "place": w.place, "value": w.value} for w in p.ways_out],
            "at": p.at,
        }
        for p in problems
    ]


def _answer(status: int, code: str, title: str, detail: str, **more: Any) -> JSONResponse:
    body = {"type": f"/problems/{code}", "title": title, "status": status, "detail": detail, **more}
    return JSONResponse(body, status_code=status, media_type="application/problem+json")


def _own_error(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, BouquetError)
    if isinstance(error, Refused):
        return _answer(
            error.status, error.code, _TITLES.get(error.status, tr("Not possible")), str(error), **error.more
        )
    status = next((s for kind, s in _STATUS if isinstance(error, kind)), 500)
    more: dict[str, Any] = {}
    if isinstance(error, TemplateError):
        more["errors"] = pointers(error.problems)
    if isinstance(error, NameTaken):
        more["errors"] = [{"code": error.code, "message": str(error), "place": "name"}]
    if isinstance(error, LostUpdate):
        more |= {"changed_by": error.by, "changed_at": error.at.isoformat(), "revision": error.revision}
    if isinstance(error, SourceChanged):
        # What is known of the source is older than it; the next look names what is missing.
        request.app.state.services.sources.forget_catalogues()
    if status == 500:
        log.error("request_failed", error=str(error))
    title = " ".join((type(error).__doc__ or "Error").split()).split(".")[0]
    answer = _answer(status, error.code, title, str(error), **more)
    if isinstance(error, TooMuchAtOnce):
        answer.headers["Retry-After"] = "5"
    if isinstance(error, TooManyTries):
        answer.headers["Retry-After"] = str(error.seconds)
    return answer


def _bad_request(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    errors = [
        {"code": e["type"], "message": said_of(e), "place": ".".join(str(s) for s in e["loc"])} for e in error.errors()
    ]
    if any(e["loc"][:1] == ("path",) for e in error.errors()):
        # A part of the address that can be none: nothing is there, as nothing is under a number that nobody has.
        return _answer(404, "not_found", _TITLES[404], tr("There is nothing at this address."))
    detail = tr("Some of what was sent cannot be read; see the places below.")
    return _answer(422, "request", tr("Not understood"), detail, errors=errors)


def _http_error(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    title = _TITLES.get(error.status_code, tr("Not possible"))
    return _answer(error.status_code, "http", title, str(error.detail))


def _store_error(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, DBAPIError)
    if isinstance(error, IntegrityError):
        detail = tr("Somebody did the same at the same moment. Look again, and repeat it where it is still wanted.")
        return _answer(409, "at_once", _TITLES[409], detail)
    if isinstance(error, DataError):
        return _answer(422, "unreadable", _TITLES[422], tr("This holds a value that cannot be kept."))
    if isinstance(error, STORE_AWAY):
        detail = tr("Bouquet's own database cannot be reached just now. Nothing is lost; try again in a moment.")
        return _answer(503, "store_down", tr("Not reachable"), detail)
    log.error("store_failed", error=str(error))
    return _answer(500, "store", tr("Something went wrong"), tr("Bouquet's own database refused this."))


def add_problem_handlers(app: FastAPI) -> None:
    """
    Answer every error with problem details.
    """
    app.add_exception_handler(BouquetError, _own_error)
    app.add_exception_handler(RequestValidationError, _bad_request)
    app.add_exception_handler(HTTPException, _http_error)
    app.add_exception_handler(DBAPIError, _store_error)
