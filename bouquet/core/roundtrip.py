"""
A file that a run made and a person edited, given back: what was changed, and what of it could be taken over.

Three sides are laid over each other by key: the file as it was made, as it was given back, and the records as they are
now. Nothing is written to a source; what comes of it is a list of changes for whoever owns it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, TypeAlias
from zoneinfo import ZoneInfo

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.language import tr
from bouquet.core.patterns import read_dated
from bouquet.core.plan import Plan, PlanColumn, Read
from bouquet.core.values import Value, read_value

__all__ = [
    "CHANGE_HEADINGS",
    "Change",
    "Editable",
    "GivenBack",
    "check_given_back",
    "editable_columns",
    "read_shown",
    "same_value",
    "why_unreadable",
]

State: TypeAlias = Literal["change", "conflict", "impossible", "unknown"]

#: Changes of each state that are listed; all are counted and written.
LISTED = 300

#: Texts are compared with each other; in which zone their moments are taken does not matter.
UTC_ZONE = ZoneInfo("UTC")

CHANGE_HEADINGS = ("State", "Record", "Column", "Field", "As it was", "As given back", "As it is now", "Why")


@dataclass(frozen=True)
class Editable:
    """
    A column whose cells may be given back changed, or the reason why not.
    """

    heading: str
    field: str
    reason: str = ""
    column: PlanColumn | None = None

    @property
    def allowed(self) -> bool:
        return not self.reason


@dataclass(frozen=True)
class Change:
    """
    One cell, or with no `column` one row, that differs from what was made.

    `change` could be taken over; `conflict` was changed at the source since, to something else; `impossible` cannot be
    taken over, for the reason given; `unknown` has a key that no record has.
    """

    state: State
    key: tuple[str, ...]
    column: str
    field: str
    before: str | None
    given: str | None
    now: str | None
    reason: str = ""

    def as_row(self) -> list[str]:
        """
        The change below CHANGE_HEADINGS.
        """
        texts = (self.before, self.given, self.now)
        return [
            self.state,
            ", ".join(self.key),
            self.column,
            self.field,
            *("" if t is None else t for t in texts),
            self.reason,
        ]

    def as_json(self) -> dict[str, Any]:
        """
        The change as JSON values.
        """
        return {**self.__dict__, "key": list(self.key)}


@dataclass
class GivenBack:
    """
    Result for a file given back. `rows` were in it; `same` of these nothing differs; `left_out` rows of the run are
    not in it, which means nothing; `taken` cells hold already at the source what was given back.
    """

    rows: int = 0
    same: int = 0
    left_out: int = 0
    taken: int = 0
    counts: dict[State, int] = field(default_factory=dict)
    changes: list[Change] = field(default_factory=list)
    missing_columns: tuple[str, ...] = ()
    new_columns: tuple[str, ...] = ()

    def listed(self) -> list[Change]:
        """
        The first changes of each state.
        """
        found = []
        for state in ("conflict", "change", "impossible", "unknown"):
            found += [c for c in self.changes if c.state == state][:LISTED]
        return found


def editable_columns(plan: Plan, marked: Mapping[str, bool], key: Sequence[str]) -> list[Editable]:
    """
    Which columns may be given back changed: those marked so in the template, where they are a field of the very record
    that a row stands for, shown so that it can be read back.
    """
    own = tuple(r.name for r in plan.opened)
    found = []
    for column in plan.columns:
        cell = column.cell
        name = cell.route.path if isinstance(cell, Read) else ""
        reason = ""
        if column.heading in key:
            reason = tr("it is what the record is known by")
        elif plan.by:
            reason = tr("a row stands for many records")
        elif not isinstance(cell, Read):
            reason = tr("it is made of other values, not kept")
        elif cell.route.way != own:
            reason = tr("it belongs to another record")
        elif column.kind is Kind.FILE:
            reason = tr("it is a file")
        elif not marked.get(column.id, False):
            reason = tr("it is not marked as editable")
        elif column.show.factor is not None or column.show.first is not None:
            reason = tr("it is shown scaled or cut, so it cannot be read back")
        found.append(Editable(column.heading, name, reason, column))
    return found


def check_given_back(
    made: pl.DataFrame,
    given: pl.DataFrame,
    now: pl.DataFrame,
    key: Sequence[str],
    columns: Sequence[Editable],
) -> GivenBack:
    """
    Lay the three sides over each other. Frames hold texts by heading, null where blank.

    Raises ValueError where a key column is missing from what was given back.
    """
    missing = [k for k in key if k not in given.columns]
    if missing:
        msg = tr(
            "The column “{missing}”, by which records are told apart, is not in the file.",
            missing=missing[0],
        )
        raise ValueError(msg)
    known = {c.heading: c for c in columns}
    compared = [c for c in given.columns if c in known and c not in key]
    result = GivenBack(
        rows=given.height,
        missing_columns=tuple(c.heading for c in columns if c.heading not in given.columns),
        new_columns=tuple(c for c in given.columns if c not in known),
    )
    was, is_now = _by_key(made, key), _by_key(now, key)
    seen: set[tuple[str, ...]] = set()
    for row in given.iter_rows(named=True):
        found = list(_of_row(row, key, was, is_now, known, compared, seen, result))
        result.changes += found
        result.same += not found
    result.left_out = len(set(was) - seen)
    for change in result.changes:
        result.counts[change.state] = result.counts.get(change.state, 0) + 1
    return result


def _by_key(frame: pl.DataFrame, key: Sequence[str]) -> dict[tuple[str, ...], dict[str, str | None]]:
    return {_key_of(row, key): row for row in frame.iter_rows(named=True)}


def _key_of(row: Mapping[str, str | None], key: Sequence[str]) -> tuple[str, ...]:
    return tuple((row[k] or "").strip() for k in key)


def _of_row(
    row: Mapping[str, str | None],
    key: Sequence[str],
    was: Mapping[tuple[str, ...], Mapping[str, str | None]],
    is_now: Mapping[tuple[str, ...], Mapping[str, str | None]],
    known: Mapping[str, Editable],
    compared: Sequence[str],
    seen: set[tuple[str, ...]],
    result: GivenBack,
) -> Iterator[Change]:
    own = _key_of(row, key)
    if own in seen:
        yield Change("impossible", own, "", "", None, None, None, tr("the record stands in the file twice"))
        return
    seen.add(own)
    before, now = was.get(own), is_now.get(own)
    if before is None and now is None:
        yield Change("unknown", own, "", "", None, None, None, tr("no record has this key"))
        return
    if before is None:
        yield Change("unknown", own, "", "", None, None, None, tr("the record is there, but was not in the run"))
        return
    for heading in compared:
        column, given = known[heading], row[heading]
        if same_value(given, before.get(heading), column.column):
            continue
        there = now.get(heading) if now is not None else None
        facts = (own, heading, column.field, before.get(heading), given, there)
        if not column.allowed:
            yield Change("impossible", *facts, column.reason)
        elif now is None:
            yield Change("impossible", *facts, tr("the record is no longer there"))
        elif given and column.column is not None and (why := why_unreadable(column.column, given)):
            yield Change("impossible", *facts, why)
        elif same_value(there, given, column.column):
            result.taken += 1
        elif not same_value(there, before.get(heading), column.column):
            yield Change("conflict", *facts, tr("it was changed at the source since"))
        else:
            yield Change("change", *facts)


def same_value(one: str | None, other: str | None, column: PlanColumn | None) -> bool:
    """
    Whether two texts say the same: surrounding white space means nothing, nor do zeros at the end of a number, nor
    that a spreadsheet writes a date in its own way.
    """
    a, b = (one or "").strip(), (other or "").strip()
    if a == b:
        return True
    if column is None or not a or not b:
        return False
    if column.kind.is_number or column.kind.is_dated:
        try:
            return read_shown(a, column) == read_shown(b, column)
        except ValueError:
            return False
    return column.kind is Kind.BOOLEAN and a.casefold() == b.casefold()


def read_shown(text: str, column: PlanColumn) -> Value:
    """
    The value of a text that stands as a column shows it, or as programs write it.

    Raises ValueError with a sentence for a person.
    """
    kind, show = column.kind, column.show
    if kind is Kind.BOOLEAN:
        words = {(show.yes or "true").casefold(): True, "true": True, (show.no or "false").casefold(): False}
        words["false"] = False
        if text.casefold() not in words:
            msg = tr(
                "“{what}” is neither {yes} nor {no}",
                what=text,
                yes=show.yes or "true",
                no=show.no or "false",
            )
            raise ValueError(msg)
        return words[text.casefold()]
    if kind is Kind.CHOICE and column.choices:
        found = next((c for c in column.choices if text in (c.label, c.code)), None)
        if found is None:
            msg = tr("“{what}” is none of the choices of {label}", what=text, label=column.field.label)
            raise ValueError(msg)
        return found.code
    if kind.is_number:
        bare = text.removeprefix(show.prefix).removesuffix(show.suffix).strip()
        if show.grouping:
            bare = bare.replace(show.grouping, "")
        if show.decimal_mark not in (None, "."):
            bare = bare.replace(show.decimal_mark or "", ".")
        return read_value(bare, column.field, UTC_ZONE)
    if kind.is_dated and show.date:
        try:
            read = read_dated(text, show.date, show.language)
        except ValueError:
            return read_value(text, column.field, UTC_ZONE)
        return read.date() if kind is Kind.DATE else read
    return read_value(text, column.field, UTC_ZONE)


def why_unreadable(column: PlanColumn, text: str) -> str:
    """
    Why a text cannot be a column's value, for a person; empty where it can.
    """
    try:
        read_shown(text.strip(), column)
    except ValueError as error:
        return str(error).rstrip(".")
    return ""
