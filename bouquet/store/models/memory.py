"""
What was sent before, for templates that want only what is new.
"""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column

from bouquet.store.models.base import Base

__all__ = ["MemoryChange", "MemoryChanged", "Remembered", "Remembering", "SentKeysRecord"]


class Remembered(Base):
    """
    A record that a template sent: digests of its key and of its rows (`core.memory`), when, and in which run.
    `round_id` is 0 for what was taken by hand: each round has a memory of its own, and there each recipient;
    `recipient_id` is 0 for what went otherwise (`store.memory.Memory`). `texts` are those of its key, where it is to be
    named once it is gone.
    """

    __tablename__ = "remembered"

    template_id: Mapped[int] = mapped_column(sa.ForeignKey("templates.id", ondelete="CASCADE"), primary_key=True)
    round_id: Mapped[int] = mapped_column(primary_key=True)
    recipient_id: Mapped[int] = mapped_column(primary_key=True, default=0, server_default="0")
    key: Mapped[UUID] = mapped_column(primary_key=True)
    row: Mapped[int]
    sent_at: Mapped[datetime]
    run_id: Mapped[int | None] = mapped_column(index=True)
    texts: Mapped[list[str] | None] = mapped_column(sa.JSON(none_as_null=True))


class Remembering(Base):
    """
    A record that a run holds and that is yet to be remembered: once it is delivered to the recipient, and only then.
    One that is `gone` is yet to be forgotten: the run tells that it is no longer there.
    """

    __tablename__ = "remembering"

    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    recipient_id: Mapped[int] = mapped_column(primary_key=True, default=0, server_default="0")
    key: Mapped[UUID] = mapped_column(primary_key=True)
    row: Mapped[int]
    texts: Mapped[list[str] | None] = mapped_column(sa.JSON(none_as_null=True))
    gone: Mapped[bool] = mapped_column(default=False, server_default=sa.false())


class MemoryChange(Base):
    """
    What somebody changed in a memory by hand (`forgotten`, `marked`), and of how many records.
    """

    __tablename__ = "memory_changes"

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(sa.ForeignKey("templates.id", ondelete="CASCADE"))
    round_id: Mapped[int]
    recipient_id: Mapped[int] = mapped_column(default=0, server_default="0")
    kind: Mapped[str]
    who: Mapped[str]
    at: Mapped[datetime]
    records: Mapped[int]

    __table_args__ = (
        sa.CheckConstraint("kind IN ('forgotten', 'marked')", name="kind"),
        sa.Index("ix_memory_changes_template_id", "template_id", "round_id"),
    )


class MemoryChanged(Base):
    """
    A record that such a change was about, as it was remembered.
    """

    __tablename__ = "memory_changed"

    change_id: Mapped[int] = mapped_column(sa.ForeignKey("memory_changes.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[UUID] = mapped_column(primary_key=True)
    row: Mapped[int]
    sent_at: Mapped[datetime]
    run_id: Mapped[int | None]
    texts: Mapped[list[str] | None] = mapped_column(sa.JSON(none_as_null=True))


class SentKeysRecord(Base):
    """
    The records that a run sent: digests of eight bytes of their keys (`core.memory.short_digest`), in order, one after
    the other. `records` is their record type, `source` where it is one. A `recipient_id` is of somebody who got others
    than everybody did.
    """

    __tablename__ = "sent_keys"

    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    records: Mapped[str] = mapped_column(primary_key=True, index=True)
    recipient_id: Mapped[int] = mapped_column(primary_key=True, default=0, server_default="0")
    source: Mapped[str] = mapped_column(default="", server_default="")
    keys: Mapped[bytes]
