"""
Rounds, their occurrences, and the work by the clock.
"""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column, relationship

from bouquet.store.models.base import Base, Document
from bouquet.store.models.deliveries import RoundRecipient
from bouquet.store.models.templates import TemplateRecord

__all__ = ["Care", "HouseFact", "Noticed", "Occurrence", "Round"]


class Round(Base):
    """
    A template set to run: by the calendar, after another round, or when it is called.
    """

    __tablename__ = "rounds"

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(sa.ForeignKey("templates.id"))
    #: When it runs; see `bouquet.core.recurrence.RhythmDocument`.
    rhythm: Mapped[Document]
    zone: Mapped[str]
    #: Addresses that its files are sent to.
    mail_to: Mapped[list[str]] = mapped_column(sa.JSON, default=list, server_default="[]")
    folder: Mapped[str]
    format: Mapped[str]
    #: What becomes of an earlier file of the same name there: `new` leaves it, `replace`, `append`.
    mode: Mapped[str] = mapped_column(default="new", server_default="new")
    #: What its owner said that personal data is taken out for.
    purpose: Mapped[str] = mapped_column(default="", server_default="")
    paused: Mapped[bool] = mapped_column(default=False)
    #: What starts it: `calendar`, `after` another round, `called`, records that `appears`, or one that `closes`.
    trigger: Mapped[str] = mapped_column(default="calendar", server_default="calendar")
    after_id: Mapped[int | None] = mapped_column(sa.ForeignKey("rounds.id"))
    #: How often records are looked for, and how long they are gathered; see `bouquet.rounds.watching.Watch`.
    watch: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    #: What more there is to say of what starts it; see `bouquet.rounds.document.Event`.
    event: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    #: Answers to what its template asks.
    answers: Mapped[Document] = mapped_column(default=dict, server_default="{}")
    #: What was found and is being gathered: since when, how many, and when it last became more.
    found: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    #: When records are looked for next.
    look_at: Mapped[datetime | None] = mapped_column(index=True)
    #: Since when it is as it is: only runs that end later start it.
    since: Mapped[datetime | None]
    #: What becomes of a file without rows: `send` it, or `skip` it.
    when_empty: Mapped[str] = mapped_column(default="send", server_default="send")
    #: When a pause ends by itself.
    paused_until: Mapped[datetime | None]
    #: Why it paused by itself; empty where a person paused it.
    paused_for: Mapped[str] = mapped_column(default="", server_default="")
    #: The fact of recipients by which each gets the part with its value (`fact`), and what becomes of parts of nobody
    #: (`missing`: `hold`, `keep` or `tell`); None where everybody gets everything.
    own_part: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    next_at: Mapped[datetime]
    created_by: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    #: People and groups who look after it beside its owner.
    shared_with: Mapped[list[dict[str, int]]] = mapped_column(sa.JSON, default=list, server_default="[]")
    deleted_at: Mapped[datetime | None]
    template: Mapped[TemplateRecord] = relationship(lazy="joined")
    recipients: Mapped[list[RoundRecipient]] = relationship(
        lazy="selectin", order_by="RoundRecipient.position", cascade="all, delete-orphan"
    )
    after: Mapped[Round | None] = relationship(remote_side=[id], lazy="selectin")


class Occurrence(Base):
    """
    One planned moment of a round. The key makes a double impossible.
    """

    __tablename__ = "occurrences"

    round_id: Mapped[int] = mapped_column(sa.ForeignKey("rounds.id", ondelete="CASCADE"), primary_key=True)
    planned_at: Mapped[datetime] = mapped_column(primary_key=True)
    run_id: Mapped[int | None] = mapped_column(sa.ForeignKey("runs.id"), index=True)
    note: Mapped[str] = mapped_column(default="")


class Noticed(Base):
    """
    A record that met the condition of a round's event once: a digest of its key (`core.memory`). It starts nothing
    again.
    """

    __tablename__ = "noticed"

    round_id: Mapped[int] = mapped_column(sa.ForeignKey("rounds.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[UUID] = mapped_column(primary_key=True)
    at: Mapped[datetime]


class HouseFact(Base):
    """
    Something that is true of the whole house, by its name.
    """

    __tablename__ = "house"

    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[Document]
    changed_at: Mapped[datetime]


class Care(Base):
    """
    Work that workers do by the clock: when it last went well, and how it last failed.
    """

    __tablename__ = "care"

    name: Mapped[str] = mapped_column(primary_key=True)
    done_at: Mapped[datetime | None]
    failed_at: Mapped[datetime | None]
    error: Mapped[str] = mapped_column(default="", server_default="")
