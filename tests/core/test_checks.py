"""
Checks: what is refused at its place, how they read, and what the file as a whole must meet.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from decimal import Decimal
from typing import Any

import polars as pl
import pytest

from bouquet.core.checks import MOST_LISTED, Findings, worst
from bouquet.core.plan import Plan, Resolution, routes_of
from bouquet.core.slip import Totals

Resolve = Callable[..., Resolution]


def of(column: str, must: str, **more: Any) -> dict[str, Any]:
    return {"column": column, "must": must, **more}


@pytest.mark.parametrize(
    ("check", "place", "said"),
    [
        (of("c9", "filled"), "checks[0].column", "no column"),
        (of("c0", "whole"), "checks[0].must", "does not hold whole numbers"),
        (of("c1", "matches", pattern="*"), "checks[0].must", "does not hold a pattern"),
        (of("c1", "between"), "checks[0].least", "from what"),
        (of("c1", "between", least="tall"), "checks[0].least", "not a number"),
        (of("c0", "one_of"), "checks[0].values", "which values"),
        (of("c0", "length", least="many"), "checks[0].least", "how many characters"),
        (of("c0", "length", least="9" * 5_000), "checks[0].least", "how many characters"),
        (of("c0", "length", least="²"), "checks[0].least", "how many characters"),
        (of("c0", "not_future"), "checks[0].must", "does not hold dates"),
        (of("c0", "listed", listed_in="nobody.knows"), "checks[0].listed_in", "record type and its field"),
        ({"formula": "{girth} + 1"}, "checks[0].formula", "yes or no"),
        ({"formula": "{girth} >"}, "checks[0].formula", ""),
        ({"file": "rows"}, "checks[0].least", "from what"),
        ({"file": "usual"}, "checks[0].percent", "percent"),
        ({"file": "total", "column": "c0", "least": 1}, "checks[0].column", ""),
        ({"file": "headings"}, "checks[0].headings", "which headings"),
    ],
)
def test_what_cannot_be_checked_is_said_at_its_place(
    resolved: Resolve, check: dict[str, Any], place: str, said: str
) -> None:
    """A check that makes no sense for its column, or lacks a value, stops the run and not the look."""
    found = resolved("tag", "girth", checks=[check])
    places = {p.place: p.message for p in found.problems}

    assert found.plan is None
    assert found.partial is not None
    assert place in places
    assert said in places[place]


def test_checks_read_as_sentences(resolved: Resolve) -> None:
    """The words that stand in slips and on screens."""
    checks = [
        of("c0", "filled"),
        of("c1", "between", least=5, greatest=700),
        of("c1", "whole"),
        of("c2", "one_of", values=["S", "F"]),
        of("c0", "unique"),
        of("c0", "length", greatest=8),
        of("c3", "not_future"),
        {"formula": "{girth} > 0", "say": "Girth must be above nothing"},
        {"file": "rows", "least": 1000},
        {"file": "usual", "percent": 40},
        {"file": "full", "column": "c1", "percent": 90},
    ]
    plan = resolved("tag", "girth", "status", "planted_on", checks=checks).require()

    assert [c.words for c in plan.row_checks] == [
        "tag must be filled",
        "girth must be between 5 and 700",
        "girth must be a whole number",
        "status must be one of Standing, Felled",
        "tag must not occur twice",
        "tag must have at most 8 characters",
        "planted_on must not lie in the future",
        "Girth must be above nothing",
    ]
    assert [c.words for c in plan.file_checks] == [
        "The file must have at least 1,000 rows",
        "The number of rows must be within 40 % of usual",
        "girth must be at least 90 % full",
    ]


def test_one_of_something_is_told_as_one(resolved: Resolve) -> None:
    checks = [of("c0", "length", least=1), {"file": "rows", "greatest": 1}]
    plan = resolved("tag", checks=checks).require()

    assert plan.row_checks[0].words == "tag must have at least 1 character"
    assert plan.file_checks[0].words == "The file must have at most 1 row"
    assert judged(resolved("tag", checks=[{"file": "rows", "least": 2}]).require(), 1) == {"rows": "it has 1 row"}


def judged(plan: Plan, rows: int, **more: Any) -> dict[str, str]:
    totals = Totals(plan)
    totals.rows = rows
    for n, blanks in more.get("blanks", {}).items():
        totals.columns[n].blanks = blanks
    for n, total in more.get("totals", {}).items():
        totals.columns[n].total = Decimal(total)
    found = Findings(plan)
    found.finish(totals)
    return {plan.file_checks[n].part.file: saw for n, saw in found.whole.items()}


def test_the_file_as_a_whole(resolved: Resolve) -> None:
    """Each bound counts its own value as inside; headings name the first that differs."""
    checks = [
        {"file": "not_empty"},
        {"file": "rows", "least": 10, "greatest": 20},
        {"file": "total", "column": "c1", "least": 5, "greatest": "7.50"},
        {"file": "full", "column": "c1", "percent": 90},
        {"file": "headings", "headings": ["tag", "size"]},
    ]
    plan = resolved("tag", "girth", checks=checks).require()

    inside = judged(plan, 10, blanks={1: 1}, totals={1: "7.50"})
    assert inside == {"headings": "column 2 is headed “girth”, agreed was “size”"}
    assert judged(plan, 0)["not_empty"] == "it has no rows"
    assert judged(plan, 21)["rows"] == "it has 21 rows"
    assert judged(plan, 10, totals={1: "7.51"})["total"] == "the total is 7.51"
    assert judged(plan, 10, blanks={1: 2})["full"] == "80.0 % are filled"


@pytest.mark.parametrize(
    ("usual", "rows", "said"),
    [
        ((), 5, None),
        ((100,), 140, None),
        ((100,), 141, "this run has 141 rows; the last one had 100"),
        ((1, 100, 100, 100), 60, None),
        ((90, 100, 110), 59, "this run has 59 rows; the last 3 had between 90 and 110"),
        ((100, 100), 200, "this run has 200 rows; the last 2 had 100 each"),
    ],
)
def test_usual_is_the_median_of_the_last_runs(
    resolved: Resolve, usual: tuple[int, ...], rows: int, said: str | None
) -> None:
    """Without an earlier run nothing is unusual; the bound itself is still usual."""
    plan = resolved("tag", checks=[{"file": "usual", "percent": 40, "runs": 3}]).require()
    plan = replace(plan, context=replace(plan.context, usual=usual))

    assert judged(plan, rows).get("usual") == said


def test_findings_are_capped_in_number_and_never_in_count(resolved: Resolve) -> None:
    """The first are listed with key, value and page; all are counted; the gravest severity is the verdict."""
    plan = resolved("tag", checks=[of("c0", "filled", severity="hold")]).require()
    rows = MOST_LISTED + 50
    frame = pl.DataFrame(
        {"c0": ["x"] * rows, "q0": [True] * rows, "k0": [str(n) for n in range(rows)], "n0": ["T"] * rows}
    )
    found = Findings(plan)
    found.add(frame)
    found.add(frame)

    assert found.counts == [2 * rows]
    assert len(found.listed) == MOST_LISTED
    assert found.as_json()[0]["key"] == ["0"]
    assert (found.verdict, found.objections) == ("hold", 2 * rows)
    assert found.table({"odd letters": 3})[:2] == [
        ["odd letters", 3, "note", "", "", "", "", ""],
        ["tag must be filled", 2 * rows, "hold", "", "tag", "", "", ""],
    ]
    assert worst(["note", "stop", "hold"]) == "stop"


def test_a_check_is_of_its_column_whatever_that_is_called(resolved: Resolve) -> None:
    """A column's id may be the name of another field; the number of letters is still that of the column."""
    column = {"id": "note", "heading": "Tag", "value": {"field": "tag"}}
    plan = resolved(column, checks=[of("note", "length", least=3)]).require()
    (check,) = plan.row_checks

    assert [r.path for r in routes_of(check.objects)] == ["tag", "tag"]
