"""
Spreadsheets that please: how they look, print, fold, and what can be changed in them; opened by an independent reader,
and by LibreOffice where it is installed.
"""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from pypdf import PdfReader

from bouquet.core.errors import PlanError
from tests.sources.files import LINES, Run, column

READERS = {**LINES, "at_most": 40, "output": {"style": "reader", "reader": {"groups": ["ward"]}}}


def opened(path: Path) -> Any:
    return openpyxl.load_workbook(path)


def heading_row(sheet: Any) -> int:
    return next(r for r in range(1, 9) if sheet.cell(r, 1).value == "Order")


def test_headings_stand_over_their_values(run: Run) -> None:
    """To the right over numbers and dates, to the left over texts."""
    sheet = opened(run(LINES | {"at_most": 5}, "xlsx").path).worksheets[0]

    assert [c.alignment.horizontal for c in sheet[1]] == ["left", "left", "right", "right", "right"]


def test_the_line_over_a_total_has_no_gaps(run: Run) -> None:
    """Every cell of it has the line, with a value or without."""
    sheet = opened(run(READERS, "xlsx").path).worksheets[0]
    totals = [row for row in sheet.iter_rows(min_row=6) if str(row[0].value).startswith("Total")]

    assert len(totals) > 1
    assert all(cell.border.top.style == "thin" for row in totals for cell in row[:5])


def test_the_sentence_is_wrapped_over_the_width(run: Run) -> None:
    """It does not run out of the page."""
    sheet = opened(run(READERS, "xlsx").path).worksheets[0]

    assert {"A1:E1", "A2:E2", "A3:E3"} == {str(r) for r in sheet.merged_cells.ranges}
    assert sheet["A2"].alignment.wrap_text
    assert sheet.row_dimensions[2].height >= 16


def test_it_prints_as_wide_as_a_page_with_its_headings_on_each(run: Run) -> None:
    """A4, headings repeated, and pages numbered."""
    sheet = opened(run(READERS, "xlsx").path).worksheets[0]

    # As wide as one page is what the format means where it says nothing.
    assert (sheet.page_setup.fitToWidth or 1, sheet.page_setup.fitToHeight, sheet.page_setup.paperSize) == (1, 0, 9)
    assert sheet.sheet_properties.pageSetUpPr.fitToPage
    assert sheet.print_title_rows == f"${heading_row(sheet)}:${heading_row(sheet)}"
    assert "&P" in sheet.oddFooter.right.text or "Page" in sheet.oddFooter.right.text


def test_groups_can_be_folded(run: Run) -> None:
    """Rows lie one level below the heading and the subtotal of their group, whose value they say quietly."""
    sheet = opened(run(READERS, "xlsx").path).worksheets[0]
    levels = {}
    for row in range(heading_row(sheet) + 1, sheet.max_row + 1):
        said = str(sheet.cell(row, 1).value)
        kind = "heading" if said.startswith("Ward:") else "total" if said.startswith("Total") else "row"
        levels.setdefault(kind, set()).add(sheet.row_dimensions[row].outlineLevel)
        if kind == "row":
            assert sheet.cell(row, 2).font.color.rgb == "FFA39B8F"

    assert levels == {"heading": {0}, "row": {1}, "total": {0}}


def test_some_columns_can_be_changed_and_all_else_is_locked(run: Run) -> None:
    """Also where a cell is blank; choices are offered as a list."""
    document = {
        "records": "tree", "at_most": 30, "columns": [column("tag", "tag"), column("status", "status"), column("planted", "planted_on")],
        "output": {"xlsx": {"editable": ["status", "planted"]}},
    }  # fmt: skip
    book = opened(run(document, "xlsx").path)
    sheet, opened_choices = book.worksheets[0], book["Choices"]
    lists = [v for v in sheet.data_validations.dataValidation if v.type == "list"]

    assert sheet.protection.sheet
    assert {sheet.cell(r, 1).protection.locked for r in range(2, 32)} == {True}
    assert {sheet.cell(r, 2).protection.locked for r in range(2, 32)} == {False}
    assert {sheet.cell(r, 3).protection.locked for r in range(2, 32)} == {False}
    assert any(sheet.cell(r, 3).value is None for r in range(2, 32))
    assert [str(v.sqref) for v in lists] == ["B2:B31"]
    assert lists[0].formula1 == "Choices!$B$1:$B$4"
    assert "Dead, standing" in [c.value for c in opened_choices["B"]]
    assert opened_choices.sheet_state == "hidden"


def test_a_heading_says_what_its_column_means(run: Run) -> None:
    """To who chooses it; nothing where nobody said."""
    sheet = opened(
        run({"records": "tree", "at_most": 1, "columns": [column("girth", "t_girth")]}, "xlsx").path
    ).worksheets[0]
    told = {str(v.sqref): v.prompt for v in sheet.data_validations.dataValidation}

    assert "A1" in told
    assert told["A1"]


def test_bars_and_a_chart_leave_totals_out(run: Run) -> None:
    """Beside a total every bar would be a short one."""
    document = {
        **LINES, "at_most": 12,
        "output": {"style": "reader", "xlsx": {"bars": ["amount"], "chart": {"kind": "bars", "columns": ["amount"]}}},
    }  # fmt: skip
    book = opened(run(document, "xlsx").path)
    sheet, top = book.worksheets[0], heading_row(book.worksheets[0])
    (ranges,) = [str(r.sqref) for r in sheet.conditional_formatting]
    (chart,) = book["Chart"]._charts
    (series,) = chart.series

    assert ranges == f"D{top + 1}:D{top + 12}"
    assert series.val.numRef.f.endswith(f"$D${top + 1}:$D${top + 12}")
    assert series.cat is not None


TINTED = {
    **LINES,
    "at_most": 12,
    "output": {
        "xlsx": {
            "tints": [
                {"column": "amount", "is": "at_least", "value": "1500.5", "tint": "rose"},
                {"column": "ward", "is": "is", "value": 'The "Quay"', "row": True},
                {"column": "order", "is": "is_blank", "tint": "sky"},
            ]
        }
    },
}


def test_cells_and_rows_are_coloured_by_rule(run: Run) -> None:
    """As formulas of their own rows, so that they hold for what is typed in later; texts letter by letter."""
    sheet = opened(run(TINTED, "xlsx").path).worksheets[0]
    rules = {str(r.sqref): r.rules[0] for r in sheet.conditional_formatting}
    places = {sheet.cell(1, n).value: "ABCDE"[n - 1] for n in range(1, 6)}
    amount, ward, order = (places[n] for n in ("Amount", "Ward", "Order"))

    assert {place: rule.formula for place, rule in rules.items()} == {
        f"{amount}2:{amount}13": [f"AND(ISNUMBER(${amount}2),${amount}2>=1500.5)"],
        "A2:E13": [f'EXACT(${ward}2,"The ""Quay""")'],
        f"{order}2:{order}13": [f"LEN(TRIM(${order}2))=0"],
    }
    assert rules["A2:E13"].dxf.fill.bgColor.rgb == "FFF7E3B5"


@pytest.mark.parametrize(
    ("tint", "place"),
    [
        ({"column": "nothing", "value": "1"}, "output.xlsx.tints[0].column"),
        ({"column": "amount", "is": "less_than", "value": "much"}, "output.xlsx.tints[0].value"),
        ({"column": "amount", "is": "less_than", "value": "NaN"}, "output.xlsx.tints[0].value"),
        ({"column": "amount", "is": "less_than", "value": "1e999999999"}, "output.xlsx.tints[0].value"),
        ({"column": "done", "is": "less_than", "value": "soon"}, "output.xlsx.tints[0].value"),
        ({"column": "done", "is": "less_than", "value": "1850-01-02"}, "output.xlsx.tints[0].value"),
        ({"column": "done", "is": "less_than", "value": "2026-11-28T12:00+02:00"}, "output.xlsx.tints[0].value"),
        ({"column": "ward", "is": "less_than", "value": "M"}, "output.xlsx.tints[0].value"),
    ],
)
def test_a_rule_that_means_nothing_is_said(run: Run, tint: dict[str, Any], place: str) -> None:
    with pytest.raises(PlanError) as refused:
        run({**LINES, "output": {"xlsx": {"tints": [tint]}}}, "xlsx")

    assert [p.place for p in refused.value.problems] == [place]


def test_personal_data_gives_no_colours(run: Run) -> None:
    """The rule would name somebody in the file of a recipient who may not know."""
    document = {
        "records": "resident_report",
        "columns": [column("who", "resident")],
        "output": {"xlsx": {"tints": [{"column": "who", "value": "Ada Green"}]}},
    }
    with pytest.raises(PlanError) as refused:
        run(document, "xlsx")

    assert [p.code for p in refused.value.problems] == ["personal_tint"]


def test_columns_that_are_not_there_are_said(run: Run) -> None:
    """At their place."""
    document = {**LINES, "output": {"xlsx": {"bars": ["amount", "nothing"]}}}
    with pytest.raises(PlanError) as refused:
        run(document, "xlsx")

    assert [p.place for p in refused.value.problems] == ["output.xlsx.bars[1]"]


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
@pytest.mark.parametrize("format", ["xlsx", "ods"])
def test_libreoffice_opens_and_prints_it(run: Run, tmp_path: Path, format: str) -> None:
    """Nothing is repaired, nothing lost: every amount stands in the printed pages, in as many as one is wide."""
    path = run(READERS, format).path
    command = ["soffice", f"-env:UserInstallation=file://{tmp_path}/profile", "--headless", "--convert-to", "pdf"]
    subprocess.run([*command, "--outdir", str(tmp_path), str(path)], check=True, capture_output=True, timeout=180)
    said = "".join(page.extract_text() for page in PdfReader(tmp_path / f"{path.stem}.pdf").pages)

    assert "One row per work order line" in said.replace("\n", " ")
    assert said.count("Total ") >= 2
