"""
Resolving the filter: narrowings of the document → predicates, at their places.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from decimal import Decimal, InvalidOperation
from typing import Any, Literal

from pydantic import ValidationError

from bouquet.core.catalogue import Kind, Walk
from bouquet.core.errors import WayOut
from bouquet.core.language import tr, whole
from bouquet.core.plan.nodes import Among, Cell, Comparison, Computed, Group, Having, Predicate, Read, Test
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.template import (
    AllOf,
    AnyOf,
    Ask,
    Condition,
    Fold,
    FormulaTest,
    Has,
    Narrowing,
    NoneOf,
    Picks,
    Window,
)
from bouquet.core.values import Value, check_digits, read_value, say_value
from bouquet.core.vocabulary.comparisons import COMPARISONS, operators_of
from bouquet.core.windows import Span, later, resolve_window

__all__ = ["Filters"]

_DAY = re.compile(r"\d{4}-\d\d-\d\d")

#: Comparisons that ask for a moment itself, and what they come to where days are named instead.
_DAYS_OF: dict[str, Literal["any", "none"]] = {"is": "any", "one_of": "any", "is_not": "none", "none_of": "none"}

#: Saved keys that one statement carries.
MOST_PICKS = 50_000


class Filters:
    """
    Resolves narrowings on one state.

    Args:
        column: Finds the cell of a column by its id, or None with a problem.
        formula: Checks a formula at a place, or None with a problem.
        fold: Resolves a count of many records at a place, or None with a problem.
    """

    def __init__(
        self,
        state: ResolutionContext,
        column: Callable[[str, str], Cell | None],
        formula: Callable[[str, str], Computed | None],
        fold: Callable[[Fold, str], Any],
    ) -> None:
        self.state, self.column, self.formula, self.fold = state, column, formula, fold

    def steps(self, root: Narrowing, place: str = "filter") -> tuple[Predicate, ...]:
        """
        The parts of a filter, each one step of the tally.
        """
        if isinstance(root, AllOf):
            parts = [self.predicate(p, f"{place}.all[{n}]") for n, p in enumerate(root.all)]
        else:
            parts = [self.predicate(root, place)]
        return tuple(p for p in parts if p and not (isinstance(p, Group) and not p.parts))

    def predicate(self, node: Narrowing, place: str) -> Predicate | None:
        """
        One narrowing, or None where it narrows nothing or has a problem.
        """
        match node:
            case AllOf():
                return self._group("all", node.all, place)
            case AnyOf():
                return self._group("any", node.any, place)
            case NoneOf():
                return self._group("none", node.none, place)
            case Condition():
                return self._comparison(node, place)
            case Has():
                return self._having(node, place)
            case Picks():
                return self._among(node, place)
            case FormulaTest():
                return self._test(node, place)

    def _group(self, how: str, parts: tuple[Narrowing, ...], place: str) -> Group:
        read = [self.predicate(p, f"{place}.{how}[{n}]") for n, p in enumerate(parts)]
        kept = tuple(p for p in read if p and not (isinstance(p, Group) and not p.parts))
        return Group(how, kept, place)  # type: ignore[arg-type]

    def _having(self, node: Has, place: str) -> Having | None:
        walk = self.state.walk(node.path, f"{place}.path")
        if walk is None:
            return None
        if walk.field is not None:
            message = tr(
                "“{path}” leads to a value, not to records that there are any or none of.",
                path=node.path,
            )
            self.state.problem("not_children", message, f"{place}.path")
            return None
        if walk.many is None:
            message = tr(
                "“{path}” leads to one record; whether it is there is told by a field of it that is not blank.",
                path=node.path,
            )
            self.state.problem("nothing_to_fold", message, f"{place}.path")
            return None
        fold = self.fold(Fold(path=node.path, how="count", where=node.where), place)
        least = None if node.has == "none" else node.count if node.has == "at_least" else 1
        return Having(fold=fold, least=least, place=place) if fold else None

    def _test(self, node: FormulaTest, place: str) -> Test | None:
        cell = self.formula(node.formula, f"{place}.formula")
        if cell is None:
            return None
        if cell.field.kind is not Kind.BOOLEAN:
            message = tr("This formula narrows the records, so it must come to yes or no, as a comparison does.")
            self.state.problem("not_a_test", message, f"{place}.formula", at=0)
            return None
        return Test(cell=cell, place=place)

    def not_sent(self) -> Predicate | None:
        """
        What earlier files leave, of a template that wants only what is new; None where all is.
        """
        state, context = self.state, self.state.context
        if state.template.only == "everything":
            return None
        if state.grouped:
            state.problem("no_memory", tr("A group is no record; what is new can only be told of records."), "only")
        elif state.start.by_row:
            message = tr(
                "Nothing tells the {start} apart, so it is not known which were sent before.",
                start=state.start.plural,
            )
            state.problem("no_memory", message, "only")
        elif state.opened and state.template.at_most is not None:
            message = tr(
                "Where the {start} have several rows, a limit could send a part of one.",
                start=state.start.plural,
            )
            state.problem("no_memory", message, "only")
        elif context.not_sent is not None:
            key = state.catalogue.key_of(state.start)
            keys = tuple(
                tuple(_key_value(k, r.field.stored) for k, r in zip(saved, key, strict=True))
                for saved in context.not_sent.keys
            )
            among = Among(key=key, keys=keys, name="", place="only")
            return Group("none", (among,), "only") if context.not_sent.but else among
        return None

    def _among(self, node: Picks, place: str) -> Among | None:
        state = self.state
        picked = state.context.picks.get(node.picks)
        if picked is None:
            state.problem("unknown_picks", tr("There is no saved list “{picks}”.", picks=node.picks), f"{place}.picks")
            return None
        end = state.catalogue.record_types[state.opened[-1].target] if state.opened else state.start
        relations = state.opened
        if picked.records == state.start.name:
            end, relations = state.start, ()
        if picked.records != end.name:
            message = tr(
                "“{picks}” is a list of {records} records, and these are {end}.",
                picks=node.picks,
                records=picked.records,
                end=end.plural,
            )
            state.problem("wrong_picks", message, f"{place}.picks")
            return None
        if len(picked.keys) > MOST_PICKS:
            message = tr(
                "“{picks}” holds {keys} records; at most {most_picks} can be picked by hand.",
                picks=node.picks,
                keys=whole(len(picked.keys)),
                most_picks=whole(MOST_PICKS),
            )
            state.problem("many_picks", message, f"{place}.picks")
            return None
        key = state.catalogue.key_of(end, relations)
        try:
            keys = tuple(
                tuple(_key_value(k, r.field.stored) for k, r in zip(saved, key, strict=True)) for saved in picked.keys
            )
        except (ValueError, InvalidOperation):
            state.problem(
                "wrong_picks", tr("“{picks}” holds keys that cannot be read.", picks=node.picks), f"{place}.picks"
            )
            return None
        return Among(key=key, keys=keys, name=node.picks, place=place)

    # Comparisons

    def _cell(self, node: Condition, place: str) -> Cell | None:
        if node.column is not None:
            return self.column(node.column, f"{place}.column")
        assert node.path is not None
        route = self.state.route(node.path, f"{place}.path", self._ways_out(node, place))
        return Read(route) if route else None

    def _ways_out(self, node: Condition, place: str) -> tuple[WayOut, ...]:
        walk = self.state.catalogue.walk(self.state.start, node.path or "", place)
        if not isinstance(walk, Walk) or walk.many is None:
            return ()
        many, label = self.state.to_many(walk)
        rest = (node.path or "")[len(many) + 1 :]
        where = {**node.model_dump(mode="json", by_alias=True, exclude_defaults=True), "path": rest}
        has = {"path": many, "has": "any", "where": where}
        return (WayOut("has", tr("Any of the {label} meets it", label=label), place, has), *self.state.opening(walk))

    def _comparison(self, node: Condition, place: str) -> Comparison | Group | None:
        cell = self._cell(node, place)
        if cell is None:
            return None
        kind, operator, label = cell.field.kind, node.is_, cell.field.label
        if kind not in COMPARISONS[operator].kinds:
            known = ", ".join(o.replace("_", " ") for o in operators_of(kind))
            message = tr(
                "{label} cannot be compared by “{value}”; it knows: {known}.",
                label=label,
                value=operator.replace("_", " "),
                known=known,
            )
            self.state.problem("wrong_comparison", message, f"{place}.is")
            return None
        before = len(self.state.problems)
        asked = self._asked(node, place) if node.ask is not None else node
        if asked is None or len(self.state.problems) > before:
            return None
        span = self._span(asked, self._window_place(node, place)) if operator == "in_window" else None
        values = self._values(asked, cell, place)
        if len(self.state.problems) > before:
            self._blame_answer(node, before)
            return None
        if operator in _DAYS_OF and any(_is_day(v, kind) for v in asked.values or (asked.value,)):
            return self._among_days(asked, cell, values, place)
        compared, values, span = self._whole_days(asked, kind, values, span, place)
        if len(self.state.problems) > before:
            return None
        return Comparison(cell=cell, operator=compared, values=values, span=span, exact=node.exact, place=place)

    @staticmethod
    def _among_days(node: Condition, cell: Cell, values: tuple[Value, ...], place: str) -> Comparison | Group:
        """
        Whether a moment is, or is not, on one of some days, or is itself one that is named.
        """
        parts: list[Comparison] = []
        for raw, value in zip(node.values or (node.value,), values, strict=True):
            day = _is_day(raw, cell.field.kind)
            span = Span(value, later(value)) if day and isinstance(value, datetime) else None
            compared: tuple[Value, ...] = () if day else (value,)
            asked = "in_window" if day else "is"
            parts.append(Comparison(cell=cell, operator=asked, values=compared, span=span, exact=False, place=place))
        how = _DAYS_OF[node.is_]
        return parts[0] if how == "any" and len(parts) == 1 else Group(how, tuple(parts), place)

    def _blame_answer(self, node: Condition, before: int) -> None:
        """
        Problems of an answer name the question that it is to.
        """
        ask = next((a for a in self.state.template.asks if a.name == node.ask), None)
        if ask is not None:
            found = self.state.problems[before:]
            self.state.problems[before:] = [replace(p, message=f"“{ask.label}”: {p.message}") for p in found]

    def _asked(self, node: Condition, place: str) -> Condition | None:
        """
        The condition with the answer in the place of its question; None where it narrows nothing.
        """
        ask = self.state.ask(node.ask or "", f"{place}.ask")
        if ask is None:
            return None
        if not _suits(ask, node.is_):
            kind, verb = ask.kind.replace("_", " "), node.is_.replace("_", " ")
            message = tr("An answer of the kind “{kind}” cannot be used with “{verb}”.", kind=kind, verb=verb)
            self.state.problem("wrong_ask", message, f"{place}.ask")
            return None
        answer = self.state.answer(ask)
        if answer is None:
            return None
        try:
            if ask.kind == "window":
                return node.model_copy(update={"window": Window.model_validate(answer), "ask": None})
            if COMPARISONS[node.is_].takes == "list":
                given = tuple(answer) if isinstance(answer, list | tuple) else (answer,)
                return node.model_copy(update={"values": given, "ask": None})
            if isinstance(answer, dict | list):
                raise ValueError
        except (ValidationError, ValueError):
            message = tr("The answer to “{ask}” cannot be read.", ask=ask.label)
            self.state.problem("wrong_answer", message, f"asks[{self.state.template.asks.index(ask)}]")
            return None
        return node.model_copy(update={"value": answer, "ask": None})

    def _whole_days(
        self, node: Condition, kind: Kind, values: tuple[Value, ...], span: Span | None, place: str
    ) -> tuple[str, tuple[Value, ...], Span | None]:
        """
        A day compared with a moment means the whole day: `after 22 Nov` begins on the 23rd, and
        `between` takes in all of its last day.
        """
        operator, raw = node.is_, [str(v) for v in (node.values or (node.value,))]
        timed = kind in (Kind.TIMESTAMP, Kind.MOMENT) and operator == "between" and not _DAY.fullmatch(raw[0])
        if timed and _DAY.fullmatch(raw[1]):
            moments = [v for v in values if isinstance(v, datetime)]
            return "in_window", (), Span(moments[0], later(moments[1]))
        if kind not in (Kind.TIMESTAMP, Kind.MOMENT) or not all(_DAY.fullmatch(r) for r in raw):
            return operator, values, span
        if operator == "between":
            window = Window(type="between", first=raw[0], last=raw[1])
            try:
                return "in_window", (), resolve_window(window, self.state.context.as_of, self.state.zone)
            except ValueError as error:
                self.state.problem("wrong_value", str(error), f"{place}.values")
        if operator == "after" and isinstance(values[0], datetime):
            return "at_least", (later(values[0]),), None
        return operator, values, span

    def _window_place(self, node: Condition, place: str) -> str:
        """
        Where a window stands that has something wrong: in the filter, or in the answer to the question.
        """
        asks = self.state.template.asks
        n = next((n for n, a in enumerate(asks) if a.name == node.ask), None)
        return f"{place}.window" if n is None else f"asks[{n}]"

    def _span(self, node: Condition, place: str) -> Span | None:
        if node.window is None:
            self.state.problem("no_window", tr("Say which days are meant."), place)
            return None
        context = self.state.context
        try:
            return resolve_window(
                node.window,
                context.as_of,
                self.state.zone,
                year_start=context.year_start,
                last_run_at=context.last_run_at,
            )
        except (ValueError, OverflowError) as error:
            said = tr("This window reaches beyond the calendar.") if isinstance(error, OverflowError) else str(error)
            self.state.problem("bad_window", said, place)
            return None

    def _values(self, node: Condition, cell: Cell, place: str) -> tuple[Value, ...]:
        operator = node.is_
        takes = COMPARISONS[operator].takes
        if takes in ("nothing", "window"):
            return ()
        several = takes != "value"
        raw = node.values if several else (node.value,) if node.value is not None else None
        where = f"{place}.values" if several else f"{place}.value"
        wanted = {"range": tr("two values"), "list": tr("at least one value"), "value": "a value"}[takes]
        if not raw or (takes == "range" and len(raw) != 2):
            self.state.problem(
                "no_value",
                tr(
                    "{label} {value} needs {wanted}.",
                    label=cell.field.label,
                    value=operator.replace("_", " "),
                    wanted=wanted,
                ),
                where,
            )
            return ()
        values: list[Value] = []
        for n, item in enumerate(raw):
            try:
                values.append(read_value(item, cell.field, self.state.zone))
            except ValueError as error:
                self.state.problem("wrong_value", str(error), f"{where}[{n}]" if several else where)
        if operator == "between" and len(values) == 2 and values[1] < values[0]:  # type: ignore[operator]
            first, last = (say_value(v, cell.field) for v in values)
            message = tr(
                "{label} ends ({last}) before it begins ({first}); give the lesser value first.",
                label=cell.field.label,
                last=last,
                first=first,
            )
            self.state.problem("turned_range", message, where)
        return tuple(values)


def _suits(ask: Ask, operator: str) -> bool:
    takes = COMPARISONS[operator].takes
    if "window" in (ask.kind, takes):
        return ask.kind == takes
    return takes == "list" if ask.kind == "choices" else takes in ("value", "list")


def _key_value(text: str, stored: str) -> Value:
    if stored == "integer":
        return int(text)
    return check_digits(Decimal(text)) if stored == "numeric" else text


def _is_day(raw: object, kind: Kind) -> bool:
    """
    Whether a day is named where moments are compared.
    """
    return kind in (Kind.TIMESTAMP, Kind.MOMENT) and _DAY.fullmatch(str(raw)) is not None
