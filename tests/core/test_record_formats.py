"""
Formats whose columns have widths: fixed-width text and tables of dBASE, read back by other readers.
"""

from __future__ import annotations

import csv
import io
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import dbf
import dbfread
import polars as pl
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bouquet.core.dictionary import dictionary_csv
from bouquet.core.errors import BouquetError, WriteError
from bouquet.core.writers import writer_of
from tests.core.written import Resolve, made


def test_fixed_width_is_read_by_its_layout(resolved: Resolve, tmp_path: Path) -> None:
    """The layout beside it tells where each value stands; a text is cut and told, a number never."""
    plan = resolved(
        {"id": "a", "heading": "Tag", "value": {"field": "tag"}, "width": 6},
        {"id": "b", "heading": "Girth", "value": {"field": "girth"}, "width": 8},
        output={"csv": {"heading_row": "none", "line_end": "LF"}},
    ).require()
    path, notes = made(plan, "txt", tmp_path, {"c0": ["MB-1", "MB-2 and more"], "c1": ["7.50", None]})
    (beside,) = writer_of("txt").beside(plan)
    places = list(csv.DictReader(beside.content.decode().splitlines()))
    read = [
        [line[int(p["First character"]) - 1 : int(p["Last character"])].strip() for p in places]
        for line in path.read_text().splitlines()
    ]

    assert read == [["MB-1", "7.50"], ["MB-2 a", ""]]
    assert sum(notes.values()) == 1
    with pytest.raises(WriteError, match="longer than the 8"):
        made(plan, "txt", tmp_path, {"c0": ["A"], "c1": ["1234567890.50"]})


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.text(alphabet=st.characters(exclude_categories=["Cs"]), max_size=12), min_size=1, max_size=6))
def test_whatever_a_text_holds_its_line_is_as_long_as_the_others(
    resolved: Resolve, tmp_path_factory: Any, texts: list[str]
) -> None:
    """A reader that breaks lines wherever Unicode does finds each row in one line, at its place."""
    column = {"id": "c0", "heading": "Note", "value": {"field": "note"}, "width": 20}
    plan = resolved(column, "tag", output={"format": "txt"}).require()
    path = tmp_path_factory.mktemp("fixed") / "rows.txt"
    with writer_of("txt")(plan, path, announced=len(texts)) as writer:
        writer.write(pl.DataFrame({"c0": texts, "c1": ["end"] * len(texts)}))
    lines = path.read_bytes().decode().splitlines()[1:]

    assert len(lines) == len(texts)
    assert {len(line) for line in lines} == {40}
    assert [line[20:23] for line in lines] == ["end"] * len(texts)


def test_a_heading_stays_at_its_place_and_in_its_line(resolved: Resolve, tmp_path: Path) -> None:
    """One that is longer than its column is cut and told; a break in it would begin another line."""
    plan = resolved(
        {"id": "a", "heading": "Number of the tag", "value": {"field": "tag"}, "width": 6},
        {"id": "b", "heading": "Girth\u2028(cm)", "value": {"field": "girth"}, "width": 12},
    ).require()
    path, notes = made(plan, "txt", tmp_path, {"c0": ["MB-1"], "c1": ["7.50"]})

    assert path.read_bytes().decode().splitlines() == ["Number  Girth (cm)", "MB-1          7.50"]
    assert notes == {"the heading “Number of the tag” was cut to its 6 characters": 1}


def test_a_table_of_dbase_is_read_by_two_readers(resolved: Resolve, tmp_path: Path) -> None:
    """Kinds kept, names shortened and told beside it, blanks as blanks, its day that of the run."""
    plan = resolved(
        {"id": "a", "heading": "Tag of the tree", "value": {"field": "tag"}, "width": 8},
        {"id": "b", "heading": "Tag of the trunk", "value": {"field": "girth"}},
        {"id": "c", "heading": "1850?", "value": {"field": "planted_on"}},
        {"id": "d", "heading": "protected", "value": {"field": "protected"}},
        {"id": "e", "heading": "Ward", "value": {"constant": "Quay"}},
    ).require()
    first = {
        "c0": ["Müller’s", "MB-2 and more"],
        "c1": ["-7.50", "1234567890123456.25"],
        "c2": [date(1850, 1, 2)] * 2,
        "c3": [True, False],
    }
    second = {"c0": pa.array([None], pa.string()), "c1": pa.array([None], pa.string()),
              "c2": pa.array([None], pa.date32()), "c3": pa.array([None], pa.bool_())}  # fmt: skip
    path, notes = made(plan, "dbf", tmp_path, first, second)
    (beside,) = writer_of("dbf").beside(plan)
    names = [row["Field"] for row in csv.DictReader(beside.content.decode().splitlines())]
    expected = [
        ["Müller’s", Decimal("-7.50"), date(1850, 1, 2), True, "Quay"],
        ["MB-2 and", Decimal("1234567890123456.25"), date(1850, 1, 2), False, "Quay"],
        ["", None, None, None, "Quay"],
    ]
    with dbf.Table(str(path)) as table:
        assert [[_plain(v) for v in row] for row in table] == [[_plain(v) for v in row] for row in expected]

    read = dbfread.DBF(path, parserclass=_Exact, encoding="cp1252")
    assert (read.field_names, read.date) == (names, plan.context.as_of.date())
    assert names == ["TAG_OF_THE", "TAG_OF_T_2", "F_1850", "PROTECTED", "WARD"]
    assert [list(row.values()) for row in read] == expected
    assert list(notes) == ["texts in “Tag of the tree” were cut at 8 characters"]


def _plain(value: Any) -> Any:
    """As the first of the readers has it: numbers of floating point, texts with their blanks."""
    return float(value) if isinstance(value, Decimal) else value.rstrip() if isinstance(value, str) else value


class _Exact(dbfread.FieldParser):
    """Reads numbers as the digits that stand there."""

    def parseN(self, field: Any, data: bytes) -> Decimal | None:
        return Decimal(data.strip().decode()) if data.strip() else None


@pytest.mark.parametrize(
    ("column", "value", "said"),
    [
        ("girth", "12345678901234567890.25", "has no room"),
        ("note", "漢字", "windows-1252"),
        ("planted_on", date(9999, 12, 31), None),
    ],
)
def test_a_table_of_dbase_loses_nothing_in_silence(
    resolved: Resolve, tmp_path: Path, column: str, value: Any, said: str | None
) -> None:
    plan = resolved(column).require()
    if said is None:
        path, _ = made(plan, "dbf", tmp_path, {"c0": [value]})
        assert [list(row.values()) for row in dbfread.DBF(path)] == [[value]]
        return
    with pytest.raises(BouquetError, match=said):
        made(plan, "dbf", tmp_path, {"c0": [value]})


def test_a_row_of_dbase_has_no_room_for_everything(resolved: Resolve, tmp_path: Path) -> None:
    """Texts share what is left; what was said to be wider than there is room for is refused."""
    columns = [{"id": f"c{n}", "heading": f"N {n}", "value": {"field": "note"}, "width": 120} for n in range(34)]
    with pytest.raises(WriteError, match="4,081 characters"):
        made(resolved(*columns).require(), "dbf", tmp_path)
    narrow = [{**c, "width": None} for c in columns]
    path, _ = made(resolved(*narrow).require(), "dbf", tmp_path)
    assert [f.length for f in dbfread.DBF(path).fields] == [117] * 34


@pytest.mark.parametrize("style", ["reader", "machine"])
def test_what_lies_beside_the_data_is_guarded_as_it_is(resolved: Resolve, style: str) -> None:
    """A heading that a spreadsheet would run stands in the dictionary and in the layouts, too."""
    column = {"id": "a", "heading": '=HYPERLINK("x")', "value": {"field": "note"}}
    plan = resolved(column, output={"style": style}).require()
    beside = [dictionary_csv(plan), *(b.content for f in ("txt", "dbf") for b in writer_of(f).beside(plan))]
    told = [list(csv.reader(io.StringIO(content.decode(), newline="")))[1][0] for content in beside]

    assert told == ["'" * (style == "reader") + '=HYPERLINK("x")'] * 3
