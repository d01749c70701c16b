"""
Tables as they stand in a statement, and how they are linked.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import sqlalchemy as sa

from bouquet.core.catalogue import Field, RecordType, Relation
from bouquet.core.values import Value

__all__ = ["Join", "bare", "code_value", "linked"]

#: Tables under their names that are kept for the statements to come.
TABLES = 256

Element = sa.ColumnElement[Any]


@dataclass
class Join:
    target: sa.FromClause | Callable[[], tuple[sa.FromClause, Element]]
    on: Element | None
    child: bool


def bare(record_type: RecordType, name: str) -> sa.FromClause:
    """
    A record type's table under a name.
    """
    return _named(record_type.schema, record_type.table, record_type.columns, name)


@lru_cache(maxsize=TABLES)
def _named(schema: str | None, table: str, columns: tuple[str, ...], name: str) -> sa.FromClause:
    # What a column stands for in an alias takes longer to make than to use, and does not change.
    return sa.table(table, *(sa.column(c) for c in columns), schema=schema).alias(name)


def linked(here: sa.FromClause, there: sa.FromClause, relation: Relation) -> Element:
    return sa.and_(*(here.c[own] == there.c[other] for own, other in relation.pairs))


def code_value(code: str, found: Field) -> Value:
    return int(code) if found.stored == "integer" else code
