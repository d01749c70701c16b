"""
What stands across in a cross-tab: the values that its columns are made of, read from the records.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import date, datetime
from itertools import islice
from typing import Any

from bouquet.core.catalogue import Catalogue
from bouquet.core.language import tr
from bouquet.core.plan import AcrossValue, Context, Plan, across_of, resolve, step_after, step_text, values_template
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.shaping.far import far_column
from bouquet.core.sql import Statements
from bouquet.core.template import Across, Template
from bouquet.sources import Snapshot

__all__ = ["crossed", "crossed_plan"]


def crossed(snapshot: Snapshot, template: Template, catalogue: Catalogue, context: Context) -> Context:
    """
    The context with the values across of a cross-tab; as it is for all other templates. One value more than may be is
    told, so that resolving says that there are too many.
    """
    across = across_of(template)
    if across is None or context.across is not None:
        return context
    plan = resolve(values_template(template, across), catalogue, context).plan
    if plan is None:
        return context
    frame = to_frame(snapshot.table(Statements(plan).rows(limit=across.most + 1)))
    texts = TextShaper(plan.columns, plan.zone.key).shape(frame)
    values = frame["c0"].to_list()
    if (far := far_column("c0")) in frame.columns:
        # Dates that no calendar has are told by their text, and resolving says that they cannot stand across.
        values = [value if value is not None else text for value, text in zip(values, frame[far], strict=True)]
    if across.step is not None and not any(isinstance(value, str) for value in values):
        return replace(context, across=tuple(islice(_steps(values, across, plan), across.most + 1)))
    named = zip(values, texts.to_series(0).to_list(), strict=True)
    return replace(context, across=tuple(AcrossValue(value, text or tr("(blank)")) for value, text in named))


def crossed_plan(snapshot: Snapshot, template: Template, plan: Plan) -> Plan:
    """
    The plan of a run with what stands across; as it is for all templates but cross-tabs. Raises PlanError.
    """
    if across_of(template) is None:
        return plan
    context = crossed(snapshot, template, plan.catalogue, plan.context)
    return resolve(template, plan.catalogue, context).require()


def _steps(found: list[Any], across: Across, plan: Plan) -> Iterator[AcrossValue]:
    """
    Steps of time in their order, those without records between them, too; records without a date come last.
    """
    assert across.step is not None
    days = sorted(_day(value) for value in found if value is not None)
    known = set(days)
    at: date | None = days[0] if days else None
    while at is not None and at <= days[-1]:
        if across.gaps or at in known:
            yield AcrossValue(at, step_text(at, across.step, plan.output))
        at = step_after(at, across.step)
    if None in found:
        yield AcrossValue(None, tr("(blank)"))


def _day(value: Any) -> date:
    day: date = value.date() if isinstance(value, datetime) else value
    return day
