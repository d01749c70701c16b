"""
Help while a template is designed: looking at its rows, counting what its checks object to. Nothing is kept.
"""

from bouquet.designing.asking import Said, said_of_request
from bouquet.designing.checking import Counted, Objected, count_checks
from bouquet.designing.counting import Counting
from bouquet.designing.looking import CELL_SHOWN, Mark, SeenRows, SheetColumn, expected_name, first_rows, sheet_columns
from bouquet.designing.proposing import proposed_document
from bouquet.designing.source_view import SourceView

__all__ = [
    "CELL_SHOWN",
    "Counted",
    "Counting",
    "Mark",
    "Objected",
    "Said",
    "SeenRows",
    "SheetColumn",
    "SourceView",
    "count_checks",
    "expected_name",
    "first_rows",
    "proposed_document",
    "said_of_request",
    "sheet_columns",
]
