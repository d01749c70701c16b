"""
Parts of requests and answers that are kept as JSON, and described as what they are.
"""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import Annotated, Any, TypeAlias

from typing_extensions import TypeAliasType

from bouquet.core.template import Acceptance, Show, Template, Window
from bouquet.core.template.described import DescribedAs, NarrowingDocument
from bouquet.delivery.means import WAYS

__all__ = [
    "AcceptanceDocument",
    "AddressDocument",
    "NarrowingDocument",
    "SettingsDocument",
    "ShowDocument",
    "TemplateDocument",
    "WindowDocument",
]


TemplateDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Template)]
AcceptanceDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Acceptance)]
ShowDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Show)]
WindowDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Window)]

_settings = reduce(or_, [way.settings_model for way in WAYS.values()])
_addresses = reduce(or_, [way.address_model for way in WAYS.values()])

#: What is said of means, and of where a recipient gets files by them. A type only at run time: of each way out its own.
MeansSettings = TypeAliasType("MeansSettings", _settings)  # type: ignore[valid-type]
RecipientAddress = TypeAliasType("RecipientAddress", _addresses)  # type: ignore[valid-type]

SettingsDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(MeansSettings)]
AddressDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(RecipientAddress)]
