"""
What a template asks of its source's dialect beyond what every dialect can do, said while it is designed.
"""

from __future__ import annotations

from collections.abc import Iterator

from bouquet.core.formula import FUNCTIONS, LACKED, functions_in
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.template import (
    AllOf,
    AnyOf,
    ColumnCheck,
    FoldValue,
    FormulaTest,
    FormulaValue,
    Has,
    Narrowing,
    NoneOf,
    PerGroup,
    RowCheck,
)

__all__ = ["CAPABILITIES", "LACKS", "check_capabilities"]

#: Everything that a dialect may lack, and what is said of it.
CAPABILITIES: dict[str, str] = {
    "fold joined": "values cannot be joined in one cell",
    "picked in groups": "the first and the latest of a group cannot be told",
    "fold spread": "values cannot be spread over columns",
    "formula": "formulas cannot be computed",
    "factor": "numbers cannot be multiplied on their way",
    "step": "there are no steps of time",
    "gaps": "gaps between steps of time cannot be filled",
    "distinct in order": "joined values cannot be distinct and in an order of their own at once",
    "joined list": "joined values cannot be made distinct or cut short",
}

#: Functions of formulas that a dialect cannot compute; it may name them in `LACKS` as `function NAME`.
CAPABILITIES |= {f"function {name}": f"{name} cannot be computed" for name in FUNCTIONS}

#: What each dialect lacks. One that is not listed here lacks everything.
LACKS: dict[str, frozenset[str]] = {
    "postgresql": frozenset(),
    "mariadb": frozenset({"distinct in order", *(f"function {name}" for name in LACKED)}),
    "mysql": frozenset({"formula", "gaps", "joined list", "distinct in order", "fold spread", "picked in groups"}),
    "sqlite": frozenset(),
}


def check_capabilities(state: ResolutionContext) -> None:
    """
    Note a problem, at its place, for everything that the source's dialect lacks.
    """
    lacks = LACKS.get(state.catalogue.dialect, frozenset(CAPABILITIES))
    for demand, place in _needed_capabilities(state) if lacks else ():
        if demand in lacks:
            message = f"In {state.catalogue.title}, a {state.catalogue.dialect} source, {CAPABILITIES[demand]}."
            state.problem("dialect", message, place)


def _needed_capabilities(state: ResolutionContext) -> Iterator[tuple[str, str]]:
    template = state.template
    if isinstance(template.rows, PerGroup):
        yield from (("step", f"rows.by[{n}].step") for n, b in enumerate(template.rows.by) if b.step is not None)
        yield from (("gaps", f"rows.by[{n}].fill_gaps") for n, b in enumerate(template.rows.by) if b.fill_gaps)
    for n, column in enumerate(template.columns):
        place = f"columns[{n}]"
        if column.show.factor is not None:
            yield "factor", f"{place}.show.factor"
        if isinstance(column.value, FormulaValue):
            yield from _of_formula(column.value.formula, f"{place}.value.formula")
        elif isinstance(column.value, FoldValue):
            yield f"fold {column.value.fold.how}", f"{place}.value.fold.how"
            if column.value.fold.how in ("first", "latest") and isinstance(template.rows, PerGroup):
                yield "picked in groups", f"{place}.value.fold.how"
            if column.value.fold.how == "joined" and (column.value.fold.distinct or column.value.fold.at_most):
                yield "joined list", f"{place}.value.fold"
                if column.value.fold.distinct and column.value.fold.order:
                    yield "distinct in order", f"{place}.value.fold.order"
            if column.value.fold.where is not None:
                yield from _of_narrowing(column.value.fold.where, f"{place}.value.fold.where")
    for n, check in enumerate(template.checks):
        if isinstance(check, RowCheck):
            yield from _of_formula(check.formula, f"checks[{n}].formula")
        elif isinstance(check, ColumnCheck) and check.must in ("whole", "length", "near_usual"):
            yield "formula", f"checks[{n}].must"
    yield from _of_narrowing(template.filter, "filter")


def _of_narrowing(node: Narrowing, place: str) -> Iterator[tuple[str, str]]:
    match node:
        case FormulaTest():
            yield from _of_formula(node.formula, f"{place}.formula")
        case Has():
            if node.where is not None:
                yield from _of_narrowing(node.where, f"{place}.where")
        case AllOf() | AnyOf() | NoneOf():
            how = "all" if isinstance(node, AllOf) else "any" if isinstance(node, AnyOf) else "none"
            for n, part in enumerate(getattr(node, how)):
                yield from _of_narrowing(part, f"{place}.{how}[{n}]")
        case _:
            return


def _of_formula(text: str, place: str) -> Iterator[tuple[str, str]]:
    yield "formula", place
    yield from ((f"function {name}", place) for name in sorted(functions_in(text)))
