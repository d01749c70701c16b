"""
Several machines in one: network namespaces on a bridge, each with an address of its own, and cables that can be pulled.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from bouquet.demo.cluster import Cluster

__all__ = ["DatabaseHost", "Machines", "possible"]

NETWORK, BRIDGE = "10.213.7", "bouquet-net"


def possible() -> bool:
    """Whether this machine lets us make others."""
    if os.geteuid() != 0 or not shutil.which("ip"):
        return False
    made = subprocess.run(["ip", "netns", "add", "bouquet-try"], capture_output=True, check=False)
    subprocess.run(["ip", "netns", "del", "bouquet-try"], capture_output=True, check=False)
    return made.returncode == 0


def _ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)


class Machines:
    """The hosts that a test made, by name."""

    def __init__(self) -> None:
        self.addresses: dict[str, str] = {}
        _ip("link", "add", BRIDGE, "type", "bridge")
        _ip("addr", "add", f"{NETWORK}.254/24", "dev", BRIDGE)
        _ip("link", "set", BRIDGE, "up")

    def add(self, name: str) -> str:
        """A host; returns its address."""
        self.addresses[name] = address = f"{NETWORK}.{len(self.addresses) + 1}"
        space, cable = f"bouquet-{name}", f"bq-{name}"
        _ip("netns", "add", space)
        _ip("link", "add", cable, "type", "veth", "peer", "name", "wire", "netns", space)
        _ip("link", "set", cable, "master", BRIDGE, "up")
        for words in (
            ("link", "set", "lo", "up"),
            ("addr", "add", f"{address}/24", "dev", "wire"),
            ("link", "set", "wire", "up"),
        ):
            _ip("-n", space, *words)
        return address

    def pull(self, name: str) -> None:
        """Pull a host's cable out of the switch: whatever it sends is lost, and nobody tells it."""
        _ip("link", "set", f"bq-{name}", "nomaster")

    def plug(self, name: str) -> None:
        """Put the cable back."""
        _ip("link", "set", f"bq-{name}", "master", BRIDGE)

    def command(self, name: str, *words: str) -> list[str]:
        """A command as it runs on a host."""
        return ["ip", "netns", "exec", f"bouquet-{name}", *words]

    @contextmanager
    def running(self, name: str, *words: str, env: Mapping[str, str], log: Path) -> Iterator[subprocess.Popen[bytes]]:
        """A Python module that runs on a host."""
        with log.open("ab") as file:
            command = self.command(name, sys.executable, "-m", *words)
            process = subprocess.Popen(command, env={**os.environ, **env}, stdout=file, stderr=file)
            try:
                yield process
            finally:
                process.kill()
                process.wait(20)

    def remove(self) -> None:
        for name in self.addresses:
            # A host that goes takes its end of the cable along, but only some time later.
            for words in (("link", "del", f"bq-{name}"), ("netns", "del", f"bouquet-{name}")):
                subprocess.run(["ip", *words], check=False, capture_output=True)
        subprocess.run(["ip", "link", "del", BRIDGE], check=False, capture_output=True)


class DatabaseHost(Cluster):
    """A database server on a host of its own."""

    def __init__(self, folder: Path, machines: Machines, name: str) -> None:
        super().__init__(folder)
        self.machines, self.name = machines, name

    def url(self, database: str = "postgres", role: str = "postgres", password: str | None = None) -> str:
        return super().url(database, role, password).replace("127.0.0.1", self.machines.addresses[self.name])

    def _configure(self) -> None:
        super()._configure()
        path = self.data / "pg_hba.conf"
        line = f"host all all {NETWORK}.0/24 scram-sha-256\n"
        if line not in (known := path.read_text()):
            path.write_text(known + line)

    def _listens(self) -> str:
        return self.machines.addresses[self.name]

    def _command(self, program: str, *arguments: str) -> list[str]:
        return self.machines.command(self.name, *super()._command(program, *arguments))
