"""
Tables as they stand in a statement, and how they are linked.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa

from bouquet.core.catalogue import Field, RecordType, Relation
from bouquet.core.values import Value

__all__ = ["Join", "bare", "code_value", "linked"]

Element = sa.ColumnElement[Any]


@dataclass
class Join:
    target: sa.FromClause | Callable[[], tuple[sa.FromClause, Element]]
    on: Element | None
    child: bool


def bare(record_type: RecordType, name: str) -> sa.FromClause:
    columns = dict.fromkeys(own for r in record_type.relations for own, _ in r.pairs)
    columns |= dict.fromkeys(f.column for f in record_type.fields)
    return sa.table(record_type.table, *(sa.column(c) for c in columns), schema=record_type.schema).alias(name)


def linked(here: sa.FromClause, there: sa.FromClause, relation: Relation) -> Element:
    return sa.and_(*(here.c[own] == there.c[other] for own, other in relation.pairs))


def code_value(code: str, found: Field) -> Value:
    return int(code) if found.stored == "integer" else code
