"""
Parts of a formula's SQL that databases say in different words: one name each, put into words when a statement is
compiled.

What is not listed for a database is the function of that name there.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

import sqlalchemy as sa
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.elements import Grouping
from sqlalchemy.sql.functions import Function

__all__ = ["F", "Phrase", "Words", "add_words", "text_of"]

Element = sa.ColumnElement[Any]

#: A text with `{0}`, `{1}`… for the arguments, or what makes the element that is said instead.
Words = str | Callable[..., Element]

_WORDS: dict[str, dict[tuple[str, int | None], Words]] = {}


#: What reads the same beside every operator.
_ATOMS = (Grouping, sa.ColumnClause, sa.BindParameter, sa.Case, sa.Cast, Function)


class Phrase(Function[Any]):
    """
    A part of a formula by its name.
    """

    inherit_cache = True


def add_words(dialect: str, words: Mapping[str | tuple[str, int], Words]) -> None:
    """
    Give a database its words: by a phrase's name, or by its name and its number of arguments.
    """
    known = _WORDS.setdefault(dialect, {})
    known.update({(name, None) if isinstance(name, str) else name: said for name, said in words.items()})


@compiles(Phrase)
def _say(element: Phrase, compiler: Any, **options: Any) -> str:
    given = list(element.clauses)
    known = _WORDS.get(compiler.dialect.name, {})
    words = known.get((element.name, len(given)), known.get((element.name, None)))
    if words is None:
        return str(compiler.visit_function(element, **options))
    if isinstance(words, str):
        # A driver that marks parameters with per cent signs wants others doubled.
        return str(compiler.escape_literal_column(words)).format(
            *(compiler.process(_apart(g), **options) for g in given)
        )
    return f"({compiler.process(words(*given), **options)})"


def _apart(given: Element) -> Element:
    return given if isinstance(given, _ATOMS) else Grouping(given)


class _Phrases:
    """
    `F.name(…)` is the phrase of that name.
    """

    def __getattr__(self, name: str) -> Callable[..., Phrase]:
        return partial(Phrase, name)


F = _Phrases()


def text_of(pattern: Element) -> str:
    """
    The text of a pattern that stands in the formula itself.
    """
    return str(pattern.name)[1:-1].replace("''", "'")
