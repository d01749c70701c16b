"""
Parts of answers that are kept as JSON, and described as what they are.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, cast

from pydantic import BaseModel, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

__all__ = ["DescribedAs"]


@dataclass(frozen=True)
class DescribedAs:
    """
    An annotation of JSON that is given as it is kept: in the description of the API it is a model. What was kept long
    ago is not refused for what it lacks.
    """

    model: type[BaseModel]

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        del schema
        made: dict[str, Any] = dict(self.model.__pydantic_core_schema__)
        if made["type"] == "model":
            # By this name it is described once, however often it is referred to.
            made["ref"] = f"{self.model.__module__}.{self.model.__qualname__}"
        return handler(cast(CoreSchema, made))
