"""
What formulas come to, of Python's own values.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from functools import lru_cache
from typing import Any

from bouquet.core.formula.computed import CALLS, Made
from bouquet.core.formula.computed_numbers import Fault
from bouquet.core.formula.functions import FUNCTIONS
from bouquet.core.formula.types import Call, Literal, Node, Reference, Type

__all__ = ["evaluate", "read_tree", "write_tree"]

#: What passes over blanks, or looks at them; all else is blank where a number, date or yes-no is.
_SEES_BLANKS = frozenset(
    (
        "AND", "OR", "NOT", "ISBLANK", "COUNT", "COUNTA", "COUNTBLANK", "ISNUMBER", "ISTEXT", "ISNONTEXT", "ISLOGICAL",
        "CHOOSE", "T", "MIN", "MAX", "SUM", "PRODUCT", "AVERAGE", "VAR", "VARP", "STDEV", "STDEVP",
    )
)  # fmt: skip

#: A formula as `read_tree` gives it.
Tree = list[Any]


def write_tree(tree: Node, place_of: Callable[[Reference], int]) -> str:
    """
    A checked formula as text, with each reference by its place among what it refers to.
    """

    def written(node: Node | None) -> Any:
        match node:
            case None:
                return None
            case Literal():
                return ["literal", str(node.type), None if node.value is None else _plain(node.value)]
            case Reference():
                return ["reference", str(node.type), place_of(node)]
            case Call():
                return [node.function, str(node.type), *map(written, node.arguments)]

    return json.dumps(written(tree), ensure_ascii=False, separators=(",", ":"))


@lru_cache(maxsize=256)
def read_tree(text: str) -> Tree:
    """
    What `write_tree` wrote.
    """
    found: Tree = json.loads(text)
    return found


def _plain(value: Any) -> Any:
    return value if isinstance(value, bool | str) else f"{value:f}" if isinstance(value, Decimal) else value.isoformat()


def _value(plain: Any, kind: str) -> Made:
    """
    A value as a database hands it over, as its type; None where it says none.
    """
    if plain is None:
        return None
    try:
        match Type(kind):
            case Type.NUMBER:
                return Decimal(repr(plain) if isinstance(plain, float) else str(plain))
            case Type.YES_NO:
                return bool(plain)
            case Type.DATE:
                return date.fromisoformat(str(plain)[:10])
            case Type.MOMENT:
                return datetime.fromisoformat(str(plain)).replace(tzinfo=None)
            case Type.TIME:
                return time.fromisoformat(str(plain)).replace(tzinfo=None)
            case Type.TEXT:
                return str(plain)
    except (ValueError, ArithmeticError):
        return None


# Evaluation


def evaluate(tree: Tree, values: Sequence[Any], faults: Sequence[Any]) -> tuple[Made, bool]:
    """
    (value, whether a part that counts has no result) of a formula, given what its references come to.
    """
    name, kind, *rest = tree
    if name == "literal":
        return _value(rest[0], kind), False
    if name == "reference":
        return _value(values[rest[0]], kind), bool(faults[rest[0]])
    found = [evaluate(a, values, faults) if a is not None else None for a in rest]
    while found and found[-1] is None:
        found.pop()
    made = [f[0] if f is not None else None for f in found]
    failed = [f[1] if f is not None else False for f in found]
    if name.startswith("as "):
        return _converted(made[0], kind), failed[0]
    if name == "ISERROR":
        return failed[0], False
    if name == "IFERROR":
        return (made[1], failed[1]) if failed[0] else (made[0], False)
    if name == "IF":
        taken = 1 if made[0] else 2
        return (made[taken], failed[0] or failed[taken]) if taken < len(made) else (None, failed[0])
    kinds = [a[1] for a in rest[: len(made)] if a is not None]
    if not FUNCTIONS[name].keeps_blanks:
        made = [
            "" if v is None and a is not None and a[1] == Type.TEXT else v for v, a in zip(made, rest, strict=False)
        ]
    if name not in _SEES_BLANKS and any(v is None and a is not None for v, a in zip(made, rest, strict=False)):
        return None, any(failed)
    try:
        return CALLS[name](kinds, *made), any(failed)
    except (Fault, OverflowError):
        return None, True


def _converted(value: Made, kind: str) -> Made:
    if value is None:
        return None
    if kind == Type.TEXT:
        return as_text(value)
    if kind == Type.MOMENT and not isinstance(value, datetime):
        assert isinstance(value, date)
        return datetime(value.year, value.month, value.day)
    return value.date() if isinstance(value, datetime) else value


def as_text(value: Made) -> str:
    """
    A value as the text that formulas turn it into: ISO dates, plain numbers, TRUE and FALSE.
    """
    if value is None:
        return ""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, Decimal):
        text = f"{value:f}"
        text = text.rstrip("0").rstrip(".") if "." in text else text
        return "0" if text == "-0" else text
    if isinstance(value, datetime):
        return value.replace(microsecond=0).isoformat()
    return value.isoformat() if isinstance(value, date | time) else value
