"""
A document run into a folder, and the small world that templates are drawn over, in three databases.
"""

from __future__ import annotations

import itertools
import sqlite3
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import psycopg
import pytest

from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.runs import Export, Exported
from bouquet.runs.asking import as_format
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.drawn import TABLES, TYPES, WORLD, filled, said
from tests.sources.files import Run
from tests.sources.mariadb import owner_of


@pytest.fixture
def run(source: Source, tmp_path: Path) -> Run:
    """Run a document into the test's folder."""
    return partial(made_of, source, tmp_path)


@pytest.fixture
def run_whole(whole: Source, tmp_path: Path) -> Run:
    return partial(made_of, whole, tmp_path)


def made_of(source: Source, folder: Path, document: dict[str, Any], format: str = "csv", **context: Any) -> Exported:
    """The files of a document."""
    template = as_format(read_document({"name": "Test", **document}), format)
    plan = resolve(template, source.catalogue(), Context(as_of=NOW, answers={}, **context)).require()
    with source.reader.snapshot() as snapshot:
        return Export(template, plan, format, folder / "out").write(snapshot, {})


@pytest.fixture(scope="session")
def drawn_source(cluster: Cluster) -> Iterator[Source]:
    """The small world of odd values that templates are drawn over."""
    cluster.ensure_database("meant_test", "marrowby_owner")
    url = cluster.url("meant_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection, connection.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS f, e, p, region; DROP TYPE IF EXISTS state")
        cursor.execute("CREATE TYPE state AS ENUM ('low', 'medium', 'high', 'dire')")
        for table in TABLES:
            cursor.execute(table.format(**TYPES["postgresql"]))
        for name, rows in WORLD.tables.items():
            cursor.executemany(filled(name, "%s").replace("`", '"'), [tuple(r.values()) for r in rows])
    made = Source("meant", url)
    yield made
    made.close()


@pytest.fixture(scope="session")
def elsewhere(mariadb: Callable[[str], str], tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, Source]]:
    """The same records in MariaDB and in SQLite, whose times are written in every way that it takes."""
    url = mariadb("meant")
    with owner_of(url) as server, server.cursor() as maria:
        maria.execute("SET time_zone = '+00:00'")
        for table in TABLES:
            maria.execute(table.format(**TYPES["mariadb"]).replace(" rank ", " `rank` "))
        for name, rows in WORLD.tables.items():
            maria.executemany(filled(name, "%s"), [tuple(map(said, r.values())) for r in rows])
        server.commit()
    path = tmp_path_factory.mktemp("meant") / "meant.sqlite"
    forms = itertools.cycle((str, lambda v: v.replace(" ", "T"), lambda v: v if "." in v else v + ".000000"))
    with sqlite3.connect(path) as lite:
        for table in TABLES:
            lite.execute(table.format(**TYPES["sqlite"]))
        for name, rows in WORLD.tables.items():
            told = [
                {k: next(forms)(said(v)) if k in ("ts", "tz") and v else said(v) for k, v in r.items()} for r in rows
            ]
            lite.executemany(filled(name, "?"), [tuple(r.values()) for r in told])
    lite.close()
    made = {"mariadb": Source("m", url.replace("owner", "reader")), "sqlite": Source("s", f"sqlite:///{path}")}
    yield made
    for one in made.values():
        one.close()
