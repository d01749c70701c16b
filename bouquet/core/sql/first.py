"""
The first rows of a plan, as somebody looks at them: found by their keys, and joined for display after.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import sqlalchemy as sa

from bouquet.core.catalogue import Kind
from bouquet.core.plan import Comparison, Group, Plan, Predicate, Read, Step
from bouquet.core.sql.rows import Rows
from bouquet.core.sql.sheet import SheetStatements

__all__ = ["FirstStatements"]

#: How values are stored that an index orders as a template does.
ORDERED_BY_INDEX = ("integer", "numeric", "date", "timestamp", "timestamptz")


class FirstStatements(SheetStatements):
    """
    Some rows of one plan, from the first on: the same as `rows` gives, made for few of many.
    """

    def first(
        self, *, limit: int, offset: int = 0, keys: bool = False, checks: bool = False, presorted: bool = False
    ) -> sa.Select[Any]:
        """
        Rows with the columns that `rows` gives. Where they can be found by a key, they are found first, with the joins
        that the filter and the order need, and everything else is joined for these alone.

        `presorted` has the records put in order before their filter joins other tables, so that those are only looked
        into until there are enough rows; where `can_presort` says so.
        """
        plan = self.plan
        bare = replace(plan, columns=(), split=None, row_checks=())
        whole = Rows(replace(plan, steps=()), many=False, file=plan)
        outputs = self.outputs(whole, keys=keys, checks=checks, looking=True)
        if not self._found_by_key() or not (whole.scope.joins or presorted):
            return self.rows(limit=limit, offset=offset, keys=keys, checks=checks)
        found = self._presorted(bare) if presorted else Rows(bare, many=self.many and self.folds_first())
        names = [f"key{n}" for n in range(len(plan.key))]
        # As they are kept, whatever they are read as: an index finds them.
        columns = [(name, found.scope.base.c[k.field.column]) for name, k in zip(names, plan.key, strict=True)]
        order = [e for o in plan.order for e in found.order(o, filled=self._is_filled(o.cell))]
        few = self.limited(found.select(columns, order), limit, offset).subquery("few")
        same = [whole.scope.base.c[k.field.column] == few.c[name] for name, k in zip(names, plan.key, strict=True)]
        again = [e for o in plan.order for e in whole.order(o, filled=self._is_filled(o.cell))]
        return whole.select(outputs, again, among=(few, sa.and_(*same)))

    @property
    def can_presort(self) -> bool:
        """
        Whether an index gives the rows' order but for ties, and the filter looks into other tables.
        """
        plan = self.plan
        if len(plan.order) < 2 or not self.dialect.keeps_apart or not self._found_by_key():
            return False
        cells = [o.cell for o in plan.order]
        if not all(isinstance(c, Read) and not c.route.relations and not c.route.field.formula for c in cells):
            return False
        found = cells[0].field
        by_index = found.indexed and found.stored in ORDERED_BY_INDEX and not found.read_as
        plain = found.kind is not Kind.CHOICE and not found.is_read_from_text and self._is_filled(cells[0])
        return by_index and plain and any(not _of_record(s.predicate) for s in plan.steps)

    def _found_by_key(self) -> bool:
        """
        Whether a row is a record of a plain table, which its key finds at once.
        """
        plan = self.plan
        plain = plan.record_type.paged and not plan.record_type.by_row
        return not plan.by and not plan.opened and plain and plan.key[0].field.indexed

    def _presorted(self, plan: Plan) -> Rows:
        """
        Rows whose records come in order, narrowed already by what they say themselves.
        """
        own: tuple[Step, ...] = tuple(s for s in plan.steps if _of_record(s.predicate))
        records = Rows(replace(plan, steps=own), many=False)
        order = [e for o in plan.order for e in records.order(o, filled=self._is_filled(o.cell))]
        columns = [(c.name, c) for c in records.scope.base.c]
        # Without a limit the database would leave the order out; a limit of its own would be one row too few.
        inner = records.select(columns, order).offset(sa.literal_column("0")).subquery("records")
        later = tuple(s for s in plan.steps if s not in own)
        return Rows(replace(plan, steps=later), many=False, base=inner)


def _of_record(predicate: Predicate) -> bool:
    """
    Whether a predicate looks at nothing but columns of the record itself.
    """
    if isinstance(predicate, Group):
        return all(_of_record(p) for p in predicate.parts)
    return (
        isinstance(predicate, Comparison)
        and isinstance(predicate.cell, Read)
        and not predicate.cell.route.relations
        and not predicate.cell.route.field.formula
        and predicate.cell.route.field.attribute is None
    )
