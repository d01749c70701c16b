"""
Comparing: every planted difference is found, none that was not planted.
"""

from __future__ import annotations

import csv
import random
from collections.abc import Iterator, Sequence
from pathlib import Path

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core import compare
from bouquet.core.compare import Comparison, compare_rows

HEADINGS = ("id", "name", "amount")


class Rows:
    """Rows in memory, handed out in small frames."""

    def __init__(self, headings: Sequence[str], rows: Sequence[Sequence[str | None]], size: int = 7) -> None:
        self.frame = pl.DataFrame([list(r) for r in rows], schema=dict.fromkeys(headings, pl.String), orient="row")
        self.size = size

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pl.DataFrame]:
        for at in range(0, self.frame.height, self.size):
            yield self.frame[at : at + self.size].select(columns or self.frame.columns)


def compared(before: list[list[str | None]], after: list[list[str | None]], **more: object) -> Comparison:
    return compare_rows(Rows(HEADINGS, before), Rows(HEADINGS, after), HEADINGS, HEADINGS, ["id"], **more)  # type: ignore[arg-type]


def planted(count: int, seed: int) -> tuple[list[list[str | None]], list[list[str | None]], dict[str, set[str]]]:
    """Two sides in different orders, and which keys were added, gone and changed."""
    rng = random.Random(seed)
    before: list[list[str | None]] = [[f"T-{n}", rng.choice(["oak", None, "a,b\n"]), str(n)] for n in range(count)]
    after = [list(r) for r in before]
    gone = {f"T-{n}" for n in rng.sample(range(count), count // 10)}
    after = [r for r in after if r[0] not in gone]
    changed = {str(r[0]) for r in rng.sample(after, count // 8)}
    for row in after:
        if row[0] in changed:
            row[2] = f"{row[2]}.5"
    added: list[list[str | None]] = [[f"N-{n}", "new", "0"] for n in range(count // 9)]
    after += added
    rng.shuffle(after)
    return before, after, {"gone": gone, "changed": changed, "added": {str(r[0]) for r in added}}


def test_no_difference_is_run_by_a_spreadsheet(tmp_path: Path) -> None:
    """The table is for people: texts and headings that begin as formulas are guarded, numbers stay numbers."""
    heads, risky = ("id", "=name", "amount"), ["=1+1", "+cmd", "-2+3", "@SUM(A1)", "\tx"]
    before: list[list[str | None]] = [[f"T-{n}", text, "-5"] for n, text in enumerate(risky)]
    after: list[list[str | None]] = [[*row[:2], "-6.50"] for row in before] + [["=2+2", None, "+7"]]
    out = tmp_path / "out.csv"
    compare_rows(Rows(heads, before), Rows(heads, after), heads, heads, ["id"], write_to=out)
    with out.open(newline="", encoding="utf-8") as file:
        first, *rows = csv.reader(file)

    assert first == ["Change", "Changed columns", "id", "'=name", "amount"]
    assert rows[0] == ["added", "", "'=2+2", "", "+7"]
    assert [row[3:] for row in rows[1::2]] == [[f"'{text}", "-5"] for text in risky]
    assert [row[3:] for row in rows[2::2]] == [[f"'{text}", "-6.50"] for text in risky]


@pytest.mark.parametrize("pairs", [20_000, 5])
def test_planted_differences_are_found(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, pairs: int) -> None:
    """In memory, and with changed rows put away on disk; the CSV holds every one, changed rows before and after."""
    monkeypatch.setattr(compare, "PAIRS", pairs)
    monkeypatch.setattr(compare, "WAITING", 60_000 if pairs > 5 else 3)
    before, after, wanted = planted(400, 1)
    found = compared(before, after, write_to=tmp_path / "out.csv")

    assert (found.added, found.gone, found.changed) == tuple(len(wanted[k]) for k in ("added", "gone", "changed"))
    assert found.same == len(before) - found.gone - found.changed
    assert found.by_column == {"amount": found.changed}
    with (tmp_path / "out.csv").open(newline="", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    for change, key in (("added", "added"), ("gone", "gone"), ("changed", "before"), ("changed", "after")):
        assert {r["id"] for r in rows if r["Change"] == key} == wanted[change]
    known = {r[0]: r[2] for r in before}
    for a, b in zip(*([r for r in rows if r["Change"] == side] for side in ("before", "after")), strict=True):
        assert (a["id"], a["amount"]) == (b["id"], known[b["id"]])
        assert (b["amount"], b["Changed columns"]) == (f"{a['amount']}.5", "amount")


@given(st.lists(st.tuples(st.text(max_size=3), st.none() | st.text(max_size=2)), max_size=40), st.randoms())
def test_the_order_of_rows_does_not_matter(rows: list[tuple[str, str | None]], rng: random.Random) -> None:
    """Whatever the rows hold, the same rows in another order are the same, also where keys repeat alike."""
    unique = dict(rows)
    before: list[list[str | None]] = [[k, v, None] for k, v in unique.items()]
    after = list(before)
    rng.shuffle(after)
    found = compared(before, after)

    assert (found.added, found.gone, found.changed, found.same) == (0, 0, 0, len(unique))


def test_a_key_that_repeats_is_matched_in_order_and_said() -> None:
    """The second of one side with the second of the other; what is over is added or gone."""
    before: list[list[str | None]] = [["A", "1", "x"], ["A", "2", "y"], ["B", "3", "z"]]
    after: list[list[str | None]] = [["A", "1", "x"], ["B", "3", "z"], ["A", "2", "Y"], ["A", "9", "w"]]
    found = compared(before, after)

    assert (found.added, found.gone, found.changed, found.same) == (1, 0, 1, 2)
    assert found.repeated == 3
    assert [d.columns for d in found.listed if d.change == "changed"] == [("amount",)]


def test_a_blank_and_nothing_are_told_from_a_value() -> None:
    """A cell that was emptied counts as changed, and says so."""
    found = compared([["A", "oak", "1"]], [["A", None, "1"]])

    assert found.by_column == {"name": 1}
    assert found.listed[0].before == {"id": "A", "name": "oak", "amount": "1"}
    assert found.listed[0].after == {"id": "A", "name": None, "amount": "1"}


def test_other_columns_are_named_and_not_compared() -> None:
    """Across versions only what both have is laid side by side."""
    before = Rows(("id", "old"), [["A", "1"]])
    after = Rows(("new", "id"), [["2", "A"]])
    found = compare_rows(before, after, ("id", "old"), ("new", "id"), ["id"])

    assert (found.columns, found.new_columns, found.gone_columns) == (("id",), ("new",), ("old",))
    assert found.same == 1
    with pytest.raises(ValueError, match="old is not in both"):
        compare_rows(before, after, ("id", "old"), ("new", "id"), ["old"])


def test_nothing_on_a_side() -> None:
    """Everything is added, or gone."""
    rows: list[list[str | None]] = [["A", "1", None], ["B", None, None]]

    assert compared([], rows).added == 2
    assert compared(rows, []).gone == 2
    assert compared([], []).same == 0
