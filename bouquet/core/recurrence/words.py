"""
Rhythms in words.
"""

from __future__ import annotations

import calendar
from collections.abc import Sequence

from bouquet.core.recurrence.document import RhythmDocument

__all__ = ["rhythm_words"]

_WEEKDAYS = tuple(calendar.day_name)
_MONTHS = tuple(calendar.month_name)
_NTH = {1: "first", 2: "second", 3: "third", 4: "fourth", 5: "fifth", -1: "last"}
_QUARTERS: dict[tuple[int, ...], str] = {
    (1, 4, 7, 10): "each quarter's first month",
    (3, 6, 9, 12): "each quarter's last month",
}
_DAY_OFF = {
    "run": "",
    "leave_out": ", not on days off",
    "next": ", on the next working day after a day off",
    "previous": ", on the last working day before a day off",
}


def rhythm_words(document: RhythmDocument) -> str:
    """
    A rhythm as people say it: `Monday to Friday at 06:00`.
    """
    return f"{_days(document)} {_times(document)}{_DAY_OFF[document.day_off]}"


def _days(made: RhythmDocument) -> str:
    match made.every:
        case "day":
            return "every day"
        case "working_day":
            return "every working day"
        case "week":
            return _of_week(made)
        case "dates":
            days = [f"{d.day} {_MONTHS[d.month]} {d.year}" for d in sorted(made.dates)]
            return f"on {_listed(days)}" if len(days) <= 3 else f"on {len(days)} dates from {days[0]} to {days[-1]}"
        case "rule":
            return f"by the rule {made.rule}"
        case _:
            return f"on {_of_month(made)}"


def _of_week(made: RhythmDocument) -> str:
    chosen = sorted(set(made.weekdays))
    if chosen == [0, 1, 2, 3, 4]:
        days = "Monday to Friday"
    elif len(chosen) == 7:
        days = "every day"
    else:
        days = _listed([_WEEKDAYS[d] + ("s" if made.interval == 1 else "") for d in chosen])
    if made.interval == 1:
        return days
    return f"every {made.interval} weeks on {days}"


def _of_month(made: RhythmDocument) -> str:
    days = [_ordinal(d) for d in sorted(d for d in set(made.month_days) if d > 0)]
    days += [
        "last day" if d == -1 else f"{_ordinal(-d)} day from the end" for d in sorted(set(made.month_days)) if d < 0
    ]
    days += [f"{_NTH[n.n]} {_WEEKDAYS[n.weekday]}" for n in made.nth]
    days += [
        "last working day"
        if n == -1
        else f"{_ordinal(n)} working day"
        if n > 0
        else f"{_ordinal(-n)} working day from the end"
        for n in sorted(set(made.nth_working_day), key=lambda n: (n < 0, n))
    ]
    listed = f"the {_listed(days)}"
    if made.every == "year" or made.months:
        months = sorted(set(made.months))
        named = _QUARTERS.get(tuple(months)) or _listed([_MONTHS[m] for m in months])
        return f"{listed} of {named}"
    return f"{listed} of " + ("each month" if made.interval == 1 else f"every {_ordinal(made.interval)} month")


def _from_the_end(n: int) -> tuple[bool, int]:
    return n < 0, n


def _place(n: int, what: str) -> str:
    if n > 0:
        return _ordinal(n) + what
    return f"last{what}" if n == -1 else f"{_ordinal(-n)}{what} from the end"


def _times(made: RhythmDocument) -> str:
    if made.often is None:
        return f"at {_listed([f'{t:%H:%M}' for t in made.clock_times()])}"
    minutes = made.often.minutes
    how = f"every {minutes} minutes"
    if minutes % 60 == 0:
        how = "every hour" if minutes == 60 else f"every {minutes // 60} hours"
    if (made.often.first, made.often.last) == ("00:00", "23:59"):
        return how
    return f"{how} from {made.often.first} to {made.often.last}"


def _ordinal(n: int) -> str:
    suffix = "th" if 10 <= n % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{suffix}"


def _listed(words: Sequence[str]) -> str:
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)
