"""
What databases say differently. A new one is a module here and a line in `DIALECTS`.
"""

from __future__ import annotations

import sqlalchemy as sa

from bouquet.core.sql.dialects.base import Dialect, Element, LacksError
from bouquet.core.sql.dialects.mariadb import Mariadb, Mysql
from bouquet.core.sql.dialects.postgresql import COLLATION, Postgresql
from bouquet.core.sql.dialects.sqlite import Sqlite

__all__ = ["COLLATION", "DIALECTS", "Dialect", "Element", "LacksError", "render"]

DIALECTS: dict[str, Dialect] = {d.name: d for d in (Postgresql(), Mariadb(), Mysql(), Sqlite())}


def render(statement: sa.ClauseElement, dialect: str = "postgresql") -> str:
    """
    The statement's text, with every value a literal.
    """
    return DIALECTS[dialect].render(statement)
