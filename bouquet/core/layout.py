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
from bouquet.core.language import CONSTANT, Texts, tr
from bouquet.core.matching import Header
from bouquet.core.personal import pseudonym
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping.far import FAR
from bouquet.core.template import Acceptance, Csv, LayoutColumn

__all__ = ["Fit", "Form", "form_for", "held_against", "layout_of", "misfits", "with_article"]

State: TypeAlias = Literal["met", "missing", "wrong kind", "wrong place", "extra"]

#: Kinds of fields that are written as what a layout asks for.
_FITTING: dict[str, frozenset[Kind]] = {
    "whole number": frozenset({Kind.INTEGER}),
    "number": frozenset({Kind.INTEGER, Kind.DECIMAL}),
    "date": frozenset({Kind.DATE}),
    "moment": frozenset({Kind.MOMENT, Kind.TIMESTAMP}),
    "yes or no": frozenset({Kind.BOOLEAN}),
}


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
                kind=with_article(wanted.kind),
                column=column.heading,
                kind2=with_article(_KINDS.get(column.kind, column.kind)),
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


CONSTANT.update(("parts", "columns"))

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


_ARTICLES = Texts(
    {
        "text": "text",
        "yes or no": "yes or no",
        "whole number": "a whole number",
        "number": "a number",
        "date": "a date",
        "moment": "a moment",
        "time": "a time",
        "file": "a file",
    }
)


def with_article(kind: str) -> str:
    """
    A kind of value as a sentence says it.
    """
    return str(_ARTICLES.get(kind, kind))


def misfits(acceptance: Acceptance, plan: Plan) -> list[str]:
    """
    Why a file of this plan cannot be sent to them, as sentences: columns, and personal data.
    """
    found = [f"“{fit.heading}”: {fit.says}" for fit in held_against(acceptance, plan) if fit.stops]
    refused = _refused_personal(acceptance, plan)
    if refused:
        found.append(tr("they may not receive personal data, as in {refused}", refused=", ".join(refused[:3])))
    for cell, what in ((plan.split, "parts"), (plan.across.by.cell if plan.across else None, "columns")):
        if cell is not None and given_as(acceptance, cell) != "seen":
            found.append(tr("its {what} are named by personal data that they may not receive as it is", what=tr(what)))
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
        # The addresses of links, pictures, and far dates, stand beside their column under its number.
        moved = [
            pl.col(f"{what}{n}").alias(f"{what}{at}")
            for at, n in enumerate(self.columns)
            for what in (("c", "l", "i", FAR) if at not in self.masks else ("c",))
            if f"{what}{n}" in frame.columns
        ]
        own = frame.select(*moved, *(pl.col(c) for c in frame.columns if not _OF_SHEET.match(c)))
        instead = [masked(own[f"c{at}"], mask) for at, mask in self.masks.items() if f"c{at}" in own.columns]
        return own.with_columns(instead) if instead else own


#: What columns of the sheet are called in a batch.
_OF_SHEET = re.compile(rf"^(c|l|i|{FAR})[0-9]+$")


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
