"""
CSV (RFC 4180), streamed.
"""

from __future__ import annotations

import csv
import io
from typing import IO, Literal

import polars as pl

from bouquet.core.naming import merge_names
from bouquet.core.shaping import Line, TextShaper, guarded, shown_total
from bouquet.core.writers.base import StreamWriter
from bouquet.core.writers.letters import SIGNATURE, Letters

__all__ = ["CsvWriter"]

#: Bytes of lines that are encoded at once.
ENCODED_AT_ONCE = 250_000

_QUOTE_STYLE: dict[str, Literal["necessary", "non_numeric", "always"]] = {
    "as_needed": "necessary",
    "text": "necessary",
    "everything": "always",
}


class CsvWriter(StreamWriter):
    """
    Comma- (or otherwise) separated text.
    """

    def begin(self) -> None:
        options = self.plan.output.csv
        self._options = options
        self._line_end = "\r\n" if options.line_end == "CRLF" else "\n"
        self._letters = Letters.of(options, self.facts)
        guard = self.plan.guards_formulas
        # A number that the separator is part of is quoted like a text.
        bare = options.quoting == "as_needed" and options.separator not in "-0123456789"
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key, guard=guard, bare=bare)
        # Text columns are told apart by name where only text is quoted.
        self._quoted = [
            f"c{n}"
            for n, c in enumerate(self.plan.columns)
            if options.quoting == "text" and not (c.kind.is_number or c.kind.is_dated)
        ]
        self._file.write(SIGNATURE.get(options.encoding, b""))
        self._write_rows([[self._guarded(t)] for t in self.titles] + ([[]] if self.titles else []))
        self._write_heading_rows()

    def write(self, frame: pl.DataFrame) -> None:
        text = self._shaper.shape(frame)
        if len(self.plan.columns) == 1 and self._options.quoting != "everything":
            # An empty line would not count as a row to many readers; an empty quoted cell does.
            text = text.with_columns(pl.all().cast(pl.String).fill_null(""))
        if self._quoted:
            self._write_with_quoted_text(text)
        elif self._letters.is_utf8:
            self._write_frame(text, self._file)
        else:
            buffer = io.BytesIO()
            self._write_frame(text, buffer)
            self._write_encoded(buffer)
        self.facts.rows += frame.height

    def write_line(self, line: Line) -> None:
        cells = [""] * len(self.plan.columns)
        for n, value in line.values.items():
            cells[n] = shown_total(self.plan.columns[n], n, value, self._shaper)
        free = next((n for n, c in enumerate(cells) if not c and n not in line.values), None)
        if free is not None:
            cells[free] = self._guarded(line.label)
        self._write_rows([cells])

    def _write_frame(self, text: pl.DataFrame, file: IO[bytes]) -> None:
        text.write_csv(
            file,
            include_header=False,
            separator=self._options.separator,
            line_terminator=self._line_end,
            quote_style=_QUOTE_STYLE[self._options.quoting],
        )

    def _write_with_quoted_text(self, text: pl.DataFrame) -> None:
        """
        Quote the text columns ourselves, and join the cells; numbers and dates stay bare.
        """
        cells = []
        for n, _ in enumerate(self.plan.columns):
            cell = pl.col(f"c{n}")
            if f"c{n}" in self._quoted:
                cell = pl.format('"{}"', cell.str.replace_all('"', '""', literal=True))
            else:
                special = cell.str.contains_any([self._options.separator, '"', "\n", "\r"])
                if len(self.plan.columns) == 1:
                    special |= cell == ""
                quoted = pl.format('"{}"', cell.str.replace_all('"', '""', literal=True))
                cell = pl.when(special).then(quoted).otherwise(cell)
            cells.append(cell.fill_null(""))
        lines = text.select(pl.concat_str(cells, separator=self._options.separator))
        buffer = io.BytesIO()
        lines.write_csv(buffer, include_header=False, quote_style="never", line_terminator=self._line_end)
        self._write_encoded(buffer)

    def _guarded(self, text: str) -> str:
        return guarded(text) if self.plan.guards_formulas else text

    def _write_heading_rows(self) -> None:
        rows = []
        if self._options.heading_row in ("headings", "both"):
            rows.append([self._guarded(c.heading) for c in self.plan.columns])
        if self._options.heading_row in ("names", "both"):
            rows.append([c.technical for c in self.plan.columns])
        if self._options.heading_row == "merge":
            rows.append(merge_names([c.heading for c in self.plan.columns]))
        self._write_rows(rows)

    def _write_rows(self, rows: list[list[str]]) -> None:
        buffer = io.StringIO()
        quoting: Literal[0, 1] = csv.QUOTE_ALL if self._options.quoting != "as_needed" else csv.QUOTE_MINIMAL
        writer = csv.writer(buffer, delimiter=self._options.separator, lineterminator=self._line_end, quoting=quoting)
        writer.writerows(rows)
        self._file.write(self._letters.encode(buffer.getvalue()))

    def _write_encoded(self, lines: io.BytesIO) -> None:
        """
        Write lines of UTF-8 in the file's encoding, some at a time: a batch in three forms at once takes much memory.
        """
        begin = 0
        with lines.getbuffer() as data:

            def row_at(position: int) -> int:
                """The row of a letter: a line break in a quoted cell ends none."""
                before = str(data[:begin], "utf-8") + text[:position]
                return self.facts.rows + 1 + sum(outside.count("\n") for outside in before.split('"')[::2])

            while begin < len(data):
                lines.seek(begin + ENCODED_AT_ONCE)
                lines.readline()
                end = min(lines.tell(), len(data))
                text = str(data[begin:end], "utf-8")
                self._file.write(self._letters.encode(text, row_at))
                begin = end
