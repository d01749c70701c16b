"""
What several databases say as the SQL standard does.
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa

from bouquet.core.sql.dialects.base import Dialect, Element
from bouquet.core.sql.literals import literal

__all__ = ["StandardSql"]


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
