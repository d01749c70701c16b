"""
Connections that nobody is waited for on without end.

A server that waits is held up by whoever begins requests and does not end them: each takes one of the files that a
process may have open, until nobody else is let in. So the head of a request has its time, a body must go on coming, an
answer must be read on, and where connections become too many, the oldest without a whole request makes room.
"""

from __future__ import annotations

import asyncio
import resource
from typing import ClassVar

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

__all__ = ["Connection", "open_many_files"]

#: Seconds that the head of a request may take, that a body may be silent, and that it may take in all; and seconds that
#: an answer may wait for whoever asked to read on.
HEAD, SILENCE, BODY, UNREAD = 15.0, 20.0, 900.0, 120.0

#: Seconds between two looks at what a connection waits for.
LOOK = 5.0

#: Connections of a process at most, and files that it keeps for all else: databases, files that are sent, its own.
MOST, OTHERS = 10_000, 300


def open_many_files() -> None:
    """
    Let this process open as many files as the machine lets it, and take as many connections as leaves room for others.
    """
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = MOST + OTHERS if hard == resource.RLIM_INFINITY else min(hard, MOST + OTHERS)
    if soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
    Connection.most = max(50, min(MOST, max(soft, wanted) - OTHERS))


class Connection(H11Protocol):
    """
    One connection of a browser, a program, or whoever it is.
    """

    #: Connections of this process at most.
    most: ClassVar[int] = MOST
    #: Those that there are, the oldest first.
    _there: ClassVar[dict[Connection, None]] = {}

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._waits_for: tuple[object, object] = (None, None)
        self._since = self._heard = self._read = self.loop.time()
        self._there[self] = None
        self._look_later()
        if len(self._there) > self.most:
            self._make_room()

    def data_received(self, data: bytes) -> None:
        self._heard = self.loop.time()
        super().data_received(data)

    def resume_writing(self) -> None:
        self._read = self.loop.time()
        super().resume_writing()

    def connection_lost(self, exc: Exception | None) -> None:
        self._there.pop(self, None)
        self._looking.cancel()
        super().connection_lost(exc)

    def _make_room(self) -> None:
        oldest = next((c for c in self._there if c is not self and c._is_owed()), self)
        self._there.pop(oldest, None)
        oldest.transport.abort()

    def _is_owed(self) -> bool:
        """
        Whether it is not we who are waited for: there is no request yet, or not all of one.
        """
        return self._is_idle() or self.conn.their_state is h11.SEND_BODY

    def _is_idle(self) -> bool:
        """
        Whether no request is under way.
        """
        return self.conn.their_state is h11.IDLE and (self.cycle is None or self.cycle.response_complete)

    def _look_later(self) -> None:
        self._looking = self.loop.call_later(LOOK, self._look)

    def _look(self) -> None:
        now = self.loop.time()
        waits_for = (self.conn.their_state, self.cycle)
        if waits_for != self._waits_for:
            self._waits_for, self._since = waits_for, max(self._since, now - LOOK)
        if self._is_too_slow(now):
            self.transport.abort()
        else:
            self._look_later()

    def _is_too_slow(self, now: float) -> bool:
        if self.conn.their_state is h11.SEND_BODY:
            # While we do not read, nothing can be heard.
            if self.flow.read_paused:
                self._heard = now
            return now - self._heard > SILENCE or now - self._since > BODY
        if not self.flow.write_paused:
            self._read = now
        return now - self._read > UNREAD or (self._is_idle() and now - self._since > HEAD)
