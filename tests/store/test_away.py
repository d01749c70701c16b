"""
What counts as a database of ours that is out of reach.
"""

from __future__ import annotations

import pytest
import sqlalchemy as sa

from bouquet.store import STORE_AWAY, Store


def test_where_all_connections_hang_the_database_counts_as_away(
    store_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name, value in (("POOLED", 1), ("BEYOND", 0), ("FOR_ONE", 0.05)):
        monkeypatch.setattr(f"bouquet.store.database.{name}", value)
    store = Store(store_url)
    with store.session() as session:
        session.execute(sa.text("SELECT 1"))
        with pytest.raises(STORE_AWAY), store.session() as other:
            other.execute(sa.text("SELECT 1"))
    store.close()
