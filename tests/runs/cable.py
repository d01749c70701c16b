"""
A cable to a server of a test's, which can be pulled out and put back.
"""

from __future__ import annotations

import contextlib
import socket
import threading
from types import TracebackType

__all__ = ["Cable"]


class Cable:
    """A port of this machine behind which a server is, as long as the cable is in."""

    def __init__(self, server: int) -> None:
        self._server, self._ends, self._lock = server, set[socket.socket](), threading.Lock()
        self._door = socket.create_server(("127.0.0.1", 0))
        self.port = int(self._door.getsockname()[1])
        self._out = False
        threading.Thread(target=self._open, daemon=True).start()

    def pull(self) -> None:
        """From now on connections end, those there are and those that are made."""
        with self._lock:
            self._out = True
            ends, self._ends = self._ends, set()
        for end in ends:
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)

    def plug(self) -> None:
        with self._lock:
            self._out = False

    def __enter__(self) -> Cable:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.pull()
        self._door.close()

    def _open(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                here, _ = self._door.accept()
                if self._out:
                    here.close()
                    continue
                there = socket.create_connection(("127.0.0.1", self._server))
                with self._lock:
                    self._ends |= {here, there}
                for pair in ((here, there), (there, here)):
                    threading.Thread(target=self._carry, args=pair, daemon=True).start()

    @staticmethod
    def _carry(one: socket.socket, other: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while piece := one.recv(65_536):
                other.sendall(piece)
        for end in (one, other):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
