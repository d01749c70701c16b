"""
What all parts of documents share.
"""

from __future__ import annotations

import functools
from decimal import Decimal
from typing import Annotated, TypeAlias

import babel.localedata
from pydantic import AfterValidator, BaseModel, ConfigDict, PlainSerializer, WithJsonSchema

from bouquet.core.language import tr
from bouquet.core.values import check_digits, json_number

__all__ = ["Digits", "LocaleName", "Number", "Part", "Scalar"]

#: How a number is described, whether it is sent or given: JSON that cannot carry it exactly carries its digits.
_DESCRIBED = WithJsonSchema(
    {"anyOf": [{"type": "number"}, {"type": "string", "pattern": r"^[+-]?[0-9]*\.?[0-9]*([eE][+-]?[0-9]+)?$"}]}
)

#: A number of a document: exact, whatever its length. JSON that cannot carry it as a number carries its digits.
Number: TypeAlias = Annotated[
    Decimal, AfterValidator(check_digits), PlainSerializer(json_number, return_type=int | float | str), _DESCRIBED
]

#: A number of a document that is given as its digits.
Digits: TypeAlias = Annotated[Decimal, _DESCRIBED]


@functools.cache
def _locales() -> frozenset[str]:
    return frozenset(name.casefold() for name in babel.localedata.locale_identifiers())


def _known(value: str) -> str:
    if value.replace("-", "_").casefold() not in _locales():
        msg = tr("“{value}” is not a locale, such as en_GB or de_DE.", value=value)
        raise ValueError(msg)
    return value


#: A language, with its land or without, that there are names and forms of (Unicode CLDR): `de`, `fr_CH`, `pt-BR`.
LocaleName: TypeAlias = Annotated[str, AfterValidator(_known)]

#: Characters of any text of a document.
LONGEST_TEXT = 32_767

Scalar: TypeAlias = bool | int | Number | str


class Part(BaseModel):
    """
    Any part of a document: frozen, and strict about its keys. A text is as long as a spreadsheet's cell at most, where
    nothing less is said. Sent or given, it is described as the same.
    """

    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
        populate_by_name=True,
        str_max_length=LONGEST_TEXT,
        json_schema_mode_override="validation",
    )
