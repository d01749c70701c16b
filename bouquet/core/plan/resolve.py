"""
Resolve a template against a catalogue: every path, value and window, or every problem.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from bouquet.core import formula
from bouquet.core.catalogue import Catalogue, Kind, Walk
from bouquet.core.errors import PlanError, Problem, nearest
from bouquet.core.language import tr
from bouquet.core.personal import seen_catalogue
from bouquet.core.plan.across import Spread, across_of, spread_out, too_many, values_template
from bouquet.core.plan.capabilities import check_capabilities
from bouquet.core.plan.cells import Cells
from bouquet.core.plan.checks import Checks
from bouquet.core.plan.columns import Columns
from bouquet.core.plan.companions import Companions
from bouquet.core.plan.filters import Filters
from bouquet.core.plan.grouping import Grouping
from bouquet.core.plan.made import read_narrowing
from bouquet.core.plan.model import AcrossValue, Context, GroupBy, Plan, PlanAcross, PlanColumn, Step
from bouquet.core.plan.nodes import (
    Cell,
    Comparison,
    Computed,
    Folded,
    Group,
    Permitted,
    Predicate,
    Read,
    Stepped,
    routes_of,
)
from bouquet.core.plan.order import Orders
from bouquet.core.plan.output import Outputs
from bouquet.core.plan.state import ResolutionContext, answer_to, opened_by
from bouquet.core.rights import Rights
from bouquet.core.template import (
    Across,
    Column,
    FieldValue,
    Fold,
    PerChild,
    PerRecord,
    Template,
    folder_formula,
)

__all__ = ["Resolution", "resolve"]


@dataclass
class Resolution:
    """
    Result of resolving: the plan when it can be run, and all problems met.

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
    across = across_of(template)
    if across is not None:
        return _resolve_across(template, across, catalogue, context)
    catalogue = seen_catalogue(catalogue, context.sight)
    whole = catalogue.whole or catalogue
    record_type = catalogue.record_types.get(template.records)
    if record_type is None and template.records in whole.record_types:
        return Resolution(
            None, [Problem(code="closed", message=tr("Its records are not yours to see."), place="records")]
        )
    if record_type is None:
        candidates = nearest(template.records, list(catalogue.record_types))
        hint = tr(" Did you mean {candidates}?", candidates=", ".join(candidates)) if candidates else ""
        message = tr(
            "{catalogue} has no record type “{records}”.{hint}",
            catalogue=catalogue.title,
            records=template.records,
            hint=hint,
        )
        unknown = Problem(code="unknown_record_type", message=message, place="records", candidates=candidates)
        return Resolution(None, [unknown])
    attached = template.output.attachments
    if attached is not None and record_type.key and isinstance(template.rows, PerRecord):
        value = folder_formula(attached.folder, record_type.key)
        link = Column(id="attachments", heading=attached.heading, value=value)
        template = template.model_copy(update={"columns": (*template.columns, link)})
    seen = _seen_columns(template, catalogue, whole) if whole is not catalogue else template
    state = ResolutionContext(seen, catalogue, record_type, context)
    state.opened = opened_by(state)
    found = _Resolver(state).resolve()
    unseen = len(template.columns) - len(seen.columns)
    if not unseen:
        return found
    return _told(found, template, seen, unseen)


def _resolve_across(template: Template, across: Across, catalogue: Catalogue, context: Context) -> Resolution:
    """
    Resolve a cross-tab: spread out over the values that the context knows; over none, where they are not known yet.
    """
    values = context.across or ()
    start = catalogue.record_types.get(template.records)

    def is_own(fold: Fold) -> bool:
        walk = catalogue.walk(start, fold.path, "") if start is not None else None
        return isinstance(walk, Walk) and walk.many is None

    problems: list[Problem] = []
    if (many := too_many(template, across, values, is_own)) is not None:
        # Nothing is spread out that would be refused all the same.
        problems.append(Problem(code="many_across", message=many, place="rows.across"))
        values = ()
    listing = resolve(values_template(template, across), catalogue, replace(context, across=None))
    by = listing.partial.by if listing.partial is not None else ()
    if by and by[0].cell.field.kind.is_dated and any(isinstance(v.value, str) for v in values):
        message = tr("Some of these dates lie before the year 1 or after 9999, and no column can stand for them.")
        problems.append(Problem(code="far_across", message=message, place="rows.across"))
        values = ()
    spread = spread_out(template, across, values, is_own)
    found = resolve(spread.template, catalogue, replace(context, across=None))
    problems += dict.fromkeys(map(spread.moved, found.problems))
    for problem in listing.problems:
        if problem.place.startswith("rows.by[0]"):
            problems.append(replace(problem, place=problem.place.replace("rows.by[0]", "rows.across", 1)))
    if by and across.step is None and by[0].cell.field.kind in _IN_STEPS:
        message = tr("Moments are taken across in steps of days or longer; say which.")
        problems.append(Problem(code="no_step", message=message, place="rows.across.step"))
    if values and all(c.id == Spread.own_id(c.id) for c in spread.template.columns):
        message = tr("No column folds the group's own records, so there is nothing to spread across.")
        problems.append(Problem(code="nothing_across", message=message, place="rows.across"))

    def named(plan: Plan | None) -> Plan | None:
        if plan is None:
            return None
        numbers = dict(zip((c.id for c in spread.template.columns), spread.numbers, strict=True))
        columns = tuple(replace(c, id=Spread.own_id(c.id), number=numbers.get(c.id, 1)) for c in plan.columns)
        stands = PlanAcross(by[0], _folds_across(columns, by[0], values)) if by else None
        return replace(plan, columns=columns, context=context, across=stands)

    notes = list(dict.fromkeys(map(spread.moved, found.notes)))
    partial = None if any(p.place.startswith("rows.across") for p in problems) else named(found.partial)
    return Resolution(None if problems else named(found.plan), problems, partial, notes)


def _folds_across(
    columns: Sequence[PlanColumn], by: GroupBy, values: Sequence[AcrossValue]
) -> tuple[tuple[Folded, Folded, Comparison], ...]:
    """
    The folds of the records with one of the values, as `PlanAcross` has them; none where some are not as a value across
    makes them.
    """
    found: list[tuple[Folded, Folded, Comparison]] = []
    whole: dict[str, Folded] = {}
    for column in columns:
        fold = column.cell
        if not isinstance(fold, Folded) or fold.chain or fold.where is None or column.number > len(values):
            continue
        parts = fold.where.parts if isinstance(fold.where, Group) and fold.where.how == "all" else (fold.where,)
        at, value = parts[0], values[column.number - 1].value
        if not isinstance(at, Comparison):
            return ()
        if isinstance(by.cell, Stepped):
            verb = "blank" if value is None else "is"
            at = replace(at, cell=by.cell, operator=verb, values=() if value is None else (value,), span=None)
        if at.cell != by.cell:
            return ()
        rest = None if len(parts) == 1 else Group("all", parts[1:], fold.where.place)
        found.append((fold, whole.setdefault(column.id, replace(fold, where=rest)), at))
    return tuple(found)


#: Kinds whose values are hardly ever the same twice.
_IN_STEPS = (Kind.MOMENT, Kind.TIMESTAMP)


def _seen_columns(template: Template, seen: Catalogue, whole: Catalogue) -> Template:
    """
    A template without the plain columns of what a person may not see. Whatever else depends on that stays, and is a
    problem of its own.
    """

    def leads(catalogue: Catalogue, value: object) -> bool:
        start = catalogue.record_types[template.records]
        return isinstance(value, FieldValue) and isinstance(catalogue.walk(start, value.field, ""), Walk)

    kept = tuple(c for c in template.columns if leads(seen, c.value) or not leads(whole, c.value))
    return template.model_copy(update={"columns": kept})


def _told(found: Resolution, template: Template, seen: Template, unseen: int) -> Resolution:
    """
    A resolution of the columns that are seen, with its places as the whole template counts them.
    """
    at = {n: template.columns.index(c) for n, c in enumerate(seen.columns)}

    def moved(problem: Problem) -> Problem:
        def counted(match: re.Match[str]) -> str:
            return f"columns[{at[int(match[1])]}]"

        return replace(problem, place=re.sub(r"^columns\[([0-9]+)\]", counted, problem.place))

    said = tr("1 column is") if unseen == 1 else tr("{unseen} columns are", unseen=unseen)
    note = Problem(
        code="not_seen", message=tr("{said} left out: you may not see what it holds.", said=said), place="columns"
    )
    plan, partial = (replace(p, unseen=unseen) if p is not None else None for p in (found.plan, found.partial))
    return Resolution(plan, [moved(p) for p in found.problems], partial, [note, *map(moved, found.notes)])


#: Parts of a document whose problems leave nothing to look at.
_NEEDED = ("records", "made", "rows", "filter", "order", "asks", "output.split", "output.reader")


class _Resolver:
    def __init__(self, state: ResolutionContext) -> None:
        self.state, self.template, self.start = state, state.template, state.start
        self.catalogue, self.context = state.catalogue, state.context
        self.grouping = Grouping(state)
        self.cells = Cells(state, self.grouping)

    def resolve(self) -> Resolution:
        state, template, opened = self.state, self.template, self.state.opened
        row_type = self.catalogue.record_types[opened[-1].target] if opened else self.start
        columns = Columns(state, self.cells).resolve()
        steps = self._steps()
        key = self.catalogue.key_of(self.start)
        row_key = self.catalogue.key_of(row_type, opened) if opened else key
        outputs = Outputs(state, self.cells)
        split = outputs.split()
        groups = outputs.reader_groups(columns)
        ends: list[Cell] = [b.cell for b in self.grouping.by] or [Read(k) for k in dict.fromkeys((*key, *row_key))]
        order = Orders(state, self.cells).resolve([c for c in (split,) if c] + [columns[n].cell for n in groups], ends)
        outputs.check(columns)
        row_checks, file_checks = Checks(state, columns, self.cells.formula, self.cells.formula_of).resolve(
            template.checks
        )
        check_capabilities(state)
        companions = Companions(state, resolve)
        plan = Plan(
            catalogue=self.catalogue,
            record_type=self.start,
            row_type=row_type,
            opened=opened,
            keeps_childless=isinstance(template.rows, PerChild) and template.rows.parents_without == "keep",
            by=self.grouping.by,
            columns=columns,
            steps=steps,
            order=order,
            key=key,
            row_key=row_key,
            at_most=template.at_most,
            split=split,
            groups=groups,
            zone=state.zone,
            context=self.context,
            output=template.output,
            name=template.name,
            answers=self._answers(),
            row_checks=row_checks,
            file_checks=file_checks,
            children=companions.children(),
            attached=companions.attached(),
        )
        problems = state.problems
        sound = not any(p.place.startswith(_NEEDED) for p in problems)
        return Resolution(None if problems else plan, problems, plan if sound else None, state.notes)

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

    def _steps(self) -> tuple[Step, ...]:
        filters = Filters(self.state, self.cells.column_named, self.cells.formula, self.cells.fold)
        steps = [Step(p, self._side(p)) for p in filters.steps(self.template.filter)]
        if self.start.where:
            steps = [Step(p, "parent") for p in filters.steps(read_narrowing(self.start.where), "made")] + steps
        if any(s.side == "child" for s in steps) and any(b.fill_gaps for b in self.grouping.by):
            n = next(n for n, b in enumerate(self.grouping.by) if b.fill_gaps)
            message = tr(
                "Gaps cannot be filled where groups are narrowed: a gap could not be told from a group left out."
            )
            self.state.problem("gaps_and_groups", message, f"rows.by[{n}].fill_gaps")
        hidden = self._scope()
        parents = [s for s in steps if s.side == "parent"]
        not_sent = filters.not_sent()
        if not_sent is not None:
            parents.append(Step(not_sent, "parent"))
        return (*hidden, *parents, *(s for s in steps if s.side == "child"))

    def _side(self, predicate: Predicate) -> Any:
        """
        Whether a predicate narrows records, or what became rows of them: children, or groups.
        """
        if self.state.grouped:
            return "child" if _folds_group(predicate) else "parent"
        opened = tuple(r.name for r in self.state.opened)
        first = next((n for n, r in enumerate(self.state.opened) if r.many), 0) + 1
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
            message = tr(
                "Your rights leave nothing of the {start}; ask an administrator for more.",
                start=self.start.plural,
            )
            self.state.problem("closed", message, "records")
            return []
        return [Step(Permitted(), hidden=True)]


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
