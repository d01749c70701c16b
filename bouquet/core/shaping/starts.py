"""
Texts that begin oddly: the only ones that can be nothing but white space, or begin like a formula.

Looking at the first byte of each text in the batch's own memory costs a fiftieth of a pattern over all texts.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np
import polars as pl
import pyarrow as pa

__all__ = ["FORMULA_START", "companion_csv", "count_empty", "guarded", "guarded_frame", "guarded_rows", "odd_starts"]

#: What makes a spreadsheet take a text for a formula.
FORMULA_START = r"^[=+\-@\t\r]"

_NUMBER = re.compile(r"[+-]?[0-9][0-9 .,]*")

#: By first byte of UTF-8: white space of ASCII, what begins a formula, and the lead bytes of other white space.
_ODD = np.zeros(256, dtype=bool)
_ODD[[*range(0x09, 0x0E), *range(0x1C, 0x21), *b"=+-@", 0xC2, 0xE1, 0xE2, 0xE3]] = True


def guarded(text: str) -> str:
    """
    A text that no spreadsheet takes for a formula: one that begins like one gets an apostrophe in front.
    """
    return f"'{text}" if re.match(FORMULA_START, text) else text


def guarded_rows(rows: Iterable[Iterable[Any]]) -> Iterator[list[Any]]:
    """
    Rows of a table for people, whose texts may be anybody's: no spreadsheet takes one for a formula; numbers stay.
    """
    for row in rows:
        yield [guarded(cell) if isinstance(cell, str) and not _NUMBER.fullmatch(cell) else cell for cell in row]


def guarded_frame(frame: pl.DataFrame) -> pl.DataFrame:
    """
    The same of a frame of texts.
    """
    texts = pl.col(pl.String)
    number = texts.str.contains(f"^(?:{_NUMBER.pattern})$")
    return frame.with_columns(pl.when(number).then(texts).otherwise(texts.str.replace(FORMULA_START, "'$0")))


def companion_csv(rows: Iterable[Iterable[Any]], *, guard: bool) -> bytes:
    """
    A table that lies beside the data, as CSV (RFC 4180) in UTF-8. Its texts are guarded where those of the data are.
    """
    text = io.StringIO()
    csv.writer(text, lineterminator="\r\n").writerows(guarded_rows(rows) if guard else rows)
    return text.getvalue().encode()


def _bounds(values: pa.Array) -> np.ndarray:
    width = np.int64 if pa.types.is_large_string(values.type) else np.int32
    offsets = np.frombuffer(values.buffers()[1], dtype=width)
    return offsets[values.offset : values.offset + len(values) + 1]


def count_empty(values: pa.Array) -> int:
    """
    How many texts are empty without being null.
    """
    if len(values) == 0:
        return 0
    return int((np.diff(_bounds(values)) == 0).sum()) - int(values.null_count)


def odd_starts(values: pa.Array) -> pl.Series:
    """
    The few texts that begin with white space or like a formula; a few others may be among them.
    """
    data = values.buffers()[2] if len(values) else None
    if data is None or data.size == 0:
        return pl.Series([], dtype=pl.String)
    first = np.frombuffer(data, dtype=np.uint8)
    bounds = _bounds(values)
    filled = bounds[1:] > bounds[:-1]
    odd = np.flatnonzero(filled & _ODD[first[np.minimum(bounds[:-1], len(first) - 1)]])
    if len(odd) == 0:
        return pl.Series([], dtype=pl.String)
    return pl.Series(pl.from_arrow(values.take(pa.array(odd))), dtype=pl.String)
