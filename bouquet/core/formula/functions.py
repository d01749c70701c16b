"""
The functions and operators of formulas: one table that names, types, documents and implements them.

Names, arguments and meanings are those of OpenFormula (OASIS ODF 1.3, part 4); each group names its section.
Where OpenFormula gives an error, the value is blank and the run has a finding: `fault` says when.
A blank number, date or yes-no makes the result blank; texts read a blank as an empty text.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import sqlalchemy as sa

from bouquet.core.formula.expressions import (
    Element,
    as_pattern,
    calendar,
    case,
    choose,
    compared,
    datevalue,
    divided,
    end_of_month,
    far,
    find,
    inside_calendar,
    is_blank,
    is_day,
    joined,
    lower,
    make_date,
    minus,
    modulo,
    month_later,
    no_pattern,
    num,
    number_of,
    odd_letter,
    op,
    part,
    plus,
    relation,
    says_number,
    time_of,
    times,
    txt,
    value_of,
    weekday,
    whole,
    xor,
)
from bouquet.core.formula.money import annuity_fault, future_value, payment, present_value
from bouquet.core.formula.numbers import (
    away,
    ceiling_multiple,
    count,
    count_filled,
    floating,
    floor_multiple,
    parity,
    pick,
    power_fault,
    product,
    scaled,
    spread_of,
    to_even,
    total,
)
from bouquet.core.formula.phrases import F
from bouquet.core.formula.types import Call, Node, Type
from bouquet.core.language import CONSTANT

__all__ = ["FUNCTIONS", "GROUPS", "Function", "Parameter", "Signature", "can_fail"]

#: Groups of functions, with their section in OpenFormula.
GROUPS = {
    "Operators": "section 6.4",
    "Logic": "section 6.15",
    "Blanks": "section 6.13",
    "Choice": "section 6.14",
    "Text": "section 6.20",
    "Number": "section 6.16",
    "Rounding": "section 6.17",
    "Date and time": "section 6.10",
    "Money": "section 6.12",
}

#: Type names in signatures; `T` is any type, the same at each place.
_TYPES = {t.value: t for t in Type}


@dataclass(frozen=True)
class Parameter:
    """
    One place of a signature. `type` is None for `T`. The last one may repeat.
    """

    type: Type | None
    optional: bool
    repeats: bool


@dataclass(frozen=True)
class Signature:
    """
    One way to call a function, and what it comes to. `result` is None for `T`.
    """

    text: str
    parameters: tuple[Parameter, ...]
    result: Type | None


@dataclass(frozen=True, kw_only=True)
class Function:
    """
    A function or operator.

    `build` makes the SQL of one call from the SQL of its arguments (None where one was left out); `fault` makes the
    condition under which there is no result. `keeps_blanks` tells that text arguments come as they are, not as '', and
    that a blank argument may be at fault. `pattern_at` is the position of an argument that must be a text in the formula
    itself; it reaches `build` and `fault` as that text. `clamps` tells that `build` gives something though there is a
    fault, as it keeps its arguments within bounds.
    """

    name: str
    group: str
    signatures: tuple[Signature, ...]
    meaning: str
    build: Callable[..., Element]
    fault: Callable[..., Element] | None = None
    keeps_blanks: bool = False
    pattern_at: int | None = None
    clamps: bool = False
    example: tuple[str, str] = ("", "")


def _signature(text: str) -> Signature:
    found = re.fullmatch(r"\(?(.*?)\)? -> (\S+)", text)
    assert found, text
    parameters = []
    for place in filter(None, (p.strip() for p in found.group(1).split(";"))):
        repeats, optional = place.endswith("…"), place.startswith("[")
        parameters.append(Parameter(_TYPES.get(place.strip("[]…")), optional, repeats))
    return Signature(text, tuple(parameters), _TYPES.get(found.group(2)))


@dataclass
class _Table:
    functions: dict[str, Function] = field(default_factory=dict)

    def add(
        self,
        name: str,
        group: str,
        signatures: str | tuple[str, ...],
        meaning: str,
        build: Callable[..., Element],
        **more: Any,
    ) -> None:
        texts = (signatures,) if isinstance(signatures, str) else signatures
        self.functions[name] = Function(
            name=name,
            group=group,
            signatures=tuple(map(_signature, texts)),
            meaning=meaning,
            build=build,
            **more,
        )


_table = _Table()
_add = _table.add

# fmt: off
_CHANGE = ("(date; number) -> date", "(moment; number) -> moment")
_add("+", "Operators", ("(number; number) -> number", *_CHANGE), "The sum; a date and a number of days.", plus, fault=far("+"), clamps=True, example=("2 + 3", "5"))
_add("-", "Operators", ("(number; number) -> number", "(moment; moment) -> number", "(date; date) -> number", *_CHANGE), "The difference; between dates in days.", minus, fault=far("-"), clamps=True, example=("7 - 10", "-3"))
_add("*", "Operators", "(number; number) -> number", "The product.", times, example=("2 * 3.5", "7"))
_add("/", "Operators", "(number; number) -> number", "The quotient; dividing by zero gives a blank and a finding.", divided, fault=lambda a, b: relation(b, "=", num(0)), example=("7 / 2", "3.5"))
_add("^", "Operators", "(number; number) -> number", "The power.", lambda a, b: F.power(case((sa.not_(power_fault(a, b)), a)), case((sa.not_(power_fault(a, b)), b))), fault=power_fault, example=("2 ^ 10", "1024"))
_add("%", "Operators", "(number) -> number", "The number as a hundredth.", lambda a: divided(a, num(100)), example=("12.5%", "0.125"))
_add("prefix -", "Operators", "(number) -> number", "The number with the other sign.", lambda a: op(num(0), "-", a), example=("-(3)", "-3"))
_add("prefix +", "Operators", "(number) -> number", "The number as it is.", lambda a: a, example=("+3", "3"))
_add("&", "Operators", "(text; text) -> text", "One text after the other.", joined, example=('"MB-" & 12', "MB-12"))
for _operator, _said, _shown in (("=", "equal", "TRUE"), ("<>", "not equal", "FALSE"), ("<", "less", "FALSE"), ("<=", "less or equal", "TRUE"), (">", "greater", "FALSE"), (">=", "greater or equal", "TRUE")):
    _add(_operator, "Operators", ("(number; number) -> yes-no", "(moment; moment) -> yes-no", "(date; date) -> yes-no", "(time; time) -> yes-no", "(text; text) -> yes-no", "(yes-no; yes-no) -> yes-no"), f"Whether the first is {_said}; texts are compared without regard to case.", compared(_operator), example=(f'"Oak" {_operator} "oak"', _shown))

_add("IF", "Logic", "(yes-no; T; [T]) -> T", "The second where the first is true, else the third.", lambda test, a, b=None: sa.case((test, a), else_=b if b is not None else sa.null()), keeps_blanks=True, example=('IF(2 > 1; "yes"; "no")', "yes"))
_add("AND", "Logic", "(yes-no…) -> yes-no", "Whether all are true.", lambda *t: sa.and_(*t), example=("AND(TRUE(); FALSE())", "FALSE"))
_add("OR", "Logic", "(yes-no…) -> yes-no", "Whether at least one is true.", lambda *t: sa.or_(*t), example=("OR(TRUE(); FALSE())", "TRUE"))
_add("XOR", "Logic", "(yes-no…) -> yes-no", "Whether an odd number of them is true.", xor, example=("XOR(TRUE(); TRUE())", "FALSE"))
_add("NOT", "Logic", "(yes-no) -> yes-no", "Whether it is false.", lambda t: sa.not_(t), example=("NOT(FALSE())", "TRUE"))
_add("TRUE", "Logic", "() -> yes-no", "True.", lambda: sa.true(), example=("TRUE()", "TRUE"))
_add("FALSE", "Logic", "() -> yes-no", "False.", lambda: sa.false(), example=("FALSE()", "FALSE"))

_add("ISBLANK", "Blanks", ("(text) -> yes-no", "(T) -> yes-no"), "Whether there is nothing, or nothing but white space.", is_blank, keeps_blanks=True, example=('ISBLANK("")', "TRUE"))
_add("COUNTA", "Blanks", "(T…) -> number", "How many of the values are not blank.", count_filled, keeps_blanks=True, example=('COUNTA("a"; ""; "b")', "2"))
_add("COUNTBLANK", "Blanks", "(T…) -> number", "How many of the values are blank.", lambda *v: op(num(len(v)), "-", count_filled(*v)), keeps_blanks=True, example=('COUNTBLANK("a"; ""; "b")', "1"))
_add("ISNUMBER", "Blanks", ("(number) -> yes-no", "(T) -> yes-no"), "Whether it is a number that is not blank.", lambda v: v.is_not(None) if isinstance(v.type, sa.Numeric) else sa.false(), keeps_blanks=True, example=("ISNUMBER(3)", "TRUE"))
_add("ISTEXT", "Blanks", ("(text) -> yes-no", "(T) -> yes-no"), "Whether it is a text that is not blank.", lambda v: sa.not_(is_blank(v)) if isinstance(v.type, sa.String) else sa.false(), keeps_blanks=True, example=('ISTEXT("oak")', "TRUE"))
_add("ISNONTEXT", "Blanks", ("(text) -> yes-no", "(T) -> yes-no"), "Whether it is anything but a text.", lambda v: is_blank(v) if isinstance(v.type, sa.String) else sa.true(), keeps_blanks=True, example=("ISNONTEXT(3)", "TRUE"))
_add("ISLOGICAL", "Blanks", ("(yes-no) -> yes-no", "(T) -> yes-no"), "Whether it is yes or no, and not blank.", lambda v: v.is_not(None) if isinstance(v.type, sa.Boolean) else sa.false(), keeps_blanks=True, example=("ISLOGICAL(TRUE())", "TRUE"))
_add("ISERROR", "Blanks", "(T) -> yes-no", "Whether there is no result; the run has no finding of it then.", lambda v: sa.false(), keeps_blanks=True, example=("ISERROR(1 / 0)", "TRUE"))
_add("IFERROR", "Logic", "(T; T) -> T", "The first, or the second where the first has no result; the run has no finding of it then.", lambda v, instead: v, keeps_blanks=True, example=("IFERROR(1 / 0; 7)", "7"))
_add("COUNT", "Blanks", "(number…) -> number", "How many of the numbers are not blank.", count, example=("COUNT(1; 2)", "2"))

_add("CHOOSE", "Choice", "(number; T…) -> T", "The value at a position, counted from 1; beyond them a blank and a finding.", choose, fault=lambda i, *v: sa.or_(relation(i, "<", num(1)), relation(i, ">=", num(len(v) + 1))), keeps_blanks=True, example=('CHOOSE(2; "a"; "b")', "b"))

_add("CONCATENATE", "Text", "(text…) -> text", "One text after the other.", joined, example=('CONCATENATE("a"; "b"; 3)', "ab3"))
_add("LEFT", "Text", "(text; [number]) -> text", "The first characters; one, if no number is given.", lambda t, n=None: F.substr(t, num(1), whole(n, 0, 32_767) if n is not None else num(1)), example=('LEFT("Marrowby"; 3)', "Mar"))
_add("RIGHT", "Text", "(text; [number]) -> text", "The last characters; one, if no number is given.", lambda t, n=None: F.right(t, whole(n, 0, 32_767) if n is not None else num(1)), example=('RIGHT("Marrowby"; 2)', "by"))
_add("MID", "Text", "(text; number; number) -> text", "So many characters from a position, counted from 1.", lambda t, s, n: F.substr(t, whole(s, 1, 32_767), whole(n, 0, 32_767)), fault=lambda t, s, n: sa.or_(relation(s, "<", num(1)), relation(n, "<", num(0))), clamps=True, example=('MID("Marrowby"; 4; 3)', "row"))
_add("LEN", "Text", "(text) -> number", "How many characters.", lambda t: number_of(F.char_length(t)), example=('LEN("oak")', "3"))
_add("LOWER", "Text", "(text) -> text", "In small letters.", lower, example=('LOWER("Oak")', "oak"))
_add("UPPER", "Text", "(text) -> text", "In capital letters.", lambda t: F.upper(t), example=('UPPER("Oak")', "OAK"))
_add("PROPER", "Text", "(text) -> text", "Each word with a capital letter.", lambda t: F.initcap(t), example=('PROPER("common oak")', "Common Oak"))
_add("TRIM", "Text", "(text) -> text", "Without spaces around it, and with single spaces inside.", lambda t: F.single_spaced(t), example=('TRIM("  a   b ")', "a b"))
_add("CLEAN", "Text", "(text) -> text", "Without characters that cannot be printed.", lambda t: F.printable(t), example=('CLEAN("oak")', "oak"))
_add("SUBSTITUTE", "Text", "(text; text; text) -> text", "With each occurrence of the second text replaced by the third.", lambda t, a, b: F.replace(t, a, b), example=('SUBSTITUTE("1-2-3"; "-"; "/")', "1/2/3"))
_add("REPLACE", "Text", "(text; number; number; text) -> text", "With so many characters from a position replaced.", lambda t, s, n, new: joined(F.substr(t, num(1), op(whole(s, 1, 32_767), "-", num(1))), new, F.substr(t, op(whole(s, 1, 32_767), "+", whole(n, 0, 32_767)))), fault=lambda t, s, n, new: sa.or_(relation(s, "<", num(1)), relation(n, "<", num(0))), clamps=True, example=('REPLACE("abcd"; 2; 2; "X")', "aXd"))
_add("FIND", "Text", "(text; text; [number]) -> number", "The position of the first text in the second, exactly; a blank and a finding where it is not in it.", lambda a, t, s=None: find(a, t, s), fault=lambda a, t, s=None: find(a, t, s).is_(None), example=('FIND("r"; "Marrow")', "3"))
_add("SEARCH", "Text", "(text; text; [number]) -> number", "As FIND, without regard to case.", lambda a, t, s=None: find(lower(a), lower(t), s), fault=lambda a, t, s=None: find(lower(a), lower(t), s).is_(None), example=('SEARCH("R"; "Marrow")', "3"))
_add("REPT", "Text", "(text; number) -> text", "The text so many times, at most 1,000.", lambda t, n: F.repeat(t, whole(n, 0, 1_000)), fault=lambda t, n: sa.or_(relation(n, "<", num(0)), relation(n, ">", num(1_000))), clamps=True, example=('REPT("ab"; 3)', "ababab"))
_add("EXACT", "Text", "(text; text) -> yes-no", "Whether two texts are the same, to the letter and its case.", lambda a, b: relation(a, "=", b), example=('EXACT("Oak"; "oak")', "FALSE"))
_add("VALUE", "Text", "(text) -> number", "The number a text says; a blank and a finding where it says none.", value_of, fault=lambda t: sa.and_(sa.not_(is_blank(t)), sa.not_(says_number(t))), example=('VALUE("12.50")', "12.5"))
_add("TEXT", "Text", ("(date; text) -> text", "(moment; text) -> text", "(time; text) -> text", "(number; text) -> text"), "A date, time or number as a text by a pattern, which stands in the formula itself: yyyy, MM, dd, MMM, EEE (English names), HH, mm, ss; 0000, 0.00, #,##0.", as_pattern, fault=no_pattern, pattern_at=1, example=('TEXT(DATE(2026; 3; 1); "dd/MM/yyyy")', "01/03/2026"))
_add("T", "Text", ("(text) -> text", "(T) -> text"), "The text, and an empty text of anything else.", lambda v: v if isinstance(v.type, sa.String) else txt(""), keeps_blanks=True, example=('T("oak")', "oak"))
_add("FIXED", "Text", "(number; [number]) -> text", "The number with so many digits after the point, 2 if not given, as a text without grouping.", lambda n, d=None: F.fixed(n, whole(d, 0, 15) if d is not None else num(2)), example=("FIXED(2.345; 2)", "2.35"))
_add("UNICODE", "Text", "(text) -> number", "The Unicode number of the first letter.", lambda t: number_of(F.code_of(F.nullif(t, txt("")))), example=('UNICODE("A")', "65"))
_add("UNICHAR", "Text", "(number) -> text", "The letter with a Unicode number.", lambda n: F.chr(case((sa.not_(odd_letter(n)), whole(n, 1, 1_114_111)))), fault=lambda n: odd_letter(n), example=("UNICHAR(65)", "A"))

_add("ABS", "Number", "(number) -> number", "Without its sign.", lambda n: F.abs(n), example=("ABS(-3)", "3"))
_add("SIGN", "Number", "(number) -> number", "-1, 0 or 1.", lambda n: F.sign(n), example=("SIGN(-3)", "-1"))
_add("MOD", "Number", "(number; number) -> number", "The rest of a division, with the sign of the divisor.", modulo, fault=lambda a, b: relation(b, "=", num(0)), example=("MOD(-7; 3)", "2"))
_add("QUOTIENT", "Number", "(number; number) -> number", "The whole part of a division.", lambda a, b: F.div(a, F.nullif(b, num(0))), fault=lambda a, b: relation(b, "=", num(0)), example=("QUOTIENT(7; 2)", "3"))
_add("POWER", "Number", "(number; number) -> number", "The power.", _table.functions["^"].build, fault=power_fault, example=("POWER(2; 3)", "8"))
_add("SQRT", "Number", "(number) -> number", "The square root; of a negative number a blank and a finding.", lambda n: F.sqrt(case((relation(n, ">=", num(0)), n))), fault=lambda n: relation(n, "<", num(0)), example=("SQRT(16)", "4"))
_add("EXP", "Number", "(number) -> number", "e to the power of the number.", lambda n: F.exp(case((relation(F.abs(n), "<=", num(400)), n))), fault=lambda n: relation(F.abs(n), ">", num(400)), example=("EXP(0)", "1"))
_add("LN", "Number", "(number) -> number", "The natural logarithm.", lambda n: F.ln(case((relation(n, ">", num(0)), n))), fault=lambda n: relation(n, "<=", num(0)), example=("LN(1)", "0"))
_add("LOG10", "Number", "(number) -> number", "The logarithm to base 10.", lambda n: F.log(case((relation(n, ">", num(0)), n))), fault=lambda n: relation(n, "<=", num(0)), example=("LOG10(1000)", "3"))
_add("PI", "Number", "() -> number", "The ratio of a circle's round to its width.", lambda: num("3.14159265358979"), example=("PI()", "3.14159265358979"))
_add("MIN", "Number", "(number…) -> number", "The least of the numbers that are not blank.", pick("least"), example=("MIN(3; 1; 2)", "1"))
_add("MAX", "Number", "(number…) -> number", "The greatest of the numbers that are not blank.", pick("greatest"), example=("MAX(3; 1; 2)", "3"))
_add("SUM", "Number", "(number…) -> number", "The sum of the numbers that are not blank.", total, example=("SUM(1; 2; 3)", "6"))
_add("PRODUCT", "Number", "(number…) -> number", "The product of the numbers that are not blank.", product, example=("PRODUCT(2; 3; 4)", "24"))
_add("AVERAGE", "Number", "(number…) -> number", "The mean of the numbers that are not blank.", lambda *n: divided(total(*n), count(*n)), example=("AVERAGE(1; 2; 3)", "2"))
_add("ISEVEN", "Number", "(number) -> yes-no", "Whether the whole part is even.", parity(0), example=("ISEVEN(4)", "TRUE"))
_add("ISODD", "Number", "(number) -> yes-no", "Whether the whole part is odd.", parity(1), example=("ISODD(4)", "FALSE"))

for _name, _code, _meaning, _least, _greatest in (("SIN", "sin", "The sine of an angle in radians.", "-1e12", "1e12"), ("COS", "cos", "The cosine of an angle in radians.", "-1e12", "1e12"), ("TAN", "tan", "The tangent of an angle in radians.", "-1e12", "1e12"), ("ASIN", "asin", "The angle in radians whose sine it is; from -1 to 1.", "-1", "1"), ("ACOS", "acos", "The angle in radians whose cosine it is; from -1 to 1.", "-1", "1"), ("ATAN", "atan", "The angle in radians whose tangent it is.", "-1e12", "1e12"), ("DEGREES", "degrees", "An angle in radians as degrees.", "-1e12", "1e12"), ("RADIANS", "radians", "An angle in degrees as radians.", "-1e12", "1e12")):
    _build, _fault = floating(_code, _least, _greatest)
    _add(_name, "Number", "(number) -> number", _meaning, _build, fault=_fault, example=(f"ROUND({_name}(1); 3)", {"SIN": "0.841", "COS": "0.54", "TAN": "1.557", "ASIN": "1.571", "ACOS": "0", "ATAN": "0.785", "DEGREES": "57.296", "RADIANS": "0.017"}[_name]))
_add("ATAN2", "Number", "(number; number) -> number", "The angle in radians of the point with these two coordinates.", lambda x, y: case((sa.or_(relation(x, "<>", num(0)), relation(y, "<>", num(0))), floating("atan2")[0](y, x))), fault=lambda x, y: sa.or_(floating("atan2")[1](x, y), sa.and_(relation(x, "=", num(0)), relation(y, "=", num(0)))), example=("ROUND(ATAN2(1; 1); 3)", "0.785"))
_add("LOG", "Number", "(number; [number]) -> number", "The logarithm to a base, 10 if not given.", lambda n, b=None: F.log(case((relation(n, ">", num(0)), n))) if b is None else divided(F.ln(case((relation(n, ">", num(0)), n))), F.ln(case((relation(b, ">", num(0)), b)))), fault=lambda n, b=None: relation(n, "<=", num(0)) if b is None else sa.or_(relation(n, "<=", num(0)), relation(b, "<=", num(0)), relation(b, "=", num(1))), example=("ROUND(LOG(8; 2); 6)", "3"))
_add("FACT", "Number", "(number) -> number", "The factorial of the whole part, up to 170.", lambda n: F.factorial(sa.cast(F.trunc(case((sa.and_(relation(n, ">=", num(0)), relation(n, "<", num(171))), n))), sa.BigInteger)), fault=lambda n: sa.or_(relation(n, "<", num(0)), relation(n, ">=", num(171))), example=("FACT(5)", "120"))
_add("N", "Number", ("(number) -> number", "(yes-no) -> number"), "The number; 1 for yes and 0 for no.", lambda v: v if isinstance(v.type, sa.Numeric) else case((v, num(1)), (sa.not_(v), num(0))), example=("N(TRUE())", "1"))
for _name, _sample, _root, _meaning in (("VAR", True, False, "The variance of a sample: of the numbers that are not blank."), ("VARP", False, False, "The variance of all there are: of the numbers that are not blank."), ("STDEV", True, True, "The standard deviation of a sample: of the numbers that are not blank."), ("STDEVP", False, True, "The standard deviation of all there are: of the numbers that are not blank.")):
    _add(_name, "Number", "(number…) -> number", _meaning, (lambda sample, root: lambda *n: spread_of(*n, sample=sample, root=root))(_sample, _root), example=(f"ROUND({_name}(1; 2; 3; 4); 4)", {"VAR": "1.6667", "VARP": "1.25", "STDEV": "1.291", "STDEVP": "1.118"}[_name]))

_add("ROUND", "Rounding", "(number; [number]) -> number", "Rounded to so many digits, halves away from zero.", lambda n, d=None: F.round(n, whole(d, -15, 15)) if d is not None else F.round(n), example=("ROUND(2.345; 2)", "2.35"))
_add("ROUNDUP", "Rounding", "(number; [number]) -> number", "Rounded away from zero.", scaled(away), example=("ROUNDUP(2.341; 2)", "2.35"))
_add("ROUNDDOWN", "Rounding", "(number; [number]) -> number", "Rounded towards zero.", scaled(lambda n: F.trunc(n)), example=("ROUNDDOWN(-2.349; 2)", "-2.34"))
_add("TRUNC", "Rounding", "(number; [number]) -> number", "Without the digits after the point, or after so many.", lambda n, d=None: F.trunc(n, whole(d, -15, 15)) if d is not None else F.trunc(n), example=("TRUNC(-2.9)", "-2"))
_add("INT", "Rounding", "(number) -> number", "The next whole number below.", lambda n: F.floor(n), example=("INT(-2.1)", "-3"))
_add("CEILING", "Rounding", "(number; [number]) -> number", "Up to the next multiple of the second number, 1 if not given.", ceiling_multiple, fault=lambda n, of=None: sa.false() if of is None else relation(of, "=", num(0)), example=("CEILING(12; 5)", "15"))
_add("FLOOR", "Rounding", "(number; [number]) -> number", "Down to the next multiple of the second number, 1 if not given.", floor_multiple, fault=lambda n, of=None: sa.false() if of is None else relation(of, "=", num(0)), example=("FLOOR(12; 5)", "10"))
_add("EVEN", "Rounding", "(number) -> number", "Away from zero to the next even whole number.", to_even(0), example=("EVEN(3)", "4"))
_add("ODD", "Rounding", "(number) -> number", "Away from zero to the next odd whole number.", to_even(1), example=("ODD(4)", "5"))

_add("TODAY", "Date and time", "() -> date", "The day of the run's as-of moment.", lambda: sa.null())
_add("NOW", "Date and time", "() -> moment", "The run's as-of moment.", lambda: sa.null())
_add("DATE", "Date and time", "(number; number; number) -> date", "The date of a year, month and day; months and days beyond their end count on.", lambda y, m, d: calendar(make_date(y, m, d)), fault=lambda y, m, d: sa.or_(sa.not_(inside_calendar(make_date(y, m, d))), relation(y, "<", num(1)), relation(y, ">", num(9_000)), relation(F.abs(m), ">", num(12_000)), relation(F.abs(d), ">", num(400_000))), clamps=True, example=("DATE(2026; 13; 1)", "2027-01-01"))
_add("DATEVALUE", "Date and time", "(text) -> date", "The date a text says as year-month-day; a blank and a finding where it says none.", datevalue, fault=lambda t: sa.and_(sa.not_(is_blank(t)), sa.not_(is_day(t))), example=('DATEVALUE("2024-02-29")', "2024-02-29"))
_add("TIME", "Date and time", "(number; number; number) -> time", "The time of an hour, minute and second.", time_of, example=("TIME(14; 30; 0)", "14:30:00"))
for _name, _code, _meaning in (("YEAR", "year", "The year of a date."), ("MONTH", "month", "The month of a date, 1 to 12."), ("DAY", "day", "The day of the month.")):
    _add(_name, "Date and time", "(date) -> number", _meaning, part(_code), example=(f"{_name}(DATE(2026; 11; 23))", {"YEAR": "2026", "MONTH": "11", "DAY": "23"}[_name]))
for _name, _code, _meaning in (("HOUR", "hour", "The hour, 0 to 23."), ("MINUTE", "minute", "The minute, 0 to 59.")):
    _add(_name, "Date and time", ("(time) -> number", "(moment) -> number"), _meaning, part(_code), example=(f"{_name}(TIME(14; 30; 5))", {"HOUR": "14", "MINUTE": "30"}[_name]))
_add("SECOND", "Date and time", ("(time) -> number", "(moment) -> number"), "The whole second, 0 to 59.", lambda d: F.floor(part("second")(d)), example=("SECOND(TIME(14; 30; 5))", "5"))
_add("WEEKDAY", "Date and time", "(date; [number]) -> number", "The day of the week: from Sunday as 1 (type 1, or not given), from Monday as 1 (type 2), from Monday as 0 (type 3).", lambda d, k=None: weekday(d, k), fault=lambda d, k=None: sa.false() if k is None else k.not_in([num(1), num(2), num(3)]), example=("WEEKDAY(DATE(2026; 11; 23); 2)", "1"))
_add("ISOWEEKNUM", "Date and time", "(date) -> number", "The week of the year by ISO 8601.", part("week"), example=("ISOWEEKNUM(DATE(2026; 11; 23))", "48"))
_add("EDATE", "Date and time", "(date; number) -> date", "So many months later; at the end of a month at the latest.", lambda d, n: calendar(month_later(d, n)), fault=lambda d, n: sa.or_(relation(F.abs(n), ">", num(24_000)), sa.not_(inside_calendar(month_later(d, n)))), clamps=True, example=("EDATE(DATE(2026; 1; 31); 1)", "2026-02-28"))
_add("EOMONTH", "Date and time", "(date; number) -> date", "The last day of the month so many months later.", lambda d, n: calendar(end_of_month(d, n)), fault=lambda d, n: sa.or_(relation(F.abs(n), ">", num(24_000)), sa.not_(inside_calendar(end_of_month(d, n)))), clamps=True, example=("EOMONTH(DATE(2026; 1; 15); 1)", "2026-02-28"))
_add("DAYS", "Date and time", "(date; date) -> number", "The days from the second date to the first.", minus, fault=far("-"), example=("DAYS(DATE(2026; 3; 1); DATE(2026; 2; 1))", "28"))

_add("FV", "Money", "(number; number; number; [number]; [number]) -> number", "What a constant payment each period comes to: rate, periods, payment, amount now, and 1 where payments are at the start of a period.", future_value, fault=lambda r, n, *_: annuity_fault(r, n), example=("ROUND(FV(0.05; 10; -100); 2)", "1257.79"))
_add("PV", "Money", "(number; number; number; [number]; [number]) -> number", "What constant payments are worth now: rate, periods, payment, amount left at the end, and 1 where payments are at the start of a period.", present_value, fault=lambda r, n, *_: annuity_fault(r, n), example=("ROUND(PV(0.05; 10; -100); 2)", "772.17"))
_add("PMT", "Money", "(number; number; number; [number]; [number]) -> number", "The constant payment each period: rate, periods, amount now, amount left at the end, and 1 where payments are at the start of a period.", payment, fault=lambda r, n, *_: sa.or_(annuity_fault(r, n), relation(n, "=", num(0))), example=("ROUND(PMT(0.05; 10; 1000); 2)", "-129.5"))
_add("SLN", "Money", "(number; number; number) -> number", "What is written off each period in equal parts: cost, what is left at the end, periods.", lambda cost, left, n: divided(op(cost, "-", left), n), fault=lambda cost, left, n: relation(n, "=", num(0)), example=("SLN(1000; 100; 9)", "100"))
_add("SYD", "Money", "(number; number; number; number) -> number", "What is written off in one period by the sum of the years' digits: cost, what is left at the end, periods, the period.", lambda cost, left, n, at: divided(times(times(op(cost, "-", left), op(op(n, "+", num(1)), "-", at)), num(2)), times(n, op(n, "+", num(1)))), fault=lambda cost, left, n, at: sa.or_(relation(n, "=", num(0)), relation(n, "=", num(-1))), example=("SYD(1000; 100; 4; 1)", "360"))

# fmt: on

#: Every function and operator, by name.
FUNCTIONS: dict[str, Function] = _table.functions


def can_fail(node: Node | None) -> bool:
    """
    Whether a formula may have no result, apart from what it refers to.
    """
    if not isinstance(node, Call):
        return False
    function = FUNCTIONS.get(node.function)
    return (function is not None and function.fault is not None) or any(map(can_fail, node.arguments))


CONSTANT.update((*GROUPS, *(f.meaning for f in FUNCTIONS.values())))
