"""
The second way to a source, on a real MariaDB server: the same templates on a copy of Marrowby give the same bytes.
"""

from __future__ import annotations

import csv
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pymysql
import pytest
import sqlalchemy as sa

from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.demo.marrowby.copy import copy_to_mariadb
from bouquet.runs import Export, Trace, trace
from bouquet.sources import Source, SourceCancelled, SourceError, SourceTimeout, try_source
from tests.conftest import CATALOGUE, NOW, TENTH, UNTIL, halved
from tests.sources.mariadb import owner_of
from tests.sources.test_sqlite import ALL, DATED, SHOWN, exported, joined
from tests.sources.worlds import lines, written

#: What reads photographs (not copied) or keys of JSON (a text there): differences that the reference lists.
DIFFERENT = {"one row per child, parents without kept", "keys of a JSON column as fields"}

NAMES = sorted(n for n in ALL if "picks" not in str(ALL[n]) and n not in DIFFERENT)


@pytest.fixture(scope="session")
def server(mariadb: Callable[[str], str]) -> str:
    url = mariadb("marrowby")
    copy_to_mariadb(url, until=UNTIL, scale=TENTH)
    return url


@pytest.fixture(scope="session")
def copy(server: str) -> Iterator[Source]:
    made = Source("copy", server.replace("owner", "reader"), CATALOGUE)
    yield made
    made.close()


@pytest.mark.parametrize("name", halved(NAMES, 0, sorted(ALL)))
def test_the_same_template_gives_the_same_bytes(source: Source, copy: Source, tmp_path: Path, name: str) -> None:
    """Byte by byte, and the tally number by number; what cannot be done is refused at its place."""
    document, _, *rest = ALL[name]
    answers = rest[0] if rest else {}
    template = read_document({"name": "Test", **document})
    problems = resolve(template, copy.catalogue(), Context(as_of=NOW, answers=answers)).problems
    if problems:
        assert {p.code for p in problems} == {"dialect"}
        assert all(p.place for p in problems)
        pytest.skip(problems[0].message)

    assert exported(copy, document, answers, tmp_path / "a") == exported(source, document, answers, tmp_path / "b")


def test_trace_profile_find_and_facts_work_there_too(source: Source, copy: Source) -> None:
    """Explaining a record, and looking at fields, does not depend on the driver."""
    columns = [{"id": "k", "heading": "K", "value": {"field": "tag"}}]
    narrowed = {"all": [{"path": "status", "is": "is", "value": "S"}]}
    template = read_document({"name": "T", "records": "tree", "columns": columns, "filter": narrowed})
    traces = []
    for one in (source, copy):
        plan = resolve(template, one.catalogue(), Context(as_of=NOW)).require()
        with one.reader.snapshot() as snapshot:
            traces.append(trace(snapshot, plan, {}, ["MB-00012"]))
    *_, found = copy.find("tree", "Quay", seconds=30)

    assert traces[0] == traces[1]
    assert copy.facts("tree", "status").top == source.facts("tree", "status").top
    assert ("site.ward.name", 1) in {(h.path, h.count) for h in found.hits}
    assert copy.profile("tree")["tag"].fill == 1.0


def test_the_group_of_a_record_is_traced_alike(source: Source, copy: Source) -> None:
    """Also what narrows groups, and the place among the first so many."""
    count = {"id": "n", "heading": "N", "value": {"fold": {"path": "site.name", "how": "count_distinct"}}}
    document = {
        "name": "T",
        "records": "tree",
        "rows": {"per": "group", "by": [{"path": "species.botanical_name"}]},
        "columns": [{"id": "k", "heading": "K", "value": {"field": "species.botanical_name"}}, count],
        "filter": {"all": [{"column": "n", "is": "at_least", "value": 100}]},
        "order": [{"column": "n", "direction": "descending"}, {"column": "k"}],
        "at_most": 3,
    }
    traces: list[list[Trace]] = []
    for one in (source, copy):
        plan = resolve(read_document(document), one.catalogue(), Context(as_of=NOW)).require()
        with one.reader.snapshot() as snapshot:
            traces.append([trace(snapshot, plan, {}, [f"MB-{n:05}"]) for n in range(10, 999, 30)])
    traced = [t.record for t in traces[0] if t.record is not None]

    assert traces[0] == traces[1]
    assert {t.stopped_by for t in traced} == {None, 0, 1}


def test_interactive_work_is_bounded_and_can_be_stopped(copy: Source) -> None:
    """A statement that takes too long is named as that, one that somebody stops as that."""
    slow = sa.text("SELECT SLEEP(30) AS i").columns(i=sa.Integer)
    with copy.reader.snapshot(timeout_ms=500) as snapshot, pytest.raises(SourceTimeout):
        snapshot.table(slow)
    with copy.reader.snapshot() as snapshot:
        threading.Timer(0.5, snapshot.cancel).start()
        with pytest.raises(SourceCancelled):
            snapshot.table(slow)


def test_nothing_can_be_written_and_one_moment_is_read(server: str, copy: Source) -> None:
    """Not even by a role that may; and what others write meanwhile is not seen."""
    with (
        Source("owner", server).reader.snapshot() as snapshot,
        owner_of(server) as other,
        other.cursor() as cursor,
    ):
        count = sa.select(sa.func.count().label("n")).select_from(sa.table("crew"))
        before = snapshot.row(count)["n"]
        cursor.execute("INSERT INTO crew VALUES (999, 'C999', 'Late crew', NULL)")
        other.commit()
        try:
            assert snapshot.row(count)["n"] == before
            with pytest.raises(SourceError):
                snapshot.row(sa.text("DELETE FROM crew").columns(n=sa.Integer))
        finally:
            cursor.execute("DELETE FROM crew WHERE c_id = 999")
            other.commit()


def test_odd_values_come_out_as_they_are(server: str, tmp_path: Path) -> None:
    """Zero dates are blank, small numbers are yes-no only where they are, bits and years are numbers, texts keep case."""
    with owner_of(server) as connection, connection.cursor() as cursor:
        cursor.execute("SET sql_mode = ''")
        cursor.execute("DROP TABLE IF EXISTS `odd one`")
        cursor.execute(
            "CREATE TABLE `odd one` (id int PRIMARY KEY, `Sel``ect` varchar(20) CHARACTER SET latin1, d date, stars tinyint(1),"
            " done tinyint(1), b bit(4), y year, big bigint unsigned, t time, e enum('a', 'B'), f double,"
            " at point)"
        )
        cursor.execute(
            "INSERT INTO `odd one` VALUES (1, 'Ä', '0000-00-00', 5, 1, b'101', 1999, 18446744073709551615, '26:00:00', 'B', 0.1, POINT(1, 2)),"
            " (2, 'ä', '2026-02-28', 0, 0, NULL, NULL, 0, '-01:00:00', 'a', 1e300, NULL), (3, 'a ', NULL, NULL, NULL, b'0', 2155, NULL,"
            " NULL, NULL, -0.5, NULL)"
        )
        connection.commit()
    source = Source("odd", server.replace("owner", "reader"))
    found = next(r for r in source.catalogue().record_types.values() if r.table == "odd one")
    names = {f.column: f.name for f in found.fields}
    columns = [{"id": f"c{n}", "heading": c, "value": {"field": f}} for n, (c, f) in enumerate(names.items())]
    template = read_document({"name": "Odd", "records": found.name, "columns": columns})
    plan = resolve(template, source.catalogue(), Context(as_of=NOW)).require()
    with source.reader.snapshot() as snapshot:
        done = Export(template, plan, "csv", tmp_path).write(snapshot, {})
    with done.path.open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))[1:]

    assert rows == [
        ["1", "Ä", "", "5", "true", "5", "1999", "18446744073709551615", "26:00:00", "B", "0.1", "POINT(1 2)"],
        ["2", "ä", "2026-02-28", "0", "false", "", "", "0", "-01:00:00", "a", "1e300", ""],
        ["3", "a ", "", "", "", "0", "2155", "", "", "", "-0.5", ""],
    ]


def test_views_are_read_by_somebody_who_may_only_read(server: str, tmp_path: Path) -> None:
    """Their statements need not be seen for that; a view of what is gone is left out, and hides nothing else."""
    with owner_of(server) as connection, connection.cursor() as cursor:
        cursor.execute("CREATE OR REPLACE VIEW looked_at AS SELECT c_id, c_code FROM crew WHERE c_id < 3")
        cursor.execute("CREATE TABLE gone (id int)")
        cursor.execute("CREATE OR REPLACE VIEW looks_at_nothing AS SELECT id FROM gone")
        cursor.execute("DROP TABLE gone")
        cursor.execute("SELECT c_id, c_code FROM crew WHERE c_id < 3 ORDER BY 1")
        expected = [[str(number), code] for number, code in cursor.fetchall()]
    source = Source("views", server.replace("owner", "reader"))
    try:
        types = {t.table: t for t in source.catalogue().record_types.values()}
        seen = types["looked_at"]
        columns = [{"id": f.name, "heading": f.name, "value": {"field": f.name}} for f in seen.fields]
        document = {"name": "V", "records": seen.name, "columns": columns, "order": [{"path": seen.fields[0].name}]}
        assert lines(written(source, document, tmp_path)) == expected
        assert "looks_at_nothing" not in types
    finally:
        source.close()
        with owner_of(server) as connection, connection.cursor() as cursor:
            cursor.execute("DROP VIEW looked_at, looks_at_nothing")


def test_no_connection_reads_all_authorities_of_the_machine(copy: Source, monkeypatch: pytest.MonkeyPatch) -> None:
    """As the driver does for each of its own, though it then asks the server for no certificate."""

    def read(*_: Any, **__: Any) -> None:
        pytest.fail("All authorities were read.")

    monkeypatch.setattr("ssl.create_default_context", read)
    for _ in range(2):
        with copy.reader.snapshot() as snapshot:
            assert snapshot.rows(sa.select(sa.literal(1).label("one"))) == [{"one": 1}]


def test_it_can_be_tried(server: str) -> None:
    """Step by step, and what is wrong is said."""
    steps = {s.name: (s.mark, s.says) for s in try_source(server.replace("owner", "reader"))}
    wrong = [(s.name, s.mark) for s in try_source(server.replace("test-only", "wrong"))][-1]

    assert steps["can only read"] == ("good", "This role cannot change anything.")
    assert steps["what is seen"][1].startswith("2")
    assert {s.name: s.mark for s in try_source(server)}["can only read"] == "care"
    assert wrong == ("signed in", "wrong")


@pytest.mark.parametrize("password", ["größe", "€ 🌳@:/?#%"])
def test_a_password_is_of_any_letters(server: str, password: str) -> None:
    """As the server's own programs write it, which is in UTF-8."""
    address = sa.make_url(server.replace("owner", "reader"))

    with owner_of(server.replace("owner", "reader")) as connection, connection.cursor() as cursor:
        cursor.execute(f"SET PASSWORD = PASSWORD('{password}')")
    try:
        url = address.set(password=password).render_as_string(hide_password=False)
        assert {s.name: s.mark for s in try_source(url)}["signed in"] == "good"
    finally:
        with pymysql.connect(
            host=address.host, port=address.port, user="reader", password=password.encode(), charset="utf8mb4"
        ) as connection, connection.cursor() as cursor:  # type: ignore[call-overload]  # fmt: skip
            cursor.execute("SET PASSWORD = PASSWORD('test-only')")


@pytest.mark.parametrize(("field", "show"), [*SHOWN, *DATED])
def test_joined_values_read_as_in_postgresql(
    source: Source, copy: Source, tmp_path: Path, field: str, show: dict[str, Any]
) -> None:
    """Numbers and dates inside a cell, with every way to show them."""
    document = joined(source, field, show)

    assert exported(copy, document, {}, tmp_path / "a") == exported(source, document, {}, tmp_path / "b")


def test_joined_moments_read_as_in_postgresql(source: Source, copy: Source, tmp_path: Path) -> None:
    """On the template's clock, summer and winter, with its offset."""
    types = source.catalogue().record_types
    probe = next(r for r in types.values() if r.table == "probe")
    many = next(r for r in probe.relations if r.many)
    at = next(f.name for f in types[many.target].fields if f.column == "pr_at")
    fold = {"path": f"{many.name}.{at}", "how": "joined", "order": [{"path": at}]}
    shows: list[dict[str, Any]] = [{}, {"date": "dd/MM/yyyy h:mm a"}]
    columns = [{"id": f"c{n}", "heading": f"H{n}", "value": {"fold": fold}, "show": s} for n, s in enumerate(shows)]
    document = {"records": probe.name, "columns": columns}

    assert exported(copy, document, {}, tmp_path / "a") == exported(source, document, {}, tmp_path / "b")
