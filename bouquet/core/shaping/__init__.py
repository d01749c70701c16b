"""
Shaping: typed values → text and cells, whole columns at a time.
"""

from bouquet.core.shaping.columns import TextShaper, to_frame
from bouquet.core.shaping.lines import Line, ReaderLines, Totalled, shown_total, title_lines
from bouquet.core.shaping.patterns import DatePattern, PatternError, parse_date_pattern
from bouquet.core.shaping.starts import FORMULA_START, count_empty, odd_starts

__all__ = [
    "FORMULA_START",
    "DatePattern",
    "Line",
    "PatternError",
    "ReaderLines",
    "TextShaper",
    "Totalled",
    "count_empty",
    "odd_starts",
    "parse_date_pattern",
    "shown_total",
    "title_lines",
    "to_frame",
]
