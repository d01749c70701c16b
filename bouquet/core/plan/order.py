"""
The order of rows, made complete so that it is the same every time.
"""

from __future__ import annotations

from dataclasses import replace

from bouquet.core.catalogue import Kind
from bouquet.core.language import tr
from bouquet.core.plan.cells import Cells
from bouquet.core.plan.nodes import Cell, PlanOrder, Read
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.template import (
    Constant,
    Order,
)

__all__ = ["Orders"]


class Orders:
    """
    The levels of a template's order, what it needs before them, and what tells equal rows apart after them.
    """

    def __init__(self, state: ResolutionContext, cells: Cells) -> None:
        self.state, self.template, self.cells = state, state.template, cells

    def resolve(self, before: list[Cell], keys: list[Cell]) -> tuple[PlanOrder, ...]:
        named = [(o, self._order_level(o, f"order[{n}]")) for n, o in enumerate(self.template.order)]
        levels: dict[Cell, PlanOrder] = {}
        for _, level in named:
            if level is not None:
                # What was said first of a cell decides; said again, nothing is left to decide.
                levels.setdefault(level.cell, level)
        lead = [levels.get(cell) or PlanOrder(cell, False, False) for cell in before]
        order: dict[Cell, PlanOrder] = {}
        for level in (*lead, *levels.values()):
            order.setdefault(level.cell, level)
        apart = [replace(o, exact=True) for o in order.values() if _folds_case(o.cell)]
        ends = [PlanOrder(k, False, False, exact=True) for k in keys if k not in order or _folds_case(k)]
        known = {o.cell for o in apart}
        return (*order.values(), *apart, *(e for e in ends if e.cell not in known))

    def _order_level(self, level: Order, place: str) -> PlanOrder | None:
        if (level.column is None) == (level.path is None):
            self.state.problem("order_source", tr("Order by a column or by a field, one of the two."), place)
            return None
        cell: Cell | None
        by_label = True
        if level.column is not None:
            column = next((c for c in self.template.columns if c.id == level.column), None)
            if column is None:
                message = tr("There is no column “{column}” to order by.", column=level.column)
                self.state.problem("unknown_column", message, f"{place}.column")
                return None
            if isinstance(column.value, Constant):
                self.state.problem("constant_order", tr("A constant has no order."), f"{place}.column")
                return None
            cell, by_label = self.cells.cell(self.template.columns.index(column)), column.show.choice == "label"
            if cell is not None and cell.field.choices_ordered:
                # A scale (low, medium, high) stays one, whatever is shown of it.
                by_label = True
            if cell is None:
                self.state.problem(
                    "unsound_order", tr("The column to order by has a problem of its own."), f"{place}.column"
                )
        else:
            cell = self.cells.at_path(level.path or "", f"{place}.path")
        if cell is None:
            return None
        if isinstance(cell, Read) and cell.route.aspect:
            by_label, cell = cell.route.aspect == "label", Read(replace(cell.route, aspect=""))
        return PlanOrder(cell, level.direction == "descending", level.blanks == "first", by_label)


def _folds_case(cell: Cell) -> bool:
    """
    Whether an order by this cell takes spellings that differ by case only as equal.
    """
    return cell.field.stored == "text" and cell.field.kind is not Kind.CHOICE
