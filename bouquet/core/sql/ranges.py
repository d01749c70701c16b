"""
Ranges of a plan's rows: cut by what they are put in order by first, so that each is read by itself, and all of them,
one after the other, are the rows of the plan.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql

from bouquet.core.catalogue import Kind
from bouquet.core.plan import Read
from bouquet.core.sql.rows import Rows
from bouquet.core.sql.scope import Element
from bouquet.core.sql.sheet import SheetStatements

__all__ = ["Range", "RangeStatements"]

#: The types of values that rows are cut by; as an index orders them, a template does.
_TYPES: dict[str, Any] = {
    "integer": sa.BigInteger(),
    "numeric": sa.Numeric(),
    "date": sa.Date(),
    "timestamp": postgresql.TIMESTAMP(),
    "timestamptz": postgresql.TIMESTAMP(timezone=True),
}

#: Rows that quantiles are taken of. They only decide how alike the ranges are in size.
SAMPLED = 50_000


@dataclass(frozen=True)
class Range:
    """
    Rows whose first value of the order is `least` or more, and less than `below`; both as the database's own text, None
    where nothing bounds it.
    """

    least: str | None = None
    below: str | None = None


class RangeStatements(SheetStatements):
    """
    The rows of one plan, range by range.
    """

    @property
    def can_cut(self) -> bool:
        """
        Whether rows can be cut into ranges: by a value that no row lacks, in their record itself, and so that what a
        row holds, and what is checked of it, does not depend on others.
        """
        plan = self.plan
        if plan.by or plan.at_most is not None or plan.split is not None or not plan.order:
            return False
        cell = plan.order[0].cell
        if not isinstance(cell, Read) or cell.route.relations or cell.route.field.formula:
            return False
        found = cell.field
        plain = found.stored in _TYPES and found.kind is not Kind.CHOICE
        plain = plain and not (found.read_as or found.is_read_from_text or found.is_custom)
        alone = self._reads_its_own() and not any(c.takes_all for c in plan.row_checks)
        return plain and alone and self.dialect.cuts and self._is_filled(cell)

    def bounds(self, ranges: int) -> sa.Select[Any]:
        """
        Where rows are cut into about so many ranges of like size, as texts `b1`, `b2`…, from the least; NULL where
        there are no rows.
        """
        rows = Rows(replace(self.plan, columns=(), row_checks=()), many=self.many)
        value = rows.value(self.plan.order[0].cell)
        share = min(1.0, SAMPLED / max(1, self.expected or SAMPLED))
        some = rows.select([("v", value)]).where(sa.func.random() < sa.literal_column(f"{share:.9f}")).subquery("some")
        cuts: list[Element] = []
        for n in range(1, ranges):
            place: Element = sa.literal_column(f"{n / ranges:.9f}")
            cut = sa.func.percentile_disc(place).within_group(some.c.v.asc())
            cuts.append(sa.cast(cut, sa.Text).label(f"b{n}"))
        return sa.select(*cuts)

    def ranges(self, bounds: list[str]) -> list[Range]:
        """
        The ranges between bounds, in the order of the rows.
        """
        ends = [None, *dict.fromkeys(bounds), None]
        found = [Range(least, below) for least, below in pairwise(ends)]
        return found[::-1] if self.plan.order[0].descending else found

    def inside(self, rows: Rows, within: Range) -> Iterator[Element]:
        """
        The conditions of a range.
        """
        cell = self.plan.order[0].cell
        value, as_type = rows.value(cell), _TYPES[cell.field.stored]
        if within.least is not None:
            yield value >= sa.cast(self.dialect.literal(within.least), as_type)
        if within.below is not None:
            yield value < sa.cast(self.dialect.literal(within.below), as_type)

    def rows_within(self, within: Range, **which: bool) -> sa.Select[Any]:
        """
        The rows of one range, as `rows` gives them.
        """
        made = Rows(self.plan, many=self.many)
        return self.rows(made=made, **which).where(*self.inside(made, within))
