"""
Dates, times and money that formulas compute in Python.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from dateutil.relativedelta import relativedelta

from bouquet.core.formula.computed_numbers import EXACT, NEAR, Fault, cut, divided, modulo, refuse, sixteen
from bouquet.core.values import DAY_SAID, WHITE

__all__ = [
    "date_of",
    "day_said",
    "future",
    "minus",
    "month_end",
    "months_later",
    "payment",
    "plus",
    "present",
    "time_of",
    "weekday",
]


def moved(day: date, number: Decimal) -> date:
    refuse(abs(number) > 400_000)
    if isinstance(day, datetime):
        micros = (number * 86_400 * 10**6).to_integral_value("ROUND_HALF_EVEN")
        return day + timedelta(microseconds=int(micros))
    return day + timedelta(days=math.floor(number))


def plus(kinds: Sequence[str], a: Any, b: Any) -> Any:
    return moved(a, b) if isinstance(a, date) else EXACT.add(a, b)


def minus(kinds: Sequence[str], a: Any, b: Any) -> Any:
    if isinstance(a, datetime) and isinstance(b, datetime):
        micros = (a - b) // timedelta(microseconds=1)
        return divided(cut(Decimal(micros) / 10**6, 6), Decimal(86_400))
    if isinstance(a, date) and isinstance(b, date):
        return Decimal((a - b).days)
    return moved(a, -b) if isinstance(a, date) else EXACT.subtract(a, b)


def day_said(text: str) -> date | None:
    plain = text.strip(WHITE)
    if not plain:
        return None
    refuse(not re.fullmatch(DAY_SAID, plain))
    return inside(lambda: date.fromisoformat(plain))  # type: ignore[no-any-return]


def inside(make: Callable[[], Any]) -> Any:
    try:
        return make()
    except (ValueError, OverflowError) as error:
        raise Fault from error


def date_of(year: Decimal, month: Decimal, day: Decimal) -> date:
    refuse(not 1 <= year <= 9_000 or abs(month) > 12_000 or abs(day) > 400_000)
    months = int(year) * 12 + int(month) - 1
    # The first of the month may lie outside the calendar though the date does not: 400 years are as many days anywhere.
    shift = 400 * (1 - (months // 12) // 400) if not 1 <= months // 12 <= 9_999 else 0
    first = date((months // 12) + shift, months % 12 + 1, 1).toordinal() - shift // 400 * 146_097
    return inside(lambda: date.fromordinal(first + int(day) - 1))  # type: ignore[no-any-return]


def time_of(hour: Decimal, minute: Decimal, second: Decimal) -> time:
    total = max(Decimal(-(10**9)), min(Decimal(10**9), hour * 3600 + minute * 60 + second))
    within = modulo(total, Decimal(86_400))
    return (datetime(2000, 1, 1) + timedelta(microseconds=round(within * 10**6))).time()


def months_later(day: date, number: Decimal) -> date:
    refuse(abs(number) > 24_000)
    return inside(lambda: day + relativedelta(months=int(number)))  # type: ignore[no-any-return]


def month_end(day: date, number: Decimal) -> date:
    there = months_later(day, number)
    return there + relativedelta(day=31)


def weekday(day: date, kind: Decimal | None = None) -> Decimal:
    ways = {1: day.isoweekday() % 7 + 1, 2: day.isoweekday(), 3: day.weekday()}
    refuse(kind is not None and kind not in ways)
    return Decimal(ways[int(kind) if kind is not None else 1])


def annuity(rate: Decimal, periods: Decimal) -> tuple[Decimal, Decimal]:
    refuse(rate <= -1 or rate > 100 or abs(periods) > 1_200)
    growth = sixteen(NEAR.power(1 + rate, periods), rate)
    return growth, periods if not rate else divided(growth - 1, rate)


def at_start(rate: Decimal, due: Decimal | None) -> Decimal:
    return 1 + rate if due else Decimal(1)


def future(
    rate: Decimal, periods: Decimal, paid: Decimal, now: Decimal | None = None, due: Decimal | None = None
) -> Decimal:
    growth, summed = annuity(rate, periods)
    return -(paid * at_start(rate, due) * summed + (now or Decimal(0)) * growth)


def present(
    rate: Decimal, periods: Decimal, paid: Decimal, later: Decimal | None = None, due: Decimal | None = None
) -> Decimal:
    growth, summed = annuity(rate, periods)
    return -divided(paid * at_start(rate, due) * summed + (later or Decimal(0)), growth)


def payment(
    rate: Decimal, periods: Decimal, now: Decimal, later: Decimal | None = None, due: Decimal | None = None
) -> Decimal:
    growth, summed = annuity(rate, periods)
    return -divided(now * growth + (later or Decimal(0)), at_start(rate, due) * summed)
