"""
The trace: why one record, child or group is in or out, and which records a step leaves out.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import sqlalchemy as sa

from bouquet.core.catalogue import Kind, RecordType, Route
from bouquet.core.plan import (
    Cell,
    Plan,
    Step,
)
from bouquet.core.sql.literals import literal
from bouquet.core.sql.rows import Rows, cells_of
from bouquet.core.sql.scope import Element, Scope
from bouquet.core.sql.sheet import SheetStatements
from bouquet.core.values import Value

__all__ = ["Answered", "TraceStatements"]


@dataclass(frozen=True)
class Answered:
    """
    One step of a trace: the name of its answer in the trace's row, and of the values it saw.
    """

    step: Step
    holds: str
    saw: tuple[tuple[Cell, str], ...]


class TraceStatements(SheetStatements):
    """
    What the steps of one plan's filter saw of single records.
    """

    def trace(self, key: Sequence[Value], *, child: bool = False) -> tuple[sa.Select[Any], list[Answered]]:
        """
        One record of the type, or, with `child`, one record that rows stand for: what each step saw of it, and whether
        it let it pass. The statement gives no row where there is no such record.
        """
        rows = Rows(replace(self.plan, by=()), many=False)
        scope, keys = rows.scope, self.plan.row_key if child else self.plan.key
        outputs: list[tuple[str, Element]] = []
        steps = []
        for n, step in enumerate(s for s in self.plan.steps if child or s.side == "parent"):
            outputs.append((f"h{n}", sa.func.coalesce(scope.holds(step.predicate), sa.false())))
            saw = []
            for k, cell in enumerate(cells_of(step.predicate)):
                outputs.append((f"v{n}_{k}", sa.cast(self._trace_value(scope, cell), sa.Text)))
                saw.append((cell, f"v{n}_{k}"))
            steps.append(Answered(step, f"h{n}", tuple(saw)))
        found = [scope.column(r) == scope.dialect.literal(v, r.field.stored) for r, v in zip(keys, key, strict=True)]
        end = self.plan.row_type if child else self.plan.record_type
        title = end.field_named(end.title or "")
        if title is not None:
            relations = self.plan.opened if child else ()
            outputs.append(("title", sa.cast(scope.column(Route(relations, title)), sa.Text)))
        outputs = outputs or [("nothing", sa.literal_column("1"))]
        found += self._theirs(scope, self.plan.record_type)
        statement = sa.select(*(e.label(name) for name, e in outputs))
        return statement.select_from(scope.from_clause(keep=not child)).where(*found).limit(1), steps

    def _keyed(self, scope: Scope, key: Sequence[Value]) -> list[Element]:
        """
        What leaves of the records of the plan the one with a key.
        """
        pairs = zip(self.plan.key, key, strict=True)
        return [scope.column(r) == self.dialect.literal(v, r.field.stored) for r, v in pairs]

    @staticmethod
    def _theirs(scope: Scope, record_type: RecordType) -> list[Element]:
        """
        What leaves of the records of a scope only those that the person may see.
        """
        permitted = scope.permitted(scope.base, record_type)
        return [] if permitted is None else [permitted]

    def trace_group(self, key: Sequence[Value]) -> tuple[sa.Select[Any], list[Answered]]:
        """
        The group of one record: what each step that narrows groups saw of it and whether it let it pass, and, where
        rows are limited, its `position` among the groups that pass, from 1. No row where no record of the group passes.
        """
        plan = replace(self.plan, by=tuple(replace(b, fill_gaps=False) for b in self.plan.by))
        own = self._group_values(plan, key)
        later = [s for s in plan.steps if s.side == "child"]
        rows = Rows(replace(plan, steps=tuple(s for s in plan.steps if s.side == "parent")), many=True)
        outputs = [(f"g{n}", rows.value(b.cell)) for n, b in enumerate(plan.by)]
        steps = []
        for n, step in enumerate(later):
            holds = sa.func.coalesce(rows.scope.holds(step.predicate), sa.false())
            outputs.append((f"h{n}", rows.inside(holds)))
            saw = []
            for k, cell in enumerate(cells_of(step.predicate)):
                found = sa.cast(self._trace_value(rows.scope, cell), sa.Text)
                outputs.append((f"v{n}_{k}", rows.inside(found)))
                saw.append((cell, f"v{n}_{k}"))
            steps.append(Answered(step, f"h{n}", tuple(saw)))
        groups = rows.select(outputs).subquery("groups")
        whole: sa.FromClause = groups.join(own, _same_group(groups, own, len(plan.by)))
        answers: list[Element] = [c for c in groups.c if not c.name.startswith("g")]
        if plan.at_most is not None:
            ranked = self._ranked_groups(plan)
            whole = whole.outerjoin(ranked, _same_group(ranked, own, len(plan.by)))
            answers.append(ranked.c.position)
        return sa.select(*(answers or [sa.literal_column("1").label("one")])).select_from(whole).limit(1), steps

    @staticmethod
    def _group_values(plan: Plan, key: Sequence[Value]) -> sa.Subquery:
        """
        What the group of one record is made by, as `g0`, `g1`…
        """
        rows = Rows(replace(plan, by=()), many=False)
        values = [rows.grouped(b).label(f"g{n}") for n, b in enumerate(plan.by)]
        found = [
            rows.scope.column(r) == rows.scope.dialect.literal(v, r.field.stored)
            for r, v in zip(plan.key, key, strict=True)
        ]
        return sa.select(*values).select_from(rows.scope.from_clause()).where(*found).limit(1).subquery("own")

    def _ranked_groups(self, plan: Plan) -> sa.Subquery:
        rows = Rows(replace(plan, at_most=None), many=True)
        order = [e for o in plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        outputs: list[tuple[str, Element]] = [(f"g{n}", rows.value(b.cell)) for n, b in enumerate(plan.by)]
        outputs.append(("position", sa.func.row_number().over(order_by=order)))
        return rows.select(outputs).subquery("ranked")

    @staticmethod
    def _trace_value(scope: Scope, cell: Cell) -> Element:
        value, found = scope.value(cell), cell.field
        if found.kind is Kind.CHOICE:
            return scope.label_of(value, found)
        return scope.dialect.local(value, scope.context.zone) if found.kind is Kind.MOMENT else value

    def keys_of(self, title: str, *, child: bool = False, limit: int = 5) -> sa.Select[Any] | None:
        """
        The keys of records whose title field says `title`, as texts `k0`, `k1`…; None where the type has no title.
        """
        record_type = self.plan.row_type if child else self.plan.record_type
        found = record_type.field_named(record_type.title or "")
        if found is None:
            return None
        scope = Scope(Rows(self.plan, many=False).scope.context, record_type)
        table = scope.base
        outputs: list[Element] = [
            sa.cast(table.c[k.field.column], sa.Text).label(f"k{n}")
            for n, k in enumerate(self.plan.catalogue.key_of(record_type))
        ]
        said = sa.cast(table.c[found.column], sa.Text)
        named = scope.dialect.lowered(said) == scope.dialect.lowered(literal(title))
        statement = sa.select(*outputs).select_from(table).where(named, *self._theirs(scope, record_type))
        return statement.limit(sa.literal_column(str(limit)))

    def children_of(self, key: Sequence[Value], *, limit: int) -> sa.Select[Any]:
        """
        The keys of one record's children at the end of the opened relations, passing or not, as texts `k0`, `k1`…
        """
        scope = Rows(self.plan, many=False).scope
        keys = self.plan.row_key
        outputs: list[Element] = [sa.cast(scope.column(k), sa.Text).label(f"k{n}") for n, k in enumerate(keys)]
        found = [
            scope.column(r) == self.dialect.literal(v, r.field.stored) for r, v in zip(self.plan.key, key, strict=True)
        ]
        found += self._theirs(scope, self.plan.record_type)
        statement = sa.select(*outputs).select_from(scope.from_clause()).where(*found)
        statement = statement.order_by(*(scope.column(k).asc() for k in keys))
        return statement.limit(sa.literal_column(str(limit)))

    def position(self, key: Sequence[Value]) -> sa.Select[Any]:
        """
        The position, from 1, of the row with a key among all rows, in a column `position`; for "the first n".
        """
        plan = replace(self.plan, at_most=None)
        rows = Rows(plan, many=False)
        order = [e for o in plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        outputs: list[tuple[str, Element]] = [("position", sa.func.row_number().over(order_by=order))]
        outputs += [(f"k{n}", rows.scope.column(r)) for n, r in enumerate(plan.row_key)]
        ranked = rows.select(outputs).subquery("ranked")
        found = [
            ranked.c[f"k{n}"] == self.dialect.literal(v, r.field.stored)
            for n, (r, v) in enumerate(zip(plan.row_key, key, strict=True))
        ]
        return sa.select(ranked.c.position).where(*found)

    def left_out(self, place: str, *, limit: int = 50) -> sa.Select[Any]:
        """
        Records that the step at `place` was the first to stop: their keys `k0`… and titles `title`, as texts, and what
        the step saw of them, `v0`…, in the order of `seen_by`.
        """
        steps = self.plan.steps
        at = next(n for n, s in enumerate(steps) if s.place == place)
        before = replace(self.plan, steps=steps[:at], by=(), keeps_childless=False)
        child = steps[at].side == "child" and bool(self.plan.opened)
        if not child:
            before = replace(before, opened=())
        rows = Rows(before, many=False)
        keys = self.plan.row_key if child else self.plan.key
        end = self.plan.row_type if child else self.plan.record_type
        title = end.field_named(end.title or "")
        outputs = [(f"k{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(keys)]
        if title is not None:
            relations = self.plan.opened if child else ()
            outputs.append(("title", sa.cast(rows.scope.column(Route(relations, title)), sa.Text)))
        for n, cell in enumerate(self.seen_by(place)):
            outputs.append((f"v{n}", sa.cast(self._trace_value(rows.scope, cell), sa.Text)))
        stopped = sa.not_(sa.func.coalesce(rows.holds(steps[at]), sa.false()))
        statement = rows.select(outputs, [rows.scope.column(k).asc() for k in keys]).where(stopped)
        return statement.limit(sa.literal_column(str(limit)))

    def seen_by(self, place: str) -> tuple[Cell, ...]:
        """
        The cells that the step at `place` looks at.
        """
        return cells_of(next(s.predicate for s in self.plan.steps if s.place == place))

    def without_children(self, *, limit: int = 50) -> sa.Select[Any]:
        """
        Records that meet the filter but have no child that does, where rows stand for children: `k0`… and `title`.
        """
        plan = self.plan
        childless = replace(plan, keeps_childless=True, order=(), at_most=None, by=())
        rows = Rows(childless, many=False)
        outputs = [(f"k{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(plan.key)]
        title = plan.record_type.field_named(plan.record_type.title or "")
        if title is not None:
            outputs.append(("title", sa.cast(rows.scope.column(Route((), title)), sa.Text)))
        none = [rows.scope.column(k).is_(None) for k in plan.row_key]
        statement = rows.select(outputs, [rows.scope.column(k).asc() for k in plan.key]).where(*none)
        return statement.limit(sa.literal_column(str(limit)))


def _same_group(these: sa.FromClause, those: sa.FromClause, size: int) -> Element:
    return sa.and_(*(these.c[f"g{n}"].is_not_distinct_from(those.c[f"g{n}"]) for n in range(size)))
