"""
Colours by rule: what a rule's value is, read as its column's values are.
"""

from __future__ import annotations

import re
from datetime import date, datetime
from decimal import Decimal
from typing import TypeAlias

from bouquet.core.catalogue import Kind
from bouquet.core.language import tr
from bouquet.core.plan.model import PlanColumn
from bouquet.core.template import Tint

__all__ = ["TintValue", "read_tint"]

TintValue: TypeAlias = Decimal | datetime | date | str

#: Numbers that a spreadsheet's cell holds exactly, written out: powers of ten would make a formula of any length.
_NUMBER = re.compile(r"-?[0-9]{1,15}(\.[0-9]{1,15})?")

#: Spreadsheets add 1900 to earlier years.
FIRST_YEAR = 1900

#: Comparisons that need an order.
_ORDERED = ("less_than", "at_most", "greater_than", "at_least")


def read_tint(column: PlanColumn, tint: Tint) -> TintValue:
    """
    What a column's values are compared with: a number, a day or moment on its wall clock, or a text. Empty where blanks
    are looked for.

    Raises ValueError, saying why, for a value that the column's values cannot be compared with.
    """
    if tint.comparison == "is_blank":
        return ""
    text = tint.value.strip()
    if column.kind.is_number and not column.is_constant:
        if not _NUMBER.fullmatch(text):
            msg = tr(
                "“{column}” is compared with a number, and “{tint}” is none; write it as 12.5.",
                column=column.heading,
                tint=tint.value,
            )
            raise ValueError(msg)
        return Decimal(text)
    if column.kind in (Kind.DATE, Kind.TIMESTAMP, Kind.MOMENT):
        try:
            moment = datetime.fromisoformat(text)
        except ValueError:
            msg = tr(
                "“{column}” is compared with a date, and “{tint}” is none; write it as 2026-11-28.",
                column=column.heading,
                tint=tint.value,
            )
            raise ValueError(msg) from None
        if moment.year < FIRST_YEAR or moment.tzinfo is not None:
            msg = tr(
                "“{tint}” is no date of a spreadsheet: these begin in {first_year}, and have no zone.",
                tint=tint.value,
                first_year=FIRST_YEAR,
            )
            raise ValueError(msg)
        return moment.date() if len(text) <= len("2026-11-28") else moment
    if tint.comparison in _ORDERED:
        msg = tr(
            "“{column}” has no numbers or dates; it is, or is not, a certain text.",
            column=column.heading,
        )
        raise ValueError(msg)
    return tint.value
