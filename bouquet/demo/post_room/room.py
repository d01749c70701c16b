"""
The post room: everything that arrives at the stand-ins, and how they are told to misbehave.
"""

from __future__ import annotations

import hashlib
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Literal, TypeAlias

__all__ = ["Arrival", "Misdeed", "Room", "StandIn"]

#: How a stand-in can be told to behave: refuse everything, answer nothing, break off in the middle, have no room left,
#: or say that it is busy.
Misdeed: TypeAlias = Literal["refuse", "hang", "cut", "full", "busy", "mute"]

#: Bytes of a thing's beginning that are shown.
SHOWN = 4_000

#: Seconds that a stand-in hangs at most; it lets go when it is told to behave.
LONGEST_HANG = 120.0

MOST_KEPT = 2_000


@dataclass(frozen=True)
class Arrival:
    """
    A thing that arrived: by which way, when, what it is called, and what came with it.
    """

    number: int
    way: str
    at: datetime
    name: str
    size: int
    sha256: str
    beginning: str
    facts: dict[str, str] = field(default_factory=dict)


class Room:
    """
    What arrived, the newest last; safe to be used by several threads.

    Args:
        folder: Where stand-ins keep files.
        hang: Seconds that a stand-in hangs at most.
    """

    def __init__(self, folder: Path, hang: float = LONGEST_HANG) -> None:
        self.folder, self.hang = folder, hang
        self.folder.mkdir(parents=True, exist_ok=True)
        self.arrivals: list[Arrival] = []
        self._misdeeds: dict[str, tuple[Misdeed, int]] = {}
        self._lock = threading.Lock()

    def arrived(self, way: str, name: str, body: bytes, facts: dict[str, str], *, shown: str | None = None) -> None:
        """
        Enter a thing that came whole.
        """
        with self._lock:
            number = self.arrivals[-1].number + 1 if self.arrivals else 1
            beginning = body[:SHOWN].decode(errors="replace") if shown is None else shown[:SHOWN]
            digest = hashlib.sha256(body).hexdigest()
            self.arrivals.append(Arrival(number, way, datetime.now(UTC), name, len(body), digest, beginning, facts))
            del self.arrivals[:-MOST_KEPT]

    def tell(self, way: str, misdeed: Misdeed | None, times: int = 1_000_000) -> None:
        """
        Have a stand-in misbehave so many times, or behave.
        """
        with self._lock:
            if misdeed is None:
                self._misdeeds.pop(way, None)
            else:
                self._misdeeds[way] = (misdeed, times)

    def told(self) -> dict[str, str]:
        """
        Which stand-ins misbehave, and how.
        """
        with self._lock:
            return {way: misdeed for way, (misdeed, _) in self._misdeeds.items()}

    def misdeed(self, way: str) -> Misdeed | None:
        """
        What a stand-in is to do now; it counts as done once.
        """
        with self._lock:
            known = self._misdeeds.get(way)
            if known is None:
                return None
            misdeed, left = known
            if left <= 1:
                del self._misdeeds[way]
            else:
                self._misdeeds[way] = (misdeed, left - 1)
            return misdeed

    def wait(self, way: str) -> None:
        """
        Hang, until the stand-in is told to behave.
        """
        until = time.monotonic() + self.hang
        while time.monotonic() < until and (self.told().get(way) == "hang"):
            time.sleep(0.05)


@dataclass
class StandIn:
    """
    A stand-in that runs: its way, the settings and the secret of means that lead to it, and how it is stopped.
    """

    way: str
    settings: dict[str, Any]
    secret: str
    stop: Callable[[], None]
