"""
Plan → SQLAlchemy statements. Rows, counts, tally, trace and totals are made from the same rows, so that they
cannot disagree.
"""

from __future__ import annotations

from bouquet.core.sql.checking import CheckStatements
from bouquet.core.sql.first import FirstStatements
from bouquet.core.sql.ranges import RangeStatements
from bouquet.core.sql.tally import TallyStatements
from bouquet.core.sql.totals import TotalStatements
from bouquet.core.sql.trace import TraceStatements

__all__ = ["Statements"]


class Statements(CheckStatements, FirstStatements, RangeStatements, TallyStatements, TraceStatements, TotalStatements):
    """
    All statements of one plan.

    Args:
        plan: What to read.
        expected: Rows that will be read, or of groups the records that they are made of, where that is known; it
            decides how folds are made, not what they come to.
    """
