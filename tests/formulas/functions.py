"""
What the functions of formulas come to, in Python: exact where the true value can be told, near it where not.
"""

from __future__ import annotations

import calendar
import math
import re
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from fractions import Fraction
from typing import Any

from dateutil.relativedelta import relativedelta

NUMBER, TEXT, YES_NO, DATE, MOMENT, TIME = "number", "text", "yes-no", "date", "moment", "time"


class Untold(Exception):
    """
    The true value cannot be told exactly.
    """


class Fault(Exception):
    """
    A function has no result.
    """


@dataclass(frozen=True)
class Near:
    """
    A number of which only fifteen digits or so are certain.
    """

    value: float


def exact(number: Any) -> Fraction:
    if isinstance(number, Near):
        raise Untold
    return Fraction(number)


def plain(number: Fraction) -> str:
    """
    A decimal without needless zeros.
    """
    number = exact(number)
    twos = fives = 0
    rest = number.denominator
    while rest % 2 == 0:
        rest, twos = rest // 2, twos + 1
    while rest % 5 == 0:
        rest, fives = rest // 5, fives + 1
    if rest != 1:
        raise Untold
    places = max(twos, fives)
    digits = str(abs(number.numerator) * 10**places // number.denominator).rjust(places + 1, "0")
    text = digits[: len(digits) - places] + ("." + digits[len(digits) - places :] if places else "")
    return ("-" if number < 0 else "") + text


def as_text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, Fraction | Near):
        return plain(exact(value))
    if isinstance(value, datetime):
        return f"{value:%Y-%m-%dT%H:%M:%S}".rjust(19, "0")
    if isinstance(value, date):
        return f"{value.year:04}-{value.month:02}-{value.day:02}"
    return str(value)


def is_blank(value: Any) -> bool:
    white = {"\t", "\n", "\v", "\f", "\r", "\x85"}
    return value is None or (
        isinstance(value, str) and all(c in white or unicodedata.category(c) in ("Zs", "Zl", "Zp") for c in value)
    )


def half_away(number: Fraction, digits: int = 0) -> Fraction:
    scaled = abs(number) * Fraction(10) ** digits
    whole = Fraction(math.floor(scaled + Fraction(1, 2)))
    return (whole if number >= 0 else -whole) / Fraction(10) ** digits


def toward_zero(number: Fraction) -> int:
    return math.trunc(exact(number))


def whole(number: Fraction, least: int, greatest: int) -> int:
    return max(least, min(greatest, toward_zero(number)))


def quotient(a: Fraction, b: Fraction) -> Fraction | Near:
    if b == 0:
        raise Fault
    found = a / b
    try:
        digits = plain(found).replace(".", "").replace("-", "").lstrip("0")
    except Untold:
        return Near(float(found))
    return found if len(digits) <= 15 else Near(float(found))


def power(a: Fraction, b: Fraction) -> Near:
    if (a == 0 and b < 0) or (a < 0 and b.denominator != 1) or abs(a) > 10**12 or abs(b) > 400:
        raise Fault
    try:
        return Near(float(a) ** float(b))
    except OverflowError as error:
        raise Untold from error


def in_calendar(make: Callable[[], Any]) -> Any:
    try:
        return make()
    except (ValueError, OverflowError) as error:
        raise Fault from error


def moved(day: date, number: Fraction) -> date:
    if abs(number) > 400_000:
        raise Fault
    if not isinstance(day, datetime):
        return in_calendar(lambda: day + timedelta(days=math.floor(exact(number))))
    micros = number * 86_400 * 10**6
    if micros.denominator != 1:
        raise Untold
    return in_calendar(lambda: day + timedelta(microseconds=int(micros)))


def add(a: Any, b: Any) -> Any:
    return moved(a, b) if isinstance(a, date) else a + b


def subtract(a: Any, b: Any) -> Any:
    if isinstance(a, datetime) and isinstance(b, datetime):
        between = a - b
        return quotient(Fraction(between // timedelta(microseconds=1), 10**6), Fraction(86_400))
    if isinstance(a, date) and isinstance(b, date):
        return Fraction((a - b).days)
    return moved(a, -b) if isinstance(a, date) else a - b


def compared(test: Callable[[Any, Any], bool]) -> Callable[[Any, Any], bool]:
    return lambda a, b: test(a.lower(), b.lower()) if isinstance(a, str) else test(a, b)


def all_of(*tests: bool | None) -> bool | None:
    return False if False in tests else None if None in tests else True


def any_of(*tests: bool | None) -> bool | None:
    return True if True in tests else None if None in tests else False


def filled(*numbers: Any) -> list[Fraction]:
    return [exact(n) for n in numbers if n is not None]


def spread(*numbers: Any, sample: bool, root: bool) -> Near | None:
    known = filled(*numbers)
    divisor = len(known) - sample
    if divisor <= 0:
        return None
    mean = sum(known, Fraction(0)) / len(known)
    found = float(sum(((n - mean) ** 2 for n in known), Fraction(0)) / divisor)
    return Near(math.sqrt(found) if root else found)


def near(function: Callable[..., float], least: float = -1e12, greatest: float = 1e12) -> Callable[..., Near]:
    def call(*numbers: Fraction) -> Near:
        if any(not least <= n <= greatest for n in numbers):
            raise Fault
        if any(abs(n) > 10**6 for n in numbers):
            raise Untold
        return Near(function(*map(float, numbers)))

    return call


def refusing(bad: Callable[..., bool], function: Callable[..., Any]) -> Callable[..., Any]:
    def call(*given: Any) -> Any:
        if bad(*given):
            raise Fault
        return function(*given)

    return call


def choose(index: Fraction | None, *values: Any) -> Any:
    if index is None:
        return None
    if not 1 <= exact(index) < len(values) + 1:
        raise Fault
    return values[toward_zero(index) - 1]


def find(needle: str, text: str, start: Fraction | None = None) -> Fraction:
    begin = whole(start, 1, 32_767) if start is not None else 1
    at = text[begin - 1 :].find(needle)
    if at < 0:
        raise Fault
    return Fraction(at + begin)


def read_number(text: str) -> Fraction | None:
    if is_blank(text):
        return None
    if not re.fullmatch(r"[+-]?(\d{1,40}(\.\d{0,40})?|\.\d{1,40})([eE][+-]?\d{1,2})?", text.strip(), re.ASCII):
        raise Fault
    return Fraction(text.strip())


def read_day(text: str) -> date | None:
    if is_blank(text):
        return None
    if not re.fullmatch(r"\d{4}-\d\d-\d\d", text.strip(), re.ASCII):
        raise Fault
    return in_calendar(lambda: date.fromisoformat(text.strip()))


def make_date(year: Fraction, month: Fraction, day: Fraction) -> date:
    if not 1 <= year <= 9000 or abs(month) > 12_000 or abs(day) > 400_000:
        raise Fault
    months = int(toward_zero(year)) * 12 + toward_zero(month) - 1
    first = months // 12, months % 12 + 1
    # The first of the month may lie outside the calendar though the date does not.
    shift = toward_zero(day) - 1
    years = 0
    while first[0] + years < 1 or first[0] + years > 9999:
        years += 400 if first[0] + years < 1 else -400
    found = date(first[0] + years, first[1], 1).toordinal() - years // 400 * 146_097 + shift
    return in_calendar(lambda: date.fromordinal(found))


def make_time(hour: Fraction, minute: Fraction, second: Fraction) -> time:
    total = max(Fraction(-(10**9)), min(Fraction(10**9), hour * 3600 + minute * 60 + second)) % 86_400
    if total.denominator != 1:
        raise Untold
    return (datetime(2000, 1, 1) + timedelta(seconds=int(total))).time()


def months_later(day: date, number: Fraction) -> date:
    if abs(number) > 24_000:
        raise Fault
    return in_calendar(lambda: day + relativedelta(months=toward_zero(number)))


def month_end(day: date, number: Fraction) -> date:
    there = months_later(day, number)
    return there.replace(day=calendar.monthrange(there.year, there.month)[1])


def weekday(day: date, kind: Fraction | None = None) -> Fraction:
    ways = {1: day.isoweekday() % 7 + 1, 2: day.isoweekday(), 3: day.weekday()}
    if kind is not None and kind not in ways:
        raise Fault
    return Fraction(ways[int(kind) if kind is not None else 1])


def letter(number: Fraction) -> str:
    if number < 1 or number > 1_114_111 or 55_296 <= number <= 57_343:
        raise Fault
    return chr(toward_zero(number))


def even(number: Fraction) -> Fraction:
    size = 2 * math.ceil(abs(exact(number)) / 2)
    return Fraction(-size if number < 0 else size)


def odd(number: Fraction) -> Fraction:
    size = max(1, 2 * math.ceil((abs(exact(number)) - 1) / 2) + 1)
    return Fraction(-size if number < 0 else size)


def away_from_zero(number: Fraction, digits: Fraction | None = None) -> Fraction:
    scale = Fraction(10) ** (whole(digits, -15, 15) if digits is not None else 0)
    size = math.ceil(abs(number) * scale) / scale
    return size if number >= 0 else -size


def cut(number: Fraction, digits: Fraction | None = None) -> Fraction:
    scale = Fraction(10) ** (whole(digits, -15, 15) if digits is not None else 0)
    return math.trunc(number * scale) / scale


def fixed(number: Fraction, digits: Fraction | None = None) -> str:
    places = whole(digits, 0, 15) if digits is not None else 2
    rounded = half_away(exact(number), places)
    text = plain(rounded)
    head, _, tail = text.partition(".")
    return head + ("." + tail.ljust(places, "0") if places else "")


def factorial(number: Fraction) -> Fraction:
    if number < 0 or number >= 171:
        raise Fault
    return Fraction(math.factorial(toward_zero(number)))


def logarithm(number: Fraction, base: Fraction | None = None) -> Near:
    if number <= 0 or (base is not None and (base <= 0 or base == 1)):
        raise Fault
    return Near(math.log10(number) if base is None else math.log(number) / math.log(base))


def annuity(rate: Fraction, periods: Fraction) -> tuple[float, float]:
    if rate <= -1 or rate > 100 or abs(periods) > 1_200:
        raise Fault
    if rate != 0 and (abs(rate) < Fraction(1, 1000) or abs(periods) > 100):
        raise Untold
    growth = (1 + float(rate)) ** float(periods)
    if not 1e-30 < growth < 1e30:
        raise Untold
    return growth, float(periods) if rate == 0 else (growth - 1) / float(rate)


def future(rate: Fraction, periods: Fraction, paid: Fraction) -> Near:
    return Near(-float(paid) * annuity(rate, periods)[1])


def present(rate: Fraction, periods: Fraction, paid: Fraction) -> Near:
    growth, summed = annuity(rate, periods)
    return Near(-float(paid) * summed / growth)


def installment(rate: Fraction, periods: Fraction, now: Fraction) -> Near:
    growth, summed = annuity(rate, periods)
    if periods == 0:
        raise Fault
    return Near(-float(now) * growth / summed)


def shown_by(pattern: str) -> Callable[[Any], str]:
    def show(value: Any) -> str:
        if pattern == "dd/MM/yyyy":
            return f"{value.day:02}/{value.month:02}/{value.year:04}"
        if pattern == "HH:mm":
            return f"{value.hour:02}:{value.minute:02}"
        number = exact(value)
        if abs(number) >= 10**30:
            raise Fault
        if pattern == "#,##0":
            rounded = half_away(number)
            return f"{int(rounded):,}"
        head, _, tail = fixed(number, Fraction(2)).partition(".")
        return ("-" if head.startswith("-") else "") + head.lstrip("-").rjust(4, "0") + "." + tail

    return show
