"""
OpenDocument spreadsheets (ISO/IEC 26300-1), streamed: typed cells whose content is written as rows come.
"""

from __future__ import annotations

import io
import re
import zipfile
from typing import IO, Any

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping import Line, TextShaper, shown_total
from bouquet.core.shaping.far import far_column
from bouquet.core.writers.base import Writer
from bouquet.core.writers.markup import escaped_column, escaped_text, spliced
from bouquet.core.writers.ods_styles import MANIFEST, data_style, opening, package_parts
from bouquet.core.writers.xlsx_cells import EXACT_DIGITS

__all__ = ["OdsWriter"]

#: Rows that programs read of a sheet.
SHEET_ROWS = 1_048_576

#: What numbers that are none are written with: NaN, Infinity.
_LETTER = re.compile(r"[A-Za-z]")


class _Appended(io.RawIOBase):
    """
    A file that is only ever added to, so that its digest can follow while it grows.
    """

    def __init__(self, file: IO[bytes]) -> None:
        self.file, self.at = file, 0

    def writable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return False

    def write(self, data: Any) -> int:
        self.at += len(data)
        return self.file.write(data)

    def tell(self) -> int:
        return self.at


class OdsWriter(Writer):
    """
    A spreadsheet of typed cells. More rows than a sheet holds go on to further sheets.
    """

    def open(self) -> None:
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        self._under = self.path.open("wb", buffering=1 << 20)
        self._package = zipfile.ZipFile(_Appended(self._under), "w", zipfile.ZIP_DEFLATED, compresslevel=1)
        self._package.writestr(
            zipfile.ZipInfo("mimetype"), "application/vnd.oasis.opendocument.spreadsheet", zipfile.ZIP_STORED
        )
        for name, content in package_parts(self.plan, self.sentence, self.stamp).items():
            self._package.writestr(name, content)
        self._content = self._package.open("content.xml", "w", force_zip64=True)
        self._styles = [data_style(c, n) for n, c in enumerate(self.plan.columns)]
        self._content.write(opening(self.plan, self._styles).encode())
        self._sheet, self._part, self._rows, self._taken = 0, 0, 0, set[str]()
        self._begin_sheet(self.sheets[0].name)

    def _begin_sheet(self, name: str) -> None:
        wanted = name or self.plan.output.xlsx.sheet or self.plan.row_type.plural.capitalize()
        wanted = re.sub(r"[\[\]:*?/\\'\x00-\x1f]", " ", wanted).strip() or "Rows"
        unique, n = wanted[:31], 1
        while unique.casefold() in self._taken:
            n += 1
            unique = f"{wanted[:26]} ({n})"
        self._taken.add(unique.casefold())
        self._name, self._rows = wanted, 0
        columns = "".join(f'<table:table-column table:style-name="co{n}"/>' for n in range(len(self.plan.columns)))
        self._put(f'<table:table table:name="{escaped_text(unique)}">{columns}')
        for n, title in enumerate(self.titles if self._sheet == 0 else ()):
            self._put_row(_text_cell(title, "title" if n == 0 else ""))
        if self.titles and self._sheet == 0:
            self._put_row("<table:table-cell/>")
        heads = (_text_cell(c.heading, "headn" if c.kind.is_number else "head") for c in self.plan.columns)
        self._put("<table:table-header-rows>")
        self._put_row("".join(heads))
        self._put("</table:table-header-rows>")

    def _put(self, text: str) -> None:
        self._content.write(text.encode())

    def _put_row(self, cells: str) -> None:
        self._put(f"<table:table-row>{cells}</table:table-row>")
        self._rows += 1

    def write(self, frame: pl.DataFrame) -> None:
        while frame.height:
            if self._rows >= SHEET_ROWS:
                self._turn(self._name)
            head = frame.head(SHEET_ROWS - self._rows)
            self._write_rows(head)
            frame = frame.slice(head.height)

    def _write_rows(self, frame: pl.DataFrame) -> None:
        text = self._shaper.shape(frame).with_columns(pl.all().cast(pl.String))
        pieces: list[pl.Series | str] = ["<table:table-row>"]
        pieces += [self._cells(c, n, frame, text[f"c{n}"]) for n, c in enumerate(self.plan.columns)]
        self._content.write(spliced(pieces, "</table:table-row>\n"))
        self._rows += frame.height
        self.facts.rows += frame.height

    def _cells(self, column: PlanColumn, n: int, frame: pl.DataFrame, text: pl.Series) -> pl.Series:
        """
        The cells of a column: its typed value where the format has one, and always the text that is shown.
        """
        shown = escaped_column(text, column.heading, self.facts.notes)
        shown = shown.str.replace_all("\r\n", "\n", literal=True).str.replace_all("[\r\n]", "</text:p><text:p>")
        shown = shown.str.replace_all("\t", "<text:tab/>", literal=True)
        shown = shown.str.replace_all("  ", "<text:s/> ", literal=True)
        as_text = pl.format(
            '<table:table-cell office:value-type="string"><text:p>{}</text:p></table:table-cell>', pl.lit(shown)
        )
        typed = self._typed(column, n, frame)
        styled = f' table:style-name="ce{n}"' if self._styles[n] else ""
        if typed is None:
            cell = as_text
        else:
            kind, values = typed
            value_of = {"float": "value", "boolean": "boolean-value", "date": "date-value", "time": "time-value"}[kind]
            made = pl.format(
                f'<table:table-cell{styled} office:value-type="{kind}" office:{value_of}="{{}}">'
                "<text:p>{}</text:p></table:table-cell>",
                pl.lit(values),
                pl.lit(shown),
            )
            cell = pl.when(pl.lit(values).is_not_null()).then(made).otherwise(as_text)
        blank = pl.lit(text).is_null()
        return pl.select(pl.when(blank).then(pl.lit("<table:table-cell/>")).otherwise(cell).alias("v"))["v"]

    def _typed(self, column: PlanColumn, n: int, frame: pl.DataFrame) -> tuple[str, pl.Series] | None:
        name, kind = f"c{n}", column.kind
        if column.is_constant or name not in frame.columns or far_column(name) in frame.columns:
            return None
        values = frame[name]
        if kind.is_number:
            numbers = values.cast(pl.String)
            plain = (numbers.str.count_matches(r"\d") <= EXACT_DIGITS) & ~numbers.str.contains("[A-Za-z]")
            return "float", numbers.set(~plain.fill_null(True), None)
        if kind is Kind.BOOLEAN and values.dtype == pl.Boolean:
            return "boolean", values.cast(pl.String)
        if not values.dtype.is_temporal():
            return None
        if kind is Kind.TIME:
            return "time", values.dt.to_string("PT%HH%MM%S%.fS")
        local = frame.select(self._shaper.local(pl.col(name), kind).alias("v"))["v"]
        if local.dt.year().min() is not None and int(local.dt.year().min()) < 1:  # type: ignore[arg-type]
            return None
        return "date", local.dt.to_string("%Y-%m-%d" if kind is Kind.DATE else "%Y-%m-%dT%H:%M:%S%.f")

    def write_line(self, line: Line) -> None:
        if self._rows >= SHEET_ROWS:
            self._turn(self._name)
        columns = self.plan.columns
        if line.kind == "heading":
            self._put_row(_text_cell(line.label, "group"))
            return
        free = next((n for n in range(len(columns)) if n not in line.values), None)
        cells = []
        for n, column in enumerate(columns):
            value = line.values.get(n)
            if n == free:
                cells.append(_text_cell(line.label, "sum"))
            elif value is None:
                cells.append('<table:table-cell table:style-name="sum"/>')
            elif (
                column.kind.is_number and not _LETTER.search(value) and sum(d.isdigit() for d in value) <= EXACT_DIGITS
            ):
                said = escaped_text(shown_total(column, n, value, self._shaper))
                style = f"cs{n}" if self._styles[n] else "sum"
                cells.append(
                    f'<table:table-cell table:style-name="{style}" office:value-type="float" office:value="{value}">'
                    f"<text:p>{said}</text:p></table:table-cell>"
                )
            else:
                cells.append(_text_cell(shown_total(column, n, value, self._shaper), "sum"))
        self._put_row("".join(cells))

    def next_sheet(self) -> None:
        # A part of more rows than a sheet holds took several sheets: the parts have a count of their own.
        self._part = min(self._part + 1, len(self.sheets) - 1)
        self._turn(self.sheets[self._part].name)

    def _turn(self, name: str) -> None:
        self._put("</table:table>")
        self._sheet += 1
        self._begin_sheet(name)

    def close(self) -> None:
        self._put("</table:table></office:spreadsheet></office:body></office:document-content>")
        self._content.close()
        self._package.writestr("META-INF/manifest.xml", MANIFEST)
        self._package.close()
        self._under.close()

    def abandon(self) -> None:
        self._content.close()
        self._package.close()
        self._under.close()


def _text_cell(text: str, style: str) -> str:
    named = f' table:style-name="{style}"' if style else ""
    return (
        f'<table:table-cell{named} office:value-type="string"><text:p>{escaped_text(text)}</text:p></table:table-cell>'
    )
