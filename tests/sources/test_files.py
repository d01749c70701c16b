"""
What a run makes besides plain rows: reader's files, parts, companions, other formats; opened by independent readers.
"""

from __future__ import annotations

import hashlib
import json
from decimal import Decimal
from typing import Any

import openpyxl
import pytest
import python_calamine

from bouquet.core.errors import EncodingProblem, PlanError, WriteError
from bouquet.core.language import speaking
from bouquet.core.vocabulary.formats import FORMATS
from bouquet.sources import postgres
from tests.sources.files import JOINED, LINES, WHERE, Query, Run, column, rows_of

# Reader's style


READER: dict[str, Any] = {**LINES, "output": {"style": "reader", "locale": "en_GB", "reader": {"groups": ["ward"]}}}


def test_a_reader_s_file_has_titles_groups_and_totals(run: Run, query: Query) -> None:
    """Title lines, a heading and a subtotal per group, a grand total; dates and money as the locale writes them."""
    rows = rows_of(run(READER).path)
    wards = query(
        f"SELECT coalesce(w_name, '(blank)'), sum(wl_amount) FROM {JOINED} WHERE {WHERE} GROUP BY w_name ORDER BY w_name NULLS LAST"
    )
    total = sum(amount for _, amount in wards)

    assert rows[0] == ["Test"]
    assert rows[1][0].startswith("One row per work order line where done on is in these dates (1 Oct – 20 Oct)")
    assert rows[3] == []
    assert rows[4] == ["Order", "Ward", "Done", "Amount", "Girth"]
    assert [r[0] for r in rows if r and r[0].startswith("Ward: ")] == [f"Ward: {w}" for w, _ in wards]
    subtotals = {r[0].removeprefix("Total "): r[3] for r in rows if r and r[0].startswith("Total ")}
    assert subtotals == {w: f"£{a:,.2f}".replace("£-", "-£") for w, a in wards}
    assert rows[-1][:1] + rows[-1][3:4] == ["Total", f"£{total:,.2f}"]
    first = query(
        f"SELECT to_char(wl_done, 'DD/MM/YYYY') FROM {JOINED} WHERE {WHERE} ORDER BY w_name NULLS LAST, wl_id LIMIT 1"
    )
    assert rows[6][2] == first[0][0]


def test_totals_count_a_repeated_parent_once(run: Run, query: Query) -> None:
    """A tree with two lines has one girth; so in subtotals, in the grand total, and in the slip."""
    done = run(READER)
    rows = rows_of(done.path)
    once = query(
        f"SELECT w_name, sum(t_girth) FROM (SELECT DISTINCT w_name, t.t_id, t_girth FROM {JOINED} WHERE {WHERE}) x GROUP BY w_name"
    )
    repeated = query(f"SELECT sum(t_girth) FROM {JOINED} WHERE {WHERE}")[0][0]
    whole = sum(g for _, g in once if g is not None)

    shown = {r[0].removeprefix("Total "): r[4].replace(",", "") for r in rows if r and r[0].startswith("Total ")}
    assert {w: Decimal(g) for w, g in shown.items() if g} == {w or "(blank)": g for w, g in once if g is not None}
    assert Decimal(rows[-1][4].replace(",", "")) == whole != repeated
    assert done.slip["columns"][4]["repeats"] is True
    assert Decimal(done.slip["columns"][4]["total_once"]) == whole


def test_the_machine_s_file_of_the_same_template_is_strictly_rectangular(run: Run) -> None:
    """One switch: no titles, no groups, no totals, and the rows are the same."""
    document = {**READER, "output": {**READER["output"], "style": "machine"}}
    rows = rows_of(run(document).path)

    assert rows[0] == ["Order", "Ward", "Done", "Amount", "Girth"]
    assert {len(r) for r in rows} == {5}
    assert all(r[2].count("-") == 2 for r in rows[1:])


def test_a_reader_s_spreadsheet_says_the_same(run: Run, query: Query) -> None:
    """Titles, group headings and totals as cells, numbers as numbers."""
    done = run(READER, "xlsx")
    sheet = openpyxl.load_workbook(done.path).worksheets[0]
    cells = [[c.value for c in row] for row in sheet.iter_rows()]
    total = query(f"SELECT sum(wl_amount) FROM wo_line WHERE {WHERE}")[0][0]

    assert cells[0][0] == "Test"
    assert cells[4] == ["Order", "Ward", "Done", "Amount", "Girth"]
    assert sheet.freeze_panes == "A6"
    assert cells[-1][0] == "Total"
    assert round(Decimal(str(cells[-1][3])), 2) == total
    assert sheet.dimensions == f"A1:E{len(cells)}"
    assert sum(str(r[0]).startswith("Ward: ") for r in cells) == sum(str(r[0]).startswith("Total ") for r in cells)


@pytest.mark.parametrize(
    ("locale", "amount", "day"),
    [
        ("de_DE", "1.234,50\u00a0£", "20.10.2026"),
        ("fr_FR", "1\u202f234,50\u00a0£", "20/10/2026"),
        ("en_GB", "£1,234.50", "20/10/2026"),
        ("sv_SE", "1\u00a0234,50\u00a0£", "2026-10-20"),
    ],
)
def test_numbers_and_dates_follow_the_locale(run: Run, locale: str, amount: str, day: str) -> None:
    """Marks, order and place of the currency are the locale's; one that is not known is refused."""
    document = {
        **LINES,
        "columns": [
            {"id": "a", "heading": "A", "value": {"formula": "1234.5"}, "show": {"decimals": 2}},
            column("amount", "amount", show={"decimals": 2}),
            {"id": "d", "heading": "D", "value": {"formula": "DATE(2026; 10; 20)"}},
        ],
        "at_most": 1,
        "output": {"style": "reader", "locale": locale, "reader": {"title": False}},
    }
    row = rows_of(run(document).path)[1]

    assert row[0] == amount.replace("£", "").strip("\u00a0")
    assert row[1].startswith("£") == amount.startswith("£")
    assert row[2] == day


def test_what_a_spreadsheet_would_run_is_guarded_for_readers_and_noted_for_machines(run: Run, query: Query) -> None:
    """An apostrophe in front, by default where people read; the slip says so either way."""
    document = {
        "records": "tree",
        "columns": [column("note", "note")],
        "filter": {"all": [{"path": "note", "is": "starts_with", "value": "="}]},
    }
    machine = run(document)
    plain = rows_of(machine.path)
    reader = run({**document, "output": {"style": "reader", "reader": {"title": False}}})
    count = query("SELECT count(*) FROM tree WHERE t_note LIKE '=%'")[0][0]

    assert [r[0][0] for r in plain[1:]] == ["="] * count
    assert machine.slip["findings"] == [
        {"what": "texts in “Note” begin like a formula; a spreadsheet may run them", "count": count}
    ]
    assert [r[0][:2] for r in rows_of(reader.path)[1:]] == ["'="] * count
    assert "guarded" in reader.slip["findings"][0]["what"]


def test_findings_for_readers_are_guarded(run: Run) -> None:
    """Values of records stand in them; negative numbers stay numbers."""
    document = {
        "records": "tree",
        "columns": [column("note", "note"), {"id": "less", "heading": "Less", "value": {"formula": "0 - {t_girth}"}}],
        "filter": {"all": [{"path": "note", "is": "starts_with", "value": "="}]},
        "checks": [{"column": c, "must": "one_of", "values": [7]} for c in ("note", "less")],
        "output": {"style": "reader", "companions": ["findings"]},
    }
    findings = next(f for f in run(document).files if f.role == "findings")
    cells = [cell for row in rows_of(findings.path) for cell in row]

    assert any(c.startswith("'=") for c in cells)
    assert any(c.startswith("-") for c in cells)
    assert not any(c.startswith(("=", "'-")) for c in cells)


def test_a_text_in_a_total_is_guarded_like_those_above_it(run: Run) -> None:
    document = {
        "records": "tree",
        "columns": [{**column("note", "note"), "total": "least"}, column("tag", "tag")],
        "filter": {"all": [{"path": "note", "is": "starts_with", "value": "="}]},
        "output": {"style": "reader", "reader": {"title": False}},
    }
    *_, total = rows_of(run(document).path)

    assert total[0][:2] == "'="
    assert total[1] == "Total"


# Companions and other formats


def test_a_dictionary_goes_along_in_three_ways(run: Run) -> None:
    """As a sheet, as a companion CSV, and as metadata beside the file; all say the same of each column."""
    document = {
        "records": "resident_report",
        "columns": [
            column("number", "number"),
            column("mail", "mail"),
            column("state", "state"),
            {"id": "n", "heading": "Trees there", "value": {"fold": {"path": "site.trees", "how": "count"}}},
        ],
        "at_most": 5,
        "output": {"dictionary": ["sheet", "csv", "csvw"]},
    }
    done = run(document)
    names = [f.path.name for f in done.files]
    dictionary = rows_of(done.files[1].path)
    metadata = json.loads(done.files[2].path.read_text())
    sheet = python_calamine.load_workbook(str(run(document, "xlsx").path)).get_sheet_by_name("Dictionary").to_python()

    assert names == ["test_2026-11-23.csv", "test_2026-11-23-dictionary.csv", "test_2026-11-23.csv-metadata.json"]
    assert [r[0] for r in dictionary] == ["Heading", "Number", "Mail", "State", "Trees there"]
    assert dictionary[2][7] == "personal"
    assert dictionary[3][5] == "N = New; O = Open; C = Closed"
    assert dictionary[4][2] == "number of Site › Trees."
    assert [[str(c) for c in r] for r in sheet] == dictionary
    assert metadata["@context"][0] == "http://www.w3.org/ns/csvw"
    assert metadata["url"] == names[0]
    assert [c["titles"] for c in metadata["tableSchema"]["columns"]] == [
        ["Number"],
        ["Mail"],
        ["State"],
        ["Trees there"],
    ]
    assert metadata["tableSchema"]["columns"][3]["datatype"] == "integer"
    assert [f.get("role") for f in done.slip["files"]] == [None, "dictionary", "metadata"]


def test_json_lines_keep_every_value_as_what_it_is(run: Run, query: Query) -> None:
    """Numbers exactly, yes-no, blanks as null, any text; a line per row."""
    document = {
        "records": "tree",
        "columns": [
            column("tag", "tag"),
            column("girth", "t_girth"),
            column("note", "note"),
            column("native", "species.native"),
            column("planted", "planted_on"),
        ],
        "filter": {"all": [{"path": "note", "is": "not_blank"}]},
    }
    lines = run(document, "jsonl").path.read_text(encoding="utf-8").splitlines()
    found = [json.loads(line, parse_float=Decimal) for line in lines]
    expected = query(
        "SELECT t_tag, t_girth, t_note, sp_native, t_planted::text FROM tree t LEFT JOIN species p ON p.sp_id = t.sp_id"
        " WHERE btrim(t_note, E' \\t') <> '' ORDER BY t_id"
    )

    assert [tuple(f.values()) for f in found] == expected
    assert list(found[0]) == ["Tag", "Girth", "Note", "Native", "Planted"]


def test_a_spreadsheet_carries_properties_sheets_and_links(run: Run, query: Query) -> None:
    """Title, author, keywords and sentence in the properties; About, Dictionary and Findings; links to the records."""
    document = {
        "records": "tree",
        "columns": [
            column("tag", "tag", show={"link": True}),
            {"id": "f", "heading": "F", "value": {"formula": "1 / 0"}},
        ],
        "filter": {"all": [{"path": "seal", "is": "not_blank"}]},
        "output": {
            "dictionary": ["sheet"],
            "xlsx": {"author": "Ines Harrow", "keywords": "seals", "about_sheet": True, "findings_sheet": True},
        },
    }
    book = openpyxl.load_workbook(run(document, "xlsx").path)
    tags = [r[0] for r in query("SELECT t_tag FROM tree WHERE t_seal IS NOT NULL ORDER BY t_id")]

    assert book.sheetnames == ["Trees", "About", "Dictionary", "Findings"]
    assert book.properties.creator == "Ines Harrow"
    assert book.properties.keywords == "seals, Marrowby Trees, practice data"
    assert book.properties.description.startswith("One row per tree where")
    cells = [row[0] for row in book["Trees"].iter_rows(min_row=2)]
    assert [c.value for c in cells] == tags
    assert [c.hyperlink.target for c in cells] == [f"https://trees.marrowby.example/tree/{t}" for t in tags]
    assert book["Findings"]["B2"].value == len(tags)


@pytest.mark.parametrize(
    ("style", "sheets", "heading"),
    [
        ("reader", ["Trees", "Über die Datei", "Wörterbuch", "Befunde"], "Was gefunden wurde"),
        ("machine", ["Trees", "About", "Dictionary", "Findings"], "What was found"),
    ],
)
def test_what_stands_beside_the_rows_speaks_to_readers_and_not_to_programs(
    run: Run, style: str, sheets: list[str], heading: str
) -> None:
    """Whatever is spoken, a program finds a sheet by the name it had."""
    output = {"style": style, "dictionary": ["sheet"], "xlsx": {"about_sheet": True, "findings_sheet": True}}
    document = {"records": "tree", "columns": [column("tag", "tag")], "at_most": 1, "output": output}
    with speaking("de"):
        book = openpyxl.load_workbook(run(document, "xlsx").path)

    assert (book.sheetnames, book[sheets[-1]]["A1"].value) == (sheets, heading)


def test_a_letter_that_an_encoding_lacks_stops_the_run_or_is_replaced_and_counted(run: Run) -> None:
    """Windows-1252 has no 木; the error names the letter, and nothing is left behind."""
    document = {
        "records": "tree",
        "columns": [column("note", "note")],
        "filter": {"all": [{"path": "note", "is": "not_blank"}]},
        "output": {"csv": {"encoding": "windows-1252"}},
    }
    with pytest.raises(EncodingProblem) as stopped:
        run(document)
    replacing = {**document, "output": {"csv": {"encoding": "windows-1252", "unencodable": "replace"}}}
    done = run(replacing)

    assert stopped.value.encoding == "windows-1252"
    assert list(done.path.parent.iterdir()) == [done.path]
    assert "became “?”" in done.slip["findings"][0]["what"]


# Names


def test_names_have_windows_answers_and_numbers(run: Run) -> None:
    """The parts of a name come from the window, the answers, the sequence and the recipient."""
    document = {
        **LINES,
        "asks": [{"name": "who", "label": "Who?", "kind": "text", "required": False, "default": "Quay/North"}],
        "output": {"name": "{window_start:%d%m}-{window_end:%d%m}_{ask.who}_{sequence}_{recipient}"},
    }

    assert run(document, sequence=7, recipient="Finance Drop").path.name == "0110-2010_Quay-North_7_Finance_Drop.csv"


@pytest.mark.parametrize(
    ("output", "place"),
    [
        ({"name": "{value:ward.name}"}, "output.name"),
        ({"name": "{ask.nothing}"}, "output.name"),
        ({"format": "xlsx", "split": {"megabytes": 1}}, "output.split.megabytes"),
        ({"split": {"by": "ward.nam"}}, "output.split.by"),
        ({"split": {"by": "trees.tag"}}, "output.split.by"),
        ({"style": "reader", "reader": {"groups": ["nope"]}}, "output.reader.groups[0]"),
    ],
)
def test_what_a_file_cannot_be_is_refused_at_its_place(run: Run, output: dict[str, Any], place: str) -> None:
    """Before anything is read."""
    with pytest.raises(PlanError) as refused:
        run({"records": "site", "columns": [column("code", "code")], "output": output}, output.get("format", "csv"))

    assert [p.place for p in refused.value.problems] == [place]


def test_a_run_without_rows_makes_a_file_with_its_heading_row(run: Run) -> None:
    """Also split by a value, also for readers, also as a spreadsheet."""
    document = {
        "records": "site",
        "columns": [column("code", "code", total="count")],
        "filter": {"all": [{"path": "code", "is": "is", "value": "none such"}]},
        "output": {"style": "reader", "split": {"by": "ward.name"}, "reader": {"title": False, "groups": ["code"]}},
    }

    assert rows_of(run(document).path)[0] == ["Code"]
    assert python_calamine.load_workbook(str(run(document, "xlsx").path)).get_sheet_by_index(0).to_python()[0] == [
        "Code"
    ]
    assert isinstance(WriteError("x"), Exception)


@pytest.mark.parametrize("format", [f.name for f in FORMATS.values() if f.audience == "programs"])
def test_the_digest_is_that_of_the_file_that_lies_there(run: Run, monkeypatch: pytest.MonkeyPatch, format: str) -> None:
    """Of many batches, and also where a format's head says how many rows come."""
    monkeypatch.setattr(postgres, "BATCH_BYTES", 200_000)
    columns = [column("tag", "tag"), column("girth", "t_girth"), column("site", "site.name"), column("note", "note")]
    document = {"records": "tree", "columns": columns, "output": {"csv": {"unencodable": "replace"}}}
    for file in run({**document, "at_most": 20_000}, format).files:
        assert file.sha256 == hashlib.sha256(file.path.read_bytes()).hexdigest()
