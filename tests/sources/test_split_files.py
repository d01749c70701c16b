"""
One template, several files or sheets: after so many rows, by a value, by size.
"""

from __future__ import annotations

from decimal import Decimal

import pytest
import python_calamine

from tests.sources.files import JOINED, LINES, WHERE, Query, Run, column, rows_of


def test_a_file_splits_after_so_many_rows(run: Run, query: Query) -> None:
    """Each part has its heading row, is counted in the slip, and together they are all rows in order."""
    done = run(
        {
            "records": "site",
            "columns": [column("code", "code")],
            "output": {"name": "sites_{part}", "split": {"rows": 500}},
        }
    )
    parts = [rows_of(f.path) for f in done.files]

    assert [f.path.name for f in done.files] == ["sites_1.csv", "sites_2.csv", "sites_3.csv"]
    assert [p[0] for p in parts] == [["Code"]] * 3
    assert [len(p) - 1 for p in parts] == [500, 500, 318] == [f["rows"] for f in done.slip["files"]]
    assert [r for p in parts for r in p[1:]] == [list(r) for r in query("SELECT s_code FROM site ORDER BY s_id")]


def test_a_file_splits_by_a_value_and_the_blank_one_has_its_own(run: Run, query: Query) -> None:
    """One file per ward, named for it; sites without a ward are in a file for the blank value."""
    document = {
        "records": "site",
        "columns": [column("code", "code")],
        "output": {"name": "{value:ward.name}_{as_of:%Y}", "split": {"by": "ward.name"}},
    }
    done = run(document)
    wards = query(
        "SELECT coalesce(w_name, 'blank'), count(*) FROM site s LEFT JOIN ward w ON w.w_id = s.ward_id GROUP BY 1"
    )

    assert {f.path.name: f.rows for f in done.files} == {f"{w.replace(' ', '_')}_2026.csv": n for w, n in wards}
    assert all(len(rows_of(f.path)) - 1 == f.rows for f in done.files)
    blank = next(f for f in done.files if f.path.name == "blank_2026.csv")
    assert rows_of(blank.path)[1:] == [
        list(r) for r in query("SELECT s_code FROM site WHERE ward_id IS NULL ORDER BY s_id")
    ]


def test_blank_texts_of_every_kind_are_one_part(run: Run, query: Query) -> None:
    """NULL, an empty text and white space go into one file, also below one heading; other values into their own."""
    document = {
        "records": "tree",
        "columns": [column("tag", "tag"), column("note", "note", total="count")],
        "filter": {"all": [{"path": "t_girth", "is": "less_than", "value": 30}]},
    }
    split = run({**document, "output": {"name": "{value:note}", "split": {"by": "note"}}})
    notes = query("SELECT nullif(btrim(t_note, E' \\t'), '') AS n, count(*) FROM tree WHERE t_girth < 30 GROUP BY 1")
    blank = next(n for note, n in notes if note is None)
    values = query(
        "SELECT count(DISTINCT CASE WHEN btrim(t_note, E' \\t') <> '' THEN t_note END) FROM tree WHERE t_girth < 30"
    )[0][0]
    reader = run({**document, "output": {"style": "reader", "reader": {"groups": ["note"], "title": False}}})
    headings = [r[0] for r in rows_of(reader.path) if r[0].startswith("Note: ")]

    assert len(split.files) == values + 1
    assert [f.rows for f in split.files if f.path.name.startswith("blank")] == [blank]
    assert all(
        len({r[1] for r in rows_of(f.path)[1:]}) == 1 for f in split.files if not f.path.name.startswith("blank")
    )
    assert headings.count("Note: (blank)") == 1
    assert len(headings) == values + 1


def test_a_spreadsheet_has_a_sheet_per_value(run: Run, query: Query) -> None:
    """One file, its sheets named for the values, each with its heading row and its rows."""
    document = {
        "records": "site",
        "columns": [column("code", "code"), column("kind", "kind")],
        "output": {"split": {"by": "kind", "into": "sheets"}},
    }
    done = run(document, "xlsx")
    book = python_calamine.load_workbook(str(done.path))
    kinds = dict(query("SELECT label, count(*) FROM site JOIN lu_site_kind ON code = s_kind GROUP BY label"))

    assert len(done.files) == 1
    assert {n: len(book.get_sheet_by_name(n).to_python()) - 1 for n in book.sheet_names} == kinds
    assert done.rows == sum(kinds.values())


def test_a_file_splits_by_size(run_whole: Run) -> None:
    """No part is larger than asked, none much smaller but the last, and no row is lost."""
    document = {
        "records": "tree",
        "columns": [column("tag", "tag"), column("note", "note"), column("changed", "changed_at")],
    }
    done = run_whole({**document, "output": {"split": {"megabytes": 0.5}}})
    sizes = [f.path.stat().st_size for f in done.files]

    assert max(sizes) <= 500_000
    assert min(sizes[:-1]) > 350_000
    assert sum(f.rows for f in done.files) == 48_210


def test_reader_s_parts_each_have_their_own_total(run: Run, query: Query) -> None:
    """Split by ward, each file's total is its ward's."""
    document = {
        **LINES,
        "output": {"style": "reader", "name": "{value:ward}", "split": {"by": "ward"}, "reader": {"title": False}},
    }
    done = run(document)
    wards = dict(query(f"SELECT coalesce(w_name, 'blank'), sum(wl_amount) FROM {JOINED} WHERE {WHERE} GROUP BY 1"))

    found = {
        f.path.stem.replace("_", " "): Decimal(rows_of(f.path)[-1][3].replace(",", "").replace("£", ""))
        for f in done.files
    }
    assert found == wards


@pytest.mark.thorough
def test_more_rows_than_a_sheet_holds_go_on_to_the_next(run_whole: Run, query_whole: Query) -> None:
    """1,048,577 rows: the first sheet is full with its heading row, the second has the last two."""
    document = {
        "records": "probe_reading",
        "rows": {"per": "child", "path": "probe.site.trees"},
        "columns": [column("r", "pr_id"), column("t", "probe.site.trees.t_id")],
        "at_most": 1_048_577,
    }
    done = run_whole(document, "xlsx")
    book = python_calamine.load_workbook(str(done.path))
    full, rest = (book.get_sheet_by_index(n).to_python() for n in range(2))
    last = query_whole(
        "SELECT pr_id, t.t_id FROM probe_reading r JOIN probe p ON p.p_id = r.p_id JOIN tree t ON t.s_id = p.s_id"
        " ORDER BY pr_id, t.t_id OFFSET 1048575 LIMIT 2"
    )

    assert book.sheet_names == ["Trees", "Trees (2)"]
    assert (len(full), len(rest)) == (1_048_576, 3)
    assert full[0] == rest[0] == ["R", "T"]
    assert [tuple(map(int, r)) for r in rest[1:]] == last
