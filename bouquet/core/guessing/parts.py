"""
Which columns are parts of one thing (an address, a place, how somebody is reached), by their names.
"""

from __future__ import annotations

from bouquet.core.guessing.facts import Guess, TableFacts
from bouquet.core.guessing.words import ENGLISH, common_prefix, words_of

__all__ = ["guess_parts"]

#: What a thing's parts are called, longest names first, and those of which one at least has to be there.
_NAMES = [
    (tuple(name.split()), thing["label"], name in thing["telling"])
    for thing in ENGLISH["parts"]
    for name in (*thing["telling"], *thing["others"])
]
_NAMES.sort(key=lambda n: -len(n[0]))


def guess_parts(table: TableFacts) -> dict[str, Guess[str]]:
    """
    Columns that are parts of one thing, each with what it is a part of: `billing_street` and `billing_city` of
    "Billing address". A single column is a part of nothing.
    """
    prefix = common_prefix([c.name for c in table.columns])
    found: dict[str, list[tuple[str, bool]]] = {}
    for column in table.columns:
        if column.leads_to or column.kind.is_dated:
            continue
        words = words_of(column.name, prefix)
        # The second line of an address is one, too.
        while len(words) > 1 and (words[-1].isdecimal() or words[-1] == "line"):
            words = words[:-1]
        for name, label, telling in _NAMES:
            if words[-len(name) :] == name:
                owner = " ".join(words[: -len(name)])
                whole = f"{owner} {label.lower()}".capitalize() if owner else label
                found.setdefault(whole, []).append((column.name, telling))
                break
    return {
        name: Guess(whole, "by its name and those beside it")
        for whole, columns in found.items()
        if len(columns) > 1 and any(telling for _, telling in columns)
        for name, _ in columns
    }
