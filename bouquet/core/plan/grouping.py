"""
What rows stand for where they are groups: the values that groups are made by.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import date, datetime, time, timedelta

from bouquet.core.catalogue import Kind, Route
from bouquet.core.errors import Problem, WayOut
from bouquet.core.language import tr, whole
from bouquet.core.plan.filters import Filters
from bouquet.core.plan.model import GroupBy
from bouquet.core.plan.nodes import Comparison, Read, Stepped
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.template import (
    AllOf,
    AnyOf,
    By,
    Narrowing,
    PerGroup,
)
from bouquet.core.windows import MOST_FILLED, Span, later, on_the_clock

__all__ = ["Grouping", "too_many_steps"]

_CLOCK_STEPS = ("minute", "hour")
#: The lengths of short steps; a window that is too long for weeks is so for no longer ones.
_LENGTHS = {"minute": timedelta(minutes=1), "hour": timedelta(hours=1), "day": timedelta(days=1)}
_MINUTES = (1, 2, 3, 4, 5, 6, 10, 12, 15, 20, 30)


class Grouping:
    """
    The row rule of a template whose rows stand for groups. `by` is empty where they do not.
    """

    def __init__(self, state: ResolutionContext) -> None:
        self.state, self.template = state, state.template
        self.by = self._by()

    def _by(self) -> tuple[GroupBy, ...]:
        rows = self.template.rows
        if not isinstance(rows, PerGroup):
            return ()
        found = [self._group_by(b, f"rows.by[{n}]") for n, b in enumerate(rows.by)]
        filling = [n for n, b in enumerate(rows.by) if b.fill_gaps]
        if len(filling) > 1:
            message = tr("Gaps can be filled in one time step only.")
            self.state.problem("two_gaps", message, f"rows.by[{filling[1]}].fill_gaps")
        return tuple(g for g in found if g)

    def _group_by(self, by: By, place: str) -> GroupBy | None:
        ways = (WayOut("records", tr("Start from these records instead")),)
        route = self.state.route(by.path, f"{place}.path", ways)
        if route is None:
            return None
        if route.field.kind is Kind.FILE:
            self.state.problem(
                "file_in_sheet",
                tr("{label} is a file; it cannot make groups.", label=route.field.label),
                f"{place}.path",
            )
            return None
        if by.step is None:
            if by.fill_gaps:
                message = tr("Only steps of time have gaps to fill; say which step.")
                self.state.problem("no_step", message, f"{place}.fill_gaps")
            return GroupBy(Read(route))
        cell = self._stepped(route, by, place)
        if cell is None:
            return None
        span = self._span_of(route) if by.fill_gaps else None
        if span is not None and span.start is not None and span.end is not None:
            steps = (span.end - span.start) / (_LENGTHS.get(cell.unit, timedelta(weeks=1)) * cell.count)
            if steps > MOST_FILLED:
                self.state.problems.append(too_many_steps(f"{place}.fill_gaps"))
        return GroupBy(cell, by.fill_gaps, span)

    def _stepped(self, route: Route, by: By, place: str) -> Stepped | None:
        found = route.typed
        if not found.kind.is_dated or (found.kind is Kind.DATE and by.step in _CLOCK_STEPS):
            message = tr("{label} cannot be cut into steps of a {step}.", label=found.label, step=by.step)
            self.state.problem("wrong_step", message, f"{place}.step")
            return None
        if by.count != 1 and (by.step != "minute" or by.count not in _MINUTES):
            message = tr(
                "Steps of {count} {step}s are not known; minutes come in {str}.",
                count=by.count,
                step=by.step,
                str=", ".join(map(str, _MINUTES)),
            )
            self.state.problem("wrong_step", message, f"{place}.count")
            return None
        label = tr("{label}, by {step}", label=found.label, step=by.step)
        if by.step not in _CLOCK_STEPS:
            found = replace(found, kind=Kind.DATE, stored="date")
        stepped = replace(found, label=label, json_key=None, attribute=None)
        return Stepped(route, str(by.step), by.count, stepped)

    def _span_of(self, route: Route) -> Span | None:
        """
        The window that the filter sets on a field for every row: what all conditions that say one have in common.
        """
        filters = Filters(self.state, lambda *_: None, lambda *_: None, lambda *_: None)
        whole: Span | None = None
        for part, place in _met_by_every_row(self.template.filter, "filter"):
            if getattr(part, "path", None) == route.path and getattr(part, "is_", "") in ("in_window", "between", "is"):
                before = len(self.state.problems)
                found = filters.predicate(part, place)
                del self.state.problems[before:]
                span = self._said_by(found) if isinstance(found, Comparison) else None
                if span is not None:
                    span = Span(self._on_the_clock(span.start), self._on_the_clock(span.end))
                    whole = span if whole is None else whole.within(span)
        return whole

    def _on_the_clock(self, moment: datetime | None) -> datetime | None:
        """
        A moment on the template's clock, where one without an offset is already.
        """
        if moment is None or moment.tzinfo is None:
            return moment.replace(tzinfo=self.state.zone) if moment is not None else None
        return on_the_clock(moment, self.state.zone)

    def _said_by(self, condition: Comparison) -> Span | None:
        """
        The window that a condition says, or the one from the first of two values to the second.
        """
        if condition.operator != "between":
            return condition.span
        first, last = condition.values
        if isinstance(first, datetime) and isinstance(last, datetime):
            return Span(first, later(last, timedelta(microseconds=1)))
        if isinstance(first, date) and isinstance(last, date):
            begin, end = (datetime.combine(d, time(0), self.state.zone) for d in (first, last))
            return Span(begin, later(end))
        return None

    def cell_of(self, path: str, step: str | None) -> Read | Stepped | None:
        """
        What groups are made by at a path, in steps of `step`; None where they are not.
        """
        cells = [b.cell for b in self.by if b.cell.route.path == path]
        if step is not None:
            return next((c for c in cells if isinstance(c, Stepped) and c.unit == step), None)
        return next((c for c in cells if isinstance(c, Read)), cells[0] if cells else None)


def too_many_steps(place: str) -> Problem:
    """
    What is wrong where more steps of time would be filled than may be.
    """
    message = tr(
        "More than {most} steps would be filled; narrow the dates, or take longer steps.", most=whole(MOST_FILLED)
    )
    return Problem(code="too_many_steps", message=message, place=place)


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
