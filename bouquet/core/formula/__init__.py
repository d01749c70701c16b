"""
Formulas: reading, typing and documenting them. Compiling them to SQL is `bouquet.core.sql`'s work.
"""

from bouquet.core.formula import words_postgresql  # noqa: F401
from bouquet.core.formula.checker import check
from bouquet.core.formula.computed_numbers import divided
from bouquet.core.formula.computed_texts import dated_by_pattern
from bouquet.core.formula.document import formulas_document
from bouquet.core.formula.evaluate import evaluate, read_tree, write_tree
from bouquet.core.formula.functions import FUNCTIONS, GROUPS, Function, can_fail
from bouquet.core.formula.parser import FormulaError, functions_in, parse
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
    "can_fail",
    "check",
    "dated_by_pattern",
    "divided",
    "evaluate",
    "formulas_document",
    "functions_in",
    "mariadb_codes",
    "parse",
    "read_tree",
    "references_of",
    "size_of",
    "type_of",
    "write_tree",
]
