"""
What narrows records: conditions, windows, groups of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import Discriminator, Field, Tag, model_validator

from bouquet.core.language import tr
from bouquet.core.template.part import Part, Scalar
from bouquet.core.vocabulary.comparisons import Operator
from bouquet.core.vocabulary.windows import Unit, WindowKind

__all__ = [
    "AllOf",
    "AnyOf",
    "Condition",
    "FormulaTest",
    "Has",
    "Narrowing",
    "NoneOf",
    "Picks",
    "Window",
]


class Window(Part):
    """
    A span of days relative to the moment of the run; see `bouquet.core.windows`.
    """

    type: WindowKind
    count: int = Field(1, ge=1, le=100_000)
    unit: Unit = "day"
    with_current: bool = False
    first: str | None = None
    last: str | None = None


class Condition(Part):
    """
    One comparison of one field, or of a column of the sheet by its id.

    What it is compared with stands in `value`, `values` or `window`, or is asked at each run: then `ask` names the
    question.
    """

    path: str | None = Field(None, min_length=1)
    column: str | None = Field(None, min_length=1)
    is_: Operator = Field(alias="is")
    value: Scalar | None = None
    values: tuple[Scalar, ...] | None = None
    window: Window | None = None
    exact: bool = False
    ask: str | None = None

    @model_validator(mode="after")
    def _one_source(self) -> Condition:
        if (self.path is None) == (self.column is None):
            msg = tr("A condition compares a field (path) or a column, one of the two.")
            raise ValueError(msg)
        return self

    @property
    def named(self) -> str:
        """
        The path or the column it compares.
        """
        return self.path or self.column or ""


class Has(Part):
    """
    Whether a record has many others at the end of `path`: any, none, or at least `count`.

    Paths in `where` start at these others.
    """

    path: str = Field(min_length=1)
    has: Literal["any", "none", "at_least"]
    count: int = Field(1, ge=1, le=1_000_000)
    where: Narrowing | None = None


class Picks(Part):
    """
    Whether a record is in a saved list.
    """

    picks: str = Field(min_length=1, max_length=120)


class FormulaTest(Part):
    """
    A formula that must be true.
    """

    formula: str = Field(min_length=1, max_length=4000)


class AllOf(Part):
    """
    Every part must hold. Empty: no narrowing.
    """

    all: tuple[Narrowing, ...]


class AnyOf(Part):
    """
    At least one part must hold. Empty: no narrowing.
    """

    any: tuple[Narrowing, ...]


class NoneOf(Part):
    """
    No part may hold. Empty: no narrowing.
    """

    none: tuple[Narrowing, ...]


def _narrowing_tag(value: Any) -> str:
    keys = value.keys() if isinstance(value, Mapping) else type(value).model_fields if isinstance(value, Part) else ()
    return next((f"<{k}>" for k in ("has", "all", "any", "none", "picks", "formula") if k in keys), "<condition>")


Narrowing: TypeAlias = Annotated[
    Annotated[AllOf, Tag("<all>")]
    | Annotated[AnyOf, Tag("<any>")]
    | Annotated[NoneOf, Tag("<none>")]
    | Annotated[Has, Tag("<has>")]
    | Annotated[Picks, Tag("<picks>")]
    | Annotated[FormulaTest, Tag("<formula>")]
    | Annotated[Condition, Tag("<condition>")],
    Discriminator(_narrowing_tag),
]


for _model in (Has, AllOf, AnyOf, NoneOf):
    _model.model_rebuild()
