"""
The trace: why is this record in, or out? It goes through the same plan as the run.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from typing import Any

from bouquet.core.catalogue import Route
from bouquet.core.dictionary import column_words
from bouquet.core.language import tr, whole
from bouquet.core.plan import Plan
from bouquet.core.sql import Answered, Statements
from bouquet.core.values import Value, check_digits
from bouquet.sources import Snapshot

__all__ = ["LeftOut", "Trace", "TraceStep", "Traced", "left_out", "trace"]

#: Children of one record that are traced with it.
MOST_CHILDREN = 20


@dataclass(frozen=True)
class TraceStep:
    """
    What one step saw, as (label, value) pairs, and whether it let the record pass.
    """

    place: str
    words: str
    passed: bool
    saw: tuple[tuple[str, str | None], ...]


@dataclass(frozen=True)
class Traced:
    """
    One record and how it fared. `stopped_by` is the position of the first step that stopped it.
    """

    key: tuple[str, ...]
    title: str | None
    what: str
    steps: tuple[TraceStep, ...]

    @property
    def stopped_by(self) -> int | None:
        return next((n for n, s in enumerate(self.steps) if not s.passed), None)

    @property
    def is_in(self) -> bool:
        return self.stopped_by is None


@dataclass(frozen=True)
class Trace:
    """
    A traced record, None where there is none; the rows it could become; keys of others with the same title.
    """

    record: Traced | None
    children: tuple[Traced, ...] = ()
    others: tuple[tuple[str, ...], ...] = ()


def trace(snapshot: Snapshot, plan: Plan, words: Mapping[str, str], key: Sequence[str]) -> Trace:
    """
    Trace a record of the plan's type by its key, or by what its title says.

    Where rows stand for children, the children that the record has are traced, too, and a key or title that no
    record of the type has is looked for among the children. `words` names steps by their place.
    """
    tracer = _Tracer(snapshot, plan, words)
    for child in (False, True) if plan.opened else (False,):
        keys = tracer.keys(key, child=child)
        for n, found in enumerate(keys):
            record = tracer.traced(found, child=child)
            if record is not None:
                children = tracer.children(found) if plan.opened and not child else ()
                if plan.opened and not child:
                    record = tracer.with_children(record, children)
                others = tuple(tuple(map(str, k)) for k in keys[n + 1 :])
                return Trace(record, children, others)
    return Trace(None)


class _Tracer:
    def __init__(self, snapshot: Snapshot, plan: Plan, words: Mapping[str, str]) -> None:
        self.snapshot, self.plan, self.words = snapshot, plan, words
        self.statements = Statements(plan)

    def keys(self, given: Sequence[str], *, child: bool) -> list[tuple[Value, ...]]:
        """
        Keys that may be meant: the given one, then those of records with such a title.
        """
        routes = self.plan.catalogue.key_of(self.plan.row_type if child else self.plan.record_type)
        found = [k for k in [_read_key(given, routes)] if k is not None]
        statement = self.statements.keys_of(given[0], child=child) if len(given) == 1 else None
        if statement is not None:
            for row in self.snapshot.rows(statement):
                key = _read_key([row[f"k{n}"] for n in range(len(routes))], routes)
                if key is not None and key not in found:
                    found.append(key)
        return found

    def traced(self, key: Sequence[Value], *, child: bool) -> Traced | None:
        statement, steps = self.statements.trace(key, child=child)
        rows = self.snapshot.rows(statement)
        if not rows:
            return None
        row = rows[0]
        made = [self._step(s, row) for s in steps]
        if self.plan.by and all(s.passed for s in made):
            made += self._of_group(key)
        own_row = child or not self.plan.opened
        if self.plan.at_most is not None and own_row and not self.plan.by and all(s.passed for s in made):
            made.append(self._limit(key))
        record_type = self.plan.row_type if child else self.plan.record_type
        return Traced(tuple(map(str, key)), row.get("title"), record_type.label, tuple(made))

    def _step(self, traced: Answered, row: Mapping[str, Any]) -> TraceStep:
        return TraceStep(
            traced.step.place,
            tr("hidden by rights") if traced.step.hidden else self.words.get(traced.step.place, traced.step.place),
            bool(row[traced.holds]),
            tuple((column_words(cell), row[name]) for cell, name in traced.saw),
        )

    def _of_group(self, key: Sequence[Value]) -> list[TraceStep]:
        """
        How the group fared that the record belongs to.
        """
        statement, steps = self.statements.trace_group(key)
        if not steps and self.plan.at_most is None:
            return []
        rows = self.snapshot.rows(statement)
        made = [self._step(s, rows[0]) for s in steps] if rows else []
        if rows and self.plan.at_most is not None and all(s.passed for s in made):
            made.append(self._within_limit(int(rows[0]["position"] or 0)))
        return made

    def _limit(self, key: Sequence[Value]) -> TraceStep:
        found = self.snapshot.rows(self.statements.position(key))
        return self._within_limit(int(found[0]["position"]) if found else 0)

    def _within_limit(self, position: int) -> TraceStep:
        words = tr("the first {at_most}", at_most=whole(self.plan.at_most or 0))
        saw = ((tr("its position"), f"{position:,}"),)
        return TraceStep("at_most", words, 0 < position <= (self.plan.at_most or 0), saw)

    def children(self, key: Sequence[Value]) -> tuple[Traced, ...]:
        statement = self.statements.children_of(key, limit=MOST_CHILDREN)
        routes = self.plan.catalogue.key_of(self.plan.row_type)
        found = []
        for row in self.snapshot.rows(statement):
            child = _read_key([row[f"k{n}"] for n in range(len(routes))], routes)
            traced = self.traced(child, child=True) if child is not None else None
            if traced is not None:
                found.append(traced)
        return tuple(found)

    def with_children(self, record: Traced, children: Sequence[Traced]) -> Traced:
        """
        The record with the step in which children became rows.
        """
        passing = sum(c.is_in for c in children)
        kept = self.plan.keeps_childless
        said = tr("one row per {row_type}", row_type=self.plan.row_type.label) + (
            tr("; one also without any") if kept else ""
        )
        saw = ((tr("its {row_type} that pass", row_type=self.plan.row_type.plural), str(passing)),)
        return replace(record, steps=(*record.steps, TraceStep("rows", said, kept or passing > 0, saw)))


def _read_key(given: Sequence[Any], routes: Sequence[Route]) -> tuple[Value, ...] | None:
    if len(given) != len(routes):
        return None
    key: list[Value] = []
    for text, route in zip(given, routes, strict=True):
        try:
            if route.field.stored == "integer":
                number = int(str(text))
                if abs(number) >= 2**63:
                    return None
                key.append(number)
            elif route.field.stored == "numeric":
                key.append(check_digits(Decimal(str(text))))
            elif "\x00" in str(text):
                return None
            else:
                key.append(str(text))
        except (ValueError, InvalidOperation):
            return None
    return tuple(key)


@dataclass(frozen=True)
class LeftOut:
    """
    A record that a step was the first to stop: its key, what people know it by, and (label, value) of what the step
    saw.
    """

    key: tuple[str, ...]
    title: str | None
    saw: tuple[tuple[str, str | None], ...] = ()


def left_out(snapshot: Snapshot, plan: Plan, place: str, limit: int) -> tuple[list[LeftOut], bool]:
    """
    Records that the step at `place` was the first to stop, and whether there are more. The place `rows` stands for the
    step in which children became rows: records without any.

    Raises KeyError where no step has that place.
    """
    statements = Statements(plan)
    if place == "rows" and plan.opened:
        statement, labels = statements.without_children(limit=limit + 1), []
    elif any(s.place == place and not s.hidden for s in plan.steps):
        statement = statements.left_out(place, limit=limit + 1)
        labels = [column_words(cell) for cell in statements.seen_by(place)]
    else:
        raise KeyError(place)
    rows = snapshot.rows(statement)
    keys = sorted(n for n in (rows[0] if rows else {}) if n.startswith("k"))
    found = [
        LeftOut(
            tuple(str(r[k]) for k in keys),
            r.get("title"),
            tuple((label, r[f"v{n}"]) for n, label in enumerate(labels)),
        )
        for r in rows
    ]
    return found[:limit], len(found) > limit
