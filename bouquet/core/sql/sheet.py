"""
Statements of the rows of a file: the rows themselves, their number, their keys, and the files attached to them.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from typing import Any
from zoneinfo import ZoneInfo

import sqlalchemy as sa

from bouquet.core.catalogue import Kind, Relation, Route
from bouquet.core.formula import references_of
from bouquet.core.plan import (
    Among,
    Cell,
    Comparison,
    Computed,
    Fixed,
    Folded,
    Group,
    Having,
    Plan,
    PlanColumn,
    Predicate,
    Read,
    RowCheck,
    Stepped,
    relations_of,
)
from bouquet.core.sql.dialects import DIALECTS
from bouquet.core.sql.literals import literal
from bouquet.core.sql.rows import (
    FAULTS,
    LINKS,
    OBJECTS,
    PAGE,
    PICTURES,
    REPEATED,
    SPLIT,
    TITLE,
    TOUCHED,
    Rows,
    cells_of,
    in_several,
)
from bouquet.core.sql.scope import Element, Scope
from bouquet.core.vocabulary.comparisons import COMPARISONS

__all__ = ["SheetStatements", "is_computed"]

#: Records of which a look may read all.
FEW = 200_000

#: Share of a record type's records from which on folds are joined, rather than looked up for each row.
MANY = 0.02


class SheetStatements:
    """
    The rows of one plan.

    Args:
        expected: Rows that will be read, or of groups the records that they are made of, where that is known; it
            decides how folds are made, not what they come to.
    """

    def __init__(self, plan: Plan, *, expected: int | None = None) -> None:
        self.plan, self.expected = plan, expected
        estimate = plan.record_type.rows_estimate or 0
        self.dialect = DIALECTS[plan.catalogue.dialect]
        self.many = expected is None or expected > max(200, MANY * estimate)

    def rows(
        self,
        *,
        limit: int | None = None,
        offset: int = 0,
        keys: bool = False,
        checks: bool = False,
        parents: bool = False,
        pictures: int = 0,
        made: Rows | None = None,
    ) -> sa.Select[Any]:
        """
        The rows of the file in their order: one column `c0`, `c1`… per column of the sheet that is not a constant.

        Hidden columns follow: `x0`, `x1`… say of columns that can fail whether they did, `s0` is what the file is
        split by; with `keys`, `k0`… are the key of what a row stands for, as texts, where rows are no groups, and with
        `parents`, `p0`… that of the plan's record, where rows are children. With
        `checks`, `q0`… say whether each check of rows objects, and `h0`, `w0` and `n0` are the page of the row's
        record, who last touched it and what it is known by, where the catalogue knows; a look at some rows leaves out
        what takes all rows to know. With `pictures`, `i0`… are the files of columns that hold some, up to so many bytes
        each; larger ones are NULL. `made` stands for new rows, where a caller asks more of them.
        """
        rows = made or Rows(self.plan, many=self.many and (limit is None or self.reads_all()))
        outputs = self.outputs(rows, keys=keys, checks=checks, looking=limit is not None)
        for n in self.plan.file_columns if pictures else ():
            found = rows.value(self.plan.columns[n].cell)
            fits = rows.scope.dialect.size(found) <= sa.literal_column(str(int(pictures)))
            outputs.append((f"{PICTURES}{n}", sa.case((fits, found), else_=sa.null())))
        if parents and self.plan.opened:
            outputs += [(f"p{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(self.plan.key)]
        order = [e for o in self.plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        return self.counted(rows, outputs, order, limit, offset)

    def counted(
        self,
        rows: Rows,
        outputs: list[tuple[str, Element]],
        order: Sequence[Element],
        limit: int | None = None,
        offset: int = 0,
    ) -> sa.Select[Any]:
        """
        Some rows, in their order, with what checks for repeated values say: where the file has only the first rows, a
        value counts as often as it stands in these.
        """
        if not any(name.startswith(REPEATED) for name, _ in outputs):
            return self.limited(rows.select(outputs, order), limit, offset)
        # A window is made of all rows before a limit cuts them.
        placed = [*outputs, ("place", sa.func.row_number().over(order_by=order))]
        first = self.limited(rows.select(placed, order), limit, offset).subquery("first_rows")
        made = [first.c[name] for name, _ in outputs if not name.startswith(REPEATED)]
        marks = [
            in_several(first.c[name]).label(name.replace(REPEATED, OBJECTS, 1))
            for name, _ in outputs
            if name.startswith(REPEATED)
        ]
        return sa.select(*made, *marks).order_by(first.c.place)

    def objection(self, rows: Rows, n: int) -> tuple[str, Element]:
        """
        What a check of rows says of each, or what `counted` makes that of; with its name.
        """
        check = self.plan.row_checks[n]
        if check.objects is None and self.plan.at_most is not None:
            return f"{REPEATED}{n}", rows.checked(check)
        return f"{OBJECTS}{n}", rows.objects(check)

    def outputs(self, rows: Rows, *, keys: bool, checks: bool, looking: bool) -> list[tuple[str, Element]]:
        """
        What `rows` gives of each row, with the names that it has.
        """
        outputs = self._outputs(rows) or [("only_constants", sa.literal_column("1"))]
        if checks:
            outputs += self._checked(rows, looking=looking)
        if keys and not self.plan.by:
            outputs += [(f"k{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(self.plan.row_key)]
        return outputs

    def limited(self, statement: sa.Select[Any], limit: int | None, offset: int) -> sa.Select[Any]:
        """
        A statement's rows from `offset` on, at most `limit` and no more than the template takes.
        """
        at_most = self.plan.at_most
        if at_most is not None:
            limit = max(0, min(limit if limit is not None else at_most, at_most - offset))
        if limit is not None:
            statement = statement.limit(sa.literal_column(str(int(limit))))
        return statement.offset(sa.literal_column(str(int(offset)))) if offset else statement

    def reads_all(self) -> bool:
        """
        Whether some rows take as many records as all of them: groups do, and rows in the order of a fold.
        """
        return bool(self.plan.by) or self.folds_first()

    def folds_first(self) -> bool:
        """
        Whether folds of all records are needed to know which rows come first.
        """
        cells = [o.cell for o in self.plan.order]
        cells += [c for s in self.plan.steps for c in cells_of(s.predicate) if not isinstance(s.predicate, Having)]
        cells += [t for c in cells if isinstance(c, Computed) for t in references_of(c.tree)]  # type: ignore[misc]
        return any(isinstance(c, Folded) and c.chain for c in cells)

    @property
    def reads_few(self) -> bool:
        """
        Whether all tables that the plan reads have few records, so that whatever is asked of them comes soon; False
        where that cannot be told.
        """
        plan, parts = self.plan, self._parts()
        if plan.rights is not None or not self._reads_its_own():
            return False
        targets = [r.target for r in plan.opened] + [w[-1].target for w in relations_of(parts, plan.opened)]
        types = [plan.record_type, *(plan.catalogue.record_types[name] for name in dict.fromkeys(targets))]
        return sum(FEW if t.rows_estimate is None else t.rows_estimate for t in types) < FEW

    def _parts(self) -> list[Cell | Predicate]:
        """
        All that rows are made of.
        """
        plan = self.plan
        parts: list[Cell | Predicate] = [c.cell for c in plan.columns]
        return parts + [o.cell for o in plan.order] + [b.cell for b in plan.by] + [s.predicate for s in plan.steps]

    def _reads_its_own(self) -> bool:
        """
        Whether a row is made of nothing but its record and those that this leads to one by one.
        """
        return all(_reads_its_own(p) for p in self._parts())

    def _outputs(self, rows: Rows) -> list[tuple[str, Element]]:
        outputs = [(f"c{n}", self._output(rows, c)) for n, c in self.plan.data_columns]
        for n, column in self.plan.data_columns:
            fault = self._fault(rows, column)
            if fault is not None:
                outputs.append((f"{FAULTS}{n}", fault))
        outputs += [(f"{LINKS}{n}", self._link(rows, c)) for n, c in self.plan.data_columns if c.link]
        if self.plan.split is not None:
            outputs.append((SPLIT, self._paper(rows.gathered(self.plan.split), self.plan.split)))
        return outputs

    def _checked(self, rows: Rows, *, looking: bool) -> list[tuple[str, Element]]:
        """
        What the checks of rows say, and what is known of the record to go with a finding.
        """
        checks = [n for n, c in enumerate(self.plan.row_checks) if not looking or self.is_marked(c)]
        outputs = [self.objection(rows, n) for n in checks]
        if self.plan.by or not checks:
            return outputs
        end, opened = self.plan.row_type, self.plan.opened
        if end.link:
            outputs.append((PAGE, self._address(rows, end.link, opened)))
        for label, name in ((TOUCHED, end.touched_by), (TITLE, end.title)):
            found = end.field_named(name or "")
            if found is not None:
                outputs.append((label, sa.cast(rows.scope.column(Route(opened, found)), sa.Text)))
        return outputs

    def is_marked(self, check: RowCheck) -> bool:
        """
        Whether a look at some rows says of each whether a check objects to it: what takes all rows to know, only where
        these are not many.
        """
        few = (self.plan.record_type.rows_estimate or FEW) < FEW
        return check.objects is not None and (few or not check.takes_all)

    def _link(self, rows: Rows, column: PlanColumn) -> Element:
        assert column.link is not None
        assert isinstance(column.cell, Read)
        return self._address(rows, column.link, column.cell.route.relations)

    @staticmethod
    def _address(rows: Rows, pattern: str, relations: tuple[Relation, ...]) -> Element:
        """
        The address of a record's page, NULL where a part of it is blank.
        """
        end = rows.plan.catalogue.record_types[relations[-1].target] if relations else rows.plan.record_type
        parts: list[Element] = [literal("")]
        for text, name in re.findall(r"([^{]*)(?:\{(\w+)\})?", pattern):
            if text:
                parts.append(literal(text))
            found = end.field_named(name) if name else None
            if found is not None:
                parts.append(sa.cast(rows.scope.column(Route(relations, found)), sa.Text))
        return rows.scope.dialect.joined_texts(*parts)

    def _fault(self, rows: Rows, column: PlanColumn) -> Element | None:
        """
        Whether a column has no result, or, of the last column of a spread, whether there are more values than columns.
        """
        cell = column.cell
        if isinstance(cell, Folded) and cell.how == "spread":
            last = max(c.number for c in self.plan.columns if c.id == column.id)
            return rows.value(replace(cell, number=last + 1)).is_not(None) if cell.number == last else None
        return rows.fault(cell)

    def all_keys(self) -> sa.Select[Any]:
        """
        The key of every row in the rows' order, as texts `k0`, `k1`…; not for groups.
        """
        bare = type(self)(replace(self.plan, columns=(), split=None))
        found = bare.rows(keys=True).subquery("found")
        return sa.select(*(c for c in found.c if c.name.startswith("k")))

    def sent(self, *, cells: bool) -> sa.Select[Any]:
        """
        Of every row the key of the plan's record, as texts `p0`, `p1`…, and, with `cells`, all that stands in the row,
        as texts `v0`, `v1`…; what makes a record known again. The rows of a record follow each other, and stand in no
        order otherwise. Not for groups.
        """
        rows = Rows(replace(self.plan, split=None), many=self.many)
        outputs: list[tuple[str, Element]] = [
            (f"p{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(self.plan.key)
        ]
        if cells:
            # A row of a child says whose it is, so that a child that goes to another record is a change of both.
            said = [self._told(rows, c) for _, c in self.plan.data_columns]
            said += [rows.scope.column(k) for k in self.plan.row_key] if self.plan.opened else []
            outputs += [(f"v{n}", sa.cast(v, sa.Text)) for n, v in enumerate(said)]
        several = bool(self.plan.opened) or self.plan.record_type.by_row
        return rows.select(outputs, [outputs[n][1] for n in range(len(self.plan.key))] if several else [])

    def _told(self, rows: Rows, column: PlanColumn) -> Element:
        """
        What stands in a cell, whatever zone a session is in.
        """
        if column.kind is Kind.FILE:
            # Another file of the same size is a change as well.
            return self.dialect.digest(rows.value(column.cell))
        value = self._output(rows, column)
        moment = column.field.stored == "timestamptz" and column.field.kind is Kind.MOMENT
        return self.dialect.local(value, ZoneInfo("UTC")) if moment else value

    def attached(self, route: Route) -> sa.Select[Any]:
        """
        The files at the end of `route`, a row each: `p0`… is the key of the plan's record, as texts, `name` what the
        record that holds the file is known by, NULL where that is not known, and `data` its bytes. Empty ones are left
        out.
        """
        rows = Rows(self.plan, many=True)
        outputs: list[tuple[str, Element]] = [
            (f"p{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(self.plan.key)
        ]
        end = self.plan.catalogue.record_types[route.relations[-1].target] if route.relations else self.plan.record_type
        title = end.field_named(end.title or "")
        named = rows.scope.column(Route(route.relations, title)) if title and route.relations else sa.null()
        data = rows.scope.column(route)
        outputs += [("name", sa.cast(named, sa.Text)), ("data", data)]
        order = [e for o in self.plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        return rows.select(outputs, order).where(data.is_not(None))

    def count_attached(self, route: Route) -> sa.Select[Any]:
        """
        How many files `attached` gives, as `files`.
        """
        rows = Rows(replace(self.plan, order=()), many=True)
        data = rows.scope.column(route)
        found = rows.select([("one", sa.literal_column("1"))], []).where(data.is_not(None)).subquery()
        return sa.select(sa.func.count().label("files")).select_from(found)

    def per_value(self, cell: Cell, *, limit: int = 200) -> sa.Select[Any]:
        """
        How many rows have each value of `cell`: `value`, as text with choices by their label, and `rows`; most first.
        """
        at_most = self.plan.at_most
        # Which rows there are depends on their order only where they are the first so many.
        plan = self.plan if at_most is not None else replace(self.plan, order=())
        rows = Rows(plan, many=self.many)
        value = rows.gathered(cell) if plan.by else rows.value(cell)
        order = [e for o in plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        found = rows.select([("value", self._paper(value, cell))], order)
        if at_most is not None:
            found = found.limit(sa.literal_column(str(at_most)))
        counted = found.subquery("counted")
        said, number = counted.c.value, sa.func.count()
        statement = sa.select(said.label("value"), number.label("rows")).group_by(said)
        return statement.order_by(number.desc(), said.asc()).limit(sa.literal_column(str(limit)))

    def count(self) -> sa.Select[Any]:
        """
        The number of rows of the file, in a column `rows`.
        """
        rows = Rows(self.plan, many=self.many)
        inner = rows.select([("one", sa.literal_column("1"))])
        if self.plan.at_most is not None:
            inner = inner.limit(sa.literal_column(str(self.plan.at_most)))
        return sa.select(sa.func.count().label("rows")).select_from(inner.subquery("counted"))

    def steps(self) -> sa.Select[Any]:
        """
        The number of steps of time that are filled, in a column `steps`.
        """
        return Rows(self.plan, many=self.many).steps()

    def _counted(self, where: Element) -> Element:
        """
        An aggregate: how many rows meet `where`.
        """
        return self.dialect.filtered(sa.func.count(), where)

    def _is_filled(self, cell: Cell) -> bool:
        """
        Whether no row of the file has NULL here: the database says so, or a step of the filter drops it. Empty texts
        are ordered as NULL, so of texts it is never known.
        """
        if not isinstance(cell, Read) or cell.field.stored == "text":
            return False
        if not cell.route.relations and not cell.field.nullable:
            return True
        return any(
            isinstance(step.predicate, Comparison)
            and step.predicate.cell == cell
            and not COMPARISONS[step.predicate.operator].keeps_blanks
            and (step.side == "parent" or not self.plan.keeps_childless)
            and (step.predicate.span is None or (step.predicate.span.start or step.predicate.span.end) is not None)
            for step in self.plan.steps
        )

    def _output(self, rows: Rows, column: PlanColumn) -> Element:
        gathers = column.id in {self.plan.columns[n].id for n in self.plan.groups}
        value = rows.gathered(column.cell) if gathers else rows.value(column.cell)
        return self._shown(rows.scope, value, column)

    def _shown(self, scope: Scope, value: Element, column: PlanColumn) -> Element:
        """
        A column's value on its way out: exact numbers as their text, scaled and rounded as shown.
        """
        show, found, dialect = column.show, column.field, scope.dialect
        factor, number = show.factor, column.kind.is_number
        if number and (factor is not None or found.stored != "integer"):
            value = dialect.exact(value, found)
            if factor is not None:
                # What is multiplied has digits of its own.
                value, found = dialect.scaled(value, factor, found), replace(found, scale=None)
            decimals = show.decimals if column.kind is Kind.DECIMAL or factor is not None else None
            if decimals is None and (is_computed(column.cell) or factor is not None):
                value = dialect.trimmed_number(value)
            return dialect.number_text(value, found, decimals, even=show.rounding == "half_even")
        # Exact decimals travel as their text; the driver's own way of unpacking them takes three times as long.
        return self._paper(value, column.cell)

    def _paper(self, value: Element, cell: Cell) -> Element:
        dialect, found = self.dialect, cell.field
        if found.kind is Kind.FILE:
            return dialect.size(value)
        if found.stored in ("numeric", "float"):
            exact = dialect.exact(value, found)
            exact = dialect.trimmed_number(exact) if is_computed(cell) else exact
            return dialect.number_text(exact, found, None, even=False)
        return dialect.paper(value, found)


def is_computed(cell: Cell) -> bool:
    """
    Whether a number has digits of its own, and not those that its field is kept with.
    """
    return isinstance(cell, Computed) or bool(cell.field.formula) or (isinstance(cell, Folded) and cell.how == "mean")


def _reads_its_own(part: Cell | Predicate) -> bool:
    """
    Whether a part reads nothing but its row's record and those that this leads to one by one.
    """
    if isinstance(part, Group):
        return all(_reads_its_own(p) for p in part.parts)
    if isinstance(part, Comparison):
        return _reads_its_own(part.cell)
    if isinstance(part, Computed):
        return all(_reads_its_own(t) for t in references_of(part.tree))  # type: ignore[arg-type]
    return isinstance(part, Read | Fixed | Stepped | Among)
