"""
The functions of formulas in Python, by name: for databases that call functions of ours.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from decimal import ROUND_CEILING, ROUND_DOWN, ROUND_FLOOR, ROUND_UP, Decimal
from typing import Any

from bouquet.core.formula.computed_dates import (
    date_of,
    day_said,
    future,
    minus,
    month_end,
    months_later,
    payment,
    plus,
    present,
    time_of,
    weekday,
)
from bouquet.core.formula.computed_numbers import (
    EXACT,
    divided,
    exponential,
    factorial,
    known,
    logarithm,
    modulo,
    multiple,
    multiplied,
    natural,
    of_binary,
    power,
    refuse,
    rounded,
    square_root,
    summed,
    to_even,
    variance,
    whole,
)
from bouquet.core.formula.computed_texts import (
    by_pattern,
    find,
    fixed,
    is_blank,
    letter,
    lower,
    middle,
    number_said,
    repeated,
    replaced,
    upper,
)
from bouquet.core.formula.types import Type

__all__ = ["CALLS", "Made"]

#: A value of a formula; None is a blank.
Made = Decimal | str | bool | date | datetime | time | None


def _compared(test: Callable[[Any, Any], bool]) -> Callable[..., bool]:
    def call(kinds: Sequence[str], a: Any, b: Any) -> bool:
        return test(lower(a), lower(b)) if isinstance(a, str) else test(a, b)

    return call


def _choose(kinds: Sequence[str], index: Decimal | None, *values: Made) -> Made:
    if index is None:
        return None
    refuse(index < 1 or index >= len(values) + 1)
    return values[int(index) - 1]


def _plainly(function: Callable[..., Any]) -> Callable[..., Any]:
    return lambda kinds, *given: function(*given)


def _of_known(function: Callable[[list[Decimal]], Any]) -> Callable[..., Any]:
    """
    A function of the numbers that are not blank, and blank where all are.
    """
    return lambda kinds, *numbers: function(known(numbers)) if known(numbers) else None


#: Functions of their values alone.
_PLAIN: dict[str, Callable[..., Any]] = {
    "*": EXACT.multiply, "/": divided, "^": power, "POWER": power, "%": lambda a: divided(a, Decimal(100)),
    "prefix -": lambda a: EXACT.minus(a), "prefix +": lambda a: a, "&": lambda *t: "".join(t),
    "CONCATENATE": lambda *t: "".join(t), "XOR": lambda *t: sum(t) % 2 == 1, "TRUE": lambda: True,
    "FALSE": lambda: False,
    "NOT": lambda t: None if t is None else not t,
    "AND": lambda *t: False if False in t else None if None in t else True,
    "OR": lambda *t: True if True in t else None if None in t else False,
    "ISBLANK": is_blank, "COUNTA": lambda *v: Decimal(sum(not is_blank(i) for i in v)),
    "COUNTBLANK": lambda *v: Decimal(sum(map(is_blank, v))), "COUNT": lambda *n: Decimal(len(known(n))),
    "LEFT": lambda t, n=None: t[: whole(n, 0, 32_767) if n is not None else 1],
    "RIGHT": lambda t, n=None: t[max(0, len(t) - (whole(n, 0, 32_767) if n is not None else 1)) :],
    "MID": middle, "LEN": lambda t: Decimal(len(t)), "LOWER": lower, "UPPER": upper,
    "PROPER": lambda t: re.sub(r"[^\W_]+", lambda w: upper(w.group(0)[:1]) + lower(w.group(0)[1:]), t),
    "TRIM": lambda t: re.sub(" +", " ", t).strip(" "), "CLEAN": lambda t: re.sub(r"[\x01-\x1f\x7f]", "", t),
    "SUBSTITUTE": lambda t, a, b: t.replace(a, b) if a else t, "REPLACE": replaced, "FIND": find,
    "SEARCH": lambda a, t, s=None: find(lower(a), lower(t), s), "REPT": repeated, "EXACT": lambda a, b: a == b,
    "VALUE": number_said, "TEXT": by_pattern, "FIXED": fixed,
    "UNICODE": lambda t: Decimal(ord(t[0])) if t else None, "UNICHAR": letter,
    "ABS": lambda n: abs(n), "SIGN": lambda n: Decimal((n > 0) - (n < 0)), "MOD": modulo,
    "QUOTIENT": lambda a, b: EXACT.divide_int(a, b) if b else refuse(True), "SQRT": square_root, "EXP": exponential,
    "LN": natural, "LOG10": logarithm, "LOG": logarithm, "PI": lambda: Decimal("3.14159265358979"),
    "FACT": factorial, "N": lambda v: Decimal(int(v)) if isinstance(v, bool) else v,
    "ISEVEN": lambda n: int(abs(n)) % 2 == 0, "ISODD": lambda n: int(abs(n)) % 2 == 1,
    "ATAN2": lambda x, y: of_binary(math.atan2)(y, x) if x or y else refuse(True),
    "ASIN": of_binary(math.asin, -1, 1), "ACOS": of_binary(math.acos, -1, 1),
    **{name.upper(): of_binary(getattr(math, name)) for name in ("sin", "cos", "tan", "atan", "degrees", "radians")},
    "VAR": variance(sample=True, root=False), "VARP": variance(sample=False, root=False),
    "STDEV": variance(sample=True, root=True), "STDEVP": variance(sample=False, root=True),
    "ROUND": rounded, "ROUNDUP": lambda n, d=None: rounded(n, d, ROUND_UP),
    "ROUNDDOWN": lambda n, d=None: rounded(n, d, ROUND_DOWN), "TRUNC": lambda n, d=None: rounded(n, d, ROUND_DOWN),
    "INT": lambda n: n.to_integral_value(ROUND_FLOOR), "CEILING": multiple(ROUND_CEILING),
    "FLOOR": multiple(ROUND_FLOOR), "EVEN": to_even(0), "ODD": to_even(1),
    "DATE": date_of, "DATEVALUE": day_said, "TIME": time_of, "YEAR": lambda d: Decimal(d.year),
    "MONTH": lambda d: Decimal(d.month), "DAY": lambda d: Decimal(d.day), "HOUR": lambda d: Decimal(d.hour),
    "MINUTE": lambda d: Decimal(d.minute), "SECOND": lambda d: Decimal(d.second), "WEEKDAY": weekday,
    "ISOWEEKNUM": lambda d: Decimal(d.isocalendar().week), "EDATE": months_later, "EOMONTH": month_end,
    "FV": future, "PV": present, "PMT": payment,
    "SLN": lambda cost, left, n: divided(cost - left, n),
    "SYD": lambda cost, left, n, at: divided((cost - left) * (n + 1 - at) * 2, n * (n + 1)),
}  # fmt: skip

#: By name, each taking the types of its arguments and their values.
CALLS: dict[str, Callable[..., Any]] = {
    **{name: _plainly(function) for name, function in _PLAIN.items()},
    "+": plus,
    "-": minus,
    "DAYS": minus,
    "CHOOSE": _choose,
    "=": _compared(lambda a, b: a == b),
    "<>": _compared(lambda a, b: a != b),
    "<": _compared(lambda a, b: a < b),
    "<=": _compared(lambda a, b: a <= b),
    ">": _compared(lambda a, b: a > b),
    ">=": _compared(lambda a, b: a >= b),
    "MIN": _of_known(min),
    "MAX": _of_known(max),
    "SUM": _of_known(summed),
    "PRODUCT": _of_known(multiplied),
    "AVERAGE": _of_known(lambda n: divided(summed(n), Decimal(len(n)))),
    "ISNUMBER": lambda kinds, v: isinstance(v, Decimal),
    "ISTEXT": lambda kinds, v: kinds[0] == Type.TEXT and not is_blank(v),
    "ISNONTEXT": lambda kinds, v: is_blank(v) if kinds[0] == Type.TEXT else True,
    "ISLOGICAL": lambda kinds, v: isinstance(v, bool),
    "T": lambda kinds, v: v if kinds[0] == Type.TEXT else "",
}
