"""
What rows stand for, and what stands in the columns of the sheet.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import Discriminator, Field, Tag

from bouquet.core.template.filter import Narrowing
from bouquet.core.template.part import Digits, LocaleName, Part
from bouquet.core.vocabulary.folds import How
from bouquet.core.vocabulary.windows import Step

__all__ = [
    "HEADING_LENGTH",
    "Across",
    "By",
    "Column",
    "Constant",
    "FieldValue",
    "Fold",
    "FoldOrder",
    "FoldValue",
    "FormulaValue",
    "PerChild",
    "PerGroup",
    "PerRecord",
    "Show",
    "Value",
]


class PerRecord(Part):
    """
    One row per record of the type.
    """

    per: Literal["record"] = "record"


class PerChild(Part):
    """
    One row per record at the end of a path that leads to many; fields of the records above repeat.

    `parents_without` says what becomes of a record with no child that passes: a row with blank child cells, or none.
    """

    per: Literal["child"]
    path: str = Field(min_length=1)
    parents_without: Literal["keep", "leave_out"] = "leave_out"


class By(Part):
    """
    One value of a grouping; a dated one may be cut into steps of time, in the template's zone.

    `count` is only for minutes: 1, 2, 3, 4, 5, 6, 10, 12, 15, 20 or 30 of them.
    `fill_gaps` adds a row for each step of the window in which nothing happened.
    """

    path: str = Field(min_length=1)
    step: Step | None = None
    count: int = Field(1, ge=1, le=30)
    fill_gaps: bool = False


class Across(Part):
    """
    A value whose values become columns: each column that folds a group's own records stands once for each of them, of
    the records with that value. A dated one is cut into steps of time.

    `most`: how many values there may be; more stop the run. `total` keeps the columns over all values, behind the
    others. Steps of time in which nothing happened have a column, too, unless `gaps` is false.
    """

    path: str = Field(min_length=1)
    step: Literal["day", "week", "month", "quarter", "year"] | None = None
    most: int = Field(60, ge=1, le=200)
    total: bool = True
    gaps: bool = True


class PerGroup(Part):
    """
    One row per distinct combination of the `by` values; with a value `across`, a cross-tab.
    """

    per: Literal["group"]
    by: tuple[By, ...] = Field(min_length=1, max_length=12)
    across: Across | None = None


class FieldValue(Part):
    """
    The value of a field, by its path from the record type outward. In groups it is one of the `by` values; `step`
    tells two steps of the same field apart.
    """

    field: str = Field(min_length=1)
    step: Step | None = None


class Constant(Part):
    """
    The same text in every row.
    """

    constant: str


class FoldOrder(Part):
    """
    One level of the order in which a fold meets its records; the path starts at these records.
    """

    path: str = Field(min_length=1)
    direction: Literal["ascending", "descending"] = "ascending"
    blanks: Literal["first", "last"] = "last"


class Fold(Part):
    """
    How many records become one cell.

    `path` leads through at least one relation to many, and, but for `count`, on to a field. In groups a path through
    no such relation folds the group's own records; then an empty path counts them.
    Paths in `where` and `order` start at the folded records.
    """

    path: str = ""
    how: How
    where: Narrowing | None = None
    order: tuple[FoldOrder, ...] = ()
    separator: str = Field("; ", max_length=20)
    distinct: bool = False
    at_most: int | None = Field(None, ge=1, le=1000)
    #: Columns of a spread.
    columns: int = Field(3, ge=1, le=60)


class FoldValue(Part):
    """
    The value of a fold.
    """

    fold: Fold


class FormulaValue(Part):
    """
    The value of a formula; see `bouquet.core.formula`.
    """

    formula: str = Field(min_length=1, max_length=4000)


#: Marks of money that stand beside a number.
CURRENCIES = ("£", "€", "$", "¥")


class Show(Part):
    """
    How a column's values stand on paper. What is not given follows the machine style.
    """

    date: str | None = Field(None, max_length=100, description="Date pattern of Unicode TR 35, e.g. dd/MM/yyyy")
    language: LocaleName | None = Field(
        None,
        max_length=40,
        description="In which names of months and days stand, such as de or fr_CH; else that of the file",
    )
    decimals: int | None = Field(None, ge=0, le=12, description="Digits after the point, rounded half away from zero")
    rounding: Literal["half_away", "half_even"] = "half_away"
    factor: Digits | None = Field(
        None, gt=0, lt=10**15, decimal_places=15, description="Multiplied with the number, e.g. 100 for m to cm"
    )
    decimal_mark: Literal[".", ","] | None = None
    grouping: Literal["", " ", "\u00a0", "\u202f", ",", ".", "'", "’"] | None = None
    prefix: str = Field("", max_length=40)
    suffix: str = Field("", max_length=40)
    choice: Literal["label", "code"] = "label"
    yes: str | None = Field(None, max_length=255)
    no: str | None = Field(None, max_length=255)
    case: Literal["as_is", "upper", "lower"] = "as_is"
    trim: bool = False
    first: int | None = Field(None, ge=1, le=32_767, description="Only the first so many characters")
    pad: int | None = Field(None, ge=1, le=255, description="Filled up to so many characters")
    pad_with: str = Field("0", min_length=1, max_length=1)
    pad_side: Literal["left", "right"] = "left"
    link: bool = Field(False, description="In spreadsheets, a link to the record's page")

    @property
    def signs_money(self) -> bool:
        """
        Whether what stands in front is a currency, before which the sign of a number stands: -£60.64.
        """
        return self.prefix in CURRENCIES


def _value_tag(value: Any) -> str:
    keys = value.keys() if isinstance(value, Mapping) else type(value).model_fields if isinstance(value, Part) else ()
    return next((f"<{k}>" for k in ("fold", "formula", "constant") if k in keys), "<field>")


Value: TypeAlias = Annotated[
    Annotated[FieldValue, Tag("<field>")]
    | Annotated[Constant, Tag("<constant>")]
    | Annotated[FoldValue, Tag("<fold>")]
    | Annotated[FormulaValue, Tag("<formula>")],
    Discriminator(_value_tag),
]


#: Characters. The most that a spreadsheet's cell shows of a heading without trouble, and then some.
HEADING_LENGTH = 255

#: A language, as of RFC 5646: `de`, `fr-CH`.
LANGUAGE = r"^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$"


class Column(Part):
    """
    One place in the sheet.
    """

    id: str = Field(min_length=1, max_length=40)
    heading: str
    headings: dict[Annotated[str, Field(pattern=LANGUAGE)], Annotated[str, Field(max_length=HEADING_LENGTH)]] = Field(
        {}, max_length=20, description="What else it is headed, by language, such as de or fr-CH"
    )
    value: Value
    show: Show = Show()
    blank: str = Field("", max_length=255)
    width: int | None = Field(None, ge=4, le=120, description="Characters, on the bench and in spreadsheets")
    total: Literal["sum", "mean", "count", "least", "greatest"] | None = Field(
        None, description="What the subtotals and the total of a reader's file say of this column"
    )
    editable: bool = Field(False, description="Whether its cells may be given back changed")
    meaning: str = Field(
        "", max_length=1000, description="What it means, for the dictionary and the notes on headings; else its field's"
    )
