"""
How long one may talk to us: a server that answers a byte now and then passes every limit on a single wait, and would
keep a worker for days.
"""

from __future__ import annotations

import contextlib
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr

__all__ = ["Patience", "TookTooLong", "hold", "patience_for"]

_T = TypeVar("_T")

#: How many of the longest waits a conversation may last, besides what its bytes need at the slowest that is borne, in
#: bytes a second.
WAITS, SLOWEST = 10, 20_000


class TookTooLong(BouquetError):
    """
    A conversation was broken off, as it did not come to an end.
    """

    code = "took_too_long"


_CURRENT: ContextVar[Patience | None] = ContextVar("patience", default=None)


def patience_for(wait: float, size: int = 0) -> Patience:
    """
    Patience for a conversation in which so many bytes are sent, and one step of which may take `wait` seconds.
    """
    return Patience(WAITS * wait + size / SLOWEST)


class Patience:
    """
    Ends the connections that are made within it after so many seconds, wherever they stand then. To be closed.
    """

    def __init__(self, seconds: float) -> None:
        self.seconds, self.over = seconds, False
        self._held: list[socket.socket] = []
        self._lock = threading.Lock()
        self._timer = threading.Timer(seconds, self._end)
        self._timer.daemon = True
        self._timer.start()

    @contextmanager
    def within(self) -> Iterator[None]:
        """
        Connections of this thread belong to it meanwhile. Raises TookTooLong, from what followed from its end, instead
        of that.
        """
        token = _CURRENT.set(self)
        try:
            yield
        except Exception as error:
            if not self.over:
                raise
            raise TookTooLong(
                tr(
                    "it was broken off, as it was not done after {seconds} seconds",
                    seconds=f"{self.seconds:,.0f}",
                )
            ) from error
        finally:
            _CURRENT.reset(token)

    def each(self, steps: Iterator[_T]) -> Iterator[_T]:
        """
        The same steps, each within it, in whatever thread it is asked for; then it is closed.
        """
        try:
            while True:
                with self.within():
                    try:
                        step = next(steps)
                    except StopIteration:
                        return
                yield step
        finally:
            self.close()

    def hold(self, connection: socket.socket) -> None:
        """
        End this connection, too.
        """
        with self._lock:
            # Encrypting a socket takes it apart; a second one for the same connection stays whole.
            self._held.append(connection.dup())
        if self.over:
            self._end()

    def close(self) -> None:
        """
        Nothing is ended any more.
        """
        self._timer.cancel()
        with self._lock:
            for one in self._held:
                one.close()
            self._held.clear()

    def __enter__(self) -> Patience:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def _end(self) -> None:
        self.over = True
        with self._lock:
            for one in self._held:
                with contextlib.suppress(OSError):
                    one.shutdown(socket.SHUT_RDWR)


def hold(connection: socket.socket) -> None:
    """
    Have a connection end with the patience within which it was made; without any it lasts as long as it likes.
    """
    current = _CURRENT.get()
    if current is not None:
        current.hold(connection)
