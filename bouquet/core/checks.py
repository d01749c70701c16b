"""
What checks found in a run: counted in full, listed up to a cap.
"""

from __future__ import annotations

import statistics
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

import polars as pl

from bouquet.core.language import Texts, tr, trn, whole
from bouquet.core.plan import FileCheck, Plan
from bouquet.core.shaping import TextShaper
from bouquet.core.slip import Totals
from bouquet.core.sql import OBJECTS, PAGE, TITLE, TOUCHED
from bouquet.core.vocabulary.checks import SEVERITIES, Severity

__all__ = ["FINDING_HEADINGS", "MOST_LISTED", "Finding", "Findings", "worst"]

#: Findings of one check that are listed; all are counted.
MOST_LISTED = 200

#: Places, and people, that findings are counted by and named, those with most first.
MOST_NAMED = 50

#: Different places, and people, that are counted; a column that is different in every row is no place.
MOST_COUNTED = 5_000

#: What stands for a place, or a person, that is blank.
BLANK = "(blank)"

#: Characters of a value that a finding shows.
VALUE_SHOWN = 200

FINDING_HEADINGS = Texts(
    {
        "found": "What was found",
        "times": "How often",
        "severity": "Severity",
        "record": "Record",
        "column": "Column",
        "value": "Value",
        "touched_by": "Last touched by",
        "page": "Page",
    }
)

_RANK = {name: rank for rank, name in enumerate(SEVERITIES)}


def worst(severities: list[Severity]) -> Severity | None:
    """
    The gravest of some severities; None of none.
    """
    return max(severities, key=_RANK.__getitem__, default=None)


@dataclass(frozen=True)
class Finding:
    """
    One row that a check objected to. `check` is the check's position among the plan's checks of rows; `title` is what
    the record is known by.
    """

    check: int
    key: tuple[str, ...]
    title: str | None
    value: str | None
    touched_by: str | None
    page: str | None


@dataclass
class Findings:
    """
    Collects what the checks of a plan object to while its rows go by.
    """

    plan: Plan
    listed: list[Finding] = field(default_factory=list)
    counts: list[int] = field(init=False)
    #: For each check, how many of its findings are of records that somebody touched last, and stand at a place.
    people: list[Counter[str]] = field(init=False)
    places: list[Counter[str]] = field(init=False)
    #: Checks of the file that object, by their position, with what they saw.
    whole: dict[int, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.counts = [0] * len(self.plan.row_checks)
        self.people = [Counter() for _ in self.plan.row_checks]
        self.places = [Counter() for _ in self.plan.row_checks]
        by = self.plan.output.findings_by
        self._by = next((n for n, c in self.plan.data_columns if c.id == by), None)
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)

    def add(self, frame: pl.DataFrame) -> None:
        """
        Take in one batch of rows with their `q` columns.
        """
        for n, check in enumerate(self.plan.row_checks):
            objects = frame[f"{OBJECTS}{n}"].cast(pl.Boolean)
            found = int(objects.sum() or 0)
            room = MOST_LISTED - min(self.counts[n], MOST_LISTED)
            self.counts[n] += found
            if found:
                self._count_by(n, frame.filter(objects))
            if found and room:
                self._list(n, check.column, frame.filter(objects).head(room))

    def _count_by(self, n: int, rows: pl.DataFrame) -> None:
        if TOUCHED in rows.columns:
            _count_names(self.people[n], rows[TOUCHED])
        if self._by is not None:
            _count_names(self.places[n], self._shaper.shape(rows)[f"c{self._by}"])

    def _list(self, n: int, column: int | None, rows: pl.DataFrame) -> None:
        shown = self._shaper.shape(rows)
        values = shown[f"c{column}"].to_list() if column is not None else [None] * rows.height
        keys = rows.select([f"k{i}" for i in range(len(self.plan.row_key))] if not self.plan.by else []).rows()
        if self.plan.by:
            by = [f"c{i}" for i, c in self.plan.data_columns if any(c.cell == b.cell for b in self.plan.by)]
            keys = shown.select(by).rows() if by else [()] * rows.height
        extra = [
            rows[name].to_list() if name in rows.columns else [None] * rows.height for name in (TITLE, TOUCHED, PAGE)
        ]
        for key, value, title, touched, page in zip(keys or [()] * rows.height, values, *extra, strict=True):
            said = None if value is None else str(value)[:VALUE_SHOWN]
            self.listed.append(Finding(n, tuple("" if k is None else str(k) for k in key), title, said, touched, page))

    def state(self) -> dict[str, Any]:
        """
        Everything found in rows, as JSON, to be joined with that of other rows of the plan.
        """
        listed = [[f.check, list(f.key), f.title, f.value, f.touched_by, f.page] for f in self.listed]
        names = {what: [dict(known) for known in each] for what, each in self._ways()}
        return {"listed": listed, "counts": self.counts, **names}

    def join(self, told: Mapping[str, Any]) -> None:
        """
        Add what `state` told of rows that come after these.
        """
        room = [MOST_LISTED - min(count, MOST_LISTED) for count in self.counts]
        for check, key, *facts in told["listed"]:
            if room[check]:
                room[check] -= 1
                self.listed.append(Finding(check, tuple(key), *facts))
        self.counts = [a + b for a, b in zip(self.counts, told["counts"], strict=True)]
        for what, each in self._ways():
            for known, more in zip(each, told[what], strict=True):
                _count(known, more.items())

    def finish(self, totals: Totals) -> None:
        """
        Judge the file as a whole, when all its rows have gone by.
        """
        for n, check in enumerate(self.plan.file_checks):
            objection = _objection(check, self.plan, totals)
            if objection:
                self.whole[n] = objection

    @property
    def verdict(self) -> Severity | None:
        """
        The gravest severity of the checks that object; None when none does.
        """
        rows = [c.severity for c, count in zip(self.plan.row_checks, self.counts, strict=True) if count]
        return worst(rows + [self.plan.file_checks[n].severity for n in self.whole])

    @property
    def objections(self) -> int:
        """
        Rows objected to, counted once for each check, and checks of the file that object.
        """
        return sum(self.counts) + len(self.whole)

    def summary(self) -> list[dict[str, Any]]:
        """
        Every check as `{"place", "words", "severity", "objections"}`, those of the file with what they `saw`, those
        of rows with (name, findings) `by_place`, whose heading is `by`, and `by_person`, where these are known.
        """
        found: list[dict[str, Any]] = [
            {
                "place": c.place,
                "words": c.words,
                "severity": c.severity,
                "objections": self.counts[n],
                **({"by": self._place_heading()} if self.places[n] else {}),
                **{name: [list(e) for e in _most(by[n])] for name, by in self._ways() if by[n]},
            }
            for n, c in enumerate(self.plan.row_checks)
        ]
        for n, check in enumerate(self.plan.file_checks):
            entry = {"place": check.place, "words": check.words, "severity": check.severity}
            found.append({**entry, "objections": int(n in self.whole), "saw": self.whole.get(n, "")})
        return found

    def as_json(self) -> list[dict[str, Any]]:
        """
        The listed findings.
        """
        return [
            {
                "place": self.plan.row_checks[f.check].place,
                "words": self.plan.row_checks[f.check].words,
                "severity": self.plan.row_checks[f.check].severity,
                "key": list(f.key),
                "title": f.title,
                "column": self._heading(f.check),
                "value": f.value,
                "touched_by": f.touched_by,
                "page": f.page,
            }
            for f in self.listed
        ]

    def table(self, notes: Mapping[str, int]) -> list[list[str | int]]:
        """
        The findings as the rows of a sheet below FINDING_HEADINGS: what was found and how often, then row by row.
        """
        found: list[list[str | int]] = [[what, count, "note", "", "", "", "", ""] for what, count in notes.items()]
        for n, check in enumerate(self.plan.row_checks):
            if self.counts[n]:
                found.append([check.words, self.counts[n], check.severity, "", self._heading(n), "", "", ""])
                for at, count in _most(self.places[n]):
                    found.append(
                        [f"{check.words}: {self._place_heading()} {at or BLANK}", count, "", "", "", "", "", ""]
                    )
                for who, count in _most(self.people[n]):
                    said = tr("{check}: last touched by {who}", check=check.words, who=who or BLANK)
                    found.append([said, count, "", "", "", "", who, ""])
        for n, said in self.whole.items():
            whole = self.plan.file_checks[n]
            heading = self.plan.columns[whole.column].heading if whole.column is not None else ""
            found.append([whole.words, 1, whole.severity, "", heading, said, "", ""])
        for f in self.listed:
            check = self.plan.row_checks[f.check]
            known = (f.value or "", f.touched_by or "", f.page or "")
            found.append([check.words, "", check.severity, f.title or " ".join(f.key), self._heading(f.check), *known])
        return found or [[tr("Nothing."), 0, "", "", "", "", "", ""]]

    def _ways(self) -> tuple[tuple[str, list[Counter[str]]], ...]:
        return ("by_place", self.places), ("by_person", self.people)

    def _place_heading(self) -> str:
        return self.plan.columns[self._by].heading if self._by is not None else ""

    def _heading(self, check: int) -> str:
        column = self.plan.row_checks[check].column
        return self.plan.columns[column].heading if column is not None else ""


def _most(known: Counter[str]) -> list[tuple[str, int]]:
    """
    The names that are counted most; of those counted as often the first by their letters, in whatever order rows came.
    """
    return sorted(known.items(), key=lambda entry: (-entry[1], entry[0]))[:MOST_NAMED]


def _count_names(known: Counter[str], values: pl.Series) -> None:
    """
    Add how often each value stands there.
    """
    texts = values.cast(pl.String).fill_null("").alias("name")
    _count(known, texts.value_counts().sort("count", "name", descending=[True, False]).iter_rows())


def _count(known: Counter[str], names: Iterable[tuple[str, int]]) -> None:
    """
    Add counted names; a new one only while there are not too many.
    """
    for name, count in names:
        if name in known or len(known) < MOST_COUNTED:
            known[name] += count


def _objection(check: FileCheck, plan: Plan, totals: Totals) -> str:
    """
    What a check of the file saw, where it objects; empty where it does not.
    """
    part, rows = check.part, totals.rows
    column = totals.columns[check.column] if check.column is not None else None
    match part.file:
        case "not_empty":
            return "" if rows else tr("it has no rows")
        case "rows":
            return (
                ""
                if _within(Decimal(rows), part.least, part.greatest)
                else trn("it has {n} row", "it has {n} rows", rows)
            )
        case "usual":
            return _unusual(rows, plan.context.usual[-part.runs :], part.percent or Decimal(0))
        case "total":
            total = (column.total if column else None) or Decimal(0)
            return "" if _within(total, part.least, part.greatest) else tr("the total is {total}", total=f"{total:,f}")
        case "full":
            blanks = column.blanks if column else 0
            share = Decimal(100 * (rows - blanks)) / rows if rows else Decimal(100)
            return "" if share >= (part.percent or 0) else tr("{share} % are filled", share=f"{share:.1f}")
        case "headings":
            have = [c.heading for c in plan.columns]
            wanted = list(part.headings or ())
            if have == wanted:
                return ""
            at = next((n for n, (a, b) in enumerate(zip(have, wanted, strict=False)) if a != b), None)
            if at is None:
                return trn(
                    "there is {n} column, agreed were {wanted}",
                    "there are {n} columns, agreed were {wanted}",
                    len(have),
                    wanted=len(wanted),
                )
            return tr(
                "column {at} is headed “{have}”, agreed was “{wanted}”",
                at=at + 1,
                have=have[at],
                wanted=wanted[at],
            )
        case _:
            msg = tr("A check of a file that nothing judges: {file}", file=part.file)
            raise LookupError(msg)


def _within(value: Decimal, least: Decimal | None, greatest: Decimal | None) -> bool:
    return (least is None or value >= least) and (greatest is None or value <= greatest)


def _unusual(rows: int, earlier: tuple[int, ...], percent: Decimal) -> str:
    """
    Without an earlier run nothing is unusual.
    """
    if not earlier:
        return ""
    usual = Decimal(statistics.median(earlier))
    if abs(Decimal(rows) - usual) <= usual * percent / 100:
        return ""
    least, greatest = min(earlier), max(earlier)
    if len(earlier) == 1:
        return trn(
            "this run has {n} row; the last one had {least}",
            "this run has {n} rows; the last one had {least}",
            rows,
            least=whole(least),
        )
    span = (
        tr("between {least} and {greatest}", least=whole(least), greatest=whole(greatest))
        if least < greatest
        else tr("{least} each", least=whole(least))
    )
    return trn(
        "this run has {n} row; the last {earlier} had {span}",
        "this run has {n} rows; the last {earlier} had {span}",
        rows,
        earlier=len(earlier),
        span=span,
    )
