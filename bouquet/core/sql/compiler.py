"""
Plan → SQLAlchemy statements. Rows, counts, tally, trace and totals are made from the same parts, so they cannot
disagree.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, TypeAlias

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql

from bouquet.core.catalogue import Kind, RecordType, Relation, Route
from bouquet.core.formula import references_of
from bouquet.core.plan import (
    Cell,
    Comparison,
    Computed,
    Folded,
    Group,
    GroupBy,
    Having,
    Plan,
    PlanColumn,
    PlanOrder,
    Predicate,
    Read,
    RowCheck,
    Step,
    Stepped,
    relations_of,
)
from bouquet.core.sql.dialects import DIALECTS
from bouquet.core.sql.literals import literal
from bouquet.core.sql.scope import KEEPS_BLANKS, LOSES_BLANKS, Element, Maker, Scope
from bouquet.core.values import Value

__all__ = ["FAULTS", "LINKS", "OBJECTS", "PAGE", "SPLIT", "TITLE", "TOUCHED", "Answered", "Statements", "TallyStep"]

#: Names of hidden columns: what a file is split by, and, per column, whether it has no result and where it links to.
SPLIT, FAULTS, LINKS = "s0", "x", "l"

#: Of checks: whether each objects to the row, and of the record of the row its page, who last touched it, and what it
#: is known by.
OBJECTS, PAGE, TOUCHED, TITLE = "q", "h0", "w0", "n0"

#: Share of a record type's records from which on folds are joined, rather than looked up for each row.
MANY = 0.02


#: Counts by the way of a relation.
Counted: TypeAlias = tuple[tuple[tuple[Relation, ...], str], ...]


@dataclass(frozen=True)
class TallyStep:
    """
    One step of the tally, as the names its counts have in the tally statement's single row.

    `kind` is `all`, `filter`, `scope` (hidden by rights), `open` (children become rows) or `group` (records become
    groups). `blank` is given where the step's comparison drops blanks; `without` where records have no child.
    `empty` tells, of what the step leaves, by the way of each relation to one record that leads nowhere; `lost_empty`
    the same of what it leaves out.
    """

    kind: Literal["all", "filter", "scope", "open", "group"]
    step: Step | None
    count: str
    blank: str | None = None
    without: str | None = None
    empty: Counted = ()
    lost_empty: Counted = ()


@dataclass(frozen=True)
class Answered:
    """
    One step of a trace: the name of its answer in the trace's row, and of the values it saw.
    """

    step: Step
    holds: str
    saw: tuple[tuple[Cell, str], ...]


class _Rows:
    """
    The rows of a plan under construction: their scope, and the outputs made in it.
    """

    def __init__(self, plan: Plan, *, many: bool, exists: bool = True) -> None:
        self.plan = plan
        maker = Maker(plan.catalogue, plan.zone, DIALECTS[plan.catalogue.dialect], many=many, exists=exists)
        maker.rights = plan.rights
        self.scope = Scope(maker, plan.record_type, plan.opened, grouped=bool(plan.by))
        self.gaps = next((n for n, b in enumerate(plan.by) if b.fill_gaps), None)
        self.inner: list[tuple[str, Element]] = []

    # Cells as they stand in rows

    def value(self, cell: Cell) -> Element:
        """
        A cell of a row.
        """
        at = self._by_index(cell)
        if at is not None:
            return self._by_value(at)
        value = self._of_group(lambda: self.scope.value(cell)) if isinstance(cell, Computed) else self.scope.value(cell)
        if self.gaps is None:
            return value
        found = self._inside(value)
        count = isinstance(cell, Folded) and cell.how in ("count", "count_distinct")
        return sa.func.coalesce(found, sa.literal_column("0")) if count else found

    def fault(self, cell: Cell) -> Element | None:
        found = self.scope.fault(cell) if self._by_index(cell) is None else None
        return self._inside(found) if found is not None and self.gaps is not None else found

    def objects(self, check: RowCheck) -> Element:
        """
        Whether a check objects to a row; never NULL.
        """
        if check.objects is None:
            assert check.column is not None
            cell = self.plan.columns[check.column].cell
            value = self.gathered(cell)
            again = sa.func.count().over(partition_by=value) > sa.literal_column("1")
            return sa.and_(value.is_not(None), again)
        predicate = check.objects
        found = sa.func.coalesce(self._of_group(lambda: self.scope.holds(predicate)), sa.false())
        return found if self.gaps is None else sa.func.coalesce(self._inside(found), sa.false())

    def _of_group(self, make: Callable[[], Element]) -> Element:
        """
        What is made of a row's cells, those that groups are made by as the grouping has them.
        """
        self.scope.known = {b.cell: self.grouped(b) for b in self.plan.by}
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
        if cell.field.stored != "text" or not isinstance(cell, Read) or self._by_index(cell) is not None:
            return value
        return sa.case((sa.not_(self.scope.blank(cell)), value))

    def _by_index(self, cell: Cell) -> int | None:
        return next((n for n, b in enumerate(self.plan.by) if b.cell == cell), None)

    def _by_value(self, n: int) -> Element:
        if self.gaps is None:
            return self.grouped(self.plan.by[n])
        return sa.column("step") if n == self.gaps else sa.column(f"w{n}")

    def grouped(self, by: GroupBy) -> Element:
        """
        A value that groups are made by. Blank texts make one group.
        """
        value = self.scope.value(by.cell)
        if by.cell.field.stored == "text" and by.cell.field.nullable:
            return sa.case((sa.not_(self.scope.blank(by.cell)), value))
        return value

    def _inside(self, value: Element) -> Element:
        """
        A value made inside the grouping, as it is called outside.
        """
        label = next((known for known, made in self.inner if made is value), None)
        if label is None:
            label = f"v{len(self.inner)}"
            self.inner.append((label, value))
        return sa.column(label)

    # Statements

    def select(self, outputs: Sequence[tuple[str, Element]], order: Sequence[Element] = ()) -> sa.Select[Any]:
        """
        The rows with these outputs; call it when every part has been made.
        """
        if self.gaps is not None:
            return self._with_gaps(outputs).order_by(*order)
        statement = sa.select(*(e.label(label) for label, e in outputs))
        parents, children = self._conditions()
        if not self.plan.by:
            keep = self.plan.keeps_childless
            statement = statement.select_from(self.scope.from_clause(keep=keep, on=children if keep else None))
            return statement.where(*parents, *([] if keep else children)).order_by(*order)
        by = [self.grouped(b) for b in self.plan.by]
        statement = statement.select_from(self.scope.from_clause()).where(*parents).group_by(*by)
        return (statement.having(*children) if children else statement).order_by(*order)

    def _conditions(self) -> tuple[list[Element], list[Element]]:
        """
        What narrows records, and what narrows children or groups.
        """
        holds = [(s.side, self.scope.holds(s.predicate)) for s in self.plan.steps]
        return [h for side, h in holds if side == "parent"], [h for side, h in holds if side == "child"]

    def _with_gaps(self, outputs: Sequence[tuple[str, Element]]) -> sa.Select[Any]:
        """
        Every step of the window beside every combination of the other values, whether there is a group or not.
        """
        assert self.gaps is not None
        by = self.plan.by[self.gaps]
        parents, _ = self._conditions()
        values = [self.grouped(b) for b in self.plan.by]
        inner = sa.select(*(v.label(f"g{n}") for n, v in enumerate(values)), *(e.label(n) for n, e in self.inner))
        groups = inner.select_from(self.scope.from_clause()).where(*parents).group_by(*values).cte("groups")
        others = [n for n in range(len(values)) if n != self.gaps]
        combined = sa.select(*(groups.c[f"g{n}"].label(f"w{n}") for n in others)).distinct().subquery("others")
        steps = self._series(by, groups, f"g{self.gaps}").subquery("steps")
        on = [groups.c[f"g{self.gaps}"] == steps.c.step]
        on += [groups.c[f"g{n}"].is_not_distinct_from(combined.c[f"w{n}"]) for n in others]
        whole: sa.FromClause = steps.join(combined, sa.true()) if others else steps
        whole = whole.outerjoin(groups, sa.and_(*on))
        return sa.select(*(e.label(label) for label, e in outputs)).select_from(whole)

    def _series(self, by: GroupBy, groups: sa.CTE, name: str) -> sa.Select[Any]:
        """
        The steps of the window, or from the first group to the last where the window is open.
        """
        cell = by.cell
        assert isinstance(cell, Stepped)
        column = groups.c[name]
        dated = cell.field.kind is Kind.DATE
        bounds: list[Element] = []
        for moment, pick in ((by.span.start if by.span else None, "min"), (by.span.end if by.span else None, "max")):
            found = sa.select(getattr(sa.func, pick)(column)).scalar_subquery()
            if moment is None:
                bounds.append(found)
            elif dated:
                bounds.append(self.scope.step(literal(moment.replace(tzinfo=None)), _unzoned(cell)))
            else:
                zoned = moment if cell.field.kind is Kind.MOMENT else moment.replace(tzinfo=None)
                bounds.append(self.scope.step(literal(zoned), cell))
        length = {"quarter": "3 months"}.get(cell.unit, f"{cell.count} {cell.unit}")
        first, last = (sa.cast(b, sa.DateTime) if dated else b for b in bounds)
        made = sa.func.generate_series(first, last, sa.cast(literal(length), postgresql.INTERVAL()))
        step: Element = sa.cast(made, sa.Date) if dated else made
        inner = sa.select(step.label("step")).subquery("every")
        statement = sa.select(inner.c.step)
        if by.span is not None and by.span.end is not None:
            end = by.span.end.replace(tzinfo=None) if dated or cell.field.kind is not Kind.MOMENT else by.span.end
            statement = statement.where(inner.c.step < literal(end))
        return statement


class Statements:
    """
    The statements of one plan.

    Args:
        expected: Rows that will be read, where that is known; it decides how folds are made, not what they come to.
    """

    def __init__(self, plan: Plan, *, expected: int | None = None) -> None:
        self.plan = plan
        estimate = plan.record_type.rows_estimate or 0
        self.many = expected is None or expected > max(200, MANY * estimate)

    # Rows

    def rows(
        self, *, limit: int | None = None, offset: int = 0, keys: bool = False, checks: bool = False
    ) -> sa.Select[Any]:
        """
        The rows of the file in their order: one column `c0`, `c1`… per column of the sheet that is not a constant.

        Hidden columns follow: `x0`, `x1`… say of columns that can fail whether they did, `s0` is what the file is
        split by; with `keys`, `k0`… are the key of what a row stands for, as texts, where rows are no groups. With
        `checks`, `q0`… say whether each check of rows objects, and `h0`, `w0` and `n0` are the page of the row's
        record, who last touched it and what it is known by, where the catalogue knows; a look at some rows leaves out
        what takes all rows to know.
        """
        rows = _Rows(self.plan, many=self.many and (limit is None or self._folds_first()))
        outputs = self._outputs(rows) or [("only_constants", sa.literal_column("1"))]
        if checks:
            outputs += self._checked(rows, looking=limit is not None)
        if keys and not self.plan.by:
            outputs += [(f"k{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(self.plan.row_key)]
        order = [e for o in self.plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        at_most = self.plan.at_most
        if at_most is not None:
            limit = max(0, min(limit if limit is not None else at_most, at_most - offset))
        statement = rows.select(outputs, order)
        if limit is not None:
            statement = statement.limit(sa.literal_column(str(int(limit))))
        return statement.offset(sa.literal_column(str(int(offset)))) if offset else statement

    def _folds_first(self) -> bool:
        """
        Whether folds of all records are needed to know which rows come first.
        """
        cells = [o.cell for o in self.plan.order]
        cells += [c for s in self.plan.steps for c in _cells_of(s.predicate) if not isinstance(s.predicate, Having)]
        cells += [t for c in cells if isinstance(c, Computed) for t in references_of(c.tree)]  # type: ignore[misc]
        return any(isinstance(c, Folded) and c.chain for c in cells)

    def _outputs(self, rows: _Rows) -> list[tuple[str, Element]]:
        outputs = [(f"c{n}", self._output(rows, c)) for n, c in self.plan.data_columns]
        for n, column in self.plan.data_columns:
            fault = self._fault(rows, column)
            if fault is not None:
                outputs.append((f"{FAULTS}{n}", fault))
        outputs += [(f"{LINKS}{n}", self._link(rows, c)) for n, c in self.plan.data_columns if c.link]
        if self.plan.split is not None:
            outputs.append((SPLIT, self._paper(rows.gathered(self.plan.split), self.plan.split)))
        return outputs

    def _checked(self, rows: _Rows, *, looking: bool) -> list[tuple[str, Element]]:
        """
        What the checks of rows say, and what is known of the record to go with a finding.
        """
        checks = [(n, c) for n, c in enumerate(self.plan.row_checks) if c.objects is not None or not looking]
        outputs = [(f"{OBJECTS}{n}", rows.objects(c)) for n, c in checks]
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

    def _link(self, rows: _Rows, column: PlanColumn) -> Element:
        assert column.link is not None
        assert isinstance(column.cell, Read)
        return self._address(rows, column.link, column.cell.route.relations)

    @staticmethod
    def _address(rows: _Rows, pattern: str, relations: tuple[Relation, ...]) -> Element:
        """
        The address of a record's page, NULL where a part of it is blank.
        """
        end = rows.plan.catalogue.record_types[relations[-1].target] if relations else rows.plan.record_type
        address: Element = literal("")
        for text, name in re.findall(r"([^{]*)(?:\{(\w+)\})?", pattern):
            address = address.op("||", return_type=sa.Text())(literal(text)) if text else address
            found = end.field_named(name) if name else None
            if found is not None:
                value = rows.scope.column(Route(relations, found))
                address = address.op("||", return_type=sa.Text())(sa.cast(value, sa.Text))
        return address

    def _fault(self, rows: _Rows, column: PlanColumn) -> Element | None:
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
        bare = Statements(replace(self.plan, columns=(), split=None))
        found = bare.rows(keys=True).subquery("found")
        return sa.select(*(c for c in found.c if c.name.startswith("k")))

    # Checks

    def _objecting(self, also: Sequence[PlanColumn] = ()) -> sa.Subquery:
        rows = _Rows(self.plan, many=True)
        outputs = [(f"{OBJECTS}{n}", rows.objects(c)) for n, c in enumerate(self.plan.row_checks)]
        outputs += [(f"v{n}", self._output(rows, c)) for n, c in enumerate(also)]
        if also and not self.plan.by:
            outputs += [(f"k{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(self.plan.row_key)]
        at_most = self.plan.at_most
        order = self.plan.order if at_most is not None else ()
        found = rows.select(outputs, [e for o in order for e in rows.order(o, filled=self._is_filled(o.cell))])
        if at_most is not None:
            found = found.limit(sa.literal_column(str(at_most)))
        return found.subquery("checked")

    def objections(self) -> sa.Select[Any]:
        """
        How many rows each check of rows objects to, as `q0`, `q1`…, and all rows as `rows`, in a single row.
        """
        found = self._objecting()
        counts: list[Element] = [
            sa.func.count().filter(found.c[f"{OBJECTS}{n}"]).label(f"{OBJECTS}{n}")
            for n in range(len(self.plan.row_checks))
        ]
        counts.append(sa.func.count().label("rows"))
        return sa.select(*counts).select_from(found)

    def repeated(self, n: int, values: Sequence[Any]) -> sa.Select[Any]:
        """
        Which of some values of a check's column, as `rows` gives them, stand in more than one row: `value`.
        """
        at = self.plan.row_checks[n].column
        assert at is not None
        column = self.plan.columns[at]
        rows = _Rows(self.plan, many=True)
        found = rows.select([("value", self._output(rows, column))]).subquery("values")
        wanted = found.c.value.in_([literal(v, None if isinstance(v, str) else column.field.stored) for v in values])
        counted = sa.select(found.c.value).where(wanted).group_by(found.c.value)
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

    # Attachments

    def attached(self, route: Route) -> sa.Select[Any]:
        """
        The files at the end of `route`, a row each: `p0`… is the key of the plan's record, as texts, `name` what the
        record that holds the file is known by, NULL where that is not known, and `data` its bytes. Empty ones are left
        out.
        """
        rows = _Rows(self.plan, many=True)
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

    def per_value(self, cell: Cell, *, limit: int = 200) -> sa.Select[Any]:
        """
        How many rows have each value of `cell`: `value`, as text with choices by their label, and `rows`; most first.
        """
        at_most = self.plan.at_most
        # Which rows there are depends on their order only where they are the first so many.
        plan = self.plan if at_most is not None else replace(self.plan, order=())
        rows = _Rows(plan, many=self.many)
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
        rows = _Rows(self.plan, many=self.many)
        inner = rows.select([("one", sa.literal_column("1"))])
        if self.plan.at_most is not None:
            inner = inner.limit(sa.literal_column(str(self.plan.at_most)))
        return sa.select(sa.func.count().label("rows")).select_from(inner.subquery("counted"))

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
            and step.predicate.operator not in KEEPS_BLANKS
            and (step.side == "parent" or not self.plan.keeps_childless)
            and (step.predicate.span is None or (step.predicate.span.start or step.predicate.span.end) is not None)
            for step in self.plan.steps
        )

    def _output(self, rows: _Rows, column: PlanColumn) -> Element:
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
                value = value.op("*")(sa.cast(literal(factor), sa.Numeric))
            decimals = show.decimals if column.kind is Kind.DECIMAL or factor is not None else None
            if decimals is None and (isinstance(column.cell, Computed) or factor is not None):
                value = sa.func.trim_scale(value)
            return dialect.number_text(value, found, decimals, even=show.rounding == "half_even")
        # Exact decimals travel as their text; the driver's own way of unpacking them takes three times as long.
        return self._paper(value, column.cell)

    def _paper(self, value: Element, cell: Cell) -> Element:
        dialect, found = DIALECTS[self.plan.catalogue.dialect], cell.field
        if found.stored in ("numeric", "float"):
            return dialect.number_text(dialect.exact(value, found), found, None, even=False)
        return dialect.paper(value, found)

    # Tally

    def tally(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        """
        One pass that counts all records and what is left after each step.
        """
        if self.plan.opened:
            return self._tally_of_children()
        if self.plan.by:
            return self._tally_of_groups()
        return self._tally_of_records()

    def _tally_of_records(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        scope = _Rows(replace(self.plan, by=()), many=True, exists=False).scope
        counts: list[Element] = [sa.func.count().label("all_records")]

        def empty(name: str, ways: Sequence[tuple[Relation, ...]], *where: Element) -> Counted:
            for k, way in enumerate(ways):
                found = sa.and_(*so_far, scope.missing(way), *where)
                counts.append(sa.func.count().filter(found).label(f"{name}{k}"))
            return tuple((way, f"{name}{k}") for k, way in enumerate(ways))

        so_far: list[Element] = []
        steps = [TallyStep("all", None, "all_records", empty=empty("ea", self._relations_used()))]
        for n, step in enumerate(s for s in self.plan.steps if s.side == "parent"):
            blank, holds = self._lost_blank(scope, step), scope.holds(step.predicate)
            if blank is not None:
                counts.append(sa.func.count().filter(sa.and_(*so_far, blank)).label(f"b{n}"))
            lost = empty(f"e{n}_", self._lost_by(step), _not(holds))
            so_far.append(holds)
            counts.append(sa.func.count().filter(sa.and_(*so_far)).label(f"n{n}"))
            blank_name = f"b{n}" if blank is not None else None
            steps.append(TallyStep(_kind(step), step, f"n{n}", blank_name, lost_empty=lost))
        if len(steps) > 1:
            steps[-1] = replace(steps[-1], empty=empty("el", self._relations_used(shown=True)))
        return sa.select(*counts).select_from(scope.from_clause()), steps

    @staticmethod
    def _lost_blank(scope: Scope, step: Step) -> Element | None:
        part = step.predicate
        return scope.blank(part.cell) if isinstance(part, Comparison) and part.operator in LOSES_BLANKS else None

    def _lost_by(self, step: Step) -> list[tuple[Relation, ...]]:
        """
        The relations whose leading nowhere may be why a step leaves a record out. Steps of a person's rights do not
        tell.
        """
        return [] if step.hidden else self._may_be_empty(relations_of([step.predicate], self.plan.opened))

    def _relations_used(self, *, shown: bool = False) -> tuple[tuple[Relation, ...], ...]:
        """
        The relations to one record that the template uses and that may lead nowhere; `shown` leaves out those that only
        the filter uses.
        """
        plan = self.plan
        parts: list[Cell | Predicate] = [c.cell for c in plan.columns]
        parts += [o.cell for o in plan.order] + [b.cell for b in plan.by]
        if not shown:
            parts += [s.predicate for s in plan.steps if not s.hidden]
        return tuple(self._may_be_empty(relations_of(parts, plan.opened)))

    def _may_be_empty(self, ways: Sequence[tuple[Relation, ...]]) -> list[tuple[Relation, ...]]:
        return [w for w in ways if not self._is_always_there(w)]

    def _is_always_there(self, way: tuple[Relation, ...]) -> bool:
        """
        Whether the database itself promises that a relation leads somewhere.
        """
        types = self.plan.catalogue.record_types
        holder = types[way[-2].target] if len(way) > 1 else self.plan.record_type
        fields = {f.column: f for f in holder.fields if not f.is_custom}
        needed = all(own in fields and not fields[own].nullable for own, _ in way[-1].pairs)
        return way[-1].declared and needed

    def _tally_of_groups(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        records, steps = self._tally_of_records()
        first = records.subquery("records")
        plan, later = self.plan, [s for s in self.plan.steps if s.side == "child"]
        steady = tuple(replace(b, fill_gaps=False) for b in plan.by)
        rows = _Rows(replace(plan, by=steady, steps=tuple(s for s in plan.steps if s.side == "parent")), many=True)
        outputs = [(f"h{n}", rows.scope.holds(s.predicate)) for n, s in enumerate(later)]
        groups = rows.select([("one", sa.literal_column("1")), *outputs]).subquery("grouped")
        counts: list[Element] = [sa.func.count().label("all_groups")]
        steps.append(TallyStep("group", None, "all_groups"))
        for n, step in enumerate(later):
            holds = sa.and_(*(groups.c[f"h{k}"] for k in range(n + 1)))
            counts.append(sa.func.count().filter(holds).label(f"g{n}"))
            steps.append(TallyStep("filter", step, f"g{n}"))
        second = sa.select(*counts).select_from(groups).subquery("groups")
        return sa.select(first, second).select_from(first.join(second, sa.true())), steps

    def _tally_of_children(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        """
        Children are counted per record first, so that records without any are known, and records count once.
        """
        plan = self.plan
        scope = _Rows(plan, many=True, exists=False).scope
        parents = [s for s in plan.steps if s.side == "parent"]
        children = [s for s in plan.steps if s.side == "child"]
        child = scope.child_key().is_not(None)
        inner: list[tuple[str, Element]] = []
        for n, step in enumerate(parents):
            blank = self._lost_blank(scope, step)
            holds_here = scope.holds(step.predicate)
            inner.append((f"p{n}", scope.dialect.some(holds_here)))
            for k, way in enumerate(self._lost_by(step)):
                inner.append((f"pe{n}_{k}", scope.dialect.some(sa.and_(scope.missing(way), _not(holds_here)))))
            if blank is not None:
                inner.append((f"pb{n}", scope.dialect.some(blank)))
        so_far: list[Element] = [child]
        inner.append(("c0", sa.func.count().filter(child)))
        for n, step in enumerate(children, 1):
            blank = self._lost_blank(scope, step)
            if blank is not None:
                inner.append((f"cb{n}", sa.func.count().filter(sa.and_(*so_far, blank))))
            holds_here = scope.holds(step.predicate)
            for k, way in enumerate(self._lost_by(step)):
                lost = sa.and_(*so_far, scope.missing(way), _not(holds_here))
                inner.append((f"ce{n}_{k}", sa.func.count().filter(lost)))
            so_far.append(holds_here)
            inner.append((f"c{n}", sa.func.count().filter(sa.and_(*so_far))))
        opened = tuple(r.name for r in plan.opened[: scope.first_many + 1])
        shown = self._relations_used(shown=True)
        of_children = [w for w in shown if tuple(r.name for r in w)[: len(opened)] == opened]
        of_records = [w for w in shown if w not in of_children]
        inner += [(f"ea{k}", scope.dialect.some(scope.missing(w))) for k, w in enumerate(of_records)]
        for k, way in enumerate(of_children):
            inner.append((f"ec{k}", sa.func.count().filter(sa.and_(*so_far, scope.missing(way)))))
        keys = [scope.column(k) for k in plan.key]
        made = sa.select(*(e.label(name) for name, e in inner)).select_from(scope.from_clause(keep=True))
        per = made.group_by(*keys).subquery("per_record")
        counts: list[Element] = [sa.func.count().label("all_records")]
        steps = [TallyStep("all", None, "all_records", empty=tuple((w, f"ea{k}") for k, w in enumerate(of_records)))]
        counts += [sa.func.count().filter(per.c[f"ea{k}"]).label(f"ea{k}") for k in range(len(of_records))]
        holds: list[Element] = []
        for n, step in enumerate(parents):
            blank_name = f"b{n}" if f"pb{n}" in per.c else None
            if blank_name:
                counts.append(sa.func.count().filter(sa.and_(*holds, per.c[f"pb{n}"])).label(blank_name))
            lost_parents = tuple((w, f"pe{n}_{k}") for k, w in enumerate(self._lost_by(step)))
            for _, name in lost_parents:
                counts.append(sa.func.count().filter(sa.and_(*holds, per.c[name])).label(name))
            holds.append(per.c[f"p{n}"])
            counts.append(sa.func.count().filter(sa.and_(*holds)).label(f"n{n}"))
            steps.append(TallyStep(_kind(step), step, f"n{n}", blank_name, lost_empty=lost_parents))
        zero: Element = sa.literal_column("0")
        one: Element = sa.literal_column("1")

        def counted(found: Element) -> Element:
            total = Scope.filtered(sa.func.sum(found), *holds)
            return sa.cast(sa.func.coalesce(total, zero), sa.BigInteger)

        for n in range(len(children) + 1):
            rows = per.c[f"c{n}"]
            counts.append(
                counted(sa.case((rows > zero, rows), else_=one) if plan.keeps_childless else rows).label(f"r{n}")
            )
            counts.append(sa.func.count().filter(sa.and_(*holds, rows == zero)).label(f"w{n}"))
            blank_name = f"rb{n}" if f"cb{n}" in per.c else None
            if blank_name:
                counts.append(counted(per.c[f"cb{n}"]).label(blank_name))
            step_of = children[n - 1] if n else None
            kind: Literal["filter", "open"] = "filter" if n else "open"
            lost_rows = tuple((w, f"ce{n}_{k}") for k, w in enumerate(self._lost_by(step_of))) if step_of else ()
            counts += [counted(per.c[name]).label(name) for _, name in lost_rows]
            steps.append(TallyStep(kind, step_of, f"r{n}", blank_name, f"w{n}", lost_empty=lost_rows))
        counts += [counted(per.c[f"ec{k}"]).label(f"ec{k}") for k in range(len(of_children))]
        steps[-1] = replace(steps[-1], empty=tuple((w, f"ec{k}") for k, w in enumerate(of_children)))
        return sa.select(*counts).select_from(per), steps

    # Trace

    def trace(self, key: Sequence[Value], *, child: bool = False) -> tuple[sa.Select[Any], list[Answered]]:
        """
        One record of the type, or, with `child`, one record that rows stand for: what each step saw of it, and whether
        it let it pass. The statement gives no row where there is no such record.
        """
        rows = _Rows(replace(self.plan, by=()), many=False)
        scope, keys = rows.scope, self.plan.row_key if child else self.plan.key
        outputs: list[tuple[str, Element]] = []
        steps = []
        for n, step in enumerate(s for s in self.plan.steps if child or s.side == "parent"):
            outputs.append((f"h{n}", sa.func.coalesce(scope.holds(step.predicate), sa.false())))
            saw = []
            for k, cell in enumerate(_cells_of(step.predicate)):
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
        rows = _Rows(replace(plan, steps=tuple(s for s in plan.steps if s.side == "parent")), many=True)
        outputs = [(f"g{n}", rows.grouped(b)) for n, b in enumerate(plan.by)]
        steps = []
        for n, step in enumerate(later):
            outputs.append((f"h{n}", sa.func.coalesce(rows.scope.holds(step.predicate), sa.false())))
            saw = []
            for k, cell in enumerate(_cells_of(step.predicate)):
                outputs.append((f"v{n}_{k}", sa.cast(self._trace_value(rows.scope, cell), sa.Text)))
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
        rows = _Rows(replace(plan, by=()), many=False)
        values = [rows.grouped(b).label(f"g{n}") for n, b in enumerate(plan.by)]
        found = [
            rows.scope.column(r) == rows.scope.dialect.literal(v, r.field.stored)
            for r, v in zip(plan.key, key, strict=True)
        ]
        return sa.select(*values).select_from(rows.scope.from_clause()).where(*found).limit(1).subquery("own")

    def _ranked_groups(self, plan: Plan) -> sa.Subquery:
        rows = _Rows(replace(plan, at_most=None), many=True)
        order = [e for o in plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        outputs: list[tuple[str, Element]] = [(f"g{n}", rows.grouped(b)) for n, b in enumerate(plan.by)]
        outputs.append(("position", sa.func.row_number().over(order_by=order)))
        return rows.select(outputs).subquery("ranked")

    @staticmethod
    def _trace_value(scope: Scope, cell: Cell) -> Element:
        value, found = scope.value(cell), cell.field
        if found.kind is Kind.CHOICE:
            return scope.label_of(value, found)
        return scope.dialect.local(value, scope.maker.zone) if found.kind is Kind.MOMENT else value

    def keys_of(self, title: str, *, child: bool = False, limit: int = 5) -> sa.Select[Any] | None:
        """
        The keys of records whose title field says `title`, as texts `k0`, `k1`…; None where the type has no title.
        """
        record_type = self.plan.row_type if child else self.plan.record_type
        found = record_type.field_named(record_type.title or "")
        if found is None:
            return None
        scope = Scope(_Rows(self.plan, many=False).scope.maker, record_type)
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
        scope = _Rows(self.plan, many=False).scope
        keys = self.plan.row_key
        outputs: list[Element] = [sa.cast(scope.column(k), sa.Text).label(f"k{n}") for n, k in enumerate(keys)]
        found = [scope.column(r) == literal(v, r.field.stored) for r, v in zip(self.plan.key, key, strict=True)]
        found += self._theirs(scope, self.plan.record_type)
        statement = sa.select(*outputs).select_from(scope.from_clause()).where(*found)
        statement = statement.order_by(*(scope.column(k).asc() for k in keys))
        return statement.limit(sa.literal_column(str(limit)))

    def position(self, key: Sequence[Value]) -> sa.Select[Any]:
        """
        The position, from 1, of the row with a key among all rows, in a column `position`; for "the first n".
        """
        plan = replace(self.plan, at_most=None)
        rows = _Rows(plan, many=False)
        order = [e for o in plan.order for e in rows.order(o, filled=self._is_filled(o.cell))]
        outputs: list[tuple[str, Element]] = [("position", sa.func.row_number().over(order_by=order))]
        outputs += [(f"k{n}", rows.scope.column(r)) for n, r in enumerate(plan.row_key)]
        ranked = rows.select(outputs).subquery("ranked")
        found = [
            ranked.c[f"k{n}"] == literal(v, r.field.stored)
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
        rows = _Rows(before, many=False)
        keys = self.plan.row_key if child else self.plan.key
        end = self.plan.row_type if child else self.plan.record_type
        title = end.field_named(end.title or "")
        outputs = [(f"k{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(keys)]
        if title is not None:
            relations = self.plan.opened if child else ()
            outputs.append(("title", sa.cast(rows.scope.column(Route(relations, title)), sa.Text)))
        for n, cell in enumerate(self.seen_by(place)):
            outputs.append((f"v{n}", sa.cast(self._trace_value(rows.scope, cell), sa.Text)))
        stopped = sa.not_(sa.func.coalesce(rows.scope.holds(steps[at].predicate), sa.false()))
        statement = rows.select(outputs, [rows.scope.column(k).asc() for k in keys]).where(stopped)
        return statement.limit(sa.literal_column(str(limit)))

    def seen_by(self, place: str) -> tuple[Cell, ...]:
        """
        The cells that the step at `place` looks at.
        """
        return _cells_of(next(s.predicate for s in self.plan.steps if s.place == place))

    def without_children(self, *, limit: int = 50) -> sa.Select[Any]:
        """
        Records that meet the filter but have no child that does, where rows stand for children: `k0`… and `title`.
        """
        plan = self.plan
        childless = replace(plan, keeps_childless=True, order=(), at_most=None, by=())
        rows = _Rows(childless, many=False)
        outputs = [(f"k{n}", sa.cast(rows.scope.column(k), sa.Text)) for n, k in enumerate(plan.key)]
        title = plan.record_type.field_named(plan.record_type.title or "")
        if title is not None:
            outputs.append(("title", sa.cast(rows.scope.column(Route((), title)), sa.Text)))
        none = [rows.scope.column(k).is_(None) for k in plan.row_key]
        statement = rows.select(outputs, [rows.scope.column(k).asc() for k in plan.key]).where(*none)
        return statement.limit(sa.literal_column(str(limit)))

    # Totals

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
            outputs.append(_TOTALS[how or plan.columns[n].total or "sum"](inner.c[f"n{n}"]).label(f"t{n}"))
        outputs = outputs or [sa.func.count().label("rows")]
        return sa.select(*outputs).select_from(inner).group_by(*(inner.c[n] for n in names))

    def _numbered(
        self, columns: list[int], groups: Sequence[int] = (), once_by: Sequence[Route] = (), *, by_split: bool = False
    ) -> sa.Select[Any]:
        """
        The rows of the file with the numbers of some columns as numbers, and what they are grouped by.
        """
        plan = self.plan
        rows = _Rows(plan, many=self.many)
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
            outputs.append((f"n{n}", sa.cast(value, sa.Numeric) if column.kind.is_number else value))
        if not outputs and plan.split is not None:
            outputs.append((SPLIT, self._paper(rows.gathered(plan.split), plan.split)))
            outputs.append(("at", sa.func.row_number().over(order_by=order)))
        statement = rows.select(outputs or [("one", sa.literal_column("1"))], order if plan.at_most is not None else ())
        return statement.limit(sa.literal_column(str(plan.at_most))) if plan.at_most is not None else statement


def _not(found: Element) -> Element:
    return sa.not_(sa.func.coalesce(found, sa.false()))


def _same_group(these: sa.FromClause, those: sa.FromClause, size: int) -> Element:
    return sa.and_(*(these.c[f"g{n}"].is_not_distinct_from(those.c[f"g{n}"]) for n in range(size)))


_TOTALS: dict[str, Callable[[Element], Element]] = {
    "sum": lambda v: sa.cast(sa.func.sum(v), sa.Text),
    "mean": lambda v: sa.cast(sa.func.avg(v), sa.Text),
    "count": lambda v: sa.cast(sa.func.count(v), sa.Text),
    "least": lambda v: sa.cast(sa.func.min(v), sa.Text),
    "greatest": lambda v: sa.cast(sa.func.max(v), sa.Text),
}


def _kind(step: Step) -> Literal["filter", "scope"]:
    return "scope" if step.hidden else "filter"


def _unzoned(cell: Stepped) -> Stepped:
    """
    The same step of a wall-clock value.
    """
    plain = replace(cell.route.field, kind=Kind.TIMESTAMP)
    return replace(cell, route=replace(cell.route, field=plain, aspect=""))


def _cells_of(predicate: Predicate) -> tuple[Cell, ...]:
    """
    The cells that a predicate looks at, each once.
    """
    if isinstance(predicate, Group):
        return tuple(dict.fromkeys(c for p in predicate.parts for c in _cells_of(p)))
    cell = getattr(predicate, "cell", None) or getattr(predicate, "fold", None)
    if cell is None:
        return ()
    if isinstance(cell, Computed):
        return tuple(dict.fromkeys(references_of(cell.tree)))  # type: ignore[arg-type]
    return (cell,)
