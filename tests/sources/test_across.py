"""
Cross-tabs against hand-written SQL: values across become columns, with gaps, blanks and totals, in every place.
"""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import psycopg
import pytest

from bouquet.core.catalogue import Catalogue
from bouquet.core.errors import PlanError
from bouquet.core.layout import misfits
from bouquet.core.plan import AcrossValue, Context, resolve
from bouquet.core.template import Acceptance, read_document
from bouquet.core.wording.sentence import Sentence
from bouquet.runs import Export
from bouquet.runs.crossing import crossed, crossed_plan
from bouquet.sources import Source
from tests.conftest import NOW, OwnCluster
from tests.sources.files import rows_of

Query = Callable[[str], list[tuple[Any, ...]]]

TREES: dict[str, Any] = {
    "name": "Trees by ward and status", "records": "tree",
    "rows": {"per": "group", "by": [{"path": "site.ward.name"}], "across": {"path": "status"}},
    "columns": [
        {"id": "w", "heading": "Ward", "value": {"field": "site.ward.name"}},
        {"id": "n", "heading": "Trees", "value": {"fold": {"path": "", "how": "count"}}},
    ],
}  # fmt: skip
ORDERS: dict[str, Any] = {
    "name": "Lines by month", "records": "work_order_line",
    "rows": {
        "per": "group", "by": [{"path": "work_order.contractor.name"}],
        "across": {"path": "done_on", "step": "month"},
    },
    "columns": [
        {"id": "c", "heading": "Contractor", "value": {"field": "work_order.contractor.name"}},
        {"id": "a", "heading": "Amount", "value": {"fold": {"path": "amount", "how": "sum"}}, "total": "sum"},
        {"id": "n", "heading": "Lines", "value": {"fold": {"path": "", "how": "count"}}},
    ],
    "filter": {"all": [{"path": "done_on", "is": "in_window", "window": {"type": "between", "first": "2026-03-01", "last": "2026-08-31"}}]},
}  # fmt: skip


def read(
    source: Source, document: dict[str, Any], folder: Path, format: str = "csv", **context: Any
) -> list[list[str]]:
    template = read_document(document)
    found = Context(as_of=NOW, answers={}, **context)
    with source.reader.snapshot() as snapshot:
        plan = crossed_plan(snapshot, template, resolve(template, source.catalogue(), found).require())
        return rows_of(Export(template, plan, format, folder).write(snapshot, {}).path)


def test_values_across_become_columns(source: Source, query: Query, tmp_path: Path) -> None:
    """Each the fold of the records with that value; the fold over all stands last."""
    heading, *rows = read(source, TREES, tmp_path)
    labels = {"S": "Standing", "F": "Felled", "D": "Dead, standing", "R": "Removed"}
    counted = query(
        "SELECT w.w_name, t.t_st, count(*) FROM tree t LEFT JOIN site s USING (s_id) LEFT JOIN ward w ON w.w_id = s.ward_id GROUP BY 1, 2"
    )
    expected = {(ward or "", labels.get(status, status)): n for ward, status, n in counted}

    assert set(heading[1:-1]) == {status for _, status in expected}
    assert (heading[0], heading[-1]) == ("Ward", "Trees")
    for row in rows:
        assert [int(n) for n in row[1:-1]] == [expected.get((row[0], status), 0) for status in heading[1:-1]]
        assert int(row[-1]) == sum(map(int, row[1:-1]))


def test_steps_of_time_stand_across_with_their_gaps(source: Source, query: Query, tmp_path: Path) -> None:
    """Months in their order, of one fold after the other; totals below."""
    document = {**ORDERS, "output": {"style": "reader", "reader": {"title": False}}}
    heading, *rows = read(source, document, tmp_path)
    counted = query(
        "SELECT c.co_name, extract(month FROM wl_done)::int, sum(wl_amount), count(*) FROM wo_line l JOIN work_order o USING (wo_id)"
        " LEFT JOIN contractor c ON c.co_id = o.co_id WHERE wl_done BETWEEN '2026-03-01' AND '2026-08-31' GROUP BY 1, 2"
    )
    expected = {(name, month): (amount, n) for name, month, amount, n in counted}
    months = ["Mar 2026", "Apr 2026", "May 2026", "Jun 2026", "Jul 2026", "Aug 2026"]

    assert heading == ["Contractor", *(x for h in ("Amount", "Lines") for x in (*(f"{m}, {h}" for m in months), h))]
    for row in rows[:-1]:
        for k in range(6):
            amount, lines = expected.get((row[0] or None, 3 + k), (None, 0))
            said = re.sub(r"[^0-9.-]", "", row[1 + k])
            assert (Decimal(said) if said else None, int(row[8 + k])) == (amount, lines)
    total = sum((amount for amount, _ in expected.values()), Decimal(0))
    assert Decimal(re.sub(r"[^0-9.-]", "", rows[-1][7])) == total


def test_a_step_without_records_has_a_column_unless_it_is_not_wanted(source: Source, tmp_path: Path) -> None:
    """Between the first and the last that have some."""
    narrowed = {"any": [
        {"path": "done_on", "is": "in_window", "window": {"type": "between", "first": f"2026-{m}-01", "last": f"2026-{m}-28"}} for m in ("03", "06")
    ]}  # fmt: skip
    with_gaps = read(source, {**ORDERS, "filter": narrowed}, tmp_path / "a")[0]
    rows = {**ORDERS["rows"], "across": {**ORDERS["rows"]["across"], "gaps": False, "total": False}}
    without = read(source, {**ORDERS, "filter": narrowed, "rows": rows}, tmp_path / "b")[0]

    assert [h for h in with_gaps if h.endswith("Lines")] == [f"2026-0{m}, Lines" for m in (3, 4, 5, 6)] + ["Lines"]
    assert without[1:] == ["2026-03, Amount", "2026-06, Amount", "2026-03, Lines", "2026-06, Lines"]


def test_records_without_a_value_have_a_column_of_their_own(source: Source, query: Query, tmp_path: Path) -> None:
    """The last one; nothing is lost between columns and total."""
    rows = {"per": "group", "by": [{"path": "status"}], "across": {"path": "planted_on", "step": "year", "most": 200}}
    document = {
        **TREES,
        "rows": rows,
        "columns": [{"id": "w", "heading": "Status", "value": {"field": "status"}}, TREES["columns"][1]],
    }
    heading, *found = read(source, document, tmp_path)
    blank = query("SELECT count(*) FROM tree WHERE t_planted IS NULL")[0][0]

    assert heading[-2] == "(blank)"
    assert sum(int(row[-2]) for row in found) == blank
    assert all(int(row[-1]) == sum(map(int, row[1:-1])) for row in found)


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"rows": {**TREES["rows"], "across": {"path": "nothing"}}}, "rows.across.path"),
        ({"rows": {**TREES["rows"], "across": {"path": "tag", "most": 5}}}, "rows.across"),
        ({"rows": {**TREES["rows"], "across": {"path": "status", "step": "month"}}}, "rows.across.step"),
        ({"columns": TREES["columns"][:1]}, "rows.across"),
    ],
)
def test_what_cannot_stand_across_is_said_at_its_place(
    source: Source, tmp_path: Path, change: dict[str, Any], place: str
) -> None:
    with pytest.raises(PlanError) as refused:
        read(source, {**TREES, **change}, tmp_path)
    assert place in [p.place for p in refused.value.problems]


def test_places_count_columns_as_they_are_written(catalogue_of_trees: Catalogue) -> None:
    """Not as they are spread."""
    columns = [TREES["columns"][1], {"id": "x", "heading": "X", "value": {"field": "nothing"}}]
    values = tuple(AcrossValue(v, v) for v in ("S", "F", "D"))
    found = resolve(read_document({**TREES, "columns": columns}), catalogue_of_trees, Context(as_of=NOW, across=values))
    assert [p.place for p in found.problems] == ["columns[1].value.field"]


@pytest.fixture
def catalogue_of_trees(source: Source) -> Catalogue:
    return source.catalogue()


def test_the_sentence_says_what_stands_across(source: Source) -> None:
    sentence = Sentence(read_document(ORDERS), source.catalogue(), Context(as_of=NOW)).text()
    assert sentence.startswith("One row per contractor, across month of done on, from all work order lines")


def test_what_is_across_is_what_one_may_see(source: Source) -> None:
    """A value that only others' records have makes no column."""
    from bouquet.core.plan import Scope

    template = read_document({**TREES, "rows": {**TREES["rows"], "across": {"path": "site.ward.code"}}})
    context = Context(as_of=NOW, answers={}, scope=Scope("ward", "code", ("03", "07")))
    with source.reader.snapshot() as snapshot:
        found = crossed(snapshot, template, source.catalogue(), context)
    assert [v.text for v in found.across or ()] == ["03", "07"]


DATES = """
CREATE TABLE visit (id int PRIMARY KEY, day date, at time, amount numeric, who text);
INSERT INTO visit VALUES (1, '0001-01-01', '08:00', 1.5, 'Rose Pell'), (2, '9999-12-31', '09:30', 2, 'Rose Pell'),
    (3, '2026-01-31', '08:00', 1.5, 'Ann Lee'), (4, NULL, NULL, NULL, NULL);
CREATE TABLE far_visit (id int PRIMARY KEY, day date);
INSERT INTO far_visit VALUES (1, '2026-01-01'), (2, 'infinity'), (3, NULL);
"""


@pytest.fixture(scope="module")
def diary(cluster: OwnCluster) -> Iterator[Source]:
    """Visits at both ends of the calendar, and beyond."""
    cluster.ensure_database("across_test", "marrowby_owner")
    url = cluster.url("across_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS visit, far_visit")
        connection.execute(DATES)
    made = Source("diary", url)
    yield made
    made.close()


def visits(path: str, records: str = "visit", **across: Any) -> dict[str, Any]:
    columns = [
        {"id": "i", "heading": "Id", "value": {"field": "id"}},
        {"id": "n", "heading": "All", "value": {"fold": {"path": "", "how": "count"}}},
    ]
    rows = {"per": "group", "by": [{"path": "id"}], "across": {"path": path, **across}}
    return {"name": "Visits", "records": records, "rows": rows, "columns": columns}


def test_steps_without_end_are_refused_before_they_are_made(diary: Source, tmp_path: Path) -> None:
    """Every day of ten thousand years: no more are made than say that there are too many."""
    for step in ("day", "month"):
        template = read_document(visits("day", step=step))
        with diary.reader.snapshot() as snapshot:
            found = crossed(snapshot, template, diary.catalogue(), Context(as_of=NOW, answers={}))
        assert len(found.across or ()) == 61
        assert [p.code for p in resolve(template, diary.catalogue(), found).problems] == ["many_across"]


def test_the_last_step_of_the_calendar_is_a_step(diary: Source, tmp_path: Path) -> None:
    """It ends with the calendar."""
    heading, *rows = read(diary, visits("day", step="year", gaps=False), tmp_path)
    assert heading == ["Id", "1", "2026", "9999", "(blank)", "All"]
    assert [row[1:-1] for row in rows] == [
        ["1", "0", "0", "0"],
        ["0", "0", "1", "0"],
        ["0", "1", "0", "0"],
        ["0", "0", "0", "1"],
    ]


@pytest.mark.parametrize(("path", "headings"), [("at", ["08:00:00", "09:30:00"]), ("amount", ["1.5", "2"])])
def test_times_and_numbers_stand_across(diary: Source, tmp_path: Path, path: str, headings: list[str]) -> None:
    """As they are written."""
    heading, *rows = read(diary, visits(path), tmp_path)
    assert heading == ["Id", *headings, "(blank)", "All"]
    assert [[int(n) for n in row[1:-1]] for row in rows] == [[1, 0, 0], [0, 1, 0], [1, 0, 0], [0, 0, 1]]


def test_one_value_across_is_a_column(diary: Source, tmp_path: Path) -> None:
    """Without totals there are as many columns as the template has."""
    narrowed = {"filter": {"all": [{"path": "day", "is": "after", "value": "9000-01-01"}]}}
    heading, *rows = read(diary, {**visits("day", step="year", total=False), **narrowed}, tmp_path)
    assert (heading, [row[1:] for row in rows]) == (["Id", "9999"], [["1"]])


def test_dates_beyond_the_calendar_are_refused(diary: Source, tmp_path: Path) -> None:
    """They are not blank, and would be in no column."""
    for across in ({"step": "month"}, {}):
        with pytest.raises(PlanError) as refused:
            read(diary, visits("day", "far_visit", **across), tmp_path)
        assert [p.code for p in refused.value.problems] == ["far_across"]


def test_columns_called_by_personal_data_are_personal(diary: Source) -> None:
    """A purpose is asked for; who may not receive such data, or only masked, gets nothing."""
    whole = diary.catalogue()
    visit = whole.record_types["visit"]
    fields = tuple(dataclasses.replace(f, personal=f.name == "who") for f in visit.fields)
    catalogue = dataclasses.replace(whole, record_types={"visit": dataclasses.replace(visit, fields=fields)})
    split = {**visits("amount"), "rows": {"per": "record"}, "columns": visits("amount")["columns"][:1]}
    for document in (visits("who"), {**split, "output": {"split": {"by": "who"}}}):
        plan = resolve(read_document(document), catalogue, Context(as_of=NOW, answers={})).require()
        assert plan.personal == ("Who",)
        assert misfits(Acceptance(), plan)
        assert misfits(Acceptance(personal=True, classes={"name": "masked", "other": "masked"}), plan)
        assert not misfits(Acceptance(personal=True), plan)
