"""
A small database of its own whose records tests may change, with differences planted and counted.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import psycopg

from bouquet.sources import Source

__all__ = ["ITEMS", "PLANTED", "changing"]

ROWS = 4000

#: A template of the items.
ITEMS: dict[str, Any] = {
    "name": "Items",
    "records": "item",
    "columns": [
        {"id": "a", "heading": "No.", "value": {"field": "id"}},
        {"id": "b", "heading": "Name", "value": {"field": "name"}, "editable": True},
        {"id": "c", "heading": "Amount", "value": {"field": "amount"}, "show": {"decimals": 2}, "editable": True},
        {"id": "d", "heading": "Since", "value": {"field": "since"}, "editable": True},
    ],
    "output": {"name": "items"},
}

#: What `plant` does, by hand: rows added, gone, and changed cells by heading.
PLANTED = {"added": 40, "gone": 41, "Amount": 120, "Name": 60, "changed": 177}


def _plant(connection: Any) -> None:
    connection.execute("DELETE FROM item WHERE id % 97 = 0")
    connection.execute(
        "UPDATE item SET amount = amount + 1 WHERE id IN (SELECT id FROM item ORDER BY md5(id::text) LIMIT 120)"
    )
    connection.execute(
        "UPDATE item SET name = name || ', again' WHERE id IN (SELECT id FROM item ORDER BY md5('x' || id) LIMIT 60)"
    )
    connection.execute("INSERT INTO item SELECT n, 'fresh', 1, now()::date FROM generate_series(9001, 9040) n")


@contextmanager
def changing(cluster: Any) -> Iterator[tuple[Source, Any, Any]]:
    """
    The source, a connection that may write, and a function that plants the differences.
    """
    cluster.drop_database("changing")
    cluster.ensure_database("changing", "marrowby_owner")
    owner = cluster.url("changing", "marrowby_owner", "test-only")
    with psycopg.connect(owner, autocommit=True) as connection:
        connection.execute("CREATE TABLE item (id integer PRIMARY KEY, name text, amount numeric(10, 2), since date)")
        connection.execute(
            "INSERT INTO item SELECT n, CASE WHEN n % 50 > 0 THEN 'item ' || n END, n * 1.25, date '2020-01-01' + n "
            f"FROM generate_series(1, {ROWS}) n"
        )
        source = Source("changing", owner)
        try:
            yield source, connection, lambda: _plant(connection)
        finally:
            source.close()
