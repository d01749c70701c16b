"""
Counts under way, by the bench that asked: a newer one stops an older one's query.

Requests need not arrive in the order in which they were sent, so each says its turn.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from bouquet.core.language import tr
from bouquet.sources import Snapshot, SourceCancelled

__all__ = ["Counting"]


class Counting:
    """
    The counts under way in this process, by bench, so that a newer one can stop an older one's query.

    Args:
        announce: Says to other processes that a bench counts anew, and in which turn; nothing where there are none.
    """

    def __init__(self, announce: Callable[[str, int], None] | None = None) -> None:
        self.announce = announce
        self._running: dict[str, tuple[int, Snapshot]] = {}
        self._lock = threading.Lock()

    @contextmanager
    def only(self, bench: str, snapshot: Snapshot, turn: int = 0) -> Iterator[None]:
        """
        Count for a bench meanwhile; without a turn, it is the newest. Raises SourceCancelled where a newer count is
        under way already.
        """
        if not bench:
            yield
            return
        own = (turn, snapshot)
        with self._lock:
            older = self._running.get(bench)
            if older is not None and older[0] > turn > 0:
                raise SourceCancelled(tr(SourceCancelled.said))
            self._running[bench] = own
        if older is not None:
            older[1].cancel()
        elif self.announce is not None:
            self.announce(bench, turn)
        try:
            yield
        finally:
            with self._lock:
                if self._running.get(bench) is own:
                    del self._running[bench]

    def stop(self, bench: str, turn: int = 0) -> None:
        """
        Stop the count of a bench, which counts anew elsewhere; not where its own turn is the newer one.
        """
        with self._lock:
            here = self._running.get(bench)
        if here is not None and not here[0] > turn > 0:
            here[1].cancel()
