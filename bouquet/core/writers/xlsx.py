"""
XLSX (ISO/IEC 29500), streamed.

XlsxWriter makes the package with empty data sheets, so that every part of the format but the rows is in a
library's care; the rows are then made as text, whole columns at a time, and streamed into their sheets while
the package is zipped.
"""

from __future__ import annotations

import html
import queue
import re
import threading
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from io import BytesIO
from typing import Any, TypeAlias
from urllib.parse import quote

import polars as pl
import stream_zip
import xlsxwriter
from isal import isal_zlib

from bouquet.core.catalogue import Kind
from bouquet.core.checks import FINDING_HEADINGS
from bouquet.core.dictionary import HEADINGS, dictionary_rows
from bouquet.core.errors import WriteError
from bouquet.core.patterns import parse_date_pattern
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping import Line, TextShaper
from bouquet.core.shaping.far import far_column
from bouquet.core.writers.base import Writer

__all__ = ["SHEET_ROWS", "STAMP", "XlsxWriter"]

#: Data rows that one sheet holds below its heading row.
SHEET_ROWS = 1_048_576 - 1

#: Characters, as UTF-16 units, that one cell holds.
CELL_TEXT = 32_767

#: Links that one spreadsheet takes, and what the hidden columns with their addresses begin with.
MOST_LINKS, LINKS = 65_530, "l"

#: The property by which a spreadsheet is known to be a run's.
STAMP = "Bouquet run"

#: Digits that a spreadsheet's numbers keep; longer ones go out as text.
EXACT_DIGITS = 15

_NUMBER_FORMATS = {Kind.DATE: "yyyy-mm-dd", Kind.TIMESTAMP: "yyyy-mm-dd hh:mm:ss", Kind.TIME: "hh:mm:ss"}
_NUMBER_FORMATS[Kind.MOMENT] = _NUMBER_FORMATS[Kind.TIMESTAMP]

#: What XML cannot hold, and the format's own escapes taken literally (ISO/IEC 29500-1, 22.4.2.4).
_UNWRITABLE = re.compile(r"[\x00-\x08\x0b-\x1f\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)")
_NEEDS_CARE = r"[&<>\x00-\x08\x0b-\x1f\x{FFFE}\x{FFFF}]|_x[0-9A-Fa-f]{4}_|^\s|\s$"

_CONTROLS = r"[\x00-\x08\x0b-\x1f\x{FFFE}\x{FFFF}]|_x[0-9A-Fa-f]{4}_"

#: The values of a column's cells, and what stands before and after each.
_Pieces: TypeAlias = tuple[pl.Series, str | pl.Series, str | pl.Series]

_END = object()


@dataclass
class _Part:
    """
    One sheet of the package: its name, the lines it will hold, and the links found on the way.
    """

    name: str
    lines: int
    links: list[tuple[str, str]] = field(default_factory=list)


class XlsxWriter(Writer):
    """
    A spreadsheet of typed cells. More rows than a sheet holds go on to further sheets.
    """

    extension = "xlsx"
    media_type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    label = "Spreadsheet"
    takes_lines = takes_sheets = True

    def open(self) -> None:
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        # Title lines and the empty one below them push the heading row down.
        self._above = len(self.titles) + 1 if self.titles else 0
        self._capacity = SHEET_ROWS - self._above
        self._data = list(self._sheet_parts())
        package = zipfile.ZipFile(self._package())
        self._parts = {name: package.read(name) for name in package.namelist()}
        plain, bold = self._styles(0), self._styles(1)
        self._cells = [
            _Cell(c, n, style, self._shaper) for n, (c, style) in enumerate(zip(self.plan.columns, plain, strict=True))
        ]
        self._bold, self._lead = bold, self._styles(2)[0]
        self._in_sheet, self._at, self._links = 0, 0, 0
        self._queue: queue.Queue[Any] = queue.Queue(maxsize=2)
        self._failure: BaseException | None = None
        self._thread = threading.Thread(target=self._zip, name="xlsx-zip", daemon=True)
        self._thread.start()

    def write(self, frame: pl.DataFrame) -> None:
        while frame.height:
            self._turn_when_full()
            head = frame.head(self._capacity - self._in_sheet)
            self._put(self._rows_xml(head))
            self._add_links(head)
            self._in_sheet += head.height
            self.facts.rows += head.height
            frame = frame.slice(head.height)

    def write_line(self, line: Line) -> None:
        self._turn_when_full()
        row = self._in_sheet + self._above + 2
        cells = {n: self._total_cell(n, row, value) for n, value in line.values.items() if value is not None}
        free = next((n for n in range(len(self.plan.columns)) if n not in line.values), None)
        if free is not None:
            style = self._lead if line.kind == "heading" else self._bold[free]
            cells[free] = _text_cell(free, row, style, line.label)
        body = "".join(cells[n] for n in sorted(cells))
        self._put(f'<row r="{row}">{body}</row>\n'.encode())
        self._in_sheet += 1

    def next_sheet(self) -> None:
        self._put(_END)
        self._in_sheet = 0
        self._at += 1

    def close(self) -> None:
        # Sheets that were announced and not needed stay empty.
        for _ in range(self._at, len(self._data)):
            self._put(_END)
        self._thread.join()
        if self._failure:
            raise self._failure

    def abandon(self) -> None:
        self._failure = self._failure or WriteError("The file was not finished.")
        while self._thread.is_alive():
            try:
                self._queue.put(None, timeout=0.1)
            except queue.Full:
                continue
            self._thread.join(timeout=0.1)

    def _turn_when_full(self) -> None:
        if self._in_sheet == self._capacity:
            self.next_sheet()

    def _total_cell(self, n: int, row: int, value: str) -> str:
        column = self.plan.columns[n]
        if column.total != "count" and not column.kind.is_number:
            return _text_cell(n, row, self._bold[n], value)
        return f'<c r="{column_letters(n)}{row}" s="{self._bold[n]}"><v>{value}</v></c>'

    def _add_links(self, frame: pl.DataFrame) -> None:
        """
        Remember the addresses of this frame's cells that are links.
        """
        for n, column in enumerate(self.plan.columns):
            name = f"{LINKS}{n}"
            if column.link is None or name not in frame.columns:
                continue
            first = self._in_sheet + self._above + 2
            taken = frame[name].head(max(0, MOST_LINKS - self._links))
            found = [(f"{column_letters(n)}{first + k}", t) for k, t in enumerate(taken.to_list()) if t]
            self._data[self._at].links += found
            self._links += len(found)
            if taken.len() < frame.height:
                said = f"links in “{column.heading}” were left out beyond the {MOST_LINKS:,} that a spreadsheet takes"
                self.facts.notes[said] += frame.height - taken.len()

    # The package

    def _sheet_parts(self) -> Iterator[_Part]:
        """
        The sheets that the announced lines need, each with a name of its own.
        """
        taken: set[str] = {"about", "dictionary", "findings", "history"}
        for facts in self.sheets:
            chunks = max(1, -(-facts.lines // self._capacity))
            for n in range(chunks):
                lines = min(self._capacity, facts.lines - n * self._capacity)
                yield _Part(self._sheet_name(facts.name, n, taken), max(0, lines))

    def _sheet_name(self, wanted: str, n: int, taken: set[str]) -> str:
        """
        A name by the rules of sheets: no brackets, colons, marks or slashes, at most 31 characters, none alike.
        """
        wanted = wanted or self.plan.output.xlsx.sheet or self.plan.row_type.plural.capitalize()
        wanted = re.sub(r"[\[\]:*?/\\\x00-\x1f]", " ", wanted).strip().strip("'") or "Rows"
        wanted = f"{wanted} rows" if wanted.casefold() in ("history", "about", "dictionary", "findings") else wanted
        suffix, k = f" ({n + 1})" if n else "", n
        while (name := wanted[: 31 - len(suffix)] + suffix).casefold() in taken:
            k += 1
            suffix = f" ({k + 1})"
        taken.add(name.casefold())
        return name

    def _package(self) -> BytesIO:
        """
        A whole workbook whose data sheets hold their heading row and, below, rows that show each style.
        """
        buffer, options = BytesIO(), self.plan.output.xlsx
        book = xlsxwriter.Workbook(buffer, {"in_memory": True})
        environment = f"{self.plan.catalogue.title}, {self.plan.catalogue.environment} data"
        book.set_properties(
            {
                "title": options.title or self.plan.name,
                "subject": options.subject,
                "author": options.author,
                "comments": self.sentence,
                "keywords": f"{options.keywords}, {environment}" if options.keywords else environment,
                "created": self.plan.context.as_of.replace(tzinfo=None),
            }
        )
        if self.stamp:
            book.set_custom_property(STAMP, self.stamp)
        self._add_data_sheets(book)
        if options.about_sheet:
            self._write_about(book)
        if "sheet" in self.plan.output.dictionary:
            self._write_dictionary(book)
        if options.findings_sheet:
            sheet = book.add_worksheet("Findings")
            for n, width in enumerate((60, 10, 10, 24, 24, 40, 20, 40)):
                sheet.set_column(n, n, width)
            sheet.write_row(0, 0, FINDING_HEADINGS, book.add_format({"bold": True}))
            sheet.freeze_panes(1, 0)
        book.close()
        return buffer

    def _add_data_sheets(self, book: Any) -> None:
        heading = book.add_format({"bold": True, "bg_color": "#ECE6DA", "bottom": 1, "valign": "top"})
        title, lead = book.add_format({"bold": True, "font_size": 14}), book.add_format({"bold": True, "italic": True})
        formats = [number_format(c) for c in self.plan.columns]
        plain = [book.add_format({"num_format": f}) if f else None for f in formats]
        bold = [book.add_format({"bold": True, "top": 1, **({"num_format": f} if f else {})}) for f in formats]
        top = self._above
        for part in self._data:
            sheet = book.add_worksheet(part.name)
            for n, text in enumerate(self.titles):
                sheet.write_string(n, 0, text, title if n == 0 else None)
            for at, column in enumerate(self.plan.columns):
                sheet.write_string(top, at, column.heading, heading)
                sheet.write_blank(top + 1, at, None, plain[at] or heading)
                sheet.write_blank(top + 2, at, None, bold[at])
                sheet.write_blank(top + 3, at, None, lead)
                sheet.set_column(at, at, width_of(column))
            sheet.freeze_panes(top + 1, 0)
            sheet.autofilter(top, 0, top + max(part.lines, 1), len(self.plan.columns) - 1)

    def _write_about(self, book: Any) -> None:
        sheet = book.add_worksheet("About")
        sheet.set_column(0, 0, 18)
        sheet.set_column(1, 1, 90)
        bold, wrap = book.add_format({"bold": True, "valign": "top"}), book.add_format({"text_wrap": True})
        facts = {
            "Template": self.plan.name,
            "What it holds": self.sentence,
            "Rows": f"{self.announced:,}",
            "As of": self.plan.context.as_of.astimezone(self.plan.zone).isoformat(timespec="seconds"),
            "Source": f"{self.plan.catalogue.title} ({self.plan.catalogue.environment} data)",
        }
        for row, (name, value) in enumerate(facts.items()):
            sheet.write_string(row, 0, name, bold)
            sheet.write_string(row, 1, value, wrap)

    def _write_dictionary(self, book: Any) -> None:
        sheet = book.add_worksheet("Dictionary")
        sheet.set_column(0, 1, 26)
        sheet.set_column(2, 2, 60)
        sheet.set_column(3, 7, 16)
        bold, wrap = book.add_format({"bold": True}), book.add_format({"text_wrap": True, "valign": "top"})
        for n, name in enumerate(HEADINGS):
            sheet.write_string(0, n, name, bold)
        for row, cells in enumerate(dictionary_rows(self.plan), 1):
            for n, text in enumerate(cells):
                sheet.write_string(row, n, text[:CELL_TEXT], wrap)
        sheet.freeze_panes(1, 0)

    def _styles(self, below: int) -> list[str]:
        """
        The style number of each column, read from a styled row of the first sheet: plain, bold, or a group's heading.
        """
        row = self._above + 2 + below
        cells = re.findall(rb'<c r="[A-Z]+%d" s="(\d+)"' % row, self._parts["xl/worksheets/sheet1.xml"])
        numbers = [number.decode() for number in cells]
        if below:
            return numbers
        return [number if number_format(c) else "" for c, number in zip(self.plan.columns, numbers, strict=True)]

    # The zip

    def _zip(self) -> None:
        def deflate() -> Any:
            return isal_zlib.compressobj(level=1, method=isal_zlib.DEFLATED, wbits=-15)

        try:
            with self.path.open("wb", buffering=1 << 20) as file:
                for chunk in stream_zip.stream_zip(self._members(), get_compressobj=deflate, chunk_size=1 << 18):
                    file.write(chunk)
        except BaseException as error:
            self._failure = self._failure or error

    def _members(self) -> Iterator[tuple[str, datetime, int, stream_zip.Method, Iterator[bytes]]]:
        moment = self.plan.context.as_of.replace(tzinfo=None)
        # 64-bit sizes only where a sheet could need them: not every reader of small files expects them.
        large = stream_zip.ZIP_64 if self.announced * len(self.plan.columns) > 20_000_000 else stream_zip.ZIP_32
        data = [f"xl/worksheets/sheet{n + 1}.xml" for n in range(len(self._data))]
        sheets = sum(name.startswith("xl/worksheets/sheet") for name in self._parts)
        last = f"xl/worksheets/sheet{sheets}.xml" if self.plan.output.xlsx.findings_sheet else ""
        for name, content in self._parts.items():
            if name not in (*data, last):
                yield name, moment, 0o600, stream_zip.ZIP_32, iter((content,))
        for n, (name, part) in enumerate(zip(data, self._data, strict=True), 1):
            yield name, moment, 0o600, large, self._sheet_xml(self._parts[name], part)
            if part.links:
                relations = f"xl/worksheets/_rels/sheet{n}.xml.rels"
                yield relations, moment, 0o600, stream_zip.ZIP_32, iter((_link_relations(part.links),))
        if last:
            yield last, moment, 0o600, stream_zip.ZIP_32, iter((self._findings_xml(self._parts[last]),))

    def _sheet_xml(self, skeleton: bytes, part: _Part) -> Iterator[bytes]:
        first = self._above + 2
        begin, end = skeleton.index(b'<row r="%d"' % first), skeleton.index(b"</sheetData>")
        # Some readers believe the sheet's stated size, so it is that of the lines to come.
        corner = f"{column_letters(len(self.plan.columns) - 1)}{part.lines + first - 1}"
        size = f'<dimension ref="A1:{corner}"/>'
        yield re.sub(rb'<dimension ref="[^"]*"/>', size.encode(), skeleton[:begin], count=1)
        while (chunk := self._queue.get()) is not _END:
            if chunk is None or self._failure:
                raise self._failure or WriteError("The file was not finished.")
            yield chunk
        if not part.links:
            yield skeleton[end:]
            return
        margins = skeleton.index(b"<pageMargins", end)
        links = "".join(f'<hyperlink ref="{ref}" r:id="rId{n}"/>' for n, (ref, _) in enumerate(part.links, 1))
        yield skeleton[end:margins] + f"<hyperlinks>{links}</hyperlinks>".encode() + skeleton[margins:]

    def _findings_xml(self, skeleton: bytes) -> bytes:
        """
        The last sheet, filled when everything else is written.
        """
        found = self.findings(self.facts.notes)
        rows = "".join(f'<row r="{r}">{_plain_cells(r, cells)}</row>' for r, cells in enumerate(found, 2))
        size = f'<dimension ref="A1:{column_letters(len(FINDING_HEADINGS) - 1)}{len(found) + 1}"/>'.encode()
        end = skeleton.index(b"</sheetData>")
        return re.sub(rb'<dimension ref="[^"]*"/>', size, skeleton[:end], count=1) + rows.encode() + skeleton[end:]

    def _put(self, chunk: Any) -> None:
        while True:
            if self._failure:
                raise self._failure
            if not self._thread.is_alive():
                raise WriteError("More rows came than were announced.")
            try:
                self._queue.put(chunk, timeout=0.2)
                return
            except queue.Full:
                continue

    # Rows

    def _rows_xml(self, frame: pl.DataFrame) -> bytes:
        """
        The rows as XML. Each column's cells are made as a whole, and the fastest joiner of columns there is, the CSV
        writer, lays them side by side; its separator is white space between elements, which means nothing.

        Cells stand without a reference of their own (optional by ISO/IEC 29500-1, 18.3.1.4): each follows the one
        before, so a blank is an empty cell.
        """
        first = self._in_sheet + self._above + 2
        numbers = pl.int_range(first, first + frame.height, dtype=pl.UInt32, eager=True).cast(pl.String)
        pieces = [cell.pieces(frame, self.facts.notes) for cell in self._cells]
        opening, closing = '<row r="', '">'
        row = pl.concat_str(pl.lit(opening), pl.lit(numbers), pl.lit(closing)).alias("row")
        cells = pl.select(row, *(_whole_cell(*made).alias(f"c{n}") for n, made in enumerate(pieces)))
        buffer = BytesIO()
        cells.write_csv(buffer, include_header=False, quote_style="never", separator=" ", line_terminator="</row>\n")
        return buffer.getvalue()


def _whole_cell(value: pl.Series, middle: str | pl.Series, closing: str | pl.Series) -> pl.Expr:
    if isinstance(middle, str) and isinstance(closing, str):
        joined = pl.format("<c" + middle + "{}" + closing, pl.lit(value))
    else:
        joined = pl.concat_str(pl.lit("<c"), *map(pl.lit, (middle, value, closing)))
    return joined.fill_null("<c/>")


def number_format(column: PlanColumn) -> str | None:
    """
    The spreadsheet number format of a column; None for text and yes-no.
    """
    show, kind = column.show, column.kind
    if kind.is_dated or kind is Kind.TIME:
        return parse_date_pattern(show.date).number_format if show.date else _NUMBER_FORMATS[kind]
    if not kind.is_number:
        return None
    whole = "#,##0" if show.grouping else "0"
    digits = show.decimals if show.decimals is not None else 0
    form = whole + ("." + "0" * digits if digits else "")
    if show.decimals is None and kind is Kind.DECIMAL:
        form = "#,##0.############" if show.grouping else "General"
    before, after = (f'"{t}"' if (t := text.replace('"', "")) else "" for text in (show.prefix, show.suffix))
    return before + form + after


def width_of(column: PlanColumn) -> float:
    """
    The width asked for, or a sensible one, in characters of the default font.
    """
    if column.width is not None:
        return float(column.width)
    usual = {
        Kind.DATE: 11,
        Kind.TIMESTAMP: 18,
        Kind.MOMENT: 18,
        Kind.TEXT: 24,
        Kind.CHOICE: 16,
        Kind.OTHER: 24,
    }
    return float(min(60, max(usual.get(column.kind, 12), len(column.heading) + 3)))


def column_letters(n: int) -> str:
    """
    The letters of the n-th column, zero-based: 0 → A, 26 → AA.
    """
    letters = ""
    n += 1
    while n:
        n, rest = divmod(n - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


class _Cell:
    """
    Makes the cells of one column as XML.
    """

    def __init__(self, column: PlanColumn, n: int, style: str, shaper: TextShaper) -> None:
        self.column, self.n, self.shaper = column, n, shaper
        self.style = f' s="{style}"' if style else ""

    def pieces(self, frame: pl.DataFrame, notes: Any) -> _Pieces:
        """
        The values of this column's cells, null where blank, and what stands before and after each.
        """
        name, column = f"c{self.n}", self.column
        kind, dtype = column.kind, frame.schema.get(name)
        if column.is_constant:
            return self._text(pl.repeat(column.constant or None, frame.height, dtype=pl.String, eager=True), notes)
        if kind.is_number:
            pieces = self._number(frame, name, notes)
        elif (kind.is_dated or kind is Kind.TIME) and dtype is not None and dtype.is_temporal():
            pieces = self._dated(frame, name)
        elif kind is Kind.BOOLEAN and (column.show.yes or "true", column.show.no or "false") == ("true", "false"):
            pieces = frame[name].cast(pl.Int8).cast(pl.String), ' t="b"><v>', "</v></c>"
        else:
            return self._text(self._shaped(frame), notes)
        if (column.blank or far_column(name) in frame.schema) and pieces[0].null_count():
            return _either(pieces, self._text(self._shaped(frame), notes), pieces[0].is_not_null())
        return pieces

    def _shaped(self, frame: pl.DataFrame) -> pl.Series:
        return frame.select(self.shaper.text(self.column, self.n, frame.schema).alias("t"))["t"]

    def _number(self, frame: pl.DataFrame, name: str, notes: Any) -> _Pieces:
        value = frame[name].cast(pl.String)
        number = (value, f"{self.style}><v>", "</v></c>")
        if frame.schema[name] in (pl.Int8, pl.Int16, pl.Int32) or _longest(value) <= EXACT_DIGITS:
            odd = value.str.contains("[A-Za-z]") if frame.schema[name] == pl.String else None
            if odd is None or not odd.any():
                return number
        plain = (value.str.count_matches(r"\d") <= EXACT_DIGITS) & ~value.str.contains("[A-Za-z]")
        if plain.all():
            return number
        return _either(number, self._text(self._shaped(frame), notes), plain.fill_null(True))

    def _dated(self, frame: pl.DataFrame, name: str) -> _Pieces:
        kind = self.column.kind
        value = self.shaper.local(pl.col(name), kind)
        if kind is Kind.TIME:
            serial = value.cast(pl.Int64) / 86_400_000_000_000
        elif kind is Kind.DATE:
            serial = value.cast(pl.Int32) + 25_569
        else:
            serial = value.dt.replace_time_zone(None).cast(pl.Int64) / 86_400_000_000 + 25_569
        numbers = frame.select(serial.cast(pl.String).alias("s"))["s"]
        cells = (numbers, f"{self.style}><v>", "</v></c>")
        if kind is Kind.TIME:
            return cells
        # The format's calendar begins in 1900 and is a day off until March; earlier dates go out as text.
        inside = frame.select(((value.dt.year() > 1900) & (value.dt.year() < 10_000)).alias("i"))["i"].fill_null(True)
        if inside.all():
            return cells
        text = frame.select(value.dt.to_string(self.shaper.strftime(self.column)).alias("t"))["t"]
        return _either(cells, (text, ' t="inlineStr"><is><t>', "</t></is></c>"), inside)

    def _text(self, text: pl.Series, notes: Any) -> _Pieces:
        """
        Text cells; the rare steps are only taken where a text of the batch needs them.
        """
        if _longest(text) > CELL_TEXT:
            text = self._cut(text, notes)
        middle: str | pl.Series = ' t="inlineStr"><is><t>'
        if not text.str.contains(_NEEDS_CARE).any():
            return text, middle, "</t></is></c>"
        text = _escaped(text)
        spaced = text.str.contains(r"^\s|\s$")
        if spaced.any():
            keep = pl.when(spaced).then(pl.lit(' t="inlineStr"><is><t xml:space="preserve">'))
            middle = pl.select(keep.otherwise(pl.lit(middle)).alias("m"))["m"]
        return text, middle, "</t></is></c>"

    def _cut(self, text: pl.Series, notes: Any) -> pl.Series:
        cut = sum(len(t.encode("utf-16-le")) // 2 > CELL_TEXT for t in text.drop_nulls())
        if cut:
            notes[f"texts in “{self.column.heading}” were cut at {CELL_TEXT:,} characters"] += cut
        return text.map_elements(_cut_text, return_dtype=pl.String)


def _text_cell(n: int, row: int, style: str, text: str) -> str:
    plain = _UNWRITABLE.sub(lambda m: f"_x{ord(m.group(0)):04X}_", html.escape(text, quote=False))
    styled = f' s="{style}"' if style else ""
    return f'<c r="{column_letters(n)}{row}"{styled} t="inlineStr"><is><t xml:space="preserve">{plain}</t></is></c>'


def _plain_cells(row: int, cells: Sequence[str | int]) -> str:
    """
    Cells without a style; empty texts leave theirs out.
    """
    made = []
    for n, value in enumerate(cells):
        if isinstance(value, int):
            made.append(f'<c r="{column_letters(n)}{row}"><v>{value}</v></c>')
        elif value:
            made.append(_text_cell(n, row, "", _cut_text(value)))
    return "".join(made)


def _link_relations(links: list[tuple[str, str]]) -> bytes:
    kind = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/hyperlink"
    rows = "".join(
        f'<Relationship Id="rId{n}" Type="{kind}" Target="{html.escape(_address(url))}" TargetMode="External"/>'
        for n, (_, url) in enumerate(links, 1)
    )
    head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    space = "http://schemas.openxmlformats.org/package/2006/relationships"
    return f'{head}<Relationships xmlns="{space}">{rows}</Relationships>'.encode()


def _address(url: str) -> str:
    return quote(url, safe=":/?#[]@!$&'()*+,;=%-._~")


def _lit(piece: str | pl.Series, name: str) -> pl.Expr | pl.Series:
    return pl.lit(piece).alias(name) if isinstance(piece, str) else piece.alias(name)


def _either(these: _Pieces, those: _Pieces, choose: pl.Series) -> _Pieces:
    """
    Pieces of one kind where `choose` is true, of the other elsewhere.
    """
    chosen = [
        pl.DataFrame({"c": choose})
        .with_columns(_lit(a, "a"), _lit(b, "b"))
        .select(pl.when("c").then("a").otherwise("b"))
        for a, b in zip(these, those, strict=True)
    ]
    value, middle, closing = (frame.to_series() for frame in chosen)
    return value, middle, closing


def _longest(text: pl.Series) -> int:
    """
    Bytes of the longest text.
    """
    longest = text.str.len_bytes().max()
    return longest if isinstance(longest, int) else 0


def _cut_text(text: str) -> str:
    return text.encode("utf-16-le")[: CELL_TEXT * 2].decode("utf-16-le", errors="ignore")


def _escaped(text: pl.Series) -> pl.Series:
    for old, new in (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;")):
        text = text.str.replace_all(old, new, literal=True)
    if text.str.contains(_CONTROLS).any():
        where = text.str.contains(_CONTROLS).fill_null(False).arg_true()
        text = text.clone().scatter(where, text.gather(where).map_elements(_escape_controls, return_dtype=pl.String))
    return text


def _escape_controls(text: str) -> str:
    return _UNWRITABLE.sub(lambda m: f"_x{ord(m.group(0)):04X}_", text)
