"""
Bouquet's own records.
"""

from bouquet.store.database import Store
from bouquet.store.errors import LostUpdate, NameTaken, NotFound, NotPossible, StoreError

__all__ = ["LostUpdate", "NameTaken", "NotFound", "NotPossible", "Store", "StoreError"]
