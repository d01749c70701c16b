"""
Columns of the sheet: their headings, cells, and how they show.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

from bouquet.core import formula
from bouquet.core.catalogue import Field, Kind, RecordType, Relation, Route
from bouquet.core.errors import WayOut
from bouquet.core.language import tr
from bouquet.core.patterns import DatePattern, PatternError, parse_date_pattern
from bouquet.core.plan.cells import Cells
from bouquet.core.plan.model import PlanColumn
from bouquet.core.plan.nodes import Cell, Computed, Fixed, Folded, Read, Stepped
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.plan.style import shown
from bouquet.core.template import (
    HEADING_LENGTH,
    Column,
    FoldValue,
)

__all__ = ["Columns"]


class Columns:
    """
    The columns of a template as the plan has them; a column with a problem is left out.
    """

    def __init__(self, state: ResolutionContext, cells: Cells) -> None:
        self.state, self.template, self.start = state, state.template, state.start
        self.catalogue, self.cells = state.catalogue, cells

    def resolve(self) -> tuple[PlanColumn, ...]:
        if not self.template.columns:
            self.state.problem("empty_sheet", tr("The sheet has no columns yet. Add at least one field."), "columns")
        self._check_headings()
        return tuple(c for n, column in enumerate(self.template.columns) for c in self._column(column, n))

    def _check_headings(self) -> None:
        problem = self.state.problem
        headings = Counter(self._heading(c).casefold() for c in self.template.columns)
        ids = Counter(c.id for c in self.template.columns)
        for n, column in enumerate(self.template.columns):
            place, heading = f"columns[{n}].heading", self._heading(column)
            if not heading:
                problem("no_heading", tr("Column {number} has no heading.", number=n + 1), place)
            elif headings[heading.casefold()] > 1:
                problem("same_heading", tr("More than one column is headed “{heading}”.", heading=heading), place)
            if len(heading) > HEADING_LENGTH:
                problem(
                    "long_heading",
                    tr(
                        "This heading has {heading} characters; at most {heading_length} fit.",
                        heading=len(heading),
                        heading_length=HEADING_LENGTH,
                    ),
                    place,
                )
            if "\x00" in heading:
                problem("unreadable", tr("This heading holds a character that no file can carry."), place)
            if ids[column.id] > 1:
                problem("same_id", tr("More than one column has the id “{id}”.", id=column.id), f"columns[{n}].id")

    def _heading(self, column: Column) -> str:
        """
        What a column is headed, in the language that its file wants, where it has a heading in that.
        """
        return (column.headings.get(self.template.output.language, "").strip() or column.heading).strip()

    def _column(self, column: Column, n: int) -> Iterator[PlanColumn]:
        place = f"columns[{n}]"
        cell = self.cells.cell(n)
        if cell is None:
            return
        if column.show.date is not None:
            try:
                _check_fits(parse_date_pattern(column.show.date), _dated(cell).kind)
            except PatternError as error:
                self.state.problem("date_pattern", str(error), f"{place}.show.date")
                return
        if column.show.grouping and column.show.grouping == (column.show.decimal_mark or "."):
            message = tr("The decimal mark and the grouping mark are the same.")
            self.state.problem("same_marks", message, f"{place}.show.grouping")
        show = shown(column.show, cell.field, self.template.output)
        if isinstance(cell, Read) and cell.route.aspect:
            show = show.model_copy(update={"choice": cell.route.aspect})
            cell = Read(replace(cell.route, aspect=""))
        self._check_total(column, cell, place)
        numbers = 1
        if isinstance(cell, Folded) and cell.how == "spread" and isinstance(column.value, FoldValue):
            numbers = column.value.fold.columns
        once_by = self._shared_by(cell, column, place)
        heading = self._heading(column)
        for number in range(1, numbers + 1):
            yield PlanColumn(
                id=column.id,
                heading=f"{heading} {number}" if numbers > 1 else heading,
                cell=replace(cell, number=number) if isinstance(cell, Folded) and numbers > 1 else cell,
                show=show,
                blank=column.blank,
                number=number,
                total=column.total,
                once_by=once_by,
                link=self._link(column, cell, place),
                width=column.width,
                said=column.meaning.strip(),
            )

    def _check_total(self, column: Column, cell: Cell, place: str) -> None:
        """
        Sums and means are of numbers; of yes and no, and of files, there is no least. Only readers' files have totals.
        """
        total, kind = column.total, cell.field.kind
        if total in (None, "count") or kind.is_number or self.template.output.style != "reader":
            return
        if total in ("sum", "mean") or kind in (Kind.BOOLEAN, Kind.FILE) or isinstance(cell, Fixed):
            message = tr(
                "“{how}” cannot be said of the whole of {heading}, which is of the kind {kind}; “count” can.",
                how=total,
                heading=column.heading,
                kind=kind,
            )
            ways = (WayOut("substitute", tr("Count instead"), f"{place}.total", "count"),)
            self.state.problem("wrong_total", message, f"{place}.total", ways_out=ways)

    def _link(self, column: Column, cell: Cell, place: str) -> str | None:
        if not column.show.link:
            return None
        end = self._record_of(cell)
        if end is None or end.link is None:
            message = tr("The catalogue knows no page of this record to link to.")
            self.state.problem("no_link", message, f"{place}.show.link")
            return None
        return end.link

    def _record_of(self, cell: Cell) -> RecordType | None:
        if not isinstance(cell, Read):
            return None
        relations = cell.route.relations
        return self.catalogue.record_types[relations[-1].target] if relations else self.start

    def _shared_by(self, cell: Cell, column: Column, place: str) -> tuple[Route, ...]:
        """
        The key of the record a number belongs to, where several rows share that record.
        """
        if self.state.grouped or not cell.field.kind.is_number or isinstance(cell, Fixed):
            return ()
        ways = {tuple(r.name for r in relations): relations for relations in self._owners(cell)}
        own = tuple(r.name for r in self.state.opened)
        if own in ways or len(ways) != 1:
            return ()
        relations = next(iter(ways.values()))
        owner = self.catalogue.record_types[relations[-1].target] if relations else self.start
        rows = self.catalogue.record_types[self.state.opened[-1].target] if self.state.opened else self.start
        if isinstance(cell, Read):
            message = tr(
                "{label} repeats on each of the {owner}’s {rows}; its total over rows is not the total "
                "over {owner2}. Totals count each {owner} once.",
                label=cell.field.label,
                owner=owner.label,
                rows=rows.plural,
                owner2=owner.plural,
            )
            self.state.note("repeats", message, f"{place}.value.field")
        return self.catalogue.key_of(owner, relations)

    def _owners(self, cell: Cell) -> Iterator[tuple[Relation, ...]]:
        if isinstance(cell, Read | Stepped):
            yield cell.route.relations
        elif isinstance(cell, Folded):
            yield cell.anchor
        elif isinstance(cell, Computed):
            for target in formula.references_of(cell.tree):
                if not isinstance(target, Fixed):
                    yield from self._owners(target)  # type: ignore[arg-type]


def _dated(cell: Cell) -> Field:
    """
    The field whose values a column's date pattern shows: of values joined in one cell, that of each.
    """
    if isinstance(cell, Folded) and cell.how == "joined" and cell.value is not None:
        return cell.value.field
    return cell.field


def _check_fits(pattern: DatePattern, kind: Kind) -> None:
    """
    Raises PatternError where values of this kind do not have what a pattern shows. A date is the beginning of its day.
    """
    if kind is Kind.TIME and pattern.of_day:
        raise PatternError(tr("A time of day has no date: “{part}” cannot be shown.", part=pattern.of_day))
    if (kind.is_dated or kind is Kind.TIME) and kind is not Kind.MOMENT and pattern.of_moment:
        said = tr("No offset from UTC is known of these values: “{part}” cannot be shown.", part=pattern.of_moment)
        raise PatternError(said)
