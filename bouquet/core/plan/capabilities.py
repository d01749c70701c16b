"""
What a template asks of its source's dialect beyond what every dialect can do, said while it is designed.
"""

from __future__ import annotations

from collections.abc import Iterator

from bouquet.core.formula import FUNCTIONS, LACKED, functions_in
from bouquet.core.language import Texts, tr
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
CAPABILITIES: Texts[str] = Texts(
    {
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
)

#: Functions of formulas that a dialect may not be able to compute, as `LACKS` names them.
FUNCTIONS_LACKED = tuple(f"function {name}" for name in FUNCTIONS)

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
    lacks = LACKS.get(state.catalogue.dialect, frozenset([*CAPABILITIES, *FUNCTIONS_LACKED]))
    for demand, place in _needed_capabilities(state) if lacks else ():
        if demand in lacks:
            message = tr(
                "In {catalogue}, a {dialect} source, {capabilities}.",
                catalogue=state.catalogue.title,
                dialect=state.catalogue.dialect,
                capabilities=_lacked(demand),
            )
            state.problem("dialect", message, place)


def _lacked(demand: str) -> str:
    if demand in CAPABILITIES:
        return CAPABILITIES[demand]
    return tr("{name} cannot be computed", name=demand.removeprefix("function "))


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
            yield tr("fold {how}", how=column.value.fold.how), f"{place}.value.fold.how"
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
    yield from ((tr("function {name}", name=name), place) for name in sorted(functions_in(text)))
