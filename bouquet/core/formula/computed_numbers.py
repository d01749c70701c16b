"""
Numbers that formulas compute in Python: exact decimals. Quotients, roots and the like have as many digits as PostgreSQL
gives them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from decimal import MAX_EMAX, MIN_EMIN, ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Context, Decimal
from typing import Any

__all__ = [
    "EXACT",
    "NEAR",
    "Fault",
    "cut",
    "divided",
    "exponential",
    "factorial",
    "known",
    "logarithm",
    "modulo",
    "multiple",
    "multiplied",
    "natural",
    "of_binary",
    "power",
    "refuse",
    "rounded",
    "sixteen",
    "square_root",
    "summed",
    "to_even",
    "variance",
    "whole",
]

#: Computes exactly.
EXACT = Context(prec=3_000, Emax=MAX_EMAX, Emin=MIN_EMIN)
#: Computes what can only be near.
NEAR = Context(prec=60, Emax=MAX_EMAX, Emin=MIN_EMIN)


class Fault(Exception):
    """
    A function has no result.
    """


def scale(number: Decimal) -> int:
    return max(0, -int(number.as_tuple().exponent))


def cut(number: Decimal, scale: int) -> Decimal:
    return number.quantize(Decimal(1).scaleb(-max(0, min(1_000, scale))), ROUND_HALF_UP, EXACT)


def weight(number: Decimal) -> tuple[int, int]:
    """
    (place of the first digit to base 10,000, that digit).
    """
    if not number:
        return 0, 0
    place = number.adjusted() // 4
    return place, int(abs(number).scaleb(-4 * place, EXACT))


#: Digits after the point that a quotient has at least: as many as a column may show.
QUOTIENT_DIGITS = 12


def divided(a: Decimal, b: Decimal) -> Decimal:
    """
    The quotient with the digits that PostgreSQL gives it (`select_div_scale` in its `numeric.c`), at least twelve.
    """
    if not b:
        raise Fault
    (place, digit), (other, divisor) = weight(a), weight(b)
    places = place - other - (digit <= divisor)
    digits = min(1_000, max(16 - 4 * places, scale(a), scale(b), QUOTIENT_DIGITS))
    return cut(Context(prec=digits + abs(a.adjusted()) + abs(b.adjusted()) + 20).divide(a, b), digits)


def sixteen(number: Decimal, *of: Decimal) -> Decimal:
    """
    A number of which sixteen digits count.
    """
    return cut(number, max(16 - number.adjusted(), *map(scale, of), 0)) if number else Decimal(0)


def power(a: Decimal, b: Decimal) -> Decimal:
    if (not a and b < 0) or (a < 0 and b != b.to_integral_value()) or abs(a) > 10**12 or abs(b) > 400:
        raise Fault
    return sixteen(NEAR.power(a, b), a, b) if a or b else Decimal(1)


def square_root(number: Decimal) -> Decimal:
    if number < 0:
        raise Fault
    place, _ = weight(number)
    return cut(NEAR.sqrt(number), max(16 - ((place + 1) * 2 - 1), scale(number)))


def logarithm(number: Decimal, base: Decimal | None = None) -> Decimal:
    if number <= 0 or (base is not None and (base <= 0 or base == 1)):
        raise Fault
    found = sixteen(NEAR.ln(number) if base is not None else NEAR.log10(number), number)
    return divided(found, sixteen(NEAR.ln(base), base)) if base is not None else found


def refuse(when: bool) -> None:
    if when:
        raise Fault


def exponential(number: Decimal) -> Decimal:
    refuse(abs(number) > 400)
    return sixteen(NEAR.exp(number), number)


def natural(number: Decimal) -> Decimal:
    refuse(number <= 0)
    return sixteen(NEAR.ln(number), number)


def of_binary(function: Callable[..., float], least: float = -1e12, greatest: float = 1e12) -> Callable[..., Decimal]:
    def call(*numbers: Decimal) -> Decimal:
        refuse(any(not least <= n <= greatest for n in numbers))
        return Decimal(f"{function(*map(float, numbers)):.15g}")

    return call


def whole(number: Decimal, least: int = -1_000_000, greatest: int = 1_000_000) -> int:
    return int(max(Decimal(least), min(Decimal(greatest), number)))


def rounded(number: Decimal, digits: Decimal | None = None, how: str = ROUND_HALF_UP) -> Decimal:
    places = whole(digits, -15, 15) if digits is not None else 0
    return number.quantize(Decimal(1).scaleb(-places), how, EXACT)


def multiple(how: str) -> Callable[..., Decimal]:
    def call(number: Decimal, of: Decimal | None = None) -> Decimal:
        if of is None:
            return number.to_integral_value(how)
        rest = modulo(number if how == ROUND_FLOOR else -number, of)
        return EXACT.subtract(number, rest) if how == ROUND_FLOOR else EXACT.add(number, rest)

    return call


def modulo(a: Decimal, b: Decimal) -> Decimal:
    refuse(not b)
    rest = EXACT.remainder(a, b)
    return EXACT.add(rest, b) if rest and (rest < 0) != (b < 0) else EXACT.add(rest, Decimal(0))


def to_even(rest: int) -> Callable[[Decimal], Decimal]:
    def call(number: Decimal) -> Decimal:
        size = abs(number)
        up = (EXACT.subtract(size, Decimal(rest)) / 2).to_integral_value(ROUND_CEILING) * 2 + rest
        return max(up, Decimal(rest)) * (-1 if number < 0 else 1)

    return call


def factorial(number: Decimal) -> Decimal:
    refuse(number < 0 or number >= 171)
    return Decimal(math.factorial(int(number)))


def known(numbers: Sequence[Any]) -> list[Decimal]:
    return [n for n in numbers if isinstance(n, Decimal)]


def summed(numbers: Sequence[Decimal]) -> Decimal:
    total = Decimal(0)
    for number in numbers:
        total = EXACT.add(total, number)
    return total


def multiplied(numbers: Sequence[Decimal]) -> Decimal:
    made = Decimal(1)
    for number in numbers:
        made = EXACT.multiply(made, number)
    return made


def variance(*, sample: bool, root: bool) -> Callable[..., Decimal | None]:
    def call(*numbers: Any) -> Decimal | None:
        found = known(numbers)
        divisor = len(found) - sample
        if divisor <= 0:
            return None
        mean = divided(summed(found), Decimal(len(found)))
        spread = divided(summed([EXACT.multiply(n - mean, n - mean) for n in found]), Decimal(divisor))
        return square_root(spread) if root else spread

    return call
