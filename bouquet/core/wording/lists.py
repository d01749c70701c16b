"""
Names in a row, as people say them.
"""

from __future__ import annotations

from collections.abc import Sequence

from bouquet.core import language
from bouquet.core.language import tr

__all__ = ["listed"]


def listed(names: Sequence[str], at_most: int = 4) -> str:
    """
    `a`, `a and b`, `a, b and c`; of more than `at_most` the first ones, and how many others.
    """
    if len(names) > at_most:
        return tr("{names} and {n} more", names=", ".join(names[: at_most - 1]), n=len(names) - at_most + 1)
    return language.listed(names)
