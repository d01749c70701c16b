"""
Cells of spreadsheets: values as SpreadsheetML, their number formats and widths (ISO/IEC 29500-1, 18.3 and 18.8).
"""

from __future__ import annotations

import html
import re
from collections.abc import Sequence
from locale import windows_locale
from typing import Any, TypeAlias

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.patterns import Names, date_pieces, parse_date_pattern, spoken_where
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping import TextShaper
from bouquet.core.shaping.far import far_column
from bouquet.core.template import Show
from bouquet.core.writers.base import cut_at

__all__ = [
    "CELL_TEXT",
    "Cell",
    "choices_of",
    "column_letters",
    "cut_text",
    "escaped",
    "is_right",
    "number_format",
    "plain_cells",
    "text_cell",
    "whole_cell",
    "width_of",
]

#: Characters, as UTF-16 units, that one cell holds.
CELL_TEXT = 32_767


#: Characters of a number format.
LONGEST_FORMAT = 255

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


def whole_cell(value: pl.Series, middle: str | pl.Series, closing: str | pl.Series, blank: str = "<c/>") -> pl.Expr:
    """
    Cells of their pieces; `blank` where there is no value.
    """
    if isinstance(middle, str) and isinstance(closing, str):
        joined = pl.format("<c" + middle + "{}" + closing, pl.lit(value))
    else:
        joined = pl.concat_str(pl.lit("<c"), *map(pl.lit, (middle, value, closing)))
    return joined.fill_null(blank)


def number_format(column: PlanColumn) -> str | None:
    """
    The spreadsheet number format of a column; None for text and yes-no.
    """
    show, kind = column.show, column.kind
    if kind.is_dated or kind is Kind.TIME:
        if not show.date:
            return _NUMBER_FORMATS[kind]
        return _language(show) + parse_date_pattern(show.date).number_format
    if not kind.is_number:
        return None
    whole = "#,##0" if show.grouping else "0"
    digits = show.decimals if show.decimals is not None else 0
    point = "." + "0" * digits if digits else ""
    form = whole + point
    if show.decimals is None and kind is Kind.DECIMAL:
        form = "#,##0.############" if show.grouping else "General"
    below = form
    if show.pad is not None and (show.pad_with, show.pad_side) == ("0", "left") and form == "0" + point:
        # The sign is one of the characters that a number is filled up to.
        form, below = ("0" * max(1, show.pad - sign - len(point)) + point for sign in (0, 1))
    before, after = _said(show.prefix), _said(show.suffix)
    made = before + form + after
    if form == below and (not before or show.signs_money):
        return made
    negative = f"-{before}{below}" if show.signs_money else f"{before}-{below}"
    parted = f"{made};{negative}{after}"
    return parted if len(parted) <= LONGEST_FORMAT else f"{before}{whole}{point}{after}"


def _language(show: Show) -> str:
    """
    In which names of months and days stand (ECMA-376, part 1, 18.8.31); without it, in that of whoever looks at them.
    """
    named = any(isinstance(piece, Names) for piece in date_pieces(show.date or "", show.language))
    spoken = spoken_where(show.language or "") if named else ""
    code = next((code for code, name in windows_locale.items() if name == spoken), None)
    return "" if code is None else f"[$-{code:X}]"


def _said(text: str) -> str:
    """
    A text as it stands in a number format.
    """
    return '\\"'.join(f'"{part}"' if part else "" for part in text.split('"'))


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
        Kind.FILE: 22,
    }
    return float(min(60, max(usual.get(column.kind, 12), len(column.heading) + 3)))


def is_right(column: PlanColumn) -> bool:
    """
    Whether a column's values stand to the right of their cells.
    """
    return number_format(column) is not None and not column.is_constant


def choices_of(column: PlanColumn) -> list[str]:
    """
    What a choice's cells can say, as a list for people to choose from.
    """
    return [c.code if column.show.choice == "code" else c.label for c in column.choices]


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


class Cell:
    """
    Makes the cells of one column as XML.
    """

    def __init__(self, column: PlanColumn, n: int, style: str, shaper: TextShaper, *, special: bool = False) -> None:
        self.column, self.n, self.shaper = column, n, shaper
        self.style = f' s="{style}"' if style else ""
        #: The same for texts, which have a style only where the column looks otherwise than all do.
        self.look = self.style if special else ""
        self.blank = f"<c{self.look}/>"

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
            pieces = frame[name].cast(pl.Int8).cast(pl.String), f'{self.look} t="b"><v>', "</v></c>"
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
        text = frame.select(self.shaper.dated(pl.col(name), self.column).alias("t"))["t"]
        return _either(cells, (text, ' t="inlineStr"><is><t>', "</t></is></c>"), inside)

    def _text(self, text: pl.Series, notes: Any) -> _Pieces:
        """
        Text cells; the rare steps are only taken where a text of the batch needs them.
        """
        if _longest(text) > CELL_TEXT:
            text = self._cut(text, notes)
        middle: str | pl.Series = f'{self.look} t="inlineStr"><is><t>'
        if not text.str.contains(_NEEDS_CARE).any():
            return text, middle, "</t></is></c>"
        text = escaped(text)
        spaced = text.str.contains(r"^\s|\s$")
        if spaced.any():
            keep = pl.when(spaced).then(pl.lit(f'{self.look} t="inlineStr"><is><t xml:space="preserve">'))
            middle = pl.select(keep.otherwise(pl.lit(middle)).alias("m"))["m"]
        return text, middle, "</t></is></c>"

    def _cut(self, text: pl.Series, notes: Any) -> pl.Series:
        cut = sum(len(t.encode("utf-16-le")) // 2 > CELL_TEXT for t in text.drop_nulls())
        if cut:
            notes[cut_at(self.column.heading, CELL_TEXT)] += cut
        return text.map_elements(cut_text, return_dtype=pl.String)


def text_cell(n: int, row: int, style: str, text: str) -> str:
    plain = _UNWRITABLE.sub(lambda m: f"_x{ord(m.group(0)):04X}_", html.escape(text, quote=False))
    styled = f' s="{style}"' if style else ""
    return f'<c r="{column_letters(n)}{row}"{styled} t="inlineStr"><is><t xml:space="preserve">{plain}</t></is></c>'


def plain_cells(row: int, cells: Sequence[str | int]) -> str:
    """
    Cells without a style; empty texts leave theirs out.
    """
    made = []
    for n, value in enumerate(cells):
        if isinstance(value, int):
            made.append(f'<c r="{column_letters(n)}{row}"><v>{value}</v></c>')
        elif value:
            made.append(text_cell(n, row, "", cut_text(value)))
    return "".join(made)


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


def cut_text(text: str, units: int = CELL_TEXT) -> str:
    """
    The beginning of a text, as long as spreadsheets count: in units of UTF-16.
    """
    return text.encode("utf-16-le")[: units * 2].decode("utf-16-le", errors="ignore")


def escaped(text: pl.Series) -> pl.Series:
    for old, new in (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;")):
        text = text.str.replace_all(old, new, literal=True)
    if text.str.contains(_CONTROLS).any():
        where = text.str.contains(_CONTROLS).fill_null(False).arg_true()
        text = text.clone().scatter(where, text.gather(where).map_elements(_escape_controls, return_dtype=pl.String))
    return text


def _escape_controls(text: str) -> str:
    return _UNWRITABLE.sub(lambda m: f"_x{ord(m.group(0)):04X}_", text)
