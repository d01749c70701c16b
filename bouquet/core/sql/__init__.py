"""
From a plan to SQL.
"""

from bouquet.core.sql.compiler import COLLATION, Statements, TallyStep
from bouquet.core.sql.literals import literal, render

__all__ = ["COLLATION", "Statements", "TallyStep", "literal", "render"]
