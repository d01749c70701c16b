"""
Colours by rule in a spreadsheet, as formulas that the spreadsheet itself keeps up to date.
"""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Any

from bouquet.core.plan import Plan
from bouquet.core.plan.tints import TintValue, read_tint
from bouquet.core.template import Tint
from bouquet.core.writers.xlsx_cells import column_letters

__all__ = ["TINTS", "add_tints", "tint_formula"]

#: The colours, dark enough to be told apart in print and light enough to be read on.
TINTS = {"amber": "#F7E3B5", "rose": "#F3CFC9", "moss": "#D5E3C3", "sky": "#CBDFEC"}

_SIGNS = {"is": "=", "is_not": "<>", "less_than": "<", "at_most": "<=", "greater_than": ">", "at_least": ">="}


def add_tints(book: Any, sheet: Any, plan: Plan, first: int, last: int) -> None:
    """
    Colour the rows from `first` to `last`, from 0, of a sheet. Where headings and totals of groups stand between rows
    nothing is coloured: they would be taken for rows.
    """
    if plan.groups:
        return
    places = {c.id: n for n, c in reversed(list(enumerate(plan.columns)))}
    looks = {name: book.add_format({"bg_color": colour}) for name, colour in TINTS.items()}
    for tint in plan.output.xlsx.tints:
        at = places.get(tint.column)
        if at is None:
            continue
        value = read_tint(plan.columns[at], tint)
        left, right = (0, len(plan.columns) - 1) if tint.row else (at, at)
        formula = tint_formula(f"${column_letters(at)}{first + 1}", tint, value)
        rule = {"type": "formula", "criteria": formula, "format": looks[tint.tint], "stop_if_true": False}
        sheet.conditional_format(first, left, last, right, rule)


def tint_formula(cell: str, tint: Tint, value: TintValue) -> str:
    """
    The formula that is true where `cell`, a reference such as `$C5`, is as the rule says. Texts are compared letter by
    letter, as spreadsheets otherwise do not; a number of more digits than a cell has stands there as a text, and is
    not coloured.
    """
    if tint.comparison == "is_blank":
        return f"=LEN(TRIM({cell}))=0"
    if isinstance(value, str):
        same = f"EXACT({cell},{_quoted(value)})"
        return f"={same}" if tint.comparison == "is" else f"=AND(LEN({cell})>0,NOT({same}))"
    compared = f"INT({cell})" if type(value) is date else cell
    return f"=AND(ISNUMBER({cell}),{compared}{_SIGNS[tint.comparison]}{_number(value)})"


def _quoted(text: str) -> str:
    """
    A text in a formula. One longer than the 255 units of UTF-16 that it may have there is joined of several.
    """
    pieces = [text[n : n + 100].replace('"', '""') for n in range(0, len(text), 100)]
    return "&".join(f'"{piece}"' for piece in pieces or [""])


def _number(value: Decimal | date) -> str:
    if isinstance(value, Decimal):
        return f"{value:f}"
    day = f"DATE({value.year},{value.month},{value.day})"
    if not isinstance(value, datetime):
        return day
    return f"({day}+TIME({value.hour},{value.minute},{value.second}))"
