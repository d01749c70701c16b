"""
From a plan to SQL.
"""

from bouquet.core.sql.comparisons import escape_like
from bouquet.core.sql.dialects import COLLATION, DIALECTS, LacksError, render
from bouquet.core.sql.literals import literal
from bouquet.core.sql.ranges import Range
from bouquet.core.sql.rows import OBJECTS, PAGE, TITLE, TOUCHED
from bouquet.core.sql.statements import Statements
from bouquet.core.sql.tally import Counted, TallyStep
from bouquet.core.sql.trace import Answered
from bouquet.core.values import WHITE

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
    "LacksError",
    "Range",
    "Statements",
    "TallyStep",
    "escape_like",
    "literal",
    "render",
]
