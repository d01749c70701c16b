"""
How much of the source one person's interactive questions may take at once, so that nobody's heavy ones starve others.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr

__all__ = ["Budget", "TooMuchAtOnce"]

#: Questions of one person that are answered at once, in each process of the server; a bench asks three.
AT_ONCE = 6

#: Questions of one person that may wait, and seconds for which each does.
WAITING, PATIENCE = 12, 10.0


class TooMuchAtOnce(BouquetError):
    """
    One person asks more at once than is answered.
    """

    code = "too_much_at_once"

    def __init__(self) -> None:
        super().__init__(tr("You ask more at once than can be answered. Wait for the first answers, then go on."))


class Budget:
    """
    The questions under way, by person.
    """

    def __init__(self, at_once: int = AT_ONCE, waiting: int = WAITING, patience: float = PATIENCE) -> None:
        self.at_once, self.waiting, self.patience = at_once, waiting, patience
        self._changed = threading.Condition()
        self._running: dict[int, int] = {}
        self._queued: dict[int, int] = {}

    @contextmanager
    def taken(self, person: int) -> Iterator[None]:
        """
        One question of a person is under way. Raises TooMuchAtOnce where it would have to wait too long.
        """
        self._enter(person)
        try:
            yield
        finally:
            with self._changed:
                _less(self._running, person)
                self._changed.notify_all()

    def _enter(self, person: int) -> None:
        until = time.monotonic() + self.patience
        with self._changed:
            if self._running.get(person, 0) >= self.at_once:
                if self._queued.get(person, 0) >= self.waiting:
                    raise TooMuchAtOnce
                self._queued[person] = self._queued.get(person, 0) + 1
                try:
                    while self._running.get(person, 0) >= self.at_once:
                        if not self._changed.wait(until - time.monotonic()) and time.monotonic() >= until:
                            raise TooMuchAtOnce
                finally:
                    _less(self._queued, person)
            self._running[person] = self._running.get(person, 0) + 1


def _less(counts: dict[int, int], person: int) -> None:
    counts[person] -= 1
    if not counts[person]:
        del counts[person]
