"""
JSON that is kept and given as it is, and described as what it is: answers, narrowings.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, TypeAlias

from pydantic import Field, GetJsonSchemaHandler, TypeAdapter
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema
from pydantic_core.core_schema import definitions_schema
from typing_extensions import TypeAliasType

from bouquet.core.template.filter import Narrowing, Window
from bouquet.core.template.part import LONGEST_TEXT, Number, Part

__all__ = [
    "AnswerDocument",
    "AnswersDocument",
    "AnswersGiven",
    "DescribedAs",
    "NarrowingDocument",
    "NarrowingOrNone",
]

#: As many answers as a template asks at most.
MOST_ANSWERS = 40


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


class Everything(Part):
    """
    Nothing is narrowed.
    """


_Single: TypeAlias = bool | int | Number | Annotated[str, Field(max_length=LONGEST_TEXT)]

#: One value, values out of a list, or a window: which of them follows from what is asked.
Answer = TypeAliasType("Answer", _Single | tuple[_Single, ...] | Window | None)

#: A narrowing, described by its name.
AnyNarrowing = TypeAliasType("AnyNarrowing", Narrowing)

AnswerDocument: TypeAlias = Annotated[Any, DescribedAs(Answer)]

#: Answers by the names of asks, as they are sent…
AnswersGiven: TypeAlias = Annotated[
    dict[str, Any],
    Field(max_length=MOST_ANSWERS),
    DescribedAs(Annotated[dict[str, Answer], Field(max_length=MOST_ANSWERS)]),
]
#: …and as they were kept.
AnswersDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(dict[str, Answer])]

NarrowingDocument: TypeAlias = Annotated[dict[str, Any], DescribedAs(AnyNarrowing)]

#: A narrowing that may be left out.
NarrowingOrNone: TypeAlias = Annotated[dict[str, Any], DescribedAs(AnyNarrowing | Everything)]
