"""
Sources that the house keeps, and what people know about them.
"""

from __future__ import annotations

from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column

from bouquet.store.models.base import Base, Document

__all__ = ["CuratedDraft", "CuratedVersion", "KeptCatalogue", "SourceRecord"]


class SourceRecord(Base):
    """
    A source that is kept here rather than in the settings. `address` is its URL, encrypted with the house's key.
    """

    __tablename__ = "sources"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    address: Mapped[str]
    #: The URL of a copy that runs read, encrypted as well; empty where there is none.
    copy: Mapped[str] = mapped_column(default="", server_default="")
    environment: Mapped[str] = mapped_column(default="live", server_default="live")
    #: Counts changes, so that every process notices them.
    revision: Mapped[int] = mapped_column(default=1, server_default="1")
    added_by: Mapped[int | None] = mapped_column(sa.ForeignKey("people.id"))
    added_at: Mapped[datetime]
    deleted_at: Mapped[datetime | None]

    __table_args__ = (
        sa.Index(
            "uq_sources_name",
            sa.func.lower(sa.text("name")),
            unique=True,
            postgresql_where=sa.text("deleted_at IS NULL"),
        ),
    )


class KeptCatalogue(Base):
    """
    What was read of a large source, compressed, under the digest of what it was read from.
    """

    __tablename__ = "kept_catalogues"

    source: Mapped[str] = mapped_column(primary_key=True)
    digest: Mapped[str]
    body: Mapped[bytes]
    read_at: Mapped[datetime]


class CuratedDraft(Base):
    """
    The curated catalogue of a source as it is being edited; `revision` counts its changes.
    """

    __tablename__ = "curated_drafts"

    source: Mapped[str] = mapped_column(primary_key=True)
    document: Mapped[Document]
    revision: Mapped[int] = mapped_column(default=1)
    changed_by: Mapped[int | None] = mapped_column(sa.ForeignKey("people.id"))
    changed_at: Mapped[datetime]


class CuratedVersion(Base):
    """
    A curated catalogue that was put into use; the newest of a source is the one in use. Never changed afterwards.
    """

    __tablename__ = "curated_versions"

    source: Mapped[str] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[Document]
    note: Mapped[str] = mapped_column(default="", server_default="")
    saved_by: Mapped[int | None] = mapped_column(sa.ForeignKey("people.id"))
    saved_at: Mapped[datetime]
