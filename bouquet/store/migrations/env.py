"""
Alembic's environment: the connection is handed in by `Store.migrate`.
"""

from __future__ import annotations

from alembic import context

from bouquet.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
