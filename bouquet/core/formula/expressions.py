"""
What the functions of formulas are in SQL: the parts that `functions` puts together.

A blank number, date or yes-no makes each of them blank. What the database refuses (a date outside its calendar, a
square root of less than nothing) never reaches it: those arguments become blank, and the function's fault says so.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import sqlalchemy as sa

from bouquet.core.formula.phrases import F

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
    "divided",
    "end_of_month",
    "far",
    "find",
    "inside_calendar",
    "is_blank",
    "is_day",
    "joined",
    "lower",
    "make_date",
    "minus",
    "modulo",
    "month_later",
    "no_pattern",
    "num",
    "number_of",
    "odd_letter",
    "op",
    "outside_calendar",
    "part",
    "plus",
    "relation",
    "relation_to_calendar",
    "says_number",
    "shifted",
    "time_of",
    "times",
    "txt",
    "value_of",
    "weekday",
    "whole",
    "xor",
]

Element = sa.ColumnElement[Any]


def num(number: int | str) -> Element:
    return sa.literal_column(str(number), sa.Numeric())


def txt(text: str) -> Element:
    return sa.literal_column("'" + text.replace("'", "''") + "'", sa.Text())


def op(left: Element, operator: str, right: Element, type_: Any = None) -> Element:
    return left.op(operator, return_type=type_ or sa.Numeric())(right)


def divided(left: Element, right: Element) -> Element:
    """
    The quotient; NULL over zero.
    """
    return F.divided(left, sa.func.nullif(right, num(0)), type_=sa.Numeric())


def times(left: Element, right: Element) -> Element:
    return F.times(left, right, type_=sa.Numeric())


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


def number_of(value: Element) -> Element:
    """
    A value as an exact number.
    """
    return F.number(value, type_=sa.Numeric())


def lower(text: Element) -> Element:
    return sa.func.lower(text)


def case(*whens: tuple[Element, Element], otherwise: Element | None = None) -> Element:
    return sa.case(*whens, else_=otherwise if otherwise is not None else sa.null())


def calendar(day: Element) -> Element:
    """
    A date or moment of the years 1 to 9999, blank for any other and for the infinities.
    """
    return case((inside_calendar(day), day))


def inside_calendar(day: Element) -> Element:
    return F.inside_calendar(day, type_=sa.Boolean())


def outside_calendar(make: Callable[..., Element]) -> Callable[..., Element]:
    """
    When what `make` makes of its arguments is no date of the years 1 to 9999.
    """
    return lambda *given: sa.not_(inside_calendar(make(*given)))


def part(name: str) -> Callable[[Element], Element]:
    def build(value: Element) -> Element:
        dated = value if isinstance(value.type, sa.Time) else calendar(value)
        return number_of(getattr(F, f"part_{name}")(dated))

    return build


def blank_text(text: Element) -> Element:
    """
    NULL, empty, or nothing but white space.
    """
    return sa.or_(text.is_(None), F.only_white(text, type_=sa.Boolean()))


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
    return number_of(case((relation(at, ">", num(0)), op(at, "+", op(begin, "-", num(1))))))


#: A text that can be read as a number: with a sign, point and exponent as OpenFormula's VALUE takes them.
NUMERIC = r"^[+-]?([0-9]{1,40}(\.[0-9]{0,40})?|\.[0-9]{1,40})([eE][+-]?[0-9]{1,2})?$"


def says_number(text: Element) -> Element:
    return F.matches(F.trimmed(text), txt(NUMERIC), type_=sa.Boolean())


def value_of(text: Element) -> Element:
    return case((says_number(text), number_of(case((says_number(text), F.trimmed(text))))))


def is_day(text: Element) -> Element:
    return F.says_day(text, type_=sa.Boolean())


def datevalue(text: Element) -> Element:
    return case((is_day(text), F.day_said(text, type_=sa.Date())))


def make_date(year: Element, month: Element, day: Element) -> Element:
    return F.date_of(
        whole(year, 1, 9_000), whole(month, -12_000, 12_000), whole(day, -400_000, 400_000), type_=sa.Date()
    )


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
    return F.months_later(calendar(day), whole(number, -24_000, 24_000), type_=sa.Date())


def end_of_month(day: Element, number: Element) -> Element:
    return F.end_of_month(calendar(day), whole(number, -24_000, 24_000), type_=sa.Date())


def shifted(sign: str) -> Callable[[Element, Element], Element]:
    def build(day: Element, number: Element) -> Element:
        if isinstance(day.type, sa.Date):
            # A date is the whole part of a moment: half a day before it lies in the day before.
            moved = number if sign == "+" else op(num(0), "-", number)
            return F.days_later(calendar(day), whole(F.floor(moved), -400_000, 400_000), type_=sa.Date())
        moved = clamped(number, -400_000, 400_000)
        name = "moment_later" if sign == "+" else "moment_before"
        return getattr(F, name)(calendar(day), moved, type_=sa.DateTime())  # type: ignore[no-any-return]

    return build


def minus(a: Element, b: Element) -> Element:
    if isinstance(a.type, sa.Date) and isinstance(b.type, sa.Date):
        return number_of(F.days_between(calendar(a), calendar(b)))
    if isinstance(a.type, sa.DateTime) and isinstance(b.type, sa.DateTime):
        return divided(F.seconds_between(calendar(a), calendar(b)), num(86_400))
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
    return F.time_of(within, type_=sa.Time())


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
    said = txt(pattern)
    if isinstance(value.type, sa.Numeric):
        return case((relation(F.abs(value), "<", num("1e30")), F.number_by_pattern(value, said)))
    if isinstance(value.type, sa.Time):
        return F.time_by_pattern(value, said, type_=sa.Text())
    return F.date_by_pattern(calendar(value), said, type_=sa.Text())


def no_pattern(value: Element, pattern: str) -> Element:
    if isinstance(value.type, sa.Numeric):
        return relation(F.abs(value), ">=", num("1e30"))
    return sa.false() if isinstance(value.type, sa.Time) else sa.not_(inside_calendar(value))
