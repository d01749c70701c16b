"""
From typed values to values on paper.
"""

from bouquet.core.shaping.columns import TextShaper, to_frame
from bouquet.core.shaping.patterns import DatePattern, PatternError, parse_date_pattern

__all__ = ["DatePattern", "PatternError", "TextShaper", "parse_date_pattern", "to_frame"]
