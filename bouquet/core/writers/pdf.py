"""
PDF (ISO 32000-1) for print and for keeping (PDF/A-2b): pages of one table with a title, repeated headings, groups,
totals and page numbers.

Rows are drawn as they come, straight on to the page; the drawing of a finished page waits on disk, so that memory stays
small however many rows there are. The widths of columns are found on the first rows.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from math import ceil
from types import MappingProxyType

import polars as pl
from reportlab import rl_config
from reportlab.lib.pagesizes import A4, landscape
from reportlab.pdfgen.canvas import Canvas

from bouquet.core.language import tr
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping import Line, TextShaper, shown_total
from bouquet.core.writers.base import Writer
from bouquet.core.writers.pdf_archive import describe
from bouquet.core.writers.pdf_file import Drawings, save
from bouquet.core.writers.pdf_page import Page
from bouquet.core.writers.pdf_text import BOLD, PLAIN, Fonts, wrapped
from bouquet.core.writers.pictures import Picture, pictures_in

__all__ = ["PdfWriter"]

# A file of bytes: written as letters, it were a quarter longer.
rl_config.useA85 = 0

MARGIN = 40.0
SIZE, LEADING = 8.5, 11.0
PADDING = 4.0
FOOT, FOOT_SIZE = 26.0, 7.5

#: The drawing of how many pages there are, and the points that it has.
PAGES, ROOM_FOR_PAGES = "pages", 26.0

#: Points that a column has at least and at most, before the page's width is shared out.
NARROWEST, WIDEST = 28.0, 240.0

#: Of cards: the width of the headings beside the values, and the values' size.
CARD_HEADING, CARD_SIZE, CARD_LEADING = 150.0, 10.5, 14.5

#: The room of a picture in a cell, and on a card.
PICTURE, CARD_PICTURE = (110.0, 66.0), (320.0, 220.0)

#: Rows on which widths are found.
MEASURED = 400

_INK, _SOFT, _RULE = 0.1, 0.45, 0.75

_NONE: Mapping[int, Picture] = MappingProxyType({})


@dataclass
class _Column:
    """
    Where a column stands on the page, in points from its left edge.
    """

    left: float
    width: float
    right_aligned: bool

    @property
    def inner(self) -> float:
        return self.width - 2 * PADDING


@dataclass
class _Rows:
    """
    Rows as text, and the pictures of columns that have some.
    """

    text: pl.DataFrame
    pictures: dict[int, list[Picture | None]]

    def __iter__(self) -> Iterator[tuple[tuple[str | None, ...], dict[int, Picture]]]:
        for k, row in enumerate(self.text.iter_rows()):
            yield row, {n: picture for n, of in self.pictures.items() if (picture := of[k]) is not None}


class PdfWriter(Writer):
    """
    One table over as many pages as it takes; lying when its columns want more than an upright page has.
    """

    def open(self) -> None:
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        self._fonts = Fonts()
        self._columns: list[_Column] = []
        self._waiting: list[_Rows | Line] = []
        self._held, self._page = 0, 0
        self._cards, self._carded = self.plan.output.pages.layout == "cards", False
        self._finished = Drawings(self.path.parent)
        # Pages are written at the end; until then the file is there, and empty.
        self.path.touch()

    def write(self, frame: pl.DataFrame) -> None:
        text = self._shaper.shape(frame).with_columns(pl.all().cast(pl.String))
        rows = _Rows(text, pictures_in(frame, self.plan, self.facts.notes))
        self.facts.rows += frame.height
        if self._columns:
            self._draw_rows(rows)
            return
        self._waiting.append(rows)
        self._held += text.height
        if self._held >= MEASURED:
            self._begin()

    def write_line(self, line: Line) -> None:
        if self._columns:
            self._draw_line(line)
        else:
            self._waiting.append(line)

    def _begin(self) -> None:
        """
        Lay the columns out by the rows that wait, and draw these.
        """
        self._lay_out()
        # Without a first font of the file's own, each page would name one that is not embedded.
        self._canvas = Canvas(
            str(self.path),
            pagesize=self._size,
            pageCompression=1,
            pdfVersion=(1, 7),
            lang=self._language(),
            initialFontName=self._fonts.latin[PLAIN],  # type: ignore[arg-type]  # a name, whatever its stubs say
        )
        self._canvas.setCreator("Bouquet")
        self._canvas.setTitle(self.plan.name)
        self._canvas.setSubject(self.sentence[:1000])
        self._canvas.setAuthor(self.plan.output.xlsx.author or self.plan.catalogue.title)
        kept = [
            tr("{environment} data", environment=self.plan.catalogue.environment),
            *([tr("run {stamp}", stamp=self.stamp)] if self.stamp else []),
        ]
        self._canvas.setKeywords(", ".join(kept))
        self._new_page()
        for waiting in self._waiting:
            if isinstance(waiting, Line):
                self._draw_line(waiting)
            else:
                self._draw_rows(waiting)
        self._waiting = []

    def _language(self) -> str:
        return self.plan.output.locale.replace("_", "-")

    def _lay_out(self) -> None:
        columns = self.plan.columns
        seen = [rows.text.head(MEASURED) for rows in self._waiting if isinstance(rows, _Rows)]
        drawn = {n for rows in self._waiting if isinstance(rows, _Rows) for n in rows.pictures}
        sample = pl.concat(seen).head(MEASURED) if seen else None
        wanted = []
        for n, column in enumerate(columns):
            words = max((w for w in column.heading.split() or [""]), key=len)
            least = self._fonts.width(words, BOLD, SIZE)
            texts = sample[f"c{n}"].drop_nulls().unique().to_list() if sample is not None else []
            longest = max((self._fonts.width(t.split("\n")[0][:200], PLAIN, SIZE) for t in texts), default=0.0)
            longest = max(longest, self._of_totals(n, column, longest))
            if n in drawn:
                longest = PICTURE[0]
            if column.width:
                longest = column.width * SIZE * 0.55
            wanted.append(min(WIDEST, max(NARROWEST, least + 1, longest + 1)) + 2 * PADDING)
        upright, lying = A4[0] - 2 * MARGIN, A4[1] - 2 * MARGIN
        self._size = A4 if self._cards or sum(wanted) <= upright else landscape(A4)
        room = upright if self._size == A4 else lying
        if sum(wanted) > room:
            # Narrow columns keep what they want; the others share what is left.
            wanted = _shared(wanted, room)
        left = MARGIN
        for column, width in zip(columns, wanted, strict=True):
            self._columns.append(_Column(left, width, column.kind.is_number and not column.is_constant))
            left += width
        self._right = left

    def _of_totals(self, n: int, column: PlanColumn, longest: float) -> float:
        """
        The room that a column's totals take; of sums that are yet to come, what three more digits and their mark would.
        """
        waiting = [w.values[n] for w in self._waiting if isinstance(w, Line) and w.values.get(n)]
        known = (self._fonts.width(shown_total(column, n, v, self._shaper), BOLD, SIZE) for v in waiting)
        coming = column.total == "sum" and self.plan.output.style == "reader" and self._held >= MEASURED
        return max(known, default=0.0) if not coming else longest + self._fonts.width("0.000", BOLD, SIZE)

    def _new_page(self) -> None:
        if self._page:
            self._end_page()
        self._page += 1
        self._drawn = Page(self._canvas, self._fonts)
        self._y = self._size[1] - MARGIN
        if self._page == 1:
            self._draw_title()
        if not self._cards:
            self._draw_head()
        #: Where rows begin on this page.
        self._fresh = self._y

    def _end_page(self) -> None:
        canvas = self._canvas
        self._drawn.text(MARGIN, FOOT, self.plan.name[:100], PLAIN, FOOT_SIZE, _SOFT)
        # How many pages there are is known when the last one is done: a drawing of its own, which all pages show.
        right = self._size[0] - MARGIN - ROOM_FOR_PAGES
        number = f"{self._page} / "
        left = right - self._fonts.width(number, PLAIN, FOOT_SIZE)
        self._drawn.text(left, FOOT, number, PLAIN, FOOT_SIZE, _SOFT)
        self._drawn.finish()
        canvas.saveState()
        canvas.translate(right, FOOT)
        canvas.doForm(PAGES)
        canvas.restoreState()
        self._finished.show(canvas)

    def _draw_title(self) -> None:
        title, *facts = self.titles or [self.plan.name]
        room = self._size[0] - 2 * MARGIN
        for text, font, size, gray in ((title, BOLD, 14.0, _INK), *((f, PLAIN, SIZE, _SOFT) for f in facts)):
            for line in wrapped(self._fonts, text, font, size, room):
                self._y -= size * 1.25
                self._text(MARGIN, line, font, size, gray)
        self._y -= 8

    def _draw_head(self) -> None:
        lines = [wrapped(self._fonts, c.heading, BOLD, SIZE, k.inner) for c, k in self._pairs()]
        height = max(map(len, lines)) * LEADING + 2
        for (_, place), said in zip(self._pairs(), lines, strict=True):
            top = self._y - height + (len(said) - 1) * LEADING + 4
            for n, line in enumerate(said):
                self._place(place, line, top - n * LEADING, BOLD)
        self._y -= height
        self._drawn.rule(MARGIN, self._right, self._y, 0.8, _INK)

    def _pairs(self) -> list[tuple[PlanColumn, _Column]]:
        return list(zip(self.plan.columns, self._columns, strict=True))

    def _draw_rows(self, rows: _Rows) -> None:
        for row, drawn in rows:
            if self._cards:
                self._draw_card(row, drawn)
            else:
                self._draw_row(row, PLAIN, drawn)

    def _draw_card(self, row: Sequence[str | None], drawn: Mapping[int, Picture] = _NONE) -> None:
        """
        One record on a page of its own, headings beside their values; more pages where it has no room on one.
        """
        if self._carded:
            self._new_page()
        self._carded = True
        beside = MARGIN + CARD_HEADING
        room = self._size[0] - MARGIN - beside
        for at, (column, value) in enumerate(zip(self.plan.columns, row, strict=True)):
            if at in drawn:
                self._draw_card_picture(column.heading, drawn[at], beside)
                continue
            heading = wrapped(self._fonts, column.heading, PLAIN, SIZE, CARD_HEADING - 12)
            said = wrapped(self._fonts, value, PLAIN, CARD_SIZE, room) if value else ("",)
            for n in range(max(len(heading), len(said))):
                if self._y - CARD_LEADING < MARGIN:
                    self._new_page()
                self._y -= CARD_LEADING
                if n < len(heading):
                    self._text(MARGIN, heading[n], PLAIN, SIZE, _SOFT)
                if n < len(said):
                    self._text(beside, said[n], PLAIN, CARD_SIZE, _INK)
            self._y -= 5
            self._drawn.rule(beside, self._size[0] - MARGIN, self._y, 0.25, _RULE)

    def _draw_card_picture(self, heading: str, picture: Picture, beside: float) -> None:
        width, height = picture.within(*CARD_PICTURE)
        if self._y - height - 5 < MARGIN and self._y < self._fresh - 0.5:
            self._new_page()
        for n, line in enumerate(wrapped(self._fonts, heading, PLAIN, SIZE, CARD_HEADING - 12), 1):
            self._drawn.text(MARGIN, self._y - n * CARD_LEADING, line, PLAIN, SIZE, _SOFT)
        self._y -= max(height + 8, CARD_LEADING)
        self._drawn.picture(beside, self._y + 2, picture, width, height)
        self._y -= 5

    def _draw_row(self, row: Sequence[str | None], font: str, drawn: Mapping[int, Picture] = _NONE) -> None:
        cells = [
            wrapped(self._fonts, t, font, SIZE, c.inner) if t and n not in drawn else ()
            for n, (t, c) in enumerate(zip(row, self._columns, strict=True))
        ]
        sizes = {n: p.within(min(PICTURE[0], self._columns[n].inner), PICTURE[1]) for n, p in drawn.items()}
        tallest = max(1, *map(len, cells), *(ceil((height + 5) / LEADING) for _, height in sizes.values()))
        done = 0
        while done < tallest:
            # A row taller than what is left goes on to the next page; one taller than a page goes over several.
            room = int((self._y - MARGIN) / LEADING)
            if tallest - done > room and (done or self._y < self._fresh - 0.5):
                self._new_page()
                room = int((self._y - MARGIN) / LEADING)
            part = min(tallest - done, max(1, room))
            for n, (width, height) in sizes.items() if not done else ():
                left = self._columns[n].left + PADDING
                self._drawn.picture(left, self._y - height - 2.5, drawn[n], width, height)
            for place, lines in zip(self._columns, cells, strict=True):
                for n, line in enumerate(lines[done : done + part]):
                    self._place(place, line, self._y - (n + 1) * LEADING + 2.5, font)
            self._y -= part * LEADING
            done += part
        self._drawn.rule(MARGIN, self._right, self._y, 0.25, _RULE)

    def _draw_line(self, line: Line) -> None:
        if self._cards:
            # Each card stands for itself.
            return
        if line.kind == "heading":
            # A group's heading does not stand alone at the foot of a page.
            if self._y - 4 * LEADING < MARGIN:
                self._new_page()
            self._y -= LEADING * 1.6
            self._text(MARGIN + 8.0 * (line.level - 1) + PADDING, line.label, BOLD, SIZE + 1, _INK)
            self._y -= 4
            return
        columns = self.plan.columns
        row: list[str | None] = [None] * len(columns)
        for n, value in line.values.items():
            row[n] = shown_total(columns[n], n, value, self._shaper)
        free = next((n for n, said in enumerate(row) if not said), None)
        if free is not None:
            row[free] = line.label
        if self._y - LEADING < MARGIN:
            self._new_page()
        self._drawn.rule(MARGIN, self._right, self._y, 0.6, _INK)
        self._draw_row(row, BOLD)

    def _place(self, place: _Column, line: str, y: float, font: str) -> None:
        if place.right_aligned:
            x = place.left + place.width - PADDING - self._fonts.width(line, font, SIZE)
        else:
            x = place.left + PADDING
        self._drawn.text(x, y, line, font, SIZE, _INK)

    def _text(self, x: float, line: str, font: str, size: float, gray: float) -> None:
        self._drawn.text(x, self._y, line, font, size, gray)

    def close(self) -> None:
        if not self._columns:
            self._begin()
        if self._cards and self.plan.output.pages.form:
            self._draw_card([None] * len(self._columns))
        self._end_page()
        self._canvas.beginForm(PAGES, 0, -4, ROOM_FOR_PAGES, FOOT)
        self._canvas.setFont(self._fonts.latin[PLAIN], FOOT_SIZE)
        self._canvas.setFillGray(_SOFT)
        self._canvas.drawString(0, 0, str(self._page))
        self._canvas.endForm()
        describe(self._canvas, self._language(), conforms=not self._fonts.missing)
        save(self._canvas, self.path)
        self._finished.close()
        if self._fonts.missing:
            said = tr("letters that no font of this machine has are drawn as boxes")
            self.facts.notes[said] += len(self._fonts.missing)
        if self._fonts.cut:
            said = tr("texts were cut where they take more lines than a cell has on pages")
            self.facts.notes[said] += self._fonts.cut

    def abandon(self) -> None:
        self._waiting = []
        self._finished.close()


def _shared(wanted: list[float], room: float) -> list[float]:
    """
    Widths that fit the room: the narrowest keep theirs, the widest give.
    """
    left, widths = room, dict[int, float]()
    order = sorted(range(len(wanted)), key=lambda n: wanted[n])
    for k, n in enumerate(order):
        widths[n] = min(wanted[n], left / (len(order) - k))
        left -= widths[n]
    return [widths[n] for n in range(len(wanted))]
