"""
Tables of dBASE III, for programs that read nothing newer: a head that names the fields, then records of fixed length.

Numbers, days and yes-no keep their kinds; all else is text of Windows-1252, which is what such programs read. What has
no room stops the run, but for texts, which are cut, and that is noted.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.errors import WriteError
from bouquet.core.language import tr, whole
from bouquet.core.naming import merge_names
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping import TextShaper, companion_csv
from bouquet.core.shaping.far import far_column
from bouquet.core.writers.base import Beside, StreamWriter, cut_at
from bouquet.core.writers.fixed import width_in_line
from bouquet.core.writers.letters import Letters

__all__ = ["DbaseWriter"]

#: Letters of a field's name, of a text, digits of a number with sign and point, and bytes of a record, at most.
LONGEST_NAME, LONGEST_TEXT, LONGEST_NUMBER, LONGEST_RECORD = 10, 254, 19, 4_000

#: Digits after the point of numbers of which nobody says how many they have.
DECIMALS = 6

ENCODING = "windows-1252"

#: The kind of table (dBASE III without texts of a file of their own), and the mark of its encoding.
TABLE, WINDOWS = 0x03, 0x03


@dataclass(frozen=True)
class _Field:
    """
    A field of the table: `kind` is C for texts, N for numbers, D for days, L for yes and no.
    """

    name: str
    kind: str
    width: int
    decimals: int = 0


def _fields(plan: Plan) -> list[_Field]:
    """
    The fields of the table. Texts of which nobody says how wide they are share the room that the others leave.
    """
    names = [n.upper() for n in merge_names([c.heading for c in plan.columns], LONGEST_NAME)]
    known = [_field(n, c, 0) for n, c in zip(names, plan.columns, strict=True)]
    open_ = sum(f.width == 0 for f in known)
    room = (LONGEST_RECORD - 1 - sum(f.width for f in known)) // max(1, open_)
    width = max(1, min(LONGEST_TEXT, room))
    return [_field(n, c, width) for n, c in zip(names, plan.columns, strict=True)]


def _field(name: str, column: PlanColumn, free: int) -> _Field:
    if column.is_constant:
        return _Field(name, "C", min(LONGEST_TEXT, max(1, len(column.constant or ""))))
    if column.kind.is_number:
        decimals = _decimals(column)
        return _Field(name, "N", LONGEST_NUMBER, decimals)
    if column.kind is Kind.DATE:
        return _Field(name, "D", 8)
    if column.kind is Kind.BOOLEAN:
        return _Field(name, "L", 1)
    if column.width is None and column.kind.is_text:
        return _Field(name, "C", free)
    return _Field(name, "C", min(LONGEST_TEXT, width_in_line(column)))


def _decimals(column: PlanColumn) -> int:
    show = column.show
    if column.kind is Kind.INTEGER and show.factor is None:
        return 0
    known = show.decimals if show.decimals is not None else column.field.scale if show.factor is None else None
    return min(DECIMALS if known is None else known, LONGEST_NUMBER - 4)


class DbaseWriter(StreamWriter):
    """
    A table of dBASE III. How many records there are stands in its head, before the first of them.
    """

    def begin(self) -> None:
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        replaces = self.plan.output.csv.unencodable == "replace"
        self._letters = Letters(ENCODING, replaces, self.facts, is_chosen=False)
        self._fields = _fields(self.plan)
        self._length = 1 + sum(f.width for f in self._fields)
        if self._length > LONGEST_RECORD:
            message = tr(
                "A row would take {length} characters, and this format has room for {longest_record}.",
                length=whole(self._length),
                longest_record=whole(LONGEST_RECORD),
            )
            raise WriteError(tr("{message} Make its texts narrower, or leave some out.", message=message))
        self._file.write(self._head(self.announced))
        at = 1
        for f in self._fields:
            name = f.name.encode("ascii").ljust(11, b"\0")
            self._file.write(struct.pack("<11s c I B B 14x", name, f.kind.encode(), at, f.width, f.decimals))
            at += f.width
        self._file.write(b"\r")

    def _head(self, records: int) -> bytes:
        day = self.plan.context.as_of.date()
        size = 32 * (len(self._fields) + 1) + 1
        return struct.pack(
            "<B 3B I H H 17x B 2x", TABLE, day.year % 100, day.month, day.day, records, size, self._length, WINDOWS
        )

    def write(self, frame: pl.DataFrame) -> None:
        shaped = self._shaper.shape(frame)
        cells = [self._placed(f, c, n, frame, shaped) for n, (f, c) in enumerate(self._pairs())]
        # A record begins with a blank where it is not marked as removed.
        lines = pl.select(pl.concat_str([pl.lit(" "), *map(pl.lit, cells)]).alias("line"))["line"]
        first = self.facts.rows + 1
        self._file.write(
            self._letters.encode("".join(lines.to_list()), lambda position: first + position // self._length)
        )
        self.facts.rows += frame.height

    def _pairs(self) -> zip[tuple[_Field, PlanColumn]]:
        return zip(self._fields, self.plan.columns, strict=True)

    def _placed(self, f: _Field, column: PlanColumn, n: int, frame: pl.DataFrame, shaped: pl.DataFrame) -> pl.Series:
        if f.kind == "N":
            return self._number(f, column, frame[f"c{n}"].cast(pl.String))
        if f.kind == "L":
            return pl.select(
                pl.when(frame[f"c{n}"]).then(pl.lit("T")).when(~frame[f"c{n}"]).then(pl.lit("F")).otherwise(pl.lit("?"))
            ).to_series()
        if f.kind == "D":
            return self._day(column, n, frame)
        values = shaped[f"c{n}"].cast(pl.String).fill_null("")
        long = values.str.len_chars() > f.width
        if long.any():
            if not column.kind.is_text and column.kind is not Kind.CHOICE:
                message = tr(
                    "“{long}” in “{column}” is longer than the {width} characters",
                    long=values.filter(long)[0],
                    column=column.heading,
                    width=f.width,
                )
                raise WriteError(tr("{message} of its place. Give the column a greater width.", message=message))
            self.facts.notes[cut_at(column.heading, f.width)] += int(long.sum())
            values = values.str.head(f.width)
        return values.str.pad_end(f.width, " ")

    def _number(self, f: _Field, column: PlanColumn, values: pl.Series) -> pl.Series:
        values = self.without_odd(column, values).fill_null("")
        after = values.str.extract(r"\.(\d*?)0*$").fill_null("")
        wrong = (values.str.len_chars() > f.width) | (after.str.len_chars() > f.decimals)
        if wrong.any():
            room = tr("{width} digits, {decimals} of them after the point", width=f.width, decimals=f.decimals)
            message = tr(
                "“{wrong}” in “{column}” has no room in a field of {room}.",
                wrong=values.filter(wrong)[0],
                column=column.heading,
                room=room,
            )
            raise WriteError(tr("{message} Round the column, or show it as text.", message=message))
        if f.decimals:
            # Zeros after the point beyond the field's places say nothing.
            values = values.str.replace(rf"(\.\d{{{f.decimals}}})0+$", "$1")
        return values.str.pad_start(f.width, " ")

    @staticmethod
    def _day(column: PlanColumn, n: int, frame: pl.DataFrame) -> pl.Series:
        far = far_column(f"c{n}")
        if far in frame.columns and frame[far].drop_nulls().len():
            value = frame[far].drop_nulls()[0]
            raise WriteError(
                tr(
                    "“{column}” holds {value}, which no date of this format can be.",
                    column=column.heading,
                    value=value,
                )
            )
        days = frame[f"c{n}"].dt.to_string("%Y%m%d").fill_null(" " * 8)
        if (days.str.len_chars() != 8).any():
            value = frame[f"c{n}"].filter(days.str.len_chars() != 8)[0]
            raise WriteError(
                tr(
                    "“{column}” holds {value}, which no date of this format can be.",
                    column=column.heading,
                    value=value,
                )
            )
        return days

    def finish(self) -> None:
        if self.facts.rows != self.announced:
            raise WriteError(
                tr(
                    "{announced} rows were announced, and {rows} came.",
                    announced=whole(self.announced),
                    rows=whole(self.facts.rows),
                )
            )
        self._file.write(b"\x1a")

    @classmethod
    def beside(cls, plan: Plan) -> Sequence[Beside]:
        fields = zip(_fields(plan), plan.columns, strict=True)
        rows = [(c.heading, f.name, f.kind, f.width, f.decimals) for f, c in fields]
        told = ("Heading", "Field", "Kind", "Width", "Decimals")
        content = companion_csv([told, *rows], guard=plan.guards_formulas)
        return (Beside("fields.csv", "text/csv", content),)
