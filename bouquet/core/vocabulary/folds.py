"""
How many records become one cell. A new fold is one line here and one function in `core.sql.folds`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, TypeAlias

from bouquet.core.catalogue import Kind
from bouquet.core.language import spoken
from bouquet.core.vocabulary.names import OneOf, by_name

__all__ = ["FOLDS", "Folding", "How"]


@spoken("phrase", "words", "wanted")
@dataclass(frozen=True)
class Folding:
    """
    One way to fold.

    Args:
        name: What documents call it.
        phrase: What stands before what is folded in a sentence and in headings.
        words: What a person chooses it by, as the end of “Of its lines: …”.
        gives: The kind of cell: a count, a sum or mean with its digits, a text, yes or no, or a value as it is folded.
        kinds: The kinds of value that it folds; None for all but files.
        wanted: What `kinds` are called, where it is not for all.
        of_groups: Whether it can be put together from a fold per record of a group.
        field: Whether it folds a field; else it may also fold the records themselves.
        order: Whether an order makes a difference, or is needed.
    """

    name: str
    phrase: str
    words: str
    gives: Literal["count", "sum", "mean", "text", "test", "value"] = "value"
    kinds: frozenset[Kind] | None = None
    wanted: str = ""
    of_groups: bool = False
    field: bool = True
    order: Literal["no", "may", "must"] = "no"

    def folds(self, kind: Kind) -> bool:
        """
        Whether it folds values of that kind.
        """
        if self.kinds is not None:
            return kind in self.kinds
        # Of files one can be shown; which one, an order says.
        return kind is not Kind.FILE or not self.field or self.order == "must"


_NUMBERS = frozenset({Kind.INTEGER, Kind.DECIMAL})
_ORDERED = _NUMBERS | {Kind.DATE, Kind.TIMESTAMP, Kind.MOMENT, Kind.TIME, Kind.CHOICE}
_TESTS = frozenset({Kind.BOOLEAN})
_ORDERED_WORDS = "numbers, dates, times or choices"

#: Every fold by its name, in the order in which they are offered.
FOLDS: dict[str, Folding] = by_name(
    (
        Folding("count", "number of", "how many there are", "count", of_groups=True, field=False),
        Folding("count_distinct", "number of different", "how many different values", "count"),
        Folding("sum", "sum of", "their sum", "sum", _NUMBERS, "numbers", of_groups=True),
        Folding("mean", "mean of", "their mean", "mean", _NUMBERS, "numbers", of_groups=True),
        Folding("least", "least", "the least", "value", _ORDERED, _ORDERED_WORDS, of_groups=True),
        Folding("greatest", "greatest", "the greatest", "value", _ORDERED, _ORDERED_WORDS, of_groups=True),
        Folding("first", "first", "the first", order="must"),
        Folding("latest", "latest", "the latest", order="must"),
        Folding("joined", "joined", "all of them, joined", "text", order="may"),
        Folding("spread", "spread", "each in a column of its own", order="may"),
        Folding("any", "any", "yes, if any says yes", "test", _TESTS, "yes-no fields", of_groups=True),
        Folding("all", "all", "yes, if all say yes", "test", _TESTS, "yes-no fields", of_groups=True),
        Folding("none", "none", "yes, if none says yes", "test", _TESTS, "yes-no fields", of_groups=True),
    )
)

#: The name of a fold, as documents give it.
How: TypeAlias = Annotated[str, OneOf(FOLDS)]
