"""
Shaping: Arrow batches of typed values → text as it stands on paper, whole columns at a time.

Rows never become Python objects here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import polars as pl
import pyarrow as pa

from bouquet.core.catalogue import Kind
from bouquet.core.language import tr
from bouquet.core.patterns import date_pieces, parse_date_pattern
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping.dates import dated_text, names_by_mark, written_form
from bouquet.core.shaping.far import far_column, near_dates
from bouquet.core.shaping.starts import FORMULA_START, guarded
from bouquet.core.values import WHITE

__all__ = ["TextShaper", "to_frame"]

#: Choices up to which comparing with each in turn is faster than a look-up.
CHAINED_CHOICES = 8

#: ISO 8601 in the formatter's codes; the fraction of a second only where there is one.
MACHINE_DATES = {
    Kind.DATE: "%Y-%m-%d",
    Kind.TIMESTAMP: "%Y-%m-%dT%H:%M:%S%.f",
    Kind.MOMENT: "%Y-%m-%dT%H:%M:%S%.f%:z",
    Kind.TIME: "%H:%M:%S%.f",
}


def to_frame(batch: pa.RecordBatch | pa.Table) -> pl.DataFrame:
    """
    A batch as a frame. A kind that the driver leaves opaque arrives as its storage, an exact text; dates that no
    calendar holds are set apart, see `far`.
    """
    arrays, names, far = [], [], {}
    for name, column in zip(batch.schema.names, batch.columns, strict=True):
        for part in [column.combine_chunks()] if isinstance(column, pa.ChunkedArray) else [column]:
            array, texts = near_dates(part.storage if isinstance(part, pa.ExtensionArray) else part)
            arrays.append(array)
            if texts is not None:
                far[far_column(name)] = texts
        names.append(name)
    frame = pl.DataFrame(pa.table(arrays, names=names)) if names else pl.DataFrame()
    return frame.with_columns(texts.alias(name) for name, texts in far.items()) if far else frame


@dataclass(frozen=True)
class TextShaper:
    """
    Turns a frame with one column `c{n}` per field column into one of text, named the same, for all columns.
    """

    columns: Sequence[PlanColumn]
    zone: str
    #: Texts that a spreadsheet would run as a formula begin with an apostrophe.
    guard: bool = False
    #: Whole numbers that are shown as they are stay numbers, for a writer that can write them.
    bare: bool = False
    _known: dict[str, Any] = field(default_factory=dict, init=False, repr=False, compare=False)

    def shape(self, frame: pl.DataFrame) -> pl.DataFrame:
        """
        The frame's values as text; blanks are null unless the column says how a blank reads.
        """
        schema = tuple(frame.schema.items())
        # Batches of a run are alike: the expressions are made once. They may be shaped in several threads.
        known, texts = self._known.get("last", (None, []))
        if schema != known:
            texts = self._texts(frame)
            self._known["last"] = schema, texts
        shaped = frame.select(texts)
        return shaped if frame.height else shaped.clear()

    def _texts(self, frame: pl.DataFrame) -> list[pl.Expr]:
        return [
            self.text(c, n, frame.schema).alias(f"c{n}")
            if not c.is_constant
            else pl.repeat(self._constant(c), pl.len(), dtype=pl.String).alias(f"c{n}")
            for n, c in enumerate(self.columns)
        ]

    def _constant(self, column: PlanColumn) -> str | None:
        text = column.constant or None
        return guarded(text) if text is not None and self.guard else text

    def text(self, column: PlanColumn, n: int, schema: pl.Schema) -> pl.Expr:
        """
        The expression that shapes column `c{n}` of frames with this schema.
        """
        value, show, dtype = pl.col(f"c{n}"), column.show, schema.get(f"c{n}")
        if self.bare and dtype is not None and dtype.is_integer() and _as_it_is(column):
            return value
        value = self._as_text(value, column, dtype)
        if far_column(f"c{n}") in schema:
            value = pl.coalesce(value, pl.col(far_column(f"c{n}")))
        is_text = column.kind.is_text or column.kind is Kind.CHOICE
        given = value
        if show.trim:
            value = value.str.strip_chars()
        if show.first is not None:
            value = value.str.head(show.first)
        if show.case != "as_is":
            value = value.str.to_uppercase() if show.case == "upper" else value.str.to_lowercase()
        if show.pad is not None:
            value = padded(value, column)
        if show.prefix or show.suffix:
            value = _surrounded(value, column)
        if is_text and (show.trim or show.pad is not None or show.prefix or show.suffix or column.blank):
            # A text of nothing but white space is blank: it gets no prefix and no padding.
            white = pl.lit("") if show.trim or column.blank else given
            value = pl.when(given.str.strip_chars(WHITE) != "").then(value).otherwise(white)
        if self.guard and is_text:
            value = pl.when(value.str.contains(FORMULA_START)).then(pl.lit("'") + value).otherwise(value)
        blank = pl.lit(column.blank or None, pl.String)
        if is_text:
            return pl.when(value.is_null() | (value == "")).then(blank).otherwise(value)
        return value.fill_null(blank) if column.blank else value

    def _as_text(self, value: pl.Expr, column: PlanColumn, dtype: Any) -> pl.Expr:
        kind, show = column.kind, column.show
        if kind is Kind.BOOLEAN:
            return pl.when(value).then(pl.lit(show.yes or "true")).when(~value).then(pl.lit(show.no or "false"))
        if kind is Kind.CHOICE:
            return choice_text(value, column)
        if kind in MACHINE_DATES and dtype is not None and dtype.is_temporal():
            return self.dated(value, column)
        value = value.cast(pl.String)
        if kind is Kind.FILE:
            return pl.format(tr("{size} bytes", size="{}"), value)
        return number_text(value, column) if kind.is_number else value

    def dated(self, value: pl.Expr, column: PlanColumn) -> pl.Expr:
        """
        Dates, moments or times as the column's pattern writes them, with names in its language; else as ISO 8601.
        """
        show, local = column.show, self.local(value, column.kind)
        pieces = date_pieces(show.date, show.language) if show.date else ()
        if column.kind is Kind.TIME:
            return local.dt.to_string(parse_date_pattern(show.date).strftime if show.date else MACHINE_DATES[Kind.TIME])
        form = written_form(pieces) if pieces else MACHINE_DATES[column.kind]
        text = local.map_batches(partial(dated_text, form=form), return_dtype=pl.String)
        names = names_by_mark(pieces)
        return text.str.replace_many(list(names), list(names.values())) if names else text

    def local(self, value: pl.Expr, kind: Kind) -> pl.Expr:
        """
        Moments on the template's wall clock.
        """
        return value.dt.convert_time_zone(self.zone) if kind is Kind.MOMENT else value


def _as_it_is(column: PlanColumn) -> bool:
    show = column.show
    shown = (show.grouping, show.decimals, show.prefix, show.suffix, show.pad, show.first, column.blank)
    return not any(shown) and (column.kind is Kind.INTEGER or column.kind is Kind.IDENTIFIER)


def choice_text(value: pl.Expr, column: PlanColumn) -> pl.Expr:
    """
    A choice by its label or code; an unknown code stands for itself.
    """
    text = value.cast(pl.String)
    choices = column.choices
    if column.show.choice == "code" or not choices:
        return text
    if len(choices) > CHAINED_CHOICES:
        return text.replace([c.code for c in choices], [c.label for c in choices])
    label = text
    for choice in choices:
        label = pl.when(text == choice.code).then(pl.lit(choice.label)).otherwise(label)
    return label


def number_text(value: pl.Expr, column: PlanColumn) -> pl.Expr:
    """
    Exact numbers in their text form, with the column's grouping and decimal mark. No binary float is involved.
    """
    show = column.show
    if show.decimals and column.kind is Kind.INTEGER and show.factor is None:
        # A mean of whole numbers has its own.
        whole = value + pl.lit("." + "0" * show.decimals)
        value = pl.when(value.str.contains(".", literal=True)).then(value).otherwise(whole)
    if show.grouping:
        whole = value.str.extract(r"^-?(\d+)")
        grouped = whole.str.reverse().str.replace_all(r"(\d{3})", "${1}" + _plain(show.grouping))
        grouped = grouped.str.strip_suffix(show.grouping).str.reverse()
        sign, rest = value.str.extract(r"^(-?)"), value.str.extract(r"^-?\d+(.*)$")
        # NaN and infinity have no digits to group.
        grouped = pl.concat_str(sign, grouped, rest.str.replace(".", show.decimal_mark or ".", literal=True))
        return pl.coalesce(grouped, value)
    if show.decimal_mark not in (None, "."):
        value = value.str.replace(".", show.decimal_mark, literal=True)
    return value


def padded(value: pl.Expr, column: PlanColumn) -> pl.Expr:
    """
    A text filled up to its width. A number filled up with zeros keeps its sign in front.
    """
    show = column.show
    assert show.pad is not None
    if show.pad_side == "right":
        return value.str.pad_end(show.pad, show.pad_with)
    filled = value.str.pad_start(show.pad, show.pad_with)
    if show.pad_with != "0" or not column.kind.is_number:
        return filled
    size = value.str.strip_prefix("-").str.pad_start(show.pad - 1, "0")
    return pl.when(value.str.starts_with("-")).then(pl.format("-{}", size)).otherwise(filled)


def _surrounded(value: pl.Expr, column: PlanColumn) -> pl.Expr:
    """
    A text between what stands before and after it. A number of money keeps its sign in front of both.
    """
    show = column.show
    if not (show.signs_money and column.kind.is_number):
        return pl.format("{}{}{}", pl.lit(show.prefix), value, pl.lit(show.suffix))
    sign = pl.when(value.str.starts_with("-")).then(pl.lit("-")).otherwise(pl.lit(""))
    return pl.format("{}{}{}{}", sign, pl.lit(show.prefix), value.str.strip_prefix("-"), pl.lit(show.suffix))


def _plain(mark: str) -> str:
    return mark.replace("$", "$$")
