"""
The names of time zones.
"""

from __future__ import annotations

from functools import cache
from zoneinfo import available_timezones

__all__ = ["known_zones"]

#: Names that machines have for settings of their own, and no other reader of the database knows.
_OF_A_MACHINE = {"Factory", "localtime"}


@cache
def known_zones() -> frozenset[str]:
    """
    The zones of the IANA database that this machine has. Looking for them reads some six hundred files, which takes
    ten milliseconds, so it is done once.
    """
    return frozenset(available_timezones() - _OF_A_MACHINE)
