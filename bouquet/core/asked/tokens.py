"""
A request cut into words, each with its place in the text.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache

from bouquet.core.guessing.words import singular_of

__all__ = ["Token", "cut", "number_in", "stem"]

#: Numbers that people write as words.
_NUMBERS = {
    "no": 0, "a": 1, "an": 1, "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8,
    "nine": 9, "ten": 10, "eleven": 11, "twelve": 12, "dozen": 12, "fifteen": 15, "twenty": 20, "thirty": 30,
    "fifty": 50, "hundred": 100, "thousand": 1000,
}  # fmt: skip

_PIECES = re.compile(
    r"“(?P<quoted>[^”]*)”|\"(?P<straight>[^\"]*)\""
    r"|\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{4}"
    r"|[^\W\d_]+[-/]\d[\w-]*"
    r"|\d[\d,]*(?:\.\d+)?"
    r"|[^\W\d_]+(?:['’-][^\W\d_]+)*"
    r"|[<>]=?|≥|≤|\S"
)


@dataclass(frozen=True)
class Token:
    """
    One word, number or mark: where it stands (characters, the end not included), as it is written, and its `word` in
    small letters and in the singular. What stands in quotation marks is one token, `quoted`.
    """

    start: int
    end: int
    text: str
    word: str
    quoted: bool = False

    @property
    def says(self) -> bool:
        """
        Whether it is a word or a number, and no mark; nothing between quotation marks is neither.
        """
        return self.text[:1].isalnum()


@lru_cache(20_000)
def stem(word: str) -> str:
    """
    A word in small letters and in the singular.
    """
    small = word.casefold().replace("’", "'").removesuffix("'s").removesuffix("s'")
    if len(small) < 4 or not small.endswith("s") or small.endswith(("ss", "us", "is")):
        return small
    return singular_of(small)


def cut(text: str) -> tuple[Token, ...]:
    """
    The words, numbers and marks of a text, in their order.
    """
    found = []
    for piece in _PIECES.finditer(text):
        inner = piece["quoted"] if piece["quoted"] is not None else piece["straight"]
        if inner is not None:
            found.append(Token(piece.start(), piece.end(), inner, inner.casefold(), quoted=True))
        else:
            found.append(Token(piece.start(), piece.end(), piece[0], stem(piece[0])))
    return tuple(found)


def number_in(token: Token) -> Decimal | None:
    """
    The number that a token says in digits (commas between thousands) or as a word; None where it says none.
    """
    if re.fullmatch(r"\d[\d,]*(?:\.\d+)?", token.text):
        return Decimal(token.text.replace(",", ""))
    said = _NUMBERS.get(token.text.casefold())
    return None if said is None else Decimal(said)
