"""
What all parts of documents share.
"""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, TypeAlias

from pydantic import AfterValidator, BaseModel, ConfigDict, PlainSerializer

from bouquet.core.values import check_digits, json_number

__all__ = ["Number", "Part", "Scalar"]

#: A number of a document: exact, whatever its length. JSON that cannot carry it as a number carries its digits.
Number: TypeAlias = Annotated[
    Decimal, AfterValidator(check_digits), PlainSerializer(json_number, return_type=int | float | str)
]

Scalar: TypeAlias = bool | int | Number | str


class Part(BaseModel):
    """
    Any part of a document: frozen, and strict about its keys.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
