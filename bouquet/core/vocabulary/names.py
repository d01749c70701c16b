"""
Names in documents that must be one of a list.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema, PydanticCustomError, core_schema

__all__ = ["OneOf", "by_name"]


class Named(Protocol):
    """
    Anything with a name.
    """

    @property
    def name(self) -> str: ...


T = TypeVar("T", bound=Named)


def by_name(declared: Iterable[T]) -> dict[str, T]:
    """
    What is declared, by its name, in the order given.
    """
    return {d.name: d for d in declared}


@dataclass(frozen=True)
class OneOf:
    """
    Annotates a text that must be a key of `known`. The keys are read at each validation, so that what is added while
    the program runs is known as well; the JSON schema lists them.
    """

    known: Mapping[str, Any]

    def __hash__(self) -> int:
        return id(self.known)

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        return core_schema.no_info_after_validator_function(self._check, handler(source))

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        return {**handler(schema), "enum": list(self.known)}

    def _check(self, name: str) -> str:
        if name not in self.known:
            expected = ", ".join(f"'{k}'" for k in self.known)
            raise PydanticCustomError("literal_error", "Input should be one of {expected}", {"expected": expected})
        return name
