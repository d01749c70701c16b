"""
Cross-tabs: a value across, whose values become columns. A template with one is spread out into plain folds, each of the
records with one of the values; what the values are is read before, and comes with the context.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, time, timedelta
from typing import Any

from babel import Locale, UnknownLocaleError
from babel.dates import format_skeleton
from dateutil.relativedelta import relativedelta

from bouquet.core.errors import Problem
from bouquet.core.language import tr, whole
from bouquet.core.plan.model import AcrossValue
from bouquet.core.template import (
    Across,
    AllOf,
    By,
    Column,
    Condition,
    FieldValue,
    Fold,
    FoldValue,
    Narrowing,
    Output,
    PerGroup,
    Template,
    Window,
)

__all__ = ["MOST_SPREAD", "Spread", "across_of", "spread_out", "step_after", "step_text", "too_many", "values_template"]

#: Columns that a cross-tab comes to at most; PostgreSQL takes 1,664 in a statement.
MOST_SPREAD = 1_000

#: Between the id of a column and the number of its value, while a template is spread out.
_MARK = "\x1f"


@dataclass(frozen=True)
class Spread:
    """
    A template spread out. `origins` are the positions that its columns had before, `numbers` which of their columns
    each is, from 1.
    """

    template: Template
    origins: tuple[int, ...]
    numbers: tuple[int, ...]

    def moved(self, problem: Problem) -> Problem:
        """
        A problem with its place as the template as it is written counts columns.
        """

        def counted(match: re.Match[str]) -> str:
            return f"columns[{self.origins[int(match[1])]}]"

        return replace(problem, place=re.sub(r"^columns\[([0-9]+)\]", counted, problem.place))

    @staticmethod
    def own_id(id: str) -> str:
        """
        The id that a column has in the template as it is written.
        """
        return id.partition(_MARK)[0]


def across_of(template: Template) -> Across | None:
    """
    What a template has across; None where it is no cross-tab.
    """
    return template.rows.across if isinstance(template.rows, PerGroup) else None


def values_template(template: Template, across: Across) -> Template:
    """
    The template whose rows are the values across, in their order. Narrowings by what groups come to are passed over:
    they narrow rows, and a column may stay empty.
    """
    by = By(path=across.path, step=across.step)
    column = Column(id="across", heading="across", value=FieldValue(field=across.path, step=across.step))
    output = Output(style=template.output.style, locale=template.output.locale)
    return template.model_copy(
        update={
            "rows": PerGroup(per="group", by=(by,)),
            "columns": (column,),
            "filter": _of_records(template.filter),
            "order": (),
            "checks": (),
            "at_most": None,
            "only": "everything",
            "output": output,
        }
    )


def _of_records(node: Narrowing) -> Narrowing:
    if isinstance(node, AllOf):
        return AllOf(all=tuple(_of_records(part) for part in node.all if not _by_column(part)))
    return AllOf(all=()) if _by_column(node) else node


def _by_column(node: Narrowing) -> bool:
    parts = [p for name in ("all", "any", "none") for p in getattr(node, name, ()) or ()]
    return getattr(node, "column", None) is not None or any(_by_column(p) for p in parts)


def too_many(
    template: Template, across: Across, values: Sequence[AcrossValue], is_own: Callable[[Fold], bool]
) -> str | None:
    """
    Why so many values cannot stand across; None where they can. `is_own` as in spread_out.
    """
    if len(values) > across.most:
        return tr(
            "There are more than {most} values across, and each becomes a column. Narrow the "
            "template, take longer steps, or allow more.",
            most=whole(across.most),
        )
    columns = sum(len(values) + 1 if _spreads(c, is_own) else 1 for c in template.columns)
    if columns > MOST_SPREAD:
        return tr(
            "This comes to {columns} columns; at most {most_spread} can be made.",
            columns=whole(columns),
            most_spread=whole(MOST_SPREAD),
        )
    return None


def spread_out(
    template: Template, across: Across, values: Sequence[AcrossValue], is_own: Callable[[Fold], bool]
) -> Spread:
    """
    The template in which each column that folds a group's own records stands once for each value, with the fold over
    all of them behind these, where it is wanted.

    Args:
        is_own: Whether a fold is of a group's own records.
    """
    measures = [n for n, c in enumerate(template.columns) if _spreads(c, is_own)]
    made: list[tuple[Column, int, int]] = []
    for n, column in enumerate(template.columns):
        if n not in measures:
            made.append((column, n, 1))
        else:
            made += _spread_columns(column, n, across, values, alone=len(measures) == 1)
    columns = tuple(column for column, _, _ in _with_own_headings(made))
    rows = template.rows.model_copy(update={"across": None})
    spread = template.model_copy(update={"columns": columns, "rows": rows})
    return Spread(spread, tuple(n for _, n, _ in made), tuple(number for *_, number in made))


def _spreads(column: Column, is_own: Callable[[Fold], bool]) -> bool:
    value = column.value
    return isinstance(value, FoldValue) and value.fold.how != "spread" and is_own(value.fold)


def _spread_columns(
    column: Column, n: int, across: Across, values: Sequence[AcrossValue], *, alone: bool
) -> Iterator[tuple[Column, int, int]]:
    """
    The columns that one column becomes; `alone`, their headings are the values alone.
    """
    fold = column.value.fold  # type: ignore[union-attr]
    for k, known in enumerate(values, 1):
        told = AllOf(all=(condition_of(across, known.value), *((fold.where,) if fold.where else ())))
        value = FoldValue(fold=fold.model_copy(update={"where": told}))
        heading = known.text if alone else f"{known.text}, {column.heading}"
        yield column.model_copy(update={"id": f"{column.id}{_MARK}{k}", "heading": heading, "value": value}), n, k
    if across.total or not values:
        yield column, n, len(values) + 1


def _with_own_headings(made: Sequence[tuple[Column, int, int]]) -> Iterator[tuple[Column, int, int]]:
    """
    Columns whose headings differ: a value may say what another column is called.
    """
    taken: set[str] = set()
    for column, n, number in made:
        heading, k = column.heading[:250], 1
        while heading.strip().casefold() in taken and _MARK in column.id:
            k += 1
            heading = f"{column.heading[:240]} ({k})"
        taken.add(heading.strip().casefold())
        yield column.model_copy(update={"heading": heading}), n, number


def condition_of(across: Across, value: Any) -> Condition:
    """
    The condition that a record has a value across.
    """
    if value is None:
        return Condition.model_validate({"path": across.path, "is": "blank"})
    if across.step is not None:
        following = step_after(value, across.step)
        if following is None:
            # The last step ends with the calendar, which no window reaches.
            before = (value - timedelta(days=1)).isoformat()
            return Condition.model_validate({"path": across.path, "is": "after", "value": before})
        last = following - timedelta(days=1)
        window = Window.model_validate({"type": "between", "first": value.isoformat(), "last": last.isoformat()})
        return Condition.model_validate({"path": across.path, "is": "in_window", "window": window})
    if isinstance(value, bool):
        return Condition.model_validate({"path": across.path, "is": "yes" if value else "no"})
    dated = isinstance(value, date | time)
    plain = value.isoformat() if dated else value if isinstance(value, str | int) else str(value)
    return Condition.model_validate({"path": across.path, "is": "is", "value": plain, "exact": True})


def step_after(day: date, step: str) -> date | None:
    """
    The first day of the step of time after the one that begins on `day`; None where the calendar ends before.
    """
    try:
        return day + _STEPS[step]
    except (ValueError, OverflowError):
        return None


_STEPS = {
    "day": relativedelta(days=1),
    "week": relativedelta(weeks=1),
    "month": relativedelta(months=1),
    "quarter": relativedelta(months=3),
    "year": relativedelta(years=1),
}


_WRITTEN: dict[str, Callable[[date], str]] = {
    "day": lambda d: d.isoformat(),
    "week": lambda d: f"{d.isocalendar().year}-W{d.isocalendar().week:02}",
    "month": lambda d: f"{d:%Y-%m}",
    "quarter": lambda d: f"{d.year}-Q{(d.month + 2) // 3}",
    "year": lambda d: str(d.year),
}

#: What people read (skeletons of Unicode CLDR, by Babel); of other steps, what programs read.
_SKELETONS = {"month": "yMMM", "quarter": "yQQQ", "day": "yMMMd"}


def step_text(day: date, step: str, output: Output) -> str:
    """
    How a step of time is called: 2026-02 for programs, Feb 2026 for people.
    """
    if output.style == "reader" and step in _SKELETONS:
        try:
            return format_skeleton(_SKELETONS[step], day, locale=Locale.parse(output.locale.replace("-", "_")))
        except (ValueError, UnknownLocaleError, KeyError):
            pass
    return _WRITTEN[step](day)
