"""
Columns that compare their texts in a way of their own: files are those of the same texts in a plain column.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest

from bouquet.demo.cluster import Cluster
from bouquet.sources import Source
from tests.sources.mariadb import owner_of
from tests.sources.worlds import lines, written

TABLES = """
CREATE TABLE {name} (id int PRIMARY KEY, label {text} {how}, code varchar(20) {how}, x {text} {one}, y {text} {other}, n int,
    owner_id int REFERENCES {name} (id));
INSERT INTO {name} (id, label, code, n, owner_id) VALUES (1, 'Red', 'A', 1, NULL), (2, 'red', 'a', 2, 1), (3, 'RED', 'B', 3, 1),
    (4, 'réd', 'b', 4, 2), (5, NULL, NULL, 5, 2), (6, '', ' ', 6, 3), (7, 'blue', 'A', 7, 3), (8, 'Blue_1%', 'c', 8, NULL),
    (9, ' red ', 'á', 9, 8);
UPDATE {name} SET x = label, y = code;
CREATE TABLE {name}_said (whose int REFERENCES {name} (id), about varchar(20), said {text} {how}, PRIMARY KEY (whose, about));
INSERT INTO {name}_said SELECT id, 'mood', label FROM {name} WHERE label IS NOT NULL;
"""
#: What the house says of its tables: each has a table of attributes.
SAID = """
[[tables.{name}.attributes]]
table = "{name}_said"
columns = {{ id = "whose" }}
name = "about"
value = "said"
"""
PLAIN = {"name": "plain", "text": "text", "how": "", "one": "", "other": ""}
#: By database: how the texts of one table are compared.
GENTLE = {
    "postgresql": {"how": "COLLATE gentle", "one": 'COLLATE "C"', "other": 'COLLATE "de-x-icu"'},
    "mariadb": {
        "how": "COLLATE utf8mb4_general_ci",
        "one": "COLLATE utf8mb4_bin",
        "other": "COLLATE utf8mb4_german2_ci",
    },
    "sqlite": {"how": "COLLATE NOCASE", "one": "COLLATE RTRIM", "other": "COLLATE NOCASE"},
}


@pytest.fixture(scope="module", params=GENTLE)
def gentle(
    request: pytest.FixtureRequest, cluster: Cluster, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[Source]:
    kind = request.param
    statements = [
        one
        for how in (PLAIN, {**PLAIN, "name": "gentle", **GENTLE[kind]})
        for one in TABLES.format(**{**how, "text": "varchar(40)" if kind == "mariadb" else "text"}).split(";\n")
        if one.strip()
    ]
    if kind == "postgresql":
        cluster.drop_database("gentle")
        cluster.ensure_database("gentle", "marrowby_owner")
        url = cluster.url("gentle", "marrowby_owner", "test-only")
        loose = "CREATE COLLATION gentle (provider = icu, locale = 'und-u-ks-level1', deterministic = false)"
        with psycopg.connect(url, autocommit=True) as connection:
            for one in (loose, *statements):
                connection.execute(one)  # type: ignore[call-overload]
    elif kind == "mariadb":
        url = request.getfixturevalue("mariadb")("gentle")
        with owner_of(url) as connection, connection.cursor() as cursor:
            for one in statements:
                cursor.execute(one)
            connection.commit()
    else:
        path = tmp_path_factory.mktemp("gentle") / "gentle.sqlite"
        url = f"sqlite:///{path}"
        with sqlite3.connect(path) as file:
            file.executescript(";\n".join(statements))
    said = tmp_path_factory.mktemp("said") / "catalogue.toml"
    said.write_text('title = "Gentle"\n' + "".join(SAID.format(name=name) for name in ("plain", "gentle")))
    made = Source("gentle", url, said)
    yield made
    made.close()
    if kind == "postgresql":
        cluster.drop_database("gentle")


def column(**value: Any) -> dict[str, Any]:
    return {"id": "a", "heading": "A", "value": value}


ID, LABEL = column(field="id"), {"id": "b", "heading": "B", "value": {"field": "label"}}


def formulas(*texts: str) -> list[dict[str, Any]]:
    return [ID, *({"id": f"f{n}", "heading": f"F{n}", "value": {"formula": text}} for n, text in enumerate(texts))]


NARROWED = [
    {"is": "is", "value": "red"},
    {"is": "is", "value": "red", "exact": True},
    {"is": "is_not", "value": "red"},
    {"is": "is_not", "value": "RED", "exact": True},
    {"is": "one_of", "values": ["RED", "blue"]},
    {"is": "one_of", "values": ["RED", "blue"], "exact": True},
    {"is": "none_of", "values": ["réd"]},
    {"is": "contains", "value": "E"},
    {"is": "contains", "value": "e", "exact": True},
    {"is": "starts_with", "value": "b"},
    {"is": "starts_with", "value": "B", "exact": True},
    {"is": "ends_with", "value": "D"},
    {"is": "matches", "value": "?e*"},
    {"is": "blank"},
    {"is": "not_blank"},
    {"is": "not_contains", "value": "É"},
]
DOCUMENTS: dict[str, dict[str, Any]] = {
    **{
        f"narrowed {n}": {"columns": [ID, LABEL], "filter": {"all": [{"path": "label", **how}]}}
        for n, how in enumerate(NARROWED)
    },
    "ordered": {"columns": [ID, LABEL], "order": [{"path": "label"}]},
    "ordered by code": {"columns": [ID, LABEL], "order": [{"path": "code", "direction": "descending"}]},
    "groups": {
        "rows": {"per": "group", "by": [{"path": "label"}]},
        "columns": [LABEL, column(fold={"how": "count"})],
    },
    "groups of codes": {
        "rows": {"per": "group", "by": [{"path": "code"}]},
        "columns": [{"id": "b", "heading": "B", "value": {"field": "code"}}, column(fold={"how": "sum", "path": "n"})],
    },
    **{
        how: {
            "columns": [
                ID,
                {"id": "b", "heading": "B", "value": {"fold": {"how": how, "path": f"MANY.{field}", **more}}},
            ]
        }
        for how, field, more in [
            ("count_distinct", "label", {}),
            ("joined", "label", {"distinct": True, "separator": "|"}),
            ("latest", "label", {"order": [{"path": "n"}]}),
        ]
    },
    "formulas": {
        "columns": formulas(
            'IF({label} = "red"; 1; 0)',
            'EXACT({label}; "red")',
            "UPPER({label})",
            'SUBSTITUTE({label}; "e"; "x")',
            'FIND("e"; {label})',
            'SEARCH("E"; {label})',
            "LEFT({label}; 2)",
            "{label} & {code}",
            "{label} < {code}",
            "LEN({label})",
            "TRIM({label})",
            'IF(OR({label} = "RED"; {code} = "a"); 1; 2)',
        ),
    },
    "of two kinds": {
        "columns": formulas(
            "{x} = {y}",
            "{x} < {y}",
            "IF({n} > 3; {x}; {y})",
            "{x} & {y}",
            "FIND({y}; {x})",
            "EXACT({x}; {y})",
            'SUBSTITUTE({x}; {y}; "-")',
            "IF({x} = {label}; 1; 0)",
            "IF({n} > 3; {x}; {label})",
        ),
        "order": [{"column": "f2"}, {"column": "f8"}],
    },
    "attributes": {
        "rows": {"per": "group", "by": [{"path": "mood"}]},
        "columns": [
            {"id": "b", "heading": "B", "value": {"field": "mood"}},
            column(fold={"how": "count_distinct", "path": "mood"}),
        ],
        "filter": {"none": [{"path": "mood", "is": "is", "value": "RED", "exact": True}]},
    },
    "attributes looked into": {"columns": [ID], "filter": {"all": [{"path": "mood", "is": "contains", "value": "E"}]}},
    "unique": {"columns": [ID, LABEL], "checks": [{"column": "b", "must": "unique", "severity": "note"}]},
}


@pytest.mark.parametrize("name", DOCUMENTS)
def test_files_are_those_of_a_plain_column(gentle: Source, tmp_path: Path, name: str) -> None:
    """Rows, what the checks find, and what is left out at each step."""
    made = {}
    for table in ("plain", "gentle"):
        record_type = gentle.catalogue().record_types[table]
        many = next(r.name for r in record_type.relations if r.many)
        document = json.loads(json.dumps(DOCUMENTS[name]).replace("MANY", many))
        done = written(gentle, {"name": "G", "records": table, **document}, tmp_path / table)
        found = [(f.get("column"), f.get("value")) for f in done.findings]
        made[table] = lines(done), found, [s["rows"] for s in done.slip["tally"]]

    assert made["gentle"] == made["plain"]
