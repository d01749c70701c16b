"""
Formulas: reading, typing and documenting them. Compiling them to SQL is `bouquet.core.sql`'s work.
"""

from bouquet.core.formula import words_postgresql  # noqa: F401
from bouquet.core.formula.checker import check
from bouquet.core.formula.document import formulas_document
from bouquet.core.formula.functions import FUNCTIONS, GROUPS, Function
from bouquet.core.formula.parser import FormulaError, parse
from bouquet.core.formula.phrases import F, Phrase
from bouquet.core.formula.size import LARGEST, size_of
from bouquet.core.formula.types import SQL_TYPES, Call, Literal, Node, Reference, Target, Type, references_of, type_of
from bouquet.core.formula.words_mariadb import LACKED, MARIADB_FAULTS, mariadb_codes

__all__ = [
    "FUNCTIONS",
    "GROUPS",
    "LACKED",
    "LARGEST",
    "MARIADB_FAULTS",
    "SQL_TYPES",
    "Call",
    "F",
    "FormulaError",
    "Function",
    "Literal",
    "Node",
    "Phrase",
    "Reference",
    "Target",
    "Type",
    "check",
    "formulas_document",
    "mariadb_codes",
    "parse",
    "references_of",
    "size_of",
    "type_of",
]
