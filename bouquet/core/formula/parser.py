"""
Formula text → tree, or the problem at its character.
"""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files
from typing import Any, TypeAlias

from lark import Lark, Token, Transformer, UnexpectedCharacters, UnexpectedEOF, UnexpectedToken
from lark.exceptions import VisitError

from bouquet.core.language import Texts, tr

__all__ = ["Applied", "FormulaError", "Named", "Number", "Parsed", "Quoted", "functions_in", "parse"]

#: Parts within parts. More is no formula that a person could read, or a database should.
DEEPEST = 60


class FormulaError(ValueError):
    """
    The formula is wrong at a character: `at`, counted from 0, `length` characters long.
    """

    def __init__(self, message: str, at: int, length: int = 1) -> None:
        self.at, self.length = at, length
        super().__init__(message)


@dataclass(frozen=True)
class Number:
    text: str
    at: int


@dataclass(frozen=True)
class Quoted:
    text: str
    at: int


@dataclass(frozen=True)
class Named:
    """
    What stands between braces.
    """

    name: str
    at: int


@dataclass(frozen=True)
class Applied:
    """
    A function or operator with its arguments, as written.
    """

    function: str
    arguments: tuple[Parsed, ...]
    at: int
    depth: int


Parsed: TypeAlias = Number | Quoted | Named | Applied

_WORDS = Texts(
    {
        "$END": "the end",
        "RPAR": "a closing bracket",
        "LPAR": "an opening bracket",
        "_SEPARATOR": "“;”",
        "NUMBER": "a number",
        "TEXT": "a text in quotation marks",
        "REFERENCE": "a field in braces",
        "NAME": "a function",
    }
)


def _applied(function: str, arguments: list[Parsed], at: int) -> Applied:
    depth = 1 + max((a.depth for a in arguments if isinstance(a, Applied)), default=0)
    if depth > DEEPEST:
        raise FormulaError(
            tr(
                "The formula is nested more than {deepest} deep; use a second column for a part of it.",
                deepest=DEEPEST,
            ),
            at,
        )
    return Applied(function, tuple(arguments), at, depth)


class _Tree(Transformer[Token, Parsed]):
    def number(self, items: list[Token]) -> Parsed:
        return Number(str(items[0]), items[0].start_pos or 0)

    def text(self, items: list[Token]) -> Parsed:
        return Quoted(str(items[0])[1:-1].replace('""', '"'), items[0].start_pos or 0)

    def reference(self, items: list[Token]) -> Parsed:
        return Named(str(items[0])[1:-1].strip(), items[0].start_pos or 0)

    def arguments(self, items: list[Parsed]) -> Any:
        return list(items)

    def call(self, items: list[Any]) -> Parsed:
        name, arguments = items
        return _applied(str(name).upper(), arguments or [], name.start_pos or 0)

    def prefix(self, items: list[Any]) -> Parsed:
        return _applied(tr("prefix {items}", items=items[0]), [items[1]], items[0].start_pos or 0)

    def percent(self, items: list[Any]) -> Parsed:
        return _applied("%", [items[0]], items[1].start_pos or 0)

    def _binary(self, items: list[Any]) -> Parsed:
        return _applied(str(items[1]), [items[0], items[2]], items[1].start_pos or 0)

    comparison = concatenation = sum = product = power = _binary

    def start(self, items: list[Parsed]) -> Parsed:
        return items[0]


_PARSER = Lark(files(__package__).joinpath("grammar.lark").read_text(), parser="lalr", transformer=_Tree())


def parse(text: str) -> Parsed:
    """
    Read a formula.

    Raises FormulaError at the character that cannot be read, saying what was expected.
    """
    try:
        return _PARSER.parse(text)  # type: ignore[return-value]
    except VisitError as error:
        if isinstance(error.orig_exc, FormulaError):
            raise error.orig_exc from error
        raise
    except UnexpectedCharacters as error:
        at = error.pos_in_stream or 0
        if text[at] == '"':
            raise FormulaError(tr("This quotation mark is never closed."), at) from error
        if text[at] == "{":
            raise FormulaError(tr("This brace is never closed, or has nothing inside."), at) from error
        raise FormulaError(tr("“{what}” has no meaning in a formula.", what=text[at]), at) from error
    except (UnexpectedToken, UnexpectedEOF) as error:
        token = getattr(error, "token", None)
        ended = token is None or token.type == "$END"
        at = len(text) if token is None or ended else token.start_pos or 0
        expected = sorted({_WORDS[e] for e in getattr(error, "accepts", None) or error.expected if e in _WORDS})
        found = tr("The formula ends too early") if ended else tr("“{token}” was not expected here", token=token)
        raise FormulaError(
            tr(
                "{found}; expected {expected}.",
                found=found,
                expected=" or ".join(expected) or tr("an operator"),
            ),
            at,
        ) from error


def functions_in(text: str) -> frozenset[str]:
    """
    The functions and operators that a formula names; none where it cannot be read.
    """

    def named(parsed: Parsed) -> set[str]:
        if not isinstance(parsed, Applied):
            return set()
        return {parsed.function}.union(*map(named, parsed.arguments))

    try:
        return frozenset(named(parse(text)))
    except FormulaError:
        return frozenset()
