"""
Databases that keep their texts in another encoding than UTF-8: the same names, narrowings, order and files.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.demo.cluster import Cluster
from bouquet.sources import Source
from tests.sources.worlds import lines, written

WORDS = {"LATIN1": "café", "WIN1252": "café", "LATIN9": "café", "KOI8R": "вяз", "EUC_JP": "日本"}


@pytest.fixture(params=[*WORDS, "SQL_ASCII"])
def house(request: pytest.FixtureRequest, cluster: Cluster) -> Iterator[tuple[Source, str]]:
    """A source with a table of an odd name, and the word in it."""
    encoding = request.param
    url = cluster.url(f"in_{encoding.lower()}", "marrowby_owner", "test-only")
    name = sa.make_url(url).database
    word = WORDS.get(encoding, "café")
    with psycopg.connect(cluster.url(), autocommit=True) as admin:
        admin.execute(f"DROP DATABASE IF EXISTS {name}")
        admin.execute(
            f"CREATE DATABASE {name} ENCODING '{encoding}' TEMPLATE template0 LC_COLLATE 'C' LC_CTYPE 'C' OWNER marrowby_owner"
        )
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("SET client_encoding = 'UTF8'")
        connection.execute(f'CREATE TABLE "{word}" (id int PRIMARY KEY, "{word} 2" text)')
        connection.execute(f"INSERT INTO \"{word}\" VALUES (1, '{word} '), (2, 'x'), (3, NULL)")
        if encoding == "SQL_ASCII":
            connection.execute("SET client_encoding = 'SQL_ASCII'")
            connection.execute(b"INSERT INTO \"caf\xc3\xa9\" VALUES (4, 'caf\xe9')")
    made = Source("house", url)
    yield made, word
    made.close()


def test_texts_are_those_that_were_meant(house: tuple[Source, str], tmp_path: Path) -> None:
    """Also in the bytes of Windows, where a database takes any."""
    source, word = house
    (records,) = source.catalogue().record_types.values()
    field = records.fields[1].name
    columns = [
        {"id": "a", "heading": word, "value": {"field": "id"}},
        {"id": "b", "heading": "T", "value": {"field": field}},
    ]
    document = {"name": "T", "records": records.name, "columns": columns, "order": [{"path": field}]}
    rows = [["1", f"{word} "], ["2", "x"], ["3", ""]]
    meant = [["4", "café"]] if "ascii" in source.url else []

    assert sorted(lines(written(source, document, tmp_path / "all"))) == [*rows, *meant]
    exact = {**document, "filter": {"all": [{"path": field, "is": "contains", "value": word}]}}
    assert lines(written(source, exact, tmp_path / "some")) == [["1", f"{word} "]]


@pytest.mark.parametrize("encoding", ["UTF-8", "UTF-16le", "UTF-16be"])
def test_a_file_of_any_encoding_is_narrowed_and_ordered(tmp_path: Path, encoding: str) -> None:
    """SQLite gives the bytes of a text as its file keeps them."""
    path = tmp_path / "odd.sqlite"
    connection = sqlite3.connect(path)
    connection.execute(f"PRAGMA encoding = '{encoding}'")
    connection.execute("CREATE TABLE tree (id integer PRIMARY KEY, name text)")
    names = ["Élan", "elm", "Zelkova", "ash 𝄞", "ELDER", None]
    connection.executemany("INSERT INTO tree VALUES (?, ?)", list(enumerate(names)))
    connection.commit()
    connection.close()
    source = Source("odd", f"sqlite:///{path}")
    document = {
        "name": "T",
        "records": "tree",
        "columns": [{"id": "a", "heading": "Name", "value": {"field": "name"}}],
        "order": [{"path": "name"}],
    }
    some = {**document, "filter": {"all": [{"path": "name", "is": "contains", "value": "el"}]}}

    assert lines(written(source, document, tmp_path / "all")) == [
        ["ash 𝄞"], ["Élan"], ["ELDER"], ["elm"], ["Zelkova"], [""]
    ]  # fmt: skip
    assert lines(written(source, some, tmp_path / "some")) == [["ELDER"], ["elm"], ["Zelkova"]]
    source.close()
