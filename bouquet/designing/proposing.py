"""
The first template of a record type, as the catalogue proposes it: wide open but for what is proposed in plain view.
"""

from __future__ import annotations

from typing import Any

from bouquet.core.catalogue import Catalogue, RecordType
from bouquet.core.guessing import propose_columns, propose_order
from bouquet.core.template import FORMAT

__all__ = ["proposed_document"]


def proposed_document(
    catalogue: Catalogue, record_type: RecordType, name: str, *, everyday: bool = True
) -> dict[str, Any]:
    """
    A template document with the everyday fields, or with no columns yet; the newest first where records have a date.
    """
    columns = propose_columns(catalogue, record_type) if everyday else []
    order = propose_order(record_type, columns)
    return {
        "format": FORMAT,
        "name": name,
        "records": record_type.name,
        "columns": columns,
        "filter": {"all": [dict(p) for p in record_type.proposed]},
        **({"order": order} if order else {}),
    }
