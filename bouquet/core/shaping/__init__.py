"""
From typed values to values on paper.
"""

from bouquet.core.shaping.columns import TextShaper, to_frame
from bouquet.core.shaping.patterns import DatePattern, PatternError, parse_date_pattern
from bouquet.core.shaping.starts import FORMULA_START, count_empty, odd_starts

__all__ = [
    "FORMULA_START",
    "DatePattern",
    "PatternError",
    "TextShaper",
    "count_empty",
    "odd_starts",
    "parse_date_pattern",
    "to_frame",
]
