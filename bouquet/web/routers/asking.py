"""
A template's questions, as a runner meets them.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from zoneinfo import ZoneInfo

from bouquet.core.catalogue import Catalogue, RecordType, Walk
from bouquet.core.omitted import omitted
from bouquet.core.sql import Statements
from bouquet.core.template import (
    AllOf,
    AnyOf,
    Ask,
    Column,
    Condition,
    FieldValue,
    Has,
    Narrowing,
    NoneOf,
    Template,
    Window,
)
from bouquet.core.windows import resolve_window, span_words, window_words
from bouquet.designing import SourceView
from bouquet.web.schemas import ChoiceOut, PeriodOut, QuestionOut, Questions

__all__ = ["conditions", "questions_of"]

#: Choices offered; a field with more values is answered by typing.
MOST_CHOICES = 200


def conditions(node: Narrowing, place: str = "filter") -> Iterator[tuple[str, Condition]]:
    """
    (place, condition) of every comparison in a filter that is of the records themselves.
    """
    match node:
        case Condition():
            yield place, node
        case AllOf():
            for n, part in enumerate(node.all):
                yield from conditions(part, f"{place}.all[{n}]")
        case AnyOf():
            for n, part in enumerate(node.any):
                yield from conditions(part, f"{place}.any[{n}]")
        case NoneOf():
            for n, part in enumerate(node.none):
                yield from conditions(part, f"{place}.none[{n}]")
        case Has():
            return


def questions_of(
    view: SourceView,
    template_id: int,
    template: Template,
    name: str,
    version: int,
    mine: dict[str, Any],
    format: str | None,
) -> Questions:
    """
    What a person is asked before a run: `mine` are the answers they gave last, `format` the one they took.
    """
    catalogue = view.catalogue
    start = catalogue.record_types.get(template.records)
    asked = list(conditions(template.filter))
    plan = view.resolve(template).partial
    return Questions(
        id=template_id,
        name=name,
        about=template.about,
        version=version,
        source=view.key,
        document=template.as_document(),
        asks=[
            QuestionOut(
                name=a.name,
                label=a.label,
                kind=a.kind,
                required=a.required,
                choices=_choices(view, catalogue, start, a, [c for _, c in asked if c.ask == a.name]),
                answer=mine.get(a.name, a.default),
            )
            for a in template.asks
        ],
        periods=[
            PeriodOut(
                place=place,
                words=window_words(c.window),
                dates=_dates(view, template, c.window),
                window=c.window.model_dump(mode="json", exclude_defaults=True) | {"type": c.window.type},
            )
            for place, c in asked
            if c.window is not None and c.ask is None
        ],
        format=format or template.output.format,
        languages=sorted({name for c in template.columns for name, said in c.headings.items() if said.strip()}),
        personal=list(plan.personal) if plan is not None else [],
        not_included=omitted(template, catalogue).as_json(),
    )


def _dates(view: SourceView, template: Template, window: Window) -> str:
    context = view.context()
    try:
        span = resolve_window(window, context.as_of, ZoneInfo(template.zone), year_start=context.year_start)
    except (ValueError, OverflowError):
        return ""
    return span_words(span, context.as_of)


def _choices(
    view: SourceView,
    catalogue: Catalogue,
    start: RecordType | None,
    ask: Ask,
    found: list[Condition],
) -> list[ChoiceOut]:
    """
    What a question about choices offers: the codes of a choice, or the values that a field has most.
    """
    if ask.kind != "choices" or start is None or not found or found[0].path is None:
        return []
    walk = catalogue.walk(start, found[0].path, "")
    if not isinstance(walk, Walk) or walk.field is None:
        return []
    if walk.field.choices:
        return [ChoiceOut(code=c.code, label=c.label) for c in walk.field.choices]
    if walk.field.personal:
        return []
    # All values there are of the field in records they may see, as long as a person can still look through them.
    column = Column(id="value", heading="value", value=FieldValue(field=walk.field.name))
    listing = Template(name="values", records=walk.end.name, columns=(column,))
    plan = view.resolve(listing).plan
    if plan is None:
        return []
    with view.snapshot() as snapshot:
        counted = snapshot.rows(Statements(plan).per_value(plan.columns[0].cell, limit=MOST_CHOICES + 1))
    if len(counted) > MOST_CHOICES:
        return []
    values = [str(r["value"]) for r in counted if r["value"] is not None]
    return [ChoiceOut(code=v, label=v) for v in sorted(values, key=str.casefold)]
