"""
Bouquet's own records.
"""

from bouquet.store.database import Store
from bouquet.store.errors import (
    STORE_AWAY,
    LostUpdate,
    NameTaken,
    NotFound,
    NotPossible,
    NotYours,
    OtherVersion,
    OutOfScope,
    StoreError,
    TooManyTries,
    WeakPassword,
)

__all__ = [
    "STORE_AWAY",
    "LostUpdate",
    "NameTaken",
    "NotFound",
    "NotPossible",
    "NotYours",
    "OtherVersion",
    "OutOfScope",
    "Store",
    "StoreError",
    "TooManyTries",
    "WeakPassword",
]
