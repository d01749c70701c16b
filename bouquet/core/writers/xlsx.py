"""
XLSX (ISO/IEC 29500), streamed.

XlsxWriter makes the package with empty data sheets, so that every part of the format but the rows is in a
library's care; the rows are then made as text, whole columns at a time, and streamed into their sheets while
the package is zipped.
"""

from __future__ import annotations

import html
import re
import zipfile
from collections import Counter
from collections.abc import Iterator
from functools import partial
from io import BytesIO
from urllib.parse import quote

import polars as pl

from bouquet.core.checks import FINDING_HEADINGS
from bouquet.core.language import tr, whole
from bouquet.core.naming import sheet_name
from bouquet.core.shaping import Line, TextShaper, shown_total
from bouquet.core.writers.base import Writer
from bouquet.core.writers.markup import WEB_ADDRESS, allowed_text
from bouquet.core.writers.package import Member, Package, Piece
from bouquet.core.writers.pictures import pictures_in
from bouquet.core.writers.xlsx_cells import (
    Cell,
    column_letters,
    number_format,
    plain_cells,
    text_cell,
    whole_cell,
)
from bouquet.core.writers.xlsx_pictures import ROW_POINTS, SheetPictures, with_kinds
from bouquet.core.writers.xlsx_workbook import BESIDE, STAMP, TAKEN, SheetPart, Skeleton, looks_special

__all__ = ["SHEET_ROWS", "STAMP", "XlsxWriter"]

#: Data rows that one sheet holds below its heading row.
SHEET_ROWS = 1_048_576 - 1

#: Rows that are made into XML at a time, several times by several threads: more take memory, fewer time.
PIECE = 4_000

#: Links that one spreadsheet takes, and what the hidden columns with their addresses begin with.
MOST_LINKS, LINKS = 65_530, "l"

#: Characters of an address that a spreadsheet takes.
LONGEST_LINK = 2_079


class XlsxWriter(Writer):
    """
    A spreadsheet of typed cells. More rows than a sheet holds go on to further sheets.
    """

    def open(self) -> None:
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        # Title lines and the empty one below them push the heading row down.
        self._above = len(self.titles) + 1 if self.titles else 0
        self._capacity = SHEET_ROWS - self._above
        self._data = list(self._sheet_parts())
        package = zipfile.ZipFile(self._skeleton().package())
        self._parts = {name: _allowed(name, package.read(name)) for name in package.namelist()}
        plain, bold = self._styles(0), self._styles(1)
        self._cells = [
            Cell(c, n, style, self._shaper, special=looks_special(self.plan, n))
            for n, (c, style) in enumerate(zip(self.plan.columns, plain, strict=True))
        ]
        self._bold, self._lead = bold, self._styles(2)[0]
        self._in_sheet, self._at, self._links = 0, 0, 0
        drawn = range(1, len(self._data) + 1) if self.plan.file_columns else ()
        self._pictures = [SheetPictures(n) for n in drawn]
        self._package = Package(self.path, self._members, self.facts.notes)

    def write(self, frame: pl.DataFrame) -> None:
        while frame.height:
            self._turn_when_full()
            head = frame.head(min(PIECE, self._capacity - self._in_sheet))
            notes = Counter[str]()
            shown, tall = self._draw(head, notes)
            self._add_links(head, notes)
            self._package.put_made(partial(self._rows_xml, shown, tall, self._next_row, notes))
            self._in_sheet += head.height
            self.facts.rows += head.height
            frame = frame.slice(head.height)

    def write_line(self, line: Line) -> None:
        self._turn_when_full()
        row = self._next_row
        cells = {n: self._total_cell(n, row, value) for n, value in line.values.items() if value is not None}
        free = next((n for n in range(len(self.plan.columns)) if n not in line.values), None)
        if free is not None:
            style = self._lead if line.kind == "heading" else self._bold[free]
            cells[free] = text_cell(free, row, style, line.label)
        if line.kind != "heading":
            # The line over a total has no gaps.
            for n, style in enumerate(self._bold):
                cells.setdefault(n, f'<c r="{column_letters(n)}{row}" s="{style}"/>')
        body = "".join(cells[n] for n in sorted(cells))
        folded = f' outlineLevel="{line.level - 1}"' if line.level > 1 else ""
        self._package.put(f'<row r="{row}"{folded}>{body}</row>\n'.encode())
        self._in_sheet += 1

    def next_sheet(self) -> None:
        self._package.end()
        self._in_sheet = 0
        self._at += 1

    def close(self) -> None:
        # Sheets that were announced and not needed stay empty.
        for _ in range(self._at, len(self._data)):
            self._package.end()
        self._package.close()

    def abandon(self) -> None:
        self._package.abandon()

    def _turn_when_full(self) -> None:
        if self._in_sheet == self._capacity:
            self.next_sheet()

    def _total_cell(self, n: int, row: int, value: str) -> str:
        column = self.plan.columns[n]
        if column.total != "count" and not column.kind.is_number:
            return text_cell(n, row, self._bold[n], shown_total(column, n, value, self._shaper))
        return f'<c r="{column_letters(n)}{row}" s="{self._bold[n]}"><v>{value}</v></c>'

    @property
    def _next_row(self) -> int:
        """
        The number of the next row of the sheet, from 1.
        """
        return self._in_sheet + self._above + 2

    def _draw(self, frame: pl.DataFrame, notes: Counter[str]) -> tuple[pl.DataFrame, pl.Series | None]:
        """
        A frame without what is drawn instead, and which of its rows have a picture, where any may.
        """
        found = pictures_in(frame, self.plan, notes)
        first = self._next_row - 1
        for n, pictures in found.items():
            for k, picture in enumerate(pictures):
                if picture is not None:
                    self._pictures[self._at].add(picture, first + k, n, self.plan.columns[n].heading)
        if not found:
            return frame, None
        is_drawn = {n: pl.Series([p is not None for p in pictures], dtype=pl.Boolean) for n, pictures in found.items()}
        sizes = [pl.when(~pl.lit(drawn)).then(f"c{n}").alias(f"c{n}") for n, drawn in is_drawn.items()]
        return frame.with_columns(sizes), pl.select(pl.any_horizontal(*map(pl.lit, is_drawn.values()))).to_series()

    def _add_links(self, frame: pl.DataFrame, notes: Counter[str]) -> None:
        """
        Remember the addresses of this frame's cells that are links.
        """
        for n, column in enumerate(self.plan.columns):
            name = f"{LINKS}{n}"
            if column.link is None or name not in frame.columns:
                continue
            first = self._next_row
            taken = frame[name].head(max(0, MOST_LINKS - self._links))
            given = [(f"{column_letters(n)}{first + k}", _address(t)) for k, t in enumerate(taken.to_list()) if t]
            found = [(at, url) for at, url in given if re.match(WEB_ADDRESS, url) and len(url) <= LONGEST_LINK]
            if len(found) < len(given):
                odd = tr("links in “{heading}” that lead to no page of the web were left out", heading=column.heading)
                notes[odd] += len(given) - len(found)
            self._data[self._at].links += found
            self._links += len(found)
            if taken.len() < frame.height:
                said = tr(
                    "links in “{heading}” were left out beyond the {most} that a spreadsheet takes",
                    heading=column.heading,
                    most=whole(MOST_LINKS),
                )
                notes[said] += frame.height - taken.len()

    def _sheet_parts(self) -> Iterator[SheetPart]:
        """
        The sheets that the announced lines need, each with a name of its own.
        """
        taken = self._reserved()
        for facts in self.sheets:
            chunks = max(1, -(-facts.lines // self._capacity))
            for n in range(chunks):
                lines = min(self._capacity, facts.lines - n * self._capacity)
                yield SheetPart(self._sheet_name(facts.name, n, taken), max(0, lines))

    def _sheet_name(self, wanted: str, n: int, taken: set[str]) -> str:
        """
        A name for the n-th of the sheets, from 0, that rows go on to.
        """
        wanted = wanted or self.plan.output.xlsx.sheet or self.plan.row_type.plural.capitalize()
        if wanted.strip().casefold() in self._reserved():
            wanted = tr("{sheet} rows", sheet=wanted.strip())
        return sheet_name(wanted or tr("Rows"), taken, n + 1)

    def _reserved(self) -> set[str]:
        return {*TAKEN, *(name.casefold() for name in self.plan.words(BESIDE).values())}

    def _styles(self, below: int) -> list[str]:
        """
        The style number of each column, read from a styled row of the first sheet: plain, bold, or a group's heading.
        """
        row = self._above + 2 + below
        cells = re.findall(rb'<c r="[A-Z]+%d" s="(\d+)"' % row, self._parts["xl/worksheets/sheet1.xml"])
        numbers = [number.decode() for number in cells]
        if below:
            return numbers
        return [
            number if number_format(c) or looks_special(self.plan, n) else ""
            for n, (c, number) in enumerate(zip(self.plan.columns, numbers, strict=True))
        ]

    def _members(self, package: Package) -> Iterator[Member]:
        from stream_zip import ZIP_32, ZIP_64

        moment = self.plan.context.as_of.replace(tzinfo=None)
        # 64-bit sizes only where a sheet could need them: not every reader of small files expects them.
        large = ZIP_64 if self.announced * len(self.plan.columns) > 20_000_000 else ZIP_32
        data = [f"xl/worksheets/sheet{n + 1}.xml" for n in range(len(self._data))]
        sheets = sum(name.startswith("xl/worksheets/sheet") for name in self._parts)
        last = f"xl/worksheets/sheet{sheets}.xml" if self.plan.output.xlsx.findings_sheet else ""
        drawings = [name for p in self._pictures for name in (p.drawing, p.relations)]
        related = [f"xl/worksheets/_rels/sheet{n + 1}.xml.rels" for n in range(len(self._data))]
        placed = [last, *data, *related, *drawings, *(["xl/media/image1.png"] if drawings else [])]
        for name, content in self._parts.items():
            if name not in placed:
                content = with_kinds(content) if drawings and name == "[Content_Types].xml" else content
                yield name, moment, 0o600, ZIP_32, iter((content,))
        for n, (name, part) in enumerate(zip(data, self._data, strict=True), 1):
            yield name, moment, 0o600, large, self._sheet_xml(self._parts[name], part, package)
            relations = f"xl/worksheets/_rels/sheet{n}.xml.rels"
            if part.links:
                known = self._parts.get(relations, _NO_RELATIONS)
                yield relations, moment, 0o600, ZIP_32, iter((_with_links(known, part.links),))
            elif relations in self._parts:
                yield relations, moment, 0o600, ZIP_32, iter((self._parts[relations],))
            if self._pictures:
                pictures = self._pictures[n - 1]
                for name, content in pictures.members(self._parts[pictures.drawing]):
                    yield name, moment, 0o600, ZIP_32, iter((content,))
        if last:
            yield last, moment, 0o600, ZIP_32, iter((self._findings_xml(self._parts[last]),))

    def _sheet_xml(self, skeleton: bytes, part: SheetPart, package: Package) -> Iterator[bytes]:
        first = self._above + 2
        begin, end = skeleton.index(b'<row r="%d"' % first), skeleton.index(b"</sheetData>")
        # Some readers believe the sheet's stated size, so it is that of the lines to come.
        corner = f"{column_letters(len(self.plan.columns) - 1)}{part.lines + first - 1}"
        size = f'<dimension ref="A1:{corner}"/>'
        yield re.sub(rb'<dimension ref="[^"]*"/>', size.encode(), skeleton[:begin], count=1)
        yield from package.pieces()
        if not part.links:
            yield skeleton[end:]
            return
        margins = skeleton.index(b"<pageMargins", end)
        links = "".join(f'<hyperlink ref="{ref}" r:id="link{n}"/>' for n, (ref, _) in enumerate(part.links, 1))
        yield skeleton[end:margins] + f"<hyperlinks>{links}</hyperlinks>".encode() + skeleton[margins:]

    def _findings_xml(self, skeleton: bytes) -> bytes:
        """
        The last sheet, filled when everything else is written.
        """
        found = self.findings(self.facts.notes)
        rows = "".join(f'<row r="{r}">{plain_cells(r, cells)}</row>' for r, cells in enumerate(found, 2))
        size = f'<dimension ref="A1:{column_letters(len(FINDING_HEADINGS) - 1)}{len(found) + 1}"/>'.encode()
        end = skeleton.index(b"</sheetData>")
        return re.sub(rb'<dimension ref="[^"]*"/>', size, skeleton[:end], count=1) + rows.encode() + skeleton[end:]

    def _rows_xml(self, frame: pl.DataFrame, tall: pl.Series | None, first: int, notes: Counter[str]) -> Piece:
        """
        The rows as XML, the first with that number. Each column's cells are made as a whole, and the fastest joiner of
        columns there is, the CSV writer, lays them side by side; its separator is white space between elements, which
        means nothing.

        Cells stand without a reference of their own (optional by ISO/IEC 29500-1, 18.3.1.4): each follows the one
        before, so a blank is an empty cell. `tall` says which rows have room for a picture.
        """
        numbers = pl.int_range(first, first + frame.height, dtype=pl.UInt32, eager=True).cast(pl.String)
        pieces = [cell.pieces(frame, notes) for cell in self._cells]
        level = len(self.plan.groups)
        opening, closing = '<row r="', f'" outlineLevel="{level}">' if level else '">'
        row = pl.concat_str(pl.lit(opening), pl.lit(numbers), pl.lit(closing)).alias("row")
        if tall is not None:
            room = pl.lit(f'" ht="{ROW_POINTS}" customHeight="1{closing}')
            higher = pl.when(pl.lit(tall)).then(room).otherwise(pl.lit(closing))
            row = pl.concat_str(pl.lit(opening), pl.lit(numbers), higher).alias("row")
        made = zip(self._cells, pieces, strict=True)
        cells = pl.select(row, *(whole_cell(*p, cell.blank).alias(f"c{cell.n}") for cell, p in made))
        buffer = BytesIO()
        cells.write_csv(buffer, include_header=False, quote_style="never", separator=" ", line_terminator="</row>\n")
        return buffer.getvalue(), notes

    def _skeleton(self) -> Skeleton:
        return Skeleton(self.plan, self._data, self.titles, self._above, self.sentence, self.announced, self.stamp)


_NO_RELATIONS = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    b'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"></Relationships>'
)


def _allowed(name: str, content: bytes) -> bytes:
    """
    A part of the package. The library does not look at what stands in attributes, such as number formats.
    """
    return allowed_text(content.decode()).encode() if name.endswith((".xml", ".rels", ".vml")) else content


def _with_links(relations: bytes, links: list[tuple[str, str]]) -> bytes:
    """
    What a sheet is related to, and the addresses of its links.
    """
    kind = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/hyperlink"
    rows = "".join(
        f'<Relationship Id="link{n}" Type="{kind}" Target="{html.escape(url)}" TargetMode="External"/>'
        for n, (_, url) in enumerate(links, 1)
    )
    end = relations.index(b"</Relationships>")
    return relations[:end] + rows.encode() + relations[end:]


def _address(url: str) -> str:
    return quote(url, safe=":/?#[]@!$&'()*+,;=%-._~")
