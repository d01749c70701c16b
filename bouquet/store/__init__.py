"""
Bouquet's own records.
"""

from bouquet.store.database import Store
from bouquet.store.errors import (
    LostUpdate,
    NameTaken,
    NotFound,
    NotPossible,
    NotYours,
    OutOfScope,
    StoreError,
    TooManyTries,
    WeakPassword,
)

__all__ = [
    "LostUpdate",
    "NameTaken",
    "NotFound",
    "NotPossible",
    "NotYours",
    "OutOfScope",
    "Store",
    "StoreError",
    "TooManyTries",
    "WeakPassword",
]
