"""
The tally: how many records each step of a plan leaves.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import takewhile
from typing import Any

from bouquet.core.errors import PlanError
from bouquet.core.language import tr, whole
from bouquet.core.plan import Plan, too_many_steps
from bouquet.core.sql import Counted, Statements, TallyStep
from bouquet.core.windows import MOST_FILLED
from bouquet.sources import Snapshot

__all__ = ["about_tally", "count_tally", "records_read"]

#: What a count may cost, as `Planned` has it, that is not worth an estimate before it: a quarter of a second.
SOON_COUNTED = 40_000


def about_tally(snapshot: Snapshot, plan: Plan, words: dict[str, str]) -> list[dict[str, Any]] | None:
    """
    The tally as the source's planner expects it, for a plan whose count takes a while; None where it does not, where
    the source expects nothing, where rows are groups, and where rights hide records, of which its figures would tell.
    """
    statements = Statements(plan)
    if plan.by or plan.rights is not None or statements.reads_few:
        return None
    prefixes = statements.prefixes()
    last = snapshot.planned(prefixes[-1][1]())
    if last is None or last.cost < SOON_COUNTED:
        return None
    tally: list[dict[str, Any]] = []
    before = 0
    for step, statement in prefixes:
        planned = snapshot.planned(statement())
        if planned is None:
            return None
        narrows = step.kind == "filter"
        rows = min(planned.rows, before) if narrows else planned.rows
        entry = {"kind": step.kind, "place": step.step.place if step.step else "", "words": _words(step, plan, words)}
        tally.append({**_LINE, **entry, "rows": rows, "left_out": before - rows if narrows else 0})
        before = rows
    return tally + _limited(plan, before)


def count_tally(snapshot: Snapshot, plan: Plan, words: dict[str, str]) -> list[dict[str, Any]]:
    """
    The tally: all records, what each step leaves, and the rows that go out.

    `words` names the steps by their place in the document. Each entry has its `kind`: `all`, `filter`, `scope` (rows
    hidden by rights), `open` (children become rows), `group` (records become groups) or `limit`. `left_out` counts what
    a step lost; `blank` how many of these were blank in an order comparison; `without` the records that have no child,
    None where that is no question. `empty` counts, of the rows, those whose relation to one record leads nowhere, as
    `{"path", "words", "rows", "leave_out"}`, where `leave_out` is the narrowing that would leave them out; `lost_empty`
    the same of what the step lost.
    """
    statements = Statements(plan)
    statement, steps = statements.tally()
    counts = snapshot.row(statement)
    tally: list[dict[str, Any]] = []
    before = 0
    for step in steps:
        rows, place = int(counts[step.count]), step.step.place if step.step else ""
        narrows = step.kind in ("filter", "scope")
        entry: dict[str, Any] = {
            "kind": step.kind,
            "place": place,
            "words": _words(step, plan, words),
            "rows": rows,
            "left_out": before - rows if narrows else 0,
            "blank": int(counts[step.blank] or 0) if step.blank else 0,
            "without": int(counts[step.without]) if step.without else None,
            "empty": _empty(plan, step.empty, counts),
            "lost_empty": _empty(plan, step.lost_empty, counts),
        }
        tally.append(entry)
        before = rows
    filled = next((n for n, b in enumerate(plan.by) if b.fill_gaps), None)
    if filled is not None:
        # Where no window says so, records do: one date of the year 9999 is enough.
        if int(snapshot.row(statements.steps())["steps"]) > MOST_FILLED:
            raise PlanError([too_many_steps(f"rows.by[{filled}].fill_gaps")])
        rows = int(snapshot.row(statements.count())["rows"])
        tally.append({**_LINE, "kind": "group", "words": tr("with empty steps between"), "rows": rows})
        return tally
    return tally + _limited(plan, before)


def records_read(tally: Sequence[Mapping[str, Any]]) -> int:
    """
    How many rows the source goes through for those that are written: of groups, the records that they are made of.
    """
    *_, last = takewhile(lambda step: step["kind"] != "group", tally)
    return int(last["rows"])


def _limited(plan: Plan, before: int) -> list[dict[str, Any]]:
    """
    The step that leaves no more rows than the template takes, where there are more.
    """
    if plan.at_most is None or before <= plan.at_most:
        return []
    entry = {
        "kind": "limit",
        "place": "at_most",
        "words": tr("the first {at_most}", at_most=whole(plan.at_most)),
        "rows": plan.at_most,
    }
    return [{**_LINE, **entry, "left_out": before - plan.at_most}]


_LINE: dict[str, Any] = {"place": "", "left_out": 0, "blank": 0, "without": None, "empty": [], "lost_empty": []}


def _empty(plan: Plan, counted: Counted, counts: dict[str, Any]) -> list[dict[str, Any]]:
    """
    Relations that lead nowhere for some rows.
    """
    found = []
    for way, name in counted:
        rows = int(counts[name] or 0)
        if rows:
            key = plan.catalogue.key_of(plan.catalogue.record_types[way[-1].target], way)
            label = way[-1].label.lower()
            found.append(
                {
                    "path": ".".join(r.name for r in way),
                    "words": tr("without {label}", label=label)
                    if len(way) == 1
                    else tr("{way} without {label}", way=way[-2].label.lower(), label=label),
                    "rows": rows,
                    "leave_out": {"path": key[0].path, "is": "not_blank"} if key else None,
                }
            )
    return found


def _words(step: TallyStep, plan: Plan, words: dict[str, str]) -> str:
    if step.kind == "open":
        kept = tr("kept, a row each") if plan.keeps_childless else tr("left out")
        return tr(
            "one row per {row_type}; {record_type} without any are {kept}",
            row_type=plan.row_type.label,
            record_type=plan.record_type.plural,
            kept=kept,
        )
    if step.kind == "group":
        return tr("groups")
    if step.kind == "scope":
        return tr("hidden by rights")
    return words.get(step.step.place, step.step.place) if step.step else plan.record_type.plural
