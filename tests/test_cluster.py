"""
The demonstration's private cluster: ours alone, on loopback, on a free port.
"""

from __future__ import annotations

import os
import shutil
import socket
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from bouquet.demo import cluster as module
from bouquet.demo.cluster import Cluster, ClusterError


@pytest.fixture
def private(tmp_path: Path) -> Iterator[Cluster]:
    """A cluster of a folder that has never had one."""
    made = Cluster(tmp_path / "deep" / "cluster")
    yield made
    made.destroy()


def test_a_cluster_is_made_started_and_stopped(private: Cluster, monkeypatch: pytest.MonkeyPatch) -> None:
    """The usual port being taken, the next free one serves; starting twice is one start; only loopback listens."""
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        monkeypatch.setattr(module, "FIRST_PORT", taken.getsockname()[1])
        private.start()
        private.start()

        assert private.port() != taken.getsockname()[1]
    with psycopg.connect(private.url()) as connection:
        assert connection.execute("SHOW listen_addresses").fetchone() == ("127.0.0.1",)
        assert connection.execute("SHOW unix_socket_directories").fetchone() == ("",)
    with pytest.raises(psycopg.OperationalError):
        psycopg.connect(private.url(password="wrong"))
    private.stop()
    assert not private.running()
    with pytest.raises(ClusterError, match="not running"):
        private.port()


def test_a_restart_keeps_the_port(private: Cluster, monkeypatch: pytest.MonkeyPatch) -> None:
    """Although a lower one became free meanwhile: addresses that are known stay true."""
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        monkeypatch.setattr(module, "FIRST_PORT", taken.getsockname()[1])
        private.start()
        before = private.port()
    private.stop()
    private.start()

    assert private.port() == before


def test_roles_and_databases_can_be_ensured_again(private: Cluster) -> None:
    """A second time changes the password and keeps the data."""
    private.start()
    private.ensure_role("bou'quet", "one")

    assert private.ensure_database("bou'quet db", "bou'quet")
    assert not private.ensure_database("bou'quet db", "bou'quet")
    private.ensure_role("bou'quet", "t'wo")
    with psycopg.connect(
        host="127.0.0.1", port=private.port(), dbname="bou'quet db", user="bou'quet", password="t'wo"
    ) as connection:
        assert connection.execute("SELECT 1").fetchone() == (1,)


def test_the_password_is_its_owners_alone(private: Cluster) -> None:
    """Made once, readable by nobody else."""
    assert private.password == private.password
    assert (private.home / "superuser-password").stat().st_mode & 0o077 == 0


@pytest.mark.skipif(os.geteuid() != 0, reason="as an ordinary user the data lie in the folder itself")
def test_a_folder_made_again_finds_its_cluster(private: Cluster) -> None:
    """Removing a checkout and cloning it again in its place loses no data and no way in."""
    private.folder.mkdir(parents=True)
    private.start()
    private.ensure_role("kept", "one")
    shutil.rmtree(private.folder)
    again = Cluster(private.folder)
    again.start()

    with psycopg.connect(again.url()) as connection:
        assert connection.execute("SELECT 1 FROM pg_roles WHERE rolname = 'kept'").fetchone() == (1,)


@pytest.mark.skipif(os.geteuid() != 0, reason="as root only")
def test_the_data_of_root_lie_where_the_server_can_reach_them(private: Cluster) -> None:
    """Two folders have two clusters, neither below the checkout."""
    other = Cluster(private.folder.parent / "other")

    assert private.data != other.data
    assert str(private.data).startswith("/var/lib/bouquet/")


def test_what_is_set_today_holds_for_an_older_cluster(private: Cluster, monkeypatch: pytest.MonkeyPatch) -> None:
    """Its settings are told at each start, not kept from the day on which it was made."""
    monkeypatch.setattr(module, "SETTINGS", {"max_connections": "20"})
    mask = os.umask(0o077)
    try:
        private.start()
        private.stop()
        monkeypatch.undo()
        private.start()
    finally:
        os.umask(mask)

    with psycopg.connect(private.url()) as connection:
        assert connection.execute("SHOW max_connections").fetchone() == ("300",)
