"""
JSON: one object (RFC 8259) per row, UTF-8, each on a line of its own; and the same as one array.

Numbers are numbers with all their digits, yes-no are true and false, blanks are null; everything else is text.
"""

from __future__ import annotations

import json
from io import BytesIO

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping import TextShaper
from bouquet.core.writers.base import StreamWriter

__all__ = ["JsonLinesWriter", "JsonWriter"]

#: What JSON numbers look like (RFC 8259, section 6); a database's NaN and infinity do not.
_NUMBER = r"^-?(0|[1-9]\d*)(\.\d+)?$"
_CONTROLS = r"[\x00-\x1f\\\"\x7f]"


class JsonLinesWriter(StreamWriter):
    """
    One object a row; its names are the headings, or the technical names where these are asked for.
    """

    def begin(self) -> None:
        technical = self.plan.output.csv.heading_row == "names"
        self._names = [
            json.dumps(c.technical if technical else c.heading, ensure_ascii=False) for c in self.plan.columns
        ]
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)

    def write(self, frame: pl.DataFrame) -> None:
        text = self._shaper.shape(frame)
        parts: list[pl.Expr] = []
        for n, (column, name) in enumerate(zip(self.plan.columns, self._names, strict=True)):
            parts.append(pl.lit(("{" if n == 0 else ",") + name + ":"))
            parts.append(self._cell(column, n, text, frame).fill_null("null"))
        source = text.with_columns(frame[f"c{n}"].alias(f"raw{n}") for n in self._booleans(frame))
        lines = source.select(pl.concat_str([*parts, pl.lit("}")]).alias("line"))
        self._put(lines)
        self.facts.rows += frame.height

    def _put(self, lines: pl.DataFrame) -> None:
        lines.write_csv(self._file, include_header=False, quote_style="never", line_terminator="\n")

    def _booleans(self, frame: pl.DataFrame) -> list[int]:
        return [n for n, c in enumerate(self.plan.columns) if c.kind is Kind.BOOLEAN and f"c{n}" in frame.columns]

    def _cell(self, column: PlanColumn, n: int, text: pl.DataFrame, frame: pl.DataFrame) -> pl.Expr:
        value = pl.col(f"c{n}")
        show = column.show
        plain = not (show.prefix or show.suffix or show.pad or show.grouping) and show.decimal_mark in (None, ".")
        if column.kind is Kind.BOOLEAN and f"c{n}" in frame.columns and frame.schema[f"c{n}"] == pl.Boolean:
            raw = pl.col(f"raw{n}")
            return pl.when(raw).then(pl.lit("true")).when(~raw).then(pl.lit("false"))
        if column.kind.is_number and plain and not column.is_constant:
            return pl.when(value.str.contains(_NUMBER)).then(value).otherwise(self._quoted(value, text[f"c{n}"]))
        return self._quoted(value, text[f"c{n}"])

    @staticmethod
    def _quoted(value: pl.Expr, series: pl.Series) -> pl.Expr:
        """
        A text between quotation marks; only texts that need it are escaped, by the library.
        """
        if series.str.contains(_CONTROLS).any():
            escaped = value.map_elements(lambda t: json.dumps(t, ensure_ascii=False), return_dtype=pl.String)
            return pl.when(value.str.contains(_CONTROLS)).then(escaped).otherwise(pl.format('"{}"', value))
        return pl.format('"{}"', value)


class JsonWriter(JsonLinesWriter):
    """
    One array of the same objects, one a line.
    """

    def begin(self) -> None:
        super().begin()
        self._file.write(b"[")
        self._between = b"\n"

    def _put(self, lines: pl.DataFrame) -> None:
        buffer = BytesIO()
        lines.write_csv(buffer, include_header=False, quote_style="never", line_terminator=",\n")
        if lines.height:
            self._file.write(self._between + buffer.getvalue()[: -len(b",\n")])
            self._between = b",\n"

    def finish(self) -> None:
        self._file.write(b"\n]\n")
