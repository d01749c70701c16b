"""
What names of files are made of.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from bouquet.core.naming import NameFacts
from bouquet.core.plan import Comparison, Plan

__all__ = ["name_facts", "window_of"]


def name_facts(plan: Plan, rows: int, part: int | None, value: str | None) -> NameFacts:
    """
    What the name of one file of a run may say: its rows, the number of its part, and the value that it is split by.
    """
    start, end = window_of(plan)
    return NameFacts(
        template=plan.name,
        records=plan.row_type.name,
        as_of=plan.context.as_of.astimezone(plan.zone),
        rows=rows,
        window_start=start,
        window_end=end,
        answers=dict(plan.answers),
        value=value,
        part=part,
        sequence=plan.context.sequence,
        recipient=plan.context.recipient,
    )


def window_of(plan: Plan) -> tuple[datetime | None, datetime | None]:
    """
    The first and last moment inside the filter's first window, for names.
    """
    for step in plan.steps:
        part = step.predicate
        if isinstance(part, Comparison) and part.span is not None:
            end = part.span.end - timedelta(microseconds=1) if part.span.end else None
            return part.span.start, end
    return None, None
