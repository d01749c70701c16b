"""
A file given back: every cell is laid beside the run and the records as they are now.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import polars as pl
import pytest

from bouquet.core.plan import PlanColumn, Resolution
from bouquet.core.roundtrip import Change, check_given_back, editable_columns, read_shown, same_value, why_unreadable

Resolve = Callable[..., Resolution]
HEADINGS = ("tag", "girth", "status", "ward.name")


def frame(*rows: tuple[Any, ...]) -> pl.DataFrame:
    return pl.DataFrame(list(rows), schema=dict.fromkeys(HEADINGS, pl.String), orient="row")


@pytest.fixture
def columns(resolved: Resolve) -> Any:
    plan = resolved(*HEADINGS).require()
    return editable_columns(plan, {"c1": True, "c2": True, "c3": True}, ["tag"])


def states(changes: list[Change]) -> list[tuple[str, str, str]]:
    return [(c.state, c.key[0], c.column) for c in changes]


def test_what_becomes_of_each_cell(columns: Any) -> None:
    """Changed, in conflict, already so, not editable, no such choice, no such record, twice."""
    made = frame(
        ("A", "10.00", "Standing", "North"),
        ("B", "20.00", "Standing", "North"),
        ("C", "30.00", "Standing", "North"),
        ("D", "40.00", "Standing", "North"),
        ("E", "50.00", "Standing", "North"),
        ("F", "60.00", "Standing", "North"),
    )
    now = frame(
        ("A", "10.00", "Standing", "North"),
        ("B", "21.00", "Standing", "North"),
        ("C", "33.00", "Standing", "North"),
        ("D", "40.00", "Standing", "North"),
        ("Z", "1.00", "Standing", "North"),
    )
    given = frame(
        ("A", "10", "Felled", "North"),
        ("B", "22", "Standing", "North"),
        ("C", "33", "Standing", "North"),
        ("D", "forty", "Lying", "South"),
        ("E", "55", "Standing", "North"),
        ("A", "10", "Felled", "North"),
        ("Q", "1", "Standing", "North"),
        ("Z", "2", "Standing", "North"),
    )
    found = check_given_back(made, given, now, ["tag"], columns)

    assert states(found.changes) == [
        ("change", "A", "status"),
        ("conflict", "B", "girth"),
        ("impossible", "D", "girth"),
        ("impossible", "D", "status"),
        ("impossible", "D", "ward.name"),
        ("impossible", "E", "girth"),
        ("impossible", "A", ""),
        ("unknown", "Q", ""),
        ("unknown", "Z", ""),
    ]
    assert [c.reason for c in found.changes if c.state == "impossible"] == [
        "“forty” is not a number, such as 12.5, which Girth needs",
        "“Lying” is none of the choices of Status",
        "it belongs to another record",
        "the record is no longer there",
        "the record stands in the file twice",
    ]
    assert (found.rows, found.taken, found.left_out) == (8, 1, 1)
    assert found.counts == {"change": 1, "conflict": 1, "impossible": 5, "unknown": 2}
    change = found.changes[1]
    assert (change.before, change.given, change.now, change.field) == ("20.00", "22", "21.00", "girth")


def test_columns_that_came_or_went(columns: Any) -> None:
    """They are named; a missing key is an error."""
    given = frame(("A", "10", "Standing", "North")).drop("status").with_columns(pl.lit("x").alias("my own"))
    found = check_given_back(frame(("A", "10", "Standing", "North")), given, frame(), ["tag"], columns)

    assert (found.missing_columns, found.new_columns) == (("status",), ("my own",))
    with pytest.raises(ValueError, match="tag"):
        check_given_back(frame(), given.drop("tag"), frame(), ["tag"], columns)


def test_only_marked_fields_of_the_very_record_may_change(resolved: Resolve) -> None:
    """The reason stands beside each that may not."""
    doubled = {"id": "x", "heading": "Doubled", "value": {"formula": "{girth} * 2"}}
    scaled = {"id": "y", "heading": "In mm", "value": {"field": "girth"}, "show": {"factor": "10"}}
    spreadsheet = {"format": "xlsx"}
    plan = resolved("tag", "girth", "ward.name", doubled, scaled, "picture", output=spreadsheet).require()
    marked = {c.id: c.id != "c1" for c in plan.columns}

    assert [c.reason for c in editable_columns(plan, marked, ["tag"])] == [
        "it is what the record is known by",
        "it is not marked as editable",
        "it belongs to another record",
        "it is made of other values, not kept",
        "it is shown scaled or cut, so it cannot be read back",
        "it is a file",
    ]


def column(resolved: Resolve, path: str, **show: Any) -> PlanColumn:
    return resolved({"id": "a", "heading": "a", "value": {"field": path}, "show": show}).require().columns[0]


def test_values_are_read_as_they_are_shown(resolved: Resolve) -> None:
    """Grouping, decimal marks, units, date patterns, words for yes and no; and as programs write them."""
    girth = column(resolved, "girth", grouping=".", decimal_mark=",", suffix=" cm")
    day = column(resolved, "planted_on", date="dd/MM/yyyy")
    protected = column(resolved, "protected", yes="ja", no="nein")

    assert same_value("1.234,50 cm", "1.234,5", girth)
    assert not same_value("1.234,50 cm", "1.234,6", girth)
    assert same_value("22/11/2026", "2026-11-22", day)
    assert why_unreadable(day, "32/11/2026") != ""
    assert read_shown("JA", protected) is True
    assert why_unreadable(protected, "maybe") == "“maybe” is neither ja nor nein"
    assert read_shown("Felled", column(resolved, "status")) == "F"
    assert same_value(" x ", "x", None)
