"""
The tally: one pass that counts all records and what each step of the filter leaves.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, Literal, TypeAlias

import sqlalchemy as sa

from bouquet.core.catalogue import Relation
from bouquet.core.plan import (
    Cell,
    Comparison,
    Plan,
    Predicate,
    Step,
    relations_of,
)
from bouquet.core.sql.apart import answered_apart
from bouquet.core.sql.rows import Rows
from bouquet.core.sql.scope import Element, Scope
from bouquet.core.sql.sheet import SheetStatements
from bouquet.core.vocabulary.comparisons import COMPARISONS

__all__ = ["Counted", "TallyStatements", "TallyStep"]

#: Records from which on a count is shared between workers of the database, which what is kept apart cannot be.
PARALLEL = 150_000

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
class _CountedRecords:
    """
    Counts of records under construction: `known` is said of each record, a step's condition stands in the count of
    every step after it; `so_far` are the conditions of all steps.
    """

    rows: Rows
    counts: list[sa.Label[Any]]
    known: list[Element]
    so_far: list[Element]
    steps: list[TallyStep]
    apart: bool = False

    def records(self, *also: Element) -> sa.FromClause:
        """
        What is known of each record, and what else is said of it. Call it last.
        """
        said = [*self.known, *also] or [sa.literal_column("1").label("one")]
        records = sa.select(*said).select_from(self.rows.scope.from_clause())
        return (records.offset(sa.literal_column("0")) if self.apart else records).subquery("known")


class TallyStatements(SheetStatements):
    """
    What each step of one plan's filter leaves.
    """

    def tally(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        """
        One pass that counts all records and what is left after each step.
        """
        if self.plan.opened:
            return self._tally_of_children()
        if self.plan.by:
            return self._tally_of_groups()
        return self._tally_of_records()

    def prefixes(self) -> list[tuple[TallyStep, Callable[[], sa.Select[Any]]]]:
        """
        For each step of the tally what makes the statement of the rows that it leaves, to be estimated and not to be
        read; not for groups.
        """
        bare = replace(self.plan, columns=(), order=(), split=None, row_checks=())
        records = replace(bare, opened=(), row_type=bare.record_type, row_key=bare.key, keeps_childless=False)
        parents = tuple(s for s in bare.steps if s.side == "parent")
        children = tuple(s for s in bare.steps if s.side == "child")

        def left(plan: Plan, steps: tuple[Step, ...]) -> sa.Select[Any]:
            return Rows(replace(plan, steps=steps), many=True).select([("one", sa.literal_column("1"))])

        found: list[tuple[TallyStep, Callable[[], sa.Select[Any]]]]
        found = [(TallyStep("all", None, ""), partial(left, records, ()))]
        for n, step in enumerate(parents, 1):
            found.append((TallyStep(_kind(step), step, ""), partial(left, records, parents[:n])))
        if bare.opened:
            for n in range(len(children) + 1):
                step_of = children[n - 1] if n else None
                kind: Literal["filter", "open"] = "filter" if n else "open"
                found.append((TallyStep(kind, step_of, ""), partial(left, bare, parents + children[:n])))
        return found

    def _tally_of_records(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        counted = self._counted_records()
        return sa.select(*counted.counts).select_from(counted.records()), counted.steps

    def _counted_records(self) -> _CountedRecords:
        """
        The counts of records after each step of the filter.
        """
        rows = self._counting(replace(self.plan, by=()))
        scope, found = rows.scope, _CountedRecords(rows, [], [], [], [])
        counts, known, so_far = found.counts, found.known, found.so_far
        counts.append(sa.func.count().label("all_records"))

        def of_record(said: Element) -> Element:
            known.append(said.label(f"r{len(known)}"))
            return sa.column(f"r{len(known) - 1}", sa.Boolean)

        missing: dict[tuple[Relation, ...], Element] = {}

        def empty(name: str, ways: Sequence[tuple[Relation, ...]], *where: Element) -> Counted:
            for k, way in enumerate(ways):
                if way not in missing:
                    missing[way] = of_record(scope.missing(way))
                counts.append(self._counted(sa.and_(*so_far, missing[way], *where)).label(f"{name}{k}"))
            return tuple((way, f"{name}{k}") for k, way in enumerate(ways))

        steps = found.steps
        steps.append(TallyStep("all", None, "all_records", empty=empty("ea", self._relations_used())))
        for n, step in enumerate(s for s in self.plan.steps if s.side == "parent"):
            blank, holds = self._lost_blank(scope, step), of_record(scope.holds(step.predicate))
            if blank is not None:
                counts.append(self._counted(sa.and_(*so_far, of_record(blank))).label(f"b{n}"))
            lost = empty(f"e{n}_", self._lost_by(step), _not(holds))
            so_far.append(holds)
            counts.append(self._counted(sa.and_(*so_far)).label(f"n{n}"))
            blank_name = f"b{n}" if blank is not None else None
            steps.append(TallyStep(_kind(step), step, f"n{n}", blank_name, lost_empty=lost))
        if len(steps) > 1:
            steps[-1] = replace(steps[-1], empty=empty("el", self._relations_used(shown=True)))
        # Kept apart, each condition is looked at once for a record, and not once for every count that it is in.
        few = (self.plan.record_type.rows_estimate or PARALLEL) < PARALLEL
        return replace(found, apart=self.dialect.keeps_apart and few)

    def _counting(self, plan: Plan) -> Rows:
        """
        The rows of a count, in which conditions are looked at for all records and leave none out.
        """
        asked = [s.predicate for s in plan.steps] if self.dialect.keeps_apart else []
        apart = answered_apart(plan.catalogue, plan.record_type, plan.opened, asked)
        return Rows(plan, many=True, exists=False, apart=apart)

    @staticmethod
    def _lost_blank(scope: Scope, step: Step) -> Element | None:
        part = step.predicate
        if isinstance(part, Comparison) and COMPARISONS[part.operator].tells_blanks:
            return scope.blank(part.cell)
        return None

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
        plan, later = self.plan, [s for s in self.plan.steps if s.side == "child"]
        if not later:
            return self._tally_at_once()
        records, steps = self._tally_of_records()
        first = records.subquery("records")
        steady = tuple(replace(b, fill_gaps=False) for b in plan.by)
        rows = Rows(replace(plan, by=steady, steps=tuple(s for s in plan.steps if s.side == "parent")), many=True)
        outputs = [(f"h{n}", rows.inside(rows.scope.holds(s.predicate))) for n, s in enumerate(later)]
        groups = rows.select([("one", sa.literal_column("1")), *outputs]).subquery("grouped")
        counts: list[Element] = [sa.func.count().label("all_groups")]
        steps.append(TallyStep("group", None, "all_groups"))
        for n, step in enumerate(later):
            holds = sa.and_(*(groups.c[f"h{k}"] for k in range(n + 1)))
            counts.append(self._counted(holds).label(f"g{n}"))
            steps.append(TallyStep("filter", step, f"g{n}"))
        second = sa.select(*counts).select_from(groups).subquery("groups")
        return sa.select(first, second).select_from(first.join(second, sa.true())), steps

    def _tally_at_once(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        """
        Records and groups in one pass, where no step narrows groups: the records that pass are counted by group, the
        others all together.
        """
        counted = self._counted_records()
        passes = sa.func.coalesce(sa.and_(*counted.so_far), sa.false()) if counted.so_far else sa.true()
        keys = [counted.rows.grouped(b) for b in self.plan.by]
        inner = counted.records(*(k.label(f"key{n}") for n, k in enumerate(keys)))
        by: list[Element] = [sa.column(f"key{n}", k.type) for n, k in enumerate(keys)]
        if counted.so_far:
            by = [passes, *(sa.case((passes, k)) for k in by)]
        per = sa.select(passes.label("passes"), *counted.counts).select_from(inner).group_by(*by).subquery("per_group")
        counts: list[Element] = [self._sum(per.c[c.name]).label(c.name) for c in counted.counts]
        counts.append(self._counted(per.c.passes).label("all_groups"))
        return sa.select(*counts).select_from(per), [*counted.steps, TallyStep("group", None, "all_groups")]

    @staticmethod
    def _sum(counts: Element) -> Element:
        return sa.cast(sa.func.coalesce(sa.func.sum(counts), sa.literal_column("0")), sa.BigInteger)

    def _tally_of_children(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        """
        Children are counted per record first, so that records without any are known, and records count once.
        """
        scope = self._counting(self.plan).scope
        parents = [s for s in self.plan.steps if s.side == "parent"]
        children = [s for s in self.plan.steps if s.side == "child"]
        opened = tuple(r.name for r in self.plan.opened[: scope.first_many + 1])
        shown = self._relations_used(shown=True)
        of_children = [w for w in shown if tuple(r.name for r in w)[: len(opened)] == opened]
        of_records = [w for w in shown if w not in of_children]
        inner, so_far = self._per_record(scope, parents, children)
        inner += [(f"ea{k}", scope.dialect.some(scope.missing(w))) for k, w in enumerate(of_records)]
        for k, way in enumerate(of_children):
            inner.append((f"ec{k}", self._counted(sa.and_(*so_far, scope.missing(way)))))
        keys = [scope.column(k) for k in self.plan.key]
        made = sa.select(*(e.label(name) for name, e in inner)).select_from(scope.from_clause(keep=True))
        per = made.group_by(*keys).subquery("per_record")
        counts: list[Element] = [sa.func.count().label("all_records")]
        counts += [self._counted(per.c[f"ea{k}"]).label(f"ea{k}") for k in range(len(of_records))]
        all_records = TallyStep(
            "all", None, "all_records", empty=tuple((w, f"ea{k}") for k, w in enumerate(of_records))
        )
        counted, steps, holds = self._parents_left(per, parents)
        counts += counted
        left, opening = self._children_left(scope, per, children, holds)
        counts += left
        counts += [_summed(scope, per.c[f"ec{k}"], holds).label(f"ec{k}") for k in range(len(of_children))]
        opening[-1] = replace(opening[-1], empty=tuple((w, f"ec{k}") for k, w in enumerate(of_children)))
        return sa.select(*counts).select_from(per), [all_records, *steps, *opening]

    def _per_record(
        self, scope: Scope, parents: list[Step], children: list[Step]
    ) -> tuple[list[tuple[str, Element]], list[Element]]:
        """
        What is said of each record and its children, by the names of these: `p` whether a step leaves it, `c` how many
        children are left after one; with `b` of blank values, and with `e` of relations that lead nowhere. And the
        conditions that a child left at the end meets.
        """
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
        inner.append(("c0", self._counted(child)))
        for n, step in enumerate(children, 1):
            blank = self._lost_blank(scope, step)
            if blank is not None:
                inner.append((f"cb{n}", self._counted(sa.and_(*so_far, blank))))
            holds_here = scope.holds(step.predicate)
            for k, way in enumerate(self._lost_by(step)):
                lost = sa.and_(*so_far, scope.missing(way), _not(holds_here))
                inner.append((f"ce{n}_{k}", self._counted(lost)))
            so_far.append(holds_here)
            inner.append((f"c{n}", self._counted(sa.and_(*so_far))))
        return inner, so_far

    def _parents_left(
        self, per: sa.FromClause, parents: list[Step]
    ) -> tuple[list[Element], list[TallyStep], list[Element]]:
        """
        The records that each step leaves: their counts, the steps, and what a record left at the end meets.
        """
        counts: list[Element] = []
        steps: list[TallyStep] = []
        holds: list[Element] = []
        for n, step in enumerate(parents):
            blank_name = f"b{n}" if f"pb{n}" in per.c else None
            if blank_name:
                counts.append(self._counted(sa.and_(*holds, per.c[f"pb{n}"])).label(blank_name))
            lost_parents = tuple((w, f"pe{n}_{k}") for k, w in enumerate(self._lost_by(step)))
            for _, name in lost_parents:
                counts.append(self._counted(sa.and_(*holds, per.c[name])).label(name))
            holds.append(per.c[f"p{n}"])
            counts.append(self._counted(sa.and_(*holds)).label(f"n{n}"))
            steps.append(TallyStep(_kind(step), step, f"n{n}", blank_name, lost_empty=lost_parents))
        return counts, steps, holds

    def _children_left(
        self, scope: Scope, per: sa.FromClause, children: list[Step], holds: list[Element]
    ) -> tuple[list[Element], list[TallyStep]]:
        """
        The rows that opening the children, and then each step of theirs, leaves of records that meet `holds`.
        """
        zero: Element = sa.literal_column("0")
        one: Element = sa.literal_column("1")
        counts: list[Element] = []
        steps: list[TallyStep] = []
        for n in range(len(children) + 1):
            rows = per.c[f"c{n}"]
            kept = sa.case((rows > zero, rows), else_=one) if self.plan.keeps_childless else rows
            counts.append(_summed(scope, kept, holds).label(f"r{n}"))
            counts.append(self._counted(sa.and_(*holds, rows == zero)).label(f"w{n}"))
            blank_name = f"rb{n}" if f"cb{n}" in per.c else None
            if blank_name:
                counts.append(_summed(scope, per.c[f"cb{n}"], holds).label(blank_name))
            step_of = children[n - 1] if n else None
            kind: Literal["filter", "open"] = "filter" if n else "open"
            lost_rows = tuple((w, f"ce{n}_{k}") for k, w in enumerate(self._lost_by(step_of))) if step_of else ()
            counts += [_summed(scope, per.c[name], holds).label(name) for _, name in lost_rows]
            steps.append(TallyStep(kind, step_of, f"r{n}", blank_name, f"w{n}", lost_empty=lost_rows))
        return counts, steps


def _not(found: Element) -> Element:
    return sa.not_(sa.func.coalesce(found, sa.false()))


def _kind(step: Step) -> Literal["filter", "scope"]:
    return "scope" if step.hidden else "filter"


def _summed(scope: Scope, found: Element, holds: list[Element]) -> Element:
    """
    The sum of a count of each record, over the records that meet all conditions.
    """
    total = scope.dialect.filtered(sa.func.sum(found), *holds)
    return sa.cast(sa.func.coalesce(total, sa.literal_column("0")), sa.BigInteger)
