"""
Problems on the wire.
"""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

__all__ = [
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
