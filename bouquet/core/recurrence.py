"""
Rhythms: when a round is planned, on the wall clock of its zone (recurrences of RFC 5545).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, time
from itertools import islice
from typing import Literal, TypeAlias
from zoneinfo import ZoneInfo

from dateutil.rrule import DAILY, FR, MO, TH, TU, WE, WEEKLY, rrule, weekday

__all__ = ["WEEKDAYS", "Beat", "Rhythm"]

Beat: TypeAlias = Literal["daily", "weekdays", "weekly"]

WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


@dataclass(frozen=True, kw_only=True)
class Rhythm:
    """
    Every day, every weekday, or every week, at a local time.

    `day` is the day of a weekly rhythm, 0 for Monday.
    A local time that the clocks skip is taken an hour later; one that comes twice is taken the first time.
    """

    beat: Beat
    at: time
    zone: ZoneInfo
    day: int = 0

    def after(self, moment: datetime) -> Iterator[datetime]:
        """
        The planned moments after `moment`, in UTC, without end.
        """
        local = moment.astimezone(self.zone).replace(tzinfo=None)
        begin = datetime.combine(local.date(), self.at)
        for planned in self._rule(begin):
            found = planned.replace(tzinfo=self.zone, fold=0).astimezone(UTC)
            if found > moment:
                yield found

    def next(self, moment: datetime, count: int) -> list[datetime]:
        """
        The next `count` planned moments after `moment`, in UTC.
        """
        return list(islice(self.after(moment), count))

    def words(self) -> str:
        """
        The rhythm as people say it: `weekdays at 06:00`.
        """
        days = {"daily": "every day", "weekdays": "weekdays", "weekly": f"{WEEKDAYS[self.day]}s"}
        return f"{days[self.beat]} at {self.at:%H:%M}"

    def _rule(self, begin: datetime) -> rrule:
        if self.beat == "daily":
            return rrule(DAILY, dtstart=begin)
        if self.beat == "weekdays":
            return rrule(WEEKLY, dtstart=begin, byweekday=(MO, TU, WE, TH, FR))
        return rrule(WEEKLY, dtstart=begin, byweekday=weekday(self.day))
