"""
Parts of requests and answers that are kept as JSON, and described as what they are.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, TypeAlias

from pydantic import GetJsonSchemaHandler, TypeAdapter
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema
from pydantic_core.core_schema import definitions_schema

from bouquet.core.template import Acceptance, Narrowing, Show, Template, Window

__all__ = [
    "AcceptanceDocument",
    "DescribedAs",
    "NarrowingDocument",
    "ShowDocument",
    "TemplateDocument",
    "WindowDocument",
]


@dataclass(frozen=True)
class DescribedAs:
    """
    An annotation of JSON that is given as it is kept: in the description of the API it is a model. What was kept long
    ago is not refused for what it lacks, and what is sent is read where it is used, which tells all problems at once.
    """

    model: Any

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        del schema
        # As one of definitions it is described once, by its name, however often it is referred to.
        return handler(definitions_schema(TypeAdapter(self.model).core_schema, []))


TemplateDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Template)]
AcceptanceDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Acceptance)]
ShowDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Show)]
NarrowingDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Narrowing)]
WindowDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(Window)]
