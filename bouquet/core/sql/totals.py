"""
Totals of the file, of its parts and of its groups, in which a shared number counts once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import sqlalchemy as sa

from bouquet.core.catalogue import Route
from bouquet.core.plan import PlanColumn
from bouquet.core.sql.rows import SPLIT, Rows
from bouquet.core.sql.scope import Element
from bouquet.core.sql.sheet import SheetStatements, is_computed

__all__ = ["TotalStatements"]


class TotalStatements(SheetStatements):
    """
    Totals of the columns of one plan.
    """

    def parts(self) -> sa.Select[Any]:
        """
        The parts of a split by value in their order: the value `s0` and its number of rows `rows`.
        """
        assert self.plan.split is not None
        inner = self._numbered([]).subquery("numbered")
        grouped = sa.select(inner.c[SPLIT], sa.func.count().label("rows")).group_by(inner.c[SPLIT])
        return grouped.order_by(sa.func.min(inner.c.at))

    def totals(self, level: int, *, by_split: bool = False) -> list[tuple[sa.Select[Any], tuple[int, ...]]]:
        """
        Totals of the columns that ask for one, within the first `level` reader groups; level 0 is the whole file, or,
        with `by_split`, each of its parts.

        Statements with the columns they speak of: `g0`… name the part and the group as their rows do, `t{n}` is column
        n's total. A number that belongs to a record shared by several rows counts once. Where no column asks for a
        total, one statement names the groups.
        """
        wanted = [(n, c) for n, c in self.plan.data_columns if c.total is not None]
        ways = dict.fromkeys(c.once_by for _, c in wanted) or {(): None}
        found = []
        for once_by in ways:
            columns = tuple(n for n, c in wanted if c.once_by == once_by)
            found.append((self._totals(level, list(columns), by_split=by_split), columns))
        return found

    def once(self) -> list[tuple[sa.Select[Any], tuple[int, ...]]]:
        """
        Sums of numbers that repeat on several rows, each counted once: `t{n}` for column n.
        """
        shared = [(n, c) for n, c in self.plan.data_columns if c.once_by]
        return [
            (
                self._totals(0, [n for n, c in shared if c.once_by == by], how="sum"),
                tuple(n for n, c in shared if c.once_by == by),
            )
            for by in dict.fromkeys(c.once_by for _, c in shared)
        ]

    def _totals(
        self, level: int, columns: list[int], how: str | None = None, *, by_split: bool = False
    ) -> sa.Select[Any]:
        plan = self.plan
        once_by = plan.columns[columns[0]].once_by if columns else ()
        groups = plan.groups[:level]
        inner: sa.FromClause = self._numbered(columns, groups, once_by, by_split=by_split).subquery("numbered")
        names = [f"g{n}" for n in range(len(groups) + by_split)]
        if once_by:
            keys = [f"o{n}" for n in range(len(once_by))]
            taken = sa.select(*(inner.c[n] for n in (*names, *keys, *(f"n{k}" for k in columns)))).distinct()
            inner = taken.subquery("once")
        outputs: list[Element] = [inner.c[n] for n in names]
        for n in columns:
            made = self._total(how or plan.columns[n].total or "sum", inner.c[f"n{n}"], plan.columns[n])
            outputs.append(sa.cast(made, sa.Text).label(f"t{n}"))
        outputs = outputs or [sa.func.count().label("rows")]
        return sa.select(*outputs).select_from(inner).group_by(*(inner.c[n] for n in names))

    def _total(self, how: str, value: Element, column: PlanColumn) -> Element:
        if how == "count":
            return sa.func.count(value)
        if how in ("sum", "mean"):
            number = replace(column.field, stored="numeric", scale=self._places(column))
            made = self.dialect.mean(value, number) if how == "mean" else self.dialect.total(value, number)
        else:
            made = self.dialect.outermost(value, column.field, greatest=how == "greatest")
        if how == "mean" and column.show.decimals is not None:
            even, exact = column.show.rounding == "half_even", replace(number, scale=None)
            return self.dialect.number_text(made, exact, column.show.decimals, even=even)
        # What is computed has digits of its own, and no needless zeros.
        made_here = is_computed(column.cell) or column.show.factor is not None
        own = how == "mean" or (column.kind.is_number and column.show.decimals is None and made_here)
        return self.dialect.trimmed_number(made) if own else made

    def _number(self, value: Element, column: PlanColumn) -> Element:
        """
        What a column writes, as a number again.
        """
        return self.dialect.number(value, self._places(column))

    @staticmethod
    def _places(column: PlanColumn) -> int | None:
        if column.field.stored == "integer" and column.show.factor is None:
            return 0
        return column.show.decimals if column.show.decimals is not None else column.field.scale

    def _numbered(
        self, columns: list[int], groups: Sequence[int] = (), once_by: Sequence[Route] = (), *, by_split: bool = False
    ) -> sa.Select[Any]:
        """
        The rows of the file with the numbers of some columns as numbers, and what they are grouped by.
        """
        plan = self.plan
        rows = Rows(plan, many=self.many)
        outputs: list[tuple[str, Element]] = []
        order = [e for o in plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        if by_split and plan.split is not None:
            outputs.append(("g0", self._paper(rows.gathered(plan.split), plan.split)))
        for n in groups:
            outputs.append((f"g{len(outputs)}", self._output(rows, plan.columns[n])))
        for k, route in enumerate(once_by):
            outputs.append((f"o{k}", rows.scope.column(route)))
        for n in columns:
            column = plan.columns[n]
            value = self._output(rows, column)
            if column.kind.is_number:
                value = self._number(value, column)
            elif column.field.stored == "text":
                # A text of white space is as blank as none.
                value = sa.case((self.dialect.not_blank(value), value))
            outputs.append((f"n{n}", value))
        if not outputs and plan.split is not None:
            outputs.append((SPLIT, self._paper(rows.gathered(plan.split), plan.split)))
            outputs.append(("at", sa.func.row_number().over(order_by=order)))
        statement = rows.select(outputs or [("one", sa.literal_column("1"))], order if plan.at_most is not None else ())
        return statement.limit(sa.literal_column(str(plan.at_most))) if plan.at_most is not None else statement
