"""
What is drawn on one PDF page: its texts as one text object and its rules as a few paths, since a drawing of its own for
each cell costs more than all the rest of a file.
"""

from __future__ import annotations

from collections import defaultdict
from io import BytesIO

from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from bouquet.core.writers.pdf_text import Fonts
from bouquet.core.writers.pictures import Picture

__all__ = ["Page"]


class Page:
    """
    Collects texts and rules; all measures in points, from the page's lower left corner.
    """

    def __init__(self, canvas: Canvas, fonts: Fonts) -> None:
        self._canvas, self._fonts = canvas, fonts
        self._text = canvas.beginText()
        self._font: tuple[str, float] | None = None
        self._gray: float | None = None
        self._rules: dict[tuple[float, float], list[tuple[float, float, float, float]]] = defaultdict(list)

    def text(self, x: float, y: float, line: str, weight: str, size: float, gray: float) -> None:
        """
        Put a line of text with its left end at (x, y).
        """
        text = self._text
        if gray != self._gray:
            text.setFillGray(gray)
            self._gray = gray
        text.setTextOrigin(x, y)
        for name, run in self._fonts.runs(line, weight):
            if (name, size) != self._font:
                text.setFont(name, size)
                self._font = (name, size)
            text.textOut(run)

    def rule(self, left: float, right: float, y: float, width: float, gray: float) -> None:
        """
        Draw a horizontal rule.
        """
        self._rules[width, gray].append((left, y, right, y))

    def picture(self, x: float, y: float, picture: Picture, width: float, height: float) -> None:
        """
        Put a picture with its lower left corner at (x, y).
        """
        self._canvas.drawImage(ImageReader(BytesIO(picture.data)), x, y, width, height, mask="auto")

    def finish(self) -> None:
        """
        Draw all that was collected.
        """
        for (width, gray), lines in self._rules.items():
            self._canvas.setStrokeGray(gray)
            self._canvas.setLineWidth(width)
            self._canvas.lines(lines)
        self._canvas.drawText(self._text)
