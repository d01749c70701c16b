"""
A recipient's acceptance held against a plan: column by column before a run, value by value in it; and the plan of the
file in the form that they take.
"""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal, TypeAlias

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.giving import Mask, as_text, given_as, mask_by_formula, masked
from bouquet.core.language import tr, whole
from bouquet.core.matching import Header
from bouquet.core.personal import pseudonym
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping import TextShaper
from bouquet.core.shaping.far import FAR
from bouquet.core.template import Acceptance, Csv, LayoutColumn, whole_pattern
from bouquet.core.vocabulary.formats import FORMATS

__all__ = ["Fit", "Form", "Requirements", "form_for", "held_against", "layout_of", "misfits"]

State: TypeAlias = Literal["met", "missing", "wrong kind", "wrong place", "extra"]

#: Kinds of fields that are written as what a layout asks for.
_FITTING: dict[str, frozenset[Kind]] = {
    "whole number": frozenset({Kind.INTEGER}),
    "number": frozenset({Kind.INTEGER, Kind.DECIMAL}),
    "date": frozenset({Kind.DATE}),
    "moment": frozenset({Kind.MOMENT, Kind.TIMESTAMP}),
    "yes or no": frozenset({Kind.BOOLEAN}),
}

#: Values of one column that are told; all that object are counted.
_TOLD = 3


@dataclass(frozen=True)
class Fit:
    """
    How one column stands to a layout. `column` is its position in the plan, `place` that in the layout, both from 0.
    """

    heading: str
    state: State
    says: str
    column: int | None
    place: int | None

    @property
    def stops(self) -> bool:
        """
        Whether a file cannot be sent like this. A column in another place is put where it belongs, and one that nobody
        asked for is left out.
        """
        return self.state in ("missing", "wrong kind")


def held_against(acceptance: Acceptance, plan: Plan) -> list[Fit]:
    """
    Each column of the layout, in its order, then those of the plan that it does not know; nothing where they have no
    layout.
    """
    if not acceptance.columns:
        return []
    places = _places(acceptance, plan.columns)
    fits = []
    kept = [n for n in places if n is not None]
    for place, (wanted, n) in enumerate(zip(acceptance.columns, places, strict=True)):
        if n is None:
            fits.append(Fit(wanted.heading, "missing", tr("the template has no such column"), None, place))
            continue
        column = plan.columns[n]
        fitting = _FITTING.get(wanted.kind)
        whole = wanted.kind == "whole number" and column.kind is Kind.DECIMAL and column.show.decimals == 0
        if fitting is not None and column.kind not in fitting and not column.is_constant and not whole:
            says = tr(
                "they take {kind}, “{column}” is {kind2}",
                kind=_a(wanted.kind),
                column=column.heading,
                kind2=_a(_KINDS.get(column.kind, column.kind)),
            )
            fits.append(Fit(wanted.heading, "wrong kind", says, n, place))
        elif kept.index(n) != sorted(kept).index(n):
            fits.append(Fit(wanted.heading, "wrong place", tr("it is put where they want it"), n, place))
        else:
            says = "" if column.heading == wanted.heading else tr("from “{column}”", column=column.heading)
            fits.append(Fit(wanted.heading, "met", says, n, place))
    left = tr("it is left out of their file") if acceptance.exact else tr("it stands after theirs")
    fits += [Fit(c.heading, "extra", left, n, None) for n, c in enumerate(plan.columns) if n not in kept]
    return fits


#: Kinds as a layout calls them.
_KINDS = {
    Kind.INTEGER: "whole number",
    Kind.DECIMAL: "number",
    Kind.BOOLEAN: "yes or no",
    Kind.TIMESTAMP: "moment",
    Kind.CHOICE: "text",
    Kind.IDENTIFIER: "text",
    Kind.OTHER: "text",
}


def _a(kind: str) -> str:
    return kind if kind in ("text", "yes or no") else f"a {kind}"


def misfits(acceptance: Acceptance, plan: Plan) -> list[str]:
    """
    Why a file of this plan cannot be sent to them, as sentences: columns, and personal data.
    """
    found = [f"“{fit.heading}”: {fit.says}" for fit in held_against(acceptance, plan) if fit.stops]
    refused = _refused_personal(acceptance, plan)
    if refused:
        found.append(tr("they may not receive personal data, as in {refused}", refused=", ".join(refused[:3])))
    for cell, what in ((plan.split, "parts"), (plan.across, "columns")):
        if cell is not None and given_as(acceptance, cell) != "seen":
            found.append(tr("its {what} are named by personal data that they may not receive as it is", what=what))
    return found


def _refused_personal(acceptance: Acceptance, plan: Plan) -> list[str]:
    """
    Headings of the columns with personal data that they may not receive in any form, of those that their file would
    have.
    """
    places = list(range(len(plan.columns)))
    if acceptance.columns and acceptance.exact:
        places = [n for n in _places(acceptance, plan.columns) if n is not None]
    return [plan.columns[n].heading for n in places if given_as(acceptance, plan.columns[n].cell) == "refused"]


def _folded(heading: str) -> str:
    return re.sub(r"[\W_]+", "", heading.casefold())


def _places(acceptance: Acceptance, columns: Sequence[PlanColumn]) -> list[int | None]:
    """
    The position of each column of the layout in the plan: by its heading, else by its letters and digits alone.
    """
    exact: dict[str, int] = {}
    folded: dict[str, int] = {}
    for n, column in enumerate(columns):
        exact.setdefault(column.heading, n)
        folded.setdefault(_folded(column.heading), n)
    taken: set[int] = set()
    found: list[int | None] = [None] * len(acceptance.columns)
    for by_letters in (False, True):
        for place, wanted in enumerate(acceptance.columns):
            at = folded.get(_folded(wanted.heading)) if by_letters else exact.get(wanted.heading)
            if found[place] is None and at is not None and at not in taken:
                found[place] = at
                taken.add(at)
    return found


@dataclass(frozen=True)
class Form:
    """
    The file that a recipient takes: its plan, and where each of its columns stands in the plan that is read.
    """

    plan: Plan
    columns: tuple[int, ...]
    #: By its place in their file, what stands for each value of a column that they do not get as it is.
    masks: Mapping[int, Mask] = field(default_factory=dict)

    def frame(self, frame: pl.DataFrame) -> pl.DataFrame:
        """
        A batch as the plan that is read gives it, as their plan wants it. What is no column of the sheet stays.
        """
        # The addresses of links, and far dates, stand beside their column under its number.
        moved = [
            pl.col(f"{what}{n}").alias(f"{what}{at}")
            for at, n in enumerate(self.columns)
            for what in (("c", "l", FAR) if at not in self.masks else ("c",))
            if f"{what}{n}" in frame.columns
        ]
        own = frame.select(*moved, *(pl.col(c) for c in frame.columns if not _OF_SHEET.match(c)))
        instead = [masked(own[f"c{at}"], mask) for at, mask in self.masks.items() if f"c{at}" in own.columns]
        return own.with_columns(instead) if instead else own


#: What columns of the sheet, and those of a row's key, are called in a batch.
_OF_SHEET, _OF_KEY = re.compile(rf"^(c|l|{FAR})[0-9]+$"), re.compile(r"^k[0-9]+$")

#: Blank cells that are listed for whoever fills them; all are counted.
MOST_MISSING = 10_000


def form_for(acceptance: Acceptance, plan: Plan, recipient: str, secret: bytes = b"") -> Form:
    """
    The plan of a recipient's file: their columns, headings, format and name over the rows of `plan`, personal data as
    they may receive it. Columns of the layout that the plan does not have are passed over; `misfits` says them.

    Args:
        secret: What their pseudonyms are made with.
    """
    places = _places(acceptance, plan.columns)
    headings = {n: c.heading for c, n in zip(acceptance.columns, places, strict=True) if n is not None}
    order = [n for n in places if n is not None]
    if not acceptance.columns:
        order = list(range(len(plan.columns)))
    elif not acceptance.exact:
        order += [n for n in range(len(plan.columns)) if n not in order]
    given = {n: given_as(acceptance, plan.columns[n].cell) for n in order}
    order = [n for n in order if given[n] != "hidden"]
    masks: dict[int, Mask] = {}
    columns = []
    for at, n in enumerate(order):
        column = dataclasses.replace(plan.columns[n], heading=headings.get(n, plan.columns[n].heading))
        if given[n] == "masked":
            masks[at] = mask_by_formula(column, plan)
        elif given[n] == "pseudonym":
            masks[at] = lambda value: pseudonym(secret, str(value))
        columns.append(as_text(column, plan) if at in masks else column)
    # Groups are told apart by what stands in their columns; those of masked ones would fall together.
    kept = {n for at, n in enumerate(order) if at not in masks}
    groups = tuple(order.index(n) for n in plan.groups) if set(plan.groups) <= kept else ()
    output = plan.output.model_copy(
        update={
            "format": acceptance.format or plan.output.format,
            "csv": acceptance.csv or plan.output.csv,
            "name": acceptance.name or plan.output.name,
            "dictionary": (),
            "companions": (),
            "children": (),
            "attachments": None,
            "archive": False,
        }
    )
    own = dataclasses.replace(
        plan,
        columns=tuple(columns),
        groups=groups,
        output=output,
        context=dataclasses.replace(plan.context, recipient=recipient),
        row_checks=(),
        file_checks=(),
        children=(),
        attached=None,
    )
    return Form(own, tuple(order), masks)


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
                tr(
                    "they take at most {most} rows, and these are {rows}",
                    most=whole(most),
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
                tr("not {kind}", kind=_a(wanted.kind)),
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
                tr(
                    "“{wanted}” is blank {blank} times, and they require it",
                    wanted=wanted.heading,
                    blank=whole(self.blank),
                )
            )
        filled = 100 * (rows - self.blank) / rows if rows else 100.0
        if wanted.full is not None and filled < wanted.full:
            found.append(
                tr(
                    "“{wanted}” is {filled} % full, and they require {full} %",
                    wanted=wanted.heading,
                    filled=f"{filled:.0f}",
                    full=wanted.full,
                )
            )
        for what, times in self.failing.items():
            examples = ", ".join(f"“{t}”" for t in self.told[what])
            found.append(
                tr(
                    "“{wanted}” is {what} {times} times, such as {examples}",
                    wanted=wanted.heading,
                    what=what,
                    times=whole(times),
                    examples=examples,
                )
            )
        if wanted.unique and self.seen:
            hashes = pl.concat(self.seen)
            repeated = hashes.len() - hashes.n_unique()
            if repeated:
                found.append(
                    tr(
                        "“{wanted}” has values that repeat, {repeated} times, and each is to be its own",
                        wanted=wanted.heading,
                        repeated=whole(repeated),
                    )
                )
        return found


_SAMPLE_KINDS: tuple[tuple[Literal["whole number", "number", "date", "yes or no"], re.Pattern[str]], ...] = (
    ("whole number", re.compile(r"^(0|-?[1-9][0-9]{0,17})$")),
    ("number", re.compile(r"^-?(0|[1-9][0-9]*)([.,][0-9]+)?$")),
    ("date", re.compile(r"^([0-9]{4}-[0-9]{2}-[0-9]{2}|[0-9]{1,2}[./][0-9]{1,2}[./][0-9]{2,4})$")),
    ("yes or no", re.compile(r"^(yes|no|true|false|y|n)$", re.IGNORECASE)),
)


def layout_of(header: Header) -> Acceptance:
    """
    A layout from a header row and the sample rows below it. Kinds are what every sample shows; numbers with leading
    zeros are texts. What the samples do not show is not asked for.
    """
    columns = []
    for n, name in enumerate(header.names):
        samples = [row[n] for row in header.samples if n < len(row) and row[n]]
        kind = next((k for k, form in _SAMPLE_KINDS if samples and all(form.match(s) for s in samples)), None)
        if kind == "date" and not all(_is_day(s) for s in samples):
            kind = None
        example = samples[0][:200] if samples else ""
        columns.append(LayoutColumn(heading=name, kind=kind or ("text" if samples else "any"), example=example))
    csv = Csv(separator=header.separator) if header.separator and header.separator != "," else None
    return Acceptance(columns=tuple(columns), csv=csv, format="csv" if header.separator else None)


def _is_day(text: str) -> bool:
    for form in ("%Y-%m-%d", "%d/%m/%Y", "%d.%m.%Y", "%m/%d/%Y", "%d/%m/%y", "%d.%m.%y"):
        try:
            datetime.strptime(text, form)
        except ValueError:
            continue
        return True
    return False
