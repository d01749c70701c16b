"""
What the functions of numbers are in SQL: rounding, parts, statistics. Blanks are passed over, as spreadsheets do.
"""

from __future__ import annotations

from collections.abc import Callable

import sqlalchemy as sa

from bouquet.core.formula.expressions import (
    Element,
    case,
    divided,
    is_blank,
    modulo,
    num,
    number_of,
    op,
    relation,
    times,
    whole,
)
from bouquet.core.formula.phrases import F

__all__ = [
    "away",
    "ceiling_multiple",
    "count",
    "count_filled",
    "floating",
    "floor_multiple",
    "parity",
    "pick",
    "power_fault",
    "product",
    "scaled",
    "spread_of",
    "squares",
    "to_even",
    "total",
]


def pick(pick: str) -> Callable[..., Element]:
    """
    The least, the greatest… of numbers; blanks are passed over, as spreadsheets do.
    """
    return lambda *numbers: getattr(F, pick)(*numbers) if len(numbers) > 1 else numbers[0]


def count(*numbers: Element) -> Element:
    return number_of(F.num_nonnulls(*numbers))


def count_filled(*values: Element) -> Element:
    made: Element = num(0)
    for value in values:
        made = op(made, "+", case((is_blank(value), num(0)), otherwise=num(1)))
    return made


def total(*numbers: Element) -> Element:
    made: Element = F.coalesce(numbers[0], num(0))
    for number in numbers[1:]:
        made = op(made, "+", F.coalesce(number, num(0)))
    return case((relation(F.num_nonnulls(*numbers), ">", num(0)), made))


def product(*numbers: Element) -> Element:
    made: Element = F.coalesce(numbers[0], num(1))
    for number in numbers[1:]:
        made = times(made, F.coalesce(number, num(1)))
    return case((relation(F.num_nonnulls(*numbers), ">", num(0)), made))


def power_fault(a: Element, b: Element) -> Element:
    return sa.or_(
        sa.and_(relation(a, "=", num(0)), relation(b, "<", num(0))),
        sa.and_(relation(a, "<", num(0)), relation(b, "<>", F.trunc(b))),
        relation(F.abs(a), ">", num("1e12")),
        relation(F.abs(b), ">", num(400)),
    )


def floor_multiple(number: Element, of: Element | None = None) -> Element:
    return F.floor(number) if of is None else op(number, "-", modulo(number, of))


def ceiling_multiple(number: Element, of: Element | None = None) -> Element:
    return F.ceil(number) if of is None else op(number, "+", modulo(op(num(0), "-", number), of))


def away(number: Element) -> Element:
    """
    To the next whole number away from zero.
    """
    return op(F.sign(number), "*", F.ceil(F.abs(number)))


def to_even(rest: int) -> Callable[[Element], Element]:
    def build(number: Element) -> Element:
        size = F.abs(number)
        up = op(op(F.ceil(divided(op(size, "-", num(rest)), num(2))), "*", num(2)), "+", num(rest))
        sign = case((relation(number, "<", num(0)), num(-1)), otherwise=num(1))
        return op(sign, "*", case((relation(up, "<", num(rest)), num(rest)), otherwise=up))

    return build


def scaled(step: Callable[[Element], Element]) -> Callable[..., Element]:
    def build(number: Element, digits: Element | None = None) -> Element:
        if digits is None:
            return step(number)
        scale = F.power_of_ten(whole(digits, -15, 15))
        return divided(step(op(number, "*", scale)), scale)

    return build


def parity(rest: int) -> Callable[[Element], Element]:
    return lambda number: relation(op(F.abs(F.trunc(number)), "%", num(2)), "=", num(rest))


def floating(
    function: str, least: str = "-1e12", greatest: str = "1e12"
) -> tuple[Callable[..., Element], Callable[..., Element]]:
    """
    (build, fault) of a function that the database knows of binary numbers only: fifteen digits of it count.
    """

    def outside(*numbers: Element) -> Element:
        return sa.or_(*(sa.or_(relation(n, "<", num(least)), relation(n, ">", num(greatest))) for n in numbers))

    def build(*numbers: Element) -> Element:
        inside = sa.not_(outside(*numbers))
        # What lies nearer to zero than a binary number can is zero.
        near = [relation(F.abs(n), "<", num("1e-300")) for n in numbers]
        given = [F.double(case((z, num(0)), (inside, n))) for z, n in zip(near, numbers, strict=True)]
        found = getattr(F, function)(*given)
        return number_of(found)

    return build, outside


def squares(*numbers: Element) -> Element:
    """
    The sum of the squared differences from the mean.
    """
    mean = divided(total(*numbers), count(*numbers))
    return total(*(times(op(n, "-", mean), op(n, "-", mean)) for n in numbers))


def spread_of(*numbers: Element, sample: bool, root: bool) -> Element:
    """
    The variance of a sample or of all there are, or its square root.
    """
    divisor = op(count(*numbers), "-", num(1)) if sample else count(*numbers)
    found = divided(squares(*numbers), case((relation(divisor, ">", num(0)), divisor)))
    return F.sqrt(found) if root else found
