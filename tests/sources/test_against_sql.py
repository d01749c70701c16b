"""
Templates against hand-written SQL on Marrowby, read back by independent readers.
"""

from __future__ import annotations

import csv
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pytest

from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.runs import Export, count_tally
from bouquet.sources import Source
from tests.conftest import NOW
from tests.runs.changing import ITEMS, ROWS, changing

Query = Callable[[str], list[tuple[Any, ...]]]
MakePlan = Callable[..., Plan]


def cols(*fields: Any) -> list[dict[str, Any]]:
    """Columns from paths, or from (path, show)."""
    pairs = [(f, {}) if isinstance(f, str) else f for f in fields]
    return [
        {"id": f"c{n}", "heading": f"H{n}", "value": {"field": f}, "show": show} for n, (f, show) in enumerate(pairs)
    ]


#: name: (document, the same rows by hand; every value as the text of the file)
CASES: dict[str, tuple[dict[str, Any], str]] = {
    "fields through two relations, orphans kept": (
        {"records": "tree", "columns": cols("tag", "site.name", "site.ward.name")},
        "SELECT t_tag, s_name, w_name FROM tree t LEFT JOIN site s ON s.s_id = t.s_id"
        " LEFT JOIN ward w ON w.w_id = s.ward_id ORDER BY t_id",
    ),
    "is not keeps blanks": (
        {"records": "inspection", "columns": cols("i_id"), "filter": {"all": [{"path": "risk", "is": "is_not", "value": 1}]}},
        "SELECT i_id::text AS x FROM inspection WHERE i_risk <> 1 OR i_risk IS NULL ORDER BY i_id",
    ),
    "none of keeps blanks": (
        {"records": "inspection", "columns": cols("i_id"), "filter": {"all": [{"path": "inspected_by", "is": "none_of", "values": ["o. vale ", "P. Linnet"]}]}},
        "SELECT i_id::text AS x FROM inspection WHERE i_by IS NULL OR i_by NOT IN ('O. Vale', 'P. Linnet') ORDER BY i_id",
    ),
    "order comparisons drop blanks": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"path": "t_girth", "is": "less_than", "value": "10"}]}},
        "SELECT t_tag FROM tree WHERE t_girth < 10 ORDER BY t_id",
    ),
    "none of a group keeps what is unknown": (
        {"records": "tree", "columns": cols("tag"), "filter": {"none": [{"path": "t_girth", "is": "at_least", "value": 20}, {"path": "species.native", "is": "yes"}]}},
        "SELECT t_tag FROM tree t LEFT JOIN species p ON p.sp_id = t.sp_id"
        " WHERE NOT coalesce(t_girth >= 20, false) AND NOT coalesce(sp_native, false) ORDER BY t_id",
    ),
    "blank is null, empty or only white space": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"path": "note", "is": "blank"}, {"path": "t_girth", "is": "blank"}]}},
        "SELECT t_tag FROM tree WHERE (t_note IS NULL OR btrim(t_note, E' \\t') = '') AND t_girth IS NULL ORDER BY t_id",
    ),
    "text ignores case and blanks around": (
        {"records": "tree", "columns": cols("tag", "note"), "filter": {"all": [{"path": "note", "is": "is", "value": "PADDED"}]}},
        "SELECT t_tag, t_note FROM tree WHERE t_note = '  padded  ' ORDER BY t_id",
    ),
    "exact means exact": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"path": "note", "is": "is", "value": "padded", "exact": True}]}},
        "SELECT t_tag FROM tree WHERE false",
    ),
    "wildcards of the database are plain text": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"path": "tag", "is": "contains", "value": "B_0"}]}},
        "SELECT t_tag FROM tree WHERE false",
    ),
    "star and question mark": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"path": "tag", "is": "matches", "value": "mb-0?99*"}]}},
        "SELECT t_tag FROM tree WHERE t_tag ~ '^MB-0.99' ORDER BY t_id",
    ),
    "any of several": (
        {"records": "work_order", "columns": cols("number", "status"), "filter": {"all": [{"any": [{"path": "status", "is": "one_of", "values": ["X", "R"]}, {"path": "contractor.code", "is": "ends_with", "value": "51"}]}]}},
        "SELECT wo_no, l.label FROM work_order o JOIN lu_wo_status l ON l.code = wo_st LEFT JOIN contractor c ON c.co_id = o.co_id"
        " WHERE wo_st IN ('X', 'R') OR co_code LIKE '%51' ORDER BY wo_id",
    ),
    "midnight belongs to the new day, on the wall clock": (
        {"records": "inspection", "columns": cols("i_id"), "filter": {"all": [{"path": "inspected_at", "is": "in_window", "window": {"type": "between", "first": "2025-06-01", "last": "2025-08-31"}}]}},
        "SELECT i_id::text AS x FROM inspection WHERE (i_at AT TIME ZONE 'Europe/London')::date BETWEEN '2025-06-01' AND '2025-08-31' ORDER BY i_id",
    ),
    "a day is the whole day of a moment": (
        {"records": "inspection", "columns": cols("i_id"), "filter": {"any": [{"path": "inspected_at", "is": "is", "value": "2025-10-26"}, {"path": "inspected_at", "is": "one_of", "values": ["2025-06-03", "2025-06-04"]}]}},
        "SELECT i_id::text AS x FROM inspection WHERE (i_at AT TIME ZONE 'Europe/London')::date IN ('2025-10-26', '2025-06-03', '2025-06-04') ORDER BY i_id",
    ),
    "not on a day keeps blanks": (
        {"records": "inspection", "columns": cols("i_id"), "filter": {"all": [{"path": "inspected_at", "is": "is_not", "value": "2025-10-26"}, {"path": "changed_at", "is": "none_of", "values": ["2025-06-03", "9999-12-31"]}]}},
        "SELECT i_id::text AS x FROM inspection WHERE (i_at AT TIME ZONE 'Europe/London')::date IS DISTINCT FROM '2025-10-26'"
        " AND (i_changed AT TIME ZONE 'Europe/London')::date IS DISTINCT FROM '2025-06-03' ORDER BY i_id",
    ),
    "the night the clocks went back": (
        {"records": "inspection", "columns": cols("i_id", "inspected_at"), "filter": {"all": [{"path": "inspected_at", "is": "between", "values": ["2025-10-26", "2025-10-26"]}]}},
        "SELECT i_id::text AS x, to_char(i_at AT TIME ZONE 'Europe/London', 'YYYY-MM-DD\"T\"HH24:MI:SS') ||"
        " CASE WHEN i_at < '2025-10-26 01:00Z' THEN '+01:00' ELSE '+00:00' END FROM inspection"
        " WHERE (i_at AT TIME ZONE 'Europe/London')::date = '2025-10-26' ORDER BY i_id",
    ),
    "a moment compared with a day": (
        {"records": "work_order", "columns": cols("number"), "filter": {"all": [{"path": "closed_at", "is": "after", "value": "2026-11-10"}]}},
        "SELECT wo_no FROM work_order WHERE (wo_closed AT TIME ZONE 'Europe/London')::date > '2026-11-10' ORDER BY wo_id",
    ),
    "a clock time without a zone": (
        {"records": "tree", "columns": cols("tag", ("entered_at", {"date": "dd/MM/yyyy HH:mm"})), "filter": {"all": [{"path": "entered_at", "is": "in_window", "window": {"type": "previous", "unit": "month"}}]}},
        "SELECT t_tag, to_char(t_created, 'DD/MM/YYYY HH24:MI') FROM tree"
        " WHERE t_created >= '2026-10-01' AND t_created < '2026-11-01' ORDER BY t_id",
    ),
    "money, rounded and grouped": (
        {"records": "work_order_line", "columns": cols("number", ("amount", {"decimals": 1, "grouping": ","}), "quantity"), "filter": {"all": [{"path": "amount", "is": "less_than", "value": 0}]}},
        "SELECT wl_no, replace(to_char(round(wl_amount, 1), 'FM999,999,990.0'), ' ', ''), wl_qty::text FROM wo_line WHERE wl_amount < 0 ORDER BY wl_id",
    ),
    "floats without invented digits": (
        {"records": "probe_reading", "columns": cols("pr_id", "temperature", ("moisture", {"decimals": 1})), "at_most": 500},
        "SELECT pr_id::text AS x, pr_temp::text, round(pr_moist, 1)::text FROM probe_reading ORDER BY pr_id LIMIT 500",
    ),
    "leading zeros and sixteen digits": (
        {"records": "tree", "columns": cols("register_no", "site.code", "seal"), "filter": {"all": [{"path": "seal", "is": "not_blank"}]}},
        "SELECT t_reg, s_code, t_seal FROM tree t LEFT JOIN site s ON s.s_id = t.s_id WHERE t_seal IS NOT NULL ORDER BY t_id",
    ),
    "an unknown code is shown as the code": (
        {"records": "tree", "columns": cols("tag", "status"), "filter": {"all": [{"path": "status", "is": "is", "value": "Q"}]}},
        "SELECT t_tag, 'Q' FROM tree WHERE t_st = 'Q' ORDER BY t_id",
    ),
    "JSON as its text": (
        {"records": "tree", "columns": cols("tag", "extra"), "filter": {"all": [{"path": "extra", "is": "contains", "value": "plaque"}]}},
        "SELECT t_tag, extra::text FROM tree WHERE extra ? 'plaque_no' ORDER BY t_id",
    ),
    "newest first, blanks last, ties by the key": (
        {"records": "tree", "columns": cols("tag", "planted_on"), "order": [{"column": "c1", "direction": "descending"}], "at_most": 40_000},
        "SELECT t_tag, t_planted::text FROM tree ORDER BY t_planted DESC NULLS LAST, t_id LIMIT 40000",
    ),
    "blanks first, ordered by what is not in the file": (
        {"records": "tree", "columns": cols("tag"), "order": [{"path": "t_height", "blanks": "first"}]},
        "SELECT t_tag FROM tree ORDER BY t_height NULLS FIRST, t_id",
    ),
    "a choice in the order of its labels": (
        {"records": "work_order", "columns": cols("number", "status"), "order": [{"column": "c1"}]},
        "SELECT wo_no, label FROM work_order JOIN lu_wo_status ON code = wo_st ORDER BY label, wo_id",
    ),
    "quotes, line breaks, scripts, emoji, formulas": (
        {"records": "tree", "columns": cols("tag", "note"), "filter": {"all": [{"path": "note", "is": "not_blank"}]}},
        "SELECT t_tag, t_note FROM tree WHERE btrim(t_note, E' \\t') <> '' ORDER BY t_id",
    ),
    "yes and no": (
        {"records": "inspection", "columns": cols("i_id", ("climbed", {"yes": "yes", "no": "no"})), "filter": {"all": [{"path": "climbed", "is": "not_blank"}, {"path": "tree.tag", "is": "blank"}]}},
        "SELECT i_id::text AS x, CASE WHEN i_climb THEN 'yes' ELSE 'no' END FROM inspection i LEFT JOIN tree t ON t.t_id = i.t_id"
        " WHERE i_climb IS NOT NULL AND t.t_id IS NULL ORDER BY i_id",
    ),
    "personal fields leave as they are": (
        {"records": "resident_report", "columns": cols("number", "mail", "phone"), "filter": {"all": [{"path": "mail", "is": "not_blank"}]}},
        "SELECT rp_no, rp_em, rp_ph1 FROM rp_report WHERE rp_em IS NOT NULL ORDER BY rp_id",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", sorted(CASES))
def test_a_file_equals_hand_written_sql(
    plan: MakePlan, source: Source, query: Query, tmp_path: Path, name: str
) -> None:
    """The CSV, read by Python's reader, holds exactly the rows of the SQL; so say tally, slip and preview."""
    document, sql = CASES[name]
    made, template = plan(document), read_document({"name": "Test", **document})
    expected = [[v or "" for v in row] for row in query(sql)]
    with source.reader.snapshot() as snapshot:
        done = Export(template, made, "csv", tmp_path).write(snapshot, {})
        tally = count_tally(snapshot, made, {})
        first = to_frame(snapshot.table(Statements(made).rows(limit=20)))
    with done.path.open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))[1:]

    assert rows == expected
    assert done.slip["rows_announced"] == done.slip["rows_written"] == tally[-1]["rows"] == len(expected)
    preview = TextShaper(made.columns, made.zone.key).shape(first).rows()
    assert [[v or "" for v in row] for row in preview] == expected[:20]


def test_a_spreadsheet_equals_hand_written_sql(plan: MakePlan, source: Source, query: Query, tmp_path: Path) -> None:
    """The same for XLSX, read by openpyxl, with typed values."""
    document = {
        "records": "work_order_line",
        "columns": cols("number", "work_order.contractor.name", "amount", "done_on", "work_order.closed_at"),
        "filter": {"all": [{"path": "done_on", "is": "in_window", "window": {"type": "previous", "unit": "month"}}]},
        "order": [{"column": "c3"}],
    }
    with source.reader.snapshot() as snapshot:
        done = Export(read_document({"name": "T", **document}), plan(document), "xlsx", tmp_path).write(snapshot, {})
    expected = query(
        "SELECT wl_no, co_name, wl_amount::float, wl_done::timestamp, date_trunc('second', wo_closed AT TIME ZONE 'Europe/London')"
        " FROM wo_line l LEFT JOIN work_order o ON o.wo_id = l.wo_id LEFT JOIN contractor c ON c.co_id = o.co_id"
        " WHERE wl_done BETWEEN '2026-10-01' AND '2026-10-31' ORDER BY wl_done, wl_id"
    )
    book = openpyxl.load_workbook(done.path, read_only=True)
    rows = [tuple(row) for row in book.worksheets[0].iter_rows(min_row=2, values_only=True)]
    book.close()

    assert rows == expected


def test_the_slip_states_totals_by_hand(plan: MakePlan, source: Source, query: Query, tmp_path: Path) -> None:
    """Sums, first and last, blanks, personal fields and checksums in the slip are those of the rows."""
    document = {
        "records": "work_order_line",
        "columns": cols("number", "amount", "done_on", "work_order.contractor.code"),
    }
    with source.reader.snapshot() as snapshot:
        done = Export(read_document({"name": "T", **document}), plan(document), "csv", tmp_path).write(snapshot, {})
    total, first, last, undone, uncontracted = query(
        "SELECT sum(wl_amount)::text, min(wl_done)::text, max(wl_done)::text, count(*) FILTER (WHERE wl_done IS NULL),"
        " count(*) FILTER (WHERE co_id IS NULL) FROM wo_line l JOIN work_order o ON o.wo_id = l.wo_id"
    )[0]
    _, amount, when, code = done.slip["columns"]

    assert amount["total"] == total
    assert (when["first"], when["last"], when["blanks"]) == (first, last, undone)
    assert code["blanks"] == uncontracted
    assert done.slip["personal_fields"] == []


def test_the_tally_counts_what_each_step_leaves(plan: MakePlan, source: Source, query: Query) -> None:
    """Against one hand-written count per step, with the blanks an order comparison lost."""
    document = {
        "records": "tree",
        "columns": cols("tag"),
        "filter": {
            "all": [{"path": "status", "is": "is", "value": "S"}, {"path": "t_girth", "is": "at_least", "value": 300}]
        },
        "at_most": 10,
    }
    with source.reader.snapshot() as snapshot:
        tally = count_tally(snapshot, plan(document), {"filter.all[0]": "standing"})
    standing, blank, thick, trees = query(
        "SELECT count(*), count(*) FILTER (WHERE t_girth IS NULL), count(*) FILTER (WHERE t_girth >= 300),"
        " (SELECT count(*) FROM tree) FROM tree WHERE t_st = 'S'"
    )[0]

    assert [(s["rows"], s["left_out"], s["blank"]) for s in tally] == [
        (trees, 0, 0),
        (standing, trees - standing, 0),
        (thick, standing - thick, blank),
        (10, thick - 10, 0),
    ]
    assert [s["words"] for s in tally[:2]] == ["trees", "standing"]


def test_everything_reads_one_snapshot(cluster: Any) -> None:
    """Records that appear after the snapshot are in neither the count nor the rows."""
    with changing(cluster) as (source, writer, _):
        template = read_document(ITEMS)
        made = resolve(template, source.catalogue(), Context(as_of=NOW)).require()
        with source.reader.snapshot() as snapshot:
            before = snapshot.row(Statements(made).count())["rows"]
            writer.execute("INSERT INTO item VALUES (9999, 'late', 1, NULL)")
            after = snapshot.table(Statements(made).rows()).num_rows

    assert before == after == ROWS
