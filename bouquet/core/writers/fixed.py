"""
Text of fixed width: every value at its place in the line; with the layout beside it.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.errors import WriteError
from bouquet.core.language import tr
from bouquet.core.naming import merge_names
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping import TextShaper, companion_csv
from bouquet.core.writers.base import Beside, StreamWriter, cut_at
from bouquet.core.writers.letters import SIGNATURE, Letters

__all__ = ["FixedWidthWriter", "width_in_line"]

#: What any reader may take for the end of a line or of the file, or counts otherwise than as one character.
BREAKS = r"[\x00-\x1f\x7f\x{85}\x{2028}\x{2029}]"

_USUAL = {
    Kind.BOOLEAN: 5,
    Kind.INTEGER: 12,
    Kind.DECIMAL: 18,
    Kind.DATE: 10,
    Kind.TIME: 15,
    Kind.TIMESTAMP: 26,
    Kind.MOMENT: 32,
    Kind.IDENTIFIER: 20,
    Kind.CHOICE: 20,
}


def width_in_line(column: PlanColumn) -> int:
    """
    Characters that a column has in each line: its own width, or what is usual for its kind and takes its heading.
    """
    return column.width or max(_USUAL.get(column.kind, 40), len(column.heading) + 1)


class FixedWidthWriter(StreamWriter):
    """
    Texts begin at the left of their place, numbers end at its right. A text that is longer is cut, and that is noted; a
    number or a date that is longer stops the run, for a part of it would be another one.
    """

    def begin(self) -> None:
        options = self.plan.output.csv
        self._end = "\r\n" if options.line_end == "CRLF" else "\n"
        self._letters = Letters.of(options, self.facts)
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        self._file.write(SIGNATURE.get(options.encoding, b""))
        if options.heading_row in ("headings", "both"):
            self._write_head([c.heading for c in self.plan.columns])
        if options.heading_row in ("names", "both"):
            self._write_head([c.technical for c in self.plan.columns])
        if options.heading_row == "merge":
            self._write_head(merge_names([c.heading for c in self.plan.columns]))

    def write(self, frame: pl.DataFrame) -> None:
        text = self._shaper.shape(frame).with_columns(pl.all().cast(pl.String).fill_null(""))
        cells = [self._placed(c, text[f"c{n}"]) for n, c in enumerate(self.plan.columns)]
        lines = pl.select(pl.concat_str([*map(pl.lit, cells), pl.lit(self._end)]).alias("line"))["line"]
        first = self.facts.rows + 1
        joined = "".join(lines.to_list())
        # Cells hold no line breaks.
        self._file.write(self._letters.encode(joined, lambda position: first + joined.count("\n", 0, position)))
        self.facts.rows += frame.height

    def _placed(self, column: PlanColumn, values: pl.Series) -> pl.Series:
        width = width_in_line(column)
        broken = values.str.contains(BREAKS)
        if broken.any():
            said = tr("line breaks in “{heading}” became spaces", heading=column.heading)
            self.facts.notes[said] += int(broken.sum())
            values = _on_one_line(values)
        long = values.str.len_chars() > width
        if long.any():
            if not column.kind.is_text and column.kind is not Kind.CHOICE:
                value = values.filter(long)[0]
                message = tr(
                    "“{value}” in “{column}” is longer than the {width} characters of its place.",
                    value=value,
                    column=column.heading,
                    width=width,
                )
                raise WriteError(tr("{message} Give the column a greater width.", message=message))
            self.facts.notes[cut_at(column.heading, width)] += int(long.sum())
            values = values.str.head(width)
        right = column.kind.is_number
        return values.str.pad_start(width, " ") if right else values.str.pad_end(width, " ")

    def _write_head(self, names: list[str]) -> None:
        line = ""
        for name, column in zip(_on_one_line(pl.Series(names)), self.plan.columns, strict=True):
            width = width_in_line(column)
            if len(name) > width:
                said = tr("the heading “{heading}” was cut to its {width} characters", heading=name, width=width)
                self.facts.notes[said] += 1
            line += name[:width].rjust(width) if column.kind.is_number else name[:width].ljust(width)
        self._file.write(self._letters.encode(line + self._end))

    @classmethod
    def beside(cls, plan: Plan) -> Sequence[Beside]:
        rows: list[tuple[str | int, ...]] = []
        first = 1
        for column in plan.columns:
            width = width_in_line(column)
            side = "right" if column.kind.is_number else "left"
            rows.append((column.heading, column.technical, first, first + width - 1, width, side))
            first += width
        told = ("Heading", "Technical name", "First character", "Last character", "Width", "Aligned")
        content = companion_csv([told, *rows], guard=plan.guards_formulas)
        return (Beside("layout.csv", "text/csv", content),)


def _on_one_line(values: pl.Series) -> pl.Series:
    return values.str.replace_all(rf"\r\n|{BREAKS}", " ")
