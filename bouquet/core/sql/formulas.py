"""
Checked formulas → SQL, with the condition under which there is no result.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import sqlalchemy as sa
from sqlalchemy.sql.elements import False_, Grouping

from bouquet.core.formula import FUNCTIONS, SQL_TYPES, Call, F, Function, Literal, Node, Phrase, Reference, Target, Type
from bouquet.core.values import Value

__all__ = ["ReadReference", "compile_formula", "formula_text"]

Element = sa.ColumnElement[Any]

#: Gives the SQL of a reference as its type, and when it has no result itself.
ReadReference = Callable[[Target, Type], tuple[Element, Element | None]]


def _plain(code: str) -> Element:
    return sa.literal_column("'" + code + "'")


def formula_text(value: Element, kind: Type) -> Element:
    """
    A value as the text that formulas turn it into: ISO dates, plain numbers, TRUE and FALSE.
    """
    if kind is Type.YES_NO:
        return sa.case((value, _plain("TRUE")), (sa.not_(value), _plain("FALSE")))
    said = {Type.NUMBER: F.number_text, Type.DATE: F.date_text, Type.MOMENT: F.moment_text, Type.TIME: F.time_text}
    return said[kind](value) if kind in said else sa.cast(value, sa.Text)


def compile_formula(
    node: Node,
    read: ReadReference,
    literal: Callable[[Value], Element],
    faults: Mapping[str, Callable[..., Element]] | None = None,
) -> tuple[Element, Element | None]:
    """
    (value, fault) of a formula; fault is None where there is always a result.

    `literal` makes the SQL of a value that stands in the formula. `faults` are those that a database has of functions
    which elsewhere have none.
    """
    return _Compiler(read, literal, faults or {}).compile(node)


#: What reads the same beside every operator.
_ATOMS = (Grouping, sa.ColumnClause, sa.BindParameter, sa.Case, sa.Cast, sa.Function)


def _either(faults: list[Element | None]) -> Element | None:
    known = [sa.func.coalesce(f, sa.false()) for f in faults if f is not None]
    return sa.or_(*known) if known else None


def _is_number(value: Element) -> bool:
    return isinstance(value, Phrase) and value.name == "number"


class _Compiler:
    def __init__(
        self, read: ReadReference, literal: Callable[[Value], Element], faults: Mapping[str, Callable[..., Element]]
    ) -> None:
        self.read, self.literal, self.faults = read, literal, faults

    def compile(self, node: Node) -> tuple[Element, Element | None]:
        if isinstance(node, Literal):
            return self._typed(self._literal(node), node.type), None
        if isinstance(node, Reference):
            value, fault = self.read(node.target, node.type)
            return self._typed(value, node.type), fault
        return self._call(node)

    @staticmethod
    def _typed(value: Element, kind: Type) -> Element:
        """
        The value as an operand of its type. It stands in brackets of its own: SQLAlchemy does not see the operator
        inside a coerced value, and would leave them out.
        """
        if kind is Type.NUMBER and not _is_number(value):
            # What counts, or has whole numbers only, would be an integer, and divide and take roots as one.
            value = F.number(value)
        return sa.type_coerce(value if isinstance(value, _ATOMS) else Grouping(value), SQL_TYPES[kind])

    def _literal(self, node: Literal) -> Element:
        if node.value is None:
            return F.unknown() if node.type is Type.YES_NO else sa.cast(sa.null(), SQL_TYPES[node.type])
        return self.literal(node.value)

    def _call(self, node: Call) -> tuple[Element, Element | None]:
        made = [self.compile(a) if a is not None else (None, None) for a in node.arguments]
        kinds = [a.type if a is not None else None for a in node.arguments]
        values, faults = [v for v, _ in made], [f for _, f in made]
        if node.function.startswith("as "):
            value = values[0]
            assert value is not None
            assert kinds[0] is not None
            if node.function == "as text":
                return self._typed(formula_text(value, kinds[0]), Type.TEXT), faults[0]
            return self._typed(sa.cast(value, SQL_TYPES[node.type]), node.type), faults[0]
        function = FUNCTIONS[node.function]
        if node.function in ("ISERROR", "IFERROR"):
            return self._caught(node, values, faults)
        if function.pattern_at is not None:
            pattern = node.arguments[function.pattern_at]
            assert isinstance(pattern, Literal)
            values[function.pattern_at] = pattern.value  # type: ignore[assignment]
            value = self._typed(function.build(*values), node.type)
            return value, _either([*faults, self._own_fault(function, values, kinds)])
        if not function.keeps_blanks:
            values = [
                self._typed(sa.func.coalesce(v, _plain("")), Type.TEXT) if k is Type.TEXT and v is not None else v
                for v, k in zip(values, kinds, strict=True)
            ]
        value = self._typed(function.build(*_given(values)), node.type)
        if node.function == "IF":
            return value, self._fault_of_if(values[0], faults)
        fault = self._own_fault(function, values, kinds)
        if function.clamps and fault is not None:
            value = self._typed(sa.case((sa.not_(sa.func.coalesce(fault, sa.false())), value)), node.type)
        return value, _either([*faults, fault])

    def _own_fault(self, function: Function, values: list[Element | None], kinds: list[Type | None]) -> Element | None:
        """
        When the function itself has no result. A blank argument gives a blank and is no fault.
        """
        make = function.fault or self.faults.get(function.name)
        if make is None:
            return None
        fault = make(*_given(values))
        if function.keeps_blanks:
            return fault
        if isinstance(fault, False_):
            return None
        there = [v.is_not(None) for v, k in zip(values, kinds, strict=True) if v is not None and k is not Type.TEXT]
        return sa.and_(*there, fault)

    def _caught(
        self, node: Call, values: list[Element | None], faults: list[Element | None]
    ) -> tuple[Element, Element | None]:
        """
        What speaks of whether its first argument has a result: its fault is no longer one.
        """
        fault = sa.func.coalesce(faults[0], sa.false()) if faults[0] is not None else sa.false()
        if node.function == "ISERROR":
            return self._typed(fault, node.type), None
        assert values[0] is not None
        assert values[1] is not None
        value = sa.case((fault, values[1]), else_=values[0])
        left = sa.and_(fault, sa.func.coalesce(faults[1], sa.false())) if faults[1] is not None else None
        return self._typed(value, node.type), left

    @staticmethod
    def _fault_of_if(test: Element | None, faults: list[Element | None]) -> Element | None:
        """
        Only the branch that is taken can be at fault.
        """
        chosen = [f if f is not None else sa.false() for f in faults[1:]]
        if all(f is None for f in faults[1:]):
            return faults[0]
        assert test is not None
        taken = sa.case((test, chosen[0]), else_=chosen[1] if len(chosen) > 1 else sa.false())
        return _either([faults[0], taken])


def _given(values: list[Element | None]) -> list[Element | None]:
    """
    Arguments up to the last one given.
    """
    while values and values[-1] is None:
        values = values[:-1]
    return values
