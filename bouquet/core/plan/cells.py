"""
What columns hold: fields, folds, formulas and constants, and what formulas refer to.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from bouquet.core import formula
from bouquet.core.catalogue import Field, Kind, Route
from bouquet.core.errors import WayOut, nearest
from bouquet.core.language import tr, whole
from bouquet.core.plan.filters import Filters
from bouquet.core.plan.folds import Folds
from bouquet.core.plan.grouping import Grouping
from bouquet.core.plan.nodes import Cell, Computed, Fixed, Folded, Predicate, Read
from bouquet.core.plan.state import ResolutionContext, masked_message
from bouquet.core.template import (
    Column,
    Constant,
    FieldValue,
    Fold,
    FoldValue,
    FormulaValue,
    Narrowing,
    PerGroup,
)
from bouquet.core.values import read_value
from bouquet.core.vocabulary.formats import FORMATS

__all__ = ["Cells"]

FORMULA_KINDS = {
    formula.Type.NUMBER: (Kind.DECIMAL, "numeric"),
    formula.Type.TEXT: (Kind.TEXT, "text"),
    formula.Type.YES_NO: (Kind.BOOLEAN, "boolean"),
    formula.Type.DATE: (Kind.DATE, "date"),
    formula.Type.MOMENT: (Kind.TIMESTAMP, "timestamp"),
    formula.Type.TIME: (Kind.TIME, "time"),
}


class Cells:
    """
    The cells of a template's columns, each made once, with problems at their places.
    """

    def __init__(self, state: ResolutionContext, grouping: Grouping) -> None:
        self.state, self.template, self.start = state, state.template, state.start
        self.catalogue, self.context, self.grouping = state.catalogue, state.context, grouping
        self._cells: dict[int, Cell | None] = {}
        self._under_way: list[int] = []

    def cell(self, n: int) -> Cell | None:
        """
        What column `n` holds; None with a problem. Columns that refer to each other in a ring are a problem.
        """
        if n not in self._cells:
            self._under_way.append(n)
            self._cells[n] = self._make_cell(self.template.columns[n], f"columns[{n}].value")
            self._under_way.pop()
        return self._cells[n]

    def _make_cell(self, column: Column, place: str) -> Cell | None:
        value = column.value
        match value:
            case Constant():
                return Fixed(value.constant)
            case FieldValue():
                return self._by_cell(value, place) if self.state.grouped else self._read(value, place)
            case FoldValue():
                # Prefix and suffix that the column states go round the cell, not round each value in it.
                show = column.show.model_copy(update={"prefix": "", "suffix": ""})
                return self.fold(value.fold, f"{place}.fold", show, place)
            case FormulaValue():
                return self.formula(value.formula, f"{place}.formula")

    def _read(self, value: FieldValue, place: str) -> Cell | None:
        if value.step is not None:
            message = tr("Steps of time are for rows that stand for groups.")
            self.state.problem("no_groups", message, f"{place}.step")
            return None
        ways_out = self.state.ways_out_of_cell(value.field, place)
        route = self.state.route(value.field, f"{place}.field", ways_out, masked=True)
        if route is None:
            return None
        if route.field.mask:
            return self._masked(route, place)
        if route.field.kind is Kind.FILE and not self._draws_pictures(route, f"{place}.field"):
            return None
        self._note_retired(route, place)
        return Read(route)

    def _masked(self, route: Route, place: str) -> Cell | None:
        """
        What a person sees of a field that they see masked: what its mask makes of the value.
        """
        found = self.formula_of(route.field.mask, f"{place}.field", Read(replace(route, aspect="")))
        if found is None:
            return None
        return replace(found, field=replace(found.field, label=route.field.label, personal=True))

    def _draws_pictures(self, route: Route, place: str) -> bool:
        """
        Whether the template's format draws pictures; else with a problem, and what would do instead.
        """
        format = FORMATS[self.template.output.format]
        if not format.pictures:
            message = tr(
                "{label} is a file, which {format} cannot carry. Take its name or a link instead, or a format that "
                "draws pictures: {formats}.",
                label=route.field.label,
                format=format.noun,
                formats=", ".join(f.noun for f in FORMATS.values() if f.pictures),
            )
            drawing = tr("Make it {format}", format=FORMATS["xlsx"].noun)
            ways = (*self._names_beside(route, place), WayOut("format", drawing, "output.format", "xlsx"))
            self.state.problem("file_in_sheet", message, place, ways_out=ways)
        return format.pictures

    def _names_beside(self, route: Route, place: str) -> tuple[WayOut, ...]:
        """
        Fields beside a file that could stand for it: those whose name speaks of a name or a link.
        """
        end = self.catalogue.record_types[route.relations[-1].target] if route.relations else self.start
        prefix = ".".join((*route.way, ""))
        named = [f for f in end.fields if f.kind.is_text and any(w in f.name.lower() for w in ("name", "link", "url"))]
        return tuple(WayOut("field", tr("{label} instead", label=f.label), place, prefix + f.name) for f in named[:3])

    def _note_retired(self, route: Route, place: str) -> None:
        retired = route.field.retired
        if retired is None:
            return
        ways: tuple[WayOut, ...] = ()
        instead = ""
        if retired.substitute:
            path = ".".join((*route.way, retired.substitute))
            end = self.catalogue.record_types[route.relations[-1].target] if route.relations else self.start
            known = end.field_named(retired.substitute)
            label = known.label if known else retired.substitute
            instead = tr(" Take {label} instead.", label=label)
            ways = (WayOut("substitute", tr("Take {label}", label=label), f"{place}.field", path),)
        message = tr(
            "{label} is retired: {reason}{instead}",
            label=route.field.label,
            reason=retired.reason,
            instead=instead,
        )
        self.state.note("retired_field", message, f"{place}.field", ways_out=ways)

    def _by_cell(self, value: FieldValue, place: str) -> Cell | None:
        found = self.grouping.cell_of(value.field, value.step)
        if found is not None:
            return found
        before = len(self.state.problems)
        route = self.state.route(value.field, f"{place}.field", self.state.ways_out_of_cell(value.field, place))
        if route is None or len(self.state.problems) > before or not isinstance(self.template.rows, PerGroup):
            return None
        by = [b.model_dump(mode="json", exclude_defaults=True) for b in self.template.rows.by]
        how = "sum" if route.field.kind.is_number else "greatest" if route.field.kind.is_dated else "count_distinct"
        said = {"sum": tr("Add it up"), "greatest": tr("Its latest"), "count_distinct": tr("How many different")}[how]
        ways = (
            WayOut("group_by", tr("Group by it, too"), "rows.by", [*by, {"path": value.field}]),
            WayOut("fold", said, place, {"fold": {"path": value.field, "how": how}}),
        )
        message = tr(
            "A group has many values of {label}; group by it, or fold it.",
            label=route.field.label.lower(),
        )
        self.state.problem("not_grouped", message, f"{place}.field", ways_out=ways)
        return None

    def fold(self, fold: Fold, place: str, show: Any = None, cure: str = "") -> Folded | None:
        return Folds(self.state, self._where_of_fold).resolve(fold, place, show, cure=cure)

    def _where_of_fold(self, inner: ResolutionContext, node: Narrowing, place: str) -> Predicate | None:
        """
        The predicate of a fold's own filter: it sees the folded records and nothing else.
        """

        def no_column(name: str, at: str) -> Cell | None:
            inner.problem("no_column_here", tr("The filter of a fold cannot refer to columns of the sheet."), at)
            return None

        def no_formula(text: str, at: str) -> Computed | None:
            return self._checked(inner, text, at, columns=False)

        def deeper(fold: Fold, at: str) -> Folded | None:
            return Folds(inner, self._where_of_fold).resolve(fold, at)

        return Filters(inner, no_column, no_formula, deeper).predicate(node, place)

    def formula(self, text: str, place: str) -> Computed | None:
        return self._checked(self.state, text, place, columns=True)

    def formula_of(self, text: str, place: str, *cells: Cell) -> Computed | None:
        """
        A formula of cells, which are called `cell`, `cell2`… in it.
        """
        named = {f"cell{n}" if n > 1 else "cell": c for n, c in enumerate(cells, 1)}
        return self._checked(self.state, text, place, columns=False, named=named)

    def _checked(
        self, state: ResolutionContext, text: str, place: str, *, columns: bool, named: Mapping[str, Cell] | None = None
    ) -> Computed | None:
        def find(name: str) -> Cell:
            # Of one cell it does not matter what it is called.
            known = named.get(name, named["cell"]) if named is not None else None
            return known if known is not None else self._target(state, name, columns=columns)

        try:
            tree = formula.check(text, find, self.context.as_of, state.zone)
        except formula.FormulaError as error:
            state.problem("formula", tr("{error} (character {at})", error=error, at=error.at + 1), place, at=error.at)
            return None
        size = formula.size_of(tree, lambda t: t.size if isinstance(t, Computed) else 1)
        if size > formula.LARGEST:
            message = tr(
                "This formula comes to {size} parts once the columns it refers to are put in; at most "
                "{largest} can be computed. Refer to fewer columns, or fold them into one.",
                size=whole(size),
                largest=whole(formula.LARGEST),
            )
            state.problem("large_formula", message, place, at=0)
            return None
        kind, stored = FORMULA_KINDS[tree.type]
        personal = any(t.field.personal for t in formula.references_of(tree))
        made = Field(name="", column="", kind=kind, stored=stored, label="The formula", personal=personal)
        return Computed(tree, made, size)

    def _target(self, state: ResolutionContext, name: str, *, columns: bool) -> Cell:
        """
        What `{name}` in a formula leads to. Raises ValueError with a sentence.
        """
        if name.startswith("ask."):
            return self._answer(name.removeprefix("ask."))
        opened = tuple(r.name for r in state.opened)
        found = self.catalogue.route(state.start, name, "", opened=opened)
        grouped = columns and state.grouped
        if isinstance(found, Route) and found.field.mask:
            raise ValueError(masked_message(found.field))
        if isinstance(found, Route) and not grouped:
            return Read(found)
        if grouped and (cell := self.grouping.cell_of(name, None)) is not None:
            return cell
        for n, column in enumerate(self.template.columns if columns else ()):
            if name.casefold() in (column.heading.strip().casefold(), column.id.casefold()):
                return self._column_target(n, name)
        if isinstance(found, Route):
            msg = tr(
                "A group has many values of “{name}”; fold it in a column, and refer to that by its heading.",
                name=name,
            )
            raise ValueError(msg)
        headings = [c.heading for c in self.template.columns] if columns else []
        if found.code == "many_in_cell":
            raise ValueError(found.message + tr(" Fold it in a column of its own, and refer to that by its heading."))
        candidates = found.candidates or nearest(name, headings)
        hint = tr(" Did you mean {candidates}?", candidates=" or ".join(candidates)) if candidates else ""
        msg = tr("There is no field or column “{name}”.{hint}", name=name, hint=hint)
        raise ValueError(msg)

    def _column_target(self, n: int, name: str) -> Cell:
        if n in self._under_way:
            msg = tr(
                "The column “{name}” refers back to this one; columns cannot go round in a ring.",
                name=name,
            )
            raise ValueError(msg)
        cell = self.cell(n)
        if cell is None:
            msg = tr("The column “{name}” has a problem of its own.", name=name)
            raise ValueError(msg)
        return cell

    def _answer(self, name: str) -> Cell:
        ask = next((a for a in self.template.asks if a.name == name), None)
        if ask is None:
            msg = tr("The template asks nothing called “{name}”.", name=name)
            raise ValueError(msg)
        kinds = {"number": (Kind.DECIMAL, "numeric"), "date": (Kind.DATE, "date"), "yes_no": (Kind.BOOLEAN, "boolean")}
        if ask.kind in ("choices", "window"):
            msg = tr("“{ask}” asks for more than one value; a formula cannot read it.", ask=ask.label)
            raise ValueError(msg)
        kind, stored = kinds.get(ask.kind, (Kind.TEXT, "text"))
        known = Field(name=name, column="", kind=kind, stored=stored, label=ask.label)
        given = self.state.answer(ask)
        return Fixed(None if given is None else read_value(given, known, self.state.zone), known)

    def column_named(self, name: str, place: str) -> Cell | None:
        n = next((n for n, c in enumerate(self.template.columns) if c.id == name), None)
        if n is None:
            self.state.problem("unknown_column", tr("There is no column “{name}”.", name=name), place)
            return None
        if isinstance(self.template.columns[n].value, Constant):
            self.state.problem("constant", tr("A constant is the same in every row."), place)
            return None
        return self.cell(n)

    def at_path(self, path: str, place: str) -> Cell | None:
        if self.state.grouped:
            found = self.grouping.cell_of(path, None)
            if found is None:
                message = tr("Rows stand for groups; “{path}” is none of the values they are grouped by.", path=path)
                self.state.problem("not_grouped", message, place)
            return found
        route = self.state.route(path, place)
        return Read(route) if route else None
