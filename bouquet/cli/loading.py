"""
What a process loads at its start is no garbage. Not to look for any in it saves a fifth of the start.
"""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager

__all__ = ["loading"]


@contextmanager
def loading() -> Iterator[None]:
    """
    Collect no garbage while modules are imported, and look at none of what they hold later on.
    """
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()
