"""
JSON of which nothing is lost: its numbers are decimals, at any length (RFC 8259, 6).
"""

from __future__ import annotations

import json
from decimal import Decimal, InvalidOperation
from typing import Any

from bouquet.core.language import tr
from bouquet.core.values import check_digits

__all__ = ["NoNumber", "decimal_of", "read_json"]


class NoNumber(ValueError):
    """
    `NaN` or `Infinity`, which are no JSON.
    """


def read_json(text: str | bytes) -> Any:
    """
    What a text of JSON holds. Raises json.JSONDecodeError for what is none, NoNumber, ValueError for a number with more
    digits than can be kept, and RecursionError.
    """
    return json.loads(text, parse_float=decimal_of, parse_constant=_no_number)


def decimal_of(text: str) -> Decimal:
    """
    A number as it was written. One with an exponent may stand for more digits than there is memory, which whoever turns
    it into a whole number, or writes it out, would come to know. Raises ValueError.
    """
    try:
        return check_digits(Decimal(text))
    except InvalidOperation as error:
        raise ValueError(text[:40]) from error


def _no_number(name: str) -> Any:
    raise NoNumber(tr("{name} is no number that can be kept.", name=name))
