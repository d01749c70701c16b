"""
A request while it is read: its words, what they may mean, and what was taken from them so far.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any, TypeAlias

from bouquet.core.asked.lexicon import Lexicon, Meaning
from bouquet.core.asked.model import Role
from bouquet.core.asked.tokens import Token
from bouquet.core.catalogue import RecordType

__all__ = ["Reading", "Rule", "Taken"]


@dataclass
class Taken:
    """
    One part of the proposal, with the tokens that say it. `node` is what stands in the document: a narrowing, the value
    of a column, a level of the order, a number of rows, what rows are grouped by.
    """

    role: Role
    first: int
    last: int
    node: Any
    heading: str = ""
    field_path: str = ""
    doubt: str = ""


@dataclass
class Reading:
    """
    Args:
        tokens: The words of the request.
        lexicon: What they may mean.
        lexicon_of: The same, seen from another record type.
        today: The day on which it is asked.
        ignored: Positions of tokens that a person said are not meant like that.
    """

    tokens: tuple[Token, ...]
    lexicon: Lexicon
    lexicon_of: Callable[[RecordType], Lexicon]
    today: date
    ignored: frozenset[int] = frozenset()
    taken: list[Taken] = field(default_factory=list)
    unread: list[int] = field(default_factory=list)
    #: Whether fields that are named are columns (“with tag and girth”), or may also narrow.
    listing: bool = False
    #: Whether the next choice, value or yes-no field is not to be met.
    negated: bool = False
    #: Positions of words that are spelt otherwise than what they were read as.
    corrected: set[int] = field(default_factory=set)
    #: Whether rows are counted or summed, so that “per” and “by” group them.
    grouped: bool = False

    def word(self, n: int) -> str:
        """
        The word at a position; nothing beyond the end.
        """
        return self.tokens[n].word if 0 <= n < len(self.tokens) and not self.tokens[n].quoted else ""

    def says(self, n: int, *phrases: str) -> int:
        """
        How many tokens the first of the phrases takes that stands at a position; 0 where none does.
        """
        for phrase in phrases:
            words = phrase.split()
            if all(self.word(n + k) == w for k, w in enumerate(words)):
                return len(words)
        return 0

    def meaning(self, n: int, *kinds: str) -> tuple[int, Meaning] | None:
        """
        The likeliest thing of some kinds that is meant at a position, with how many tokens say it.
        """
        if n >= len(self.tokens) or n in self.ignored:
            return None
        length, found = self.lexicon.at(self.tokens, n)
        fit = [m for m in found if not kinds or m.what in kinds]
        return (length, fit[0]) if fit else None

    def take(self, role: Role, first: int, count: int, node: Any, **more: str) -> int:
        """
        Note a part, and how many tokens it took.
        """
        taken = Taken(role, first, first + count - 1, node, **more)
        spelt = next((n for n in range(first, first + count) if n in self.corrected), None)
        if spelt is not None:
            taken.doubt = f"“{self.tokens[spelt].text}” was read as “{self.tokens[spelt].word}”"
        self.taken.append(taken)
        return count

    def correct(self, n: int, word: str) -> None:
        """
        Read a misspelt word as a known one; what is made of it is in doubt.
        """
        self.tokens = (*self.tokens[:n], replace(self.tokens[n], word=word), *self.tokens[n + 1 :])
        self.corrected.add(n)

    def ambiguity(self, n: int, chosen: Meaning) -> str:
        """
        Why a phrase may mean something else: another thing that is as near.
        """
        _, found = self.lexicon.at(self.tokens, n)
        others = [m for m in found if m is not chosen and m.rank == chosen.rank and m.path != chosen.path]
        if chosen.part:
            return "a word of several values"
        if others and others[0].field is not None:
            return f"may also mean {others[0].path.replace('.', ' › ').replace('_', ' ')}"
        return ""


#: Reads at a position: how many tokens it understood; 0 where it is not for it.
Rule: TypeAlias = Callable[[Reading, int], int]
