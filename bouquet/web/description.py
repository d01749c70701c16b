"""
What the description of the API says beyond its routes: how what cannot be answered is answered.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fastapi import FastAPI

from bouquet.web.schemas import ProblemDetails

__all__ = ["describe"]

#: What each status says, wherever it is answered.
_SAYS = {
    400: "The request cannot be read.",
    401: "Nobody is signed in, or not any more; or a code is wanted besides the password.",
    403: "The person may not do this, or the request comes from another site.",
    404: "There is no such thing, or the person may not know of it.",
    409: "As things stand now, this cannot be done.",
    412: "Somebody changed it in the meantime; nothing was overwritten.",
    413: "More was sent than may be.",
    416: "The file has no such part.",
    421: "The server is not called by this name.",
    422: "Something in what was sent does not fit; `errors` say what, each at its place.",
    429: "Too much, or too often; `Retry-After` says when to come back.",
    502: "Another server, which this one asked, did not answer as it should.",
    503: "Something that is needed is away or busy; nothing is lost, and `Retry-After` says when to come back.",
    504: "The source took too long.",
}

#: Statuses that any request may come to.
_ANY = (400, 403, 421, 429, 503)

_PROBLEM = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/ProblemDetails"}}}


def describe(app: FastAPI) -> None:
    """
    Have the application describe errors as problem details (RFC 9457), in the place of FastAPI's own.
    """
    written = app.openapi

    def openapi() -> dict[str, Any]:
        if app.openapi_schema is None:
            _complete(written())
        assert app.openapi_schema is not None
        return app.openapi_schema

    app.openapi = openapi  # type: ignore[method-assign]


def _complete(description: dict[str, Any]) -> None:
    parts = description["components"]
    for name in ("HTTPValidationError", "ValidationError"):
        parts["schemas"].pop(name, None)
    details = ProblemDetails.model_json_schema(ref_template="#/components/schemas/{model}")
    parts["schemas"] |= details.pop("$defs")
    parts["schemas"]["ProblemDetails"] = details
    parts["responses"] = {str(status): {"description": says, "content": _PROBLEM} for status, says in _SAYS.items()}
    for operations in description["paths"].values():
        for method, operation in operations.items():
            responses = operation["responses"]
            # FastAPI's own; what routes say themselves of errors is only which.
            responses.pop("422", None)
            told = (int(status) for status in responses if int(status) >= 400)
            for status in sorted({*_ANY, *told, *_statuses(method, operation)}):
                responses[str(status)] = {"$ref": f"#/components/responses/{status}"}


def _statuses(method: str, operation: dict[str, Any]) -> Iterator[int]:
    """
    What a request of this kind may come to besides.
    """
    given = {(p["in"], p["name"]) for p in operation.get("parameters", ())}
    if "security" in operation:
        # Whoever looks through somebody's eyes may name nobody.
        yield from (401, 404)
    if given or "requestBody" in operation:
        yield from (404, 422)
    if ("query", "source") in given:
        yield from (409, 504)
    if method != "get":
        yield from (409, 413)
    if ("header", "If-Match") in given:
        yield 412
