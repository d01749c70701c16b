"""
How far a copy lies behind its source, told by a real server that streams to another one.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from bouquet.demo.cluster import Cluster, port_is_free
from bouquet.sources import Source

OPTIONS = "-c listen_addresses=127.0.0.1 -c unix_socket_directories="


@pytest.fixture
def streamed(tmp_path: Path) -> Iterator[tuple[str, str]]:
    """
    The addresses of a server and of the one that follows it.
    """
    first = Cluster(tmp_path / "cluster")
    first.start()
    data = str(first.home / "following")
    port = next(p for p in range(first.port() + 100, first.port() + 200) if port_is_free(p))
    made = first._run("pg_basebackup", "-d", first.url(), "-D", data, "-R", "-c", "fast")
    assert made.returncode == 0, made.stderr
    assert first._run("pg_ctl", "start", "-w", "-D", data, "-o", f"-p {port} {OPTIONS}").returncode == 0
    try:
        yield first.url(), first.url().replace(f":{first.port()}/", f":{port}/")
    finally:
        first._run("pg_ctl", "stop", "-m", "immediate", "-D", data)
        first.destroy()


def behind(source: Source, *, expected: bool) -> float:
    """
    Seconds behind, once it is what is expected: behind at all, or not.
    """
    for _ in range(100):
        with source.run_reader.snapshot() as snapshot:
            found = source.seconds_behind(snapshot)
        if found is not None and (found > 0) == expected:
            return found
        time.sleep(0.1)
    raise AssertionError(found)


def test_a_copy_is_behind_by_what_it_did_not_replay_not_by_how_long_nothing_changed(streamed: tuple[str, str]) -> None:
    first, following = streamed
    source = Source("house", first, copy=following)
    with psycopg.connect(first, autocommit=True) as owner, psycopg.connect(following, autocommit=True) as follower:
        owner.execute("CREATE TABLE boat (name text)")
        assert behind(source, expected=False) == 0
        time.sleep(1.5)
        assert behind(source, expected=False) == 0
        follower.execute("SELECT pg_wal_replay_pause()")
        owner.execute("INSERT INTO boat VALUES ('Heron')")
        assert behind(source, expected=True) >= 1.5
        follower.execute("SELECT pg_wal_replay_resume()")
        assert behind(source, expected=False) == 0
    source.close()
