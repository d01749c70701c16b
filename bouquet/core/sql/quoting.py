"""
Names in statements: all in quotation marks, since a table or a column may be called by any word that a database's own
language has, and no list of these is complete.
"""

from __future__ import annotations

from typing import Any

__all__ = ["quote_all"]


def quote_all(dialect: Any) -> None:
    """
    Have a dialect of SQLAlchemy put every name in quotation marks. SQLite takes a name that nothing has for a text
    where double ones stand around it, so it has those of MySQL, which it reads as well ("Quirks", 8).
    """
    usual = type(dialect).preparer
    marks = {"initial_quote": "`", "escape_quote": "`"} if dialect.name == "sqlite" else {}

    class Quoting(usual):  # type: ignore[misc, valid-type]
        def __init__(self, dialect: Any, **how: Any) -> None:
            super().__init__(dialect, **marks, **how)

        def quote(self, ident: str) -> str:
            return str(self.quote_identifier(ident))

    dialect.preparer = Quoting
    dialect.identifier_preparer = Quoting(dialect)
