"""
Writes `docs/marrowby.md`: the record types and the oddities planted in them, counted.

Run as `python -m bouquet.demo.marrowby.document > docs/marrowby.md`.
"""

from __future__ import annotations

import tomllib
from importlib.resources import files

from bouquet.demo.marrowby.oddities import ODDITIES, Sizes

__all__ = ["document"]

_INTRO = """\
# Marrowby

The made-up application database of the parks and trees service of an invented town, as it might have grown over
fifteen years. Every name, person, address and record in it is invented. `bouquet demo` fills it from a fixed seed;
`--scale 25` makes over a million trees. All dates count back from the day before it was filled, so the counts below
hold on any day. This page is generated (`python -m bouquet.demo.marrowby.document`), and a test compares it.

## Record types

| table | record type | records at scale 1 |
|---|---|---:|
"""

_ODDITIES = """
## Planted oddities

Each is planted exactly so often at scale 1, and so many times more at a larger scale unless it says otherwise.
A test finds every one of them again with the condition beside it.

| oddity | records | found by `SELECT count(*) FROM …` |
|---|---:|---|
"""


def document() -> str:
    """
    The whole page.
    """
    overlay = tomllib.loads((files("bouquet.demo.marrowby") / "catalogue.toml").read_text(encoding="utf-8"))
    sizes = Sizes(1)
    rows = [
        f"| `{table}` | {curated['label']} | {getattr(sizes, table, 24):,} |"
        for table, curated in overlay["tables"].items()
    ]
    odd = [
        f"| {words} | {count:,} | `{condition.replace('|', chr(92) + '|')}` |"
        for count, words, condition in ODDITIES.values()
    ]
    return _INTRO + "\n".join(rows) + "\n" + _ODDITIES + "\n".join(odd) + "\n"


if __name__ == "__main__":
    print(document(), end="")
