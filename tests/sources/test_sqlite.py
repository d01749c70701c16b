"""
The second way to a source: the same templates on a SQLite copy of Marrowby give the same bytes.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import sqlalchemy as sa

from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.demo.marrowby.copy import copy_marrowby
from bouquet.runs import Export, count_tally, trace
from bouquet.sources import Source, SourceDown, SourceError, SourceTimeout
from tests.conftest import CATALOGUE, NOW, TENTH, UNTIL, halved
from tests.sources.test_against_sql import CASES as PLAIN
from tests.sources.test_engine_against_sql import CASES as ENGINE

ALL = {**PLAIN, **ENGINE}

#: What reads photographs (not copied) or keys of JSON: differences that the reference lists.
DIFFERENT = {
    "one row per child, parents without kept",
    "JSON as its text",
    "keys of a JSON column as fields",
}
NAMES = [n for n in sorted(ALL) if n not in DIFFERENT and "picks" not in str(ALL[n])]


@pytest.fixture(scope="session")
def copy(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Source]:
    path = tmp_path_factory.mktemp("copy") / "marrowby.sqlite"
    copy_marrowby(path, until=UNTIL, scale=TENTH)
    made = Source("copy", f"sqlite:///{path}", CATALOGUE)
    yield made
    made.close()


def exported(
    source: Source, document: dict[str, Any], answers: dict[str, Any], folder: Path
) -> tuple[bytes, list[Any]]:
    template = read_document({"name": "Test", **document})
    plan = resolve(template, source.catalogue(), Context(as_of=NOW, answers=answers)).require()
    with source.reader.snapshot() as snapshot:
        done = Export(template, plan, "csv", folder).write(snapshot, {})
        tally = count_tally(snapshot, plan, {})
    return done.path.read_bytes(), [(s["rows"], s["left_out"], s["blank"], s["without"]) for s in tally]


@pytest.mark.parametrize("name", halved(NAMES, 1, sorted(ALL)))
def test_the_same_template_gives_the_same_bytes(source: Source, copy: Source, tmp_path: Path, name: str) -> None:
    """Byte by byte, and the tally number by number."""
    document, _, *rest = ALL[name]
    answers = rest[0] if rest else {}

    assert exported(copy, document, answers, tmp_path / "a") == exported(source, document, answers, tmp_path / "b")


SHOWN: list[tuple[str, dict[str, Any]]] = [
    ("ss_cost", {"decimals": 1, "grouping": "’", "decimal_mark": ",", "prefix": "£"}),
    ("ss_cost", {}),
    ("ss_cost", {"factor": "100"}),
    ("ss_cost", {"factor": "0.005", "grouping": ","}),
    ("ss_cost", {"factor": "0.5", "decimals": 3}),
    ("ss_count", {"grouping": ",", "suffix": " pcs"}),
    ("ss_count", {"factor": "0.25"}),
]


DATED: list[tuple[str, dict[str, Any]]] = [
    ("ss_in", {"date": "EEE d MMMM yy"}),
    ("ss_in", {"date": "EEEE, d. MMM yy 'MMM'", "language": "de"}),
    ("ss_in", {}),
]


def joined(source: Source, column: str, show: dict[str, Any]) -> dict[str, Any]:
    """Each species with what a column says of its saplings, in one cell."""
    types = source.catalogue().record_types
    stock = next(r for r in types.values() if r.table == "sapling_stock")
    species = next(r for r in types.values() if r.table == "species")
    way = next(r.name for r in species.relations if r.target == stock.name)
    path = next(f.name for f in stock.fields if f.column == column)
    fold = {"path": f"{way}.{path}", "how": "joined", "order": [{"path": stock.key[0]}]}
    return {
        "records": species.name,
        "columns": [{"id": "a", "heading": "A", "value": {"fold": fold}, "show": show}],
    }


@pytest.mark.parametrize(("field", "show"), [*SHOWN, *DATED])
def test_joined_values_read_as_in_postgresql(
    source: Source, copy: Source, tmp_path: Path, field: str, show: dict[str, Any]
) -> None:
    """What is multiplied has more digits than the field declares."""
    document = joined(source, field, show)

    assert exported(copy, document, {}, tmp_path / "a") == exported(source, document, {}, tmp_path / "b")


def test_trace_profile_and_find_work_there_too(source: Source, copy: Source) -> None:
    """Explaining a record, and looking at fields, does not depend on the driver."""
    document = {
        "name": "T",
        "records": "tree",
        "columns": [{"id": "k", "heading": "K", "value": {"field": "tag"}}],
        "filter": {"all": [{"path": "status", "is": "is", "value": "S"}]},
    }
    traces = []
    for one in (source, copy):
        plan = resolve(read_document(document), one.catalogue(), Context(as_of=NOW)).require()
        with one.reader.snapshot() as snapshot:
            traces.append(trace(snapshot, plan, {}, ["MB-00012"]))
    *_, found = copy.find("tree", "Quay", seconds=30)

    assert traces[0] == traces[1]
    assert copy.facts("tree", "status").top == source.facts("tree", "status").top
    assert ("site.ward.name", 1) in {(h.path, h.count) for h in found.hits}
    assert copy.profile("tree")["tag"].fill == 1.0


def test_interactive_work_is_bounded_there_too(copy: Source) -> None:
    """A statement that takes too long is stopped, and named as what it is."""
    import sqlalchemy as sa

    endless = sa.text(
        "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT max(i) AS i FROM n"
    ).columns(i=sa.Integer)
    with copy.reader.snapshot(timeout_ms=100) as snapshot, pytest.raises(SourceTimeout):
        snapshot.table(endless)


def test_nothing_can_be_written(copy: Source) -> None:
    """The connection reads, and that is all."""
    import sqlalchemy as sa

    with copy.reader.engine.connect() as connection, pytest.raises(sa.exc.OperationalError):  # type: ignore[union-attr]
        connection.execute(sa.text("DELETE FROM ward"))


def test_a_file_is_only_read(tmp_path: Path) -> None:
    """None is made where there is none, whatever its name; nothing can be written into one that is there."""
    missing = Source("missing", f"sqlite:///{tmp_path / 'none.db'}")
    with pytest.raises(SourceDown):
        missing.catalogue()
    assert list(tmp_path.iterdir()) == []
    path = tmp_path / "50% of #1?.db"
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE thing (id integer PRIMARY KEY, name text)")
    there = Source("there", sa.URL.create("sqlite", database=str(path)).render_as_string())
    assert set(there.catalogue().record_types) == {"thing"}
    with there.reader.snapshot() as snapshot, pytest.raises(SourceError):
        snapshot.rows(sa.text("INSERT INTO thing VALUES (1, 'x')").columns(sa.column("id")))
    there.close()


def test_a_record_told_by_the_key_of_another_leads_to_it_by_its_name(tmp_path: Path) -> None:
    """A passport whose number is that of its person: the way is called Person, and its own field Passport number."""
    path = tmp_path / "yard.sqlite"
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE person (id integer PRIMARY KEY, name text)")
        connection.execute("CREATE TABLE passport (id integer PRIMARY KEY REFERENCES person, valid_to date)")
    connection.close()
    source = Source("yard", f"sqlite:///{path}")
    passport = source.catalogue().record_types["passport"]
    source.close()

    assert [(r.name, r.label) for r in passport.relations] == [("person", "Person")]
    assert passport.fields[0].label == "Passport number"
