"""
A house that has few connections for us, and people of its own who stop what takes long.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import psycopg
import pymysql
import pytest
import sqlalchemy as sa

from bouquet.demo.cluster import Cluster
from bouquet.runs import Services, ask_for_run, execute
from bouquet.sources import Source, SourceDown, SourceError, SourceFull, SourceStopped, SourceTimeout, postgres
from bouquet.sources.errors import SourceChanged, renamed_errors
from tests.runs.test_runs import get


@pytest.fixture
def narrow(cluster: Cluster) -> Iterator[str]:
    """A database whose role for us may have one connection."""
    cluster.ensure_role("narrow", "test-only")
    cluster.drop_database("narrow")
    cluster.ensure_database("narrow", "marrowby_owner")
    with psycopg.connect(cluster.url("narrow", "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute("CREATE TABLE tree (id int PRIMARY KEY, name text)")
        connection.execute("INSERT INTO tree SELECT n, 'tree ' || n FROM generate_series(1, 60000) n")
        connection.execute("GRANT SELECT ON tree TO narrow")
    with psycopg.connect(cluster.url(), autocommit=True) as connection:
        connection.execute("ALTER ROLE narrow CONNECTION LIMIT 1")
    yield cluster.url("narrow", "narrow", "test-only")
    with psycopg.connect(cluster.url(), autocommit=True) as connection:
        connection.execute("ALTER ROLE narrow CONNECTION LIMIT -1")


def counted(source: Source, *, pooled: bool = False, timeout_ms: int | None = 5_000) -> Any:
    with source.reader.snapshot(timeout_ms=timeout_ms, pooled=pooled) as snapshot:
        return snapshot.row(sa.select(sa.func.count().label("n")).select_from(sa.table("tree")))["n"]


def test_whoever_comes_while_the_connection_is_taken_waits(narrow: str) -> None:
    """Six at once on one connection, kept or not: all are answered."""
    source = Source("narrow", narrow)
    assert set(source.catalogue().record_types) == {"tree"}
    with ThreadPoolExecutor(6) as several:
        found = list(several.map(lambda n: counted(source, pooled=n % 2 == 0), range(6)))
    source.close()

    assert found == [60_000] * 6


def test_a_source_that_stays_full_is_said_to_be(narrow: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """And not to be away."""
    monkeypatch.setattr(postgres, "HURRIED", 0.3)
    source = Source("narrow", narrow)
    with psycopg.connect(narrow), pytest.raises(SourceFull, match="no connection left"):
        counted(source)
    source.close()


def test_idle_connections_are_given_back(narrow: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Another process of ours, such as a worker, finds one soon."""
    monkeypatch.setattr(postgres, "IDLE_SECONDS", 0.3)
    web, worker = Source("narrow", narrow), Source("narrow", narrow)
    assert counted(web, pooled=True) == 60_000
    assert counted(worker, timeout_ms=None) == 60_000
    web.close()
    worker.close()


def test_the_same_of_mariadb(mariadb: Callable[[str], str]) -> None:
    at = sa.make_url(mariadb("narrow"))
    root = {"host": "127.0.0.1", "port": at.port, "user": "root", "autocommit": True}
    with pymysql.connect(**root) as connection, connection.cursor() as cursor:
        cursor.execute("CREATE TABLE narrow.tree (id integer PRIMARY KEY)")
        cursor.execute("INSERT INTO narrow.tree VALUES (1), (2)")
        cursor.execute("CREATE USER narrow@'%' IDENTIFIED BY 'test-only' WITH MAX_USER_CONNECTIONS 1")
        cursor.execute("GRANT SELECT ON narrow.* TO narrow@'%'")
    source = Source("narrow", at.set(username="narrow").render_as_string(hide_password=False))
    with ThreadPoolExecutor(4) as several:
        found = list(several.map(lambda _: counted(source), range(4)))
    source.close()

    assert found == [2] * 4


# Stopped by others


def stop(cluster: Cluster, role: str, seconds: float = 30) -> None:
    """What somebody does there who wants to be rid of a query."""
    end = time.monotonic() + seconds
    with psycopg.connect(cluster.url(), autocommit=True) as connection:
        while time.monotonic() < end:
            query = (
                "SELECT pg_cancel_backend(pid) FROM pg_stat_activity"
                " WHERE usename = %s AND state = 'active' AND (query LIKE '%%generate_series%%' OR query LIKE '%%slow%%')"
            )
            if connection.execute(query, [role]).fetchall():
                return
            time.sleep(0.05)


@pytest.mark.parametrize(("timeout_ms", "kind"), [(None, SourceStopped), (20_000, SourceTimeout)])
def test_who_stops_a_query_in_the_source_is_not_one_of_us(
    narrow: str, cluster: Cluster, timeout_ms: int | None, kind: type[Exception]
) -> None:
    """No run counts as cancelled by its person then; a look took too long for the source."""
    source = Source("narrow", narrow)
    stopping = threading.Thread(target=stop, args=(cluster, "narrow"))
    stopping.start()
    with pytest.raises(kind), source.reader.snapshot(timeout_ms=timeout_ms) as snapshot:
        snapshot.rows("SELECT count(*) FROM generate_series(1, 400000000) n")
    stopping.join()
    source.close()


def test_a_run_that_was_stopped_there_failed_and_says_so(
    services: Services, people: dict[str, Any], narrow: str, cluster: Cluster, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whoever asked for it is told; it was not they who cancelled it."""
    source = Source("narrow", narrow)
    with psycopg.connect(cluster.url("narrow", "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute("CREATE VIEW slow AS SELECT n AS id FROM generate_series(1, 300000000) n")
        connection.execute("GRANT SELECT ON slow TO narrow")
    there = replace(services, configured=source)
    document = {"name": "Slow", "records": "slow", "columns": [{"id": "a", "heading": "N", "value": {"field": "id"}}]}
    asked = ask_for_run(there, document, person=people["ines"], via="hand")
    stopping = threading.Thread(target=stop, args=(cluster, "narrow"))
    stopping.start()
    execute(there, asked.id)
    stopping.join()
    run = get(services, asked.id)
    source.close()

    assert (run.status, (run.error or {})["code"]) == ("failed", "source_stopped")


class Conflict(Exception):
    sqlstate = "40001"


def test_a_copy_that_stops_a_query_to_follow_is_asked_again() -> None:
    """It may go well the next time: a run is tried again, and does not count as cancelled."""
    told = "ERROR: canceling statement due to conflict with recovery"
    errors = [sa.exc.OperationalError("SELECT 1", {}, Conflict("…")), OSError(f"[libpq] Failed: {told}")]
    for error in errors:
        with pytest.raises(SourceDown), renamed_errors("Copy", asked=lambda: False):
            raise error


@pytest.mark.parametrize(
    ("error", "kind", "said"),
    [
        (pymysql.err.DataError(1366, "Incorrect integer value: 'no connection'"), SourceError, "Incorrect integer"),
        (pymysql.err.OperationalError(1205, "Lock wait timeout exceeded"), SourceError, "Lock wait"),
        (pymysql.err.OperationalError(1927, "Connection was killed"), SourceDown, "cannot be reached"),
        (pymysql.err.OperationalError(2013, "Lost connection to server during query"), SourceDown, "cannot be reached"),
        (pymysql.err.OperationalError(1040, "Too many connections"), SourceFull, "no connection left"),
    ],
)
def test_what_mariadb_says_is_told_by_its_number(
    error: pymysql.err.MySQLError, kind: type[SourceError], said: str
) -> None:
    """Not by its words, which may be those of a record; and it is said without what the driver says around it."""
    with pytest.raises(SourceError, match=f"^Copy: .*{said}") as told, renamed_errors("Copy"):
        raise sa.exc.OperationalError("SELECT 1", {}, error)
    assert told.type is kind
    assert str(error.args[0]) not in str(told.value)
    assert "'" not in str(told.value)


@pytest.mark.parametrize(
    ("state", "said", "kind"),
    [
        ("55P03", "canceling statement due to lock timeout", SourceStopped),
        ("25P03", "terminating connection due to idle-in-transaction timeout", SourceDown),
        ("42704", 'type "colour" does not exist', SourceChanged),
        ("28P01", "password authentication failed", SourceDown),
        ("22P02", 'invalid input syntax for type uuid: "it does not exist"', SourceError),
        ("22P02", 'invalid input syntax for type integer: "too many connections"', SourceError),
    ],
)
def test_what_postgresql_says_is_told_by_its_state(state: str, said: str, kind: type[SourceError]) -> None:
    """Also where a driver has the state in words only, as once rows are flowing."""
    with pytest.raises(SourceError) as told, renamed_errors("Copy", asked=lambda: False):
        raise OSError(f"INVALID_DATA: [libpq] Execution error: ERROR:  {said}\n. SQLSTATE: {state}")
    assert told.type is kind
    # What cannot be read is a value of somebody's record: it is for nobody who may not see that.
    assert '"' not in str(told.value)
