"""
Statements of checks: how many rows each objects to, which, and which values stand in several.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import sqlalchemy as sa

from bouquet.core.plan import (
    PlanColumn,
)
from bouquet.core.sql.dialects import DIALECTS
from bouquet.core.sql.rows import OBJECTS, Rows
from bouquet.core.sql.scope import Element
from bouquet.core.sql.sheet import SheetStatements

__all__ = ["CheckStatements"]


class CheckStatements(SheetStatements):
    """
    What the checks of one plan find.
    """

    def _objecting(self, also: Sequence[PlanColumn] = ()) -> sa.Subquery:
        rows = Rows(self.plan, many=True)
        outputs = [self.objection(rows, n) for n in range(len(self.plan.row_checks))]
        outputs += [(f"v{n}", self._output(rows, c)) for n, c in enumerate(also)]
        if also and not self.plan.by:
            outputs += [(f"k{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(self.plan.row_key)]
        return self.counted(rows, outputs, self._order_of_first(rows)).subquery("checked")

    def _order_of_first(self, rows: Rows) -> list[Element]:
        """
        The order of the rows, where it decides which of them there are.
        """
        order = self.plan.order if self.plan.at_most is not None else ()
        return [e for o in order for e in rows.order(o, filled=self._is_filled(o.cell))]

    def objections(self) -> sa.Select[Any]:
        """
        How many rows each check of rows objects to, as `q0`, `q1`…, and all rows as `rows`, in a single row.
        """
        found = self._objecting()
        counts: list[Element] = [
            DIALECTS[self.plan.catalogue.dialect]
            .filtered(sa.func.count(), found.c[f"{OBJECTS}{n}"])
            .label(f"{OBJECTS}{n}")
            for n in range(len(self.plan.row_checks))
        ]
        counts.append(sa.func.count().label("rows"))
        return sa.select(*counts).select_from(found)

    def spread(self, n: int) -> sa.Select[Any]:
        """
        Of the numbers of a check's column in their order the first, those a quarter and three quarters of the way up,
        and the last, as texts `at0`, `at1`, `at3` and `at4`; NULL where there is no number.
        """
        at = self.plan.row_checks[n].column
        assert at is not None
        found = Rows(self.plan, many=True).quarters(self.plan.columns[at].cell).subquery("quarters")
        texts: list[Element] = [sa.cast(c, sa.Text).label(c.name) for c in found.c]
        return sa.select(*texts)

    def repeated(self, n: int, values: Sequence[Any]) -> sa.Select[Any]:
        """
        Which of some values of a check's column, as `rows` gives them, stand for what more than one row has: `value`.
        """
        check = self.plan.row_checks[n]
        assert check.column is not None
        column = self.plan.columns[check.column]
        rows = Rows(self.plan, many=True)
        outputs = [("value", self._output(rows, column)), ("own", rows.checked(check))]
        found = self.limited(rows.select(outputs, self._order_of_first(rows)), None, 0).subquery("values")
        wanted = found.c.value.in_(
            [self.dialect.literal(v, None if isinstance(v, str) else column.field.stored) for v in values]
        )
        # What is rounded alike may still be different.
        counted = sa.select(found.c.value).where(wanted).group_by(found.c.own, found.c.value)
        return counted.having(sa.func.count() > sa.literal_column("1"))

    def objected(self, n: int, *, limit: int = 5) -> sa.Select[Any]:
        """
        Some rows that a check of rows objects to: the checked value `v0`, where it is of a column, and the key of what
        the row stands for, as texts `k0`, `k1`…, where rows are no groups.
        """
        at = self.plan.row_checks[n].column
        columns = [self.plan.columns[at]] if at is not None else [c for _, c in self.plan.data_columns][:1]
        found = self._objecting(columns)
        kept: list[Element] = [c for c in found.c if not c.name.startswith(OBJECTS)]
        statement: sa.Select[Any] = sa.select(*kept).where(found.c[f"{OBJECTS}{n}"])
        return statement.limit(sa.literal_column(str(limit)))
