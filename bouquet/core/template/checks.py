"""
Checks, as they stand in a template document: on a column, on a row, on the whole file.
"""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Annotated, Any, TypeAlias

from pydantic import Discriminator, Field, Tag

from bouquet.core.template.part import Number, Part, Scalar
from bouquet.core.vocabulary.checks import FileMust, Must, Severity

__all__ = ["Check", "ColumnCheck", "FileCheck", "RowCheck", "Severity"]


class ColumnCheck(Part):
    """
    What every cell of a column must meet. A blank cell objects to `filled` only.

    `between`, `length` take `least` and `greatest`, one of them or both; `matches` a `pattern` in which * stands for
    any text and ? for one letter; `one_of` its `values`, of choices their codes; `listed` in `listed_in` a record type
    and its field, such as `species.code`, whose values are the list. `near_usual` objects to numbers further from the
    middle half of the column's numbers than `spread` times the width of that half (Tukey's fences); where the middle
    half is all alike, to none.
    """

    column: str = Field(min_length=1)
    must: Must
    least: Scalar | None = None
    greatest: Scalar | None = None
    pattern: str | None = Field(None, min_length=1, max_length=200)
    values: tuple[Scalar, ...] | None = Field(None, max_length=1000)
    listed_in: str | None = Field(None, min_length=3, max_length=200)
    spread: Number = Field(Decimal(3), gt=0, le=1000)
    severity: Severity = "note"


class RowCheck(Part):
    """
    A formula that must come to yes in every row; where it comes to a blank, the row is objected to as well. `say` is
    what stands for it in words.
    """

    formula: str = Field(min_length=1, max_length=4000)
    say: str = Field("", max_length=200)
    severity: Severity = "note"


class FileCheck(Part):
    """
    What the file as a whole must meet.

    `rows`: at least `least`, at most `greatest` rows. `usual`: no further than `percent` from the median of the last
    `runs` runs. `not_empty`. `total`: the sum of `column` is between `least` and `greatest`. `headings`: exactly
    `headings`, in their order. `full`: at least `percent` of the cells of `column` are filled.
    """

    file: FileMust
    column: str | None = Field(None, min_length=1)
    least: Number | None = None
    greatest: Number | None = None
    percent: Number | None = Field(None, ge=0, le=1000)
    runs: int = Field(7, ge=1, le=100)
    headings: tuple[str, ...] | None = Field(None, max_length=2000)
    severity: Severity = "note"


def _check_tag(value: Any) -> str:
    keys = value.keys() if isinstance(value, Mapping) else type(value).model_fields if isinstance(value, Part) else ()
    return next((f"<{k}>" for k in ("file", "formula") if k in keys), "<column>")


Check: TypeAlias = Annotated[
    Annotated[ColumnCheck, Tag("<column>")]
    | Annotated[RowCheck, Tag("<formula>")]
    | Annotated[FileCheck, Tag("<file>")],
    Discriminator(_check_tag),
]
