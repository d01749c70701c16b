"""
What the functions of money are in SQL: payments, present and future values (OpenFormula, section 6.12).
"""

from __future__ import annotations

import sqlalchemy as sa

from bouquet.core.formula.expressions import Element, case, divided, num, op, relation
from bouquet.core.formula.phrases import F

__all__ = ["annuity", "annuity_fault", "at_start", "future_value", "payment", "present_value"]


def annuity_fault(rate: Element, periods: Element) -> Element:
    """
    Where a constant payment cannot be computed: a rate of -1 or less, or more than 1,200 periods.
    """
    return sa.or_(
        relation(rate, "<=", num(-1)), relation(F.abs(rate), ">", num(100)), relation(F.abs(periods), ">", num(1_200))
    )


def annuity(rate: Element, periods: Element) -> tuple[Element, Element]:
    """
    ((1 + rate) ^ periods, the sum of what one unit paid each period grows to), for a rate of zero, too.
    """
    sound = sa.not_(annuity_fault(rate, periods))
    growth = F.power(op(num("1.0"), "+", case((sound, rate))), case((sound, periods)))
    summed = case((relation(rate, "=", num(0)), periods), otherwise=divided(op(growth, "-", num(1)), rate))
    return growth, summed


def at_start(rate: Element, due: Element | None) -> Element:
    """
    What a payment at the start of each period gains beside one at its end.
    """
    if due is None:
        return num("1.0")
    return case((relation(due, "=", num(0)), num("1.0")), otherwise=op(num(1), "+", rate))


def future_value(
    rate: Element, periods: Element, payment: Element, now: Element | None = None, due: Element | None = None
) -> Element:
    growth, summed = annuity(rate, periods)
    paid = op(op(payment, "*", at_start(rate, due)), "*", summed)
    return op(num(0), "-", op(paid, "+", op(now if now is not None else num(0), "*", growth)))


def present_value(
    rate: Element, periods: Element, payment: Element, later: Element | None = None, due: Element | None = None
) -> Element:
    growth, summed = annuity(rate, periods)
    paid = op(op(payment, "*", at_start(rate, due)), "*", summed)
    return op(num(0), "-", divided(op(paid, "+", later if later is not None else num(0)), growth))


def payment(
    rate: Element, periods: Element, now: Element, later: Element | None = None, due: Element | None = None
) -> Element:
    growth, summed = annuity(rate, periods)
    owed = op(op(now, "*", growth), "+", later if later is not None else num(0))
    return op(num(0), "-", divided(owed, op(at_start(rate, due), "*", summed)))
