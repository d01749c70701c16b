"""
Resolving the checks of a template: what each objects to, and how it reads in words.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from bouquet.core.catalogue import Kind
from bouquet.core.language import number_words, tr, trn, whole
from bouquet.core.plan.model import FileCheck, PlanColumn, RowCheck
from bouquet.core.plan.nodes import Comparison, Computed, Fixed, Group, Listed, Predicate, Quarter, Stepped, Test
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.template import Check, ColumnCheck
from bouquet.core.template import FileCheck as FileCheckPart
from bouquet.core.template import RowCheck as RowCheckPart
from bouquet.core.values import Value, read_value, say_value
from bouquet.core.vocabulary.checks import COLUMN_CHECKS, FILE_CHECKS, Asking

__all__ = ["Checks"]

#: A number of letters.
_LENGTH = re.compile("[0-9]{1,9}")

#: Values named in words before the rest is counted.
NAMED = 4


@dataclass
class Checks:
    """
    Resolves checks on one state.

    Args:
        columns: The plan's columns.
        formula: Checks a formula at a place, or None with a problem.
        formula_of: The same of a formula in which `cell`, `cell2`… stand for the cells that follow.
    """

    state: ResolutionContext
    columns: Sequence[PlanColumn]
    formula: Callable[[str, str], Computed | None]
    formula_of: Callable[..., Computed | None]

    def resolve(self, checks: Sequence[Check]) -> tuple[tuple[RowCheck, ...], tuple[FileCheck, ...]]:
        """
        The checks of rows, and those of the file.
        """
        rows: list[RowCheck] = []
        whole: list[FileCheck] = []
        for n, check in enumerate(checks):
            place = f"checks[{n}]"
            match check:
                case ColumnCheck():
                    rows += self._of_column(check, place)
                case RowCheckPart():
                    rows += self._of_row(check, place)
                case FileCheckPart():
                    whole += self._of_file(check, place)
        return tuple(rows), tuple(whole)

    def _named(self, id: str | None, place: str) -> list[int]:
        """
        Positions of a column; a spread stands in several.
        """
        found = [n for n, c in enumerate(self.columns) if c.id == id]
        if not found and any(c.id == id for c in self.state.template.columns):
            self.state.problem("unsound_column", tr("The column to check has a problem of its own."), place)
        elif not found:
            self.state.problem("unknown_column", tr("There is no column “{id}” to check.", id=id or ""), place)
        elif isinstance(self.columns[found[0]].cell, Fixed):
            self.state.problem("constant", tr("A constant is the same in every row; there is nothing to check."), place)
            return []
        return found

    # Rows

    def _of_row(self, check: RowCheckPart, place: str) -> Iterator[RowCheck]:
        cell = self.formula(check.formula, f"{place}.formula")
        if cell is None:
            return
        if cell.field.kind is not Kind.BOOLEAN:
            message = tr(
                "This formula says whether a row is right, so it must come to yes or no, as a comparison does."
            )
            self.state.problem("not_a_test", message, f"{place}.formula", at=0)
            return
        objects = Group("none", (Test(cell=cell, place=place),), place)
        words = check.say.strip() or tr("{formula} must hold", formula=check.formula)
        yield RowCheck(place=place, words=words, severity=check.severity, column=None, objects=objects)

    def _of_column(self, check: ColumnCheck, place: str) -> Iterator[RowCheck]:
        for n in self._named(check.column, f"{place}.column"):
            before = len(self.state.problems)
            column = self.columns[n]
            if not self._suits(COLUMN_CHECKS[check.must], column, f"{place}.must"):
                return
            words, met = getattr(self, f"_{check.must}")(check, column, place)
            if len(self.state.problems) > before:
                return
            objects: Predicate | None = None
            if check.must == "filled":
                objects = _compare(column, "blank", (), place)
            elif met is not None:
                filled = _compare(column, "not_blank", (), place)
                objects = Group("all", (filled, Group("none", (met,), place)), place)
            words, all_rows = f"{column.heading} {words}", COLUMN_CHECKS[check.must].takes_all
            yield RowCheck(
                place=place, words=words, severity=check.severity, column=n, objects=objects, takes_all=all_rows
            )

    @staticmethod
    def _filled(check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        return tr("must be filled"), None

    @staticmethod
    def _unique(check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        return tr("must not occur twice"), None

    def _whole(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        return tr("must be a whole number"), self._test("INT({cell})={cell}", column, place)

    def _near_usual(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        cell = column.cell
        if isinstance(cell, Stepped | Fixed | Quarter):
            return "", None
        times = f"{check.spread.normalize():f}"
        formula = (
            f"OR({{cell2}}={{cell3}};AND({{cell}}>={{cell2}}-{times}*({{cell3}}-{{cell2}});"
            f"{{cell}}<={{cell3}}+{times}*({{cell3}}-{{cell2}})))"
        )
        made = self.formula_of(formula, f"{place}.must", cell, Quarter(cell, 1), Quarter(cell, 3))
        words = tr("must not lie far from the usual ({times} × the width of the middle half)", times=times)
        return words, Test(cell=made, place=place) if made else None

    def _length(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        bounds = [(b, w) for b, w in ((check.least, ">="), (check.greatest, "<=")) if b is not None]
        if not bounds or any(isinstance(b, bool) or not _LENGTH.fullmatch(str(b)) for b, _ in bounds):
            self.state.problem("no_value", tr("Say how many characters it may have."), f"{place}.least")
            return "", None
        if len(bounds) == 2 and self._is_turned(int(str(bounds[0][0])), int(str(bounds[1][0])), place):
            return "", None
        tests = [f"LEN({{cell}}){w}{int(str(b))}" for b, w in bounds]
        formula = tests[0] if len(tests) == 1 else f"AND({tests[0]};{tests[1]})"
        said = trn(
            "must have {span} character", "must have {span} characters", _last(check), span=_span(*_bounds(check))
        )
        return said, self._test(formula, column, place)

    def _is_turned(self, least: Any, greatest: Any, place: str) -> bool:
        """
        Whether a range ends before it begins, which is a problem.
        """
        if least <= greatest:
            return False
        message = tr(
            "The range ends ({greatest}) before it begins ({least}); nothing can lie in it.",
            greatest=greatest,
            least=least,
        )
        self.state.problem("turned_range", message, f"{place}.greatest")
        return True

    def _between(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        parts: list[Predicate] = []
        said: list[str | None] = []
        bounds: list[Any] = []
        for operator, bound in (("at_least", check.least), ("at_most", check.greatest)):
            value = self._value(bound, column, f"{place}.{'least' if operator == 'at_least' else 'greatest'}")
            said.append(None if value is None else say_value(value, column.field))
            if value is not None:
                bounds.append(value)
                parts.append(_compare(column, operator, (value,), place))
        if check.least is None and check.greatest is None:
            self.state.problem("no_value", tr("Say from what, or up to what."), f"{place}.least")
        if len(bounds) == 2:
            self._is_turned(bounds[0], bounds[1], place)
        return tr("must be {value}", value=_span(*said)), Group("all", tuple(parts), place)

    def _matches(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        if check.pattern is None:
            self.state.problem("no_value", tr("Say what it must look like."), f"{place}.pattern")
            return "", None
        return tr("must look like {pattern}", pattern=check.pattern), _compare(
            column, "matches", (check.pattern,), place, exact=True
        )

    def _one_of(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        values = [self._value(v, column, f"{place}.values[{n}]") for n, v in enumerate(check.values or ())]
        if not values:
            self.state.problem("no_value", tr("Say which values it may have."), f"{place}.values")
        known = tuple(v for v in values if v is not None)
        said = [say_value(v, column.field) for v in known]
        others = len(said) - NAMED
        more = trn(" or {n} other", " or {n} others", others) if others > 0 else ""
        exact = column.kind.is_text
        return tr("must be one of {said}{more}", said=", ".join(said[:NAMED]), more=more), _compare(
            column, "one_of", known, place, exact=exact
        )

    def _not_future(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        return tr("must not lie in the future"), self._against_now(column, "at_most", place)

    def _not_past(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        return tr("must not lie in the past"), self._against_now(column, "at_least", place)

    def _against_now(self, column: PlanColumn, operator: str, place: str) -> Predicate | None:
        now = self.state.context.as_of.astimezone(self.state.zone)
        value: Value = now
        if column.kind is Kind.DATE:
            value = now.date()
        elif column.kind is Kind.TIMESTAMP:
            value = now.replace(tzinfo=None)
        return _compare(column, operator, (value,), place)

    def _listed(self, check: ColumnCheck, column: PlanColumn, place: str) -> tuple[str, Predicate | None]:
        types = self.state.catalogue.record_types
        records, _, name = (check.listed_in or "").partition(".")
        found = types[records].field_named(name) if records in types else None
        if found is None:
            message = tr("Name the list as a record type and its field, such as species.code.")
            self.state.problem("no_list", message, f"{place}.listed_in")
            return "", None
        if not (found.kind.is_text and column.kind.is_text) and found.stored != column.field.stored:
            message = tr(
                "{column} and the {label} of a {types} are not of one kind.",
                column=column.heading,
                label=found.label.lower(),
                types=types[records].label,
            )
            self.state.problem("wrong_kind", message, f"{place}.listed_in")
            return "", None
        listed = Listed(cell=column.cell, record_type=types[records], listed=found, place=place)
        return tr(
            "must be the {label} of a {types}",
            label=found.label.lower(),
            types=types[records].label,
        ), listed

    def _suits(self, asking: Asking, column: PlanColumn, place: str) -> bool:
        """
        Whether the check is for the column's kind of value; a problem where it is not.
        """
        fits = asking.kinds is None or column.kind in asking.kinds
        if not fits:
            message = tr(
                "{column} does not hold {wanted}; this check is not for it.",
                column=column.heading,
                wanted=asking.wanted,
            )
            self.state.problem("wrong_kind", message, place)
        return fits

    def _test(self, formula: str, column: PlanColumn, place: str) -> Predicate | None:
        cell = self.formula_of(formula, f"{place}.must", column.cell)
        return Test(cell=cell, place=place) if cell else None

    def _value(self, given: Any, column: PlanColumn, place: str) -> Value | None:
        if given is None:
            return None
        try:
            return read_value(given, column.field, self.state.zone)
        except ValueError as error:
            self.state.problem("wrong_value", str(error), place)
            return None

    # The file

    def _of_file(self, check: FileCheckPart, place: str) -> Iterator[FileCheck]:
        before = len(self.state.problems)
        at: int | None = None
        asking = FILE_CHECKS[check.file]
        if "column" in asking.takes:
            found = self._named(check.column, f"{place}.column")
            if not found:
                return
            at = found[0]
            self._suits(asking, self.columns[at], f"{place}.column")
        if "least" in asking.takes and check.least is None and check.greatest is None:
            self.state.problem("no_value", tr("Say from what, or up to what."), f"{place}.least")
        if check.least is not None and check.greatest is not None:
            self._is_turned(check.least, check.greatest, place)
        if "percent" in asking.takes and check.percent is None:
            self.state.problem("no_value", tr("Say how many percent."), f"{place}.percent")
        if "headings" in asking.takes and not check.headings:
            self.state.problem("no_value", tr("Say which headings the file must have."), f"{place}.headings")
        if len(self.state.problems) == before:
            heading = self.columns[at].heading if at is not None else ""
            yield FileCheck(
                place=place, words=_file_words(check, heading), severity=check.severity, column=at, part=check
            )


def _compare(
    column: PlanColumn, operator: str, values: tuple[Value, ...], place: str, *, exact: bool = False
) -> Comparison:
    return Comparison(cell=column.cell, operator=operator, values=values, span=None, exact=exact, place=place)


def _span(least: Any, greatest: Any) -> str:
    if greatest is None:
        return tr("at least {least}", least=least)
    return (
        tr("at most {greatest}", greatest=greatest)
        if least is None
        else tr("between {least} and {greatest}", least=least, greatest=greatest)
    )


def _bounds(check: ColumnCheck | FileCheckPart) -> tuple[str | None, str | None]:
    """
    From and to, as people of the language write numbers.
    """

    def words(bound: Any) -> str | None:
        if bound is None:
            return None
        number = Decimal(str(bound))
        return whole(int(number)) if number == number.to_integral_value() else number_words(number)

    return words(check.least), words(check.greatest)


def _last(check: ColumnCheck | FileCheckPart) -> int:
    """
    The number that stands before what is counted; 0 where there is none.
    """
    return int(Decimal(str((check.least if check.greatest is None else check.greatest) or 0)))


def _file_words(check: FileCheckPart, heading: str) -> str:
    bounds = _span(*_bounds(check))
    percent = f"{check.percent or 0:f}"
    return {
        "rows": trn("The file must have {span} row", "The file must have {span} rows", _last(check), span=bounds),
        "usual": tr("The number of rows must be within {percent} % of usual", percent=percent),
        "not_empty": tr("The file must not be empty"),
        "total": tr("The total of {heading} must be {bounds}", heading=heading, bounds=bounds),
        "headings": tr(
            "The headings must be the {headings} agreed, in their order",
            headings=len(check.headings or ()),
        ),
        "full": tr("{heading} must be at least {percent} % full", heading=heading, percent=percent),
    }[check.file]
