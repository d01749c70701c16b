"""
A house whose database, or whose role for us, is set in its own way: what stands in files is the same.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import psycopg
import pymysql
import pytest

from bouquet.core.catalogue import Kind
from bouquet.demo.cluster import Cluster
from bouquet.sources import Source, try_source
from tests.sources.mariadb import owner_of
from tests.sources.test_true_values import lines

TABLES = """
CREATE SCHEMA aside;
CREATE TYPE stay AS (room int, since date);
CREATE TABLE lodging (
    id int PRIMARY KEY, took interval, seen daterange, days date[], share real, exact double precision, raw bytea[],
    held stay, since date, at timestamptz, name text
);
INSERT INTO lodging VALUES
    (1, '1 year -3 days 04:05', '[2026-01-02,2026-03-04)', '{2026-02-03,2026-12-31}', 1.1, 0.25, ARRAY['\\xde'::bytea],
     '(4,2026-02-03)', '2026-02-03', '2026-03-29 00:30+00', 'Ötter'),
    (2, '-00:00:01', 'empty', '{}', 3.4e38, 1e15, '{}', NULL, NULL, NULL, NULL);
CREATE TABLE aside.lodging (id int PRIMARY KEY, other text);
INSERT INTO aside.lodging VALUES (7, 'aside');
"""

EXPECTED = [
    ["1", "1 year -3 days +04:05:00", "[2026-01-02,2026-03-04)", "2026-02-03, 2026-12-31", "1.1", "0.25", "\\xde",
     "(4,2026-02-03)", "2026-02-03", "2026-03-29T00:30:00+00:00", "Ötter"],
    ["2", "-00:00:01", "empty", "", "340000000000000000000000000000000000000", "1000000000000000", "", "", "", "", ""],
]  # fmt: skip
FIELDS = ("id", "took", "seen", "days", "share", "exact", "raw", "held", "since", "at", "name")
DOCUMENT: dict[str, Any] = {
    "records": "lodging",
    "columns": [{"id": f, "heading": f, "value": {"field": f}} for f in FIELDS],
    "order": [{"path": "id"}],
}

#: Settings that change how values are written, named, found, ordered or read.
PREFERENCES = {
    "DateStyle": "German, DMY", "IntervalStyle": "sql_standard", "bytea_output": "escape", "extra_float_digits": "-10",
    "quote_all_identifiers": "on", "search_path": "aside", "standard_conforming_strings": "off",
    "transform_null_equals": "on", "default_transaction_isolation": "serializable", "client_encoding": "LATIN1",
    "default_transaction_read_only": "on", "TimeZone": "Asia/Kolkata", "statement_timeout": "2s",
    "idle_in_transaction_session_timeout": "5s", "row_security": "off", "array_nulls": "off", "xmlbinary": "hex",
}  # fmt: skip


@pytest.fixture
def lodging(cluster: Cluster) -> Iterator[str]:
    cluster.drop_database("lodging")
    cluster.ensure_database("lodging", "marrowby_owner")
    url = cluster.url("lodging", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute(TABLES)
    yield url
    cluster.drop_database("lodging")


@pytest.mark.parametrize(
    "names",
    [list(PREFERENCES), *(pytest.param([name], marks=pytest.mark.thorough) for name in PREFERENCES)],
    ids=lambda n: n[0] * (len(n) == 1),
)
def test_what_a_house_prefers_changes_no_file(lodging: str, cluster: Cluster, tmp_path: Path, names: list[str]) -> None:
    """Each by itself, and all of them together."""
    with psycopg.connect(cluster.url(), autocommit=True) as connection:
        database = psycopg.conninfo.conninfo_to_dict(lodging)["dbname"]
        for name in names:
            connection.execute(f"ALTER DATABASE {database} SET {name} = '{PREFERENCES[name]}'")  # type: ignore[call-overload]
    source = Source("lodging", lodging)
    if "search_path" in names:
        # Two tables have the name; what the house sees first is what it calls so.
        found = next(t for t in source.catalogue().record_types.values() if "took" in {f.name for f in t.fields})
        document = {**DOCUMENT, "records": found.name}
    else:
        document = DOCUMENT
    kinds = {f.name: f.kind for f in source.catalogue().record_types[document["records"]].fields}

    assert lines(source, document, tmp_path) == EXPECTED
    assert (kinds["since"], kinds["at"], kinds["share"]) == (Kind.DATE, Kind.MOMENT, Kind.DECIMAL)
    source.close()


#: The same of MariaDB; what such a server prefers holds for all its sessions.
GLOBALLY = {
    "sql_mode": "'ANSI_QUOTES,ONLY_FULL_GROUP_BY'", "sql_quote_show_create": "0", "sql_select_limit": "2",
    "max_join_size": "1", "max_statement_time": "0.0001", "max_sort_length": "8", "group_concat_max_len": "4",
    "time_zone": "'+05:30'", "sql_safe_updates": "1", "max_recursive_iterations": "2", "autocommit": "0",
    "lc_time_names": "'de_DE'", "div_precision_increment": "0",
}  # fmt: skip


@pytest.mark.parametrize("names", [*([name] for name in GLOBALLY), list(GLOBALLY)], ids=lambda n: n[0] * (len(n) == 1))
def test_what_a_mariadb_server_prefers_changes_no_file(
    mariadb: Callable[[str], str], tmp_path: Path, names: list[str]
) -> None:
    """Words of SQL as names, more rows than it lets others see, texts that are joined, and a step of time filled."""
    url = mariadb(f"prefers_{len(names)}_{names[0]}")
    with owner_of(url) as connection, connection.cursor() as cursor:
        cursor.execute("CREATE TABLE `order` (`key` integer PRIMARY KEY, `group` varchar(40), at timestamp NULL)")
        cursor.execute("SET time_zone = '+00:00'")
        for n in range(6):
            name = f"the same beginning {n % 2}"
            cursor.execute("INSERT INTO `order` VALUES (%s, %s, %s)", (n, name, f"2026-03-0{1 + n} 23:30:00"))
        connection.commit()
    root = {"host": "127.0.0.1", "port": connection.port, "user": "root"}
    try:
        with pymysql.connect(**root) as ruler, ruler.cursor() as cursor:
            for name in names:
                cursor.execute(f"SET GLOBAL {name} = {GLOBALLY[name]}")
        source = Source("orders", url.replace("owner", "reader"))
        grouped = {
            "records": "order",
            "rows": {"per": "group", "by": [{"path": "group"}]},
            "columns": [
                {"id": "a", "heading": "Group", "value": {"field": "group"}},
                {"id": "b", "heading": "Keys", "value": {"fold": {"path": "key", "how": "joined", "separator": "|"}}},
                {"id": "c", "heading": "Last", "value": {"fold": {"path": "at", "how": "greatest"}}},
                {"id": "d", "heading": "Day", "value": {"formula": 'TEXT({Last}; "EEE d MMMM")'}},
                {"id": "e", "heading": "All", "value": {"fold": {"path": "", "how": "count"}}},
                {"id": "f", "heading": "Part", "value": {"formula": "ROUND({All} / 7; 4)"}},
            ],
        }
        plain = {"records": "order", "columns": [{"id": "a", "heading": "Key", "value": {"field": "key"}}]}

        assert lines(source, grouped, tmp_path / "grouped") == [
            ["the same beginning 0", "0|2|4", "2026-03-05T23:30:00+00:00", "Thu 5 March", "3", "0.4286"],
            ["the same beginning 1", "1|3|5", "2026-03-06T23:30:00+00:00", "Fri 6 March", "3", "0.4286"],
        ]
        assert lines(source, plain, tmp_path / "plain") == [[str(n)] for n in range(6)]
        source.close()
    finally:
        with pymysql.connect(**root) as ruler, ruler.cursor() as cursor:
            for name in names:
                cursor.execute(f"SET GLOBAL {name} = DEFAULT")


@pytest.mark.parametrize(
    "change",
    [
        ("postgresql://", "postgres://"),
        ("postgresql://", "postgresql+psycopg://"),
        ("127.0.0.1:", "127.0.0.1:1,127.0.0.1:"),
        ("", "?options=-c%20geqo%3Doff%20-c%20search_path%3Daside%2Cpublic"),
        ("", "?application_name=a+b"),
    ],
)
def test_an_address_is_read_as_the_databases_own_library_reads_it(
    lodging: str, tmp_path: Path, change: tuple[str, str]
) -> None:
    """Other names of PostgreSQL, several machines of which the first is down, options with spaces."""
    url = lodging.replace(*change, 1) if change[0] else lodging + change[1]
    source = Source("lodging", url)
    name = next(t.name for t in source.catalogue().record_types.values() if "took" in {f.name for f in t.fields})

    assert [step for step in try_source(url) if step.mark == "wrong"] == []
    assert lines(source, {**DOCUMENT, "records": name}, tmp_path) == EXPECTED
    source.close()
