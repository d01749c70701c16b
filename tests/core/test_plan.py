"""
Resolving a template: the plan, or every problem at its place.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest

from bouquet.core.catalogue import Catalogue
from bouquet.core.errors import PlanError
from bouquet.core.plan import Context, Resolution, resolve
from bouquet.core.plan.capabilities import LACKS
from bouquet.core.sql import DIALECTS
from bouquet.core.template import read_document
from tests.core.conftest import NOW

Resolve = Callable[..., Resolution]


def codes(resolution: Resolution) -> dict[str, str]:
    return {p.place: p.code for p in resolution.problems}


def condition(**parts: Any) -> dict[str, Any]:
    return {"filter": {"all": [parts]}}


def test_a_sound_template_has_a_plan_and_no_problems(resolved: Resolve) -> None:
    """Paths through to-one relations are found."""
    found = resolved("tag", "ward.name")

    assert found.problems == []
    assert found.require().columns[1].route.trail == "Ward › Name"  # type: ignore[union-attr]


def test_an_unknown_field_offers_the_nearest(resolved: Resolve) -> None:
    """A misspelt field names candidates in its own relation."""
    problem = resolved("ward.nam").problems[0]

    assert (problem.code, problem.place, problem.candidates) == (
        "unknown_field",
        "columns[0].value.field",
        ("ward.name",),
    )


def test_an_unknown_record_type_is_placed(resolved: Resolve) -> None:
    """So is a record type that is not there."""
    found = resolved("tag", records="treee").problems[0]

    assert (found.code, found.place, found.candidates) == ("unknown_record_type", "records", ("tree",))


def test_a_path_through_many_offers_the_ways_out(resolved: Resolve) -> None:
    """A to-many relation is not one value; the ways out come as data."""
    problem = resolved("inspections.name").problems[0]

    assert problem.code == "many_in_cell"
    assert [w.act for w in problem.ways_out] == ["fold", "fold", "per_child", "companion_file"]
    assert problem.ways_out[2].place == "rows"
    assert problem.ways_out[2].value == {"per": "child", "path": "inspections"}


@pytest.mark.parametrize(
    ("columns", "place", "code"),
    [
        ([], "columns", "empty_sheet"),
        ([("A", "tag"), ("a ", "note")], "columns[1].heading", "same_heading"),
        ([("x" * 300, "tag")], "columns[0].heading", "long_heading"),
        ([(" ", "tag")], "columns[0].heading", "no_heading"),
        ([("P", "picture")], "columns[0].value.field", "file_in_sheet"),
    ],
)
def test_problems_of_the_sheet(catalogue: Any, columns: list[tuple[str, str]], place: str, code: str) -> None:
    """An empty sheet, doubled, missing and overlong headings, and files are refused at their place."""
    from bouquet.core.plan import Context, resolve
    from bouquet.core.template import read_document
    from tests.core.conftest import NOW

    full = [{"id": f"c{n}", "heading": h, "value": {"field": f}} for n, (h, f) in enumerate(columns)]
    template = read_document({"name": "T", "records": "tree", "columns": full})

    assert codes(resolve(template, catalogue, Context(as_of=NOW)))[place] == code


@pytest.mark.parametrize(
    ("parts", "place", "code"),
    [
        ({"path": "girth", "is": "is", "value": "thick"}, "filter.all[0].value", "wrong_value"),
        ({"path": "girth", "is": "contains", "value": "1"}, "filter.all[0].is", "wrong_comparison"),
        ({"path": "planted_on", "is": "is", "value": "2026-02-30"}, "filter.all[0].value", "wrong_value"),
        ({"path": "planted_on", "is": "in_window"}, "filter.all[0].window", "no_window"),
        ({"path": "risk", "is": "one_of", "values": ["1", "high"]}, "filter.all[0].values[1]", "wrong_value"),
        ({"path": "tag", "is": "one_of", "values": []}, "filter.all[0].values", "no_value"),
        ({"path": "rings", "is": "between", "values": [1]}, "filter.all[0].values", "no_value"),
        ({"path": "tag", "is": "is", "value": "a\x00b"}, "filter.all[0].value", "wrong_value"),
        ({"path": "girth", "is": "is", "value": "NaN"}, "filter.all[0].value", "wrong_value"),
        ({"path": "protected", "is": "is", "value": "yes"}, "filter.all[0].value", "wrong_value"),
        ({"path": "nothing", "is": "blank"}, "filter.all[0].path", "unknown_field"),
        (
            {"path": "planted_on", "is": "in_window", "window": {"type": "last", "count": 99999, "unit": "year"}},
            "filter.all[0].window",
            "bad_window",
        ),
    ],
)
def test_problems_of_the_filter(resolved: Resolve, parts: dict[str, Any], place: str, code: str) -> None:
    """A value that cannot be read is an error at its chip, never an empty result."""
    assert codes(resolved("tag", **condition(**parts)))[place] == code


def test_all_problems_come_at_once(resolved: Resolve) -> None:
    """Problems are collected, not thrown one at a time."""
    found = resolved(
        "nope", "neither", **condition(path="girth", **{"is": "is"}, value="x"), output={"name": "{sheet}"}
    )

    assert set(codes(found)) == {
        "columns[0].value.field",
        "columns[1].value.field",
        "filter.all[0].value",
        "output.name",
    }
    with pytest.raises(PlanError):
        found.require()


def test_what_can_be_shown_is_shown_beside_problems(resolved: Resolve) -> None:
    """A partial plan holds the sound columns while the filter is sound."""
    found = resolved("tag", "nope")

    assert found.plan is None
    assert [c.id for c in found.partial.columns] == ["c0"]  # type: ignore[union-attr]
    assert resolved("tag", **condition(path="nope", **{"is": "blank"})).partial is None


def test_an_order_said_twice_is_the_first(resolved: Resolve) -> None:
    """What was said first decides; said again of the same field, nothing is left to decide."""
    said = [{"path": "girth", "direction": "descending", "blanks": "first"}, {"path": "girth"}]
    first, *_ = resolved("tag", order=said).require().order

    assert (first.descending, first.blanks_first) == (True, True)


def test_the_order_is_total(resolved: Resolve) -> None:
    """The record key is appended to any order, once; before it, texts are told apart that differ by case only."""
    order = resolved("tag", order=[{"path": "note"}]).require().order

    assert [(o.cell.route.path, o.exact) for o in order] == [("note", False), ("note", True), ("id", True)]
    assert [o.cell.route.path for o in resolved("tag", order=[{"path": "id"}]).require().order] == ["id"]


def test_a_retired_field_is_noted_and_still_runs(resolved: Resolve) -> None:
    """Retired fields do not stop a run; they say what to take instead."""
    found = resolved("old_girth")

    assert found.problems == []
    assert "Take Girth instead" in found.notes[0].message


def test_between_two_days_takes_in_all_of_the_last(resolved: Resolve) -> None:
    """A day compared with a moment means the whole day."""
    parts = {"path": "changed_at", "is": "between", "values": ["2026-11-01", "2026-11-02"]}
    step = resolved("tag", filter={"all": [parts]}).require().steps[0]

    assert step.predicate.span.end.isoformat() == "2026-11-03T00:00:00+00:00"  # type: ignore[union-attr]


def test_an_empty_group_narrows_nothing(resolved: Resolve) -> None:
    """Empty groups, also nested ones, are no steps."""
    assert resolved("tag", filter={"all": [{"any": []}, {"none": [{"all": []}]}]}).require().steps == ()


def test_a_dialect_that_nobody_listed_lacks_everything(catalogue: Catalogue) -> None:
    """What it lacks is said at its place; and every dialect there is has its line."""
    columns = [{"id": "a", "heading": "A", "value": {"formula": '{tag} & "x"'}}]
    template = read_document({"name": "T", "records": "tree", "columns": columns})
    unknown = replace(catalogue, dialect="toy")
    problems = {p.place for p in resolve(template, unknown, Context(as_of=NOW)).problems if p.code == "dialect"}

    assert problems == {"columns[0].value.formula"}
    assert resolve(template, catalogue, Context(as_of=NOW)).problems == []
    assert set(LACKS) == set(DIALECTS)


@pytest.mark.parametrize(
    ("headings", "language", "code"),
    [
        (("Tag", {"de": "Nr."}), "de", None),
        (("Tag", {"de": "Note"}), "de", "same_heading"),
        (("Tag", {"de": "Note"}), "", None),
        (("Note", {"de": "Tag"}), "de", None),
        (("Note", {"de": "Tag"}), "fr", "same_heading"),
        (("Tag", {"de": "  "}), "de", None),
    ],
)
def test_headings_differ_in_the_language_that_the_file_has(
    catalogue: Any, headings: tuple[str, dict[str, str]], language: str, code: str | None
) -> None:
    """What would be alike in another language does no harm, and what is blank in one is as if it were not there."""
    columns = [
        {"id": "a", "heading": headings[0], "headings": headings[1], "value": {"field": "tag"}},
        {"id": "b", "heading": "Note", "value": {"field": "note"}},
    ]
    document = {"name": "T", "records": "tree", "columns": columns, "output": {"language": language}}
    found = resolve(read_document(document), catalogue, Context(as_of=NOW))

    assert {p.code for p in found.problems} == ({code} if code else set())
