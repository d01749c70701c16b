"""
What differs between two runs: rows added, gone and changed, cell by cell.

Both sides are read twice and never held: the first time leaves a digest of each row's key and of its cells, 24 bytes
a row; the second time fetches only the rows that differ. Keys are digested to 128 bits, so that two keys of ten
million fall together less than once in 10^24 comparisons.
"""

from __future__ import annotations

import csv
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol, TypeAlias

import numpy as np
import polars as pl

from bouquet.core.language import tr
from bouquet.core.shaping import guarded_frame, guarded_rows

__all__ = ["Comparison", "Difference", "RowSource", "compare_rows"]

#: Differences of each kind that are listed.
LISTED = 200

#: Changed rows that are laid side by side at a time, and rows of a side that wait in memory for it.
PAIRS, WAITING = 20_000, 60_000

_SEEDS = (11, 23, 47)

#: Spreads the numbers of rows with one key over all digests.
_ODD = np.uint64(0x9E3779B97F4A7C15)

Numbers: TypeAlias = np.ndarray[Any, np.dtype[np.uint64]]


class RowSource(Protocol):
    """
    Rows that can be read again and again.
    """

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pl.DataFrame]:
        """
        The rows as frames of texts, null where blank.
        """
        ...


@dataclass(frozen=True)
class Difference:
    """
    One row that differs. `change` is added, gone or changed; `before` and `after` are its cells, by heading, None on
    the side that it is missing from; `columns` are the headings of the cells that differ.
    """

    change: str
    before: dict[str, str | None] | None
    after: dict[str, str | None] | None
    columns: tuple[str, ...] = ()


@dataclass
class Comparison:
    """
    How two runs differ. Rows are matched on `key`; `repeated` counts rows on either side whose key came before: the
    n-th of one side is then matched with the n-th of the other.

    `new_columns` and `gone_columns` stand on one side only and are not compared. `by_column` counts changed cells.
    `listed` holds the first differences of each kind.
    """

    key: tuple[str, ...]
    columns: tuple[str, ...]
    new_columns: tuple[str, ...]
    gone_columns: tuple[str, ...]
    rows_before: int = 0
    rows_after: int = 0
    added: int = 0
    gone: int = 0
    changed: int = 0
    same: int = 0
    repeated: int = 0
    by_column: dict[str, int] = field(default_factory=dict)
    listed: list[Difference] = field(default_factory=list)

    def as_json(self) -> dict[str, Any]:
        """
        The comparison as JSON values.
        """
        facts = {k: v for k, v in self.__dict__.items() if k != "listed"}
        lists = {k: list(v) for k, v in facts.items() if isinstance(v, tuple)}
        listed = [
            {"change": d.change, "before": d.before, "after": d.after, "columns": list(d.columns)} for d in self.listed
        ]
        return {**facts, **lists, "listed": listed}


def compare_rows(
    before: RowSource,
    after: RowSource,
    headings_before: Sequence[str],
    headings_after: Sequence[str],
    key: Sequence[str],
    *,
    write_to: Path | None = None,
    beat: Callable[[], None] = lambda: None,
) -> Comparison:
    """
    Compare two sides. `key` are headings that both have; `write_to` is a CSV that takes every difference; `beat` is
    called now and then, and may raise to end it.

    Raises ValueError when a key column is missing from a side.
    """
    missing = [k for k in key if k not in headings_before or k not in headings_after]
    if missing or not key:
        msg = (
            tr("The column {missing} is not in both runs.", missing=missing[0])
            if missing
            else tr("Say by which column rows are matched.")
        )
        raise ValueError(msg)
    common = tuple(h for h in headings_after if h in set(headings_before))
    found = Comparison(
        key=tuple(key),
        columns=common,
        new_columns=tuple(h for h in headings_after if h not in set(headings_before)),
        gone_columns=tuple(h for h in headings_before if h not in set(headings_after)),
    )
    left, right = (_digest(side, common, found.key, beat) for side in (before, after))
    found.rows_before, found.rows_after = len(left.k1), len(right.k1)
    found.repeated = left.repeated + right.repeated
    marks = _match(left, right, found)
    del left, right
    _fetch(before, after, marks, found, write_to, beat)
    return found


def _digest(side: RowSource, columns: tuple[str, ...], key: tuple[str, ...], beat: Callable[[], None]) -> _Digests:
    """
    Read a side, and keep of each row only its digests.
    """
    parts = []
    for frame in side.batches(columns):
        beat()
        keys = frame.select(key)
        parts.append(
            pl.DataFrame(
                {
                    "k1": keys.hash_rows(seed=_SEEDS[0]),
                    "k2": keys.hash_rows(seed=_SEEDS[1]),
                    "r": frame.hash_rows(seed=_SEEDS[2]),
                }
            )
        )
    empty = pl.DataFrame(schema={"k1": pl.UInt64, "k2": pl.UInt64, "r": pl.UInt64})
    whole = pl.concat([empty, *parts])
    k1, k2, r = (whole[name].to_numpy() for name in ("k1", "k2", "r"))
    repeated = 0
    if whole["k1"].n_unique() < whole.height:
        # The n-th row of a key is told from the others by its number.
        number = whole.select(pl.int_range(pl.len(), dtype=pl.UInt64).over("k1", "k2").alias("n"))["n"].to_numpy()
        k1, repeated = k1 + number * _ODD, int((number > 0).sum())
    return _Digests(k1, k2, r, repeated)


@dataclass(frozen=True)
class _Digests:
    """
    Of each row of a side: its key's digest in two halves, the first told apart where a key repeats, and its cells'.
    """

    k1: Numbers
    k2: Numbers
    r: Numbers
    repeated: int


@dataclass(frozen=True)
class _Marks:
    """
    Of each side's rows, by position: -2 for the same, -1 for only here, or the number of the changed pair.
    """

    before: np.ndarray[Any, np.dtype[np.int32]]
    after: np.ndarray[Any, np.dtype[np.int32]]


def _match(left: _Digests, right: _Digests, found: Comparison) -> _Marks:
    before, after = np.full(len(left.k1), -1, np.int32), np.full(len(right.k1), -1, np.int32)
    if len(before) and len(after):
        order = np.argsort(left.k1)
        at = np.minimum(np.searchsorted(left.k1, right.k1, sorter=order), len(order) - 1)
        at = order[at]
        paired = (left.k1[at] == right.k1) & (left.k2[at] == right.k2)
        differs = paired & (left.r[at] != right.r)
        found.changed = int(differs.sum())
        numbers = np.arange(found.changed, dtype=np.int32)
        after[paired], after[differs] = -2, numbers
        before[at[paired]] = -2
        before[at[differs]] = numbers
        found.same = int(paired.sum()) - found.changed
    found.added, found.gone = int((after == -1).sum()), int((before == -1).sum())
    return _Marks(before, after)


def _fetch(
    before: RowSource,
    after: RowSource,
    marks: _Marks,
    found: Comparison,
    write_to: Path | None,
    beat: Callable[[], None],
) -> None:
    """
    Read the rows that differ, count their cells, list the first and write all.
    """
    counts = np.zeros(len(found.columns), np.int64)
    with ExitStack() as stack:
        folder = Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="bouquet-")))
        out = _Out(stack.enter_context(write_to.open("w", encoding="utf-8", newline="")), found) if write_to else None
        waiting = {name: _Waiting(folder / name) for name in ("before", "after")}
        sides = (("after", after, marks.after, "added"), ("before", before, marks.before, "gone"))
        for name, side, mark, change in sides:
            if not (mark > -2).any():
                continue
            at, listed = 0, 0
            for frame in side.batches(found.columns):
                beat()
                mine = mark[at : at + frame.height]
                at += frame.height
                alone = frame.filter(pl.Series(mine == -1))
                if out is not None:
                    out.alone(change, alone)
                for row in alone.head(LISTED - listed).iter_rows(named=True) if listed < LISTED else ():
                    listed += 1
                    pair = (None, row) if change == "added" else (row, None)
                    found.listed.append(Difference(change, *pair))
                differs = pl.Series(mine >= 0)
                if differs.any():
                    waiting[name].add(frame.filter(differs).with_columns(pl.Series("#", mine[mine >= 0])))
        for start in range(0, found.changed, PAIRS):
            beat()
            was = waiting["before"].take(start // PAIRS)
            now = waiting["after"].take(start // PAIRS)
            uneven = [was[c].ne_missing(now[c]) for c in found.columns]
            counts += np.array([int(u.sum()) for u in uneven], np.int64)
            differing = pl.DataFrame(dict(zip(found.columns, uneven, strict=True)))
            if out is not None:
                out.changed(was, now, differing)
            if start == 0:
                found.listed += _listed(was.head(LISTED), now.head(LISTED), differing.head(LISTED))
    found.by_column = {c: int(n) for c, n in zip(found.columns, counts, strict=True) if n}
    order = {"added": 0, "changed": 1, "gone": 2}
    found.listed.sort(key=lambda d: order[d.change])


def _listed(was: pl.DataFrame, now: pl.DataFrame, differing: pl.DataFrame) -> Iterator[Difference]:
    for a, b, d in zip(
        was.iter_rows(named=True), now.iter_rows(named=True), differing.iter_rows(named=True), strict=True
    ):
        yield Difference("changed", a, b, tuple(c for c, uneven in d.items() if uneven))


class _Waiting:
    """
    Changed rows of one side on their way to their pairs: those with numbers from n·PAIRS on are taken together. Beyond
    what waits in memory they go to disk.
    """

    def __init__(self, folder: Path) -> None:
        self.folder, self.held, self.rows, self.parts = folder, list[pl.DataFrame](), 0, 0

    def add(self, frame: pl.DataFrame) -> None:
        # Texts of a filtered frame are views of the whole batch's; a copy lets go of what is not needed.
        compact = frame.to_arrow(compat_level=pl.CompatLevel.oldest())
        self.held.append(pl.from_arrow(compact))  # type: ignore[arg-type]
        self.rows += frame.height
        if self.rows > WAITING:
            self._put_away()

    def _put_away(self) -> None:
        self.folder.mkdir(exist_ok=True)
        whole = pl.concat(self.held).with_columns((pl.col("#") // PAIRS).alias("##"))
        for (number,), part in whole.partition_by("##", as_dict=True, include_key=False).items():
            part.write_ipc(self.folder / f"{number}-{self.parts}.arrow", compression="lz4")
        self.parts += 1
        self.held, self.rows = [], 0

    def take(self, number: int) -> pl.DataFrame:
        """
        The rows of one stretch of numbers, in their order.
        """
        if self.parts and self.rows:
            self._put_away()
        if not self.parts:
            frames = [f.filter(pl.col("#") // PAIRS == number) for f in self.held]
        else:
            frames = [pl.read_ipc(p) for p in sorted(self.folder.glob(f"{number}-*.arrow"))]
        return pl.concat(frames).sort("#").drop("#")


class _Out:
    """
    The differences as a CSV: a line for each row added or gone, two for each row changed, before and after. It is for
    people: no text is taken for a formula.
    """

    def __init__(self, file: Any, found: Comparison) -> None:
        self.file = file
        heads = guarded_rows([["Change", "Changed columns", *found.columns]])
        csv.writer(file, lineterminator="\r\n").writerows(heads)

    def alone(self, change: str, rows: pl.DataFrame) -> None:
        """
        Rows that stand on one side only.
        """
        self._write(rows.select(pl.lit(change).alias(" change"), pl.lit("").alias(" which"), pl.all()))

    def changed(self, was: pl.DataFrame, now: pl.DataFrame, differing: pl.DataFrame) -> None:
        """
        Changed rows, each before and after.
        """
        names = [pl.when(pl.col(c)).then(pl.lit(c)) for c in differing.columns]
        which = differing.select(pl.concat_str(names, separator="; ", ignore_nulls=True).alias(" which"))[" which"]
        both = [
            side.select(pl.lit(said).alias(" change"), pl.lit(which).alias(" which"), pl.all()).with_row_index(" at")
            for said, side in (("before", was), ("after", now))
        ]
        self._write(pl.concat(both).sort(" at", maintain_order=True).drop(" at"))

    def _write(self, rows: pl.DataFrame) -> None:
        if rows.height:
            self.file.write(guarded_frame(rows).write_csv(include_header=False, line_terminator="\r\n"))
