"""
What a layout requires of values, held against the rows of a recipient's file while they go by.
"""

from __future__ import annotations

import dataclasses
import math
import re
from dataclasses import dataclass, field

import polars as pl

from bouquet.core.language import tr, trn, whole
from bouquet.core.layout import with_article
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping import TextShaper
from bouquet.core.template import Acceptance, LayoutColumn, whole_pattern
from bouquet.core.vocabulary.formats import FORMATS

__all__ = ["Requirements"]

#: What columns of a row's key are called in a batch.
_OF_KEY = re.compile(r"^k[0-9]+$")

#: Blank cells that are listed for whoever fills them; all are counted.
MOST_MISSING = 10_000

#: Values of one column that are told; all that object are counted.
_TOLD = 3


@dataclass
class Requirements:
    """
    What a layout requires of values, held against the rows of a recipient's file while they go by.
    """

    acceptance: Acceptance
    plan: Plan
    rows: int = 0
    #: (keys of the record, heading) of cells that are blank and are not to be, up to `MOST_MISSING`.
    missing: list[tuple[tuple[str, ...], str]] = field(default_factory=list)
    _checked: list[_Column] = field(init=False, default_factory=list)

    def __post_init__(self) -> None:
        wanted = {c.heading: c for c in self.acceptance.columns}
        self._checked = [
            _Column(n, known)
            for n, c in enumerate(self.plan.columns)
            if (known := wanted.get(c.heading)) and _asks(known)
        ]
        # What they receive is text; a spreadsheet's cells are held against the same texts.
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        # Bounds are of numbers, whatever their marks and units; where these stay numbers in a file, so is their kind.
        self._numbers = TextShaper([_bare(c) for c in self.plan.columns], self.plan.zone.key)
        self._typed = FORMATS[self.plan.output.format].typed

    def add(self, frame: pl.DataFrame) -> None:
        """
        Take in a batch as their plan has it.
        """
        self.rows += frame.height
        if self._checked and frame.height:
            texts, numbers = self._shaper.shape(frame), self._numbers.shape(frame)
            for column in self._checked:
                name = f"c{column.at}"
                blank = column.add(texts[name], numbers[name], typed=self._typed)
                if column.is_to_be_filled and len(self.missing) < MOST_MISSING:
                    self._note_missing(column.wanted.heading, frame.filter(blank))

    def _note_missing(self, heading: str, rows: pl.DataFrame) -> None:
        keys = [c for c in rows.columns if _OF_KEY.match(c)]
        left = MOST_MISSING - len(self.missing)
        for key in rows.head(left).select(pl.col(c).cast(pl.String) for c in keys).iter_rows():
            self.missing.append((tuple(k or "" for k in key), heading))

    def finish(self) -> list[str]:
        """
        What does not meet the layout, as sentences.
        """
        found = [said for column in self._checked for said in column.finish(self.rows)]
        most = self.acceptance.most_rows
        if most is not None and self.rows > most:
            found.insert(
                0,
                trn(
                    "they take at most {n} row, and these are {rows}",
                    "they take at most {n} rows, and these are {rows}",
                    most,
                    rows=whole(self.rows),
                ),
            )
        return found


def _bare(column: PlanColumn) -> PlanColumn:
    """
    A column whose numbers are written without marks, units and padding.
    """
    if not column.kind.is_number:
        return column
    bare = {"grouping": "", "decimal_mark": ".", "prefix": "", "suffix": "", "pad": None, "first": None}
    return dataclasses.replace(column, show=column.show.model_copy(update=bare))


def _asks(column: LayoutColumn) -> bool:
    return column.kind not in ("any", "text") or bool(
        column.required or column.unique or column.one_of or column.pattern or column.longest or column.full
        or column.least is not None or column.greatest is not None
    )  # fmt: skip


#: How values of a kind are written, where that can be told from the text alone.
_WRITTEN = {"whole number": r"^[+-]?[0-9]+$", "number": r"^[+-]?[0-9]+([.,][0-9]+)?$"}


class _Column:
    def __init__(self, at: int, wanted: LayoutColumn) -> None:
        self.at, self.wanted = at, wanted
        self.blank = 0
        self.failing: dict[str, int] = {}
        self.told: dict[str, list[str]] = {}
        self.seen: list[pl.Series] = []

    @property
    def is_to_be_filled(self) -> bool:
        return self.wanted.required or self.wanted.full is not None

    def add(self, texts: pl.Series, numbers: pl.Series, *, typed: bool) -> pl.Series:
        """
        Take in the column's texts, as shown and, of numbers, without marks and units; gives which of them are blank.
        `typed`: their files keep numbers as such.
        """
        wanted = self.wanted
        blank = texts.is_null() | (texts == "")
        self.blank += int(blank.sum())
        filled, bare = texts.filter(~blank), numbers.filter(~blank)
        if wanted.kind in _WRITTEN:
            self._note(
                tr("not {kind}", kind=with_article(wanted.kind)),
                filled,
                ~(bare if typed else filled).str.contains(_WRITTEN[wanted.kind]),
            )
        if wanted.one_of:
            self._note(tr("not one of theirs"), filled, ~filled.is_in(list(wanted.one_of)))
        if wanted.pattern:
            self._note(
                tr("not of the form that they take"), filled, ~filled.str.contains(whole_pattern(wanted.pattern))
            )
        if wanted.longest is not None:
            self._note(
                tr("longer than {longest} characters", longest=whole(wanted.longest)),
                filled,
                filled.str.len_chars() > wanted.longest,
            )
        if wanted.least is not None or wanted.greatest is not None:
            value = bare.str.to_decimal(scale=12)
            outside = value.is_null()
            if wanted.least is not None:
                outside |= (value < wanted.least).fill_null(True)
            if wanted.greatest is not None:
                outside |= (value > wanted.greatest).fill_null(True)
            self._note(tr(
"outside {least} to {greatest}",
least=wanted.least if wanted.least is not None else '…',
greatest=wanted.greatest if wanted.greatest is not None else '…',
), filled, outside)  # fmt: skip
        if wanted.unique:
            self.seen.append(filled.hash(seed=7))
        return blank

    def _note(self, what: str, texts: pl.Series, failing: pl.Series) -> None:
        objected = texts.filter(failing)
        if objected.len():
            self.failing[what] = self.failing.get(what, 0) + objected.len()
            told = self.told.setdefault(what, [])
            told += [t[:80] for t in objected.unique(maintain_order=True).head(_TOLD - len(told)).to_list()]

    def finish(self, rows: int) -> list[str]:
        wanted, found = self.wanted, []
        if wanted.required and self.blank:
            found.append(
                trn(
                    "“{wanted}” is blank once, and they require it",
                    "“{wanted}” is blank {n} times, and they require it",
                    self.blank,
                    wanted=wanted.heading,
                )
            )
        filled = 100 * (rows - self.blank) / rows if rows else 100.0
        if wanted.full is not None and filled < wanted.full:
            found.append(
                tr(
                    "“{wanted}” is {filled} % full, and they require {full} %",
                    wanted=wanted.heading,
                    # Rounded down: what is not full enough does not look as if it were.
                    filled=math.floor(filled),
                    full=wanted.full,
                )
            )
        for what, times in self.failing.items():
            examples = ", ".join(f"“{t}”" for t in self.told[what])
            found.append(
                trn(
                    "“{wanted}” is {what} once, {examples}",
                    "“{wanted}” is {what} {n} times, such as {examples}",
                    times,
                    wanted=wanted.heading,
                    what=what,
                    examples=examples,
                )
            )
        if wanted.unique and self.seen:
            hashes = pl.concat(self.seen)
            repeated = hashes.len() - hashes.n_unique()
            if repeated:
                found.append(
                    trn(
                        "“{wanted}” has a value that repeats, and each is to be its own",
                        "“{wanted}” has values that repeat, {n} times, and each is to be its own",
                        repeated,
                        wanted=wanted.heading,
                    )
                )
        return found
