"""
Row rules, folds, formulas, asks and picks on the small catalogue: what is refused, where, and with which ways out.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from bouquet.core.catalogue import Catalogue
from bouquet.core.formula import FormulaError, formulas_document, parse
from bouquet.core.plan import Context, Picked, Resolution, resolve
from bouquet.core.sql import Statements, render
from bouquet.core.template import read_document
from bouquet.core.wording.sentence import Sentence
from tests.core.conftest import NOW

Resolve = Callable[..., Resolution]


def col(value: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"id": "x", "heading": "X", "value": value, **more}


def fold(path: str, how: str, **more: Any) -> dict[str, Any]:
    return col({"fold": {"path": path, "how": how, **more}})


CHILD = {"per": "child", "path": "inspections"}
GROUP = {"per": "group", "by": [{"path": "status"}]}


@pytest.mark.parametrize(
    ("columns", "document", "code", "place"),
    [
        (["inspections.name"], {}, "many_in_cell", "columns[0].value.field"),
        (["inspections"], {}, "many_in_cell", "columns[0].value.field"),
        (["ward"], {}, "no_field", "columns[0].value.field"),
        (["picture"], {}, "file_in_sheet", "columns[0].value.field"),
        ([col({"field": "tag", "step": "day"})], {}, "no_groups", "columns[0].value.step"),
        ([{**col({"field": "tag"}), "total": "sum"}], {"output": {"style": "reader"}}, "wrong_total", "columns[0].total"),
        ([{**col({"field": "planted_on"}), "total": "mean"}], {"output": {"style": "reader"}}, "wrong_total", "columns[0].total"),
        ([{**col({"field": "protected"}), "total": "least"}], {"output": {"style": "reader"}}, "wrong_total", "columns[0].total"),
        (["tag"], {"rows": {"per": "child", "path": "ward"}}, "not_children", "rows.path"),
        (["tag"], {"rows": {"per": "child", "path": "inspections.name"}}, "not_children", "rows.path"),
        (["tag"], {"rows": {"per": "child", "path": "nothing"}}, "unknown_field", "rows.path"),
        (["tag"], {"rows": GROUP}, "not_grouped", "columns[0].value.field"),
        (["status"], {"rows": {"per": "group", "by": [{"path": "inspections.name"}]}}, "many_in_cell", "rows.by[0].path"),
        (["status"], {"rows": {"per": "group", "by": [{"path": "status", "step": "day"}]}}, "wrong_step", "rows.by[0].step"),
        (["planted_on"], {"rows": {"per": "group", "by": [{"path": "planted_on", "step": "hour"}]}}, "wrong_step", "rows.by[0].step"),
        (["changed_at"], {"rows": {"per": "group", "by": [{"path": "changed_at", "step": "minute", "count": 7}]}}, "wrong_step", "rows.by[0].count"),
        (["status"], {"rows": {"per": "group", "by": [{"path": "status", "fill_gaps": True}]}}, "no_step", "rows.by[0].fill_gaps"),
        (["status"], {"rows": GROUP, "order": [{"path": "tag"}]}, "not_grouped", "order[0].path"),
        ([fold("ward.name", "count")], {}, "nothing_to_fold", "columns[0].value.fold.path"),
        ([fold("inspections", "sum")], {}, "no_field", "columns[0].value.fold.path"),
        ([fold("inspections.name", "sum")], {}, "wrong_fold", "columns[0].value.fold.how"),
        ([fold("inspections.name", "least")], {}, "wrong_fold", "columns[0].value.fold.how"),
        ([fold("inspections.name", "any")], {}, "wrong_fold", "columns[0].value.fold.how"),
        ([fold("inspections.name", "latest")], {}, "no_order", "columns[0].value.fold.order"),
        ([fold("inspections.name", "joined", order=[{"path": "tag"}])], {}, "unknown_field", "columns[0].value.fold.order[0].path"),
        ([fold("inspections", "count", where={"path": "tag", "is": "blank"})], {}, "unknown_field", "columns[0].value.fold.where.path"),
        ([fold("inspections", "count", where={"column": "x", "is": "blank"})], {}, "no_column_here", "columns[0].value.fold.where.column"),
        ([fold("inspections.name", "joined")], {"rows": GROUP}, "fold_in_group", "columns[0].value.fold.how"),
        (["tag"], {"filter": {"path": "inspections.name", "is": "is", "value": "x"}}, "many_in_cell", "filter.path"),
        (["tag"], {"filter": {"path": "ward.name", "has": "any"}}, "not_children", "filter.path"),
        (["tag"], {"filter": {"path": "ward", "has": "any"}}, "nothing_to_fold", "filter.path"),
        (["status"], {"rows": GROUP, "filter": {"path": "ward", "has": "any"}}, "nothing_to_fold", "filter.path"),
        (["tag"], {"filter": {"picks": "mine"}}, "unknown_picks", "filter.picks"),
        (["tag"], {"filter": {"picks": "wards"}}, "wrong_picks", "filter.picks"),
        (["tag"], {"filter": {"picks": "broken"}}, "wrong_picks", "filter.picks"),
        (["tag"], {"filter": {"column": "nope", "is": "blank"}}, "unknown_column", "filter.column"),
        (["tag"], {"filter": {"formula": "1 + 1"}}, "not_a_test", "filter.formula"),
        (["tag"], {"filter": {"formula": "{girth} >"}}, "formula", "filter.formula"),
        (["tag"], {"filter": {"path": "tag", "is": "is", "ask": "nope"}}, "unknown_ask", "filter.ask"),
        (["tag"], {"filter": {"path": "planted_on", "is": "in_window", "ask": "t"}, "asks": [{"name": "t", "label": "T?"}]}, "wrong_ask", "filter.ask"),
        (["tag"], {"filter": {"path": "girth", "is": "at_least", "ask": "t"}, "asks": [{"name": "t", "label": "T?", "default": "thick"}]}, "wrong_value", "filter.value"),
        ([col({"formula": "{x} + 1"})], {}, "formula", "columns[0].value.formula"),
        ([col({"formula": "{picture}"})], {}, "formula", "columns[0].value.formula"),
        ([col({"formula": "{inspections.name}"})], {}, "formula", "columns[0].value.formula"),
        ([col({"formula": "{tag}"})], {"rows": GROUP}, "formula", "columns[0].value.formula"),
        ([col({"formula": "SUM({ask.t})"})], {"asks": [{"name": "t", "label": "T?", "kind": "window"}]}, "formula", "columns[0].value.formula"),
        ([col({"field": "ward.name"}, show={"link": True})], {}, "no_link", "columns[0].show.link"),
        ([col({"field": "girth"}, show={"grouping": ".", "decimals": 1})], {}, "same_marks", "columns[0].show.grouping"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_at_its_place(
    catalogue: Catalogue, columns: list[Any], document: dict[str, Any], code: str, place: str
) -> None:
    """Every refusal has a code for programs, a place for the eye, and a sentence for people."""
    full = [
        c if isinstance(c, dict) else {"id": f"c{n}", "heading": c, "value": {"field": c}}
        for n, c in enumerate(columns)
    ]
    template = read_document({"name": "T", "records": "tree", "columns": full, **document})
    picks = {"wards": Picked("ward", (("1",),)), "broken": Picked("tree", (("one",),))}
    problems = resolve(template, catalogue, Context(as_of=NOW, picks=picks)).problems

    assert (code, place) in [(p.code, p.place) for p in problems]
    assert all(p.message.endswith((".", ")", "?")) for p in problems)


@pytest.mark.parametrize("key", ["one", "1e999999999", "NaN"])
def test_keys_of_a_list_that_are_no_numbers_are_told(catalogue: Catalogue, key: str) -> None:
    """Also where the key is a decimal, as in databases that have no other numbers."""
    tree = catalogue.record_types["tree"]
    fields = tuple(replace(f, stored="numeric") if f.name in tree.key else f for f in tree.fields)
    with_decimals = {**catalogue.record_types, "tree": replace(tree, fields=fields)}
    template = read_document({"name": "T", "records": "tree", "columns": [], "filter": {"picks": "mine"}})
    context = Context(as_of=NOW, picks={"mine": Picked("tree", ((key,),))})
    found = resolve(template, replace(catalogue, record_types=with_decimals), context).problems

    assert "wrong_picks" in [p.code for p in found]


def test_the_ways_out_are_edits(resolved: Resolve) -> None:
    """Each names its place and what to put there; applied, it cures."""
    grouped = resolved("tag", rows=GROUP).problems[0]
    narrowed = resolved("tag", filter={"path": "inspections.name", "is": "is", "value": "x"}).problems[0]
    retired = resolved("old_girth").notes[0]

    assert [(w.act, w.place) for w in grouped.ways_out] == [("group_by", "rows.by"), ("fold", "columns[0].value")]
    assert narrowed.ways_out[0].value == {
        "path": "inspections",
        "has": "any",
        "where": {"is": "is", "value": "x", "path": "name"},
    }
    assert [(w.place, w.value) for w in retired.ways_out] == [("columns[0].value.field", "girth")]
    cured = resolved("tag", filter=narrowed.ways_out[0].value)
    assert cured.problems == []


@pytest.mark.parametrize("field", ["entered_at", "changed_at"])
def test_gaps_are_filled_where_all_windows_of_a_field_meet(resolved: Resolve, field: str) -> None:
    """Days, moments with and without an offset, told on the template's clock; the end of the calendar included."""
    said = [
        {"path": field, "is": "in_window", "window": {"type": "between", "first": "2026-06-01", "last": "2026-06-30"}},
        {"path": field, "is": "between", "values": ["2026-06-10T08:00:00", "9999-12-31T23:59:59.999999"]},
        {"path": field, "is": "between", "values": ["2026-01-01", "2026-06-20"]},
    ]
    by = [{"path": field, "step": "hour", "fill_gaps": True}]
    column = {"id": "a", "heading": "A", "value": {"field": field}}
    (group,) = resolved(columns=[column], rows={"per": "group", "by": by}, filter={"all": said}).require().by

    assert group.span is not None
    assert [m and m.isoformat() for m in (group.span.start, group.span.end)] == [
        "2026-06-10T08:00:00+01:00", "2026-06-21T00:00:00+01:00",
    ]  # fmt: skip


def test_columns_in_a_ring_are_refused(resolved: Resolve) -> None:
    """A column that refers to one that refers to it, each by its heading."""
    a = {"id": "a", "heading": "A", "value": {"formula": "{B} + 1"}}
    b = {"id": "b", "heading": "B", "value": {"formula": "{A} + 1"}}

    assert "ring" in resolved(a, b).problems[0].message


def test_numbers_of_a_shared_record_are_noted(resolved: Resolve) -> None:
    """A parent's number on child rows repeats; the note says what its total is not."""
    found = resolved("tag", "girth", rows=CHILD)

    assert [n.code for n in found.notes] == ["repeats"]
    assert [c.once_by != () for c in found.require().columns] == [False, True]


def test_folds_over_one_relation_share_a_join_where_many_are_read(resolved: Resolve) -> None:
    """Two folds of the same records are one subquery; where few rows are read each is looked up."""
    found = resolved(fold("inspections", "count"), {**fold("inspections.name", "joined"), "id": "y", "heading": "Y"})
    plan = found.require()

    assert render(Statements(plan).rows()).count("JOIN (SELECT") == 1
    assert "JOIN (SELECT" not in render(Statements(plan).rows(limit=50))


def test_an_unanswered_question_narrows_nothing_while_designing(catalogue: Catalogue) -> None:
    """It is noted; in a run it is a problem, unless it need not be answered."""
    document = {
        "name": "T",
        "records": "tree",
        "columns": [{"id": "a", "heading": "A", "value": {"field": "tag"}}],
        "asks": [{"name": "st", "label": "Which?", "kind": "choices"}],
        "filter": {"path": "status", "is": "one_of", "ask": "st"},
    }
    template = read_document(document)
    designing = resolve(template, catalogue, Context(as_of=NOW))
    running = resolve(template, catalogue, Context(as_of=NOW, answers={}))
    answered = resolve(template, catalogue, Context(as_of=NOW, answers={"st": ["S"]}))

    assert designing.require().steps == ()
    assert [n.code for n in designing.notes] == ["asked_at_run"]
    assert [(p.code, p.place) for p in running.problems] == [("unanswered", "asks[0]")]
    assert len(answered.require().steps) == 1
    assert "ask each time (Which?)" in Sentence(template, catalogue, Context(as_of=NOW)).text()


@pytest.mark.parametrize(
    ("rows", "filter", "said"),
    [
        (CHILD, {"all": []}, "One row per ward of each tree, leaving out trees without any; every row."),
        ({**CHILD, "parents_without": "keep"}, {"all": []}, "One row per ward of each tree, with a row for trees without any; every row."),
        (GROUP, {"all": []}, "One row per status, from all trees; every row."),
        ({"per": "group", "by": [{"path": "ward.name"}, {"path": "planted_on", "step": "month", "fill_gaps": True}]}, {"all": []},
         "One row per ward and per month of planted on (gaps filled), from all trees; every row."),
        ({"per": "record"}, {"path": "inspections", "has": "at_least", "count": 2, "where": {"path": "name", "is": "blank"}},
         "One row per tree where it has at least 2 wards where name is blank; every row."),
        ({"per": "record"}, {"none": [{"picks": "Mine"}, {"formula": "={girth} > 3"}]},
         "One row per tree where not (it is in the list “Mine” or {girth} > 3); every row."),
    ],
)  # fmt: skip
def test_the_sentence_says_the_row_rule_and_every_narrowing(
    catalogue: Catalogue, rows: dict[str, Any], filter: dict[str, Any], said: str
) -> None:
    """In plain words."""
    template = read_document({"name": "T", "records": "tree", "rows": rows, "filter": filter})

    assert Sentence(template, catalogue, Context(as_of=NOW)).text() == said


@pytest.mark.parametrize(
    ("text", "at"),
    [
        ("1 +", 3),
        ("1 2", 2),
        ("(1", 2),
        ('"a', 0),
        ("{}", 0),
        ("{a", 0),
        ("a", 1),
        ("1 § 2", 2),
        ("LEFT(1;;2)", 7),
        ("", 0),
        ("-" * 70 + "1", 9),
    ],
)
def test_what_cannot_be_read_points_at_its_character(text: str, at: int) -> None:
    """Counted from 0."""
    with pytest.raises(FormulaError) as wrong:
        parse(text)

    assert wrong.value.at == at


def test_the_reference_of_formulas_is_that_of_the_table() -> None:
    """`bouquet formulas > docs/reference/formulas.md` brings it up to date."""
    written = Path(__file__).parents[2] / "docs" / "reference" / "formulas.md"

    assert written.read_text(encoding="utf-8") == formulas_document()
