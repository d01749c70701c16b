"""
OpenDocument spreadsheets (ISO/IEC 26300-1), streamed: typed cells whose content is written as rows come.
"""

from __future__ import annotations

import re
import zlib
from collections import Counter
from collections.abc import Iterator
from functools import partial

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.language import tr
from bouquet.core.naming import sheet_name
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping import Line, TextShaper, shown_total
from bouquet.core.shaping.far import far_column
from bouquet.core.writers.base import Writer
from bouquet.core.writers.markup import escaped_column, escaped_text, spliced
from bouquet.core.writers.ods_styles import MANIFEST, data_style, opening, package_parts
from bouquet.core.writers.package import Member, Package, Piece
from bouquet.core.writers.xlsx_cells import EXACT_DIGITS

__all__ = ["OdsWriter"]

#: Rows that programs read of a sheet.
SHEET_ROWS = 1_048_576

MIMETYPE = b"application/vnd.oasis.opendocument.spreadsheet"

#: Cells up to which a sheet's content is smaller than 4 GiB, as a rule.
MOST_CELLS_32 = 20_000_000

_AS_TEXT = '<table:table-cell office:value-type="string"><text:p>{}</text:p></table:table-cell>'

#: Blanks that a reader would drop or join with another: at an end or beside white space (ODF 1.3, part 3, 6.1.2).
_SPACES = r"  |^ | $| [\r\n\t]|[\r\n\t] "
#: What a paragraph does not hold as it is: these, ends of lines, tabs.
_SPACED = rf"[\r\n\t]|{_SPACES}"

#: What numbers that are none are written with: NaN, Infinity.
_LETTER = re.compile(r"[A-Za-z]")


class OdsWriter(Writer):
    """
    A spreadsheet of typed cells. More rows than a sheet holds go on to further sheets.
    """

    def open(self) -> None:
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        self._styles = [data_style(c, n) for n, c in enumerate(self.plan.columns)]
        # Nothing may stand between the first member's name and its content, by which programs know what the file is.
        self._package = Package(self.path, self._members, self.facts.notes, stamped=False)
        self._put(opening(self.plan, self._styles))
        self._sheet, self._part, self._rows, self._taken = 0, 0, 0, set[str]()
        self._begin_sheet(self.sheets[0].name)

    def _members(self, package: Package) -> Iterator[Member]:
        from stream_zip import NO_COMPRESSION_32, ZIP_32, ZIP_64

        moment = self.plan.context.as_of.replace(tzinfo=None)
        stored = NO_COMPRESSION_32(len(MIMETYPE), zlib.crc32(MIMETYPE))
        yield "mimetype", moment, 0o600, stored, iter((MIMETYPE,))
        parts = package_parts(self.plan, self.sentence, self.stamp)
        for name, content in {**parts, "META-INF/manifest.xml": MANIFEST}.items():
            yield name, moment, 0o600, ZIP_32, iter((content.encode(),))
        # 64-bit sizes only where they are likely to be needed: LibreOffice does not open a package that is streamed so.
        large = ZIP_64 if self.announced * len(self.plan.columns) > MOST_CELLS_32 else ZIP_32
        yield "content.xml", moment, 0o600, large, package.pieces()

    def _begin_sheet(self, name: str) -> None:
        wanted = name or self.plan.output.xlsx.sheet or self.plan.row_type.plural.capitalize()
        unique = sheet_name(wanted or tr("Rows"), self._taken)
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
        self._package.put(text.encode())

    def _put_row(self, cells: str) -> None:
        self._put(f"<table:table-row>{cells}</table:table-row>")
        self._rows += 1

    def write(self, frame: pl.DataFrame) -> None:
        while frame.height:
            if self._rows >= SHEET_ROWS:
                self._turn(self._name)
            head = frame.head(SHEET_ROWS - self._rows)
            self._package.put_made(partial(self._rows_xml, head))
            self._rows += head.height
            self.facts.rows += head.height
            frame = frame.slice(head.height)

    def _rows_xml(self, frame: pl.DataFrame) -> Piece:
        notes = Counter[str]()
        text = self._shaper.shape(frame).with_columns(pl.all().cast(pl.String))
        pieces: list[pl.Series | str] = ["<table:table-row>"]
        pieces += [self._cells(c, n, frame, text[f"c{n}"], notes) for n, c in enumerate(self.plan.columns)]
        return spliced(pieces, "</table:table-row>\n"), notes

    def _cells(
        self, column: PlanColumn, n: int, frame: pl.DataFrame, text: pl.Series, notes: Counter[str]
    ) -> pl.Series:
        """
        The cells of a column: its typed value where the format has one, and always the text that is shown.
        """
        shown = _spelt(escaped_column(text, column.heading, notes))
        typed = self._typed(column, n, frame)
        if typed is None:
            return _joined(_AS_TEXT, shown)
        kind, values = typed
        value_of = {"float": "value", "boolean": "boolean-value", "date": "date-value", "time": "time-value"}[kind]
        styled = f' table:style-name="ce{n}"' if self._styles[n] else ""
        made = _joined(
            f'<table:table-cell{styled} office:value-type="{kind}" office:{value_of}="{{}}">'
            "<text:p>{}</text:p></table:table-cell>",
            values,
            shown,
        )
        if (values.is_null() == text.is_null()).all():
            return made
        # A value that the format has no type for, and what stands for a blank, are texts.
        as_text = _joined(_AS_TEXT, shown)
        return pl.select(pl.when(pl.lit(values).is_not_null()).then(made).otherwise(as_text).alias("v"))["v"]

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
            elif column.kind.is_number and not _LETTER.search(value) and len(re.findall(r"\d", value)) <= EXACT_DIGITS:
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
        self._package.end()
        self._package.close()

    def abandon(self) -> None:
        self._package.abandon()


def _spelt(texts: pl.Series) -> pl.Series:
    """
    Escaped texts as paragraphs hold them: white space that a reader would not keep stands as elements.
    """
    if not texts.str.contains(_SPACED).any():
        return texts
    kept = ~texts.str.contains(_SPACES).fill_null(False)
    made = texts.str.replace_all("\r\n", "\n", literal=True).str.replace_all("[\r\n]", "</text:p><text:p>")
    made = made.str.replace_all("\t", "<text:tab/>", literal=True)
    return made.zip_with(kept, made.str.replace_all(" ", "<text:s/>", literal=True))


def _joined(pattern: str, *values: pl.Series) -> pl.Series:
    """
    Cells of their values; empty ones where there is none.
    """
    return pl.select(pl.format(pattern, *map(pl.lit, values)).fill_null("<table:table-cell/>").alias("v"))["v"]


def _text_cell(text: str, style: str) -> str:
    named = f' table:style-name="{style}"' if style else ""
    said = _spelt(pl.Series([escaped_text(text)]))[0]
    return f'<table:table-cell{named} office:value-type="string"><text:p>{said}</text:p></table:table-cell>'
