"""
What no document may hold, told in words and at its place, before anything is made of it.
"""

from __future__ import annotations

import re
from typing import Any

from bouquet.core.errors import Problem
from bouquet.core.language import tr, whole
from bouquet.core.refusals import said_of

__all__ = ["oversize", "problem_of", "unreadable"]

#: Parts of a document.
MOST = {"columns": 1_000, "order": 50}


MOST_CONDITIONS = 2_000


#: Groups within groups of a filter.
DEEPEST = 60


def unreadable(document: dict[str, Any]) -> Problem | None:
    """
    Texts with half a character (a lone surrogate), which no file and no database can hold.
    """
    waiting: list[tuple[Any, tuple[int | str, ...]]] = [(document, ())]
    while waiting:
        part, location = waiting.pop()
        if isinstance(part, str) and any("\ud800" <= c <= "\udfff" for c in part):
            message = tr("This text holds a character that no file can carry.")
            return Problem(code="unreadable", message=message, place=_place_of(location))
        if len(location) > 4 * DEEPEST:
            return Problem(
                code="too_deep", message=tr("This is nested more than {deepest} deep.", deepest=DEEPEST), place=""
            )
        if isinstance(part, dict):
            waiting += [(inner, (*location, str(key))) for key, inner in part.items()]
        elif isinstance(part, list | tuple):
            waiting += [(inner, (*location, n)) for n, inner in enumerate(part)]
    return None


def oversize(document: dict[str, Any]) -> Problem | None:
    """
    What of a document is more than can be worked with: told before anything is made of it.
    """
    conditions, waiting = 0, [(document.get(name), name, 0) for name in ("filter", "columns", "checks")]
    for name, most in MOST.items():
        found = document.get(name)
        if isinstance(found, list | tuple) and len(found) > most:
            message = tr(
                "A template has at most {most} {name}; this one has {found}.",
                most=whole(most),
                name=name,
                found=whole(len(found)),
            )
            return Problem(code="too_many", message=message, place=name)
    while waiting:
        part, place, depth = waiting.pop()
        if depth > DEEPEST:
            message = tr("This is nested more than {deepest} deep.", deepest=DEEPEST)
            return Problem(code="too_deep", message=message, place=place)
        if isinstance(part, dict):
            conditions += bool({"is", "has", "picks"} & part.keys())
            if conditions > MOST_CONDITIONS:
                message = tr(
                    "A template has at most {most_conditions} conditions.",
                    most_conditions=whole(MOST_CONDITIONS),
                )
                return Problem(code="too_many", message=message, place=place)
            waiting += [(inner, place, depth + 1) for inner in part.values()]
        elif isinstance(part, list | tuple):
            waiting += [(inner, place, depth) for inner in part if isinstance(inner, dict | list | tuple)]
    return None


_TAGS = re.compile(r"^<.*>$|^(FieldValue|Constant|bool|int|float|str|decimal|record|child|group)$")


def _place_of(location: tuple[int | str, ...]) -> str:
    place = ""
    for step in location:
        if isinstance(step, int):
            place += f"[{step}]"
        elif not _TAGS.match(step):
            place += f".{step}" if place else step
    return place


def problem_of(error: Any) -> Problem:
    """
    What pydantic says of a document, in words and at its place.
    """
    return Problem(code=error["type"], message=said_of(error), place=_place_of(error["loc"]))
