"""
What the functions of formulas are in SQL: the parts that `functions` puts together.

A blank number, date or yes-no makes each of them blank. What the database refuses (a date outside its calendar, a
square root of less than nothing) never reaches it: those arguments become blank, and the function's fault says so.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql

from bouquet.core.patterns import parse_date_pattern, parse_number_pattern
from bouquet.core.values import WHITE

__all__ = [
    "NUMERIC",
    "Element",
    "F",
    "as_pattern",
    "blank_text",
    "calendar",
    "case",
    "choose",
    "clamped",
    "compared",
    "datevalue",
    "day_of",
    "days",
    "end_of_month",
    "far",
    "find",
    "inside_calendar",
    "interval",
    "is_blank",
    "is_day",
    "joined",
    "lower",
    "make_date",
    "minus",
    "modulo",
    "month_later",
    "months",
    "no_pattern",
    "num",
    "odd_letter",
    "op",
    "outside_calendar",
    "part",
    "plus",
    "relation",
    "relation_to_calendar",
    "shifted",
    "time_of",
    "txt",
    "value_of",
    "weekday",
    "whole",
    "xor",
]

Element = sa.ColumnElement[Any]

F = sa.func


def num(number: int | str) -> Element:
    return sa.literal_column(str(number), sa.Numeric())


def txt(text: str) -> Element:
    return sa.literal_column("'" + text.replace("'", "''") + "'", sa.Text())


def op(left: Element, operator: str, right: Element, type_: Any = None) -> Element:
    return left.op(operator, return_type=type_ or sa.Numeric())(right)


def relation(left: Element, operator: str, right: Element) -> Element:
    return left.bool_op(operator)(right)


def clamped(number: Element, least: int, greatest: int) -> Element:
    """
    A number kept within bounds. A blank stays one: GREATEST and LEAST would pass over it and give the bound.
    """
    return case(
        (relation(number, "<", num(least)), num(least)),
        (relation(number, ">", num(greatest)), num(greatest)),
        otherwise=number,
    )


def whole(number: Element, least: int = -1_000_000, greatest: int = 1_000_000) -> Element:
    """
    A number as a whole one, kept within bounds.
    """
    return sa.cast(F.trunc(clamped(number, least, greatest)), sa.Integer)


def days(number: Element) -> Element:
    return op(interval("1 day"), "*", sa.cast(number, sa.Float), postgresql.INTERVAL())


def interval(text: str) -> Element:
    return sa.cast(txt(text), postgresql.INTERVAL())


def months(number: Element) -> Element:
    return F.make_interval(num(0), whole(number, -24_000, 24_000))


def lower(text: Element) -> Element:
    return F.lower(text)


def case(*whens: tuple[Element, Element], otherwise: Element | None = None) -> Element:
    return sa.case(*whens, else_=otherwise if otherwise is not None else sa.null())


def calendar(day: Element) -> Element:
    """
    A date or moment of the years 1 to 9999, blank for any other and for the infinities.
    """
    return case((inside_calendar(day), day))


def inside_calendar(day: Element) -> Element:
    return sa.and_(
        relation(day, ">=", sa.cast(txt("0001-01-01"), sa.Date)),
        relation(day, "<", sa.cast(txt("10000-01-01"), sa.Date)),
    )


def outside_calendar(make: Callable[..., Element]) -> Callable[..., Element]:
    """
    When what `make` makes of its arguments is no date of the years 1 to 9999.
    """
    return lambda *given: sa.not_(inside_calendar(make(*given)))


def part(name: str) -> Callable[[Element], Element]:
    def build(value: Element) -> Element:
        dated = value if isinstance(value.type, sa.Time) else calendar(value)
        return sa.cast(sa.extract(name, dated), sa.Numeric)

    return build


def blank_text(text: Element) -> Element:
    """
    NULL, empty, or nothing but white space.
    """
    return sa.or_(text.is_(None), F.btrim(text, txt(WHITE)) == txt(""))


def is_blank(value: Element) -> Element:
    return blank_text(value) if isinstance(value.type, sa.String) else value.is_(None)


def day_of(moment: Element) -> Element:
    return sa.cast(moment, sa.Date)


def compared(operator: str) -> Callable[[Element, Element], Element]:
    def build(a: Element, b: Element) -> Element:
        texts = isinstance(a.type, sa.String) and isinstance(b.type, sa.String)
        return relation(lower(a), operator, lower(b)) if texts else relation(a, operator, b)

    return build


def joined(*texts: Element) -> Element:
    made = texts[0]
    for text in texts[1:]:
        made = op(made, "||", text, sa.Text())
    return made


def choose(index: Element, *values: Element) -> Element:
    return sa.case(*((relation(F.trunc(index), "=", num(n)), v) for n, v in enumerate(values, 1)), else_=sa.null())


def xor(*tests: Element) -> Element:
    odd = tests[0]
    for test in tests[1:]:
        odd = relation(odd, "<>", test)
    return odd


def find(needle: Element, text: Element, start: Element | None) -> Element:
    begin = whole(start, 1, 32_767) if start is not None else num(1)
    at = F.strpos(F.substr(text, begin), needle)
    return sa.cast(case((relation(at, ">", num(0)), op(at, "+", op(begin, "-", num(1))))), sa.Numeric)


#: A text that can be read as a number: with a sign, point and exponent as OpenFormula's VALUE takes them.
NUMERIC = r"^\s*[+-]?(\d{1,40}(\.\d{0,40})?|\.\d{1,40})([eE][+-]?\d{1,2})?\s*$"
_ISO_DAY = r"^\s*\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])\s*$"


def value_of(text: Element) -> Element:
    return case((text.bool_op("~")(txt(NUMERIC)), sa.cast(case((text.bool_op("~")(txt(NUMERIC)), text)), sa.Numeric)))


def _day_parts(text: Element) -> tuple[Element, Element, Element]:
    plain = F.btrim(text)
    return (
        sa.cast(F.substr(plain, num(1), num(4)), sa.Integer),
        sa.cast(F.substr(plain, num(6), num(2)), sa.Integer),
        sa.cast(F.substr(plain, num(9), num(2)), sa.Integer),
    )


def is_day(text: Element) -> Element:
    year, month, day = _day_parts(text)
    first = F.make_date(F.greatest(year, num(1)), month, num(1))
    days = sa.extract("day", op(op(first, "+", interval("1 month")), "-", interval("1 day")))
    return sa.case(
        (text.bool_op("~")(txt(_ISO_DAY)), sa.and_(relation(year, ">", num(0)), relation(day, "<=", days))),
        else_=sa.false(),
    )


def datevalue(text: Element) -> Element:
    year, month, day = _day_parts(text)
    return case((is_day(text), F.make_date(year, month, day)))


def make_date(year: Element, month: Element, day: Element) -> Element:
    first = F.make_date(whole(year, 1, 9_000), num(1), num(1))
    shifted = op(first, "+", F.make_interval(num(0), whole(month, -12_000, 12_000) - 1), sa.DateTime())
    return day_of(op(day_of(shifted), "+", op(whole(day, -400_000, 400_000), "-", num(1)), sa.Date()))


def weekday(day: Element, kind: Element | None) -> Element:
    sunday, monday = part("dow")(day), part("isodow")(day)
    if kind is None:
        return op(sunday, "+", num(1))
    return case(
        (relation(kind, "=", num(1)), op(sunday, "+", num(1))),
        (relation(kind, "=", num(2)), monday),
        (relation(kind, "=", num(3)), op(monday, "-", num(1))),
    )


def month_later(day: Element, number: Element) -> Element:
    return day_of(op(calendar(day), "+", months(number), sa.DateTime()))


def end_of_month(day: Element, number: Element) -> Element:
    moved = op(calendar(day), "+", months(number), sa.DateTime())
    return day_of(op(F.date_trunc(txt("month"), moved), "+", interval("1 month - 1 day"), sa.DateTime()))


def shifted(sign: str) -> Callable[[Element, Element], Element]:
    def build(day: Element, number: Element) -> Element:
        if isinstance(day.type, sa.Date):
            # A date is the whole part of a moment: half a day before it lies in the day before.
            moved = number if sign == "+" else op(num(0), "-", number)
            return day_of(op(calendar(day), "+", whole(F.floor(moved), -400_000, 400_000), sa.Date()))
        return op(calendar(day), sign, days(clamped(number, -400_000, 400_000)), sa.DateTime())

    return build


def minus(a: Element, b: Element) -> Element:
    if isinstance(a.type, sa.Date) and isinstance(b.type, sa.Date):
        return sa.cast(op(calendar(a), "-", calendar(b)), sa.Numeric)
    if isinstance(a.type, sa.DateTime) and isinstance(b.type, sa.DateTime):
        return op(sa.cast(sa.extract("epoch", op(calendar(a), "-", calendar(b))), sa.Numeric), "/", num(86_400))
    if isinstance(a.type, sa.Date | sa.DateTime):
        return calendar(shifted("-")(a, b))
    return op(a, "-", b)


def plus(a: Element, b: Element) -> Element:
    return calendar(shifted("+")(a, b)) if isinstance(a.type, sa.Date | sa.DateTime) else op(a, "+", b)


def far(sign: str) -> Callable[[Element, Element], Element]:
    """
    Whether a date moved by so many days leaves the calendar; never, where numbers are added.
    """

    def build(a: Element, b: Element) -> Element:
        if not isinstance(a.type, sa.Date | sa.DateTime):
            return sa.false()
        if isinstance(b.type, sa.Date | sa.DateTime):
            return sa.not_(sa.and_(inside_calendar(a), inside_calendar(b)))
        return sa.or_(relation(F.abs(b), ">", num(400_000)), sa.not_(inside_calendar(shifted(sign)(a, b))))

    return build


def modulo(a: Element, b: Element) -> Element:
    """
    The rest of a division with the sign of the divisor, exactly: a quotient would be rounded.
    """
    rest = F.mod(a, F.nullif(b, num(0)))
    return case((relation(op(rest, "*", b), "<", num(0)), op(rest, "+", b)), otherwise=rest)


def time_of(hour: Element, minute: Element, second: Element) -> Element:
    total = op(op(op(hour, "*", num(3600)), "+", op(minute, "*", num(60))), "+", second)
    within = modulo(clamped(total, -(10**9), 10**9), num(86_400))
    return sa.cast(op(interval("1 second"), "*", sa.cast(within, sa.Float)), sa.Time)


def odd_letter(number: Element) -> Element:
    return sa.or_(
        relation(number, "<", num(1)),
        relation(number, ">", num(1_114_111)),
        sa.and_(relation(number, ">=", num(55_296)), relation(number, "<=", num(57_343))),
    )


def relation_to_calendar(make: Callable[..., Element]) -> Callable[..., Element]:
    """
    A function of dates whose result stays within the calendar.
    """
    return lambda *given: calendar(make(*given))


def as_pattern(value: Element, pattern: str) -> Element:
    """
    A date, time or number as a text by a pattern (see `bouquet.core.patterns`).
    """
    if isinstance(value.type, sa.Numeric):
        shown = parse_number_pattern(pattern)
        return case(
            (
                relation(F.abs(value), "<", num("1e30")),
                F.to_char(F.round(value, num(shown.decimals)), txt(shown.to_char)),
            )
        )
    dated = sa.cast(value, postgresql.INTERVAL()) if isinstance(value.type, sa.Time) else calendar(value)
    return F.to_char(dated, txt(parse_date_pattern(pattern).to_char))


def no_pattern(value: Element, pattern: str) -> Element:
    if isinstance(value.type, sa.Numeric):
        return relation(F.abs(value), ">=", num("1e30"))
    return sa.false() if isinstance(value.type, sa.Time) else sa.not_(inside_calendar(value))
