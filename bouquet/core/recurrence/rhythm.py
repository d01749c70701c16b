"""
The moments a rhythm comes to (recurrences of RFC 5545 by dateutil, zones by the system's database).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from itertools import islice
from zoneinfo import ZoneInfo

from dateutil.rrule import DAILY, MONTHLY, WEEKLY, rrule, weekday

from bouquet.core.recurrence.days_off import NO_DAYS_OFF, DaysOff
from bouquet.core.recurrence.document import YEARS, RhythmDocument
from bouquet.core.recurrence.rules import midnight, rule_days
from bouquet.core.recurrence.words import rhythm_words

__all__ = ["Rhythm"]

#: Days that a day off can be moved by: no house is closed for longer.
FARTHEST = 31


@dataclass(frozen=True)
class Rhythm:
    """
    A rhythm on the clock of a zone, with the house's days off.

    A local time that the clocks skip is taken at the first moment after; one that comes twice is taken the first time.
    """

    document: RhythmDocument
    zone: ZoneInfo
    off: DaysOff = field(default=NO_DAYS_OFF)

    def after(self, moment: datetime) -> Iterator[datetime]:
        """
        The planned moments after `moment`, in UTC, in order, each once. Ends where the rhythm does, and after
        `YEARS` without one.
        """
        local = moment.astimezone(self.zone).date()
        times, last = self.document.clock_times(), moment
        for day in self._days(local - timedelta(days=1)):
            for at in times:
                found = _moment(datetime.combine(day, at), self.zone)
                if found > last:
                    last = found
                    yield found

    def next(self, moment: datetime, count: int) -> list[datetime]:
        """
        The next `count` planned moments after `moment`, in UTC; fewer where the rhythm ends.
        """
        return list(islice(self.after(moment), count))

    def words(self) -> str:
        """
        The rhythm as people say it.
        """
        return rhythm_words(self.document)

    def _days(self, first: date) -> Iterator[date]:
        """
        The days from `first` on, in order, each once, with days off as the rhythm wants them.
        """
        seen: list[date] = []
        moved = self.document.day_off
        # A day that moves may come from before, or go before one that does not.
        slack = FARTHEST if moved in ("next", "previous") else 0
        waiting: list[date] = []
        for planned in self._planned(first - timedelta(days=slack)):
            day = self._worked(planned)
            if day is not None:
                waiting.append(day)
            waiting.sort()
            while waiting and waiting[0] <= planned - timedelta(days=slack):
                yield from _fresh(waiting.pop(0), first, seen)
        for day in waiting:
            yield from _fresh(day, first, seen)

    def _worked(self, day: date) -> date | None:
        """
        The day on which what is planned for `day` happens.
        """
        rule = self.document.day_off
        if rule == "run" or not self.off.is_off(day):
            return day
        if rule == "leave_out":
            return None
        step = timedelta(days=1 if rule == "next" else -1)
        for n in range(1, FARTHEST + 1):
            if not self.off.is_off(day + n * step):
                return day + n * step
        return None

    def _planned(self, first: date) -> Iterator[date]:
        made = self.document
        if made.every == "working_day":
            yield from (d for d in _rule_days(rrule(DAILY, dtstart=midnight(first)), first) if not self.off.is_off(d))
        elif made.every == "dates":
            yield from sorted({d for d in made.dates if d >= first})
        elif made.every in ("month", "year"):
            yield from self._in_months(first)
        elif made.every == "rule":
            yield from rule_days(made.rule, made.start, first, first + timedelta(days=366 * YEARS))
        else:
            yield from _rule_days(self._rule(first), first)

    def _rule(self, first: date) -> rrule:
        made, start = self.document, midnight(self.document.start)
        if made.every == "week":
            return rrule(WEEKLY, interval=made.interval, dtstart=start, byweekday=[weekday(d) for d in made.weekdays])
        return rrule(DAILY, dtstart=max(start, midnight(first)))

    def _in_months(self, first: date) -> Iterator[date]:
        """
        The days of the months that count, a month at a time.
        """
        made = self.document
        interval = made.interval if made.every == "month" else 1
        months = made.months or tuple(range(1, 13))
        start = made.start.replace(day=1)
        until = first.year + YEARS
        for begun in rrule(MONTHLY, interval=interval, dtstart=midnight(start), until=datetime(until, 12, 31)):
            month = begun.date()
            if month.month in months and _last_of(month) >= first:
                yield from (d for d in self._in_month(month) if d >= max(first, made.start))

    def _in_month(self, month: date) -> list[date]:
        made, last = self.document, _last_of(month)
        found = {month.replace(day=d) for d in made.month_days if 0 < d <= last.day}
        found |= {month.replace(day=last.day + 1 + d) for d in made.month_days if d < 0 and last.day + 1 + d > 0}
        days = [month + timedelta(days=n) for n in range(last.day)]
        for nth in made.nth:
            such = [d for d in days if d.weekday() == nth.weekday]
            found |= set(such[-1:] if nth.n == -1 else such[nth.n - 1 : nth.n])
        worked = [d for d in days if not self.off.is_off(d)] if made.nth_working_day else []
        for n in made.nth_working_day:
            if abs(n) <= len(worked):
                found.add(worked[n - 1 if n > 0 else n])
        return sorted(found)


def _fresh(day: date, first: date, seen: list[date]) -> Iterator[date]:
    if day >= first and (not seen or day > seen[-1]):
        seen[:] = [day]
        yield day


def _rule_days(rule: rrule, first: date) -> Iterator[date]:
    """
    The days of a rule from `first` on; it is given up after `YEARS` without one.
    """
    begin = midnight(first)
    for found in rule.replace(until=begin + timedelta(days=366 * YEARS)):
        if found >= begin:
            yield found.date()


def _last_of(month: date) -> date:
    following = month.replace(day=28) + timedelta(days=4)
    return following - timedelta(days=following.day)


def _moment(local: datetime, zone: ZoneInfo) -> datetime:
    """
    A wall-clock time in UTC: the first of two, and, of one that the clocks skip, the first moment after.
    """
    found = local.replace(tzinfo=zone, fold=0).astimezone(UTC)
    if found.astimezone(zone).replace(tzinfo=None) == local:
        return found
    # `found` lies behind the change, as far as the time lies in the gap; the change itself is sought to the second.
    before, after = found - timedelta(hours=6), found
    ahead = found.astimezone(zone).utcoffset()
    while after - before > timedelta(seconds=1):
        middle = before + (after - before) / 2
        if middle.astimezone(zone).utcoffset() == ahead:
            after = middle
        else:
            before = middle
    return (
        after.replace(microsecond=0)
        if after.microsecond < 500_000
        else after.replace(microsecond=0) + timedelta(seconds=1)
    )
