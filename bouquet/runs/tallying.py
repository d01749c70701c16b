"""
The tally: how many records each step of a plan leaves.
"""

from __future__ import annotations

from typing import Any

from bouquet.core.plan import Plan
from bouquet.core.sql import Counted, Statements, TallyStep
from bouquet.sources import Snapshot

__all__ = ["count_tally"]


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
    if any(b.fill_gaps for b in plan.by):
        rows = int(snapshot.row(statements.count())["rows"])
        tally.append({**_LINE, "kind": "group", "words": "with empty steps between", "rows": rows})
    elif plan.at_most is not None and before > plan.at_most:
        entry = {"kind": "limit", "place": "at_most", "words": f"the first {plan.at_most:,}", "rows": plan.at_most}
        tally.append({**_LINE, **entry, "left_out": before - plan.at_most})
    return tally


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
                    "words": f"without {label}" if len(way) == 1 else f"{way[-2].label.lower()} without {label}",
                    "rows": rows,
                    "leave_out": {"path": key[0].path, "is": "not_blank"} if key else None,
                }
            )
    return found


def _words(step: TallyStep, plan: Plan, words: dict[str, str]) -> str:
    if step.kind == "open":
        kept = "kept, a row each" if plan.keeps_childless else "left out"
        return f"one row per {plan.row_type.label}; {plan.record_type.plural} without any are {kept}"
    if step.kind == "group":
        return "groups"
    if step.kind == "scope":
        return "hidden by rights"
    return words.get(step.step.place, step.step.place) if step.step else plan.record_type.plural
