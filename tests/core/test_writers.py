"""
Writers: what independent readers find in the files.
"""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import polars as pl
import pyarrow as pa
import pytest
import python_calamine
import stream_zip
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bouquet.core.errors import EncodingProblem, WriteError
from bouquet.core.plan import Plan, Resolution
from bouquet.core.shaping import to_frame
from bouquet.core.slip import Totals
from bouquet.core.writers import writer_of, xlsx, xlsx_cells

Resolve = Callable[..., Resolution]
ANYTHING = st.text(st.characters(exclude_characters="\x00", exclude_categories=["Cs"]), max_size=12)
relaxed = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])


def written(plan: Plan, format: str, path: Path, **columns: Any) -> Path:
    batch = pa.record_batch(columns) if columns else pa.record_batch({"only_constants": [1, 1]})
    target = path / f"file.{format}"
    with writer_of(format)(plan, target, announced=batch.num_rows, sentence="One row per tree.") as writer:
        writer.write(to_frame(batch))
    return target


def csv_rows(path: Path, encoding: str = "utf-8", **options: Any) -> list[list[str]]:
    with path.open(newline="", encoding=encoding) as file:
        return list(csv.reader(file, **options))


def xlsx_rows(path: Path, sheet: int = 0) -> list[list[Any]]:
    return python_calamine.load_workbook(str(path)).get_sheet_by_index(sheet).to_python()


def column(field: str, heading: str | None = None, **more: Any) -> dict[str, Any]:
    return {"id": f"id_{field}_{heading}", "heading": heading or field, "value": {"field": field}, **more}


# CSV


@relaxed
@given(st.lists(st.tuples(ANYTHING, ANYTHING), min_size=1, max_size=6), st.sampled_from([",", ";", "\t", "|"]))
def test_any_reader_gives_back_the_texts(
    resolved: Resolve, tmp_path_factory: Any, rows: list[tuple[str, str]], mark: str
) -> None:
    """CSV written → read by the rules of RFC 4180 → the same values."""
    plan = resolved("tag", "note", output={"csv": {"separator": mark}}).require()
    path = written(plan, "csv", tmp_path_factory.mktemp("csv"), c0=[a for a, _ in rows], c1=[b for _, b in rows])

    assert csv_rows(path, delimiter=mark) == [["tag", "note"], *[list(r) for r in rows]]


@pytest.mark.parametrize("quoting", ["as_needed", "text", "everything"])
@pytest.mark.parametrize("separator", list("-12. aT:/~^"))
def test_any_separator_parts_only_cells(resolved: Resolve, tmp_path: Path, separator: str, quoting: str) -> None:
    """Also one that numbers and dates are written with."""
    options = {"csv": {"separator": separator, "quoting": quoting}}
    plan = resolved("rings", "girth", "planted_on", "entered_at", "tag", output=options).require()
    values = {"c0": [-212, 21], "c1": ["-1.25", "2"], "c2": [date(2026, 1, 2)] * 2, "c4": ["a-1 b", "T:2/."]}
    path = written(plan, "csv", tmp_path, **values, c3=[datetime(2026, 1, 2, 12, 1)] * 2)
    rows = csv_rows(path, delimiter=separator)

    assert rows[1] == ["-212", "-1.25", "2026-01-02", "2026-01-02T12:01:00", "a-1 b"]
    assert rows[2] == ["21", "2", "2026-01-02", "2026-01-02T12:01:00", "T:2/."]


@relaxed
@given(st.lists(st.none() | ANYTHING, min_size=1, max_size=6), st.sampled_from(["as_needed", "text", "everything"]))
def test_a_single_column_loses_no_row(
    resolved: Resolve, tmp_path_factory: Any, texts: list[str | None], quoting: str
) -> None:
    """A blank in a sheet of one column is a row of its own, not an empty line to be skipped."""
    plan = resolved("note", output={"csv": {"quoting": quoting}}).require()
    path = written(plan, "csv", tmp_path_factory.mktemp("csv"), c0=pa.array(texts, pa.string()))

    assert csv_rows(path) == [["note"], *[[t or ""] for t in texts]]


@pytest.mark.parametrize("quoting", ["as_needed", "text", "everything"])
def test_a_single_column_of_numbers_loses_no_row(resolved: Resolve, tmp_path: Path, quoting: str) -> None:
    """Nor does a sheet of nothing but numbers."""
    plan = resolved("rings", output={"csv": {"quoting": quoting}}).require()

    assert csv_rows(written(plan, "csv", tmp_path, c0=pa.array([1, None, 3]))) == [["rings"], ["1"], [""], ["3"]]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "windows-1252", "iso-8859-1"])
def test_encodings(resolved: Resolve, tmp_path: Path, encoding: str) -> None:
    """Each encoding is read back by Python's own codec of that name."""
    plan = resolved("note", output={"csv": {"encoding": encoding}}).require()
    path = written(plan, "csv", tmp_path, c0=["Früh, spät"])
    known = {"windows-1252": "cp1252", "iso-8859-1": "latin-1"}.get(encoding, encoding)

    assert csv_rows(path, known) == [["note"], ["Früh, spät"]]


@pytest.mark.parametrize("format", ["csv", "txt", "dbf"])
def test_a_letter_the_encoding_has_not_stops_or_is_counted(resolved: Resolve, tmp_path: Path, format: str) -> None:
    """Which, the template chooses; the error names the letter and the row, however many lines a cell has."""
    options = {"encoding": "windows-1252"}
    with pytest.raises(EncodingProblem, match="Row 3 holds 'Ł'") as caught:
        written(resolved("note", output={"csv": options}).require(), format, tmp_path, c0=["ok", "a\nb\nc", "Łucja"])
    assert (caught.value.letter, caught.value.row) == ("Ł", 3)
    assert ("UTF-8" in str(caught.value)) == (format != "dbf")

    plan = resolved("note", output={"csv": {**options, "unencodable": "replace"}}).require()
    with writer_of(format)(plan, tmp_path / "r", announced=1) as writer:
        writer.write(pl.DataFrame({"c0": ["Łuc?ja"]}))
    assert b"?uc?ja" in (tmp_path / "r").read_bytes()
    assert writer.facts.notes == {"letters that windows-1252 does not have became “?”": 1}


@pytest.mark.parametrize("format", ["csv", "txt"])
def test_an_encoding_that_has_every_letter_replaces_none(resolved: Resolve, tmp_path: Path, format: str) -> None:
    """In UTF-16 a part of a letter may look like a question mark: U+043F and U+3F00 are none."""
    plan = resolved("note", output={"csv": {"encoding": "utf-16", "unencodable": "replace"}}).require()
    with writer_of(format)(plan, tmp_path / "r", announced=1) as writer:
        writer.write(pl.DataFrame({"c0": ["п㼀"]}))
    assert "п㼀" in (tmp_path / "r").read_bytes().decode("utf-16")
    assert writer.facts.notes == {}


def test_a_heading_that_cannot_be_written_is_told_as_one(resolved: Resolve, tmp_path: Path) -> None:
    """It is not in a row."""
    column = {"id": "c1", "heading": "Łan", "value": {"field": "note"}}
    plan = resolved(column, output={"csv": {"encoding": "windows-1252"}}).require()
    with pytest.raises(EncodingProblem, match="A heading or title holds 'Ł'"):
        written(plan, "csv", tmp_path, c0=["ok"])


@pytest.mark.parametrize(
    ("heading_row", "expected"),
    [
        ("headings", [["Note!"]]),
        ("names", [["note"]]),
        ("both", [["Note!"], ["note"]]),
        ("none", []),
        ("merge", [["Note"]]),
    ],
)
def test_heading_rows(resolved: Resolve, tmp_path: Path, heading_row: str, expected: list[list[str]]) -> None:
    """Headings, technical names, both, none, or names that programs merge letters by."""
    plan = resolved(column("note", "Note!"), output={"csv": {"heading_row": heading_row}}).require()

    assert csv_rows(written(plan, "csv", tmp_path, c0=["x"])) == [*expected, ["x"]]


def test_quoting_text_leaves_numbers_bare(resolved: Resolve, tmp_path: Path) -> None:
    """`text` quotes all text and nothing else."""
    plan = resolved("tag", "rings", output={"csv": {"quoting": "text", "line_end": "LF"}}).require()

    assert written(plan, "csv", tmp_path, c0=['a"b', None], c1=[1, 2]).read_text() == '"tag","rings"\n"a""b",1\n,2\n'


def test_values_on_paper(resolved: Resolve, tmp_path: Path) -> None:
    """Machine style by default, and every format a column can ask for."""
    plan = resolved(
        column("girth", "a"),
        column("girth", "b", show={"grouping": ".", "decimal_mark": ",", "suffix": " cm"}),
        column("planted_on", "c"),
        column("planted_on", "d", show={"date": "d MMM yyyy"}),
        column("changed_at", "e"),
        column("changed_at", "f", show={"date": "dd/MM/yyyy HH:mm"}),
        column("protected", "g", show={"yes": "ja", "no": "nein"}),
        column("status", "h"),
        column("status", "i", show={"choice": "code"}),
        column("note", "j", show={"case": "upper", "trim": True}, blank="–"),
        {"id": "k", "heading": "k", "value": {"constant": "A7"}},
        column("rings", "l", show={"decimals": 2, "grouping": ","}),
    ).require()
    girths, days = ["-1234567.50", None], [date(1890, 3, 5), None]
    moments = pa.array([datetime(2026, 7, 1, 12, 0, 0, 500, UTC), None], pa.timestamp("us", "UTC"))
    path = written(
        plan,
        "csv",
        tmp_path,
        c0=girths,
        c1=girths,
        c2=days,
        c3=days,
        c4=moments,
        c5=moments,
        c6=[True, None],
        c7=["S", "Q"],
        c8=["S", "Q"],
        c9=["  é ", ""],
        c11=[1234, None],
    )

    assert csv_rows(path)[1:] == [
        [
            "-1234567.50", "-1.234.567,50 cm", "1890-03-05", "5 Mar 1890", "2026-07-01T13:00:00.000500+01:00",
            "01/07/2026 13:00", "ja", "Standing", "S", "É", "A7", "1,234.00",
        ],
        ["", "", "", "", "", "", "", "Q", "Q", "–", "A7", ""],
    ]  # fmt: skip


def test_only_constants_still_make_a_row_each(resolved: Resolve, tmp_path: Path) -> None:
    """A sheet without fields has as many rows as there are records."""
    plan = resolved({"id": "k", "heading": "k", "value": {"constant": "A7"}}).require()

    assert csv_rows(written(plan, "csv", tmp_path)) == [["k"], ["A7"], ["A7"]]
    assert [r[0] for r in xlsx_rows(written(plan, "xlsx", tmp_path))] == ["k", "A7", "A7"]


# XLSX


@relaxed
@given(st.lists(st.tuples(st.none() | ANYTHING, st.none() | ANYTHING), min_size=1, max_size=5))
def test_two_readers_find_the_same_texts(
    resolved: Resolve, tmp_path_factory: Any, rows: list[tuple[str | None, str | None]]
) -> None:
    """Whatever a text holds, the sheet is well-formed and gives it back, controls escaped."""
    texts = [pa.array([r[n] for r in rows], pa.string()) for n in (0, 1)]
    path = written(resolved("tag", "note").require(), "xlsx", tmp_path_factory.mktemp("xlsx"), c0=texts[0], c1=texts[1])
    found = [
        [cell.value for cell in row]
        for row in openpyxl.load_workbook(path).worksheets[0].iter_rows(min_row=2, max_col=2)
    ]
    found += [[None, None]] * (len(rows) - len(found))

    def plain(text: str | None) -> str:
        unescaped = openpyxl.utils.escape.unescape(text or "")
        return re.sub(r"\r\n?", "\n", unescaped)

    for row, expected in zip(found, rows, strict=True):
        assert [plain(v) for v in row] == [plain(v) for v in expected]


def test_cells_are_typed(resolved: Resolve, tmp_path: Path) -> None:
    """Numbers, dates and yes-no are themselves; identifiers and long numbers are text; blanks are no cells."""
    plan = resolved("tag", "girth", "rings", "planted_on", "changed_at", "protected", "status", "weight").require()
    path = written(
        plan,
        "xlsx",
        tmp_path,
        c0=["0012", "4000000000000007", None],
        c1=["12.50", "12345678901234567.89", None],
        c2=pa.array([7, 1234567890123456789, None], pa.int64()),
        c3=[date(2026, 11, 22), date(1850, 1, 2), None],
        c4=pa.array([datetime(2026, 7, 1, 12, 0, tzinfo=UTC), None, None], pa.timestamp("us", "UTC")),
        c5=[True, False, None],
        c6=["S", "F", None],
        c7=["0.1", "1e300", "NaN"],
    )
    sheet = openpyxl.load_workbook(path).worksheets[0]
    rows = [[cell.value for cell in row] for row in sheet.iter_rows(min_row=2)]

    assert rows[0] == ["0012", 12.5, 7, datetime(2026, 11, 22), datetime(2026, 7, 1, 13, 0), True, "Standing", 0.1]
    assert rows[1][:4] == ["4000000000000007", "12345678901234567.89", "1234567890123456789", "1850-01-02"]
    assert rows[2] == [None] * 7 + ["NaN"]
    assert sheet["B2"].number_format == "General"
    assert sheet["D2"].number_format == "yyyy-mm-dd"
    assert sheet.freeze_panes == "A2"
    assert sheet.auto_filter.ref == "A1:H4"


def test_formats_of_numbers_and_dates(resolved: Resolve, tmp_path: Path) -> None:
    """A column's format becomes the cell's number format; the value stays exact."""
    plan = resolved(
        column("girth", "a", show={"decimals": 1, "grouping": ",", "prefix": "£"}),
        column("planted_on", "b", show={"date": "dd/MM/yyyy"}),
        column("rings", "c", blank="none"),
    ).require()
    path = written(plan, "xlsx", tmp_path, c0=["1234.5"], c1=[date(2026, 1, 2)], c2=pa.array([None], pa.int32()))
    sheet = openpyxl.load_workbook(path).worksheets[0]

    assert (sheet["A2"].value, sheet["A2"].number_format) == (1234.5, '"£"#,##0.0')
    assert (sheet["B2"].value, sheet["B2"].number_format) == (datetime(2026, 1, 2), "dd/mm/yyyy")
    assert sheet["C2"].value == "none"


def test_more_rows_than_a_sheet_holds_go_on(resolved: Resolve, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Further sheets, each with its heading row, and no row lost."""
    monkeypatch.setattr(xlsx, "SHEET_ROWS", 4)
    plan = resolved("rings", output={"xlsx": {"sheet": "History"}}).require()
    path = written(plan, "xlsx", tmp_path, c0=list(range(9)))
    book = openpyxl.load_workbook(path)

    assert book.sheetnames == ["History rows", "History rows (2)", "History rows (3)"]
    assert [[c.value for c in s["A"]] for s in book.worksheets] == [
        ["rings", 0, 1, 2, 3],
        ["rings", 4, 5, 6, 7],
        ["rings", 8],
    ]


def test_a_text_too_long_for_a_cell_is_cut_and_counted(resolved: Resolve, tmp_path: Path) -> None:
    """Never silently; letters outside the basic plane count twice, as the format counts them."""
    plan = resolved("note").require()
    with writer_of("xlsx")(plan, tmp_path / "f.xlsx", announced=2) as writer:
        writer.write(pl.DataFrame({"c0": ["🌳" * 20_000, "short"]}))

    assert xlsx_rows(tmp_path / "f.xlsx")[1] == ["🌳" * 16_383]
    assert list(writer.facts.notes.values()) == [1]


def test_properties_and_the_about_sheet(resolved: Resolve, tmp_path: Path) -> None:
    """The file says what it is, and of which data."""
    options = {"subject": "Parks", "author": "Ines Harrow", "about_sheet": True}
    path = written(resolved("tag", output={"xlsx": options}).require(), "xlsx", tmp_path, c0=["a"])
    book = openpyxl.load_workbook(path)

    assert (book.properties.title, book.properties.creator, book.properties.subject) == ("Test", "Ines Harrow", "Parks")
    assert book.properties.description == "One row per tree."
    assert "practice" in (book.properties.keywords or "")
    assert xlsx_rows(path, 1)[2] == ["Rows", "1"]


def test_an_abandoned_file_lets_go(resolved: Resolve, tmp_path: Path) -> None:
    """An error in the middle ends the writer's thread; the part written is no readable package."""

    def fail() -> None:
        with writer_of("xlsx")(resolved("tag").require(), tmp_path / "f.xlsx", announced=10) as writer:
            writer.write(pl.DataFrame({"c0": ["a"]}))
            raise KeyError("the source went away")

    with pytest.raises(KeyError):
        fail()
    assert not zipfile.is_zipfile(tmp_path / "f.xlsx")


@pytest.mark.parametrize("format", ["xlsx", "ods"])
def test_a_sheet_too_large_for_its_package_says_so(
    resolved: Resolve, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, format: str
) -> None:
    """Texts can be longer than the number of cells lets expect: whoever ran it reads what to do."""

    def overflowing(members: Iterator[Any], **_: Any) -> Iterator[bytes]:
        for _name, *_facts, content in members:
            yield from content
        raise stream_zip.UncompressedSizeOverflowError

    monkeypatch.setattr(stream_zip, "stream_zip", overflowing)
    with pytest.raises(WriteError, match=r"comes to more than 4 GB. Split the file by rows"):
        written(resolved("tag").require(), format, tmp_path, c0=["a"])


# Totals


def test_totals_are_exact(resolved: Resolve) -> None:
    """Sums without binary floats, first and last day, blanks of every kind, texts like formulas."""
    totals = Totals(resolved("girth", "planted_on", "note", "rings").require())
    for girths in (["0.10", "0.20", None], ["99999999999999999999.01", "-0.01", "0"]):
        batch = pa.record_batch(
            {
                "c0": girths,
                "c1": pa.array([date(2026, 1, 2), None, date(2025, 5, 5)]),
                "c2": ["=1+1", " \u00a0\t", ""],
                "c3": pa.array([2**31 - 1, 2**31 - 1, None], pa.int32()),
            }
        )
        totals.add(batch, to_frame(batch))
    girth, planted, note, rings = totals.columns

    assert girth.total == Decimal("99999999999999999999.30")
    assert (planted.first, planted.last, planted.blanks) == (date(2025, 5, 5), date(2026, 1, 2), 2)
    assert (note.blanks, note.formulas) == (4, 2)
    assert (rings.total, rings.blanks) == (Decimal(4 * (2**31 - 1)), 2)


def test_first_and_last_are_told_apart_in_the_hour_that_a_clock_shows_twice(resolved: Resolve) -> None:
    """By the moment itself, also where it comes in another batch: 01:30 of summer time is before 01:10 of winter's."""
    totals = Totals(resolved("changed_at").require())
    for moment in (datetime(2026, 10, 25, 0, 30, tzinfo=UTC), datetime(2026, 10, 25, 1, 10, tzinfo=UTC)):
        batch = pa.record_batch({"c0": pa.array([moment], pa.timestamp("us", "UTC"))})
        totals.add(batch, to_frame(batch))
    said = totals.columns[0].as_json()

    assert (said["first"], said["last"]) == ("2026-10-25T01:30:00+01:00", "2026-10-25T01:10:00+00:00")


def test_a_total_is_written_alike_whatever_batches_its_rows_came_in(resolved: Resolve) -> None:
    """Of numbers without a scale: no zeros at the end, whether they were summed the short or the long way."""
    weights = ["0.5", "0.5", "100", "0.00000000000000001", "1.25"]

    def told(size: int) -> str:
        totals = Totals(resolved("weight").require())
        for n in range(0, len(weights), size):
            batch = pa.record_batch({"c0": weights[n : n + size]})
            totals.add(batch, to_frame(batch))
        return str(totals.columns[0].as_json()["total"])

    assert {told(size) for size in range(1, 6)} == {"102.25000000000000001"}
    weights = ["0.5", "99.5"]
    assert {told(size) for size in (1, 2)} == {"100"}


def test_an_empty_result_is_a_whole_file(resolved: Resolve, tmp_path: Path) -> None:
    """No rows: a heading row, and nothing else."""
    plan = resolved("tag", "note").require()
    nothing = pa.array([], pa.string())

    assert csv_rows(written(plan, "csv", tmp_path, c0=nothing, c1=nothing)) == [["tag", "note"]]
    assert xlsx_rows(written(plan, "xlsx", tmp_path, c0=nothing, c1=nothing)) == [["tag", "note"]]


def test_a_slice_of_a_batch_is_read_from_its_own_place() -> None:
    """Looking at first bytes respects offsets and nulls."""
    from bouquet.core.shaping import count_empty, odd_starts

    values = pa.array(["=a", None, "", "=b", "c", " d"]).slice(1)

    assert count_empty(values) == 1
    assert odd_starts(values).to_list() == ["=b", " d"]


def test_io_is_binary_safe() -> None:
    """The seam between pieces of a sheet's rows cannot survive escaping."""
    assert io.BytesIO(xlsx_cells._escape_controls("\x1f").encode()).getvalue() == b"_x001F_"
