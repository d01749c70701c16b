"""
Resolve a template against a catalogue: every path, value and window, or every problem.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from bouquet.core.catalogue import Catalogue, Kind, RecordType, Route
from bouquet.core.errors import PlanError, Problem, nearest
from bouquet.core.naming import check_pattern
from bouquet.core.plan.model import Comparison, Context, Group, Plan, PlanColumn, PlanOrder, Predicate
from bouquet.core.shaping.patterns import PatternError, parse_date_pattern
from bouquet.core.template import (
    HEADING_LENGTH,
    AllOf,
    AnyOf,
    Column,
    Condition,
    Constant,
    Narrowing,
    NoneOf,
    Order,
    Template,
    Window,
)
from bouquet.core.values import Value, read_value
from bouquet.core.windows import Span, resolve_window

__all__ = ["OPERATORS", "Resolution", "resolve"]

_EVERY = ("is", "is_not", "one_of", "none_of", "blank", "not_blank")
_TEXTUAL = (*_EVERY, "contains", "not_contains", "starts_with", "ends_with", "matches")
_ORDERED = ("less_than", "at_most", "greater_than", "at_least", "between")
_DATED = (*_EVERY, "before", "after", "between", "in_window")

#: The comparisons that each kind of value knows.
OPERATORS: dict[Kind, tuple[str, ...]] = {
    Kind.TEXT: _TEXTUAL,
    Kind.IDENTIFIER: _TEXTUAL,
    Kind.OTHER: _TEXTUAL,
    Kind.CHOICE: _EVERY,
    Kind.INTEGER: (*_EVERY, *_ORDERED),
    Kind.DECIMAL: (*_EVERY, *_ORDERED),
    Kind.TIME: (*_EVERY, *_ORDERED),
    Kind.DATE: _DATED,
    Kind.TIMESTAMP: _DATED,
    Kind.MOMENT: _DATED,
    Kind.BOOLEAN: ("yes", "no", "is", "is_not", "blank", "not_blank"),
    Kind.FILE: ("blank", "not_blank"),
}

_NO_VALUE = ("blank", "not_blank", "yes", "no", "in_window")
_MANY_VALUES = ("one_of", "none_of")
_DAY = re.compile(r"\d{4}-\d\d-\d\d")


@dataclass
class Resolution:
    """
    What came of resolving: the plan when it can be run, and all problems met.

    `partial` is there when filter and order are sound: a plan of the columns that are sound, for looking while
    designing. `notes` do not stop a run; they are worth a look.
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
    return _Resolver(template, catalogue, record_type, context).resolve()


class _Resolver:
    def __init__(self, template: Template, catalogue: Catalogue, start: RecordType, context: Context) -> None:
        self.template, self.catalogue, self.start, self.context = template, catalogue, start, context
        self.zone = ZoneInfo(template.zone)
        self.problems: list[Problem] = []
        self.notes: list[Problem] = []

    def resolve(self) -> Resolution:
        columns = self._columns()
        steps = self._steps()
        key = tuple(Route((), f) for n in self.start.key if (f := self.start.field_named(n)))
        order = self._order(key)
        for message in check_pattern(self.template.output.name):
            self._problem("name_pattern", message, "output.name")
        plan = Plan(
            catalogue=self.catalogue,
            record_type=self.start,
            columns=columns,
            steps=steps,
            order=order,
            key=key,
            at_most=self.template.at_most,
            zone=self.zone,
            context=self.context,
            output=self.template.output,
            name=self.template.name,
        )
        sound = not any(p.place.startswith(("filter", "order")) for p in self.problems)
        return Resolution(None if self.problems else plan, self.problems, plan if sound else None, self.notes)

    def _problem(self, code: str, message: str, place: str) -> None:
        self.problems.append(Problem(code=code, message=message, place=place))

    def _route(self, path: str, place: str) -> Route | None:
        found = self.catalogue.route(self.start, path, place)
        if isinstance(found, Problem):
            self.problems.append(found)
            return None
        return found

    # Columns

    def _columns(self) -> tuple[PlanColumn, ...]:
        if not self.template.columns:
            self._problem("empty_sheet", "The sheet has no columns yet. Add at least one field.", "columns")
        self._check_headings()
        planned = [self._column(c, f"columns[{n}]") for n, c in enumerate(self.template.columns)]
        return tuple(c for c in planned if c)

    def _check_headings(self) -> None:
        headings = Counter(c.heading.strip().casefold() for c in self.template.columns)
        ids = Counter(c.id for c in self.template.columns)
        for n, column in enumerate(self.template.columns):
            place, heading = f"columns[{n}].heading", column.heading.strip()
            if not heading:
                self._problem("no_heading", f"Column {n + 1} has no heading.", place)
            elif headings[heading.casefold()] > 1:
                self._problem("same_heading", f"More than one column is headed “{heading}”.", place)
            if len(heading) > HEADING_LENGTH:
                message = f"This heading has {len(heading)} characters; at most {HEADING_LENGTH} fit."
                self._problem("long_heading", message, place)
            if "\x00" in heading:
                self._problem("unreadable", "This heading holds a character that no file can carry.", place)
            if ids[column.id] > 1:
                self._problem("same_id", f"More than one column has the id “{column.id}”.", f"columns[{n}].id")

    def _column(self, column: Column, place: str) -> PlanColumn | None:
        if isinstance(column.value, Constant):
            return self._planned(column, None, column.value.constant)
        route = self._route(column.value.field, f"{place}.value.field")
        if route is None:
            return None
        if route.field.kind is Kind.FILE:
            message = f"{route.field.label} is a file, and a sheet cannot carry files. Take its name or a link instead."
            self._problem("file_in_sheet", message, f"{place}.value.field")
        if route.field.retired:
            retired = route.field.retired
            instead = f" Take {retired.substitute} instead." if retired.substitute else ""
            message = f"{route.field.label} is retired: {retired.reason}{instead}"
            self.notes.append(Problem(code="retired_field", message=message, place=f"{place}.value.field"))
        if column.show.date is not None:
            try:
                parse_date_pattern(column.show.date)
            except PatternError as error:
                self._problem("date_pattern", str(error), f"{place}.show.date")
        if column.show.grouping and column.show.grouping == column.show.decimal_mark:
            message = "The decimal mark and the grouping mark are the same."
            self._problem("same_marks", message, f"{place}.show.grouping")
        return self._planned(column, route, None)

    @staticmethod
    def _planned(column: Column, route: Route | None, constant: str | None) -> PlanColumn:
        return PlanColumn(
            id=column.id,
            heading=column.heading.strip(),
            route=route,
            constant=constant,
            show=column.show,
            blank=column.blank,
        )

    # Filter

    def _steps(self) -> tuple[Predicate, ...]:
        root = self.template.filter
        if isinstance(root, AllOf):
            parts = [self._predicate(p, f"filter.all[{n}]") for n, p in enumerate(root.all)]
        else:
            parts = [self._predicate(root, "filter")]
        return tuple(p for p in parts if p and not (isinstance(p, Group) and not p.parts))

    def _predicate(self, node: Narrowing, place: str) -> Predicate | None:
        match node:
            case AllOf():
                return self._group("all", node.all, place)
            case AnyOf():
                return self._group("any", node.any, place)
            case NoneOf():
                return self._group("none", node.none, place)
            case Condition():
                return self._comparison(node, place)

    def _group(self, how: str, parts: tuple[Narrowing, ...], place: str) -> Group:
        read = [self._predicate(p, f"{place}.{how}[{n}]") for n, p in enumerate(parts)]
        kept = tuple(p for p in read if p and not (isinstance(p, Group) and not p.parts))
        return Group(how, kept, place)  # type: ignore[arg-type]

    def _comparison(self, node: Condition, place: str) -> Comparison | None:
        route = self._route(node.path, f"{place}.path")
        if route is None:
            return None
        kind, operator = route.field.kind, node.is_
        if operator not in OPERATORS[kind]:
            known = ", ".join(o.replace("_", " ") for o in OPERATORS[kind])
            message = f"{route.field.label} cannot be compared by “{operator.replace('_', ' ')}”; it knows: {known}."
            self._problem("wrong_comparison", message, f"{place}.is")
            return None
        before = len(self.problems)
        span = self._span(node, place) if operator == "in_window" else None
        values = self._values(node, route, place)
        if len(self.problems) > before:
            return None
        compared, values, span = self._whole_days(node, kind, operator, values, span)
        return Comparison(route=route, operator=compared, values=values, span=span, exact=node.exact, place=place)

    def _whole_days(
        self, node: Condition, kind: Kind, operator: str, values: tuple[Value, ...], span: Span | None
    ) -> tuple[str, tuple[Value, ...], Span | None]:
        """
        A day compared with a moment means the whole day: `after 22 Nov` begins on the 23rd, and
        `between` takes in all of its last day.
        """
        raw = [str(v) for v in (node.values or (node.value,))]
        if kind not in (Kind.TIMESTAMP, Kind.MOMENT) or not all(_DAY.fullmatch(r) for r in raw):
            return operator, values, span
        if operator == "between":
            window = Window(type="between", first=raw[0], last=raw[1])
            try:
                return "in_window", (), resolve_window(window, self.context.as_of, self.zone)
            except ValueError as error:
                self._problem("wrong_value", str(error), f"{node.path}.values")
        if operator == "after" and isinstance(values[0], datetime):
            return "at_least", (values[0] + timedelta(days=1),), None
        return operator, values, span

    def _span(self, node: Condition, place: str) -> Span | None:
        if node.window is None:
            self._problem("no_window", "Say which days are meant.", f"{place}.window")
            return None
        try:
            return resolve_window(node.window, self.context.as_of, self.zone, year_start=self.context.year_start)
        except (ValueError, OverflowError) as error:
            said = "This window reaches beyond the calendar." if isinstance(error, OverflowError) else str(error)
            self._problem("bad_window", said, f"{place}.window")
            return None

    def _values(self, node: Condition, route: Route, place: str) -> tuple[Value, ...]:
        operator = node.is_
        if operator in _NO_VALUE:
            return ()
        several = operator in _MANY_VALUES or operator == "between"
        raw = node.values if several else (node.value,) if node.value is not None else None
        where = f"{place}.values" if several else f"{place}.value"
        wanted = {"between": "two values"}.get(operator, "at least one value" if several else "a value")
        if not raw or (operator == "between" and len(raw) != 2):
            self._problem("no_value", f"{route.field.label} {operator.replace('_', ' ')} needs {wanted}.", where)
            return ()
        values: list[Value] = []
        for n, item in enumerate(raw):
            try:
                values.append(read_value(item, route.field, self.zone))
            except ValueError as error:
                self._problem("wrong_value", str(error), f"{where}[{n}]" if several else where)
        return tuple(values)

    # Order

    def _order(self, key: tuple[Route, ...]) -> tuple[PlanOrder, ...]:
        levels = [self._order_level(o, f"order[{n}]") for n, o in enumerate(self.template.order)]
        named = [o for o in levels if o]
        taken = {o.route.path for o in named}
        return (*named, *(PlanOrder(k, False, False) for k in key if k.path not in taken))

    def _order_level(self, level: Order, place: str) -> PlanOrder | None:
        if (level.column is None) == (level.path is None):
            self._problem("order_source", "Order by a column or by a field, one of the two.", place)
            return None
        path, where, by_label = level.path, f"{place}.path", True
        if level.column is not None:
            where = f"{place}.column"
            column = next((c for c in self.template.columns if c.id == level.column), None)
            if column is None:
                self._problem("unknown_column", f"There is no column “{level.column}” to order by.", where)
                return None
            if isinstance(column.value, Constant):
                self._problem("constant_order", "A constant has no order.", where)
                return None
            path, by_label = column.value.field, column.show.choice == "label"
        assert path is not None
        route = self._route(path, where)
        if route is None:
            return None
        return PlanOrder(route, level.direction == "descending", level.blanks == "first", by_label)
