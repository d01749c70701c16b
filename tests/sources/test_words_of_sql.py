"""
Tables and columns that are called by words of SQL: each word that a database says it knows.
"""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path

import psycopg
import pytest

from bouquet.demo.cluster import Cluster
from bouquet.sources import Source
from tests.sources.mariadb import owner_of
from tests.sources.worlds import lines, written

#: "SQLite Keywords"; the library does not tell them to Python.
OF_SQLITE = """
abort action add after all alter always analyze and as asc attach autoincrement before begin between by cascade case
cast check collate column commit conflict constraint create cross current current_date current_time current_timestamp
database default deferrable deferred delete desc detach distinct do drop each else end escape except exclude exclusive
exists explain fail filter first following for foreign from full generated glob group groups having if ignore immediate
in index indexed initially inner insert instead intersect into is isnull join key last left like limit match
materialized natural no not nothing notnull null nulls of offset on or order others outer over partition plan pragma
preceding primary query raise range recursive references regexp reindex release rename replace restrict returning right
rollback row rows savepoint select set table temp temporary then ties to transaction trigger unbounded union unique
update using vacuum values view virtual when where window with without rowid true false
"""


def some(words: list[str]) -> list[str]:
    """One in ten, and those that PostgreSQL takes for its own where a column stands alone."""
    return sorted({*words[::10], *({"collation", "concurrently", "lateral", "tablesample"} & set(words))})


@pytest.fixture(params=["postgresql", "mariadb", "sqlite"])
def called(
    request: pytest.FixtureRequest, cluster: Cluster, mariadb: Callable[[str], str], tmp_path: Path
) -> Iterator[tuple[Source, list[str]]]:
    """A source with a column for each of the words, and tables called by some; and the words."""

    def tables(words: list[str], mark: str) -> list[str]:
        wide = ", ".join(f"{mark}{w}{mark} integer" for w in words)
        each = [f"CREATE TABLE {mark}{w}{mark} (pk_ integer PRIMARY KEY, {mark}{w}{mark} integer)" for w in some(words)]
        return [f"CREATE TABLE wide_ (pk_ integer PRIMARY KEY, {wide})", "INSERT INTO wide_ (pk_) VALUES (1)", *each]

    if request.param == "sqlite":
        words, address = OF_SQLITE.split(), f"sqlite:///{tmp_path / 'words.sqlite'}"
        with sqlite3.connect(tmp_path / "words.sqlite") as lite:
            for statement in tables(words, '"'):
                lite.execute(statement)
        lite.close()
    elif request.param == "postgresql":
        cluster.ensure_database("words_test", "marrowby_owner")
        address = cluster.url("words_test", "marrowby_owner", "test-only")
        with psycopg.connect(address, autocommit=True) as connection:
            connection.execute("DROP SCHEMA public CASCADE; CREATE SCHEMA public")
            words = [w for (w,) in connection.execute("SELECT word FROM pg_get_keywords() ORDER BY 1").fetchall()]
            for statement in tables(words, '"'):
                connection.execute(statement)  # type: ignore[call-overload]
    else:
        address = mariadb("words")
        with owner_of(address) as server, server.cursor() as cursor:
            cursor.execute("SELECT DISTINCT lower(word) FROM information_schema.keywords ORDER BY 1")
            words = [w for (w,) in cursor.fetchall() if re.fullmatch(r"\w+", w)]
            for statement in tables(words, "`"):
                cursor.execute(statement)
            server.commit()
    made = Source("words", address)
    yield made, words
    made.close()


def test_tables_and_columns_may_be_called_by_any_word(called: tuple[Source, list[str]], tmp_path: Path) -> None:
    """One that could not be said would keep the whole catalogue from being read."""
    source, words = called
    types = {t.table: t for t in source.catalogue().record_types.values()}
    wide = types["wide_"]

    assert set(some(words)) <= set(types)
    assert {f.column for f in wide.fields} == {"pk_", *words}
    shown = [{"id": f"c{n}", "heading": f"{n}", "value": {"field": f.name}} for n, f in enumerate(wide.fields)]
    assert len(lines(written(source, {"name": "T", "records": wide.name, "columns": shown}, tmp_path / "wide"))) == 1
    for word in some(words):
        columns = [{"id": f.name, "heading": f.name, "value": {"field": f.name}} for f in types[word].fields]
        document = {"name": "T", "records": types[word].name, "columns": columns}
        assert lines(written(source, document, tmp_path / word)) == []
    source.profile(wide.name)
