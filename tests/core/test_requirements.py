"""
What a recipient requires of numbers is held against the numbers, however they are written.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from bouquet.core.layout import form_for
from bouquet.core.plan import Plan
from bouquet.core.requirements import Requirements
from bouquet.core.shaping import to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import Acceptance
from bouquet.sources import Source

Query = Callable[[str], list[tuple[Any, ...]]]

LAYOUT = {"columns": [{"heading": "Amount", "kind": "number", "least": 0, "greatest": "2000.50"}]}


@pytest.mark.parametrize(
    ("output", "show", "is_number"),
    [
        ({}, {}, True),
        ({}, {"decimal_mark": ",", "decimals": 2}, True),
        ({}, {"decimal_mark": ",", "grouping": ".", "decimals": 2}, False),
        ({"style": "reader"}, {}, False),
        ({"style": "reader", "locale": "de_DE"}, {}, False),
        ({"style": "reader", "format": "xlsx"}, {}, True),
    ],
)
def test_bounds_are_of_numbers_whatever_their_marks_and_units(
    source: Source, plan: Callable[..., Plan], query: Query, output: Any, show: Any, is_number: bool
) -> None:
    """In a spreadsheet they are numbers, too; in a text what has marks of thousands or a unit is none."""
    columns = [{"id": "a", "heading": "Amount", "value": {"field": "amount"}, "show": show}]
    ((least,),) = query("SELECT max(wl_amount) FROM wo_line WHERE wl_amount < 0")
    where = {"path": "amount", "is": "at_least", "value": str(least)}
    made = plan({"records": "work_order_line", "columns": columns, "filter": where, "output": output})
    acceptance = Acceptance.model_validate(LAYOUT)
    form = form_for(acceptance, made, "x")
    required = Requirements(acceptance, form.plan)
    with source.reader.snapshot() as snapshot:
        for batch in snapshot.batches(Statements(made).rows(keys=True)):
            required.add(form.frame(to_frame(batch)))
    found = required.finish()
    outside = next(text for text in found if "outside 0 to 2000.50" in text)
    ((many,),) = query(
        f"SELECT count(*) FROM wo_line WHERE wl_amount >= {least} AND NOT wl_amount BETWEEN 0 AND 2000.50"
    )

    assert f" {many:,} times" in outside
    assert any("is not a number" in text for text in found) is not is_number
