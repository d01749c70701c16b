"""
How values are compared in filters. A new comparison is one line here and one function in `core.sql.comparisons`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, TypeAlias

from bouquet.core.catalogue import Kind
from bouquet.core.language import spoken
from bouquet.core.vocabulary.names import OneOf, by_name

__all__ = ["COMPARISONS", "Comparing", "Operator", "operators_of"]


@spoken("words", "hint")
@dataclass(frozen=True)
class Comparing:
    """
    One comparison.

    Args:
        name: What documents call it.
        words: What stands between the field and its value in a sentence.
        kinds: The kinds of value that it compares.
        takes: What it compares with: nothing, one value, a list of them, two bounds, or a window.
        hint: What else a person is told who chooses it.
        keeps_blanks: Whether a blank meets it.
        tells_blanks: Whether the tally says how many blanks it lost: they lie on neither side of an order.
    """

    name: str
    words: str
    kinds: frozenset[Kind]
    takes: Literal["nothing", "value", "list", "range", "window"] = "value"
    hint: str = ""
    keeps_blanks: bool = False
    tells_blanks: bool = False


_TEXTS = frozenset({Kind.TEXT, Kind.IDENTIFIER, Kind.OTHER})
_DATED = frozenset({Kind.DATE, Kind.TIMESTAMP, Kind.MOMENT})
_ORDERED = frozenset({Kind.INTEGER, Kind.DECIMAL, Kind.TIME})
_LISTED = _TEXTS | _DATED | _ORDERED | {Kind.CHOICE}
_VALUES = _LISTED | {Kind.BOOLEAN}
_ALL = _VALUES | {Kind.FILE}

#: Every comparison by its name, in the order in which they are offered.
COMPARISONS: dict[str, Comparing] = by_name(
    (
        Comparing("yes", "is yes", frozenset({Kind.BOOLEAN}), "nothing"),
        Comparing("no", "is no", frozenset({Kind.BOOLEAN}), "nothing"),
        Comparing("is", "is", _VALUES),
        Comparing("is_not", "is not", _VALUES, keeps_blanks=True),
        Comparing("one_of", "is one of", _LISTED, "list"),
        Comparing("none_of", "is none of", _LISTED, "list", keeps_blanks=True),
        Comparing("blank", "is blank", _ALL, "nothing", keeps_blanks=True),
        Comparing("not_blank", "is not blank", _ALL, "nothing"),
        Comparing("contains", "contains", _TEXTS),
        Comparing("not_contains", "does not contain", _TEXTS, keeps_blanks=True),
        Comparing("starts_with", "starts with", _TEXTS),
        Comparing("ends_with", "ends with", _TEXTS),
        Comparing("matches", "looks like", _TEXTS, hint="* stands for any text, ? for one letter"),
        Comparing("less_than", "is less than", _ORDERED, tells_blanks=True),
        Comparing("at_most", "is at most", _ORDERED, tells_blanks=True),
        Comparing("greater_than", "is greater than", _ORDERED, tells_blanks=True),
        Comparing("at_least", "is at least", _ORDERED, tells_blanks=True),
        Comparing("before", "is before", _DATED, tells_blanks=True),
        Comparing("after", "is after", _DATED, tells_blanks=True),
        Comparing("between", "is between", _ORDERED | _DATED, "range", tells_blanks=True),
        Comparing("in_window", "is in", _DATED, "window", tells_blanks=True),
    )
)

#: The name of a comparison, as documents give it.
Operator: TypeAlias = Annotated[str, OneOf(COMPARISONS)]


def operators_of(kind: Kind) -> tuple[str, ...]:
    """
    The comparisons that a kind of value knows, in the order in which they are offered.
    """
    return tuple(c.name for c in COMPARISONS.values() if kind in c.kinds)
