"""
What formulas mean, said once more in Python: an evaluator that knows nothing of SQL, of the parser or of the checker.

A formula is a tree of `Value`, `Field` and `Apply`. Numbers are exact fractions; where the database only comes near the
true value (a root, a third), the evaluator raises `Untold` as soon as something is made of it, so that no rounding is
mistaken for a difference in meaning.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from tests.formulas.functions import (
    DATE,
    MOMENT,
    NUMBER,
    TEXT,
    TIME,
    YES_NO,
    Fault,
    Near,
    Untold,
    add,
    all_of,
    any_of,
    as_text,
    away_from_zero,
    choose,
    compared,
    cut,
    even,
    factorial,
    filled,
    find,
    fixed,
    future,
    half_away,
    installment,
    is_blank,
    letter,
    logarithm,
    make_date,
    make_time,
    month_end,
    months_later,
    near,
    odd,
    plain,
    power,
    present,
    quotient,
    read_day,
    read_number,
    refusing,
    shown_by,
    spread,
    subtract,
    toward_zero,
    weekday,
    whole,
)

__all__ = ["SIGNATURES", "Apply", "Field", "Node", "Untold", "Value", "evaluate", "written"]


@dataclass(frozen=True)
class Value:
    value: Any
    type: str


@dataclass(frozen=True)
class Field:
    name: str
    type: str


@dataclass(frozen=True)
class Apply:
    function: str
    arguments: tuple[Node, ...]
    type: str


Node = Value | Field | Apply


def written(node: Node) -> str:
    """
    The tree as a person would write it.
    """
    if isinstance(node, Field):
        return "{" + node.name + "}"
    if isinstance(node, Value):
        if node.type == TEXT:
            return '"' + node.value.replace('"', '""') + '"'
        if node.type == YES_NO:
            return "TRUE()" if node.value else "FALSE()"
        text = plain(abs(node.value))
        return f"(-{text})" if node.value < 0 else text
    parts = [written(a) for a in node.arguments]
    name = node.function
    if name.startswith("prefix "):
        return f"({name[-1]}{parts[0]})"
    if name == "%":
        return f"({parts[0]}%)"
    if not name[0].isalpha():
        return f"({parts[0]} {name} {parts[1]})"
    return f"{name}({'; '.join(parts)})"


#: Functions with (types of their arguments, type of the result, what it comes to). A blank number, date, time or yes-no
#: gives a blank before the function is asked, but for those in `KEEPS`.
SIGNATURES: dict[str, list[tuple[tuple[str, ...], str, Callable[..., Any]]]] = {}
KEEPS = {
    "IF", "AND", "OR", "NOT", "ISBLANK", "COUNT", "COUNTA", "COUNTBLANK", "ISNUMBER", "ISTEXT", "ISNONTEXT", "ISLOGICAL",
    "ISERROR", "IFERROR", "CHOOSE", "T", "MIN", "MAX", "SUM", "PRODUCT", "AVERAGE", "VAR", "VARP", "STDEV", "STDEVP",
}  # fmt: skip
#: Those of `KEEPS` that read a blank text as it is; the others as an empty text.
ANY = (NUMBER, TEXT, YES_NO, DATE, MOMENT, TIME)


def _add(name: str, takes: str, gives: str, function: Callable[..., Any]) -> None:
    SIGNATURES.setdefault(name, []).append((tuple(filter(None, takes.split(" "))), gives, function))


N1, N2, N3 = NUMBER, f"{NUMBER} {NUMBER}", f"{NUMBER} {NUMBER} {NUMBER}"
for _sign, _function in (("+", add), ("-", subtract)):
    _add(_sign, N2, NUMBER, _function)
    _add(_sign, f"{DATE} {NUMBER}", DATE, _function)
    _add(_sign, f"{MOMENT} {NUMBER}", MOMENT, _function)
_add("-", f"{DATE} {DATE}", NUMBER, subtract)
_add("-", f"{MOMENT} {MOMENT}", NUMBER, subtract)
_add("*", N2, NUMBER, lambda a, b: a * b)
_add("/", N2, NUMBER, quotient)
_add("^", N2, NUMBER, power)
_add("%", N1, NUMBER, lambda a: a / 100)
_add("prefix -", N1, NUMBER, lambda a: -a)
_add("prefix +", N1, NUMBER, lambda a: a)
_add("&", f"{TEXT} {TEXT}", TEXT, lambda a, b: a + b)
for _sign, _test in (
    ("=", lambda a, b: a == b), ("<>", lambda a, b: a != b), ("<", lambda a, b: a < b),
    ("<=", lambda a, b: a <= b), (">", lambda a, b: a > b), (">=", lambda a, b: a >= b),
):  # fmt: skip
    for _type in ANY:
        _add(_sign, f"{_type} {_type}", YES_NO, compared(_test))
for _type in ANY:
    _add("IF", f"{YES_NO} {_type} {_type}", _type, lambda t, a, b: a if t else b)
    _add("IF", f"{YES_NO} {_type}", _type, lambda t, a: a if t else None)
    _add("CHOOSE", f"{NUMBER} {_type} {_type}", _type, choose)
    _add("ISBLANK", _type, YES_NO, is_blank)
    _add("ISNUMBER", _type, YES_NO, lambda v: isinstance(v, Fraction | Near))
    _add("ISTEXT", _type, YES_NO, lambda v: isinstance(v, str) and not is_blank(v))
    _add("ISNONTEXT", _type, YES_NO, (lambda text: lambda v: is_blank(v) if text else True)(_type == TEXT))
    _add("ISLOGICAL", _type, YES_NO, lambda v: isinstance(v, bool))
    _add("COUNTA", f"{_type} {_type}", NUMBER, lambda *v: Fraction(sum(not is_blank(i) for i in v)))
    _add("COUNTBLANK", f"{_type} {_type}", NUMBER, lambda *v: Fraction(sum(map(is_blank, v))))
    _add("ISERROR", _type, YES_NO, lambda v: False)
    _add("IFERROR", f"{_type} {_type}", _type, lambda v, instead: v)
    _add("T", _type, TEXT, lambda v: v if isinstance(v, str) else "")
_add("AND", f"{YES_NO} {YES_NO}", YES_NO, all_of)
_add("AND", f"{YES_NO} {YES_NO} {YES_NO}", YES_NO, all_of)
_add("OR", f"{YES_NO} {YES_NO}", YES_NO, any_of)
_add("OR", YES_NO, YES_NO, any_of)
_add("XOR", f"{YES_NO} {YES_NO}", YES_NO, lambda a, b: a != b)
_add("XOR", f"{YES_NO} {YES_NO} {YES_NO}", YES_NO, lambda *t: sum(t) % 2 == 1)
_add("NOT", YES_NO, YES_NO, lambda t: None if t is None else not t)
_add("TRUE", "", YES_NO, lambda: True)
_add("FALSE", "", YES_NO, lambda: False)
_add("COUNT", N2, NUMBER, lambda *n: Fraction(len(filled(*n))))
_add("SUM", N2, NUMBER, lambda *n: sum(filled(*n)) if filled(*n) else None)
_add("PRODUCT", N2, NUMBER, lambda *n: Fraction(math.prod(filled(*n))) if filled(*n) else None)
_add("MIN", N2, NUMBER, lambda *n: min(filled(*n), default=None))
_add("MAX", N3, NUMBER, lambda *n: max(filled(*n), default=None))
_add(
    "AVERAGE", N2, NUMBER,
    lambda *n: quotient(sum(filled(*n), Fraction(0)), Fraction(len(filled(*n)))) if filled(*n) else None,
)  # fmt: skip
for _name, _sample, _root in (
    ("VAR", True, False),
    ("VARP", False, False),
    ("STDEV", True, True),
    ("STDEVP", False, True),
):
    _add(_name, N3, NUMBER, (lambda s, r: lambda *n: spread(*n, sample=s, root=r))(_sample, _root))
_add("CONCATENATE", f"{TEXT} {TEXT} {TEXT}", TEXT, lambda *t: "".join(t))
_add("LEFT", TEXT, TEXT, lambda t: t[:1])
_add("LEFT", f"{TEXT} {NUMBER}", TEXT, lambda t, n: t[: whole(n, 0, 32_767)])
_add("RIGHT", f"{TEXT} {NUMBER}", TEXT, lambda t, n: t[max(0, len(t) - whole(n, 0, 32_767)) :])
_add(
    "MID", f"{TEXT} {NUMBER} {NUMBER}", TEXT,
    refusing(lambda t, s, n: s < 1 or n < 0, lambda t, s, n: t[whole(s, 1, 32_767) - 1 :][: whole(n, 0, 32_767)]),
)  # fmt: skip
_add("LEN", TEXT, NUMBER, lambda t: Fraction(len(t)))
_add("LOWER", TEXT, TEXT, str.lower)
_add("UPPER", TEXT, TEXT, str.upper)
_add("PROPER", TEXT, TEXT, lambda t: re.sub(r"[^\W_]+", lambda w: w.group(0)[:1].upper() + w.group(0)[1:].lower(), t))
_add("TRIM", TEXT, TEXT, lambda t: re.sub(" +", " ", t).strip(" "))
_add("CLEAN", TEXT, TEXT, lambda t: re.sub(r"[\x01-\x1f\x7f]", "", t))
_add("SUBSTITUTE", f"{TEXT} {TEXT} {TEXT}", TEXT, lambda t, a, b: t.replace(a, b) if a else t)
_add(
    "REPLACE", f"{TEXT} {NUMBER} {NUMBER} {TEXT}", TEXT,
    refusing(
        lambda t, s, n, new: s < 1 or n < 0,
        lambda t, s, n, new: t[: whole(s, 1, 32_767) - 1] + new + t[whole(s, 1, 32_767) - 1 + whole(n, 0, 32_767) :],
    ),
)  # fmt: skip
_add("FIND", f"{TEXT} {TEXT}", NUMBER, find)
_add("FIND", f"{TEXT} {TEXT} {NUMBER}", NUMBER, find)
_add("SEARCH", f"{TEXT} {TEXT}", NUMBER, lambda a, t: find(a.lower(), t.lower()))
_add("REPT", f"{TEXT} {NUMBER}", TEXT, refusing(lambda t, n: n < 0 or n > 1000, lambda t, n: t * toward_zero(n)))
_add("EXACT", f"{TEXT} {TEXT}", YES_NO, lambda a, b: a == b)
_add("VALUE", TEXT, NUMBER, read_number)
_add("FIXED", N1, TEXT, fixed)
_add("FIXED", N2, TEXT, fixed)
_add("UNICODE", TEXT, NUMBER, lambda t: Fraction(ord(t[0])) if t else None)
_add("UNICHAR", N1, TEXT, letter)
_add("ABS", N1, NUMBER, abs)
_add("SIGN", N1, NUMBER, lambda n: Fraction((n > 0) - (n < 0)))
_add("MOD", N2, NUMBER, refusing(lambda a, b: b == 0, lambda a, b: a - b * math.floor(a / b)))
_add("QUOTIENT", N2, NUMBER, refusing(lambda a, b: b == 0, lambda a, b: Fraction(math.trunc(a / b))))
_add("POWER", N2, NUMBER, power)
_add("SQRT", N1, NUMBER, refusing(lambda n: n < 0, lambda n: Near(math.sqrt(n))))
_add("EXP", N1, NUMBER, refusing(lambda n: abs(n) > 400, lambda n: Near(math.exp(n))))
_add("LN", N1, NUMBER, refusing(lambda n: n <= 0, lambda n: Near(math.log(n))))
_add("LOG10", N1, NUMBER, refusing(lambda n: n <= 0, lambda n: Near(math.log10(n))))
_add("LOG", N1, NUMBER, logarithm)
_add("LOG", N2, NUMBER, logarithm)
_add("PI", "", NUMBER, lambda: Fraction("3.14159265358979"))
_add("FACT", N1, NUMBER, factorial)
_add("N", N1, NUMBER, lambda n: n)
_add("N", YES_NO, NUMBER, lambda t: Fraction(int(t)))
for _name in ("sin", "cos", "tan", "atan", "degrees", "radians"):
    _add(_name.upper(), N1, NUMBER, near(getattr(math, _name)))
_add("ASIN", N1, NUMBER, near(math.asin, -1, 1))
_add("ACOS", N1, NUMBER, near(math.acos, -1, 1))
_add("ATAN2", N2, NUMBER, refusing(lambda x, y: x == y == 0, near(lambda x, y: math.atan2(y, x))))
_add("ISEVEN", N1, YES_NO, lambda n: abs(toward_zero(n)) % 2 == 0)
_add("ISODD", N1, YES_NO, lambda n: abs(toward_zero(n)) % 2 == 1)
_add("ROUND", N1, NUMBER, half_away)
_add("ROUND", N2, NUMBER, lambda n, d: half_away(n, whole(d, -15, 15)))
_add("ROUNDUP", N1, NUMBER, away_from_zero)
_add("ROUNDUP", N2, NUMBER, away_from_zero)
_add("ROUNDDOWN", N2, NUMBER, cut)
_add("TRUNC", N1, NUMBER, cut)
_add("TRUNC", N2, NUMBER, cut)
_add("INT", N1, NUMBER, lambda n: Fraction(math.floor(n)))
_add("CEILING", N1, NUMBER, lambda n: Fraction(math.ceil(n)))
_add("CEILING", N2, NUMBER, refusing(lambda n, of: of == 0, lambda n, of: math.ceil(n / of) * of))
_add("FLOOR", N1, NUMBER, lambda n: Fraction(math.floor(n)))
_add("FLOOR", N2, NUMBER, refusing(lambda n, of: of == 0, lambda n, of: math.floor(n / of) * of))
_add("EVEN", N1, NUMBER, even)
_add("ODD", N1, NUMBER, odd)
_add("DATE", N3, DATE, make_date)
_add("DATEVALUE", TEXT, DATE, read_day)
_add("TIME", N3, TIME, make_time)
_add("YEAR", DATE, NUMBER, lambda d: Fraction(d.year))
_add("MONTH", DATE, NUMBER, lambda d: Fraction(d.month))
_add("DAY", DATE, NUMBER, lambda d: Fraction(d.day))
for _type in (TIME, MOMENT):
    _add("HOUR", _type, NUMBER, lambda d: Fraction(d.hour))
    _add("MINUTE", _type, NUMBER, lambda d: Fraction(d.minute))
    _add("SECOND", _type, NUMBER, lambda d: Fraction(d.second))
_add("WEEKDAY", DATE, NUMBER, weekday)
_add("WEEKDAY", f"{DATE} {NUMBER}", NUMBER, weekday)
_add("ISOWEEKNUM", DATE, NUMBER, lambda d: Fraction(d.isocalendar().week))
_add("EDATE", f"{DATE} {NUMBER}", DATE, months_later)
_add("EOMONTH", f"{DATE} {NUMBER}", DATE, month_end)
_add("DAYS", f"{DATE} {DATE}", NUMBER, subtract)
_add("FV", N3, NUMBER, future)
_add("PV", N3, NUMBER, present)
_add("PMT", N3, NUMBER, installment)
_add("SLN", N3, NUMBER, lambda cost, left, n: quotient(cost - left, n))
_add("SYD", f"{N2} {N2}", NUMBER, lambda c, left, n, at: quotient((c - left) * (n + 1 - at) * 2, n * (n + 1)))
#: TEXT takes a pattern that stands in the formula.
PATTERNS = {DATE: "dd/MM/yyyy", MOMENT: "HH:mm", TIME: "HH:mm", NUMBER: "0000.00"}


def evaluate(node: Node, row: Mapping[str, Any]) -> tuple[Any, bool]:
    """
    (what the formula comes to on a row, whether a part of it that counts has no result). Blank is None.

    Raises Untold where the true value cannot be told exactly.
    """
    if isinstance(node, Value):
        return node.value, False
    if isinstance(node, Field):
        return row[node.name], False
    if node.function == "TEXT":
        value, fault = evaluate(node.arguments[0], row)
        pattern = node.arguments[1].value  # type: ignore[union-attr]
        return _called(shown_by(pattern), [value], fault) if value is not None else (None, fault)
    found = [evaluate(a, row) for a in node.arguments]
    values, faults = [v for v, _ in found], [f for _, f in found]
    takes, _, function = _signature(node)
    match node.function:
        case "ISERROR":
            return faults[0], False
        case "IFERROR":
            return found[1] if faults[0] else found[0]
        case "IF":
            _settled(values[0])
            if values[0]:
                return values[1], faults[0] or faults[1]
            return (values[2], faults[0] or faults[2]) if len(values) > 2 else (None, faults[0])
    given = [_fitted(v, a.type, want) for v, a, want in zip(values, node.arguments, takes, strict=True)]
    if node.function not in KEEPS:
        given = ["" if v is None and want == TEXT else v for v, want in zip(given, takes, strict=True)]
        if any(v is None for v in given):
            return None, any(faults)
    if node.function not in ("CHOOSE", "COUNTA", "COUNTBLANK", "ISBLANK"):
        for value in given:
            _settled(value)
    return _called(function, given, any(faults))


def _called(function: Callable[..., Any], given: Sequence[Any], fault: bool) -> tuple[Any, bool]:
    try:
        return function(*given), fault
    except Fault:
        return None, True


def _settled(value: Any) -> None:
    if isinstance(value, Near):
        raise Untold


def _fitted(value: Any, has: str, wants: str) -> Any:
    return as_text(value) if wants == TEXT and has != TEXT else value


def _signature(node: Apply) -> tuple[tuple[str, ...], str, Callable[..., Any]]:
    types = tuple(a.type for a in node.arguments)
    known = [s for s in SIGNATURES[node.function] if len(s[0]) == len(types) and s[1] == node.type]
    return next((s for s in known if s[0] == types), None) or next(
        s for s in known if all(w in (TEXT, t) for w, t in zip(s[0], types, strict=True))
    )
