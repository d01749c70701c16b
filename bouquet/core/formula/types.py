"""
The types of formulas, and the checked tree.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time
from decimal import Decimal
from enum import StrEnum
from typing import Any, Protocol, TypeAlias

import sqlalchemy as sa

from bouquet.core.catalogue import Field, Kind

__all__ = ["SQL_TYPES", "Call", "Literal", "Node", "Reference", "Target", "Type", "references_of", "type_of"]


class Type(StrEnum):
    """
    What a part of a formula comes to.
    """

    NUMBER = "number"
    TEXT = "text"
    YES_NO = "yes-no"
    DATE = "date"
    #: Date and time on the template's wall clock.
    MOMENT = "moment"
    TIME = "time"


#: The SQL type of each.
SQL_TYPES: dict[Type, Any] = {
    Type.NUMBER: sa.Numeric(),
    Type.TEXT: sa.Text(),
    Type.YES_NO: sa.Boolean(),
    Type.DATE: sa.Date(),
    Type.MOMENT: sa.DateTime(),
    Type.TIME: sa.Time(),
}

#: What a field of a kind is inside a formula. A file has no place in one.
_OF_KIND = {
    Kind.TEXT: Type.TEXT,
    Kind.IDENTIFIER: Type.TEXT,
    Kind.OTHER: Type.TEXT,
    Kind.CHOICE: Type.TEXT,
    Kind.INTEGER: Type.NUMBER,
    Kind.DECIMAL: Type.NUMBER,
    Kind.BOOLEAN: Type.YES_NO,
    Kind.DATE: Type.DATE,
    Kind.TIMESTAMP: Type.MOMENT,
    Kind.MOMENT: Type.MOMENT,
    Kind.TIME: Type.TIME,
}


def type_of(field: Field) -> Type | None:
    """
    What a field is inside a formula; None for files.
    """
    return _OF_KIND.get(field.kind)


class Target(Protocol):
    """
    What a reference may lead to: anything that says what kind of values it has.
    """

    @property
    def field(self) -> Field: ...


@dataclass(frozen=True)
class Literal:
    """
    A value that stands in the formula; None is a blank.
    """

    value: Decimal | str | bool | date | datetime | time | None
    type: Type


@dataclass(frozen=True)
class Reference:
    """
    A field or another column.
    """

    target: Target
    type: Type


@dataclass(frozen=True)
class Call:
    """
    A function or operator, by its name in the table of functions, with the overload that fits.

    `overload` counts the function's signatures from 0. An argument that was left out is None.
    """

    function: str
    overload: int
    arguments: tuple[Node | None, ...]
    type: Type


Node: TypeAlias = Literal | Reference | Call


def references_of(node: Node | None) -> tuple[Target, ...]:
    """
    Everything a checked formula refers to.
    """
    if isinstance(node, Reference):
        return (node.target,)
    if isinstance(node, Call):
        return tuple(t for a in node.arguments for t in references_of(a))
    return ()
