"""
A source that is several machines: a table whose parts lie on three PostgreSQL servers (`postgres_fdw`), and one that
is reached through a pooler of connections.
"""

from __future__ import annotations

import os
import pwd
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.sources import Source, SourceChanged, SourceDown, SourceTimeout
from tests.conftest import OwnCluster
from tests.sources.worlds import lines, written

PARTS = (1, 2, 3)
POOLER = shutil.which("pgbouncer") or shutil.which("/usr/sbin/pgbouncer")

DOCUMENT: dict[str, Any] = {
    "name": "Visits",
    "records": "visit",
    "zone": "UTC",
    "columns": [
        {"id": "id", "heading": "Id", "value": {"field": "id"}},
        {"id": "ward", "heading": "Ward", "value": {"field": "ward"}},
        {"id": "note", "heading": "Note", "value": {"field": "note"}},
    ],
    "filter": {"all": [{"path": "ward", "is": "at_least", "value": 2}]},
    "order": [{"path": "id", "direction": "descending"}],
}


def owned(cluster: OwnCluster, name: str) -> psycopg.Connection[Any]:
    return psycopg.connect(cluster.url(name), autocommit=True)


@pytest.fixture
def hub(cluster: OwnCluster) -> Iterator[Source]:
    """A house whose visits are kept by three others, ward by ward."""
    at = sa.make_url(cluster.url())
    for name in ("hub", *(f"far{n}" for n in PARTS)):
        cluster.drop_database(name)
        cluster.ensure_database(name, "marrowby_owner")
    with owned(cluster, "hub") as house:
        house.execute("CREATE EXTENSION postgres_fdw")
        house.execute("CREATE TABLE visit (id bigint NOT NULL, ward int NOT NULL, note text) PARTITION BY LIST (ward)")
        for n in PARTS:
            with owned(cluster, f"far{n}") as far:
                far.execute("CREATE TABLE visit (id bigint, ward int, note text, PRIMARY KEY (id, ward))")
                far.execute(f"INSERT INTO visit SELECT n, {n}, 'n' || n FROM generate_series({n}, 3000, 3) n")
            there = f"host '127.0.0.1', port '{at.port}', dbname '{cluster.own(f'far{n}')}'"
            house.execute(f"CREATE SERVER far{n} FOREIGN DATA WRAPPER postgres_fdw OPTIONS ({there})")
            who = f"user 'postgres', password '{at.password}'"
            house.execute(f"CREATE USER MAPPING FOR CURRENT_USER SERVER far{n} OPTIONS ({who})")
            part = f"PARTITION OF visit FOR VALUES IN ({n}) SERVER far{n} OPTIONS (table_name 'visit')"
            house.execute(f"CREATE FOREIGN TABLE visit_{n} {part}")
    made = Source("hub", cluster.url("hub"))
    yield made
    made.close()


def test_a_table_whose_parts_lie_elsewhere_is_one_record_type(hub: Source, tmp_path: Path) -> None:
    """Its rows come in one order, and where they are kept is nobody's business."""
    assert set(hub.catalogue().record_types) == {"visit"}
    found = lines(written(hub, DOCUMENT, tmp_path))

    assert found == [[str(n), str((n - 1) % 3 + 1), f"n{n}"] for n in range(3000, 0, -1) if (n - 1) % 3]


def test_a_part_that_is_away_is_the_source_being_away(hub: Source, cluster: OwnCluster, tmp_path: Path) -> None:
    """Whoever asks tries again; a file without its rows is never made."""
    hub.catalogue()
    away = cluster.own("far3")
    with owned(cluster, "postgres") as server:
        server.execute(f'ALTER DATABASE "{away}" ALLOW_CONNECTIONS false')
        with pytest.raises(SourceDown):
            written(hub, DOCUMENT, tmp_path / "away")
        server.execute(f'ALTER DATABASE "{away}" ALLOW_CONNECTIONS true')

    assert not list((tmp_path / "away").glob("*"))
    assert len(lines(written(hub, DOCUMENT, tmp_path / "back"))) == 2_000


def test_a_part_that_changed_is_a_source_that_changed(hub: Source, cluster: OwnCluster, tmp_path: Path) -> None:
    hub.catalogue()
    with owned(cluster, "far2") as far:
        far.execute("ALTER TABLE visit DROP COLUMN note")
    with pytest.raises(SourceChanged):
        written(hub, DOCUMENT, tmp_path)


@pytest.fixture
def pooled(cluster: OwnCluster, tmp_path: Path) -> Iterator[Source]:
    """Visits behind a pooler that gives a connection for a transaction, two of them in all."""
    at = sa.make_url(cluster.url("pooled", "marrowby_owner", "test-only"))
    cluster.drop_database("pooled")
    cluster.ensure_database("pooled", "marrowby_owner")
    with psycopg.connect(at.render_as_string(hide_password=False), autocommit=True) as house:
        house.execute("CREATE TABLE visit (id bigint PRIMARY KEY, ward int NOT NULL, note text)")
        house.execute("INSERT INTO visit SELECT n, (n - 1) % 3 + 1, 'n' || n FROM generate_series(1, 3000) n")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    settings = tmp_path / "pooler.ini"
    settings.write_text(
        f"[databases]\n* = host=127.0.0.1 port={at.port} user=marrowby_owner password=test-only\n[pgbouncer]\n"
        f"listen_addr=127.0.0.1\nlisten_port={port}\nauth_type=any\npool_mode=transaction\nunix_socket_dir=\n"
        "default_pool_size=2\n"
    )
    # It does not run as root.
    nobody = pwd.getpwnam("nobody").pw_uid if os.getuid() == 0 else os.getuid()
    with settings.open("rb") as given:
        running = subprocess.Popen([str(POOLER), "-q", "/dev/stdin"], stdin=given, user=nobody)
    for _ in range(100):
        with suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
            break
        time.sleep(0.05)
    made = Source("pooled", at.set(port=port).render_as_string(hide_password=False))
    yield made
    made.close()
    running.terminate()
    running.wait(10)


@pytest.mark.skipif(POOLER is None, reason="no pooler of connections is installed")
def test_a_source_behind_a_pooler_is_read_like_any_other(pooled: Source, tmp_path: Path) -> None:
    """More at once than it has connections, each in its own order and settings; one that takes too long is stopped."""
    with ThreadPoolExecutor(6) as several:
        made = list(several.map(lambda n: lines(written(pooled, DOCUMENT, tmp_path / str(n))), range(6)))
    with pooled.reader.snapshot(timeout_ms=300, pooled=True) as snapshot, pytest.raises(SourceTimeout):
        snapshot.table("SELECT count(*) FROM visit a, visit b, visit c")

    assert all(found == made[0] for found in made)
    assert made[0] == [[str(n), str((n - 1) % 3 + 1), f"n{n}"] for n in range(3000, 0, -1) if (n - 1) % 3]
    assert len(lines(written(pooled, DOCUMENT, tmp_path / "after"))) == 2_000
