"""
Counts under way, by the bench that asked: a newer one stops an older one's query.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from bouquet.sources import Snapshot

__all__ = ["Counting"]


class Counting:
    """
    The counts under way, by bench, so that a newer one can stop an older one's query.
    """

    def __init__(self) -> None:
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
        try:
            yield
        finally:
            with self._lock:
                if self._running.get(bench) is snapshot:
                    del self._running[bench]
