"""
Names that stand in paths.
"""

from __future__ import annotations

import re
from collections.abc import Collection

__all__ = ["free_name", "name_of_label", "path_name"]


def path_name(name: str) -> str:
    """
    A name as it can stand in a path: without dots, spaces and signs.
    """
    plain = re.sub(r"\W+", "_", name).strip("_") if re.search(r"\W", name) else name
    return plain or "unnamed"


def name_of_label(label: str, otherwise: str) -> str:
    """
    A name for paths, made from a label.
    """
    return "_".join("".join(c if c.isalnum() else " " for c in label.lower()).split()) or otherwise


def free_name(name: str, taken: Collection[str]) -> str:
    """
    The name, or the first of `name_2`, `name_3`… that is not taken.
    """
    found, n = name, 2
    while found in taken:
        found, n = f"{name}_{n}", n + 1
    return found
