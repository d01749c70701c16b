"""
Shaping: typed values → text and cells, whole columns at a time.
"""

from bouquet.core.shaping.columns import TextShaper, to_frame
from bouquet.core.shaping.lines import Line, ReaderLines, Totalled, shown_total, title_lines
from bouquet.core.shaping.starts import (
    FORMULA_START,
    companion_csv,
    count_empty,
    guarded,
    guarded_frame,
    guarded_rows,
    odd_starts,
)

__all__ = [
    "FORMULA_START",
    "Line",
    "ReaderLines",
    "TextShaper",
    "Totalled",
    "companion_csv",
    "count_empty",
    "guarded",
    "guarded_frame",
    "guarded_rows",
    "odd_starts",
    "shown_total",
    "title_lines",
    "to_frame",
]
