"""
Resolve a template against a catalogue: every path, value and window, or every problem.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any

from bouquet.core import formula
from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, Route
from bouquet.core.errors import PlanError, Problem, WayOut, nearest
from bouquet.core.naming import check_pattern
from bouquet.core.patterns import PatternError, parse_date_pattern
from bouquet.core.plan.along import Along
from bouquet.core.plan.checks import Checks
from bouquet.core.plan.demands import check_demands
from bouquet.core.plan.filters import OPERATORS, Filters
from bouquet.core.plan.folds import Folds
from bouquet.core.plan.ground import Ground, answer_to, opened_by
from bouquet.core.plan.model import (
    Cell,
    Comparison,
    Computed,
    Context,
    Fixed,
    Folded,
    GroupBy,
    Permitted,
    Plan,
    PlanColumn,
    PlanOrder,
    Predicate,
    Read,
    Step,
    Stepped,
    routes_of,
)
from bouquet.core.plan.style import shown
from bouquet.core.rights import Rights
from bouquet.core.template import (
    HEADING_LENGTH,
    AllOf,
    AnyOf,
    By,
    Column,
    Constant,
    FieldValue,
    Fold,
    FoldValue,
    FormulaValue,
    Narrowing,
    Order,
    PerChild,
    PerGroup,
    PerRecord,
    Template,
    folder_formula,
)
from bouquet.core.values import read_value
from bouquet.core.windows import Span

__all__ = ["OPERATORS", "Resolution", "resolve"]

_CLOCK_STEPS = ("minute", "hour")
_MINUTES = (1, 2, 3, 4, 5, 6, 10, 12, 15, 20, 30)

_FORMULA_KINDS = {
    formula.Type.NUMBER: (Kind.DECIMAL, "numeric"),
    formula.Type.TEXT: (Kind.TEXT, "text"),
    formula.Type.YES_NO: (Kind.BOOLEAN, "boolean"),
    formula.Type.DATE: (Kind.DATE, "date"),
    formula.Type.MOMENT: (Kind.TIMESTAMP, "timestamp"),
    formula.Type.TIME: (Kind.TIME, "time"),
}


@dataclass
class Resolution:
    """
    What came of resolving: the plan when it can be run, and all problems met.

    `partial` is there when row rule, filter and order are sound: a plan of the columns that are sound, for looking
    while designing. `notes` do not stop a run; they are worth a look.
    """

    plan: Plan | None
    problems: list[Problem]
    partial: Plan | None = None
    notes: list[Problem] = field(default_factory=list)

    def require(self) -> Plan:
        """
        The plan, or a `PlanError` with every problem.
        """
        if self.plan is None:
            raise PlanError(self.problems)
        return self.plan


def resolve(template: Template, catalogue: Catalogue, context: Context) -> Resolution:
    """
    Resolve `template` against `catalogue` for one as-of moment.
    """
    record_type = catalogue.record_types.get(template.records)
    if record_type is None:
        candidates = nearest(template.records, list(catalogue.record_types))
        hint = f" Did you mean {', '.join(candidates)}?" if candidates else ""
        message = f"{catalogue.title} has no record type “{template.records}”.{hint}"
        unknown = Problem(code="unknown_record_type", message=message, place="records", candidates=candidates)
        return Resolution(None, [unknown])
    attached = template.output.attachments
    if attached is not None and record_type.key and isinstance(template.rows, PerRecord):
        value = folder_formula(attached.folder, record_type.key)
        link = Column(id="attachments", heading=attached.heading, value=value)
        template = template.model_copy(update={"columns": (*template.columns, link)})
    ground = Ground(template, catalogue, record_type, context)
    ground.opened = opened_by(ground)
    return _Resolver(ground).resolve()


#: Parts of a document whose problems leave nothing to look at.
_NEEDED = ("records", "rows", "filter", "order", "asks", "output.split", "output.reader")


class _Resolver:
    def __init__(self, ground: Ground) -> None:
        self.ground, self.template, self.start = ground, ground.template, ground.start
        self.catalogue, self.context = ground.catalogue, ground.context
        self.cells: dict[int, Cell | None] = {}
        self.under_way: list[int] = []
        self.by = self._by()

    def resolve(self) -> Resolution:
        ground, template, opened = self.ground, self.template, self.ground.opened
        row_type = self.catalogue.record_types[opened[-1].target] if opened else self.start
        columns = self._columns()
        steps = self._steps()
        key = self.catalogue.key_of(self.start)
        row_key = self.catalogue.key_of(row_type, opened) if opened else key
        split = self._split()
        groups = self._reader_groups(columns)
        ends: list[Cell] = [b.cell for b in self.by] or [Read(k) for k in dict.fromkeys((*key, *row_key))]
        order = self._order([c for c in (split,) if c] + [columns[n].cell for n in groups], ends)
        self._check_output()
        row_checks, file_checks = Checks(ground, columns, self._formula, self._formula_of).resolve(template.checks)
        check_demands(ground)
        along = Along(ground, resolve)
        plan = Plan(
            catalogue=self.catalogue,
            record_type=self.start,
            row_type=row_type,
            opened=opened,
            keeps_childless=isinstance(template.rows, PerChild) and template.rows.parents_without == "keep",
            by=self.by,
            columns=columns,
            steps=steps,
            order=order,
            key=key,
            row_key=row_key,
            at_most=template.at_most,
            split=split,
            groups=groups,
            zone=ground.zone,
            context=self.context,
            output=template.output,
            name=template.name,
            answers=self._answers(),
            row_checks=row_checks,
            file_checks=file_checks,
            children=along.children(),
            attached=along.attached(),
        )
        problems = ground.problems
        sound = not any(p.place.startswith(_NEEDED) for p in problems)
        return Resolution(None if problems else plan, problems, plan if sound else None, ground.notes)

    def _answers(self) -> tuple[tuple[str, str], ...]:
        """
        The answers as texts, for file names.
        """
        found = []
        for ask in self.template.asks:
            given = answer_to(self.template, self.context, ask.name)
            text = "-".join(map(str, given)) if isinstance(given, list | tuple) else "" if given is None else str(given)
            found.append((ask.name, text if not isinstance(given, dict) else str(given.get("type", ""))))
        return tuple(found)

    # Row rule

    def _by(self) -> tuple[GroupBy, ...]:
        rows = self.template.rows
        if not isinstance(rows, PerGroup):
            return ()
        found = [self._group_by(b, f"rows.by[{n}]") for n, b in enumerate(rows.by)]
        filling = [n for n, b in enumerate(rows.by) if b.fill_gaps]
        if len(filling) > 1:
            message = "Gaps can be filled in one time step only."
            self.ground.problem("two_gaps", message, f"rows.by[{filling[1]}].fill_gaps")
        return tuple(g for g in found if g)

    def _group_by(self, by: By, place: str) -> GroupBy | None:
        ways = (WayOut("records", "Start from these records instead"),)
        route = self.ground.route(by.path, f"{place}.path", ways)
        if route is None:
            return None
        if route.field.kind is Kind.FILE:
            self.ground.problem(
                "file_in_sheet", f"{route.field.label} is a file; it cannot make groups.", f"{place}.path"
            )
            return None
        if by.step is None:
            if by.fill_gaps:
                message = "Only steps of time have gaps to fill; say which step."
                self.ground.problem("no_step", message, f"{place}.fill_gaps")
            return GroupBy(Read(route))
        cell = self._stepped(route, by, place)
        return GroupBy(cell, by.fill_gaps, self._span_of(route) if by.fill_gaps else None) if cell else None

    def _stepped(self, route: Route, by: By, place: str) -> Stepped | None:
        found = route.typed
        if not found.kind.is_dated or (found.kind is Kind.DATE and by.step in _CLOCK_STEPS):
            message = f"{found.label} cannot be cut into steps of a {by.step}."
            self.ground.problem("wrong_step", message, f"{place}.step")
            return None
        if by.count != 1 and (by.step != "minute" or by.count not in _MINUTES):
            message = f"Steps of {by.count} {by.step}s are not known; minutes come in {', '.join(map(str, _MINUTES))}."
            self.ground.problem("wrong_step", message, f"{place}.count")
            return None
        label = f"{found.label}, by {by.step}"
        if by.step not in _CLOCK_STEPS:
            found = replace(found, kind=Kind.DATE, stored="date")
        stepped = replace(found, label=label, json_key=None, attribute=None)
        return Stepped(route, str(by.step), by.count, stepped)

    def _span_of(self, route: Route) -> Span | None:
        """
        The window that the filter sets on a field for every row.
        """
        filters = Filters(self.ground, lambda *_: None, lambda *_: None, lambda *_: None)
        for part, place in _met_by_every_row(self.template.filter, "filter"):
            if getattr(part, "path", None) == route.path and getattr(part, "is_", "") in ("in_window", "between"):
                before = len(self.ground.problems)
                found = filters.predicate(part, place)
                del self.ground.problems[before:]
                if isinstance(found, Comparison):
                    return found.span
        return None

    # Columns

    def _columns(self) -> tuple[PlanColumn, ...]:
        if not self.template.columns:
            self.ground.problem("empty_sheet", "The sheet has no columns yet. Add at least one field.", "columns")
        self._check_headings()
        return tuple(c for n, column in enumerate(self.template.columns) for c in self._column(column, n))

    def _check_headings(self) -> None:
        problem = self.ground.problem
        headings = Counter(c.heading.strip().casefold() for c in self.template.columns)
        ids = Counter(c.id for c in self.template.columns)
        for n, column in enumerate(self.template.columns):
            place, heading = f"columns[{n}].heading", column.heading.strip()
            if not heading:
                problem("no_heading", f"Column {n + 1} has no heading.", place)
            elif headings[heading.casefold()] > 1:
                problem("same_heading", f"More than one column is headed “{heading}”.", place)
            if len(heading) > HEADING_LENGTH:
                problem(
                    "long_heading", f"This heading has {len(heading)} characters; at most {HEADING_LENGTH} fit.", place
                )
            if "\x00" in heading:
                problem("unreadable", "This heading holds a character that no file can carry.", place)
            if ids[column.id] > 1:
                problem("same_id", f"More than one column has the id “{column.id}”.", f"columns[{n}].id")

    def _cell(self, n: int) -> Cell | None:
        """
        What column `n` holds; None with a problem. Columns that refer to each other in a ring are a problem.
        """
        if n not in self.cells:
            self.under_way.append(n)
            self.cells[n] = self._make_cell(self.template.columns[n], f"columns[{n}].value")
            self.under_way.pop()
        return self.cells[n]

    def _make_cell(self, column: Column, place: str) -> Cell | None:
        value = column.value
        match value:
            case Constant():
                return Fixed(value.constant)
            case FieldValue():
                return self._by_cell(value, place) if self.ground.grouped else self._read(value, place)
            case FoldValue():
                # Prefix and suffix that the column states go round the cell, not round each value in it.
                show = column.show.model_copy(update={"prefix": "", "suffix": ""})
                return self._fold(value.fold, f"{place}.fold", show, place)
            case FormulaValue():
                return self._formula(value.formula, f"{place}.formula")

    def _read(self, value: FieldValue, place: str) -> Cell | None:
        if value.step is not None:
            message = "Steps of time are for rows that stand for groups."
            self.ground.problem("no_groups", message, f"{place}.step")
            return None
        route = self.ground.route(value.field, f"{place}.field", self.ground.ways_out_of_cell(value.field, place))
        if route is None:
            return None
        if route.field.kind is Kind.FILE:
            message = f"{route.field.label} is a file, and a sheet cannot carry files. Take its name or a link instead."
            self.ground.problem("file_in_sheet", message, f"{place}.field", ways_out=self._names_beside(route, place))
            return None
        self._note_retired(route, place)
        return Read(route)

    def _names_beside(self, route: Route, place: str) -> tuple[WayOut, ...]:
        """
        Fields beside a file that could stand for it: those whose name speaks of a name or a link.
        """
        end = self.catalogue.record_types[route.relations[-1].target] if route.relations else self.start
        prefix = ".".join((*route.way, ""))
        named = [f for f in end.fields if f.kind.is_text and any(w in f.name.lower() for w in ("name", "link", "url"))]
        return tuple(WayOut("field", f"{f.label} instead", f"{place}.field", prefix + f.name) for f in named[:3])

    def _note_retired(self, route: Route, place: str) -> None:
        retired = route.field.retired
        if retired is None:
            return
        ways: tuple[WayOut, ...] = ()
        instead = ""
        if retired.substitute:
            path = ".".join((*route.way, retired.substitute))
            end = self.catalogue.record_types[route.relations[-1].target] if route.relations else self.start
            known = end.field_named(retired.substitute)
            label = known.label if known else retired.substitute
            instead = f" Take {label} instead."
            ways = (WayOut("substitute", f"Take {label}", f"{place}.field", path),)
        message = f"{route.field.label} is retired: {retired.reason}{instead}"
        self.ground.note("retired_field", message, f"{place}.field", ways_out=ways)

    def _by_cell(self, value: FieldValue, place: str) -> Cell | None:
        found = self._grouped_by(value.field, value.step)
        if found is not None:
            return found
        before = len(self.ground.problems)
        route = self.ground.route(value.field, f"{place}.field", self.ground.ways_out_of_cell(value.field, place))
        if route is None or len(self.ground.problems) > before or not isinstance(self.template.rows, PerGroup):
            return None
        by = [b.model_dump(mode="json", exclude_defaults=True) for b in self.template.rows.by]
        how = "sum" if route.field.kind.is_number else "greatest" if route.field.kind.is_dated else "count_distinct"
        said = {"sum": "Add it up", "greatest": "Its latest", "count_distinct": "How many different"}[how]
        ways = (
            WayOut("group_by", "Group by it, too", "rows.by", [*by, {"path": value.field}]),
            WayOut("fold", said, place, {"fold": {"path": value.field, "how": how}}),
        )
        message = f"A group has many values of {route.field.label.lower()}; group by it, or fold it."
        self.ground.problem("not_grouped", message, f"{place}.field", ways_out=ways)
        return None

    def _grouped_by(self, path: str, step: str | None) -> Read | Stepped | None:
        cells = [b.cell for b in self.by if b.cell.route.path == path]
        if step is not None:
            return next((c for c in cells if isinstance(c, Stepped) and c.unit == step), None)
        return next((c for c in cells if isinstance(c, Read)), cells[0] if cells else None)

    def _fold(self, fold: Fold, place: str, show: Any = None, cure: str = "") -> Folded | None:
        return Folds(self.ground, self._where_of_fold).resolve(fold, place, show, cure=cure)

    def _where_of_fold(self, inner: Ground, node: Narrowing, place: str) -> Predicate | None:
        """
        The predicate of a fold's own filter: it sees the folded records and nothing else.
        """

        def no_column(name: str, at: str) -> Cell | None:
            inner.problem("no_column_here", "The filter of a fold cannot refer to columns of the sheet.", at)
            return None

        def no_formula(text: str, at: str) -> Computed | None:
            return self._checked(inner, text, at, columns=False)

        def deeper(fold: Fold, at: str) -> Folded | None:
            return Folds(inner, self._where_of_fold).resolve(fold, at)

        return Filters(inner, no_column, no_formula, deeper).predicate(node, place)

    def _formula(self, text: str, place: str) -> Computed | None:
        return self._checked(self.ground, text, place, columns=True)

    def _formula_of(self, text: str, place: str, cell: Cell) -> Computed | None:
        """
        A formula of one cell, whatever that is called in it.
        """
        return self._checked(self.ground, text, place, columns=False, cell=cell)

    def _checked(
        self, ground: Ground, text: str, place: str, *, columns: bool, cell: Cell | None = None
    ) -> Computed | None:
        def find(name: str) -> Cell:
            return cell if cell is not None else self._target(ground, name, columns=columns)

        try:
            tree = formula.check(text, find, self.context.as_of, ground.zone)
        except formula.FormulaError as error:
            ground.problem("formula", f"{error} (character {error.at + 1})", place, at=error.at)
            return None
        size = formula.size_of(tree, lambda t: t.size if isinstance(t, Computed) else 1)
        if size > formula.LARGEST:
            message = (
                f"This formula comes to {size:,} parts once the columns it refers to are put in; at most "
                f"{formula.LARGEST:,} can be computed. Refer to fewer columns, or fold them into one."
            )
            ground.problem("large_formula", message, place, at=0)
            return None
        kind, stored = _FORMULA_KINDS[tree.type]
        personal = any(t.field.personal for t in formula.references_of(tree))
        made = Field(name="", column="", kind=kind, stored=stored, label="The formula", personal=personal)
        return Computed(tree, made, size)

    def _target(self, ground: Ground, name: str, *, columns: bool) -> Cell:
        """
        What `{name}` in a formula leads to. Raises ValueError with a sentence.
        """
        if name.startswith("ask."):
            return self._answer(name.removeprefix("ask."))
        opened = tuple(r.name for r in ground.opened)
        found = self.catalogue.route(ground.start, name, "", opened=opened)
        grouped = columns and ground.grouped
        if isinstance(found, Route) and not grouped:
            return Read(found)
        if grouped and (cell := self._grouped_by(name, None)) is not None:
            return cell
        for n, column in enumerate(self.template.columns if columns else ()):
            if name.casefold() in (column.heading.strip().casefold(), column.id.casefold()):
                return self._column_target(n, name)
        if isinstance(found, Route):
            msg = f"A group has many values of “{name}”; fold it in a column, and refer to that by its heading."
            raise ValueError(msg)
        headings = [c.heading for c in self.template.columns] if columns else []
        if found.code == "many_in_cell":
            raise ValueError(found.message + " Fold it in a column of its own, and refer to that by its heading.")
        candidates = found.candidates or nearest(name, headings)
        hint = f" Did you mean {' or '.join(candidates)}?" if candidates else ""
        msg = f"There is no field or column “{name}”.{hint}"
        raise ValueError(msg)

    def _column_target(self, n: int, name: str) -> Cell:
        if n in self.under_way:
            msg = f"The column “{name}” refers back to this one; columns cannot go round in a ring."
            raise ValueError(msg)
        cell = self._cell(n)
        if cell is None:
            msg = f"The column “{name}” has a problem of its own."
            raise ValueError(msg)
        return cell

    def _answer(self, name: str) -> Cell:
        ask = next((a for a in self.template.asks if a.name == name), None)
        if ask is None:
            msg = f"The template asks nothing called “{name}”."
            raise ValueError(msg)
        kinds = {"number": (Kind.DECIMAL, "numeric"), "date": (Kind.DATE, "date"), "yes_no": (Kind.BOOLEAN, "boolean")}
        if ask.kind in ("choices", "window"):
            msg = f"“{ask.label}” asks for more than one value; a formula cannot read it."
            raise ValueError(msg)
        kind, stored = kinds.get(ask.kind, (Kind.TEXT, "text"))
        known = Field(name=name, column="", kind=kind, stored=stored, label=ask.label)
        given = self.ground.answer(ask)
        return Fixed(None if given is None else read_value(given, known, self.ground.zone), known)

    def _column(self, column: Column, n: int) -> Iterator[PlanColumn]:
        place = f"columns[{n}]"
        cell = self._cell(n)
        if cell is None:
            return
        if column.show.date is not None:
            try:
                parse_date_pattern(column.show.date)
            except PatternError as error:
                self.ground.problem("date_pattern", str(error), f"{place}.show.date")
                return
        if column.show.grouping and column.show.grouping == (column.show.decimal_mark or "."):
            message = "The decimal mark and the grouping mark are the same."
            self.ground.problem("same_marks", message, f"{place}.show.grouping")
        show = shown(column.show, cell.field, self.template.output)
        if isinstance(cell, Read) and cell.route.aspect:
            show = show.model_copy(update={"choice": cell.route.aspect})
            cell = Read(replace(cell.route, aspect=""))
        numbers = 1
        if isinstance(cell, Folded) and cell.how == "spread" and isinstance(column.value, FoldValue):
            numbers = column.value.fold.columns
        once_by = self._shared_by(cell, column, place)
        heading = column.heading.strip()
        for number in range(1, numbers + 1):
            yield PlanColumn(
                id=column.id,
                heading=f"{heading} {number}" if numbers > 1 else heading,
                cell=replace(cell, number=number) if isinstance(cell, Folded) and numbers > 1 else cell,
                show=show,
                blank=column.blank,
                number=number,
                total=column.total,
                once_by=once_by,
                link=self._link(column, cell, place),
                width=column.width,
            )

    def _link(self, column: Column, cell: Cell, place: str) -> str | None:
        if not column.show.link:
            return None
        end = self._record_of(cell)
        if end is None or end.link is None:
            message = "The catalogue knows no page of this record to link to."
            self.ground.problem("no_link", message, f"{place}.show.link")
            return None
        return end.link

    def _record_of(self, cell: Cell) -> RecordType | None:
        if not isinstance(cell, Read):
            return None
        relations = cell.route.relations
        return self.catalogue.record_types[relations[-1].target] if relations else self.start

    def _shared_by(self, cell: Cell, column: Column, place: str) -> tuple[Route, ...]:
        """
        The key of the record a number belongs to, where several rows share that record.
        """
        if self.ground.grouped or not cell.field.kind.is_number or isinstance(cell, Fixed):
            return ()
        ways = {tuple(r.name for r in relations): relations for relations in self._owners(cell)}
        own = tuple(r.name for r in self.ground.opened)
        if own in ways or len(ways) != 1:
            return ()
        relations = next(iter(ways.values()))
        owner = self.catalogue.record_types[relations[-1].target] if relations else self.start
        rows = self.catalogue.record_types[self.ground.opened[-1].target] if self.ground.opened else self.start
        if isinstance(cell, Read):
            message = (
                f"{cell.field.label} repeats on each of the {owner.label}’s {rows.plural}; its total over rows is not "
                f"the total over {owner.plural}. Totals count each {owner.label} once."
            )
            self.ground.note("repeats", message, f"{place}.value.field")
        return self.catalogue.key_of(owner, relations)

    def _owners(self, cell: Cell) -> Iterator[tuple[Relation, ...]]:
        if isinstance(cell, Read | Stepped):
            yield cell.route.relations
        elif isinstance(cell, Folded):
            yield cell.anchor
        elif isinstance(cell, Computed):
            for target in formula.references_of(cell.tree):
                if not isinstance(target, Fixed):
                    yield from self._owners(target)  # type: ignore[arg-type]

    # Filter

    def _steps(self) -> tuple[Step, ...]:
        filters = Filters(self.ground, self._column_named, self._formula, self._fold)
        steps = [Step(p, self._side(p)) for p in filters.steps(self.template.filter)]
        if any(s.side == "child" for s in steps) and any(b.fill_gaps for b in self.by):
            n = next(n for n, b in enumerate(self.by) if b.fill_gaps)
            message = "Gaps cannot be filled where groups are narrowed: a gap could not be told from a group left out."
            self.ground.problem("gaps_and_groups", message, f"rows.by[{n}].fill_gaps")
        hidden = self._scope()
        parents = [s for s in steps if s.side == "parent"]
        return (*hidden, *parents, *(s for s in steps if s.side == "child"))

    def _side(self, predicate: Predicate) -> Any:
        """
        Whether a predicate narrows records, or what became rows of them: children, or groups.
        """
        if self.ground.grouped:
            return "child" if _folds_group(predicate) else "parent"
        opened = tuple(r.name for r in self.ground.opened)
        first = next((n for n, r in enumerate(self.ground.opened) if r.many), 0) + 1
        inside = opened and any(r.way[:first] == opened[:first] for r in routes_of(predicate))
        return "child" if inside else "parent"

    def _scope(self) -> list[Step]:
        """
        The narrowing that stands for the person's rights.
        """
        scope = self.context.scope
        if scope is None:
            return []
        if not Rights(self.catalogue, scope).ways(self.start):
            message = f"Your rights leave nothing of the {self.start.plural}; ask an administrator for more."
            self.ground.problem("closed", message, "records")
            return []
        return [Step(Permitted(), hidden=True)]

    def _column_named(self, name: str, place: str) -> Cell | None:
        n = next((n for n, c in enumerate(self.template.columns) if c.id == name), None)
        if n is None:
            self.ground.problem("unknown_column", f"There is no column “{name}”.", place)
            return None
        if isinstance(self.template.columns[n].value, Constant):
            self.ground.problem("constant", "A constant is the same in every row.", place)
            return None
        return self._cell(n)

    # Order

    def _order(self, before: list[Cell], keys: list[Cell]) -> tuple[PlanOrder, ...]:
        named = [(o, self._order_level(o, f"order[{n}]")) for n, o in enumerate(self.template.order)]
        levels = {level.cell: level for _, level in named if level}
        lead = [levels.get(cell) or PlanOrder(cell, False, False) for cell in before]
        order: dict[Cell, PlanOrder] = {}
        for level in (*lead, *levels.values()):
            order.setdefault(level.cell, level)
        apart = [replace(o, exact=True) for o in order.values() if _folds_case(o.cell)]
        ends = [PlanOrder(k, False, False, exact=True) for k in keys if k not in order or _folds_case(k)]
        known = {o.cell for o in apart}
        return (*order.values(), *apart, *(e for e in ends if e.cell not in known))

    def _order_level(self, level: Order, place: str) -> PlanOrder | None:
        if (level.column is None) == (level.path is None):
            self.ground.problem("order_source", "Order by a column or by a field, one of the two.", place)
            return None
        cell: Cell | None
        by_label = True
        if level.column is not None:
            column = next((c for c in self.template.columns if c.id == level.column), None)
            if column is None:
                message = f"There is no column “{level.column}” to order by."
                self.ground.problem("unknown_column", message, f"{place}.column")
                return None
            if isinstance(column.value, Constant):
                self.ground.problem("constant_order", "A constant has no order.", f"{place}.column")
                return None
            cell, by_label = self._cell(self.template.columns.index(column)), column.show.choice == "label"
            if cell is None:
                self.ground.problem(
                    "unsound_order", "The column to order by has a problem of its own.", f"{place}.column"
                )
        else:
            cell = self._order_cell(level.path or "", f"{place}.path")
        if cell is None:
            return None
        if isinstance(cell, Read) and cell.route.aspect:
            by_label, cell = cell.route.aspect == "label", Read(replace(cell.route, aspect=""))
        return PlanOrder(cell, level.direction == "descending", level.blanks == "first", by_label)

    def _order_cell(self, path: str, place: str) -> Cell | None:
        if self.ground.grouped:
            found = self._grouped_by(path, None)
            if found is None:
                message = f"Rows stand for groups; “{path}” is none of the values they are grouped by."
                self.ground.problem("not_grouped", message, place)
            return found
        route = self.ground.route(path, place)
        return Read(route) if route else None

    # Output

    def _split(self) -> Cell | None:
        split = self.template.output.split
        if split is None or split.by is None:
            return None
        column = next((n for n, c in enumerate(self.template.columns) if c.id == split.by), None)
        if column is not None and not isinstance(self.template.columns[column].value, Constant):
            return self._cell(column)
        return self._order_cell(split.by, "output.split.by")

    def _reader_groups(self, columns: tuple[PlanColumn, ...]) -> tuple[int, ...]:
        output = self.template.output
        if output.style != "reader":
            return ()
        found = []
        for n, wanted in enumerate(output.reader.groups):
            at = next((k for k, c in enumerate(columns) if c.id == wanted and not c.is_constant), None)
            if at is None:
                message = f"There is no column “{wanted}” to group the lines by."
                self.ground.problem("unknown_column", message, f"output.reader.groups[{n}]")
            else:
                found.append(at)
        return tuple(found)

    def _check_output(self) -> None:
        output = self.template.output
        by = output.split.by if output.split else None
        for message in check_pattern(output.name, asks=[a.name for a in self.template.asks], value=by):
            self.ground.problem("name_pattern", message, "output.name")
        if output.split and output.split.megabytes is not None and output.format == "xlsx":
            message = "The size of a spreadsheet is only known when it is done; split it by rows or by a value."
            self.ground.problem("split_size", message, "output.split.megabytes")
        if output.style == "reader" and output.format == "jsonl":
            message = "JSON Lines are for programs; choose the machine style, or another format for people."
            self.ground.problem("reader_format", message, "output.style")


def _met_by_every_row(node: Narrowing, place: str) -> Iterator[tuple[Narrowing, str]]:
    """
    The narrowings that every row must meet, with their places, wherever they stand in groups.
    """
    if isinstance(node, AllOf):
        for n, part in enumerate(node.all):
            yield from _met_by_every_row(part, f"{place}.all[{n}]")
    elif isinstance(node, AnyOf):
        if len(node.any) == 1:
            yield from _met_by_every_row(node.any[0], f"{place}.any[0]")
    else:
        yield node, place


def _folds_case(cell: Cell) -> bool:
    """
    Whether an order by this cell takes spellings that differ by case only as equal.
    """
    return cell.field.stored == "text" and cell.field.kind is not Kind.CHOICE


def _folds_group(part: Predicate) -> bool:
    """
    Whether a predicate compares what a group's own records come to.
    """
    if hasattr(part, "parts"):
        return any(_folds_group(p) for p in part.parts)
    cell = getattr(part, "cell", None)
    cells: list[Any] = [cell] if cell is not None else []
    while cells:
        one = cells.pop()
        if isinstance(one, Folded):
            return True
        if isinstance(one, Computed):
            cells += formula.references_of(one.tree)
    return False
