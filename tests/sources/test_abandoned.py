"""
Rows that nobody reads to their end.
"""

from __future__ import annotations

import time
from contextlib import nullcontext

import psycopg
import pytest

from bouquet.sources import Source
from bouquet.sources.postgres import PostgresReader

LONG = "SELECT n, repeat('x', 2000) AS text FROM generate_series(1, 100000) AS n"


@pytest.mark.parametrize("fails", [True, False])
def test_a_snapshot_ends_while_its_rows_are_held_and_leaves_no_session(source: Source, fails: bool) -> None:
    """What failed is what is told, and whoever holds the rows may let go of them later."""
    reader = PostgresReader(f"{source.reader.url}&application_name=abandoned", "made up")
    held = []
    with pytest.raises(LookupError) if fails else nullcontext(), reader.snapshot() as snapshot:
        held.append(snapshot.batches(LONG))
        assert next(held[0]).num_rows > 0
        if fails:
            raise LookupError
    with psycopg.connect(source.reader.url) as connection:
        query = "SELECT count(*) FROM pg_stat_activity WHERE application_name = 'abandoned'"
        for _ in range(50):
            left = connection.execute(query).fetchone()
            if left == (0,):
                break
            connection.rollback()
            time.sleep(0.1)
    assert left == (0,)
    held[0].close()
