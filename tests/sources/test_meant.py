"""
Random templates against an evaluator of their meaning that has nothing of Bouquet's: `tests.sources.meant`.

Texts decide no order here, as no collation is at hand outside of databases; letters are those whose lower case every
language agrees on.
"""

from __future__ import annotations

import csv
from collections import Counter
from datetime import datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from bouquet.core.errors import PlanError
from bouquet.core.plan import Context, Scope, resolve
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.runs import Export
from bouquet.runs.crossing import crossed_plan
from bouquet.sources import Source
from tests.conftest import NOW, seeds
from tests.sources.drawn import WORLD, Drawn
from tests.sources.meant import Meant, Record, World
from tests.sources.test_beside import made, sound
from tests.sources.worlds import written


@pytest.fixture
def source(drawn_source: Source) -> Source:
    return drawn_source


def in_file(
    source: Source, document: dict[str, Any], folder: Path, scope: Scope | None = None
) -> tuple[list[list[str]], dict[str, Any]]:
    made = written(source, document, folder, scope=scope)
    with made.path.open(newline="", encoding="utf-8") as file:
        return list(csv.reader(file))[1:], made.slip


def seen_by(scope: Scope) -> World:
    """The world without what a right to some regions does not show."""
    kept = {"region": [r for r in WORLD.tables["region"] if str(r["id"]) in scope.values]}
    for table, column, above in (("p", "region_id", "region"), ("e", "p_id", "p"), ("f", "e_id", "e")):
        known = {r["id"] for r in kept[above]}
        kept[table] = [r for r in WORLD.tables[table] if r[column] in known]
    return World(kept, WORLD.to_one, WORLD.to_many, WORLD.choices)


def told(slip: dict[str, Any]) -> list[dict[str, Any]]:
    """What a slip says of each column, sums as numbers."""
    said = [{k: c[k] for k in ("blanks", "total", "first", "last") if k in c} for c in slip["columns"]]
    return [
        {
            k: Decimal(v) if k == "total" else v
            for k, v in c.items()
            if k != "total" or c["blanks"] < slip["rows_written"]
        }
        for c in said
    ]


@pytest.mark.parametrize("seed", seeds(2, 4))
def test_files_say_what_templates_mean(source: Source, tmp_path: Path, seed: int) -> None:
    """Rows of records, children and groups, folds, filters, order and every way to show a value, cell by cell."""
    drawn = Drawn(seed)
    for n in range(40):
        document = drawn.document()
        got, slip = in_file(source, document, tmp_path / str(n))
        meant = Meant(WORLD, document, NOW)
        expected, per = meant.file(), document.get("rows", {}).get("per")
        if per == "group":
            assert Counter(map(tuple, got)) == Counter(map(tuple, expected)), document
        else:
            assert got == expected, document
        assert not expected or told(slip) == meant.totals(), document
        if per is None:
            assert [s["rows"] for s in slip["tally"] if s["kind"] != "limit"] == meant.steps(), document


#: The suite asks one of them; the others after it.
DATABASES = ["postgresql", *(pytest.param(n, marks=pytest.mark.thorough) for n in ("mariadb", "sqlite"))]


@pytest.mark.parametrize("name", DATABASES)
def test_checks_object_to_what_they_mean(
    source: Source, elsewhere: dict[str, Source], tmp_path: Path, name: str
) -> None:
    """Of records, children and groups, also where the file has only the first rows: those that stand in the file."""
    there, drawn = elsewhere.get(name, source), Drawn(300)
    asked = {"near_usual": "spread", "between": "greatest", "length": "greatest"}
    for n in range(60 if there is source else 30):
        document = drawn.document()
        columns = [c for c in document["columns"] if c["value"].get("fold", {}).get("how") not in ("joined", "spread")]
        document["columns"] = columns or [{"id": "c", "heading": "C", "value": {"field": "id"}}]
        most, document["output"] = drawn.some([0, 1, 2, 3]), {"format": "csv"}
        document["checks"] = [
            {"column": c["id"], "must": must, "severity": "note", **({asked[must]: most} if must in asked else {})}
            for c in document["columns"]
            for must in ("filled", "unique", "near_usual", "whole", "between", "length", "not_future", "not_past")
        ]
        if name == "sqlite" and "state" in str(document):
            continue
        template, plan = sound(document, there)
        slip = made(there, template, plan, tmp_path / str(n)).slip
        meant, places = Meant(WORLD, document, NOW), [c["id"] for c in document["columns"]]
        expected = [meant.objections(c["must"], places.index(c["column"]), most) for c in document["checks"]]
        assert [c["objections"] for c in slip["checks"]] == expected, document


@pytest.mark.parametrize("name", DATABASES)
def test_values_across_mean_the_records_that_have_them(
    source: Source, elsewhere: dict[str, Source], tmp_path: Path, name: str
) -> None:
    """Column by column, in whatever order the values across stand."""
    there, drawn, crossed_tabs = elsewhere.get(name, source), Drawn(700), 0
    while crossed_tabs < 30:
        document = drawn.of_groups()
        taken = [b["path"] for b in document["rows"]["by"]]
        path = drawn.some([p for p in ("state", "b", "d", "p.region.rank", "ts") if p not in taken])
        document["rows"]["across"] = {"path": path, "most": 200, "gaps": False} | (
            {"step": drawn.some(["month", "year"])} if path in ("d", "ts") else {}
        )
        document |= {"name": "T", "zone": "Europe/London"}
        for column in document["columns"][: len(taken)]:
            column |= {"show": {}, "blank": ""}
        own = [c for c in document["columns"] if not c["value"].get("fold", {"path": "fs"})["path"].startswith("fs")]
        if not own or (name == "sqlite" and "state" in str(document)):
            continue
        crossed_tabs += 1
        meant = Meant(WORLD, document, NOW)
        cells = [[meant.shown(value, column) for value, column in row] for row in meant.across().values()]
        with there.reader.snapshot() as snapshot:
            template, found = read_document(document), Context(as_of=NOW)
            plan = crossed_plan(snapshot, template, resolve(template, there.catalogue(), found).require())
            file = Export(template, plan, "csv", tmp_path / str(crossed_tabs)).write(snapshot, {}).path
        with file.open(newline="", encoding="utf-8") as lines:
            got = list(csv.reader(lines))[1:]
        # What a row is called by stands first.
        got, cells = sorted(got, key=lambda r: r[:2]), sorted(cells, key=lambda r: r[:2])
        assert sorted(zip(*got, strict=True)) == sorted(zip(*cells, strict=True)), document


@pytest.mark.parametrize("seed", seeds(1, 2))
def test_lines_between_the_rows_say_what_they_mean(source: Source, tmp_path: Path, seed: int) -> None:
    """Headings of groups, subtotals and totals, of what is written above them."""
    drawn = Drawn(200 + seed)
    for n in range(40):
        document = drawn.for_readers()
        got, _ = in_file(source, document, tmp_path / str(n))
        assert got == Meant(WORLD, document, NOW).lines(), document


@pytest.mark.parametrize("name", ["mariadb", "sqlite"])
@pytest.mark.parametrize("seed", seeds(1, 3))
def test_other_databases_mean_the_same(elsewhere: dict[str, Source], tmp_path: Path, name: str, seed: int) -> None:
    """Cell by cell, but for what they say that they lack; SQLite has no states of its own."""
    drawn, lacking = Drawn(100 + seed), 0
    for n in range(30):
        document = drawn.document()
        if name == "sqlite" and "state" in str(document):
            continue
        try:
            got, slip = in_file(elsewhere[name], document, tmp_path / str(n))
        except PlanError:
            lacking += 1
            continue
        meant = Meant(WORLD, document, NOW)
        assert Counter(map(tuple, got)) == Counter(map(tuple, meant.file())), document
        assert not got or told(slip) == meant.totals(), document
    assert lacking < 6


@pytest.mark.parametrize("seed", seeds(1, 2))
def test_a_right_is_as_if_the_rest_were_not_there(source: Source, tmp_path: Path, seed: int) -> None:
    """Files, and what their slips say, are those of a source that has only what may be seen."""
    drawn, scope = Drawn(50 + seed), Scope("region", "id", ("1", "3"))
    seen = seen_by(scope)
    for n in range(40):
        document = drawn.document()
        got, slip = in_file(source, document, tmp_path / str(n), scope)
        meant = Meant(seen, document, NOW)
        assert Counter(map(tuple, got)) == Counter(map(tuple, meant.file())), document
        assert not got or told(slip) == meant.totals(), document


PARTS = {
    "yyyy": "%Y", "yy": "%y", "MMMM": "%B", "MMM": "%b", "MM": "%m", "M": "%-m", "dd": "%d", "d": "%-d", "EEEE": "%A",
    "EEE": "%a", "HH": "%H", "H": "%-H", "hh": "%I", "h": "%-I", "mm": "%M", "ss": "%S", "a": "%p", "xxx": "%z",
}  # fmt: skip


@pytest.mark.parametrize("name", ["postgresql", "mariadb", "sqlite"])
@pytest.mark.parametrize("path", ["d", "ts", "tz", "tm"])
def test_every_part_of_a_date_is_shown_or_refused(
    source: Source, elsewhere: dict[str, Source], tmp_path: Path, name: str, path: str
) -> None:
    """In cells, and in cells that join many: a date is the beginning of its day, a time of day has none."""
    there = source if name == "postgresql" else elsewhere[name]
    known = [p for p in PARTS if (p != "xxx" or path == "tz") and (path != "tm" or p[0] in "Hhmsa")]
    many = {"path": f"es.{path}", "how": "joined", "order": [{"path": "id"}], "separator": "|"}
    document = {"name": "T", "zone": "Europe/London", "records": "e", "order": [{"path": "id"}]}
    joined = {**document, "records": "p"}
    document["columns"] = [
        {"id": p, "heading": f"{n}", "value": {"field": path}, "show": {"date": p}} for n, p in enumerate(PARTS)
    ]
    joined["columns"] = [
        {"id": p, "heading": f"{n}", "value": {"fold": many}, "show": {"date": p}} for n, p in enumerate(PARTS)
    ]
    for asked in (document, joined):
        found = resolve(read_document(asked), there.catalogue(), Context(as_of=NOW)).problems
        assert [p.place for p in found] == [f"columns[{n}].show.date" for n, p in enumerate(PARTS) if p not in known]
        asked["columns"] = [c for c in asked["columns"] if c["id"] in known]
    files = [in_file(there, asked, tmp_path / str(n))[0] for n, asked in enumerate((document, joined))]

    def said(record: Record, part: str) -> str:
        if (value := record[path]) is None:
            return ""
        if isinstance(value, time):
            value = datetime.combine(NOW, value)
        elif not isinstance(value, datetime):
            value = datetime.combine(value, time())
        elif value.tzinfo is not None:
            value = value.astimezone(ZoneInfo("Europe/London"))
        text = str(value.year).zfill(4) if part == "yyyy" else value.strftime(PARTS[part])
        return f"{text[:3]}:{text[3:]}" if part == "xxx" else text

    records = sorted(WORLD.tables["e"], key=lambda e: e["id"])
    assert files[0] == [[said(e, p) for p in known] for e in records]
    theirs = [[e for e in records if e["p_id"] == p["id"]] for p in sorted(WORLD.tables["p"], key=lambda p: p["id"])]
    wanted = [["|".join(filter(None, (said(e, p) for e in es))) for p in known] for es in theirs]
    assert files[1] == wanted


def test_ranges_of_rows_are_the_rows(source: Source) -> None:
    """Whatever bounds they are cut at: each row is in one range, and in its place."""
    drawn, cut = Drawn(300), 0
    with source.reader.snapshot() as snapshot:
        for _ in range(400):
            document = {"name": "T", **drawn.some([drawn.of_records, drawn.of_children])()}
            plan = resolve(read_document(document), source.catalogue(), Context(as_of=NOW)).require()
            statements = Statements(plan, expected=100)
            if not statements.can_cut:
                continue
            cut += 1
            found = snapshot.row(statements.bounds(5))
            ranges = statements.ranges([b for b in found.values() if b is not None])
            parts = [r for each in ranges for r in snapshot.rows(statements.rows_within(each, keys=True))]
            assert parts == snapshot.rows(statements.rows(keys=True)), document
    assert cut > 15
