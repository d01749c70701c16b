"""
The base of all tables.
"""

from __future__ import annotations

import re
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import DeclarativeBase

__all__ = ["Base", "Document", "PlainText"]

Document = dict[str, Any]


class PlainText(sa.TypeDecorator[str]):
    """
    Text of any origin. What PostgreSQL cannot keep in one is shown instead of lost: NUL as its picture, and half of a
    pair of code units (Unicode, 3.8, D71) as a replacement character. What people send is refused at the door; this is
    for what other programs say, which must never keep us from noting it.
    """

    impl = sa.Text
    cache_ok = True

    def process_bind_param(self, value: str | None, dialect: sa.Dialect) -> str | None:
        if not isinstance(value, str) or (value.isascii() and "\x00" not in value):
            return value
        return _HALF.sub("\ufffd", value.replace("\x00", "\u2400"))


_HALF = re.compile("[\ud800-\udfff]")


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
        str: PlainText,
    }
