"""
Views that compute for hours: they keep nobody from the catalogue, nor from the tables beside them.
"""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from bouquet.sources import Source
from tests.sources.mariadb import owner_of

TABLE = "CREATE TABLE fine (id integer PRIMARY KEY, code varchar(20), seen date)"
ROWS = "INSERT INTO fine VALUES (1, 'T-9', '2026-01-01'), (2, 'T-10', '2026-01-02')"
#: Each of their columns is one that is looked at: codes, and dates that may be none.
OF_SQLITE = (
    "CREATE VIEW slow (code, seen) AS WITH RECURSIVE n (x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n WHERE x < 1e10)"
    " SELECT 'C-' || x, CAST(x AS date) FROM n ORDER BY x DESC"
)
OF_MARIADB = "CREATE VIEW slow AS SELECT code, true AS flag, CAST('09:00' AS time) AS at FROM fine WHERE sleep(60) = 0"


@pytest.fixture(params=["mariadb", "sqlite"])
def house(request: pytest.FixtureRequest, mariadb: Callable[[str], str], tmp_path: Path) -> Iterator[Source]:
    if request.param == "sqlite":
        address = f"sqlite:///{tmp_path / 'slow.sqlite'}"
        with sqlite3.connect(tmp_path / "slow.sqlite") as lite:
            for statement in (TABLE, ROWS, OF_SQLITE):
                lite.execute(statement)
        lite.close()
    else:
        address = mariadb("slow_views")
        with owner_of(address) as server, server.cursor() as cursor:
            for statement in (TABLE, ROWS, OF_MARIADB):
                cursor.execute(statement)
            server.commit()
    made = Source("slow", address)
    yield made
    made.close()


def test_a_slow_view_keeps_nobody_from_the_catalogue(house: Source, monkeypatch: pytest.MonkeyPatch) -> None:
    """What is looked at takes seconds at most, and what could not be looked at in time is taken as it is declared."""
    monkeypatch.setattr("bouquet.sources.tables.STRAYS_TIME", 0.5)
    began = time.monotonic()
    types = {t.table: t for t in house.catalogue().record_types.values()}

    assert time.monotonic() - began < 20
    assert set(types) == {"fine", "slow"}
    code = types["fine"].field_named("code")
    assert code is not None
    assert code.digits_vary
