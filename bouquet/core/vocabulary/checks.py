"""
What checks can ask of a column and of a file, and what becomes of a run in which one objects. A new check is one line
here and one method in `core.plan.checks`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, TypeAlias

from bouquet.core.catalogue import Kind
from bouquet.core.language import Texts, spoken
from bouquet.core.vocabulary.names import OneOf, by_name

__all__ = ["COLUMN_CHECKS", "FILE_CHECKS", "SEVERITIES", "Asking", "FileMust", "Must", "Severity"]

#: What becomes of a run in which a check objects: it is noted, it waits for a person, or nothing is made available.
Severity: TypeAlias = Literal["note", "hold", "stop"]

#: The severities, the mildest first, and what a person chooses them by.
SEVERITIES: Texts[Severity] = Texts(
    {
        "note": "note it in the slip",
        "hold": "hold the file until somebody looks",
        "stop": "stop; nothing is made available",
    }
)


@spoken("words", "wanted")
@dataclass(frozen=True)
class Asking:
    """
    What a check asks of every cell of a column, or of the file.

    Args:
        name: What documents call it.
        words: What a person chooses it by, behind the column's heading or “The file”.
        takes: The parts of its document that it goes by.
        kinds: The kinds of value that it is for; None for every kind.
        wanted: What a column must hold for it, in words, where it is not for every kind.
        takes_all: Whether it cannot be told by one row alone.
    """

    name: str
    words: str
    takes: tuple[str, ...] = ()
    kinds: frozenset[Kind] | None = None
    wanted: str = ""
    takes_all: bool = False


_BOUNDS = ("least", "greatest")
_NUMBERS = frozenset({Kind.INTEGER, Kind.DECIMAL})
_TEXTS = frozenset({Kind.TEXT, Kind.IDENTIFIER, Kind.OTHER})
_DATED = frozenset({Kind.DATE, Kind.TIMESTAMP, Kind.MOMENT})

#: What can be asked of every cell of a column. A blank objects to `filled` only.
COLUMN_CHECKS: dict[str, Asking] = by_name(
    (
        Asking("filled", "must be filled"),
        Asking("unique", "must not occur twice", takes_all=True),
        Asking("between", "must lie between", _BOUNDS, _NUMBERS | _DATED | {Kind.TIME}, "an order"),
        Asking("whole", "must be a whole number", (), _NUMBERS, "whole numbers"),
        Asking("near_usual", "must not lie far from the usual", ("spread",), _NUMBERS, "numbers", takes_all=True),
        Asking("one_of", "must be one of", ("values",)),
        Asking("matches", "must look like a pattern", ("pattern",), _TEXTS, "a pattern"),
        Asking("length", "must have a length of", _BOUNDS, _TEXTS, "a number of letters"),
        Asking("listed", "must be in a saved list", ("listed_in",)),
        Asking("not_future", "must not lie in the future", (), _DATED, "dates"),
        Asking("not_past", "must not lie in the past", (), _DATED, "dates"),
    )
)

#: What can be asked of the file as a whole.
FILE_CHECKS: dict[str, Asking] = by_name(
    (
        Asking("not_empty", "must not be empty"),
        Asking("rows", "must have a number of rows", _BOUNDS),
        Asking("usual", "must have about as many rows as usual", ("percent", "runs")),
        Asking("total", "must have a column’s total within bounds", ("column", *_BOUNDS), _NUMBERS, "numbers"),
        Asking("full", "must have a column so full", ("column", "percent")),
        Asking("headings", "must have these headings, in this order", ("headings",)),
    )
)

#: The name of a check of a column, and of one of a file, as documents give it.
Must: TypeAlias = Annotated[str, OneOf(COLUMN_CHECKS)]
FileMust: TypeAlias = Annotated[str, OneOf(FILE_CHECKS)]
