"""
What cannot be read is said in plain words, whatever the validator calls it.
"""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Any, Literal

import pytest
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from bouquet.core.refusals import said_of


class Inner(BaseModel):
    name: str


@pytest.mark.parametrize(
    ("wanted", "given", "said"),
    [
        (int, "x", "Type a whole number here."),
        (int, 1.5, "Type a whole number here."),
        (Decimal, "x", "Type a number here."),
        (bool, "perhaps", "Say true or false here."),
        (date, "2026-02-30", "Give a date, such as 2026-11-22."),
        (datetime, "soon", "Give a moment, such as 2026-11-22T06:00:00Z."),
        (str, 3, "Type a text here."),
        (list[str], "x", "Give a list here."),
        (Inner, "x", "Give an object here."),
        (Inner, {}, "This is missing."),
        (Literal["a", "b", "c"], "d", "One of these is wanted: a, b, c."),
        (Annotated[str, Field(max_length=3)], "abcd", "At most 3 characters."),
        (Annotated[str, Field(min_length=1)], "", "This may not be empty."),
        (Annotated[str, Field(pattern="^a")], "b", "This is not written as it has to be."),
        (Annotated[list[int], Field(max_length=1)], [1, 2], "At most 1 entry."),
        (Annotated[int, Field(ge=1, le=9)], 10, "At most 9."),
        (Annotated[int, Field(gt=1)], 1, "More than 1."),
    ],
)
def test_each_refusal_has_words_of_its_own(wanted: Any, given: Any, said: str) -> None:
    """No “Input should be a valid…”, no pattern, no name of a class."""
    with pytest.raises(ValidationError) as refused:
        TypeAdapter(wanted).validate_python(given)
    assert [said_of(e) for e in refused.value.errors()] == [said]
