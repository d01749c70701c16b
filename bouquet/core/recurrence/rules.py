"""
The days of a recurrence rule (RFC 5545, 3.3.10), followed by dateutil within bounds.

dateutil follows a rule that comes to no more days as far as the last year there is, day by day for 8,000 years. The
Gregorian calendar repeats itself every 400 years, weekdays included, so a rule is followed as near to that end as whole
cycles allow: there are 400 years left at most.
"""

from __future__ import annotations

import contextlib
import re
from collections.abc import Iterator
from datetime import MAXYEAR, date, datetime, timedelta
from typing import Any

from dateutil.rrule import rrule, rrulestr

from bouquet.core.language import tr

__all__ = ["RuleError", "midnight", "rule_days"]

#: Days and years after which the calendar begins anew.
CYCLE, CYCLE_YEARS = timedelta(days=146_097), 400

#: How often a rule may come, as whole days go.
_FREQUENCIES = ("DAILY", "WEEKLY", "MONTHLY", "YEARLY")

#: Parts that say times of day.
_TIME_PARTS = ("BYHOUR", "BYMINUTE", "BYSECOND")

#: The earliest and latest year in which a rule may begin.
FIRST_YEAR, LAST_YEAR = 1900, 2399

#: The greatest number, from either end, in the parts that name days by number.
_MOST = {"BYMONTH": 12, "BYMONTHDAY": 31, "BYYEARDAY": 366, "BYWEEKNO": 53, "BYSETPOS": 366, "BYDAY": 53}


class RuleError(ValueError):
    """
    This is no rule of days.
    """


def rule_days(said: str, start: date, first: date, last: date) -> Iterator[date]:
    """
    The days from `first` to `last` that a rule which begins on `start` comes to, in order. Raises RuleError where it is
    none, at once.
    """
    rule = _read(said, start)
    shift = CYCLE * ((MAXYEAR - max(last.year, start.year)) // CYCLE_YEARS)
    # What the rule leaves open follows from its beginning, which has the same weekday, day and month there.
    until = rule._until + shift if rule._until is not None and rule._until.date() <= last else None
    return _between(rule.replace(dtstart=midnight(start + shift), until=until), shift, first, last)


def _between(moved: Any, shift: timedelta, first: date, last: date) -> Iterator[date]:
    # A rule that comes to no more days may run over the end of the calendar.
    with contextlib.suppress(ValueError, OverflowError, IndexError):
        for found in moved:
            day = found.date() - shift
            if day > last:
                return
            if day >= first:
                yield day


def _read(said: str, start: date) -> Any:
    parts = dict(part.partition("=")[::2] for part in re.sub(r"^RRULE:", "", said.strip().upper()).split(";"))
    if len(said.split()) != 1:
        raise RuleError(tr("One rule only, without dates of its own."))
    if any(part in parts for part in _TIME_PARTS):
        raise RuleError(tr("Say times of day beside the rule, not in it."))
    if "FREQ" in parts and parts["FREQ"] not in _FREQUENCIES:
        raise RuleError(tr("A rule says days; how often on a day is said beside it."))
    wrong = next((name for name, value in parts.items() if not _is_known(name, value, parts)), None)
    if wrong is not None:
        raise RuleError(
            tr(
                "This is no recurrence rule (RFC 5545): {wrong}={parts}.",
                wrong=wrong,
                parts=parts[wrong],
            )
        )
    if "COUNT" in parts and "UNTIL" in parts:
        raise RuleError(tr("A rule ends after so many times, or on a day, and not both."))
    if not FIRST_YEAR <= start.year <= LAST_YEAR:
        raise RuleError(
            tr(
                "A rule begins between {first_year} and {last_year}.",
                first_year=FIRST_YEAR,
                last_year=LAST_YEAR,
            )
        )
    try:
        # Whole days have no zone, and neither has the end of their rule here.
        found = rrulestr(re.sub(r"(UNTIL=[0-9T]+)Z", r"\1", said.strip().upper()), dtstart=midnight(start))
    except (ValueError, TypeError, KeyError, AttributeError, OverflowError, IndexError) as error:
        raise RuleError(tr("This is no recurrence rule (RFC 5545): {error}.", error=error)) from error
    if not isinstance(found, rrule):
        raise RuleError(tr("One rule only, without dates of its own."))
    return found


def _is_known(name: str, value: str, parts: dict[str, str]) -> bool:
    if name in ("INTERVAL", "COUNT"):
        return bool(re.fullmatch(r"0*[1-9]\d{0,5}", value))
    most = 5 if name == "BYDAY" and (parts.get("FREQ") == "MONTHLY" or "BYMONTH" in parts) else _MOST.get(name)
    if most is None:
        return name in ("FREQ", "UNTIL", "WKST")
    pattern = r"([+-]?\d{1,2})?(?:MO|TU|WE|TH|FR|SA|SU)" if name == "BYDAY" else r"([+-]?\d{1,3})"
    found = [re.fullmatch(pattern, one) for one in value.split(",")]
    numbers = [int(m.group(1)) for m in found if m is not None and m.group(1)]
    least = 1 if name == "BYMONTH" else -most
    return all(found) and all(n != 0 and least <= n <= most for n in numbers)


def midnight(day: date) -> datetime:
    """
    The beginning of a day, without a zone.
    """
    return datetime(day.year, day.month, day.day)
