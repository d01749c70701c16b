"""
What formats of the XML and HTML family share: texts with their marks escaped, and letters that XML cannot hold told.
"""

from __future__ import annotations

import re
from collections import Counter
from html import escape

import numpy as np
import polars as pl

from bouquet.core.language import tr

__all__ = ["WEB_ADDRESS", "allowed_text", "escaped_column", "escaped_text", "spliced"]

#: Characters outside XML 1.0, section 2.2.
_FORBIDDEN = r"[\x00-\x08\x0b\x0c\x0e-\x1f\x{FFFE}\x{FFFF}]"
_FORBIDDEN_PYTHON = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")
#: What a link leads to: a page of the web, and no file, share or program of whoever opens the file.
WEB_ADDRESS = r"(?i)^https?://"

_MARKS = (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;"), ('"', "&quot;"))


def allowed_text(text: str) -> str:
    """
    A text, or a whole document, with U+FFFD for what XML cannot hold.
    """
    return _FORBIDDEN_PYTHON.sub("\ufffd", text)


def escaped_text(text: str) -> str:
    """
    A text as it stands in markup, also within an attribute.
    """
    return escape(allowed_text(text), quote=True)


def escaped_column(values: pl.Series, heading: str, notes: Counter[str]) -> pl.Series:
    """
    The texts of a column as they stand in markup. What XML cannot hold becomes U+FFFD, and is noted.
    """
    if values.str.contains(r"[&<>\x22]").any():
        for mark, entity in _MARKS:
            values = values.str.replace_all(mark, entity, literal=True)
    lost = values.str.contains(_FORBIDDEN).fill_null(False).sum()
    if lost:
        said = tr(
            "texts in “{heading}” held characters that the format does not have; they became “{mark}”",
            heading=heading,
            mark="\ufffd",
        )
        notes[said] += int(lost)
        values = values.str.replace_all(_FORBIDDEN, "\ufffd")
    return values


def spliced(pieces: list[pl.Series | str], end: str) -> bytes:
    """
    Whole columns laid side by side with what stands between them, each row followed by `end`. Nulls count as nothing.
    """
    parts = [pl.lit(p) if isinstance(p, str) else pl.lit(p.fill_null("")) for p in pieces]
    joined = pl.select(pl.concat_str([*parts, pl.lit(end)]).alias("row"))["row"]
    rows = joined.to_arrow().cast("large_string")
    # All texts of an Arrow array stand in one buffer, each after the one before.
    _, offsets, data = rows.buffers()
    if data is None:
        return b""
    first, last = np.frombuffer(offsets, np.int64)[[rows.offset, rows.offset + len(rows)]]
    return bytes(memoryview(data)[first:last])
