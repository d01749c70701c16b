"""
Bodies of requests as JSON that nothing is lost of: numbers as decimals, and no text that no database can hold.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import Response
from fastapi.routing import APIRoute
from starlette.exceptions import HTTPException

from bouquet.core.exact_json import NoNumber, read_json
from bouquet.core.language import tr, whole
from bouquet.web.journalling import ACTS, note_act
from bouquet.web.problems import Refused

__all__ = ["ExactRoute"]

#: Lists and objects within each other.
DEEPEST = 100

#: Values of a body, by the commas between them: reading them takes the server as long as anybody else waits.
MOST_VALUES = 500_000


class ExactRequest(Request):
    """
    A request whose body is read as `read_body` reads it.
    """

    async def json(self) -> Any:
        if not hasattr(self, "_exact"):
            self._exact = read_body(await self.body())
        return self._exact


class ExactRoute(APIRoute):
    """
    A route for such requests.
    """

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handle = super().get_route_handler()

        async def exact(request: Request) -> Response:
            asked = ExactRequest(request.scope, request.receive)
            try:
                response = await handle(asked)
                if self.name in ACTS:
                    await run_in_threadpool(note_act, asked, response, self)
                return response
            except HTTPException as error:
                # What cannot be read is told as it is, not as any error of parsing.
                if isinstance(error.__cause__, Refused):
                    raise error.__cause__ from error
                raise

        return exact


def read_body(body: bytes) -> Any:
    """
    JSON as it was sent. Raises Refused for texts with a surrogate or NUL, for what is nested too deep, and for numbers
    that are none; json.JSONDecodeError for what is no JSON.
    """
    try:
        if body.count(b",") > MOST_VALUES:
            raise Refused(422, "too_many", tr("A request holds at most {most} values.", most=whole(MOST_VALUES)))
        found = read_json(body)
    except RecursionError as error:
        raise _too_deep() from error
    except UnicodeDecodeError as error:
        raise Refused(422, "unreadable", tr("This is no text in UTF-8.")) from error
    except NoNumber as error:
        raise Refused(422, "no_number", str(error)) from error
    except ValueError as error:
        if isinstance(error, json.JSONDecodeError):
            raise
        raise Refused(422, "long_number", tr("This holds a number with more digits than can be read.")) from error
    _check(found)
    return found


def _too_deep() -> Refused:
    return Refused(422, "too_deep", tr("This is nested more than {deepest} deep.", deepest=DEEPEST))


def _check(value: Any) -> None:
    waiting: list[tuple[Any, str, int]] = [(value, "", 0)]
    while waiting:
        part, place, depth = waiting.pop()
        if depth > DEEPEST:
            raise _too_deep()
        if isinstance(part, str):
            _check_text(part, place)
        elif isinstance(part, dict):
            for key, inner in part.items():
                _check_text(key, place)
                waiting.append((inner, f"{place}.{key}" if place else key, depth + 1))
        elif isinstance(part, list):
            waiting += [(inner, f"{place}[{n}]", depth + 1) for n, inner in enumerate(part)]


def _check_text(text: str, place: str) -> None:
    if "\x00" in text or any("\ud800" <= c <= "\udfff" for c in text):
        shown = place.encode("ascii", "replace").decode()
        where = tr(" at {shown}", shown=shown) if shown else ""
        raise Refused(422, "unreadable", tr("The text{where} holds a character that cannot be kept.", where=where))
