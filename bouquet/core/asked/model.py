"""
A request as it was understood.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

__all__ = ["Asked", "Role", "Understood"]

Role: TypeAlias = Literal["records", "rows", "narrowing", "column", "order", "limit"]


@dataclass(frozen=True)
class Understood:
    """
    A part of a request and what it was taken for: where it stands in the text (characters, the end not included; both 0
    where nobody said it), the place in the proposed document, and why it may be meant otherwise, where that is so.
    """

    start: int
    end: int
    role: Role
    place: str
    doubt: str = ""


@dataclass(frozen=True)
class Asked:
    """
    A proposed template document, how each part of the request was understood, and the words that were not, as
    (start, end) in characters. Without a document nothing was understood at all.
    """

    document: Mapping[str, Any] | None
    parts: tuple[Understood, ...]
    unread: tuple[tuple[int, int], ...]
