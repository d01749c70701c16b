"""
The kinds of windows, what each is put together from, and those offered by one press. What a window comes to is computed
by `bouquet.core.windows`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, TypeAlias

from bouquet.core.language import spoken
from bouquet.core.vocabulary.names import OneOf, by_name

__all__ = ["OFFERED", "WINDOWS", "Step", "Unit", "WindowKind", "WindowShape"]

#: Steps of time that groups are cut by.
Step: TypeAlias = Literal["minute", "hour", "day", "week", "month", "quarter", "year"]

#: What the length of a window is counted in.
Unit: TypeAlias = Step | Literal["financial_year"]

_DAYS: tuple[Unit, ...] = ("day", "week", "month", "quarter", "year")
_PERIODS: tuple[Unit, ...] = (*_DAYS, "financial_year")
_TIMES: tuple[Unit, ...] = ("minute", "hour", *_DAYS)


@spoken("words", "after")
@dataclass(frozen=True)
class WindowShape:
    """
    One kind of window.

    Args:
        name: Its `type` in documents.
        words: What a person chooses it by; a number and a unit follow, then `after`.
        units: The units it knows; none where it has no unit.
        counted: Whether it has a number.
        offered: Whether it is offered; what is not still works where documents have it.
    """

    name: str
    words: str
    units: tuple[Unit, ...] = ()
    counted: bool = False
    after: str = ""
    offered: bool = True


#: Every kind of window by its name, in the order in which they are offered.
WINDOWS: dict[str, WindowShape] = by_name(
    (
        WindowShape("last", "the last", _TIMES, counted=True),
        WindowShape("this", "this", _PERIODS),
        WindowShape("previous", "the one before", _PERIODS),
        WindowShape("next", "the next", _PERIODS),
        WindowShape("to_date", "so far in this", _PERIODS[1:]),
        WindowShape("before_ago", "more than", _TIMES, counted=True, after="ago"),
        WindowShape("after_ago", "at most", _TIMES, counted=True, after="ago, and later"),
        WindowShape("between", "between two dates"),
        WindowShape("since_last_run", "since the last delivered run"),
        WindowShape("all_time", "all time"),
        WindowShape("before_days_ago", "more than", ("day",), counted=True, after="ago", offered=False),
        WindowShape("after_days_ago", "the last", ("day",), counted=True, after="and later", offered=False),
    )
)

#: Windows offered by one press: (type, number, unit).
OFFERED: tuple[tuple[str, int, Unit], ...] = (
    ("last", 30, "day"),
    ("this", 1, "day"),
    ("previous", 1, "day"),
    ("this", 1, "week"),
    ("previous", 1, "week"),
    ("to_date", 1, "month"),
    ("previous", 1, "month"),
    ("previous", 1, "quarter"),
    ("to_date", 1, "year"),
    ("previous", 1, "year"),
    ("previous", 1, "financial_year"),
    ("since_last_run", 1, "day"),
    ("all_time", 1, "day"),
)

#: The kind of a window, as documents give it.
WindowKind: TypeAlias = Annotated[str, OneOf(WINDOWS)]
