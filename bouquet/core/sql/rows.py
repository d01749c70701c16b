"""
The rows of a plan under construction: what all statements of the plan are made from, so that they cannot disagree.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import timedelta
from typing import Any, TypeVar

import sqlalchemy as sa

from bouquet.core.catalogue import Kind
from bouquet.core.formula import references_of
from bouquet.core.plan import (
    Cell,
    Computed,
    Folded,
    Group,
    GroupBy,
    Plan,
    PlanOrder,
    Predicate,
    Quarter,
    Read,
    RowCheck,
    Step,
    Stepped,
)
from bouquet.core.sql.apart import Apart
from bouquet.core.sql.combined import Combined, combines
from bouquet.core.sql.dialects import DIALECTS
from bouquet.core.sql.folds import without_none
from bouquet.core.sql.quarters import quarters_of
from bouquet.core.sql.scope import Element, Scope, StatementContext

__all__ = [
    "FAULTS",
    "LINKS",
    "OBJECTS",
    "PAGE",
    "PICTURES",
    "REPEATED",
    "SPLIT",
    "TITLE",
    "TOUCHED",
    "Rows",
    "cells_of",
    "in_several",
]

#: Names of hidden columns: what a file is split by, and, per column, whether it has no result, where it links to, and
#: the file whose size stands in the column itself.
SPLIT, FAULTS, LINKS, PICTURES = "s0", "x", "l", "i"

#: Of checks: whether each objects to the row, and of the record of the row its page, who last touched it, and what it
#: is known by.
OBJECTS, PAGE, TOUCHED, TITLE = "q", "h0", "w0", "n0"

#: Of checks for repeated values, where the file has only the first rows: the value, to be counted among these.
REPEATED = "u"

_Made = TypeVar("_Made", bound="Element | None")


class Rows:
    """
    The rows of a plan under construction: their scope, and the outputs made in it.
    """

    def __init__(
        self,
        plan: Plan,
        *,
        many: bool,
        exists: bool = True,
        base: sa.FromClause | None = None,
        file: Plan | None = None,
        apart: Apart | None = None,
        beside: str = "",
    ) -> None:
        #: `file` has all rows of the file, where `plan` has only some. `beside` tells what is named for a whole
        #: statement from the same of others in it; no table of anybody's is called like that.
        self.plan, self.file, self.beside = plan, file or plan, beside
        context = StatementContext(
            plan.catalogue,
            plan.zone,
            DIALECTS[plan.catalogue.dialect],
            plan.context.as_of,
            many=many,
            exists=exists,
        )
        context.rights = plan.rights
        self.scope = Scope(context, plan.record_type, plan.opened, grouped=bool(plan.by), base=base, apart=apart)
        if combines(plan, self._asked()):
            keys, across = [self._by(b) for b in plan.by], plan.across
            assert across is not None
            self.scope.combined = Combined(self.scope, across, keys, self._by(across.by))
        self.gaps = next((n for n, b in enumerate(plan.by) if b.fill_gaps), None)
        #: Whether groups are made in a statement inside that of the rows.
        self.nested = self.gaps is not None or (bool(plan.by) and context.dialect.nests_groups)
        self.inner: list[tuple[str, Element]] = []
        self._quarters: dict[str, sa.CTE] = {}

    def _asked(self) -> Iterator[Cell]:
        """
        All cells that may be asked of a row.
        """
        plan = self.plan
        yield from (c.cell for c in plan.columns)
        yield from (o.cell for o in plan.order)
        yield from (c for s in plan.steps if s.side == "child" for c in cells_of(s.predicate))
        yield from (c for check in plan.row_checks if check.objects is not None for c in cells_of(check.objects))
        if plan.split is not None:
            yield plan.split

    # Cells as they stand in rows

    def value(self, cell: Cell) -> Element:
        """
        A cell of a row.
        """
        at = self._by_index(cell)
        if at is not None:
            return self._by_value(at)
        if isinstance(cell, Computed):
            return self._of_group(lambda: self.scope.value(cell), (cell,))
        found = self.inside(self.scope.value(cell))
        return without_none(cell, found) if isinstance(cell, Folded) and self.gaps is not None else found

    def fault(self, cell: Cell) -> Element | None:
        if self._by_index(cell) is not None:
            return None
        if not self.nested:
            return self.scope.fault(cell)
        return self._of_group(lambda: self.scope.fault(cell), (cell,))

    def objects(self, check: RowCheck) -> Element:
        """
        Whether a check objects to a row; never NULL.
        """
        if check.objects is None:
            return in_several(self.checked(check))
        predicate = check.objects
        quarters: dict[Cell, Element] = {
            c: self._quarter(c, check) for c in cells_of(predicate) if isinstance(c, Quarter)
        }
        found = self._of_group(lambda: self.scope.holds(predicate), cells_of(predicate), quarters)
        return sa.func.coalesce(found, sa.false())

    def checked(self, check: RowCheck) -> Element:
        """
        What a check for repeated values compares.
        """
        assert check.column is not None
        return self.gathered(self.plan.columns[check.column].cell)

    def _quarter(self, quarter: Quarter, check: RowCheck) -> Element:
        """
        The number a quarter, or three, of the way up among those of all rows; read once, however often it is asked for.
        """
        beside = f" of column {check.column}"
        name = f"quarters{beside}"
        if name not in self._quarters:
            self._quarters[name] = Rows(self.file, many=True, beside=beside).quarters(quarter.cell).cte(name)
        quarters = self._quarters[name]
        return sa.select(quarters.c[f"at{quarter.at}"]).scalar_subquery()

    def quarters(self, cell: Cell) -> sa.Select[Any]:
        """
        Of the numbers of all rows in their order, by nearest rank: the first `at0`, those a quarter and three quarters
        of the way up, `at1` and `at3`, and the last, `at4`.
        """
        value = self.value(cell)
        sorted_by = value if isinstance(cell, Read) else self.scope.dialect.compared_number(value)
        at_most = self.plan.at_most
        order = [e for o in self.plan.order for e in self.order(o, filled=False)] if at_most is not None else ()
        found = self.select([("v", value), ("o", sorted_by)], order)
        each = (found.limit(_number(at_most)) if at_most is not None else found).subquery("each_number")
        return quarters_of(each)

    def _of_group(
        self, make: Callable[[], _Made], cells: Sequence[Cell], also: Mapping[Cell, Element] | None = None
    ) -> _Made:
        """
        What is made of some of a row's cells, those that groups are made by as the grouping has them; `also` are others
        that stand for something else. Where groups are nested it is made of the rows, as steps without a group have
        theirs, too.
        """
        known: dict[Cell, Element]
        if not self.nested:
            known = {b.cell: self.grouped(b) for b in self.plan.by}
        else:
            known = {c: self.value(c) for c in _read_by(cells) if c not in (also or {})}
        self.scope.known = known | dict(also or {})
        try:
            return make()
        finally:
            self.scope.known = {}

    def order(self, level: PlanOrder, *, filled: bool) -> list[Element]:
        """
        One level of the order. What parts and lines are made by stands together, also where labels or codes are alike.
        """
        if level.cell not in [self.plan.split, *(self.plan.columns[n].cell for n in self.plan.groups)]:
            return self.scope.ordering(level, self.value(level.cell), filled=filled)
        value = self.gathered(level.cell)
        return [*self.scope.ordering(level, value, filled=filled), value.asc()]

    def gathered(self, cell: Cell) -> Element:
        """
        A cell by which rows are gathered into parts or below headings: all blank texts are one.
        """
        value = self.value(cell)
        return value if self._by_index(cell) is not None else self._filled(cell, value)

    def _by_index(self, cell: Cell) -> int | None:
        return next((n for n, b in enumerate(self.plan.by) if b.cell == cell), None)

    def _by_value(self, n: int) -> Element:
        if not self.nested:
            return self.grouped(self.plan.by[n])
        return sa.column("step") if n == self.gaps else sa.column(f"w{n}")

    def grouped(self, by: GroupBy) -> Element:
        """
        A value that groups are made by. Blank texts make one group.
        """
        combined = self.scope.combined
        return self._by(by) if combined is None else combined.key(self.plan.by.index(by))

    def _by(self, by: GroupBy) -> Element:
        return self._filled(by.cell, self.scope.value(by.cell))

    def _filled(self, cell: Cell, value: Element) -> Element:
        """
        A cell's value, NULL where it is a blank text.
        """
        if cell.field.stored != "text":
            return value
        return sa.case((self.scope.dialect.not_blank(value), value))

    def inside(self, value: Element) -> Element:
        """
        A value of a row that is made of records; where groups are nested, as it is called outside of them.
        """
        if not self.nested:
            return value
        label = next((known for known, made in self.inner if made is value), None)
        if label is None:
            label = f"v{len(self.inner)}"
            self.inner.append((label, value))
        return sa.column(label)

    # Statements

    def select(
        self,
        outputs: Sequence[tuple[str, Element]],
        order: Sequence[Element] = (),
        among: tuple[sa.FromClause, Element] | None = None,
    ) -> sa.Select[Any]:
        """
        The rows with these outputs; call it when every part has been made. `among` leaves the records that something
        else has a match for: what it is, and how it is matched.
        """
        if self.gaps is not None:
            return self._with_gaps(outputs).order_by(*order)
        if self.nested:
            return self._of_groups(outputs).order_by(*order)
        statement: sa.Select[Any] = sa.select(*(e.label(label) for label, e in outputs))
        parents, children = self._conditions()
        if not self.plan.by:
            keep, start = self.plan.keeps_childless, self.scope.base.join(*among) if among is not None else None
            statement = statement.select_from(self.scope.from_clause(start, keep=keep, on=children if keep else None))
            return statement.where(*parents, *([] if keep else children)).order_by(*order)
        by = [self.grouped(b) for b in self.plan.by]
        statement = self._of_records(statement, parents).group_by(*by)
        return (statement.having(*children) if children else statement).order_by(*order)

    def _of_records(self, statement: sa.Select[Any], conditions: Sequence[Element]) -> sa.Select[Any]:
        """
        A statement of the records that meet `conditions`, or of what stands for these.
        """
        combined = self.scope.combined
        if combined is None:
            return statement.select_from(self.scope.from_clause()).where(*conditions)
        return statement.select_from(combined.from_clause(conditions))

    def _conditions(self) -> tuple[list[Element], list[Element]]:
        """
        What narrows records, and what narrows children or groups.
        """
        holds = [(s.side, self.holds(s)) for s in self.plan.steps]
        return [h for side, h in holds if side == "parent"], [h for side, h in holds if side == "child"]

    def holds(self, step: Step) -> Element:
        """
        Whether a step of the filter lets something pass: a record, where it narrows records, of which a fold is that
        of the record alone, also where rows are groups.
        """
        if step.side == "child":
            return self.scope.holds(step.predicate)
        with self.scope.of_each_record():
            return self.scope.holds(step.predicate)

    def _groups(self, name: str) -> sa.Select[Any]:
        """
        The groups that there are: the values that they are made by, called by `name` and their number, and all others.
        """
        parents, children = self._conditions()
        values = [self.grouped(b) for b in self.plan.by]
        made: sa.Select[Any] = sa.select(
            *(v.label(f"{name}{n}") for n, v in enumerate(values)), *(e.label(n) for n, e in self.inner)
        )
        made = self._of_records(made, parents).group_by(*values)
        return made.having(*children) if children else made

    def _of_groups(self, outputs: Sequence[tuple[str, Element]]) -> sa.Select[Any]:
        """
        The rows of the groups that there are.
        """
        every = self._groups("w").subquery("every_group")
        return sa.select(*(e.label(label) for label, e in outputs)).select_from(every)

    def _groups_to_fill(self) -> sa.CTE:
        """
        The groups that there are beside those that fill gaps, by `g0`, `g1` and so on.
        """
        return self._groups("g").cte(f"groups of records{self.beside}")

    def steps(self) -> sa.Select[Any]:
        """
        How many steps of time are filled, in a column `steps`; one more than may be where there are more.
        """
        assert self.gaps is not None
        groups = self._groups_to_fill()
        series = self._series(self.plan.by[self.gaps], groups, f"g{self.gaps}").subquery("steps")
        return sa.select(sa.func.count().label("steps")).select_from(series)

    def _with_gaps(self, outputs: Sequence[tuple[str, Element]]) -> sa.Select[Any]:
        """
        Every step of the window beside every combination of the other values, whether there is a group or not.
        """
        assert self.gaps is not None
        by = self.plan.by[self.gaps]
        groups = self._groups_to_fill()
        others = [n for n in range(len(self.plan.by)) if n != self.gaps]
        combined = sa.select(*(groups.c[f"g{n}"].label(f"w{n}") for n in others)).distinct().subquery("others")
        steps = self._series(by, groups, f"g{self.gaps}").subquery("steps")
        at = groups.c[f"g{self.gaps}"]
        on = [at == steps.c.step]
        on += [groups.c[f"g{n}"].is_not_distinct_from(combined.c[f"w{n}"]) for n in others]
        whole: sa.FromClause = steps.join(combined, sa.true()) if others else steps
        whole = whole.outerjoin(groups, sa.and_(*on))
        made: list[Element] = [sa.column(name) for name, _ in self.inner]
        if by.span is None or by.span.start is None or by.span.end is None:
            # What has no date, or one that no calendar has, lies in no step, and is no gap; a window may leave it in.
            known = self.scope.dialect.on_the_calendar(at, dated=by.cell.field.kind is Kind.DATE)
            beyond = at.is_(None) if known is None else sa.or_(at.is_(None), sa.not_(known))
            every = sa.select(steps.c.step, *(combined.c[f"w{n}"] for n in others), *made).select_from(whole)
            stepless = sa.select(at, *(groups.c[f"g{n}"] for n in others), *made).where(beyond)
            whole = every.union_all(stepless).subquery("every_group")
        return sa.select(*(e.label(label) for label, e in outputs)).select_from(whole)

    def _series(self, by: GroupBy, groups: sa.CTE, name: str) -> sa.Select[Any]:
        """
        The steps of the window, or from the first group to the last where the window is open.
        """
        cell = by.cell
        assert isinstance(cell, Stepped)
        column = groups.c[name]
        dated = cell.field.kind is Kind.DATE
        dialect = self.scope.dialect
        bounds: list[Element] = []
        for moment, pick in ((by.span.start if by.span else None, "min"), (by.span.end if by.span else None, "max")):
            if moment is None:
                known = dialect.on_the_calendar(column, dated=dated)
                outermost = sa.select(getattr(sa.func, pick)(column))
                bounds.append((outermost if known is None else outermost.where(known)).scalar_subquery())
            elif dated:
                bounds.append(self.scope.step(dialect.literal(moment.replace(tzinfo=None)), _unzoned(cell)))
            else:
                zoned = moment if cell.field.kind is Kind.MOMENT else moment.replace(tzinfo=None)
                bounds.append(self.scope.step(dialect.literal(zoned), cell))
        name = f"steps of time{self.beside}"
        inner = dialect.series(bounds[0], bounds[1], cell.unit, cell.count, dated=dated, name=name).subquery("every")
        statement = sa.select(inner.c.step)
        if by.span is not None and by.span.end is not None:
            naive = by.span.end.replace(tzinfo=None)
            end = naive if dated or cell.field.kind is not Kind.MOMENT else by.span.end
            # A day is over when the next begins; where a window ends within one, that one is in it.
            last = (naive - timedelta(microseconds=1)).date()
            before = inner.c.step <= dialect.literal(last) if dated else inner.c.step < dialect.literal(end)
            statement = statement.where(before)
        return statement


def _read_by(cells: Iterable[Cell]) -> Iterator[Cell]:
    """
    The cells that some are computed from; one that is not computed is its own.
    """
    for cell in cells:
        if isinstance(cell, Computed):
            yield from _read_by(references_of(cell.tree))  # type: ignore[arg-type]
        else:
            yield cell


def in_several(value: Element) -> Element:
    """
    Whether a value stands in several rows of its statement; never NULL.
    """
    again = sa.func.count().over(partition_by=value) > sa.literal_column("1")
    return sa.and_(value.is_not(None), again)


def _number(value: int) -> Element:
    return sa.literal_column(str(int(value)), sa.BigInteger)


def _unzoned(cell: Stepped) -> Stepped:
    """
    The same step of a wall-clock value.
    """
    plain = replace(cell.route.field, kind=Kind.TIMESTAMP)
    return replace(cell, route=replace(cell.route, field=plain, aspect=""))


def cells_of(predicate: Predicate) -> tuple[Cell, ...]:
    """
    The cells that a predicate looks at, each once.
    """
    if isinstance(predicate, Group):
        return tuple(dict.fromkeys(c for p in predicate.parts for c in cells_of(p)))
    cell = getattr(predicate, "cell", None) or getattr(predicate, "fold", None)
    if cell is None:
        return ()
    if isinstance(cell, Computed):
        return tuple(dict.fromkeys(references_of(cell.tree)))  # type: ignore[arg-type]
    return (cell,)
