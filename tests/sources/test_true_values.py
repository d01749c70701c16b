"""
Values that went wrong before: order, folds, blanks, widths, totals, on a small database of planted oddities.
"""

from __future__ import annotations

import csv
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import openpyxl
import psycopg
import pytest

from bouquet.core.plan import Context, Resolution, resolve
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.runs import Export, Trace, count_tally, trace
from bouquet.sources import Source
from tests.conftest import NOW

TABLES = """
CREATE TABLE orchard (id int PRIMARY KEY, name text, state text, hectares numeric);
CREATE TABLE plot (
    year int, number int, orchard_id int, label text, due date, seen timestamptz, weight numeric, kind text, big numeric,
    PRIMARY KEY (year, number)
);
INSERT INTO orchard VALUES (1, 'Low End', 'mid', 1234.5), (2, 'High', 'low', 2), (3, 'Empty', 'high', NULL);
INSERT INTO plot VALUES
    (2024, 1, 1, 'Red', '2024-03-01', '2024-03-01 08:00+00', 1234.5, 'b', 9e24),
    (2024, 2, 1, 'red', '2024-01-01', '2024-07-01 08:00:00.25+00', -5, 'a', 9e24),
    (2024, 3, 1, 'Red', NULL, NULL, NULL, NULL, 9e24),
    (2024, 4, 1, E'\\t', '2024-02-01', NULL, 12, 'c', NULL),
    (2025, 1, 2, ' padded ', NULL, NULL, 7, 'a', 1),
    (2025, 2, 99, 'RED', '2024-05-01', NULL, 1, 'b', 0.5),
    (2025, 3, NULL, NULL, '2024-06-01', NULL, 2, 'b', NULL);
CREATE TABLE mark (id int PRIMARY KEY, word text NOT NULL);
INSERT INTO mark VALUES (1, 'a'), (2, ''), (3, ' '), (4, E'\\t'), (5, 'a');
"""

OVERLAY = """
title = "Orchards"
[tables.orchard.fields]
state = { choices = { low = "Low", mid = "Medium", high = "High" } }
[tables.plot]
relations = [{ name = "orchard", label = "Orchard", to = "orchard", columns = { orchard_id = "id" } }]
"""


@pytest.fixture(scope="module")
def orchards(cluster: Cluster, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Source]:
    cluster.ensure_database("orchards_test", "marrowby_owner")
    url = cluster.url("orchards_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS orchard, plot, mark")
        connection.execute(TABLES)
    overlay = tmp_path_factory.mktemp("orchards") / "catalogue.toml"
    overlay.write_text(OVERLAY)
    made = Source("orchards", url, overlay)
    yield made
    made.close()


def column(heading: str, value: str | dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"id": heading, "heading": heading, "value": {"field": value} if isinstance(value, str) else value, **more}


def fold(path: str, how: str, **more: Any) -> dict[str, Any]:
    return {"fold": {"path": path, "how": how, **more}}


def resolved(source: Source, document: dict[str, Any], answers: dict[str, Any] | None = None) -> Resolution:
    context = Context(as_of=NOW, answers=answers if answers is not None else {})
    return resolve(read_document({"name": "T", "zone": "Europe/London", **document}), source.catalogue(), context)


def written(source: Source, document: dict[str, Any], folder: Path, format: str = "csv") -> Any:
    template = read_document({"name": "T", "zone": "Europe/London", **document})
    plan = resolve(template, source.catalogue(), Context(as_of=NOW, answers={})).require()
    with source.reader.snapshot() as snapshot:
        return Export(template, plan, format, folder).write(snapshot, {})


def lines(source: Source, document: dict[str, Any], folder: Path) -> list[list[str]]:
    separator = document.get("output", {}).get("csv", {}).get("separator", ",")
    with written(source, document, folder).path.open(newline="", encoding="utf-8-sig") as file:
        return list(csv.reader(file, delimiter=separator))[1:]


PLOT = {"records": "plot"}


def test_spellings_that_differ_by_case_do_not_hide_later_levels(orchards: Source, tmp_path: Path) -> None:
    """Red, red and RED are one to an order; the date decides, and a white-space text is ordered as a blank."""
    document = {**PLOT, "columns": [column("L", "label"), column("D", "due")],
                "order": [{"column": "L"}, {"column": "D"}]}  # fmt: skip

    assert lines(orchards, document, tmp_path) == [
        [" padded ", ""], ["red", "2024-01-01"], ["Red", "2024-03-01"], ["RED", "2024-05-01"], ["Red", ""],
        ["\t", "2024-02-01"], ["", "2024-06-01"],
    ]  # fmt: skip


def test_groups_tell_spellings_apart(orchards: Source, tmp_path: Path) -> None:
    """Only narrowings ignore case; groups, counts of different values and joined cells are exact."""
    document = {
        **PLOT, "rows": {"per": "group", "by": [{"path": "label"}]},
        "columns": [column("L", "label"), column("N", fold("", "count"))],
    }  # fmt: skip
    found = lines(orchards, document, tmp_path)

    assert sorted(found) == [["", "2"], [" padded ", "1"], ["RED", "1"], ["Red", "2"], ["red", "1"]]


def test_blank_texts_are_one_group_also_where_none_may_be_missing(orchards: Source, tmp_path: Path) -> None:
    """What is blank does not hang on whether the column may hold NULL."""
    document = {
        "records": "mark", "rows": {"per": "group", "by": [{"path": "word"}]},
        "columns": [column("W", "word"), column("N", fold("", "count"))],
    }  # fmt: skip

    assert sorted(lines(orchards, document, tmp_path)) == [["", "3"], ["a", "2"]]


def test_choices_order_as_the_catalogue_lists_them(orchards: Source, tmp_path: Path) -> None:
    """Low, medium, high: in the order of rows, and in least and greatest."""
    document = {"records": "orchard", "columns": [column("S", "state")], "order": [{"column": "S"}]}
    whole = {
        "records": "orchard", "rows": {"per": "group", "by": [{"path": "hectares"}]}, "columns": [column("H", "hectares")],
    }  # fmt: skip
    of_all = {
        **PLOT, "rows": {"per": "group", "by": [{"path": "year"}]},
        "columns": [column("Y", "year"), column("A", fold("orchard.state", "least")), column("Z", fold("orchard.state", "greatest"))],
    }  # fmt: skip

    assert lines(orchards, document, tmp_path / "a") == [["Low"], ["Medium"], ["High"]]
    assert len(lines(orchards, whole, tmp_path / "b")) == 3
    assert lines(orchards, of_all, tmp_path / "c") == [["2024", "Medium", "Medium"], ["2025", "Low", "Low"]]


def test_joined_cells_speak_as_the_column_does(orchards: Source, tmp_path: Path) -> None:
    """Decimal mark, grouping, patterns and offsets hold inside a joined cell, in both styles."""
    orders = [{"path": "number"}]
    document = {
        "records": "orchard", "at_most": 1,
        "columns": [
            column("W", fold("plots.weight", "joined", order=orders), show={"decimals": 2}),
            column("D", fold("plots.due", "joined", order=orders)),
            column("S", fold("plots.seen", "joined", order=orders)),
        ],
    }  # fmt: skip
    reader = {"output": {"style": "reader", "locale": "de_DE", "reader": {"title": False}, "csv": {"separator": ";"}}}

    assert lines(orchards, document, tmp_path / "m") == [
        ["1234.50; -5.00; 12.00", "2024-03-01; 2024-01-01; 2024-02-01",
         "2024-03-01T08:00:00+00:00; 2024-07-01T09:00:00.250+01:00"],
    ]  # fmt: skip
    assert lines(orchards, {**document, **reader}, tmp_path / "r")[0] == [
        "1.234,50; -5,00; 12,00", "01.03.2024; 01.01.2024; 01.02.2024", "01.03.2024 08:00; 01.07.2024 09:00",
    ]  # fmt: skip


def test_joined_may_be_distinct_and_ordered(orchards: Source, tmp_path: Path) -> None:
    """Different texts stand by the least order value of each; those without one stand last."""
    joined = {"distinct": True, "order": [{"path": "due"}]}
    down = {"distinct": True, "order": [{"path": "due", "direction": "descending"}]}
    document = {
        "records": "orchard", "at_most": 1,
        "columns": [column("U", fold("plots.label", "joined", **joined)), column("D", fold("plots.label", "joined", **down)),
                    column("K", fold("plots.kind", "joined", at_most=2, **joined))],
    }  # fmt: skip

    assert lines(orchards, document, tmp_path) == [["red; Red", "Red; red", "a; c; +1 more"]]


def test_spreads_side_by_side_keep_their_places(orchards: Source, tmp_path: Path) -> None:
    """Date 3 and Weight 3 are of one child: a blank keeps its place. Spreads in different orders are flagged."""
    order = [{"path": "number"}]
    spread = {"order": order, "columns": 4}
    document = {
        "records": "orchard", "at_most": 1,
        "columns": [column("D", fold("plots.due", "spread", **spread)), column("W", fold("plots.weight", "spread", **spread))],
    }  # fmt: skip
    other = {**document, "columns": [document["columns"][0], column("W", fold("plots.weight", "spread", columns=4))]}

    assert lines(orchards, document, tmp_path) == [
        ["2024-03-01", "2024-01-01", "", "2024-02-01", "1234.5", "-5", "", "12"]
    ]
    assert "spreads_differ" in [n.code for n in resolved(orchards, other).notes]
    assert "spreads_differ" not in [n.code for n in resolved(orchards, document).notes]


@pytest.mark.parametrize(("how", "expected"), [("first", "red"), ("latest", "Red")])
def test_a_pick_prefers_what_has_an_order_value(orchards: Source, tmp_path: Path, how: str, expected: str) -> None:
    """A blank date is never first nor latest while another record has a date, even if blanks were put first."""
    picked = fold(
        "plots.label",
        how,
        order=[{"path": "due", "blanks": "first"}],
        where={"path": "number", "is": "at_most", "value": 3},
    )
    document = {"records": "orchard", "columns": [column("P", picked)], "at_most": 1}

    assert lines(orchards, document, tmp_path) == [[expected]]


def test_blanks_get_no_prefix_and_no_padding(orchards: Source, tmp_path: Path) -> None:
    """A tab is as blank as nothing; a padded number keeps its sign in front."""
    document = {
        **PLOT,
        "columns": [column("L", "label", show={"prefix": "<", "suffix": ">", "pad": 5, "pad_with": "."}, blank="none"),
                    column("B", {"formula": "ISBLANK({label})"}),
                    column("W", "weight", show={"decimals": 0, "pad": 5})],
    }  # fmt: skip

    assert lines(orchards, document, tmp_path) == [
        ["<..Red>", "false", "01235"], ["<..red>", "false", "-0005"], ["<..Red>", "false", ""], ["none", "true", "00012"],
        ["< padded >", "false", "00007"], ["<..RED>", "false", "00001"], ["none", "true", "00002"],
    ]  # fmt: skip


def test_large_numbers_never_stop_a_run(orchards: Source, tmp_path: Path) -> None:
    """Totals are exact beyond 28 digits, and beyond the 38 of the library's decimals."""
    document = {
        **PLOT,
        "columns": [column("B", {"formula": "{big} * 100"}), column("H", {"formula": "{big} * {big} * {big}"})],
    }
    slip = written(orchards, document, tmp_path).slip

    assert [c["total"] for c in slip["columns"]] == [
        f"{3 * 9 * 10**26 + 150}", f"{3 * 9**3 * 10**72 + 1}.125",
    ]  # fmt: skip


def test_spreadsheets_keep_blanks_and_key_numbers(orchards: Source, tmp_path: Path) -> None:
    """Blanks around a text are preserved; a year that is a part of a key stays a number."""
    document = {**PLOT, "columns": [column("L", "label"), column("Y", "year"), column("O", "orchard.id")],
                "filter": {"path": "label", "is": "contains", "value": "padded"}}  # fmt: skip
    sheet = openpyxl.load_workbook(written(orchards, document, tmp_path, "xlsx").path).worksheets[0]

    assert [c.value for c in sheet[2]] == [" padded ", 2025, "2"]


def test_names_of_a_csvw_schema_differ(orchards: Source, tmp_path: Path) -> None:
    """A field in two columns has two names in the metadata; the key names the first."""
    document = {**PLOT, "columns": [column("Y", "year"), column("N", "number"), column("Again", "year")],
                "output": {"dictionary": ["csvw"]}}  # fmt: skip
    done = written(orchards, document, tmp_path)
    metadata = json.loads(next(p for p in tmp_path.rglob("*-metadata.json")).read_text())
    schema = metadata["tableSchema"]

    assert [c["name"] for c in schema["columns"]] == ["year", "number", "year_2"]
    assert schema["primaryKey"] == ["year", "number"]
    assert done.slip["rows_written"] == 7


@pytest.mark.parametrize(
    ("document", "code", "place"),
    [
        ({"filter": {"path": "weight", "is": "between", "values": [5, 1]}}, "turned_range", "filter.values"),
        ({"filter": {"path": "due", "is": "between", "values": ["2024-02-01", "2024-01-01"]}}, "turned_range", "filter.values"),
        ({"filter": {"path": "due", "is": "in_window", "window": {"type": "between", "first": "2024-02-01", "last": "2024-01-01"}}}, "bad_window", "filter.window"),
        ({"checks": [{"column": "W", "must": "between", "least": 9, "greatest": 1}]}, "turned_range", "checks[0].greatest"),
        ({"checks": [{"file": "rows", "least": 9, "greatest": 1}]}, "turned_range", "checks[0].greatest"),
    ],
)  # fmt: skip
def test_ranges_turned_round_are_errors_at_their_place(
    orchards: Source, document: dict[str, Any], code: str, place: str
) -> None:
    """A range that ends before it begins is no empty result."""
    problems = resolved(orchards, {**PLOT, "columns": [column("W", "weight")], **document}).problems

    assert [(p.code, p.place) for p in problems] == [(code, place)]


def test_an_answer_turned_round_is_an_error_of_the_question(orchards: Source) -> None:
    """The question is what has to be answered again."""
    document = {**PLOT, "columns": [column("W", "weight")], "asks": [{"name": "when", "label": "When?", "kind": "window"}],
                "filter": {"path": "due", "is": "in_window", "ask": "when"}}  # fmt: skip
    problems = resolved(
        orchards, document, {"when": {"type": "between", "first": "2024-02-01", "last": "2024-01-01"}}
    ).problems

    assert [(p.code, p.place) for p in problems] == [("bad_window", "asks[0]")]


def test_gaps_fill_a_window_that_is_the_whole_filter(orchards: Source, tmp_path: Path) -> None:
    """The window counts wherever it stands as a condition that every row must meet."""
    window = {
        "path": "due",
        "is": "in_window",
        "window": {"type": "between", "first": "2024-01-01", "last": "2024-08-31"},
    }
    document = {
        **PLOT, "rows": {"per": "group", "by": [{"path": "due", "step": "month", "fill_gaps": True}]},
        "columns": [column("M", "due"), column("N", fold("", "count"))],
    }  # fmt: skip
    expected = [[f"2024-0{m}-01", str(int(m in (1, 2, 3, 5, 6)))] for m in range(1, 9)]

    for n, node in enumerate((window, {"all": [window]}, {"all": [{"all": [window]}]}, {"any": [window]})):
        assert lines(orchards, {**document, "filter": node}, tmp_path / str(n)) == expected


def traced(source: Source, document: dict[str, Any], *key: str) -> Trace:
    with source.reader.snapshot() as snapshot:
        return trace(snapshot, resolved(source, document).require(), {}, key)


def test_a_trace_in_groups_judges_the_group(orchards: Source) -> None:
    """A record passes, its group does not: the trace says so, with what the group comes to."""
    document = {
        **PLOT, "rows": {"per": "group", "by": [{"path": "kind"}]},
        "columns": [column("K", "kind"), column("N", fold("", "count"))],
        "filter": {"all": [{"column": "N", "is": "at_least", "value": 2}]},
    }  # fmt: skip
    alone, many = (traced(orchards, document, *key).record for key in (("2024", "4"), ("2024", "1")))
    first = traced(orchards, {**document, "at_most": 1}, "2024", "1").record

    assert alone is not None
    assert many is not None
    assert first is not None
    assert (alone.is_in, alone.steps[-1].saw[0][1]) == (False, "1")
    assert (many.is_in, many.steps[-1].saw[0][1]) == (True, "3")
    assert (first.is_in, first.steps[-1].saw) == (False, (("its position", "2"),))


def test_the_tally_counts_relations_that_lead_nowhere(orchards: Source) -> None:
    """Beside all records, beside the step that loses them, and of what is left; with what would leave them out."""
    document = {
        **PLOT, "columns": [column("O", "orchard.name"), column("W", "weight")],
        "filter": {"all": [{"path": "weight", "is": "at_most", "value": 12}, {"path": "orchard.hectares", "is": "greater_than", "value": 0}]},
    }  # fmt: skip
    with orchards.reader.snapshot() as snapshot:
        wide = count_tally(snapshot, resolved(orchards, {**document, "filter": {"all": []}}).require(), {})
        narrow = count_tally(snapshot, resolved(orchards, document).require(), {})

    assert [(e["path"], e["words"], e["rows"]) for e in wide[0]["empty"]] == [("orchard", "without orchard", 2)]
    assert wide[0]["empty"][0]["leave_out"] == {"path": "orchard.id", "is": "not_blank"}
    assert [(s["rows"], [e["rows"] for e in s["lost_empty"]]) for s in narrow] == [(7, []), (5, []), (3, [2])]
    assert narrow[-1]["empty"] == []


def test_the_tally_of_children_counts_them_too(orchards: Source) -> None:
    """Where rows are children, their relations are counted among the rows."""
    document = {
        "records": "orchard", "rows": {"per": "child", "path": "plots"},
        "columns": [column("N", "name"), column("L", "plots.label")],
    }  # fmt: skip
    with orchards.reader.snapshot() as snapshot:
        steps = count_tally(snapshot, resolved(orchards, document).require(), {})

    assert [(s["kind"], s["rows"], s["empty"]) for s in steps] == [("all", 3, []), ("open", 5, [])]


def test_numbers_of_documents_are_exact_at_any_length(orchards: Source) -> None:
    """Thirty digits narrow as thirty digits, and are written as they were read."""
    digits = "12345678901234567890.123456789012345678"
    text = json.dumps({"name": "T", **PLOT, "columns": [], "filter": {"path": "big", "is": "less_than", "value": 0}})
    document = json.loads(text.replace('"value": 0', f'"value": {digits}'), parse_float=__import__("decimal").Decimal)
    template = read_document(document)

    assert str(template.filter.value) == digits  # type: ignore[union-attr]
    assert template.model_dump(mode="json", by_alias=True)["filter"]["value"] == digits
    assert (
        read_document({**document, "filter": {"path": "big", "is": "is", "value": 0.5}}).model_dump()["filter"]["value"]
        == 0.5
    )
