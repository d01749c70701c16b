"""
Rhythms in words.
"""

from __future__ import annotations

from datetime import date

from bouquet.core.language import (
    WEEKLY,
    Texts,
    language,
    listed,
    month_words,
    tr,
    trn,
    weekday_words,
)
from bouquet.core.recurrence.document import RhythmDocument

__all__ = ["rhythm_words"]

_NTH = Texts(
    {
        1: "first {day}",
        2: "second {day}",
        3: "third {day}",
        4: "fourth {day}",
        5: "fifth {day}",
        -1: "last {day}",
    }
)
_QUARTERS: Texts[tuple[int, ...]] = Texts(
    {(1, 4, 7, 10): "each quarter's first month", (3, 6, 9, 12): "each quarter's last month"}
)
_DAY_OFF = Texts(
    {
        "run": "",
        "leave_out": ", not on days off",
        "next": ", on the next working day after a day off",
        "previous": ", on the last working day before a day off",
    }
)


def rhythm_words(document: RhythmDocument) -> str:
    """
    A rhythm as people say it: `Monday to Friday at 06:00`.
    """
    return f"{_days(document)} {_times(document)}{_DAY_OFF[document.day_off]}"


def _days(made: RhythmDocument) -> str:
    match made.every:
        case "day":
            return tr("every day")
        case "working_day":
            return tr("every working day")
        case "week":
            return _of_week(made)
        case "dates":
            return _dates(sorted(made.dates))
        case "rule":
            return tr("by the rule {rule}", rule=made.rule)
        case _:
            return tr("on {days}", days=_of_month(made))


def _dates(dates: list[date]) -> str:
    days = [_date(d) for d in dates]
    if len(days) <= 3:
        return tr("on {days}", days=listed(days))
    return tr("on {n} dates from {first} to {last}", n=len(days), first=days[0], last=days[-1])


def _date(day: date) -> str:
    return f"{day.day}{'.' if language() == 'de' else ''} {month_words(day.month)} {day.year}"


def _of_week(made: RhythmDocument) -> str:
    chosen = sorted(set(made.weekdays))
    if chosen == [0, 1, 2, 3, 4]:
        days = tr("Monday to Friday")
    elif len(chosen) == 7:
        days = tr("every day")
    else:
        days = listed([tr(WEEKLY[d]) if made.interval == 1 else weekday_words(d) for d in chosen])
    if made.interval == 1:
        return days
    return tr("every {n} weeks on {days}", n=made.interval, days=days)


def _of_month(made: RhythmDocument) -> str:
    days = [_ordinal(d) for d in sorted(d for d in set(made.month_days) if d > 0)]
    days += [
        tr("last day") if d == -1 else tr("{nth} day from the end", nth=_ordinal(-d))
        for d in sorted(set(made.month_days))
        if d < 0
    ]
    days += [_NTH[n.n].format(day=weekday_words(n.weekday)) for n in made.nth]
    days += [
        tr("last working day")
        if n == -1
        else tr("{nth} working day", nth=_ordinal(n))
        if n > 0
        else tr("{nth} working day from the end", nth=_ordinal(-n))
        for n in sorted(set(made.nth_working_day), key=lambda n: (n < 0, n))
    ]
    said = tr("the {days}", days=listed(days))
    if made.every == "year" or made.months:
        months = sorted(set(made.months))
        named = _QUARTERS.get(tuple(months)) or listed([month_words(m) for m in months])
    else:
        named = tr("each month") if made.interval == 1 else tr("every {nth} month", nth=_ordinal(made.interval))
    return tr("{days} of {months}", days=said, months=named)


def _times(made: RhythmDocument) -> str:
    if made.often is None:
        return tr("at {times}", times=listed([f"{t:%H:%M}" for t in made.clock_times()]))
    minutes = made.often.minutes
    how = trn("every minute", "every {n} minutes", minutes)
    if minutes % 60 == 0:
        how = trn("every hour", "every {n} hours", minutes // 60)
    if (made.often.first, made.often.last) == ("00:00", "23:59"):
        return how
    return tr("{how} from {first} to {last}", how=how, first=made.often.first, last=made.often.last)


def _ordinal(n: int) -> str:
    match language():
        case "de":
            return f"{n}."
        case "fr":
            return "1er" if n == 1 else f"{n}e"
    suffix = "th" if 10 <= n % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{suffix}"
