"""
Looking at a template under design: the first rows as its file will show them, through the same plan as a run.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, TypeAlias

import polars as pl
import sqlalchemy as sa

from bouquet.core.dictionary import column_words
from bouquet.core.language import tr, trn
from bouquet.core.naming import file_name
from bouquet.core.plan import Plan, PlanColumn, Resolution
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.sql import OBJECTS, Statements
from bouquet.core.template import Column, FoldValue, Severity, Template
from bouquet.core.vocabulary.comparisons import operators_of
from bouquet.core.vocabulary.formats import FORMATS
from bouquet.runs.naming import name_facts
from bouquet.sources import Snapshot

__all__ = ["CELL_SHOWN", "Mark", "SeenRows", "SheetColumn", "expected_name", "first_rows", "sheet_columns"]

#: Characters of a cell that go to the screen; the file holds all of them.
CELL_SHOWN = 300

#: How much dearer a way that looks at no record that ties in the order in vain may seem, and be taken all the same.
TIES = 1.5

#: What rows may cost, as `Planned` has it, that come soon: a quarter of a second.
SOON = 40_000

Texts: TypeAlias = list[list[str | None]]


@dataclass(frozen=True)
class Mark:
    """
    A cell, or a whole row, that a check objects to. `row` counts from the first of all rows.
    """

    row: int
    column: int | None
    words: str
    severity: Severity


@dataclass(frozen=True)
class SeenRows:
    """
    Rows of the sheet: a text per column, None for blank; their keys where rows are no groups; what checks object to;
    whether more follow;
    and whether they stand in their order.
    """

    rows: Texts
    keys: Texts
    marks: list[Mark]
    more: bool
    in_order: bool = True


@dataclass(frozen=True)
class SheetColumn:
    """
    A column of the sheet as it is looked at. `trail` says where its values come from, `shown` how they are written,
    `repeats` that a value belongs to a record above the one that rows stand for, `operators` how rows can be narrowed
    by it.
    """

    id: str
    heading: str
    number: int
    trail: str
    shown: str
    kind: str
    sound: bool
    repeats: bool
    operators: tuple[str, ...] = ()


def first_rows(
    snapshot: Snapshot,
    template: Template,
    plan: Plan,
    *,
    limit: int,
    offset: int = 0,
    keys: bool = False,
    hurry: bool = False,
) -> SeenRows:
    """
    Some rows of the file, with a blank cell for each column of the template that is not sound. In a `hurry`, where
    the source cannot give the first rows soon but can give any, these, out of their order.
    """
    statements = Statements(plan)
    made = {"limit": limit + 1, "offset": offset, "keys": keys, "checks": bool(plan.row_checks)}
    statement, in_order = _soonest(snapshot, statements, made, hurry=hurry and not plan.by and not offset)
    frame = to_frame(snapshot.table(statement))
    marks = _marks(snapshot, statements, frame.head(limit), offset)
    guard = plan.guards_formulas and plan.output.format == "csv"
    text = TextShaper(plan.columns, plan.zone.key, guard=guard).shape(frame)
    rows = [[None if v is None else v[:CELL_SHOWN] for v in row] for row in text.head(limit).rows()]
    named = [f"k{n}" for n in range(len(plan.row_key))] if keys and not plan.by else []
    found = [list(k) for k in frame.head(limit).select(named).rows()] if named else []
    marked = _spread_marks(template, plan, marks)
    return SeenRows(_spread(template, plan, rows), found, marked, frame.height > limit, in_order)


def _soonest(
    snapshot: Snapshot, statements: Statements, made: dict[str, Any], *, hurry: bool
) -> tuple[sa.Select[Any], bool]:
    """
    The statement of some rows that the source expects to answer first, and whether they stand in their order.
    """
    best = statements.first(**made)
    if statements.plan.by:
        if statements.reads_few:
            return best, True
        # Folds of what each record has are joined for all, or looked up for each: that hangs on how many there are.
        few = Statements(statements.plan, expected=1).first(**made)
        for_all, for_each = _cost(snapshot, best), _cost(snapshot, few)
        if for_all is None or for_each is None:
            # A source that expects nothing: what is narrowed is taken for few.
            return few if statements.plan.steps else best, True
        return best if for_all <= for_each else few, True
    if not statements.can_presort and (not hurry or statements.reads_few):
        return best, True
    cost = _cost(snapshot, best)
    if statements.can_presort:
        presorted = statements.first(**made, presorted=True)
        # What ties in the order are many more than the planner thinks, as a rule: all records of the last day.
        if cost is not None and (other := _cost(snapshot, presorted)) is not None and other < cost * TIES:
            best, cost = presorted, other
    if hurry and cost is not None and cost > SOON:
        any_rows = Statements(replace(statements.plan, order=())).first(**made)
        other = _cost(snapshot, any_rows)
        if other is not None and other < SOON:
            return any_rows, False
    return best, True


def _cost(snapshot: Snapshot, statement: sa.Select[Any]) -> float | None:
    planned = snapshot.planned(statement)
    return planned.cost if planned is not None else None


def _marks(snapshot: Snapshot, statements: Statements, frame: pl.DataFrame, offset: int) -> list[Mark]:
    """
    What checks object to among the rows that are shown.
    """
    found = []
    for n, check in enumerate(statements.plan.row_checks):
        if check.objects is not None and not statements.is_marked(check):
            continue
        if check.objects is not None:
            rows = frame[f"{OBJECTS}{n}"].cast(pl.Boolean).arg_true().to_list()
        else:
            values = frame[f"c{check.column}"]
            known = values.drop_nulls().unique().to_list()
            again = snapshot.table(statements.repeated(n, known))["value"].to_pylist() if known else []
            rows = values.is_in(pl.Series(again, dtype=values.dtype).implode()).fill_null(False).arg_true().to_list()
        found += [Mark(row=offset + r, column=check.column, words=check.words, severity=check.severity) for r in rows]
    return found


def _spread_marks(template: Template, plan: Plan, marks: list[Mark]) -> list[Mark]:
    """
    Marks at the positions that columns have in the sheet, where unsound ones have a place, too.
    """
    places = [at for c in template.columns for at in _places(plan, c.id)]
    position = {at: n for n, at in enumerate(places) if at is not None}
    return [replace(m, column=position.get(m.column)) if m.column is not None else m for m in marks]


def _spread(template: Template, plan: Plan, rows: list[list[str | None]]) -> list[list[str | None]]:
    """
    Rows with a blank cell for each column of the template that is not sound.
    """
    places = [at for c in template.columns for at in _places(plan, c.id)]
    return [[row[at] if at is not None else None for at in places] for row in rows]


def _places(plan: Plan | None, id: str) -> list[int | None]:
    """
    Where a column of the template stands in the plan; a spread stands in several places, an unsound one in none.
    """
    found: list[int | None] = [n for n, c in enumerate(plan.columns) if c.id == id] if plan is not None else []
    return found or [None]


def sheet_columns(template: Template, resolution: Resolution) -> list[SheetColumn]:
    """
    The columns of the template as they are looked at, unsound ones, too.
    """
    plan = resolution.partial
    found = []
    for column in template.columns:
        for at in _places(plan, column.id):
            planned = plan.columns[at] if plan is not None and at is not None else None
            repeats = _repeats(plan, planned)
            found.append(_column(column.id, column.heading, planned, column, repeats=repeats))
    return found


def _repeats(plan: Plan | None, column: PlanColumn | None) -> bool:
    """
    Whether a column's value belongs to a record above the one that rows stand for.
    """
    if plan is None or column is None or not plan.opened or column.route is None:
        return False
    opened = tuple(r.name for r in plan.opened)
    return column.route.way[: len(opened)] != opened


def _column(id: str, heading: str, planned: PlanColumn | None, column: Column, *, repeats: bool) -> SheetColumn:
    return SheetColumn(
        id=id,
        heading=planned.heading if planned else heading,
        number=planned.number if planned else 1,
        trail=column_words(planned.cell) if planned else _written(column),
        shown=_shown(planned) if planned else "",
        kind=planned.kind if planned else "text",
        operators=operators_of(planned.kind) if planned else (),
        sound=planned is not None,
        repeats=repeats,
    )


def _written(column: Column) -> str:
    """
    Where an unsound column says it comes from.
    """
    value = column.value
    if isinstance(value, FoldValue):
        return f"{value.fold.how.replace('_', ' ')} {value.fold.path}".strip()
    return getattr(value, "field", None) or getattr(value, "formula", None) or "constant"


def _shown(column: PlanColumn) -> str:
    show, parts = column.show, []
    if show.date:
        parts.append(show.date)
    if show.decimals is not None:
        parts.append(tr("whole number") if show.decimals == 0 else trn("{n} decimal", "{n} decimals", show.decimals))
    if show.choice == "code":
        parts.append("code")
    if show.case != "as_is":
        parts.append(tr("{case} case", case=show.case))
    return " · ".join(parts)


def expected_name(template: Template, resolution: Resolution) -> str:
    """
    The name that a file of the template would have now; empty where its pattern is not sound.
    """
    plan = resolution.partial
    if plan is None or any(p.place == "output.name" for p in resolution.problems):
        return ""
    split = template.output.split
    several = split is not None and not (split.into == "sheets" and template.output.format == "xlsx")
    facts = name_facts(plan, 0, 1 if several else None, "…" if plan.split is not None and several else None)
    return file_name(template.output.name, facts, FORMATS[template.output.format].extension)
