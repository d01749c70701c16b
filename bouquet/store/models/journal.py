"""
The journal: who did what, and the seals by which a change of it would be seen.
"""

from __future__ import annotations

from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column

from bouquet.store.models.base import Base, Document

__all__ = ["JournalEntry", "JournalRetired", "JournalSeal", "JournalSealed"]


class JournalEntry(Base):
    """
    One act: who (`who` is their name then), `via` page, token, command line or the house itself, from which address,
    what, with which thing, and what more there is to say: never secrets, never values of records.
    """

    __tablename__ = "journal"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(index=True)
    person_id: Mapped[int | None] = mapped_column(index=True)
    who: Mapped[str]
    via: Mapped[str]
    address: Mapped[str] = mapped_column(default="", server_default="")
    act: Mapped[str]
    thing: Mapped[str] = mapped_column(default="", server_default="")
    thing_id: Mapped[str] = mapped_column(default="", server_default="")
    name: Mapped[str] = mapped_column(default="", server_default="")
    facts: Mapped[Document]

    __table_args__ = (sa.Index("ix_journal_thing", "thing", "thing_id"),)


class JournalSeal(Base):
    """
    Seals some entries: the digest of them and of the seal before.
    """

    __tablename__ = "journal_seals"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    entries: Mapped[int]
    previous: Mapped[str]
    digest: Mapped[str]


class JournalSealed(Base):
    """
    Which seal an entry is under.
    """

    __tablename__ = "journal_sealed"

    entry_id: Mapped[int] = mapped_column(sa.ForeignKey("journal.id", ondelete="CASCADE"), primary_key=True)
    seal_id: Mapped[int] = mapped_column(sa.ForeignKey("journal_seals.id"), index=True)


class JournalRetired(Base):
    """
    A seal whose entries were let go by the house's rule. The database takes the oldest ones only, and none of the last
    year.
    """

    __tablename__ = "journal_retired"

    seal_id: Mapped[int] = mapped_column(sa.ForeignKey("journal_seals.id"), primary_key=True)
    at: Mapped[datetime]
