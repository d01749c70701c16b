"""
Names in a row, as people say them.
"""

from __future__ import annotations

from collections.abc import Sequence

__all__ = ["listed"]


def listed(names: Sequence[str], at_most: int = 4) -> str:
    """
    `a`, `a and b`, `a, b and c`; of more than `at_most` the first ones, and how many others.
    """
    if len(names) > at_most:
        return f"{', '.join(names[: at_most - 1])} and {len(names) - at_most + 1} more"
    return f"{', '.join(names[:-1])} and {names[-1]}" if len(names) > 1 else "".join(names)
