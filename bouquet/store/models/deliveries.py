"""
How files left the house.
"""

from __future__ import annotations

from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column

from bouquet.store.models.base import Base

__all__ = ["Appending", "Delivery", "Download"]


class Appending(Base):
    """
    Rows of a run added to a running file at a destination; entered before the file is touched.

    `size_before` and `size_after` are the file's bytes, `sha256` is of what was added. `done` once it is there.
    """

    __tablename__ = "appendings"

    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    target: Mapped[str] = mapped_column(primary_key=True)
    size_before: Mapped[int]
    size_after: Mapped[int]
    sha256: Mapped[str]
    done: Mapped[bool] = mapped_column(default=False)


class Delivery(Base):
    """
    One file of a run at its place below the outgoing folder; `done` once it is there.

    `position` counts the run's files that go out from 0. While it is under way, a name that must be new is its alone.
    """

    __tablename__ = "deliveries"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"))
    position: Mapped[int]
    target: Mapped[str]
    mode: Mapped[str]
    done: Mapped[bool] = mapped_column(default=False, server_default=sa.false())
    entered_at: Mapped[datetime]

    __table_args__ = (
        sa.UniqueConstraint("run_id", "position"),
        sa.Index("uq_deliveries_target", "target", unique=True, postgresql_where=sa.text("mode = 'new' AND NOT done")),
    )


class Download(Base):
    """
    A file of a run that somebody took: who, when, and by what way (`page`, `address`, `token`).
    """

    __tablename__ = "downloads"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_file_id: Mapped[int] = mapped_column(sa.ForeignKey("run_files.id", ondelete="CASCADE"), index=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    taken_at: Mapped[datetime]
    way: Mapped[str]
    purpose: Mapped[str] = mapped_column(default="", server_default="")
