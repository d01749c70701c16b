"""
SQLite keeps whatever it is given: a text among numbers, a word among dates. Such columns are read as texts.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from pathlib import Path

import pytest

from bouquet.core.catalogue import Kind
from bouquet.sources import Source
from tests.sources.worlds import lines, written

TABLES = """
CREATE TABLE customer (customer_id INTEGER PRIMARY KEY, name TEXT, weird POINT, active BOOLEAN, seen TIMESTAMP);
CREATE TABLE invoice (id INTEGER PRIMARY KEY, customer_id INTEGER, inv_dt DATE, amount NUMERIC, due DATE, extra);
CREATE TABLE line (invoice_id INTEGER REFERENCES invoice (id), no INTEGER, item TEXT, PRIMARY KEY (invoice_id, no)) WITHOUT ROWID;
CREATE TABLE nokey (a TEXT, b INTEGER);
CREATE VIEW per_customer AS SELECT customer_id, count(*) AS n FROM invoice GROUP BY customer_id;
INSERT INTO customer VALUES (1, 'Ann', 'here', 1, '2024-01-02 03:04:05'), (2, 'Bob', NULL, 0, NULL);
INSERT INTO invoice VALUES (1, 1, '2024-02-03', 10.25, '2024-03-01', 'x'), (2, 1, 'soon', 'n/a', '2024-04-01', 5), (3, 2, NULL, 7, NULL, NULL);
INSERT INTO line VALUES (1, 1, 'a'), (1, 2, 'b');
INSERT INTO nokey VALUES ('x', 1), ('x', 1), (NULL, 2);
"""


@pytest.fixture(scope="module")
def office(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Source]:
    path = tmp_path_factory.mktemp("office") / "office.db"
    with sqlite3.connect(path) as connection:
        connection.executescript(TABLES)
    made = Source("office", f"sqlite:///{path}")
    yield made
    made.close()


def columns(*names: str) -> list[dict[str, object]]:
    return [{"id": n, "heading": n, "value": {"field": n}} for n in names]


def test_columns_with_strays_are_texts(office: Source, tmp_path: Path) -> None:
    """One word among dates or amounts; a column without strays stays what it was declared as."""
    fields = {f.name: f.kind for f in office.catalogue().record_types["invoice"].fields}
    assert (fields["inv_dt"], fields["amount"], fields["due"]) == (Kind.TEXT, Kind.TEXT, Kind.DATE)
    document = {"name": "T", "records": "invoice", "columns": columns("id", "inv_dt", "amount", "due", "extra")}

    assert lines(written(office, document, tmp_path)) == [
        ["1", "2024-02-03", "10.25", "2024-03-01", "x"], ["2", "soon", "n/a", "2024-04-01", "5"], ["3", "", "7", "", ""],
    ]  # fmt: skip


def test_a_type_that_only_looks_like_a_number(office: Source, tmp_path: Path) -> None:
    """POINT has INT in its name, and holds words."""
    document = {"name": "T", "records": "customer", "columns": columns("name", "weird", "active", "seen")}

    assert lines(written(office, document, tmp_path)) == [
        ["Ann", "here", "true", "2024-01-02T03:04:05"], ["Bob", "", "false", ""],
    ]  # fmt: skip


def test_times_of_no_day_and_views_that_fail_hide_nothing_else(tmp_path: Path) -> None:
    """A time after midnight's midnight is a text; a view of what is gone says so when it is read."""
    path = tmp_path / "shifts.db"
    with sqlite3.connect(path) as connection:
        connection.executescript(
            "CREATE TABLE shift (id INTEGER PRIMARY KEY, starts TIME, ends TIME);"
            "INSERT INTO shift VALUES (1, '22:00', '25:30'), (2, '06:00:00', NULL);"
            "CREATE TABLE gone (at TIME); CREATE VIEW looks_at_nothing AS SELECT at FROM gone; DROP TABLE gone;"
        )
    source = Source("shifts", f"sqlite:///{path}")
    fields = {f.name: f.kind for f in source.catalogue().record_types["shift"].fields}
    document = {"name": "T", "records": "shift", "columns": columns("starts", "ends")}

    assert (fields["starts"], fields["ends"]) == (Kind.TIME, Kind.TEXT)
    assert lines(written(source, document, tmp_path)) == [["22:00:00", "25:30"], ["06:00:00", ""]]
    source.close()


def test_views_tables_without_a_key_and_relations(office: Source, tmp_path: Path) -> None:
    """The same as in any database: nothing is lost, and what is not declared is found."""
    types = office.catalogue().record_types
    assert (types["nokey"].by_row, types["line"].key) == (True, ("invoice_id", "no"))
    assert [(r.name, r.declared) for r in types["invoice"].relations if not r.many] == [("customer", False)]
    document = {"name": "T", "records": "per_customer", "columns": columns("customer_id", "n")}

    assert lines(written(office, document, tmp_path)) == [["1", "2"], ["2", "1"]]
    assert len(lines(written(office, {"name": "T", "records": "nokey", "columns": columns("a", "b")}, tmp_path))) == 3


def test_texts_of_old_programs_are_read_as_they_were_meant(tmp_path: Path) -> None:
    """Bytes of Windows among those of UTF-8: they stop neither the reading of the source nor a run, and are found."""
    path = tmp_path / "old.db"
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE place (id INTEGER PRIMARY KEY, name TEXT)")
        connection.execute(
            "INSERT INTO place VALUES (1, CAST(X'436166E9' AS TEXT)), (2, 'Café'), (3, 'Zoo'), (4, NULL)"
        )
    connection.close()
    source = Source("old", f"sqlite:///{path}")
    document = {
        "name": "T", "records": "place", "columns": columns("id", "name"), "order": [{"path": "name"}],
        "filter": {"any": [{"path": "name", "is": "is", "value": "café"}, {"path": "name", "is": "blank"}]},
    }  # fmt: skip

    assert lines(written(source, document, tmp_path)) == [["1", "Café"], ["2", "Café"], ["4", ""]]
    source.close()
