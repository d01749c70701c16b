"""
Checks, companions and attachments against hand-written SQL on Marrowby.
"""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import openpyxl
import pytest

from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.designing.looking import first_rows
from bouquet.runs import Export, Exported
from bouquet.sources import Source
from tests.conftest import NOW

Query = Callable[[str], list[tuple[Any, ...]]]

COLUMNS = {
    "tag": "tag",
    "girth": "t_girth",
    "planted": "planted_on",
    "register": "register_no",
    "status": "status",
    "species": "species.code",
    "changed": "changed_at",
}
DOCUMENT: dict[str, Any] = {
    "name": "Trees",
    "records": "tree",
    "columns": [{"id": i, "heading": i.capitalize(), "value": {"field": p}} for i, p in COLUMNS.items()],
    "filter": {"all": [{"path": "deleted_at", "is": "blank"}]},
    "output": {"name": "trees"},
}
LIVE = "SELECT count(*) FROM tree t LEFT JOIN species s ON s.sp_id = t.sp_id WHERE t.deleted_at IS NULL AND "

#: Further from the middle half than three quarters of its width, by the database's own quartiles.
_QUARTERS = (
    "(SELECT percentile_disc(array[0.25, 0.75]) WITHIN GROUP (ORDER BY t_girth) FROM tree WHERE deleted_at IS NULL)"
)
FAR = (
    f"t_girth < {_QUARTERS}[1] - 0.75 * ({_QUARTERS}[2] - {_QUARTERS}[1])"
    f" OR t_girth > {_QUARTERS}[2] + 0.75 * ({_QUARTERS}[2] - {_QUARTERS}[1])"
)

#: A check, and the rows it objects to, counted by hand.
CASES: list[tuple[dict[str, Any], str]] = [
    ({"column": "girth", "must": "filled"}, "t_girth IS NULL"),
    ({"column": "girth", "must": "between", "least": 20, "greatest": 300}, "(t_girth < 20 OR t_girth > 300)"),
    ({"column": "girth", "must": "between", "greatest": "299.99"}, "t_girth > 299.99"),
    ({"column": "girth", "must": "whole"}, "t_girth <> floor(t_girth)"),
    ({"column": "girth", "must": "near_usual", "spread": "0.75"}, f"({FAR})"),
    ({"column": "tag", "must": "matches", "pattern": "MB-????5"}, "t_tag !~ '^MB-....5$'"),
    ({"column": "tag", "must": "length", "least": 8, "greatest": 8}, "length(t_tag) <> 8"),
    ({"column": "register", "must": "unique"}, "t_reg IN (SELECT t_reg FROM tree WHERE deleted_at IS NULL GROUP BY t_reg HAVING count(*) > 1)"),
    ({"column": "planted", "must": "not_future"}, "t_planted > date '2026-11-23'"),
    ({"column": "planted", "must": "not_past"}, "t_planted < date '2026-11-23'"),
    ({"column": "changed", "must": "not_future"}, "t_changed > timestamptz '2026-11-23 09:00+00'"),
    ({"column": "status", "must": "one_of", "values": ["S"]}, "t_st <> 'S'"),
    ({"column": "species", "must": "listed", "listed_in": "species.code"}, "sp_code IS NOT NULL AND sp_code NOT IN (SELECT sp_code FROM species)"),
    ({"column": "species", "must": "listed", "listed_in": "contractor.code"}, "sp_code IS NOT NULL"),
    ({"formula": "OR(ISBLANK({Girth}); {Girth} < 250)"}, "t_girth >= 250"),
    ({"formula": "{Girth} < 250"}, "coalesce(t_girth >= 250, true)"),
]  # fmt: skip


def plan_of(source: Source, document: dict[str, Any]) -> Plan:
    return resolve(read_document(document), source.catalogue(), Context(as_of=NOW)).require()


def export(source: Source, document: dict[str, Any], folder: Path, format: str = "csv") -> Exported:
    with source.reader.snapshot() as snapshot:
        return Export(read_document(document), plan_of(source, document), format, folder).write(snapshot, {"run": 7})


def test_every_check_objects_to_the_rows_counted_by_hand(source: Source, query: Query, tmp_path: Path) -> None:
    """While designing, in the run, and one by one in the findings."""
    document = {**DOCUMENT, "checks": [check for check, _ in CASES]}
    by_hand = [query(LIVE + f"({condition})")[0][0] for _, condition in CASES]
    plan = plan_of(source, document)
    with source.reader.snapshot() as snapshot:
        counted = snapshot.row(Statements(plan).objections())
    made = export(source, document, tmp_path)

    assert [counted[f"q{n}"] for n in range(len(CASES))] == by_hand
    assert [c["objections"] for c in made.slip["checks"]] == by_hand
    assert sum(n > 0 for n in by_hand) >= 10
    first = next(f for f in made.findings if f["place"] == "checks[0]")
    tag, girth = query(f"SELECT t_tag, t_girth FROM tree WHERE t_id = {int(first['key'][0])}")[0]
    assert (first["title"], girth, first["value"]) == (tag, None, None)
    assert first["page"] == f"https://trees.marrowby.example/tree/{tag}"


def test_some_objected_rows_and_repeated_values(source: Source, query: Query) -> None:
    """What the shelf shows beside a count, and what tints a cell whose value occurs twice."""
    doubles = {
        r
        for (r,) in query(
            "SELECT t_reg FROM tree WHERE deleted_at IS NULL GROUP BY t_reg HAVING count(*) > 1 AND t_reg IS NOT NULL"
        )
    }
    document = {**DOCUMENT, "checks": [{"column": "status", "must": "unique"}, CASES[1][0]]}
    statements = Statements(plan_of(source, document))
    with source.reader.snapshot() as snapshot:
        some = snapshot.table(statements.objected(1, limit=3)).to_pylist()
        again = snapshot.table(statements.repeated(0, ["S", "F", "never"]))["value"].to_pylist()

    assert len(some) == 3
    assert all(not 20 <= float(r["v0"]) <= 300 and r["k0"] for r in some)
    assert sorted(again) == ["F", "S"]
    assert doubles == set() or all(doubles)


def test_checks_of_children_groups_and_folds(source: Source, query: Query) -> None:
    """Rows of other kinds are checked as they stand in the file."""
    child = {
        **DOCUMENT,
        "rows": {"per": "child", "path": "inspections"},
        "columns": [
            {"id": "a", "heading": "Tag", "value": {"field": "tag"}},
            {"id": "b", "heading": "Risk", "value": {"field": "inspections.risk"}},
        ],
        "checks": [{"column": "b", "must": "filled"}, {"column": "a", "must": "unique"}],
    }
    group = {
        "name": "Groups",
        "records": "resident_report",
        "rows": {"per": "group", "by": [{"path": "state"}, {"path": "resident"}]},
        "columns": [
            {"id": "a", "heading": "State", "value": {"field": "state"}},
            {"id": "r", "heading": "Resident", "value": {"field": "resident"}},
            {"id": "n", "heading": "Number", "value": {"fold": {"how": "count"}}},
        ],
        "checks": [
            {"column": "n", "must": "between", "greatest": 1},
            {"column": "r", "must": "filled"},
            {"formula": '{State} <> "New"'},
        ],
    }
    counts = []
    for document in (child, group):
        with source.reader.snapshot() as snapshot:
            counts.append(snapshot.row(Statements(plan_of(source, document)).objections()))
    blank_risks, repeated = query(
        "SELECT count(*) FILTER (WHERE i_risk IS NULL), count(*) FILTER (WHERE n > 1) FROM (SELECT i_risk, count(*) OVER (PARTITION BY t_tag) AS n "
        "FROM inspection i JOIN tree t ON t.t_id = i.t_id WHERE deleted_at IS NULL) x"
    )[0]  # fmt: skip
    large, nameless, new = query(
        "SELECT count(*) FILTER (WHERE n > 1), count(*) FILTER (WHERE who IS NULL), count(*) FILTER (WHERE st = 'N' OR st IS NULL) FROM "
        "(SELECT rp_st AS st, nullif(trim(rp_nm), '') AS who, count(*) AS n FROM rp_report GROUP BY 1, 2) g"
    )[0]  # fmt: skip

    assert (counts[0]["q0"], counts[0]["q1"]) == (blank_risks, repeated)
    assert (counts[1]["q0"], counts[1]["q1"], counts[1]["q2"]) == (large, nameless, new)


def test_only_the_first_rows_are_checked(source: Source) -> None:
    """A limit holds for the checks, too."""
    document = {**DOCUMENT, "at_most": 25, "checks": [{"column": "tag", "must": "length", "greatest": 1}]}
    with source.reader.snapshot() as snapshot:
        counted = snapshot.row(Statements(plan_of(source, document)).objections())

    assert (counted["q0"], counted["rows"]) == (25, 25)


@pytest.mark.parametrize("per", ["record", "group"])
def test_a_value_counts_among_the_first_rows_only(source: Source, query: Query, tmp_path: Path, per: str) -> None:
    """What stands once in the file is not said to occur twice, in the run, the count and the look alike."""
    document: dict[str, Any] = {
        "name": "First",
        "records": "tree",
        "columns": [{"id": "s", "heading": "Species", "value": {"field": "species.code"}}],
        "order": [{"path": "tag"}],
        "at_most": 12,
        "checks": [{"column": "s", "must": "unique", "severity": "note"}],
    }
    rows = "SELECT sp_code AS value FROM tree t LEFT JOIN species s ON s.sp_id = t.sp_id ORDER BY t_tag"
    if per == "group":
        by = [{"path": "species.code"}, {"path": "status"}]
        document |= {"rows": {"per": "group", "by": by}, "order": [{"path": "status"}, {"path": "species.code"}]}
        rows = (
            "SELECT sp_code AS value FROM tree t LEFT JOIN species s ON s.sp_id = t.sp_id"
            " LEFT JOIN lu_tree_status l ON l.code = t_st GROUP BY sp_code, t_st, l.label ORDER BY l.label, sp_code"
        )
    repeats = f"SELECT value, count(*) FROM ({rows} LIMIT 12) x WHERE value IS NOT NULL GROUP BY 1 HAVING count(*) > 1"
    expected = sum(n for _, n in query(repeats))
    made, plan = export(source, document, tmp_path), plan_of(source, document)
    with source.reader.snapshot() as snapshot:
        counted = snapshot.row(Statements(plan).objections())
        marks = first_rows(snapshot, read_document(document), plan, limit=50).marks

    assert made.slip["checks"][0]["objections"] == counted["q0"] == len(marks) == expected


def test_who_last_touched_it_stands_with_a_finding(source: Source, query: Query, tmp_path: Path) -> None:
    """Where the catalogue knows: an inspection's inspector."""
    document = {
        "name": "Inspections",
        "records": "inspection",
        "columns": [{"id": "a", "heading": "Risk", "value": {"field": "risk"}}],
        "checks": [{"column": "a", "must": "filled"}],
    }
    found = export(source, document, tmp_path).findings[0]

    assert [(found["touched_by"],)] == query(f"SELECT i_by FROM inspection WHERE i_id = {int(found['key'][0])}")


def test_findings_go_along_as_csv_and_as_a_sheet(source: Source, tmp_path: Path) -> None:
    """Both say what was found and how often, then each row; the slip goes along as JSON."""
    output = {"name": "trees", "companions": ["findings", "slip"], "xlsx": {"findings_sheet": True}}
    document = {**DOCUMENT, "checks": [CASES[0][0]], "output": output}
    plain, sheet = export(source, document, tmp_path / "a"), export(source, document, tmp_path / "b", "xlsx")
    with (tmp_path / "a" / "trees-findings.csv").open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))
    book = openpyxl.load_workbook(sheet.path, read_only=True)
    cells = [list(r) for r in book["Findings"].iter_rows(values_only=True)]
    slip = json.loads((tmp_path / "a" / "trees-slip.json").read_bytes())

    count = plain.slip["checks"][0]["objections"]
    assert rows[1][:3] == ["Girth must be filled", str(count), "note"]
    assert cells[1][:3] == ["Girth must be filled", count, "note"]
    assert [r[3] for r in rows[2:]] == [r[3] for r in cells[2:]]
    assert slip["checks"] == plain.slip["checks"]
    assert [f.role for f in plain.files] == ["data", "findings", "slip"]


def test_children_and_attachments_go_along(source: Source, query: Query, tmp_path: Path) -> None:
    """The children's own CSV with the key of their record; photographs below the folder that a column names."""
    document = {
        **DOCUMENT,
        "filter": {"all": [{"path": "photographs", "has": "any"}]},
        "output": {
            "name": "trees",
            "children": [{"path": "inspections", "columns": ["i_id", "inspected_by"]}],
            "attachments": {"path": "photographs.picture", "folder": "photos", "heading": "Photos"},
        },
    }
    made = export(source, document, tmp_path)
    by_role = {f.role: f for f in made.files}
    with by_role["children"].path.open(newline="", encoding="utf-8") as file:
        children = [tuple(r) for r in csv.reader(file)]
    with made.path.open(newline="", encoding="utf-8") as file:
        folders = {r["Photos"] for r in csv.DictReader(file)}

    assert children[0] == ("Tree record number", "Tree tag", "Inspection number", "Inspected by")
    assert children[1:] == query(
        "SELECT t.t_id::text, t_tag, i_id::text, coalesce(i_by, '') FROM tree t JOIN inspection i ON i.t_id = t.t_id "
        "WHERE EXISTS (SELECT FROM photograph p WHERE p.t_id = t.t_id) ORDER BY t.t_id, i.i_id"
    )
    with zipfile.ZipFile(by_role["archive"].path) as archive:
        names = archive.namelist()
        photographs = [n for n in names if n.startswith("photos/")]
        by_hand = query("SELECT t_id, ph_data FROM photograph WHERE ph_data IS NOT NULL ORDER BY t_id, ph_id")
        assert archive.testzip() is None
        assert [archive.read(n) for n in photographs] == [bytes(d) for _, d in by_hand]
        assert [n.split("/")[1] for n in photographs] == [str(t) for t, _ in by_hand]
        assert {n.rsplit("/", 1)[0] + "/" for n in photographs} == folders
        assert next(csv.reader(io.TextIOWrapper(archive.open("trees.csv"), encoding="utf-8")))[0] == "Tag"
    assert made.slip["attachments"] == len(by_hand)


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"at_most": 5}, "output.children[0]"),
        ({"rows": {"per": "child", "path": "work_orders"}}, "output.children[0]"),
        ({"output": {"children": [{"path": "site"}]}}, "output.children[0].path"),
        ({"output": {"children": [{"path": "inspections", "columns": ["nothing"]}]}}, "output.children[0].columns"),
        ({"output": {"attachments": {"path": "inspections.remarks"}}}, "output.attachments.path"),
    ],
)
def test_what_cannot_go_along_is_said(source: Source, change: dict[str, Any], place: str) -> None:
    """At its place, with the reason."""
    document = {
        **DOCUMENT,
        "columns": DOCUMENT["columns"][:1],
        "output": {"children": [{"path": "inspections"}]},
        **change,
    }
    resolution = resolve(read_document(document), source.catalogue(), Context(as_of=NOW))

    assert place in [p.place for p in resolution.problems]


def test_a_persons_rights_hold_for_what_goes_along(source: Source, query: Query, tmp_path: Path) -> None:
    """Children of records that are hidden do not go out by a side door."""
    from bouquet.core.plan import Scope

    document = {**DOCUMENT, "output": {"name": "trees", "children": [{"path": "inspections", "columns": ["i_id"]}]}}
    context = replace(Context(as_of=NOW), scope=Scope("ward", "code", ("W03",)))
    codes = [c for (c,) in query("SELECT w_code FROM ward ORDER BY 1")]
    context = replace(context, scope=Scope("ward", "code", (codes[2],)))
    plan = resolve(read_document(document), source.catalogue(), context).require()
    with source.reader.snapshot() as snapshot:
        made = Export(read_document(document), plan, "csv", tmp_path).write(snapshot, {})
    ((by_hand,),) = query(
        "SELECT count(*) FROM inspection i JOIN tree t ON t.t_id = i.t_id JOIN site s ON s.s_id = t.s_id "
        f"JOIN ward w ON w.w_id = s.ward_id WHERE t.deleted_at IS NULL AND w_code = '{codes[2]}'"
    )

    assert next(f.rows for f in made.files if f.role == "children") == by_hand


def test_findings_are_counted_by_place_and_by_person(source: Source, query: Query, tmp_path: Path) -> None:
    """All of them, in the slip and in the file; the listed ones are only some."""
    document = {
        **DOCUMENT,
        "records": "inspection",
        "columns": [
            {"id": "r", "heading": "Risk", "value": {"field": "risk"}},
            {"id": "w", "heading": "Ward", "value": {"field": "tree.site.ward.name"}},
        ],
        "filter": {"all": []},
        "checks": [{"column": "r", "must": "one_of", "values": [1, 2]}],
        "output": {"name": "i", "findings_by": "w", "companions": ["findings"]},
    }
    by_hand = dict(
        query(
            "SELECT coalesce(w_name, ''), count(*) FROM inspection i LEFT JOIN tree t ON t.t_id = i.t_id"
            " LEFT JOIN site s ON s.s_id = t.s_id LEFT JOIN ward w ON w.w_id = s.ward_id"
            " WHERE i_risk NOT IN (1, 2) GROUP BY 1"
        )
    )
    made = export(source, document, tmp_path)
    [check] = made.slip["checks"]

    assert dict(check["by_place"]) == by_hand
    assert check["by"] == "Ward"
    assert sum(by_hand.values()) == check["objections"] > len(made.findings)
    people = dict(query("SELECT coalesce(i_by, ''), count(*) FROM inspection WHERE i_risk NOT IN (1, 2) GROUP BY 1"))
    assert people == dict(check["by_person"])
    findings = next(f.path for f in made.files if f.role == "findings").read_text()
    place, count = check["by_place"][0]
    assert f"Ward {place}" in findings
    assert f",{count}," in findings


def test_who_touched_records_stays_in_the_house(source: Source, tmp_path: Path) -> None:
    """The slip that goes along does not say it; the run does. Personal data is no place to count by."""
    document = {
        **DOCUMENT,
        "records": "inspection",
        "columns": [{"id": "r", "heading": "Risk", "value": {"field": "risk"}}],
        "filter": {"all": []},
        "checks": [{"column": "r", "must": "one_of", "values": [1]}],
        "output": {"name": "i", "companions": ["slip"]},
    }
    made = export(source, document, tmp_path)
    along = next(f.path for f in made.files if f.role == "slip").read_text()
    assert len(made.slip["checks"][0]["by_person"]) > 3
    assert "by_person" not in along

    reports = {
        **document,
        "records": "resident_report",
        "columns": [{"id": "r", "heading": "Resident", "value": {"field": "resident"}}],
        "checks": [],
        "output": {"findings_by": "r"},
    }
    found = resolve(read_document(reports), source.catalogue(), Context(as_of=NOW)).problems
    assert [p.code for p in found] == ["personal_findings"]
