"""
Steps of time that are filled: as many as anybody can read, whatever dates stand in somebody's database.
"""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest

from bouquet.core.errors import PlanError
from bouquet.core.plan import Context, resolve
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.runs import count_tally
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.mariadb import owner_of
from tests.sources.test_true_values import lines

TABLE = "CREATE TABLE visit (id integer PRIMARY KEY, at timestamp NULL, day date NULL)"
#: Called as other programs, and statements, call parts of their own.
NAMED = "CREATE TABLE groups (id integer PRIMARY KEY, day date NULL, parent integer NULL REFERENCES groups (id))"
#: Some use a last date for what has no end yet.
ROWS = [
    (1, "2026-01-05 10:00:00", "2026-01-05"),
    (2, "2026-03-05 11:00:00", "2026-03-05"),
    (3, "2037-12-31 00:00:00", "9999-12-31"),
]


def filled(path: str, step: str, **more: Any) -> dict[str, Any]:
    return {
        "records": "visit",
        "rows": {"per": "group", "by": [{"path": path, "step": step, "fill_gaps": True}]},
        "columns": [
            {"id": "a", "heading": "Step", "value": {"field": path}},
            {"id": "b", "heading": "Visits", "value": {"fold": {"path": "", "how": "count"}}},
        ],
        **more,
    }


@pytest.fixture(params=["postgresql", "mariadb", "sqlite"])
def visits(
    request: pytest.FixtureRequest, cluster: Cluster, mariadb: Callable[[str], str], tmp_path: Path
) -> Iterator[Source]:
    name = f"visits_{request.node.name.split('[')[0][-12:]}"
    statements = [TABLE, NAMED, *(f"INSERT INTO visit VALUES {row}" for row in ROWS)]
    statements += [
        "INSERT INTO groups VALUES (1, '2026-01-05', NULL)",
        "INSERT INTO groups VALUES (2, '2026-03-05', 1)",
        "INSERT INTO groups VALUES (3, '2026-03-07', 1)",
    ]
    if request.param == "postgresql":
        cluster.drop_database("visits")
        cluster.ensure_database("visits", "marrowby_owner")
        url = cluster.url("visits", "marrowby_owner", "test-only")
        with psycopg.connect(url, autocommit=True) as connection:
            for statement in statements:
                connection.execute(statement)  # type: ignore[call-overload]
    elif request.param == "mariadb":
        url = mariadb(name)
        with owner_of(url) as owner, owner.cursor() as cursor:
            for statement in statements:
                cursor.execute(statement)
            owner.commit()
    else:
        url = f"sqlite:///{tmp_path / 'visits.sqlite'}"
        file = sqlite3.connect(tmp_path / "visits.sqlite")
        for statement in statements:
            file.execute(statement)
        file.commit()
        file.close()
    made = Source("visits", url)
    yield made
    made.close()


def test_a_date_without_end_does_not_fill_the_database(visits: Source, tmp_path: Path) -> None:
    """Days to the end of the year 9999: told in words, soon, before anything is written; a look still shows rows."""
    template = read_document({"name": "T", **filled("day", "day")})
    plan = resolve(template, visits.catalogue(), Context(as_of=NOW)).require()
    began = time.monotonic()
    with visits.reader.snapshot() as snapshot, pytest.raises(PlanError, match="steps would be filled") as refused:
        count_tally(snapshot, plan, {})
    with visits.reader.snapshot() as snapshot:
        first = snapshot.rows(Statements(plan).rows(limit=2))

    assert refused.value.problems[0].place == "rows.by[0].fill_gaps"
    assert len(first) == 2
    assert time.monotonic() - began < 60
    months = lines(visits, filled("day", "month", at_most=3, order=[{"column": "a"}]), tmp_path)
    assert months == [["2026-01-01", "1"], ["2026-02-01", "0"], ["2026-03-01", "1"]]


def test_a_table_may_be_called_as_anything(visits: Source, tmp_path: Path) -> None:
    """Groups by month of records of a table “groups”, each with how many there are, and a check of all their values."""
    document = filled("day", "month", records="groups", order=[{"column": "a"}])
    usual = {"column": "b", "must": "near_usual"}

    assert lines(visits, document, tmp_path / "a") == [["2026-01-01", "1"], ["2026-02-01", "0"], ["2026-03-01", "2"]]
    assert len(lines(visits, {**document, "checks": [usual]}, tmp_path / "b")) == 3


def test_a_window_that_is_too_long_is_told_at_its_place(visits: Source) -> None:
    """Minutes of a hundred years; the same in months is no matter."""
    window = {"type": "between", "first": "1950-01-01", "last": "2049-12-31"}
    narrowed = {"filter": {"all": [{"path": "at", "is": "in_window", "window": window}]}}

    def problems(step: str) -> list[str]:
        template = read_document({"name": "T", **filled("at", step, **narrowed)})
        return [p.place for p in resolve(template, visits.catalogue(), Context(as_of=NOW)).problems]

    assert problems("minute") == ["rows.by[0].fill_gaps"]
    assert problems("month") == []


def test_what_no_calendar_holds_stands_beside_the_steps(cluster: Cluster, tmp_path: Path) -> None:
    """Infinity is no month, and nothing is counted up to it: its records are a group of their own."""
    cluster.drop_database("endless")
    cluster.ensure_database("endless", "marrowby_owner")
    url = cluster.url("endless", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("CREATE TABLE visit (id integer PRIMARY KEY, at timestamptz, day date)")
        connection.execute(
            "INSERT INTO visit VALUES (1, '2026-01-05 10:00+00', '2026-01-05'), (2, 'infinity', 'infinity'),"
            " (3, '2026-03-05 11:00+00', '2026-03-05'), (4, NULL, '-infinity'), (5, NULL, NULL)"
        )
    source = Source("endless", url)
    open_ended = {"filter": {"all": [{"path": "day", "is": "after", "value": "2025-12-31"}]}}
    months = [["2026-01-01", "1"], ["2026-02-01", "0"], ["2026-03-01", "1"]]

    assert sorted(lines(source, filled("day", "month"), tmp_path / "a")) == sorted(
        [*months, ["infinity", "1"], ["-infinity", "1"], ["", "1"]]
    )
    assert sorted(lines(source, filled("at", "month"), tmp_path / "b")) == sorted(
        [*months, ["infinity", "1"], ["", "2"]]
    )
    assert sorted(lines(source, filled("day", "month", **open_ended), tmp_path / "c")) == sorted(
        [*months, ["infinity", "1"]]
    )
    source.close()
