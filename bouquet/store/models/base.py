"""
The base of all tables.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import DeclarativeBase

__all__ = ["Base", "Document"]

Document = dict[str, Any]


class Base(DeclarativeBase):
    """
    All tables, with constraint names that migrations can rely on.
    """

    metadata = sa.MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012
        datetime: sa.DateTime(timezone=True),
        # Plain JSON keeps the order in which people and programs wrote the keys.
        Document: sa.JSON,
        list[str]: sa.JSON,
        int: sa.BigInteger,
        str: sa.Text,
    }
