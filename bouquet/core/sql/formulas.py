"""
Checked formulas → SQL, with the condition under which there is no result.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import sqlalchemy as sa

from bouquet.core.formula import FUNCTIONS, Call, Literal, Node, Reference, Target, Type
from bouquet.core.sql.literals import literal

__all__ = ["compile_formula", "formula_text"]

Element = sa.ColumnElement[Any]

SQL_TYPES: dict[Type, Any] = {
    Type.NUMBER: sa.Numeric(),
    Type.TEXT: sa.Text(),
    Type.YES_NO: sa.Boolean(),
    Type.DATE: sa.Date(),
    Type.MOMENT: sa.DateTime(),
    Type.TIME: sa.Time(),
}


def _plain(code: str) -> Element:
    return sa.literal_column("'" + code + "'")


def formula_text(value: Element, kind: Type) -> Element:
    """
    A value as the text that formulas turn it into: ISO dates, plain numbers, TRUE and FALSE.
    """
    if kind is Type.NUMBER:
        return sa.cast(sa.func.trim_scale(value), sa.Text)
    if kind is Type.YES_NO:
        return sa.case((value, _plain("TRUE")), (sa.not_(value), _plain("FALSE")))
    if kind is Type.DATE:
        return sa.func.to_char(value, _plain("YYYY-MM-DD"))
    if kind is Type.MOMENT:
        return sa.func.to_char(value, sa.literal_column("""'YYYY-MM-DD"T"HH24:MI:SS'"""))
    return sa.cast(value, sa.Text)


def compile_formula(
    node: Node, read: Callable[[Target, Type], tuple[Element, Element | None]]
) -> tuple[Element, Element | None]:
    """
    (value, fault) of a formula; fault is None where there is always a result.

    `read` gives the SQL of a reference as its type, and when it has no result itself.
    """
    return _Compiler(read).compile(node)


def _either(faults: list[Element | None]) -> Element | None:
    known = [sa.func.coalesce(f, sa.false()) for f in faults if f is not None]
    return sa.or_(*known) if known else None


class _Compiler:
    def __init__(self, read: Callable[[Target, Type], tuple[Element, Element | None]]) -> None:
        self.read = read

    def compile(self, node: Node) -> tuple[Element, Element | None]:
        if isinstance(node, Literal):
            return self._typed(self._literal(node), node.type), None
        if isinstance(node, Reference):
            value, fault = self.read(node.target, node.type)
            return self._typed(value, node.type), fault
        return self._call(node)

    @staticmethod
    def _typed(value: Element, kind: Type) -> Element:
        return sa.type_coerce(value, SQL_TYPES[kind])

    @staticmethod
    def _literal(node: Literal) -> Element:
        if node.value is None:
            return sa.cast(sa.null(), SQL_TYPES[node.type])
        if node.type is Type.NUMBER:
            return sa.cast(literal(node.value), sa.Numeric)
        return literal(node.value)

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
        if not function.keeps_blanks:
            values = [
                self._typed(sa.func.coalesce(v, _plain("")), Type.TEXT) if k is Type.TEXT and v is not None else v
                for v, k in zip(values, kinds, strict=True)
            ]
        value = self._typed(function.build(*_given(values)), node.type)
        if node.function == "IF":
            return value, self._fault_of_if(values[0], faults)
        own = function.fault(*_given(values)) if function.fault else None
        return value, _either([*faults, own])

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
