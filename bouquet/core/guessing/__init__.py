"""
Guesses about a database that nobody curated: labels, titles, everyday fields, personal data, relations.

No database is met here: guesses are made from names, comments, kinds, keys, samples and counts. Each says why.
"""

from bouquet.core.guessing.facts import ColumnFacts, Guess, TableFacts
from bouquet.core.guessing.fields import guess_everyday, guess_hidden_kind, guess_kind, guess_title
from bouquet.core.guessing.parts import guess_parts
from bouquet.core.guessing.people import guess_class, guess_personal
from bouquet.core.guessing.proposal import propose_columns, propose_order
from bouquet.core.guessing.relations import Candidate, relation_candidates
from bouquet.core.guessing.words import (
    common_prefix,
    initials_of_tables,
    label_of_column,
    label_of_table,
    plural_of,
    speaks_german,
    words_of,
)

__all__ = [
    "Candidate",
    "ColumnFacts",
    "Guess",
    "TableFacts",
    "common_prefix",
    "guess_class",
    "guess_everyday",
    "guess_hidden_kind",
    "guess_kind",
    "guess_parts",
    "guess_personal",
    "guess_title",
    "initials_of_tables",
    "label_of_column",
    "label_of_table",
    "plural_of",
    "propose_columns",
    "propose_order",
    "relation_candidates",
    "speaks_german",
    "words_of",
]
