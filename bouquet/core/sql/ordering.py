"""
One level of an order: texts as people order them, choices by rank or label, codes by their digits, blanks in place.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import sqlalchemy as sa

from bouquet.core.catalogue import Field, Kind
from bouquet.core.plan import (
    PlanOrder,
    Read,
)
from bouquet.core.sql.joins import code_value

if TYPE_CHECKING:
    from bouquet.core.sql.scope import Scope

__all__ = ["CODE_DIGITS", "ordering"]

Element = sa.ColumnElement[Any]

#: Digits that a code's runs of digits are filled up to, to be ordered by value.
CODE_DIGITS = 20


def ordering(scope: Scope, order: PlanOrder, value: Element | None = None, *, filled: bool = False) -> list[Element]:
    """
    One level of an order. `value` stands in for the cell's own; `filled` says that no row has a blank there.
    """
    found = order.cell.field
    value = scope.value(order.cell) if value is None else value
    if found.kind is Kind.CHOICE and found.choices and order.by_label:
        if found.choices_ordered:
            return _directed(scope, rank_of(scope, value, found), order, filled=filled) + _directed(
                scope, sa.cast(value, sa.Text), order, filled=filled
            )
        value = _sorted_text(scope, scope.label_of(value, found), exact=True)
    elif found.stored == "text" or found.kind is Kind.TEXT:
        if found.digits_vary:
            value = scope.dialect.by_digits(value, CODE_DIGITS)
        value = _sorted_text(scope, value, exact=order.exact)
    elif found.stored == "other":
        value = sa.cast(value, sa.Text)
    elif found.kind.is_number and not isinstance(order.cell, Read):
        value = scope.dialect.compared_number(value)
    return _directed(scope, value, order, filled=filled)


def _directed(scope: Scope, value: Element, order: PlanOrder, *, filled: bool) -> list[Element]:
    return scope.dialect.directed(value, descending=order.descending, blanks_first=order.blanks_first, filled=filled)


def rank_of(scope: Scope, value: Element, found: Field) -> Element:
    """
    The place of a choice in the catalogue's order, from 0; unknown codes come after all known ones.
    """
    ranks: list[tuple[Element, Element]] = [
        (value == scope.dialect.literal(code_value(c.code, found)), sa.literal_column(str(n)))
        for n, c in enumerate(found.choices)
    ]
    unknown: Element = sa.literal_column(str(len(found.choices)))
    nothing: tuple[Element, Element] = (value.is_(None), sa.null())
    return sa.case(nothing, *ranks, else_=unknown)


def _sorted_text(scope: Scope, value: Element, *, exact: bool) -> Element:
    """
    A text as it is ordered: blank ones as NULL, and, unless `exact`, spellings that differ by case as equal.
    """
    filled = scope.dialect.not_blank(value)
    return scope.dialect.collated(sa.case((filled, value if exact else scope.dialect.lowered(value))))
