"""
Lines of a reader's file that are no rows: titles, headings of groups, subtotals and totals.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, time
from typing import Any, Literal, TypeAlias

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.language import moment_words, tr, trn, whole
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping.columns import TextShaper

__all__ = ["Line", "ReaderLines", "Totalled", "title_lines"]


@dataclass(frozen=True)
class Line:
    """
    One line: a label, and the totals of some columns by their position, as plain numbers in text form.
    """

    kind: Literal["heading", "subtotal", "total"]
    label: str
    level: int = 0
    values: Mapping[int, str | None] = field(default_factory=dict)


#: Totals within groups: for each level, by the values of the group's columns, the totals by column position.
Totalled: TypeAlias = Sequence[Mapping[tuple[Any, ...], Mapping[int, str | None]]]


def title_lines(plan: Plan, sentence: str, rows: int) -> list[str]:
    """
    What stands above the headings of a reader's file.
    """
    if plan.output.style != "reader" or not plan.output.reader.title:
        return []
    as_of = plan.context.as_of.astimezone(plan.zone)
    noun = plan.row_type.label if rows == 1 else plan.row_type.plural
    counted = trn("{n} group", "{n} groups", rows) if plan.by else f"{whole(rows)} {noun}"
    source = tr(
        "{catalogue}, {environment} data",
        catalogue=plan.catalogue.title,
        environment=plan.catalogue.environment,
    )
    return [
        plan.name,
        sentence,
        tr(
            "{counted}, as of {moment}; {source}",
            counted=counted,
            moment=moment_words(as_of, wide=True),
            source=source,
        ),
    ]


class ReaderLines:
    """
    Puts lines between the rows of one file, as rows go by in their order.

    Args:
        totals: What the lines say; level 0 is the whole file, level n the groups of the first n columns.
    """

    def __init__(self, plan: Plan, totals: Totalled, prefix: tuple[Any, ...] = ()) -> None:
        self.plan, self.totals, self.prefix = plan, totals, prefix
        self.names = [f"c{n}" for n in plan.groups]
        self.shaper = TextShaper(plan.columns, plan.zone.key)
        self.open: tuple[Any, ...] | None = None

    @staticmethod
    def count(plan: Plan, totals: Totalled) -> int:
        """
        How many lines there will be.
        """
        if plan.output.style != "reader":
            return 0
        options = plan.output.reader
        per_group = 2 if options.subtotals and _wants_totals(plan) else 1
        lines = sum(len(level) * per_group for level in totals[1:])
        return lines + (1 if options.grand_total and _wants_totals(plan) else 0)

    @staticmethod
    def count_within(plan: Plan, totals: Totalled, prefix: tuple[Any, ...]) -> int:
        """
        How many lines there will be in the part of a split that `prefix` names.
        """
        mine = [{k: v for k, v in level.items() if k[: len(prefix)] == prefix} for level in totals]
        return ReaderLines.count(plan, mine)

    def blocks(self, frame: pl.DataFrame) -> Iterator[Line | pl.DataFrame]:
        """
        The frame in pieces, with the lines that stand before and between them.
        """
        if not self.names or not frame.height:
            yield frame
            return
        keys = frame.select(self.names)
        changed = keys.select(pl.any_horizontal(pl.all().ne_missing(pl.all().shift(1))).alias("c"))["c"]
        starts = sorted({0, *changed.arg_true().to_list()})
        for start, end in zip(starts, [*starts[1:], frame.height], strict=True):
            key = keys.row(start)
            if key != self.open:
                yield from self._turn(key, frame.slice(start, 1))
            yield frame.slice(start, end - start)

    def end(self) -> Iterator[Line]:
        """
        The lines after the last row.
        """
        yield from self._close(0)
        if self.plan.output.reader.grand_total and _wants_totals(self.plan):
            yield Line("total", tr("Total"), 0, self.totals[0].get(self.prefix, {}))

    def _turn(self, key: tuple[Any, ...], row: pl.DataFrame) -> Iterator[Line]:
        same = 0
        while self.open is not None and same < len(key) and key[same] == self.open[same]:
            same += 1
        yield from self._close(same)
        self.open = key
        shown = self.shaper.shape(row).row(0)
        self.labels = [shown[n] or tr("(blank)") for n in self.plan.groups]
        for level in range(same, len(key)):
            heading = self.plan.columns[self.plan.groups[level]].heading
            yield Line("heading", f"{heading}: {self.labels[level]}", level + 1)

    def _close(self, level: int) -> Iterator[Line]:
        if self.open is None or not (self.plan.output.reader.subtotals and _wants_totals(self.plan)):
            return
        for n in range(len(self.open), level, -1):
            found = self.totals[n].get((*self.prefix, *self.open[:n]), {})
            yield Line("subtotal", tr("Total {labels}", labels=self.labels[n - 1]), n, found)


def _wants_totals(plan: Plan) -> bool:
    return any(c.total for c in plan.columns)


def shown_total(column: PlanColumn, n: int, value: str | None, shaper: TextShaper) -> str:
    """
    A total as its column shows values; counts are whole numbers.
    """
    if value is None:
        return ""
    if column.total == "count":
        return value
    typed = _dated(column.kind, value) if column.kind.is_dated or column.kind is Kind.TIME else pl.Series([value])
    if typed is None:
        return value
    frame = pl.DataFrame({f"c{n}": typed})
    return str(frame.select(shaper.text(column, n, frame.schema).alias("t"))["t"][0] or "")


def _dated(kind: Kind, text: str) -> pl.Series | None:
    """
    A date, moment or time as databases write it; None for one that no calendar has.
    """
    try:
        if kind is Kind.TIME:
            return pl.Series([time.fromisoformat(text)])
        moment = datetime.fromisoformat(text)
    except ValueError:
        return None
    if kind is Kind.DATE:
        return pl.Series([moment.date()])
    if kind is Kind.TIMESTAMP:
        return pl.Series([moment], dtype=pl.Datetime("us"))
    utc = moment.astimezone(UTC) if moment.tzinfo else moment.replace(tzinfo=UTC)
    return pl.Series([utc], dtype=pl.Datetime("us", "UTC"))
