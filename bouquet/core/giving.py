"""
How personal data is given to a recipient: as it is, masked, as a pseudonym of their own, without the column, or not at
all.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from typing import Any, Literal, TypeAlias

import polars as pl

from bouquet.core import formula
from bouquet.core.catalogue import Field, Kind
from bouquet.core.personal import class_of, mask_of
from bouquet.core.plan import Cell, Computed, Folded, Plan, PlanColumn, Read
from bouquet.core.plan.style import shown
from bouquet.core.template import Acceptance, GivenAs, Show

__all__ = ["Given", "Mask", "as_text", "given_as", "mask_by_formula", "masked"]

#: How a cell is given to somebody; refused where they may not receive such data.
Given: TypeAlias = GivenAs | Literal["refused"]

#: What stands for a value; None for blank.
Mask: TypeAlias = Callable[[Any], str | None]


def given_as(acceptance: Acceptance, cell: Cell) -> Given:
    """
    How a cell is given to them. What is made of several fields, or folded, is given as the strictest of these, and not
    at all where that is not as it is.
    """
    rule: Given = "seen" if acceptance.personal else "refused"
    classes: dict[str, Given] = {str(name): said for name, said in acceptance.classes.items()}
    given = [classes.get(class_of(f), rule) for f in _fields_of(cell) if f.personal]
    if "refused" in given:
        return "refused"
    if isinstance(cell, Read) and given:
        # A file cannot be masked.
        return "hidden" if cell.field.kind is Kind.FILE and given[0] != "seen" else given[0]
    return "seen" if all(one == "seen" for one in given) else "hidden"


def _fields_of(cell: Cell) -> list[Field]:
    """
    The fields that a cell tells of.
    """
    match cell:
        case Computed():
            return [f for target in formula.references_of(cell.tree) for f in _fields_of(target)]  # type: ignore[arg-type]
        case Folded():
            # A number of records, or of different values, tells of nobody.
            return [cell.value.field] if cell.value is not None and cell.field.personal else []
        case _:
            return [cell.field]


def mask_by_formula(column: PlanColumn, plan: Plan) -> Mask:
    """
    What the mask of a column's class makes of its values.
    """

    def find(_: str) -> Cell:
        return column.cell

    tree = formula.check(mask_of(column.field), find, plan.context.as_of, plan.zone)
    read = formula.read_tree(formula.write_tree(tree, lambda _: 0))

    def mask(value: Any) -> str | None:
        made, _ = formula.evaluate(read, (value,), (False,))
        return str(made) if made is not None else None

    return mask


def masked(values: pl.Series, mask: Mask) -> pl.Series:
    """
    Values with their masks; blank stays blank.
    """
    known: dict[Any, str | None] = {None: None}
    for value in values.unique():
        if value is not None:
            known[value] = mask(value)
    return pl.Series(values.name, [known[value] for value in values], pl.String)


def as_text(column: PlanColumn, plan: Plan) -> PlanColumn:
    """
    A column whose values are masked: a text, shown as it is.
    """
    field = Field(name="", column="", kind=Kind.TEXT, stored="text", label=column.field.label, personal=True)
    tree = formula.check('""', lambda _: column.cell, plan.context.as_of, plan.zone)
    show = shown(Show(), field, plan.output)
    return dataclasses.replace(column, cell=Computed(tree, field), show=show, total=None, once_by=(), link=None)
