"""
Connections to databases notice that nobody is there any more: by what the kernel knows of their sockets.
"""

from __future__ import annotations

import contextlib
import os
import socket
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.database_urls import backend_of, parsed_url, watched_url
from bouquet.demo.cluster import Cluster
from bouquet.runs import Queue, Services
from bouquet.sources import Source


def connections_to(port: int) -> Iterator[socket.socket]:
    """This process's connections to a port of this machine."""
    for entry in Path("/proc/self/fd").iterdir():
        # A copy of a pipe that stayed open would keep whoever reads it waiting for its end.
        if not entry.is_socket():
            continue
        with contextlib.suppress(OSError), socket.socket(fileno=os.dup(int(entry.name))) as found:
            if found.family == socket.AF_INET and found.getpeername()[1] == port:
                yield found


def assert_watched(port: int) -> None:
    found = [
        (
            one.getsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE),
            one.getsockopt(socket.IPPROTO_TCP, socket.TCP_KEEPIDLE),
            one.getsockopt(socket.IPPROTO_TCP, socket.TCP_USER_TIMEOUT),
        )
        for one in connections_to(port)
    ]
    assert found
    assert set(found) == {(1, 30, 60_000)}


def port_of(url: str) -> int:
    return sa.make_url(url).port or 5432


def test_a_source_is_watched_while_it_is_read(source: Source) -> None:
    """A query over a cable that was cut does not keep a worker for two hours."""
    with source.reader.snapshot() as snapshot:
        snapshot.rows("SELECT 1 AS one")
        assert_watched(port_of(source.url))


def test_our_own_database_is_watched(services: Services) -> None:
    with services.store.session() as session:
        session.execute(sa.text("SELECT 1"))
        assert_watched(port_of(services.store.url))


def test_a_mariadb_source_is_watched(mariadb: Callable[[str], str]) -> None:
    url = mariadb("watched")
    source = Source("Shop", url.replace("owner", "reader"))
    with source.reader.snapshot() as snapshot:
        snapshot.rows(sa.select(sa.literal(1).label("one")))
        assert_watched(port_of(url))
    source.close()


#: What a server's kernel says of its side of a connection.
BY_SERVER = "SELECT name, setting FROM pg_settings WHERE name IN ('tcp_keepalives_idle', 'tcp_user_timeout') ORDER BY 1"


def test_a_source_notices_when_we_vanish(source: Source) -> None:
    """What our machine held there is free after a minute, also when it was used before."""
    for pooled in (True, True, False):
        with source.reader.snapshot(pooled=pooled) as snapshot:
            assert [tuple(row.values()) for row in snapshot.rows(BY_SERVER)] == [
                ("tcp_keepalives_idle", "30"),
                ("tcp_user_timeout", "60000"),
            ]


def test_our_own_database_notices_when_a_machine_of_ours_vanishes(services: Services) -> None:
    """Locks that other workers wait for are free again; so are those of the queue."""
    with services.store.session() as session:
        found = [tuple(row) for row in session.execute(sa.text(BY_SERVER))]
    queue = Queue(services)
    with queue.opened():
        row = queue._sync.connector.execute_query_one("SELECT current_setting('tcp_keepalives_idle') AS idle")

    assert found == [("tcp_keepalives_idle", "30"), ("tcp_user_timeout", "60000")]
    assert row["idle"] == "30"


def test_a_snapshot_outlives_what_a_house_allows_the_idle(cluster: Cluster) -> None:
    """A minute after which sessions are ended that somebody left open is not meant for a file that takes longer."""
    cluster.drop_database("hurried")
    cluster.ensure_database("hurried", "bouquet")
    url = cluster.url("hurried", "bouquet", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute(f"ALTER DATABASE {connection.info.dbname} SET idle_in_transaction_session_timeout = '300ms'")
    source = Source("hurried", url)
    with source.reader.snapshot() as snapshot:
        snapshot.rows("SELECT 1 AS one")
        time.sleep(0.8)
        assert snapshot.rows("SELECT 2 AS two") == [{"two": 2}]
    source.close()


@pytest.mark.parametrize(
    ("url", "host", "password"),
    [
        ("postgresql://a:p,w@h:1/d", "h", "p,w"),
        ("postgres://a:p@h:1,g:2/d", "h:1,g:2", "p"),
        ("postgresql://h,g?dbname=d", "h,g", None),
        ("postgresql+psycopg://a:p%40w@[::1]:1/d", "::1", "p@w"),
    ],
)
def test_the_parts_of_an_address(url: str, host: str, password: str | None) -> None:
    assert (parsed_url(url).host, parsed_url(url).password, backend_of(url)) == (host, password, "postgresql")


@pytest.mark.parametrize(
    ("url", "kept"),
    [
        ("postgresql://a:p%40ss@h:1/d?connect_timeout=3", "connect_timeout=3"),
        ("postgresql:///d?host=/run/postgresql", "host=/run/postgresql"),
    ],
)
def test_what_an_address_says_itself_is_kept(url: str, kept: str) -> None:
    watched = sa.make_url(watched_url(url))

    assert kept in watched_url(url)
    assert (watched.password, watched.database) == (sa.make_url(url).password, "d")
    assert watched.query["keepalives_idle"] == "30"
