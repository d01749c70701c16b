"""
Everything PostgreSQL lets people do: odd names, odd kinds, odd values. All is read, and as the database says it.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import openpyxl
import psycopg
import pytest

from bouquet.core.catalogue import Catalogue, Kind, RecordType
from bouquet.demo.cluster import Cluster
from bouquet.sources import Source, SourceError, overlay_of, write_overlay
from tests.sources.mariadb import owner_of
from tests.sources.worlds import lines, made_world, written


@pytest.fixture(scope="module")
def address(cluster: Cluster) -> str:
    return made_world(cluster, "odd")


@pytest.fixture(scope="module")
def odd(cluster: Cluster, address: str) -> Iterator[Source]:
    """Its types are made anew once it is connected: whatever the driver knows of them is of no use."""
    made = Source("odd", address)
    with made.reader.snapshot() as snapshot:
        snapshot.row("SELECT 1 AS one")
    made_world(cluster, "odd")
    yield made
    made.close()


@pytest.fixture(scope="module")
def catalogue(odd: Source) -> Catalogue:
    return odd.catalogue()


def whole(record_type: RecordType) -> dict[str, Any]:
    shown = [f for f in record_type.fields if f.kind is not Kind.FILE and not f.is_custom][:900]
    columns = [{"id": f"c{n}", "heading": f"{n} {f.name}", "value": {"field": f.name}} for n, f in enumerate(shown)]
    return {"name": "T", "records": record_type.name, "zone": "UTC", "columns": columns}


def test_only_what_the_role_may_read_is_there(catalogue: Catalogue) -> None:
    """No table and no column that would be refused; a table of the same name in another schema is another."""
    types = catalogue.record_types

    assert {"odd_kinds", "odd_too_kinds", "failing", "slow", "parent_of", "child_of", "wide"} <= set(types)
    assert not any(t.table in ("not_for_us", "no_columns") for t in types.values())
    assert [f.name for f in types["secret_in_part"].fields] == ["id", "open"]
    assert len(types["wide"].fields) == 1501


@pytest.mark.parametrize("format", ["csv", *(pytest.param(f, marks=pytest.mark.thorough) for f in ("xlsx", "jsonl"))])
def test_everything_can_be_written(odd: Source, catalogue: Catalogue, tmp_path: Path, format: str) -> None:
    """Whatever names there are; but a view that fails says so."""
    for record_type in catalogue.record_types.values():
        if record_type.name == "slow":
            continue
        if record_type.name == "failing":
            with pytest.raises(SourceError, match=r"could not answer\. division by zero$"):
                written(odd, whole(record_type), tmp_path, format)
        elif record_type.name == "misread":
            # What is said of a value is nothing that is said of the source.
            with pytest.raises(SourceError, match=r"type integer: …$") as told:
                written(odd, whole(record_type), tmp_path, format)
            assert told.type is SourceError
        else:
            written(odd, whole(record_type), tmp_path, format)


def test_names_of_any_signs(odd: Source, catalogue: Catalogue, tmp_path: Path) -> None:
    """Quotes, per cent, colons, line breaks, words of SQL, names that differ by case only."""
    (record_type,) = [t for t in catalogue.record_types.values() if t.table.startswith("Percent")]

    assert lines(written(odd, whole(record_type), tmp_path)) == [
        ["1", "p", "q", "r", "s", "t", "u", "v", "w", "x", "y", "z", "aa", "bb", "cc", "dd"]
    ]


def test_values_of_all_kinds(odd: Source, catalogue: Catalogue, address: str, tmp_path: Path) -> None:
    """As the database writes them: numbers that are none, intervals, ranges, composites, bits, offsets, arrays."""
    names = [
        "tmz", "iv", "f8", "n", "n0", "n20", "i2", "i8", "o", "rc", "lsn", "tv", "pt", "pg", "bx", "ci", "mac", "bv",
        "b1", "x", "j", "jb", "u", "r1", "r2", "mr", "col", "shd", "pl", "pls", "ch", "vc", "gen",
    ]  # fmt: skip
    columns = [{"id": n, "heading": n, "value": {"field": n}} for n in names]
    found = lines(written(odd, {**whole(catalogue.record_types["odd_kinds"]), "columns": columns}, tmp_path))
    with psycopg.connect(address) as connection:
        cells = ", ".join(f"{n}::text" for n in names)
        expected = connection.execute(f"SELECT {cells} FROM odd.kinds ORDER BY id").fetchall()  # type: ignore[call-overload]

    at = names.index("f8")
    for row, told in zip(found, expected, strict=True):
        assert float(row[at] or "nan") == pytest.approx(float(told[at] or "nan"), nan_ok=True)
        assert [c for n, c in enumerate(row) if n != at] == [c or "" for n, c in enumerate(told) if n != at]


def test_dates_beyond_every_calendar(odd: Source, catalogue: Catalogue, tmp_path: Path) -> None:
    """Infinite ones, years of five and more digits, years before Christ, and midnight at the end of a day."""
    columns = [{"id": n, "heading": n, "value": {"field": n}} for n in ("tm", "ts", "tz", "d")]
    document = {**whole(catalogue.record_types["odd_kinds"]), "columns": columns, "order": [{"path": "id"}]}

    assert lines(written(odd, document, tmp_path)) == [
        ["23:59:59.999999", "2024-02-29T12:00:00", "2024-02-29T12:00:00+00:00", "2024-02-29"],
        ["24:00:00", "-infinity", "infinity", "infinity"],
        ["", "20211-01-01T00:00:00", "4713-01-01T00:00:00+00:00 BC", "5874897-12-31"],
        ["", "", "", "0044-03-15 BC"],
    ]
    sheet = openpyxl.load_workbook(written(odd, document, tmp_path, "xlsx").path).worksheets[0]
    assert [cell.value for cell in sheet[4]][1:] == [
        "20211-01-01T00:00:00",
        "4713-01-01T00:00:00+00:00 BC",
        "5874897-12-31",
    ]


def test_the_shelf_of_odd_tables(odd: Source, catalogue: Catalogue) -> None:
    """Profiles, facts and a search."""
    for record_type in catalogue.record_types.values():
        if record_type.name in ("failing", "misread", "slow", "wide"):
            continue
        odd.profile(record_type.name)
        for f in record_type.fields:
            odd.facts(record_type.name, f.name)
        list(odd.find(record_type.name, "12"))


def test_odd_names_are_kept_as_a_catalogue(address: str, catalogue: Catalogue, tmp_path: Path) -> None:
    """Whatever tables and columns are called, the document that is written out is read again."""
    path = tmp_path / "catalogue.toml"
    path.write_text(write_overlay(overlay_of(catalogue)), encoding="utf-8")
    kept = Source("odd", address, path)
    again = kept.catalogue()
    kept.close()

    assert {t.name: [f.name for f in t.fields] for t in again.record_types.values()} == {
        t.name: [f.name for f in t.fields] for t in catalogue.record_types.values()
    }


ENDS = {
    "UTC": ["9999-12-31T23:59:59+00:00", "0001-01-01T00:00:00+00:00"],
    "Asia/Tokyo": ["10000-01-01T08:59:59+09:00", "0001-01-01T09:18:59+09:19"],
    "America/New_York": ["9999-12-31T18:59:59-05:00", "0000-12-31T19:03:58-04:56"],
}


@pytest.mark.parametrize("zone", sorted(ENDS))
@pytest.mark.parametrize("format", ["csv", "xlsx", "jsonl"])
def test_the_ends_of_the_calendar_are_written_in_every_zone(
    odd: Source, catalogue: Catalogue, tmp_path: Path, zone: str, format: str
) -> None:
    """A last day that stands for "never", a first one, infinity, and years that no calendar of ours has."""
    document = {**whole(catalogue.record_types["ends"]), "zone": zone, "order": [{"path": "id"}]}
    made = written(odd, document, tmp_path, format)
    assert made.rows == 5
    if format == "csv":
        found = lines(made)
        assert [r[1] for r in found] == ["a", "", "", "", ""]
        assert [r[2] for r in found][:3] == [*ENDS[zone], "infinity"]
        assert [r[3] for r in found][2:] == ["-infinity", "294276-12-31T23:59:59", "4713-01-01T12:00:00 BC"]
        assert [r[4] for r in found] == ["9999-12-31", "0001-01-01", "infinity", "5874897-12-31", "4713-01-01 BC"]


@pytest.mark.parametrize("field", ["tz", "ts", "d", "j", "one"])
def test_odd_values_are_grouped_joined_and_told_apart(odd: Source, field: str, tmp_path: Path) -> None:
    """Counted as the database counts their texts, each a group of its own, joined into one text, checked for doubles."""
    columns = [
        {"id": "a", "heading": "A", "value": {"field": field}},
        {"id": "n", "heading": "N", "value": {"fold": {"path": "id", "how": "count"}}},
        {"id": "j", "heading": "J", "value": {"fold": {"path": field, "how": "joined"}}},
        {"id": "d", "heading": "D", "value": {"fold": {"path": field, "how": "count_distinct"}}},
    ]
    grouped = {
        "name": "T",
        "records": "ends",
        "zone": "UTC",
        "rows": {"per": "group", "by": [{"path": field}]},
        "columns": columns,
    }
    counts = {"tz": 5, "ts": 5, "d": 5, "j": 3, "one": 2}
    found = lines(written(odd, grouped, tmp_path))
    assert len(found) == counts[field]
    for value, count, joined, _ in found:
        assert joined == "; ".join([value] * int(count)) or not value
    plain = {
        "name": "T",
        "records": "ends",
        "columns": columns[:1],
        "checks": [{"column": "a", "must": "unique"}],
        "output": {"split": {"by": field}},
    }
    assert written(odd, plain, tmp_path / "split").rows == 5


def related(source: Source, folder: Path) -> tuple[set[tuple[tuple[str, str], ...]], list[list[str]]]:
    """The keys that lead from the table of odd names to another, and what is read by one of them."""
    start = next(t for t in source.catalogue().record_types.values() if t.table == "from, here")
    to_one = [r for r in start.relations if not r.many]
    document = {
        "name": "T", "records": start.name,
        "columns": [{"id": "n", "heading": "N", "value": {"field": f"{to_one[0].name}.name"}}],
    }  # fmt: skip
    return {r.pairs for r in to_one}, lines(written(source, document, folder))


ODD_KEYS = (
    'CREATE TABLE "to (there)" ("a,b" integer, "c)d" integer, name varchar(20), PRIMARY KEY ("a,b", "c)d"))',
    'CREATE TABLE "from, here" (id integer PRIMARY KEY, "x,y" integer, "z)" integer,'
    ' FOREIGN KEY ("x,y", "z)") REFERENCES "to (there)" ("a,b", "c)d"))',
    """INSERT INTO "to (there)" VALUES (1, 2, 'found')""",
    'INSERT INTO "from, here" VALUES (1, 1, 2)',
)


def test_keys_of_any_names_lead_on(cluster: Cluster, mariadb: Callable[[str], str], tmp_path: Path) -> None:
    """Commas and brackets in names of columns and tables part nothing, in any database."""
    expected = {(("x,y", "a,b"), ("z)", "c)d"))}, [["found"]]
    cluster.ensure_database("odd_keys_test", "marrowby_owner")
    url = cluster.url("odd_keys_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute('DROP TABLE IF EXISTS "from, here", "to (there)"')
        for statement in ODD_KEYS:
            connection.execute(statement)
    maria = mariadb("odd_keys")
    with owner_of(maria) as server, server.cursor() as cursor:
        for statement in ODD_KEYS:
            cursor.execute(statement.replace('"', "`"))
        server.commit()
    path = tmp_path / "odd.sqlite"
    with sqlite3.connect(path) as lite:
        for statement in ODD_KEYS:
            lite.execute(statement)
    lite.close()

    for n, address in enumerate((url, maria.replace("owner", "reader"), f"sqlite:///{path}")):
        source = Source("odd", address)
        assert related(source, tmp_path / str(n)) == expected
        source.close()


def test_a_key_that_nobody_sees_to_may_lead_nowhere(cluster: Cluster, tmp_path: Path) -> None:
    """SQLite does not look at its keys, and PostgreSQL not at rows from before them: the tally counts what is lost."""
    tables = ("CREATE TABLE place (id integer PRIMARY KEY, name text)", "INSERT INTO place VALUES (1, 'here')")
    path = tmp_path / "keys.sqlite"
    with sqlite3.connect(path) as lite:
        for statement in (
            *tables,
            "CREATE TABLE thing (id integer PRIMARY KEY, place_id integer NOT NULL REFERENCES place)",
        ):
            lite.execute(statement)
        lite.executemany("INSERT INTO thing VALUES (?, ?)", [(1, 1), (2, 7), (3, 7)])
    lite.close()
    cluster.ensure_database("keys_test", "marrowby_owner")
    url = cluster.url("keys_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS thing, place")
        for statement in (*tables, "CREATE TABLE thing (id integer PRIMARY KEY, place_id integer NOT NULL)"):
            connection.execute(statement)
        connection.execute("INSERT INTO thing VALUES (1, 1), (2, 7), (3, 7)")
        connection.execute("ALTER TABLE thing ADD FOREIGN KEY (place_id) REFERENCES place NOT VALID")
    columns = [{"id": "p", "heading": "P", "value": {"field": "place.name"}}]

    for n, address in enumerate((f"sqlite:///{path}", url)):
        source = Source("keys", address)
        made = written(source, {"name": "T", "records": "thing", "columns": columns}, tmp_path / str(n))
        source.close()
        assert [e["rows"] for e in made.slip["tally"][0]["empty"]] == [2]
        assert made.slip["columns"][0]["blanks"] == 2
