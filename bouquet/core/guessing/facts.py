"""
What guesses are made from.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Generic, TypeVar

from bouquet.core.catalogue import Kind

__all__ = ["ColumnFacts", "Guess", "TableFacts"]

T = TypeVar("T")


@dataclass(frozen=True)
class Guess(Generic[T]):
    """
    A guessed value, and the reason for it in words.
    """

    value: T
    reason: str


@dataclass(frozen=True, kw_only=True)
class ColumnFacts:
    """
    One column.

    Args:
        name: The database's own name.
        kind, stored: As in `core.catalogue.Field`.
        unique: Whether no two rows have the same value.
        in_key: Whether it is part of the table's key.
        leads_to: The name of the table whose records it names, where it is a foreign key.
        length: The longest text that it may hold, in characters; None where there is no limit.
        blank: The share of rows without a value, 0 to 1; None where that is not known.
        distinct: How many different values there are, about; None where that is not known.
        samples: Some of its values as texts, in no order.
    """

    name: str
    kind: Kind
    stored: str
    comment: str = ""
    unique: bool = False
    in_key: bool = False
    leads_to: str = ""
    length: int | None = None
    blank: float | None = None
    distinct: float | None = None
    samples: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class TableFacts:
    """
    One table or view, with its key's columns and about how many rows it has.
    """

    name: str
    columns: tuple[ColumnFacts, ...]
    key: tuple[str, ...] = ()
    comment: str = ""
    rows: int | None = None
