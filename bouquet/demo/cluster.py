"""
A private PostgreSQL cluster on loopback, started and stopped by us and by nobody else.

PostgreSQL refuses to run as root; then an unprivileged user runs it, and its files lie where that user can reach
them, whatever folder the checkout is in. A cluster that is not ours is never touched: ours is known by its own data
folder.
"""

from __future__ import annotations

import fcntl
import hashlib
import os
import pwd
import re
import secrets
import shutil
import socket
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import psycopg

from bouquet.core.errors import BouquetError

__all__ = ["Cluster", "ClusterError"]

#: The first port tried; the next free one is taken when it is in use.
FIRST_PORT = 54_310
PORTS_TRIED = 200

_BINARIES = Path("/usr/lib/postgresql")


class ClusterError(BouquetError):
    """
    The private database cluster cannot be started.
    """

    code = "cluster"


def binaries() -> Path:
    """
    The folder of the newest PostgreSQL server on this machine.

    Raises ClusterError when there is none.
    """
    found = sorted(_BINARIES.glob("*/bin/initdb"), key=lambda p: float(p.parts[-3]))
    if found:
        return found[-1].parent
    on_path = shutil.which("initdb")
    if on_path is None:
        msg = "No PostgreSQL server is installed here. On Debian: apt-get install postgresql"
        raise ClusterError(msg)
    return Path(on_path).resolve().parent


def port_is_free(port: int) -> bool:
    """
    Whether nothing listens on a port of the loopback address.
    """
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
        return True


#: How a private cluster is set, written at each start, also where an earlier version made it. Several processes
#: that serve, each with connections of its own, had used up a hundred.
SETTINGS = {
    "shared_buffers": "256MB",
    "max_wal_size": "2GB",
    "max_connections": "300",
    "timezone": "UTC",
    "log_timezone": "UTC",
    "work_mem": "32MB",
    "random_page_cost": "1.1",
}

#: The file that holds them, in the folder of the data.
OWN = "bouquet.conf"

#: Locks by which this process says that it uses a cluster, by the cluster's home.
_IN_USE: dict[Path, int] = {}


@dataclass
class Cluster:
    """
    The cluster of one folder. As root its data lie elsewhere, in a place named after the folder.
    """

    folder: Path

    def __post_init__(self) -> None:
        self.folder = self.folder.resolve()
        self.root = os.geteuid() == 0
        mark = hashlib.sha256(str(self.folder).encode()).hexdigest()[:12]
        self.home = Path("/var/lib/bouquet") / mark if self.root else self.folder
        self.data = self.home / "data"

    @property
    def user(self) -> str:
        """
        The unprivileged user that runs the server when we are root.
        """
        names = {entry.pw_name for entry in pwd.getpwall()}
        return "postgres" if "postgres" in names else "nobody"

    @property
    def password(self) -> str:
        """
        The superuser's password, made once and readable by its owner only. It lies beside the data, so that a checkout
        that is removed and made again in its place finds its cluster.
        """
        path = self.home / "superuser-password"
        if not path.exists():
            self.home.mkdir(parents=True, exist_ok=True)
            path.touch(mode=0o600)
            path.write_text(secrets.token_urlsafe(24))
        return path.read_text()

    def url(self, database: str = "postgres", role: str = "postgres", password: str | None = None) -> str:
        """
        libpq URL of a database of the running cluster.
        """
        return f"postgresql://{role}:{password or self.password}@127.0.0.1:{self.port()}/{database}"

    def port(self) -> int:
        """
        The port it listens on, or will at its next start.
        """
        options = self.data / "postmaster.pid"
        lines = options.read_text().splitlines() if options.exists() else []
        if len(lines) > 3 and lines[3].isdecimal():
            return int(lines[3])
        msg = "The database cluster is not running."
        raise ClusterError(msg)

    def running(self) -> bool:
        """
        Whether our server runs.
        """
        return self.data.exists() and self._run("pg_ctl", "status", "-D", str(self.data)).returncode == 0

    def start(self) -> None:
        """
        Start the cluster, making it first where there is none yet. Does nothing when it runs.

        Raises ClusterError when it cannot be made or started.
        """
        self._use()
        with self._starting():
            if self.running():
                return
            if not (self.data / "PG_VERSION").exists():
                self._create()
            self._configure()
            log = self.home / "server.log"
            for port in self._free_ports():
                started = self._start_at(port, log)
                if started.returncode == 0:
                    (self.home / "port").write_text(str(port))
                    return
                tail = "\n".join(log.read_text(errors="replace").splitlines()[-5:]) if log.exists() else ""
                if "in use" not in tail:  # else another program took the port after we looked
                    msg = f"The database cluster did not start.\n{tail or started.stderr}"
                    raise ClusterError(msg)
            msg = f"No port between {FIRST_PORT} and {FIRST_PORT + PORTS_TRIED} is free."
            raise ClusterError(msg)

    def _free_ports(self) -> Iterator[int]:
        """
        The port of last time first: whoever knows the address finds the cluster again after a restart.
        """
        kept = self.home / "port"
        last = [int(kept.read_text())] if kept.exists() else []
        return (p for p in (*last, *range(FIRST_PORT, FIRST_PORT + PORTS_TRIED)) if port_is_free(p))

    def _start_at(self, port: int, log: Path) -> subprocess.CompletedProcess[str]:
        options = f"-p {port} -c listen_addresses={self._listens()} -c unix_socket_directories="
        return self._run("pg_ctl", "start", "-w", "-t", "60", "-D", str(self.data), "-l", str(log), "-o", options)

    def _listens(self) -> str:
        """
        The address that it listens on.
        """
        return "127.0.0.1"

    @contextmanager
    def _starting(self) -> Iterator[None]:
        """
        One process at a time makes and starts the cluster; the next one finds it running.
        """
        self.home.mkdir(parents=True, exist_ok=True)
        with (self.home / "start.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            yield

    def stop(self, *, mode: str = "fast", always: bool = False) -> bool:
        """
        Stop the cluster if it runs and nobody else uses it, or `always`. Returns whether it is stopped.
        """
        if not self._sole_user() and not always:
            return False
        if self.running():
            self._run("pg_ctl", "stop", "-w", "-m", mode, "-D", str(self.data))
        return True

    def _use(self) -> None:
        """
        Say that this process uses the cluster, until it stops it or ends.
        """
        if self.home not in _IN_USE:
            _IN_USE[self.home] = self._opened_lock()
        fcntl.flock(_IN_USE[self.home], fcntl.LOCK_SH)

    def _opened_lock(self) -> int:
        self.home.mkdir(parents=True, exist_ok=True)
        return os.open(self.home / "in-use.lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)

    def _sole_user(self) -> bool:
        lock = _IN_USE.pop(self.home, None)
        lock = self._opened_lock() if lock is None else lock
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return False
        finally:
            os.close(lock)
        return True

    def destroy(self) -> None:
        """
        Stop the cluster and remove its data.
        """
        self.stop(mode="immediate", always=True)
        shutil.rmtree(self.data, ignore_errors=True)
        if self.root:
            shutil.rmtree(self.home, ignore_errors=True)

    def ensure_role(self, name: str, password: str) -> None:
        """
        A role that can sign in, with this password.
        """
        with psycopg.connect(self.url(), autocommit=True) as connection:
            known = connection.execute("SELECT 1 FROM pg_roles WHERE rolname = %s", [name]).fetchone()
            verb = "ALTER" if known else "CREATE"
            command = psycopg.sql.SQL("{} ROLE {} LOGIN PASSWORD {}").format(
                psycopg.sql.SQL(verb), psycopg.sql.Identifier(name), psycopg.sql.Literal(password)
            )
            connection.execute(command)

    def ensure_database(self, name: str, owner: str) -> bool:
        """
        A database with this owner. Returns whether it was made just now.
        """
        with psycopg.connect(self.url(), autocommit=True) as connection:
            if connection.execute("SELECT 1 FROM pg_database WHERE datname = %s", [name]).fetchone():
                return False
            made = psycopg.sql.SQL("CREATE DATABASE {} OWNER {}")
            connection.execute(made.format(psycopg.sql.Identifier(name), psycopg.sql.Identifier(owner)))
            return True

    def drop_database(self, name: str) -> None:
        """
        Remove a database, if it is there.
        """
        with psycopg.connect(self.url(), autocommit=True) as connection:
            dropped = psycopg.sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)")
            connection.execute(dropped.format(psycopg.sql.Identifier(name)))

    def _create(self) -> None:
        self.home.mkdir(parents=True, exist_ok=True)
        password_file = self.home / "initial-password"
        password_file.write_text(self.password)
        password_file.chmod(0o600)
        if self.root:
            for path in (self.home, password_file):
                shutil.chown(path, self.user)
        try:
            made = self._run(
                "initdb", "-D", str(self.data), "-U", "postgres", "--auth=scram-sha-256", "--encoding=UTF8",
                "--locale=C.UTF-8", f"--pwfile={password_file}", "--no-instructions",
            )  # fmt: skip
        finally:
            password_file.unlink(missing_ok=True)
        if made.returncode:
            msg = f"The database cluster could not be made.\n{made.stderr}"
            raise ClusterError(msg)

    def _configure(self) -> None:
        """
        Write `SETTINGS` beside the server's own file, which a copy of the cluster takes along.
        """
        own, path = self.data / OWN, self.data / "postgresql.conf"
        own.write_text("".join(f"{name} = '{value}'\n" for name, value in SETTINGS.items()))
        if self.root:
            # Whatever our own mask is, the server reads it.
            shutil.chown(own, self.user)
        known, line = path.read_text(), f"include '{OWN}'\n"
        if line not in known:
            path.write_text(f"{known}\n{line}")

    def _command(self, program: str, *arguments: str) -> list[str]:
        """
        How a program of PostgreSQL is started, by the user that runs it.
        """
        command = [str(binaries() / program), *arguments]
        return ["runuser", "-u", self.user, "--", *command] if self.root else command

    def _run(self, program: str, *arguments: str) -> subprocess.CompletedProcess[str]:
        # The server must not keep our pipes open, and its user may not be able to enter our folder.
        environment = {k: v for k, v in os.environ.items() if not re.match(r"PG[A-Z]", k)}
        detached = program == "pg_ctl" and arguments[0] == "start"
        output = subprocess.DEVNULL if detached else subprocess.PIPE
        return subprocess.run(
            self._command(program, *arguments),
            cwd="/",
            env=environment,
            stdout=output,
            stderr=output,
            text=True,
            check=False,
            start_new_session=detached,
        )
