"""
Problems on the wire.
"""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from bouquet.core.slip_document import absent

__all__ = [
    "ProblemDetails",
    "ProblemOut",
    "WayOutOut",
]


class WayOutOut(BaseModel):
    """
    An edit that would cure a problem: set `place` to `value`. Without a place it is no edit of this document.
    """

    act: str
    label: str
    place: str
    value: Any


class ProblemOut(BaseModel):
    """
    One thing wrong, at its place in the document; `at` is the character of a formula that it points at.
    """

    code: str
    message: str
    place: str = ""
    candidates: list[str] = []
    ways_out: list[WayOutOut] = []
    at: int | None = None


class ProblemDetails(BaseModel):
    """
    Why a request was not answered as it wished (RFC 9457). Some kinds say more.
    """

    model_config = ConfigDict(extra="allow")

    type: str = Field(description="The kind of problem, which stays the same, e.g. /problems/not_found")
    title: str = Field(description="The kind in words")
    status: int = Field(description="The status of the answer")
    detail: str = Field(description="What is wrong this time, in a sentence for the person who asked")
    errors: list[ProblemOut] = absent([], "What is wrong in what was sent, each at its place")
    changed_by: str = absent("", "Of what was changed in the meantime: by whom")
    changed_at: str = absent("", "and when, ISO 8601")
    revision: int = absent(0, "and which revision it has now")
