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
from sqlalchemy.dialects import postgresql

from bouquet.core.formula.types import Type

__all__ = ["FUNCTIONS", "GROUPS", "Function", "Parameter", "Signature"]

Element = sa.ColumnElement[Any]

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
    condition under which there is no result. `keeps_blanks` tells that text arguments come as they are, not as ''.
    """

    name: str
    group: str
    signatures: tuple[Signature, ...]
    meaning: str
    build: Callable[..., Element]
    fault: Callable[..., Element] | None = None
    keeps_blanks: bool = False
    example: tuple[str, str] = ("", "")


def _signature(text: str) -> Signature:
    found = re.fullmatch(r"\(?(.*?)\)? -> (\S+)", text)
    assert found, text
    parameters = []
    for part in filter(None, (p.strip() for p in found.group(1).split(";"))):
        repeats, optional = part.endswith("…"), part.startswith("[")
        parameters.append(Parameter(_TYPES.get(part.strip("[]…")), optional, repeats))
    return Signature(text, tuple(parameters), _TYPES.get(found.group(2)))


F = sa.func


def _n(number: int | str) -> Element:
    return sa.literal_column(str(number), sa.Numeric())


def _t(text: str) -> Element:
    return sa.literal_column("'" + text.replace("'", "''") + "'", sa.Text())


def _op(left: Element, operator: str, right: Element, type_: Any = None) -> Element:
    return left.op(operator, return_type=type_ or sa.Numeric())(right)


def _is(left: Element, operator: str, right: Element) -> Element:
    return left.bool_op(operator)(right)


def _whole(number: Element, least: int = -1_000_000, greatest: int = 1_000_000) -> Element:
    """
    A number as a whole one, kept within bounds.
    """
    return sa.cast(F.trunc(F.greatest(F.least(number, _n(greatest)), _n(least))), sa.Integer)


def _days(number: Element) -> Element:
    return _op(_interval("1 day"), "*", sa.cast(number, sa.Float), postgresql.INTERVAL())


def _interval(text: str) -> Element:
    return sa.cast(_t(text), postgresql.INTERVAL())


def _months(number: Element) -> Element:
    return F.make_interval(_n(0), _whole(number, -24_000, 24_000))


def _lower(text: Element) -> Element:
    return F.lower(text)


def _case(*whens: tuple[Element, Element], otherwise: Element | None = None) -> Element:
    return sa.case(*whens, else_=otherwise if otherwise is not None else sa.null())


def _part(name: str) -> Callable[[Element], Element]:
    return lambda d: sa.cast(sa.extract(name, d), sa.Numeric)


def _date(moment: Element) -> Element:
    return sa.cast(moment, sa.Date)


def _compared(operator: str) -> Callable[[Element, Element], Element]:
    def build(a: Element, b: Element) -> Element:
        texts = isinstance(a.type, sa.String) and isinstance(b.type, sa.String)
        return _is(_lower(a), operator, _lower(b)) if texts else _is(a, operator, b)

    return build


def _joined(*texts: Element) -> Element:
    joined = texts[0]
    for text in texts[1:]:
        joined = _op(joined, "||", text, sa.Text())
    return joined


def _choose(index: Element, *values: Element) -> Element:
    return sa.case(*((_is(F.trunc(index), "=", _n(n)), v) for n, v in enumerate(values, 1)), else_=sa.null())


def _xor(*tests: Element) -> Element:
    odd = tests[0]
    for test in tests[1:]:
        odd = _is(odd, "<>", test)
    return odd


def _find(needle: Element, text: Element, start: Element | None) -> Element:
    begin = _whole(start, 1, 32_767) if start is not None else _n(1)
    at = F.strpos(F.substr(text, begin), needle)
    return sa.cast(_case((_is(at, ">", _n(0)), _op(at, "+", _op(begin, "-", _n(1))))), sa.Numeric)


#: A text that can be read as a number: with a sign, point and exponent as OpenFormula's VALUE takes them.
_NUMERIC = r"^\s*[+-]?(\d{1,40}(\.\d{0,40})?|\.\d{1,40})([eE][+-]?\d{1,2})?\s*$"
_ISO_DAY = r"^\s*\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])\s*$"


def _value(text: Element) -> Element:
    return _case((text.bool_op("~")(_t(_NUMERIC)), sa.cast(_case((text.bool_op("~")(_t(_NUMERIC)), text)), sa.Numeric)))


def _day_parts(text: Element) -> tuple[Element, Element, Element]:
    plain = F.btrim(text)
    return (
        sa.cast(F.substr(plain, _n(1), _n(4)), sa.Integer),
        sa.cast(F.substr(plain, _n(6), _n(2)), sa.Integer),
        sa.cast(F.substr(plain, _n(9), _n(2)), sa.Integer),
    )


def _is_day(text: Element) -> Element:
    year, month, day = _day_parts(text)
    first = F.make_date(F.greatest(year, _n(1)), month, _n(1))
    days = sa.extract("day", _op(_op(first, "+", _interval("1 month")), "-", _interval("1 day")))
    return sa.case(
        (text.bool_op("~")(_t(_ISO_DAY)), sa.and_(_is(year, ">", _n(0)), _is(day, "<=", days))), else_=sa.false()
    )


def _datevalue(text: Element) -> Element:
    year, month, day = _day_parts(text)
    return _case((_is_day(text), F.make_date(year, month, day)))


def _make_date(year: Element, month: Element, day: Element) -> Element:
    first = F.make_date(_whole(year, 1, 9_000), _n(1), _n(1))
    shifted = _op(first, "+", F.make_interval(_n(0), _whole(month, -12_000, 12_000) - 1), sa.DateTime())
    return _date(_op(_date(shifted), "+", _op(_whole(day, -400_000, 400_000), "-", _n(1)), sa.Date()))


def _weekday(day: Element, kind: Element | None) -> Element:
    sunday, monday = _part("dow")(day), _part("isodow")(day)
    if kind is None:
        return _op(sunday, "+", _n(1))
    return _case(
        (_is(kind, "=", _n(1)), _op(sunday, "+", _n(1))),
        (_is(kind, "=", _n(2)), monday),
        (_is(kind, "=", _n(3)), _op(monday, "-", _n(1))),
    )


def _end_of_month(day: Element, months: Element) -> Element:
    moved = _op(day, "+", _months(months), sa.DateTime())
    return _date(_op(F.date_trunc(_t("month"), moved), "+", _interval("1 month - 1 day"), sa.DateTime()))


def _shifted(sign: str) -> Callable[[Element, Element], Element]:
    def build(day: Element, number: Element) -> Element:
        if isinstance(day.type, sa.Date):
            return _date(_op(day, sign, _whole(F.floor(number), -400_000, 400_000), sa.Date()))
        return _op(day, sign, _days(F.greatest(F.least(number, _n(400_000)), _n(-400_000))), sa.DateTime())

    return build


def _minus(a: Element, b: Element) -> Element:
    if isinstance(a.type, sa.Date) and isinstance(b.type, sa.Date):
        return sa.cast(_op(a, "-", b), sa.Numeric)
    if isinstance(a.type, sa.DateTime) and isinstance(b.type, sa.DateTime):
        return _op(sa.cast(sa.extract("epoch", _op(a, "-", b)), sa.Numeric), "/", _n(86_400))
    if isinstance(a.type, sa.Date | sa.DateTime):
        return _shifted("-")(a, b)
    return _op(a, "-", b)


def _plus(a: Element, b: Element) -> Element:
    return _shifted("+")(a, b) if isinstance(a.type, sa.Date | sa.DateTime) else _op(a, "+", b)


def _far(a: Element, b: Element) -> Element:
    if isinstance(b.type, sa.Date | sa.DateTime) or not isinstance(a.type, sa.Date | sa.DateTime):
        return sa.false()
    return _is(F.abs(b), ">", _n(400_000))


def _fold(pick: str) -> Callable[..., Element]:
    """
    The least, the greatest… of numbers; blanks are passed over, as spreadsheets do.
    """
    return lambda *numbers: getattr(F, pick)(*numbers) if len(numbers) > 1 else numbers[0]


def _count(*numbers: Element) -> Element:
    return sa.cast(F.num_nonnulls(*numbers), sa.Numeric)


def _sum(*numbers: Element) -> Element:
    total: Element = F.coalesce(numbers[0], _n(0))
    for number in numbers[1:]:
        total = _op(total, "+", F.coalesce(number, _n(0)))
    return _case((_is(F.num_nonnulls(*numbers), ">", _n(0)), total))


def _product(*numbers: Element) -> Element:
    total: Element = F.coalesce(numbers[0], _n(1))
    for number in numbers[1:]:
        total = _op(total, "*", F.coalesce(number, _n(1)))
    return _case((_is(F.num_nonnulls(*numbers), ">", _n(0)), total))


def _mod(a: Element, b: Element) -> Element:
    return _op(a, "-", _op(b, "*", F.floor(_op(a, "/", F.nullif(b, _n(0))))))


def _power_fault(a: Element, b: Element) -> Element:
    return sa.or_(
        sa.and_(_is(a, "=", _n(0)), _is(b, "<", _n(0))),
        sa.and_(_is(a, "<", _n(0)), _is(b, "<>", F.trunc(b))),
        _is(F.abs(a), ">", _n("1e12")),
        _is(F.abs(b), ">", _n(400)),
    )


def _multiple(step: Callable[[Element], Element]) -> Callable[..., Element]:
    def build(number: Element, of: Element | None = None) -> Element:
        if of is None:
            return step(number)
        return _op(step(_op(number, "/", F.nullif(of, _n(0)))), "*", of)

    return build


def _away(number: Element) -> Element:
    """
    To the next whole number away from zero.
    """
    return _op(F.sign(number), "*", F.ceil(F.abs(number)))


def _to_even(rest: int) -> Callable[[Element], Element]:
    def build(number: Element) -> Element:
        size = F.abs(number)
        up = _op(_op(F.ceil(_op(_op(size, "-", _n(rest)), "/", _n(2))), "*", _n(2)), "+", _n(rest))
        sign = _case((_is(number, "<", _n(0)), _n(-1)), otherwise=_n(1))
        return _op(sign, "*", F.greatest(up, _n(rest)))

    return build


def _scaled(step: Callable[[Element], Element]) -> Callable[..., Element]:
    def build(number: Element, digits: Element | None = None) -> Element:
        if digits is None:
            return step(number)
        scale = F.power(_n("10.0"), _whole(digits, -15, 15))
        return _op(step(_op(number, "*", scale)), "/", scale)

    return build


def _parity(rest: int) -> Callable[[Element], Element]:
    return lambda number: _is(_op(F.abs(F.trunc(number)), "%", _n(2)), "=", _n(rest))


def _time(hour: Element, minute: Element, second: Element) -> Element:
    total = _op(_op(_op(hour, "*", _n(3600)), "+", _op(minute, "*", _n(60))), "+", second)
    within = _mod(F.greatest(F.least(total, _n(10**9)), _n(-(10**9))), _n(86_400))
    return sa.cast(_op(_interval("1 second"), "*", sa.cast(within, sa.Float)), sa.Time)


def _odd_letter(number: Element) -> Element:
    return sa.or_(
        _is(number, "<", _n(1)),
        _is(number, ">", _n(1_114_111)),
        sa.and_(_is(number, ">=", _n(55_296)), _is(number, "<=", _n(57_343))),
    )


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
_add("+", "Operators", ("(number; number) -> number", *_CHANGE), "The sum; a date and a number of days.", _plus, fault=_far, example=("2 + 3", "5"))
_add("-", "Operators", ("(number; number) -> number", "(moment; moment) -> number", "(date; date) -> number", *_CHANGE), "The difference; between dates in days.", _minus, fault=_far, example=("7 - 10", "-3"))
_add("*", "Operators", "(number; number) -> number", "The product.", lambda a, b: _op(a, "*", b), example=("2 * 3.5", "7"))
_add("/", "Operators", "(number; number) -> number", "The quotient; dividing by zero gives a blank and a finding.", lambda a, b: _op(a, "/", F.nullif(b, _n(0))), fault=lambda a, b: _is(b, "=", _n(0)), example=("7 / 2", "3.5"))
_add("^", "Operators", "(number; number) -> number", "The power.", lambda a, b: F.power(_case((sa.not_(_power_fault(a, b)), a)), _case((sa.not_(_power_fault(a, b)), b))), fault=_power_fault, example=("2 ^ 10", "1024"))
_add("%", "Operators", "(number) -> number", "The number as a hundredth.", lambda a: _op(a, "/", _n(100)), example=("12.5%", "0.125"))
_add("prefix -", "Operators", "(number) -> number", "The number with the other sign.", lambda a: _op(_n(0), "-", a), example=("-(3)", "-3"))
_add("prefix +", "Operators", "(number) -> number", "The number as it is.", lambda a: a, example=("+3", "3"))
_add("&", "Operators", "(text; text) -> text", "One text after the other.", _joined, example=('"MB-" & 12', "MB-12"))
for _operator, _said, _shown in (("=", "equal", "TRUE"), ("<>", "not equal", "FALSE"), ("<", "less", "FALSE"), ("<=", "less or equal", "TRUE"), (">", "greater", "FALSE"), (">=", "greater or equal", "TRUE")):
    _add(_operator, "Operators", ("(number; number) -> yes-no", "(moment; moment) -> yes-no", "(date; date) -> yes-no", "(time; time) -> yes-no", "(text; text) -> yes-no", "(yes-no; yes-no) -> yes-no"), f"Whether the first is {_said}; texts are compared without regard to case.", _compared(_operator), example=(f'"Oak" {_operator} "oak"', _shown))

_add("IF", "Logic", "(yes-no; T; [T]) -> T", "The second where the first is true, else the third.", lambda test, a, b=None: sa.case((test, a), else_=b if b is not None else sa.null()), keeps_blanks=True, example=('IF(2 > 1; "yes"; "no")', "yes"))
_add("AND", "Logic", "(yes-no…) -> yes-no", "Whether all are true.", lambda *t: sa.and_(*t), example=("AND(TRUE(); FALSE())", "FALSE"))
_add("OR", "Logic", "(yes-no…) -> yes-no", "Whether at least one is true.", lambda *t: sa.or_(*t), example=("OR(TRUE(); FALSE())", "TRUE"))
_add("XOR", "Logic", "(yes-no…) -> yes-no", "Whether an odd number of them is true.", _xor, example=("XOR(TRUE(); TRUE())", "FALSE"))
_add("NOT", "Logic", "(yes-no) -> yes-no", "Whether it is false.", lambda t: sa.not_(t), example=("NOT(FALSE())", "TRUE"))
_add("TRUE", "Logic", "() -> yes-no", "True.", lambda: sa.true(), example=("TRUE()", "TRUE"))
_add("FALSE", "Logic", "() -> yes-no", "False.", lambda: sa.false(), example=("FALSE()", "FALSE"))

_add("ISBLANK", "Blanks", ("(text) -> yes-no", "(T) -> yes-no"), "Whether there is nothing, or nothing but white space.", lambda v: sa.or_(v.is_(None), F.btrim(v) == _t("")) if isinstance(v.type, sa.String) else v.is_(None), keeps_blanks=True, example=('ISBLANK("")', "TRUE"))
_add("COUNT", "Blanks", "(number…) -> number", "How many of the numbers are not blank.", _count, example=("COUNT(1; 2)", "2"))

_add("CHOOSE", "Choice", "(number; T…) -> T", "The value at a position, counted from 1; beyond them a blank and a finding.", _choose, fault=lambda i, *v: sa.or_(_is(i, "<", _n(1)), _is(i, ">=", _n(len(v) + 1))), keeps_blanks=True, example=('CHOOSE(2; "a"; "b")', "b"))

_add("CONCATENATE", "Text", "(text…) -> text", "One text after the other.", _joined, example=('CONCATENATE("a"; "b"; 3)', "ab3"))
_add("LEFT", "Text", "(text; [number]) -> text", "The first characters; one, if no number is given.", lambda t, n=None: F.substr(t, _n(1), _whole(n, 0, 32_767) if n is not None else _n(1)), example=('LEFT("Marrowby"; 3)', "Mar"))
_add("RIGHT", "Text", "(text; [number]) -> text", "The last characters; one, if no number is given.", lambda t, n=None: F.right(t, _whole(n, 0, 32_767) if n is not None else _n(1)), example=('RIGHT("Marrowby"; 2)', "by"))
_add("MID", "Text", "(text; number; number) -> text", "So many characters from a position, counted from 1.", lambda t, s, n: F.substr(t, _whole(s, 1, 32_767), _whole(n, 0, 32_767)), fault=lambda t, s, n: sa.or_(_is(s, "<", _n(1)), _is(n, "<", _n(0))), example=('MID("Marrowby"; 4; 3)', "row"))
_add("LEN", "Text", "(text) -> number", "How many characters.", lambda t: sa.cast(F.char_length(t), sa.Numeric), example=('LEN("oak")', "3"))
_add("LOWER", "Text", "(text) -> text", "In small letters.", lambda t: F.lower(t), example=('LOWER("Oak")', "oak"))
_add("UPPER", "Text", "(text) -> text", "In capital letters.", lambda t: F.upper(t), example=('UPPER("Oak")', "OAK"))
_add("PROPER", "Text", "(text) -> text", "Each word with a capital letter.", lambda t: F.initcap(t), example=('PROPER("common oak")', "Common Oak"))
_add("TRIM", "Text", "(text) -> text", "Without blanks around it, and with single blanks inside.", lambda t: F.btrim(F.regexp_replace(t, _t(" +"), _t(" "), _t("g")), _t(" ")), example=('TRIM("  a   b ")', "a b"))
_add("CLEAN", "Text", "(text) -> text", "Without characters that cannot be printed.", lambda t: F.regexp_replace(t, _t(r"[\x01-\x1f\x7f]"), _t(""), _t("g")), example=('CLEAN("oak")', "oak"))
_add("SUBSTITUTE", "Text", "(text; text; text) -> text", "With each occurrence of the second text replaced by the third.", lambda t, a, b: _case((_is(a, "=", _t("")), t), otherwise=F.replace(t, a, b)), example=('SUBSTITUTE("1-2-3"; "-"; "/")', "1/2/3"))
_add("REPLACE", "Text", "(text; number; number; text) -> text", "With so many characters from a position replaced.", lambda t, s, n, new: _joined(F.substr(t, _n(1), _op(_whole(s, 1, 32_767), "-", _n(1))), new, F.substr(t, _op(_whole(s, 1, 32_767), "+", _whole(n, 0, 32_767)))), fault=lambda t, s, n, new: sa.or_(_is(s, "<", _n(1)), _is(n, "<", _n(0))), example=('REPLACE("abcd"; 2; 2; "X")', "aXd"))
_add("FIND", "Text", "(text; text; [number]) -> number", "The position of the first text in the second, exactly; a blank and a finding where it is not in it.", lambda a, t, s=None: _find(a, t, s), fault=lambda a, t, s=None: _find(a, t, s).is_(None), example=('FIND("r"; "Marrow")', "3"))
_add("SEARCH", "Text", "(text; text; [number]) -> number", "As FIND, without regard to case.", lambda a, t, s=None: _find(_lower(a), _lower(t), s), fault=lambda a, t, s=None: _find(_lower(a), _lower(t), s).is_(None), example=('SEARCH("R"; "Marrow")', "3"))
_add("REPT", "Text", "(text; number) -> text", "The text so many times, at most 1,000.", lambda t, n: F.repeat(t, _whole(n, 0, 1_000)), fault=lambda t, n: sa.or_(_is(n, "<", _n(0)), _is(n, ">", _n(1_000))), example=('REPT("ab"; 3)', "ababab"))
_add("EXACT", "Text", "(text; text) -> yes-no", "Whether two texts are the same, to the letter and its case.", lambda a, b: _is(a, "=", b), example=('EXACT("Oak"; "oak")', "FALSE"))
_add("VALUE", "Text", "(text) -> number", "The number a text says; a blank and a finding where it says none.", _value, fault=lambda t: sa.and_(F.btrim(t) != _t(""), sa.not_(t.bool_op("~")(_t(_NUMERIC)))), example=('VALUE("12.50")', "12.5"))
_add("FIXED", "Text", "(number; [number]) -> text", "The number with so many digits after the point, 2 if not given, as a text without grouping.", lambda n, d=None: sa.cast(F.round(n, _whole(d, 0, 15) if d is not None else _n(2)), sa.Text), example=("FIXED(2.345; 2)", "2.35"))
_add("UNICODE", "Text", "(text) -> number", "The Unicode number of the first letter.", lambda t: sa.cast(F.ascii(F.nullif(t, _t(""))), sa.Numeric), example=('UNICODE("A")', "65"))
_add("UNICHAR", "Text", "(number) -> text", "The letter with a Unicode number.", lambda n: F.chr(_case((sa.not_(_odd_letter(n)), _whole(n, 1, 1_114_111)))), fault=lambda n: _odd_letter(n), example=("UNICHAR(65)", "A"))

_add("ABS", "Number", "(number) -> number", "Without its sign.", lambda n: F.abs(n), example=("ABS(-3)", "3"))
_add("SIGN", "Number", "(number) -> number", "-1, 0 or 1.", lambda n: F.sign(n), example=("SIGN(-3)", "-1"))
_add("MOD", "Number", "(number; number) -> number", "The rest of a division, with the sign of the divisor.", _mod, fault=lambda a, b: _is(b, "=", _n(0)), example=("MOD(-7; 3)", "2"))
_add("QUOTIENT", "Number", "(number; number) -> number", "The whole part of a division.", lambda a, b: F.trunc(_op(a, "/", F.nullif(b, _n(0)))), fault=lambda a, b: _is(b, "=", _n(0)), example=("QUOTIENT(7; 2)", "3"))
_add("POWER", "Number", "(number; number) -> number", "The power.", _table.functions["^"].build, fault=_power_fault, example=("POWER(2; 3)", "8"))
_add("SQRT", "Number", "(number) -> number", "The square root; of a negative number a blank and a finding.", lambda n: F.sqrt(_case((_is(n, ">=", _n(0)), n))), fault=lambda n: _is(n, "<", _n(0)), example=("SQRT(16)", "4"))
_add("EXP", "Number", "(number) -> number", "e to the power of the number.", lambda n: F.exp(_case((_is(F.abs(n), "<=", _n(400)), n))), fault=lambda n: _is(F.abs(n), ">", _n(400)), example=("EXP(0)", "1"))
_add("LN", "Number", "(number) -> number", "The natural logarithm.", lambda n: F.ln(_case((_is(n, ">", _n(0)), n))), fault=lambda n: _is(n, "<=", _n(0)), example=("LN(1)", "0"))
_add("LOG10", "Number", "(number) -> number", "The logarithm to base 10.", lambda n: F.log(_case((_is(n, ">", _n(0)), n))), fault=lambda n: _is(n, "<=", _n(0)), example=("LOG10(1000)", "3"))
_add("PI", "Number", "() -> number", "The ratio of a circle's round to its width.", lambda: _n("3.14159265358979"), example=("PI()", "3.14159265358979"))
_add("MIN", "Number", "(number…) -> number", "The least of the numbers that are not blank.", _fold("least"), example=("MIN(3; 1; 2)", "1"))
_add("MAX", "Number", "(number…) -> number", "The greatest of the numbers that are not blank.", _fold("greatest"), example=("MAX(3; 1; 2)", "3"))
_add("SUM", "Number", "(number…) -> number", "The sum of the numbers that are not blank.", _sum, example=("SUM(1; 2; 3)", "6"))
_add("PRODUCT", "Number", "(number…) -> number", "The product of the numbers that are not blank.", _product, example=("PRODUCT(2; 3; 4)", "24"))
_add("AVERAGE", "Number", "(number…) -> number", "The mean of the numbers that are not blank.", lambda *n: _op(_sum(*n), "/", F.nullif(_count(*n), _n(0))), example=("AVERAGE(1; 2; 3)", "2"))
_add("ISEVEN", "Number", "(number) -> yes-no", "Whether the whole part is even.", _parity(0), example=("ISEVEN(4)", "TRUE"))
_add("ISODD", "Number", "(number) -> yes-no", "Whether the whole part is odd.", _parity(1), example=("ISODD(4)", "FALSE"))

_add("ROUND", "Rounding", "(number; [number]) -> number", "Rounded to so many digits, halves away from zero.", lambda n, d=None: F.round(n, _whole(d, -15, 15)) if d is not None else F.round(n), example=("ROUND(2.345; 2)", "2.35"))
_add("ROUNDUP", "Rounding", "(number; [number]) -> number", "Rounded away from zero.", _scaled(_away), example=("ROUNDUP(2.341; 2)", "2.35"))
_add("ROUNDDOWN", "Rounding", "(number; [number]) -> number", "Rounded towards zero.", _scaled(lambda n: F.trunc(n)), example=("ROUNDDOWN(-2.349; 2)", "-2.34"))
_add("TRUNC", "Rounding", "(number; [number]) -> number", "Without the digits after the point, or after so many.", lambda n, d=None: F.trunc(n, _whole(d, -15, 15)) if d is not None else F.trunc(n), example=("TRUNC(-2.9)", "-2"))
_add("INT", "Rounding", "(number) -> number", "The next whole number below.", lambda n: F.floor(n), example=("INT(-2.1)", "-3"))
_add("CEILING", "Rounding", "(number; [number]) -> number", "Up to the next multiple of the second number, 1 if not given.", _multiple(lambda n: F.ceil(n)), fault=lambda n, of=None: sa.false() if of is None else _is(of, "=", _n(0)), example=("CEILING(12; 5)", "15"))
_add("FLOOR", "Rounding", "(number; [number]) -> number", "Down to the next multiple of the second number, 1 if not given.", _multiple(lambda n: F.floor(n)), fault=lambda n, of=None: sa.false() if of is None else _is(of, "=", _n(0)), example=("FLOOR(12; 5)", "10"))
_add("EVEN", "Rounding", "(number) -> number", "Away from zero to the next even whole number.", _to_even(0), example=("EVEN(3)", "4"))
_add("ODD", "Rounding", "(number) -> number", "Away from zero to the next odd whole number.", _to_even(1), example=("ODD(4)", "5"))

_add("TODAY", "Date and time", "() -> date", "The day of the run's as-of moment.", lambda: sa.null())
_add("NOW", "Date and time", "() -> moment", "The run's as-of moment.", lambda: sa.null())
_add("DATE", "Date and time", "(number; number; number) -> date", "The date of a year, month and day; months and days beyond their end count on.", _make_date, fault=lambda y, m, d: sa.or_(_is(y, "<", _n(1)), _is(y, ">", _n(9_000)), _is(F.abs(m), ">", _n(12_000)), _is(F.abs(d), ">", _n(400_000))), example=("DATE(2026; 13; 1)", "2027-01-01"))
_add("DATEVALUE", "Date and time", "(text) -> date", "The date a text says as year-month-day; a blank and a finding where it says none.", _datevalue, fault=lambda t: sa.and_(F.btrim(t) != _t(""), sa.not_(_is_day(t))), example=('DATEVALUE("2024-02-29")', "2024-02-29"))
_add("TIME", "Date and time", "(number; number; number) -> time", "The time of an hour, minute and second.", _time, example=("TIME(14; 30; 0)", "14:30:00"))
for _name, _code, _meaning in (("YEAR", "year", "The year of a date."), ("MONTH", "month", "The month of a date, 1 to 12."), ("DAY", "day", "The day of the month.")):
    _add(_name, "Date and time", "(date) -> number", _meaning, _part(_code), example=(f"{_name}(DATE(2026; 11; 23))", {"YEAR": "2026", "MONTH": "11", "DAY": "23"}[_name]))
for _name, _code, _meaning in (("HOUR", "hour", "The hour, 0 to 23."), ("MINUTE", "minute", "The minute, 0 to 59.")):
    _add(_name, "Date and time", ("(time) -> number", "(moment) -> number"), _meaning, _part(_code), example=(f"{_name}(TIME(14; 30; 5))", {"HOUR": "14", "MINUTE": "30"}[_name]))
_add("SECOND", "Date and time", ("(time) -> number", "(moment) -> number"), "The whole second, 0 to 59.", lambda d: F.floor(_part("second")(d)), example=("SECOND(TIME(14; 30; 5))", "5"))
_add("WEEKDAY", "Date and time", "(date; [number]) -> number", "The day of the week: from Sunday as 1 (type 1, or not given), from Monday as 1 (type 2), from Monday as 0 (type 3).", lambda d, k=None: _weekday(d, k), fault=lambda d, k=None: sa.false() if k is None else k.not_in([_n(1), _n(2), _n(3)]), example=("WEEKDAY(DATE(2026; 11; 23); 2)", "1"))
_add("ISOWEEKNUM", "Date and time", "(date) -> number", "The week of the year by ISO 8601.", _part("week"), example=("ISOWEEKNUM(DATE(2026; 11; 23))", "48"))
_add("EDATE", "Date and time", "(date; number) -> date", "So many months later; at the end of a month at the latest.", lambda d, n: _date(_op(d, "+", _months(n), sa.DateTime())), fault=lambda d, n: _is(F.abs(n), ">", _n(24_000)), example=("EDATE(DATE(2026; 1; 31); 1)", "2026-02-28"))
_add("EOMONTH", "Date and time", "(date; number) -> date", "The last day of the month so many months later.", _end_of_month, fault=lambda d, n: _is(F.abs(n), ">", _n(24_000)), example=("EOMONTH(DATE(2026; 1; 15); 1)", "2026-02-28"))
_add("DAYS", "Date and time", "(date; date) -> number", "The days from the second date to the first.", lambda a, b: sa.cast(_op(a, "-", b), sa.Numeric), example=("DAYS(DATE(2026; 3; 1); DATE(2026; 2; 1))", "28"))

# fmt: on

#: Every function and operator, by name.
FUNCTIONS: dict[str, Function] = _table.functions
