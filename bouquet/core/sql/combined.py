"""
Groups made in two steps: the records of each group and value across as one row first, and of these rows the groups.
Each record is folded once, however many columns a cross-tab has.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import sqlalchemy as sa

from bouquet.core.catalogue import Kind
from bouquet.core.formula import references_of
from bouquet.core.plan import Cell, Comparison, Computed, Fixed, Folded, Plan, PlanAcross
from bouquet.core.sql.folds import AGGREGATES, together

if TYPE_CHECKING:
    from bouquet.core.sql.scope import Scope

__all__ = ["Combined", "combines"]

Element = sa.ColumnElement[Any]

#: Folds that those of the parts make up exactly.
_OF_PARTS = frozenset({"count", "sum", "mean", "least", "greatest", "any", "all", "none"})


def combines(plan: Plan, cells: Iterable[Cell]) -> bool:
    """
    Whether the groups of a cross-tab can be made in two steps, where `cells` are asked of a group.
    """
    if not plan.by or plan.across is None or len(plan.across.folds) < 2:
        return False
    by: set[Cell] = {b.cell for b in plan.by}
    return all(_is_of_parts(cell, by) for cell in cells)


def _is_of_parts(cell: Cell, by: set[Cell]) -> bool:
    if isinstance(cell, Computed):
        return all(_is_of_parts(part, by) for part in references_of(cell.tree))  # type: ignore[arg-type]
    if isinstance(cell, Folded):
        by_order = cell.field.kind is Kind.CHOICE and cell.how in ("least", "greatest")
        return not cell.chain and cell.how in _OF_PARTS and not by_order
    return cell in by or isinstance(cell, Fixed)


class Combined:
    """
    What stands for the records of `scope` where their groups are made: a row for each group and value across.

    Args:
        keys: The values that groups are made by, of each record.
        at: The value across, of each record.
    """

    def __init__(self, scope: Scope, across: PlanAcross, keys: Sequence[Element], at: Element) -> None:
        self._scope, self._across, self._keys, self._at = scope, across, keys, at
        self._of_one = {fold: (whole, is_it) for fold, whole, is_it in across.folds}
        self._parts: dict[Folded, Element] = {}

    def key(self, n: int) -> Element:
        """
        The value that groups are made by at position `n`.
        """
        return sa.column(f"key{n}", self._keys[n].type)

    def fold(self, cell: Folded) -> Element:
        """
        A fold of a group's own records: of all of its parts, or of the one with the value that the fold is of.
        """
        whole, is_it = self._of_one.get(cell, (cell, None))
        if whole.how != "mean":
            return self._together(whole, is_it)
        total, count = (self._together(replace(whole, how=how), is_it) for how in ("sum", "count"))
        return self._scope.dialect.divided(total, count)

    def _together(self, whole: Folded, is_it: Comparison | None) -> Element:
        scope = self._scope
        if whole not in self._parts:
            with scope.of_each_record():
                where = scope.holds(whole.where) if whole.where is not None else None
                self._parts[whole] = AGGREGATES[whole.how](scope, whole, where)
        part: Element = sa.column(f"part{list(self._parts).index(whole)}", self._parts[whole].type)
        made = together(scope.dialect, whole, part)
        if is_it is None:
            return made
        before, scope.known = scope.known, {self._across.by.cell: sa.column("across", self._at.type)}
        try:
            return scope.dialect.filtered(made, scope.holds(is_it))
        finally:
            scope.known = before

    def from_clause(self, conditions: Sequence[Element]) -> sa.FromClause:
        """
        The rows, of the records that meet `conditions`. Call it last.
        """
        keys = [k.label(f"key{n}") for n, k in enumerate(self._keys)]
        parts = [p.label(f"part{n}") for n, p in enumerate(self._parts.values())]
        made = sa.select(*keys, self._at.label("across"), *parts).select_from(self._scope.from_clause())
        return made.where(*conditions).group_by(*self._keys, self._at).subquery("parts")
