"""
Reading files back: whatever was written comes back as the same texts.
"""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import polars as pl
import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.matching import read_header
from bouquet.core.reading import FileRows, Unreadable, first_cells, first_headings
from bouquet.core.sheets import write_rows
from bouquet.core.template import Csv

CELLS = st.none() | st.text(
    st.characters(exclude_categories=["Cs"], exclude_characters="\x00\r"), min_size=1, max_size=8
)


def read(rows: FileRows) -> list[tuple[str | None, ...]]:
    frames = list(rows.batches())
    return pl.concat(frames).rows() if frames else []


@given(
    st.lists(st.tuples(CELLS, CELLS), min_size=1, max_size=20),
    st.sampled_from([",", ";", "\t", "|"]),
    st.sampled_from(["utf-8", "utf-8-sig", "utf-16"]),
    st.sampled_from([csv.QUOTE_ALL, csv.QUOTE_MINIMAL]),
)
def test_a_csv_comes_back_as_it_was(
    tmp_path_factory: pytest.TempPathFactory,
    rows: list[tuple[str | None, str | None]],
    mark: str,
    encoding: str,
    quoting: int,
) -> None:
    """Separators, encodings, quotation marks and line breaks in cells."""
    path = tmp_path_factory.mktemp("csv") / "a.csv"
    with path.open("w", encoding=encoding, newline="") as file:
        writer = csv.writer(file, delimiter=mark, quoting=quoting)  # type: ignore[arg-type]
        writer.writerows([["one", "two"], *rows])
    options = Csv.model_validate({"separator": mark, "encoding": encoding})

    assert read(FileRows((path,), "csv", ("one", "two"), options)) == rows
    assert read(FileRows((path,), "csv", (), options)) == rows


def test_several_files_follow_each_other(tmp_path: Path) -> None:
    """The parts of a split are one side."""
    for n in (1, 2):
        (tmp_path / f"{n}.csv").write_text(f"a\r\n{n}\r\n")

    assert read(FileRows((tmp_path / "1.csv", tmp_path / "2.csv"), "csv", ("a",))) == [("1",), ("2",)]


def test_titles_above_the_headings_are_passed_over(tmp_path: Path) -> None:
    """A reader's file begins with lines of title."""
    path = tmp_path / "a.csv"
    path.write_text("All trees\r\nas of today\r\n\r\nTag,Girth\r\nT-1,5\r\n")

    assert read(FileRows((path,), "csv", ("Tag", "Girth"), titled=True)) == [("T-1", "5")]


def test_typed_cells_come_as_programs_write_them(tmp_path: Path) -> None:
    """Numbers without a needless point, dates in ISO form, yes-no in words; sheets that hold no rows are left out."""
    path = tmp_path / "a.xlsx"
    book = xlsxwriter.Workbook(str(path), {"default_date_format": "yyyy-mm-dd"})
    sheet = book.add_worksheet("Rows")
    sheet.write_row(0, 0, ["n", "yes", "text", "blank"])
    sheet.write_row(1, 0, [3, True, "x"])
    sheet.write_row(2, 0, [2.5, False, "007"])
    book.add_worksheet("About").write(0, 0, "not rows")
    book.close()

    assert read(FileRows((path,), "xlsx", ("n", "yes", "text", "blank"))) == [
        ("3", "true", "x", None),
        ("2.5", "false", "007", None),
    ]
    rows = tmp_path / "rows"
    write_rows(path, rows)
    assert first_headings(rows) == ("n", "yes", "text", "blank")
    assert read(FileRows((rows,), "rows", ("n", "yes", "text", "blank"))) == [
        ("3", "true", "x", None),
        ("2.5", "false", "007", None),
    ]


def test_json_lines(tmp_path: Path) -> None:
    """Numbers keep their digits."""
    path = tmp_path / "a.jsonl"
    path.write_text('{"a":12345678901234567890.10,"b":null}\n' + json.dumps({"a": 1, "b": "x"}) + "\n")

    assert read(FileRows((path,), "jsonl", ("a", "b"))) == [("12345678901234567890.10", None), ("1", "x")]


@pytest.mark.parametrize("head", ["a,b\rc,d", 'a,"' + "x" * 200_000, "\r\r", ""])
def test_a_head_that_no_row_can_be_read_from_has_no_cells_too_many(head: str) -> None:
    """A line break inside a line, a cell without end: no error of the reader comes through."""
    assert first_cells(io.StringIO(head, newline=""), ",") in (["a", "b"], [])
    assert first_cells([head], ",") in (["a", "b"], [])
    assert read_header(head.replace(",", ";")) is not None


def test_what_is_no_such_file_is_said(tmp_path: Path) -> None:
    """In a sentence with its name."""
    path = tmp_path / "a.csv"
    path.write_text("a,b\r\n1\r\n")
    with pytest.raises(Unreadable, match=r"a\.csv"):
        read(FileRows((path,), "csv", ("a", "b")))


@pytest.mark.parametrize(
    "line",
    ["[1]", "5", "null", '{"n": 1e99999999999999999999}', '{"n": NaN}', '{"n": ' + "[" * 9_000, '{"n": ' + "9" * 5_000],
)
def test_lines_that_are_no_objects_of_json_are_said(tmp_path: Path, line: str) -> None:
    """Whatever a person gives back is read, or refused; it never breaks off."""
    path = tmp_path / "a.jsonl"
    path.write_text(line)

    with pytest.raises(Unreadable, match=r"a\.jsonl"):
        list(FileRows((path,), "jsonl").batches())
