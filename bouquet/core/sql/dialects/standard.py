"""
What several databases say as the SQL standard does.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import sqlalchemy as sa

from bouquet.core.sql.dialects.base import Dialect, Element
from bouquet.core.sql.literals import literal
from bouquet.core.windows import MOST_FILLED

__all__ = ["PYTHON_TYPES", "StandardSql", "each_step", "first_of_each"]

#: What values of a stored type become in Python, where the driver gives texts and numbers only.
PYTHON_TYPES: dict[str, Any] = {
    "integer": sa.Integer(),
    "boolean": sa.Boolean(),
    "date": sa.Date(),
    "timestamp": sa.DateTime(),
    "timestamptz": sa.DateTime(timezone=True),
    "time": sa.Time(),
    "bytes": sa.LargeBinary(),
}


class StandardSql(Dialect):
    """
    FILTER, `||` and `->>`.
    """

    def filtered(self, aggregate: Any, *where: Element | None) -> Element:
        known = [w for w in where if w is not None]
        made: Element = aggregate.filter(sa.and_(*known)) if known else aggregate
        return made

    def json_text(self, column: Element, key: str) -> Element:
        return column.op("->>", return_type=sa.Text())(literal(key))

    def joined_texts(self, *texts: Element) -> Element:
        whole = texts[0]
        for text in texts[1:]:
            whole = whole.op("||", return_type=sa.Text())(text)
        return whole


def first_of_each(statement: sa.Select[Any], keys: list[Element], order: list[Element]) -> sa.Select[Any]:
    """
    The first row, by `order`, of each combination of `keys`, found by its place among them.
    """
    place = sa.func.row_number().over(partition_by=keys, order_by=order)
    ranked = statement.add_columns(place.label("place_of_row")).subquery("ranked")
    kept = [c for c in ranked.c if c.name != "place_of_row"]
    return sa.select(*kept).where(ranked.c.place_of_row == sa.literal_column("1"))


def each_step(name: str, first: Element, last: Element, following: Callable[[Element], Element]) -> sa.Select[Any]:
    """
    Every step of time from the first to the last, one after the other; `name` is theirs in the whole statement.
    """
    one: Element = sa.literal_column("1", sa.BigInteger)
    most: Element = sa.literal_column(str(MOST_FILLED), sa.BigInteger)
    begun = sa.select(first.label("step"), last.label("last"), one.label("number")).cte(name, recursive=True)
    following_one = following(begun.c.step)
    more = sa.and_(begun.c.step < begun.c.last, begun.c.number <= most)
    steps = begun.union_all(sa.select(following_one, begun.c.last, begun.c.number + one).where(more))
    return sa.select(steps.c.step.label("step")).where(steps.c.step.is_not(None))
