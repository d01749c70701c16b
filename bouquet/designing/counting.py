"""
Counts under way, by the bench that asked: a newer one stops an older one's query.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from bouquet.sources import Snapshot

__all__ = ["Counting"]


class Counting:
    """
    The counts under way in this process, by bench, so that a newer one can stop an older one's query.

    Args:
        announce: Says to other processes that a bench counts anew; nothing where there are none.
    """

    def __init__(self, announce: Callable[[str], None] | None = None) -> None:
        self.announce = announce
        self._running: dict[str, Snapshot] = {}
        self._lock = threading.Lock()

    @contextmanager
    def only(self, bench: str, snapshot: Snapshot) -> Iterator[None]:
        if not bench:
            yield
            return
        with self._lock:
            older = self._running.get(bench)
            self._running[bench] = snapshot
        if older is not None:
            older.cancel()
        elif self.announce is not None:
            self.announce(bench)
        try:
            yield
        finally:
            with self._lock:
                if self._running.get(bench) is snapshot:
                    del self._running[bench]

    def stop(self, bench: str) -> None:
        """
        Stop the count of a bench, which counts anew elsewhere.
        """
        with self._lock:
            older = self._running.get(bench)
        if older is not None:
            older.cancel()
