"""
Text on PDF pages: the fonts there are, which of them has a letter, scripts that run from right to left, and lines that
fit a width.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

import arabic_reshaper
from bidi import get_display
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfbase.ttfonts import TTFont

__all__ = ["BOLD", "PLAIN", "Fonts", "wrapped"]

PLAIN, BOLD = "plain", "bold"

#: Debian's fonts-dejavu-core, and its fonts-droid-fallback for Chinese, Japanese and Korean.
_FOLDER = Path("/usr/share/fonts/truetype")
_FILES = {
    PLAIN: ("dejavu/DejaVuSans.ttf", "Vera.ttf"),
    BOLD: ("dejavu/DejaVuSans-Bold.ttf", "VeraBd.ttf"),
    "wide": ("droid/DroidSansFallbackFull.ttf", ""),
}

#: Hebrew, Arabic and their neighbours, also in their forms of presentation.
_RIGHT_TO_LEFT = re.compile("[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufeff]")

#: Lines of one cell, and its characters; what is longer ends with an ellipsis, and is told.
MOST_LINES, MOST_LETTERS = 400, 40_000


class Fonts:
    """
    The fonts of a file: one for most letters, and one for what it does not have.
    """

    def __init__(self) -> None:
        self.latin = {weight: _registered(weight) for weight in (PLAIN, BOLD)}
        self.wide = _registered("wide") if (_FOLDER / _FILES["wide"][0]).is_file() else ""
        #: Letters that no font has.
        self.missing: set[str] = set()
        #: Texts that were cut.
        self.cut = 0
        self._known = {name: _letters(name) for name in {*self.latin.values(), self.wide} if name}
        self._widths = {weight: _Widths(self, weight) for weight in self.latin}

    def runs(self, line: str, weight: str) -> Iterator[tuple[str, str]]:
        """
        (font, text) of each stretch of a line, in the order in which it is drawn from left to right.
        """
        name = self.latin[weight]
        line = _in_order(line)
        known, start, at = self._known[name], 0, name
        if line.isascii() or known.issuperset(map(ord, line)):
            yield name, line
            return
        for n, letter in enumerate(line):
            font = name if ord(letter) in known else self._other(letter) or name
            if font != at:
                if n > start:
                    yield at, line[start:n]
                start, at = n, font
        yield at, line[start:]

    def _other(self, letter: str) -> str:
        if self.wide and ord(letter) in self._known[self.wide]:
            return self.wide
        if letter.isprintable() and not letter.isspace():
            self.missing.add(letter)
        return ""

    def width(self, line: str, weight: str, size: float) -> float:
        """
        Points that a line takes.
        """
        return size * sum(map(self._widths[weight].__getitem__, _in_order(line)))


class _Widths(dict[str, float]):
    """
    How wide letters are at a size of one point, each measured when it is first asked for.
    """

    def __init__(self, fonts: Fonts, weight: str) -> None:
        super().__init__()
        self._fonts, self._weight = fonts, weight

    def __missing__(self, letter: str) -> float:
        ((font, _),) = self._fonts.runs(letter, self._weight)
        width = self[letter] = float(stringWidth(letter, font, 1))
        return width


def _in_order(line: str) -> str:
    """
    A line's letters from left to right, those of joined scripts in the forms that they take beside each other.
    """
    if line.isascii() or not _RIGHT_TO_LEFT.search(line):
        return line
    return str(get_display(arabic_reshaper.reshape(line)))


@lru_cache(maxsize=8)
def _registered(weight: str) -> str:
    file, spare = _FILES[weight]
    path = _FOLDER / file
    name = f"bouquet-{weight}"
    pdfmetrics.registerFont(TTFont(name, str(path) if path.is_file() else spare))
    return name


@lru_cache(maxsize=8)
def _letters(name: str) -> frozenset[int]:
    face: Any = pdfmetrics.getFont(name)
    return frozenset(face.face.charToGlyph)


def wrapped(fonts: Fonts, text: str, weight: str, size: float, room: float) -> list[str]:
    """
    A text as lines that fit `room` points, broken between words, and within a word that is wider than the room.
    """
    if "\n" not in text and fonts.width(text, weight, size) <= room:
        return [text]
    lines: list[str] = []
    long = len(text) > MOST_LETTERS
    text = text[:MOST_LETTERS].replace("\t", " ")
    for paragraph in text.replace("\r\n", "\n").replace("\r", "\n").split("\n"):
        lines += _broken(fonts, paragraph, weight, size, room)
        if len(lines) > MOST_LINES:
            break
    if long or len(lines) > MOST_LINES:
        fonts.cut += 1
        return [*lines[: MOST_LINES - 1], "…"]
    return lines or [""]


def _broken(fonts: Fonts, paragraph: str, weight: str, size: float, room: float) -> list[str]:
    lines, line = [], ""
    for word in paragraph.split(" "):
        longer = f"{line} {word}" if line else word
        if fonts.width(longer, weight, size) <= room:
            line = longer
            continue
        if line:
            lines.append(line)
        line = word
        while fonts.width(line, weight, size) > room and len(line) > 1:
            fits = _fitting(fonts, line, weight, size, room)
            lines.append(line[:fits])
            line = line[fits:]
    return [*lines, line]


def _fitting(fonts: Fonts, word: str, weight: str, size: float, room: float) -> int:
    """
    How many letters of a word fit, at least one.
    """
    least, most = 1, len(word)
    while least < most:
        middle = (least + most + 1) // 2
        if fonts.width(word[:middle], weight, size) <= room:
            least = middle
        else:
            most = middle - 1
    return least
