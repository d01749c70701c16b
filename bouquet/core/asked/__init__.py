"""
Requests as colleagues write them, read as proposed templates.
"""

from bouquet.core.asked.formal import ReadBack, read_sentence
from bouquet.core.asked.joined import joined_to
from bouquet.core.asked.model import Asked, Role, Understood
from bouquet.core.asked.reader import LONGEST_REQUEST, lookups, read_request

__all__ = [
    "LONGEST_REQUEST",
    "Asked",
    "ReadBack",
    "Role",
    "Understood",
    "joined_to",
    "lookups",
    "read_request",
    "read_sentence",
]
