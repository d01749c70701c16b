"""
XLSX (ISO/IEC 29500), streamed.

XlsxWriter makes the package with empty data sheets, so that every part of the format but the rows is in a
library's care; the rows are then made as text, whole columns at a time, and streamed into their sheets while
the package is zipped.
"""

from __future__ import annotations

import queue
import re
import threading
import zipfile
from collections.abc import Iterator
from datetime import datetime
from io import BytesIO
from typing import Any

import polars as pl
import stream_zip
import xlsxwriter
from isal import isal_zlib

from bouquet.core.catalogue import Kind
from bouquet.core.errors import WriteError
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping import TextShaper, parse_date_pattern
from bouquet.core.writers.base import Writer

__all__ = ["SHEET_ROWS", "XlsxWriter"]

#: Data rows that one sheet holds below its heading row.
SHEET_ROWS = 1_048_576 - 1

#: Characters, as UTF-16 units, that one cell holds.
CELL_TEXT = 32_767

#: Digits that a spreadsheet's numbers keep; longer ones go out as text.
EXACT_DIGITS = 15

_NUMBER_FORMATS = {Kind.DATE: "yyyy-mm-dd", Kind.TIMESTAMP: "yyyy-mm-dd hh:mm:ss", Kind.TIME: "hh:mm:ss"}
_NUMBER_FORMATS[Kind.MOMENT] = _NUMBER_FORMATS[Kind.TIMESTAMP]

#: What XML cannot hold, and the format's own escapes taken literally (ISO/IEC 29500-1, 22.4.2.4).
_UNWRITABLE = re.compile(r"[\x00-\x08\x0b-\x1f\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)")
_NEEDS_CARE = r"[&<>\x00-\x08\x0b-\x1f\x{FFFE}\x{FFFF}]|_x[0-9A-Fa-f]{4}_"

_END = object()


class XlsxWriter(Writer):
    """
    A spreadsheet of typed cells. More rows than a sheet holds go on to further sheets.
    """

    extension = "xlsx"
    media_type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    label = "Spreadsheet"

    def open(self) -> None:
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        self._sheets = max(1, -(-self.announced // SHEET_ROWS))
        package = zipfile.ZipFile(self._package())
        self._parts = {name: package.read(name) for name in package.namelist()}
        self._cells = [
            _Cell(c, n, style, self._shaper)
            for n, (c, style) in enumerate(zip(self.plan.columns, self._styles(), strict=True))
        ]
        self._in_sheet = 0
        self._queue: queue.Queue[Any] = queue.Queue(maxsize=2)
        self._failure: BaseException | None = None
        self._thread = threading.Thread(target=self._zip, name="xlsx-zip", daemon=True)
        self._thread.start()

    def write(self, frame: pl.DataFrame) -> None:
        while frame.height:
            if self._in_sheet == SHEET_ROWS:
                self._put(_END)
                self._in_sheet = 0
            head = frame.head(SHEET_ROWS - self._in_sheet)
            self._put(self._rows_xml(head))
            self._in_sheet += head.height
            self.facts.rows += head.height
            frame = frame.slice(head.height)

    def close(self) -> None:
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

    # The package

    def _package(self) -> BytesIO:
        """
        A whole workbook whose data sheets hold their heading row and one row that shows each column's style.
        """
        buffer, options = BytesIO(), self.plan.output.xlsx
        book = xlsxwriter.Workbook(buffer, {"in_memory": True})
        book.set_properties(
            {
                "title": options.title or self.plan.name,
                "subject": options.subject,
                "author": options.author,
                "comments": self.sentence,
                "keywords": f"{self.plan.catalogue.title}, {self.plan.catalogue.environment} data",
                "created": self.plan.context.as_of.replace(tzinfo=None),
            }
        )
        heading = book.add_format({"bold": True, "bg_color": "#ECE6DA", "bottom": 1, "valign": "top"})
        styles = [book.add_format({"num_format": f}) if f else None for f in map(number_format, self.plan.columns)]
        for n in range(self._sheets):
            sheet = book.add_worksheet(self._sheet_name(n))
            for at, (column, style) in enumerate(zip(self.plan.columns, styles, strict=True)):
                sheet.write_string(0, at, column.heading, heading)
                sheet.write_blank(1, at, None, style or heading)
                sheet.set_column(at, at, width_of(column))
            sheet.freeze_panes(1, 0)
            rows = min(SHEET_ROWS, self.announced - n * SHEET_ROWS)
            sheet.autofilter(0, 0, max(rows, 1), len(self.plan.columns) - 1)
        if options.about_sheet:
            self._write_about(book)
        book.close()
        return buffer

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

    def _sheet_name(self, n: int) -> str:
        wanted = self.plan.output.xlsx.sheet or self.plan.record_type.plural.capitalize()
        wanted = re.sub(r"[\[\]:*?/\\\x00-\x1f]", " ", wanted).strip().strip("'") or "Rows"
        wanted = f"{wanted} rows" if wanted.casefold() in ("history", "about") else wanted
        suffix = f" ({n + 1})" if n else ""
        return wanted[: 31 - len(suffix)] + suffix

    def _styles(self) -> list[str]:
        """
        The style number of each column, read from the styled row of the first sheet.
        """
        cells = re.findall(rb'<c r="[A-Z]+2" s="(\d+)"', self._parts["xl/worksheets/sheet1.xml"])
        return [number.decode() if number_format(c) else "" for c, number in zip(self.plan.columns, cells, strict=True)]

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
        data = [f"xl/worksheets/sheet{n + 1}.xml" for n in range(self._sheets)]
        for name, content in self._parts.items():
            if name not in data:
                yield name, moment, 0o600, stream_zip.ZIP_32, iter((content,))
        for name in data:
            yield name, moment, 0o600, large, self._sheet_xml(self._parts[name])

    def _sheet_xml(self, skeleton: bytes) -> Iterator[bytes]:
        begin, end = skeleton.index(b'<row r="2"'), skeleton.index(b"</sheetData>")
        head = skeleton[:begin]
        yield head
        while (chunk := self._queue.get()) is not _END:
            if chunk is None or self._failure:
                raise self._failure or WriteError("The file was not finished.")
            yield chunk
        yield skeleton[end:]

    def _put(self, chunk: Any) -> None:
        while True:
            if self._failure:
                raise self._failure
            try:
                self._queue.put(chunk, timeout=0.2)
                return
            except queue.Full:
                continue

    # Rows

    def _rows_xml(self, frame: pl.DataFrame) -> bytes:
        first = self._in_sheet + 2
        numbers = pl.int_range(first, first + frame.height, dtype=pl.UInt32).cast(pl.String).alias("r")
        frame = frame.with_columns(numbers)
        cells = [c.xml(frame, self.facts.notes) for c in self._cells]
        row = pl.concat_str([pl.lit('<row r="'), pl.col("r"), pl.lit('">'), *cells, pl.lit("</row>")])
        return frame.lazy().select(row.str.join("")).collect().item().encode()


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
    A sensible width, in characters of the default font.
    """
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
    Makes the cells of one column as XML. A blank makes no cell.
    """

    def __init__(self, column: PlanColumn, n: int, style: str, shaper: TextShaper) -> None:
        self.column, self.n, self.shaper = column, n, shaper
        self.reference = f'<c r="{column_letters(n)}'
        self.style = f'" s="{style}"' if style else '"'

    def xml(self, frame: pl.DataFrame, notes: Any) -> pl.Expr:
        """
        An expression of the cells' XML over `frame`, which has the row numbers in `r`.
        """
        name = f"c{self.n}"
        dtype = frame.schema.get(name)
        kind = self.column.kind
        if self.column.route is None:
            return self._text(pl.lit(self.column.constant or None, pl.String), pl.Series([self.column.constant]), notes)
        if kind.is_number:
            return self._number(frame, name, dtype, notes)
        if (kind.is_dated or kind is Kind.TIME) and dtype is not None and dtype.is_temporal():
            return self._dated(name, kind, notes)
        if kind is Kind.BOOLEAN and (self.column.show.yes, self.column.show.no) == ("true", "false"):
            value = pl.col(name).cast(pl.Int8).cast(pl.String)
            return self._filled(self._cell('" t="b"><v>', value, "</v></c>"), notes)
        text = self.shaper.text(self.column, self.n, dtype)
        return self._text(text, frame.select(text.alias("t"))["t"], notes)

    def _cell(self, opening: str, value: pl.Expr, closing: str) -> pl.Expr:
        # `concat_str` gives null where the value is null: a blank.
        return pl.concat_str([pl.lit(self.reference), pl.col("r"), pl.lit(opening), value, pl.lit(closing)])

    def _filled(self, cell: pl.Expr, notes: Any) -> pl.Expr:
        blank = self.column.blank
        if not blank:
            return cell.fill_null("")
        return cell.fill_null(self._text(pl.lit(blank), pl.Series([blank]), notes))

    def _number(self, frame: pl.DataFrame, name: str, dtype: Any, notes: Any) -> pl.Expr:
        value = pl.col(name).cast(pl.String)
        number = self._cell(f"{self.style}><v>", value, "</v></c>")
        if dtype in (pl.Int8, pl.Int16, pl.Int32):
            return self._filled(number, notes)
        plain = value.str.count_matches(r"\d") <= EXACT_DIGITS
        plain &= ~value.str.contains(r"[A-Za-z]")
        if not frame.select(plain.all()).item():
            text = self.shaper.text(self.column, self.n, dtype)
            number = (
                pl.when(plain.fill_null(True))
                .then(number)
                .otherwise(self._text(text, frame[name].cast(pl.String), notes))
            )
        return self._filled(number, notes)

    def _dated(self, name: str, kind: Kind, notes: Any) -> pl.Expr:
        value = self.shaper.local(pl.col(name), kind)
        if kind is Kind.TIME:
            serial = (value.cast(pl.Int64) / 86_400_000_000_000).cast(pl.String)
            return self._filled(self._cell(f"{self.style}><v>", serial, "</v></c>"), notes)
        if kind is Kind.DATE:
            serial = (value.cast(pl.Int32) + 25_569).cast(pl.String)
        else:
            micros = value.dt.replace_time_zone(None).cast(pl.Int64)
            serial = (micros / 86_400_000_000 + 25_569).cast(pl.String)
        cell = self._cell(f"{self.style}><v>", serial, "</v></c>")
        # The format's calendar begins in 1900 and is a day off until March; earlier dates go out as text.
        text = value.dt.to_string(self.shaper.strftime(self.column))
        early = self._cell('" t="inlineStr"><is><t>', text, "</t></is></c>")
        in_calendar = (value.dt.year() > 1900) & (value.dt.year() < 10_000)
        return self._filled(pl.when(in_calendar).then(cell).otherwise(early), notes)

    def _text(self, text: pl.Expr, sample: pl.Series, notes: Any) -> pl.Expr:
        """
        Text cells. `sample` holds the batch's values, so that the rare steps are only taken where needed.
        """
        longest = sample.str.len_bytes().max()
        if isinstance(longest, int) and longest > CELL_TEXT:
            text = self._cut(text, sample, notes)
        if sample.str.contains(_NEEDS_CARE).any():
            text = _escaped(text, sample)
        plain = self._cell('" t="inlineStr"><is><t>', text, "</t></is></c>")
        if not sample.str.contains(r"^\s|\s$").any():
            return plain.fill_null("")
        spaced = self._cell('" t="inlineStr"><is><t xml:space="preserve">', text, "</t></is></c>")
        return pl.when(text.str.contains(r"^\s|\s$")).then(spaced).otherwise(plain).fill_null("")

    def _cut(self, text: pl.Expr, sample: pl.Series, notes: Any) -> pl.Expr:
        cut = sum(len(t.encode("utf-16-le")) // 2 > CELL_TEXT for t in sample.drop_nulls())
        if cut:
            notes[f"texts in “{self.column.heading}” were cut at {CELL_TEXT:,} characters"] += cut
        return text.map_elements(_cut_text, return_dtype=pl.String)


def _cut_text(text: str) -> str:
    return text.encode("utf-16-le")[: CELL_TEXT * 2].decode("utf-16-le", errors="ignore")


def _escaped(text: pl.Expr, sample: pl.Series) -> pl.Expr:
    replacements: list[tuple[str, str]] = [("&", "&amp;"), ("<", "&lt;"), (">", "&gt;")]
    for old, new in replacements:
        text = text.str.replace_all(old, new, literal=True)
    if sample.str.contains(r"[\x00-\x08\x0b-\x1f\x{FFFE}\x{FFFF}]|_x[0-9A-Fa-f]{4}_").any():
        text = text.map_elements(_escape_controls, return_dtype=pl.String)
    return text


def _escape_controls(text: str) -> str:
    return _UNWRITABLE.sub(lambda m: f"_x{ord(m.group(0)):04X}_", text)
