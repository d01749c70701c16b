"""
Fields made once for all by a formula, and record types made from others by a narrowing: what a house's catalogue adds
to a source.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from zoneinfo import ZoneInfo

from pydantic import TypeAdapter, ValidationError

from bouquet.core import formula
from bouquet.core.catalogue import Catalogue, Field, RecordType, Route
from bouquet.core.language import tr
from bouquet.core.plan.cells import FORMULA_KINDS
from bouquet.core.plan.nodes import Read
from bouquet.core.template import Narrowing

__all__ = ["MadeError", "made_field", "made_tree", "read_narrowing"]

_NARROWING: TypeAdapter[Narrowing] = TypeAdapter(Narrowing)


class MadeError(ValueError):
    """
    What was to be made cannot be; `at` is the character of the formula that is wrong, where one is.
    """

    def __init__(self, message: str, at: int | None = None) -> None:
        self.at = at
        super().__init__(message)


def made_tree(catalogue: Catalogue, holder: RecordType, text: str, as_of: datetime, zone: ZoneInfo) -> formula.Node:
    """
    The checked formula of a field of `holder`: of its own fields, and of those of records that it leads to. A made
    field is made of fields of the source only.

    Raises MadeError.
    """

    def find(name: str) -> Read:
        found = catalogue.route(holder, name, "")
        if not isinstance(found, Route):
            raise ValueError(found.message)
        if found.field.formula:
            message = tr(
                "“{label}” is made by a formula itself; repeat that formula here.",
                label=found.field.label,
            )
            raise ValueError(message)
        return Read(found)

    try:
        tree = formula.check(text, find, as_of, zone)
    except formula.FormulaError as error:
        raise MadeError(tr("{error} (character {at})", error=error, at=error.at + 1), error.at) from error
    if formula.size_of(tree, lambda _: 1) > formula.LARGEST // 4:
        raise MadeError(tr("This formula is too large to be a field of its own."))
    return tree


def made_field(catalogue: Catalogue, holder: RecordType, field: Field, as_of: datetime) -> Field:
    """
    A field as its formula makes it: its kind, how it is stored, and whether it is personal, as what it is made of is.

    Raises MadeError.
    """
    tree = made_tree(catalogue, holder, field.formula, as_of, ZoneInfo("UTC"))
    kind, stored = FORMULA_KINDS[tree.type]
    personal = field.personal or any(t.field.personal for t in formula.references_of(tree))
    return replace(field, kind=kind, stored=stored, personal=personal)


def read_narrowing(where: object) -> Narrowing:
    """
    The narrowing that makes a record type. Raises MadeError.
    """
    try:
        return _NARROWING.validate_python(where)
    except ValidationError as error:
        first = error.errors()[0]
        raise MadeError(f"{'.'.join(map(str, first['loc'])) or 'where'}: {first['msg']}") from error
