"""
From a plan to SQL.
"""

from bouquet.core.sql.compiler import OBJECTS, PAGE, TITLE, TOUCHED, Answered, Counted, Statements, TallyStep
from bouquet.core.sql.dialects import COLLATION, DIALECTS, render
from bouquet.core.sql.literals import literal
from bouquet.core.sql.scope import WHITE, escape_like

__all__ = [
    "COLLATION",
    "DIALECTS",
    "OBJECTS",
    "PAGE",
    "TITLE",
    "TOUCHED",
    "WHITE",
    "Answered",
    "Counted",
    "Statements",
    "TallyStep",
    "escape_like",
    "literal",
    "render",
]
