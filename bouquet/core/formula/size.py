"""
How large a formula becomes as SQL: functions repeat their arguments, and columns that refer to each other repeat
whole formulas, so a short text may come to millions of operands. The size is known before anything is made of it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql

from bouquet.core.formula.functions import FUNCTIONS
from bouquet.core.formula.types import SQL_TYPES, Call, Literal, Node, Reference, Target, Type

__all__ = ["LARGEST", "size_of"]

#: Operands of the largest formula that is computed. A database plans as many in well under a second.
LARGEST = 4_000

#: Functions that the compiler makes itself, and how often they repeat their arguments.
_MADE = {"IF": 2, "IFERROR": 2, "ISERROR": 1}


def size_of(node: Node, of_target: Callable[[Target], int]) -> int:
    """
    The operands of a checked formula's SQL, those of its faults included. `of_target` tells the size of a reference.
    """
    if isinstance(node, Literal):
        return 1
    if isinstance(node, Reference):
        return of_target(node.target)
    given = tuple(a for a in node.arguments if a is not None)
    sizes = [size_of(a, of_target) for a in given]
    if node.function.startswith("as "):
        return sizes[0] + 1
    if node.function in _MADE:
        return 1 + _MADE[node.function] * sum(sizes)
    repeats = _repeats(node.function, tuple(a.type for a in given), _pattern_of(node))
    return 1 + sum(n * size for n, size in zip(repeats, sizes, strict=True))


def _pattern_of(node: Call) -> str | None:
    at = FUNCTIONS[node.function].pattern_at
    found = node.arguments[at] if at is not None else None
    return str(found.value) if isinstance(found, Literal) else None


@lru_cache(1_000)
def _repeats(name: str, types: tuple[Type, ...], pattern: str | None) -> tuple[int, ...]:
    """
    How often each argument stands in the SQL of a call.
    """
    function = FUNCTIONS[name]
    given = [sa.literal_column(f"argument_{n}_", SQL_TYPES[t]) for n, t in enumerate(types)]
    if function.pattern_at is not None:
        given[function.pattern_at] = pattern  # type: ignore[call-overload]
    made = [function.build(*given), *([function.fault(*given)] if function.fault else [])]
    texts = [str(m.compile(dialect=postgresql.dialect())) for m in made]  # type: ignore[no-untyped-call]
    counted = " ".join([*texts, texts[-1] if function.clamps else ""])
    return tuple(max(1, len(re.findall(f"argument_{n}_", counted))) for n in range(len(types)))
