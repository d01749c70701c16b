"""
How files leave the house: means, recipients, deliveries.
"""

from __future__ import annotations

from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column, relationship

from bouquet.store.models.base import Base, Document

__all__ = [
    "SENT",
    "UNDER_WAY",
    "Appending",
    "Delivery",
    "DeliveryEvent",
    "Download",
    "Link",
    "Means",
    "Placing",
    "Recipient",
    "RecipientWay",
    "RoundRecipient",
]

#: States of a delivery that somebody still does something for, or waits for.
UNDER_WAY = ("waiting", "sending", "trying", "offered")

#: A view: of the newest delivery to each recipient of a run, how many came to what.
SENT = sa.table("sent", *map(sa.column, ("run_id", "arrived", "under_way", "failed", "given_up")), schema="ledger")


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


class Placing(Base):
    """
    One file of a run at its place below the outgoing folder, or one mail of a round's own; `done` once it is there.

    `position` counts the run's files that go out from 0. While it is under way, a name that must be new is its alone.
    """

    __tablename__ = "placings"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"))
    position: Mapped[int]
    target: Mapped[str]
    mode: Mapped[str]
    done: Mapped[bool] = mapped_column(default=False, server_default=sa.false())
    entered_at: Mapped[datetime]

    __table_args__ = (
        sa.UniqueConstraint("run_id", "position"),
        sa.Index("uq_placings_target", "target", unique=True, postgresql_where=sa.text("mode = 'new' AND NOT done")),
    )


class Means(Base):
    """
    A server, bucket or folder that files leave by, set up by a keeper. `kind` is one of `bouquet.delivery.WAYS`.

    `secret` is sealed. `failures` in a row make it be left alone until `down_until`; `said` is what it last said.
    """

    __tablename__ = "means"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    kind: Mapped[str]
    settings: Mapped[Document]
    secret: Mapped[str] = mapped_column(default="", server_default="")
    failures: Mapped[int] = mapped_column(default=0, server_default="0")
    down_until: Mapped[datetime | None]
    said: Mapped[str] = mapped_column(default="", server_default="")
    created_at: Mapped[datetime]
    deleted_at: Mapped[datetime | None]

    __table_args__ = (
        sa.Index("uq_means_name", sa.text("lower(name)"), unique=True, postgresql_where=sa.text("deleted_at IS NULL")),
    )


class Recipient(Base):
    """
    Who or what receives files. `acceptance` is a `core.template.Acceptance`; `address` is where, by its means.
    Everybody who designs sends to them, or, not `for_all`, who wrote them down and with whom they are shared.
    """

    __tablename__ = "recipients"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    about: Mapped[str] = mapped_column(default="", server_default="")
    acceptance: Mapped[Document]
    means_id: Mapped[int] = mapped_column(sa.ForeignKey("means.id"), index=True)
    address: Mapped[Document]
    created_by: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    created_at: Mapped[datetime]
    deleted_at: Mapped[datetime | None]
    for_all: Mapped[bool] = mapped_column(default=True, server_default=sa.true())
    #: People and groups, as `{"person": number}` or `{"group": number}`.
    shared_with: Mapped[list[dict[str, int]]] = mapped_column(sa.JSON, default=list, server_default="[]")
    means: Mapped[Means] = relationship(lazy="joined")
    #: By which they receive as well.
    more_ways: Mapped[list[RecipientWay]] = relationship(
        lazy="selectin",
        order_by="RecipientWay.position",
        primaryjoin="and_(Recipient.id == RecipientWay.recipient_id, RecipientWay.deleted_at.is_(None))",
    )

    @property
    def ways(self) -> list[tuple[int | None, Means, Document]]:
        """
        (number, means, address) of each way by which they receive; the first one has no number of its own.
        """
        return [(None, self.means, self.address), *((w.id, w.means, w.address) for w in self.more_ways)]

    __table_args__ = (
        sa.Index(
            "uq_recipients_name", sa.text("lower(name)"), unique=True, postgresql_where=sa.text("deleted_at IS NULL")
        ),
    )


class RecipientWay(Base):
    """
    One more way by which a recipient receives the same files. One that is taken from them stays for what went by it.
    """

    __tablename__ = "recipient_ways"

    id: Mapped[int] = mapped_column(primary_key=True)
    recipient_id: Mapped[int] = mapped_column(sa.ForeignKey("recipients.id"), index=True)
    position: Mapped[int]
    means_id: Mapped[int] = mapped_column(sa.ForeignKey("means.id"), index=True)
    address: Mapped[Document]
    deleted_at: Mapped[datetime | None]
    means: Mapped[Means] = relationship(lazy="joined")


class RoundRecipient(Base):
    """
    Whom a round sends to. `must`: the round has done its work only when it arrived there. `when_empty`: what becomes of
    a file without rows: `send`, `leave out`, or `tell` that there is nothing, where the way out can. `only`: of which
    records they get a file, where it is not as the template says.
    """

    __tablename__ = "round_recipients"

    round_id: Mapped[int] = mapped_column(sa.ForeignKey("rounds.id", ondelete="CASCADE"), primary_key=True)
    recipient_id: Mapped[int] = mapped_column(sa.ForeignKey("recipients.id"), primary_key=True, index=True)
    position: Mapped[int]
    must: Mapped[bool] = mapped_column(default=True, server_default=sa.true())
    when_empty: Mapped[str] = mapped_column(default="send", server_default="send")
    only: Mapped[str | None]
    recipient: Mapped[Recipient] = relationship(lazy="joined")


class Delivery(Base):
    """
    A run's files handed to one recipient by one of their ways, with its tries. The transaction that ends the run enters
    it.

    `way_id` is none for their first way. `number` counts what was sent to one recipient of one run by one way, from 1;
    `identity` is what the other side can tell it by.
    `state`: waiting, sending, trying (again, at `next_at`), offered (a link, until it is fetched), arrived, failed,
    waived, withdrawn. `progress` is what a try noted for the next one. `files` are numbers of the run's files.
    """

    __tablename__ = "deliveries"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"))
    recipient_id: Mapped[int] = mapped_column(sa.ForeignKey("recipients.id"))
    way_id: Mapped[int | None] = mapped_column(sa.ForeignKey("recipient_ways.id"))
    #: By whose right it is sent again; none: by that of whom the run is of.
    person_id: Mapped[int | None] = mapped_column(sa.ForeignKey("people.id"))
    number: Mapped[int] = mapped_column(default=1)
    identity: Mapped[str] = mapped_column(unique=True)
    must: Mapped[bool] = mapped_column(default=True)
    state: Mapped[str] = mapped_column(default="waiting")
    files: Mapped[list[int]] = mapped_column(sa.JSON)
    why: Mapped[str] = mapped_column(default="")
    reply: Mapped[str] = mapped_column(default="")
    tries: Mapped[int] = mapped_column(default=0)
    progress: Mapped[Document] = mapped_column(default=dict)
    entered_at: Mapped[datetime]
    #: When it is sent, or tried again; None where nobody does anything for it.
    next_at: Mapped[datetime | None]
    tried_at: Mapped[datetime | None]
    arrived_at: Mapped[datetime | None]
    recipient: Mapped[Recipient] = relationship(lazy="joined")
    way: Mapped[RecipientWay | None] = relationship(lazy="joined")
    events: Mapped[list[DeliveryEvent]] = relationship(lazy="selectin", order_by="DeliveryEvent.id")

    __table_args__ = (
        sa.UniqueConstraint("run_id", "recipient_id", "way_id", "number", postgresql_nulls_not_distinct=True),
        sa.Index("ix_deliveries_next", "recipient_id", "id", postgresql_where=sa.text("next_at IS NOT NULL")),
        sa.Index("ix_deliveries_recipient", "recipient_id", "id"),
    )

    @property
    def means(self) -> Means:
        """
        By what it goes.
        """
        return self.way.means if self.way is not None else self.recipient.means

    @property
    def address(self) -> Document:
        """
        Where, by these means.
        """
        return self.way.address if self.way is not None else self.recipient.address

    @property
    def line(self) -> tuple[int, int]:
        """
        (recipient, way) in whose order it goes; 0 is the first way.
        """
        return self.recipient_id, self.way_id or 0


class DeliveryEvent(Base):
    """
    Something that happened to a delivery: its new state, what was said, and who did it where a person did.
    """

    __tablename__ = "delivery_events"

    id: Mapped[int] = mapped_column(primary_key=True)
    delivery_id: Mapped[int] = mapped_column(sa.ForeignKey("deliveries.id", ondelete="CASCADE"), index=True)
    at: Mapped[datetime]
    state: Mapped[str]
    says: Mapped[str] = mapped_column(default="")
    by: Mapped[str] = mapped_column(default="")


class Link(Base):
    """
    A page without sign-in at which a delivery is fetched. Only the digest of its address is kept.

    `most` fetches of each file are allowed; `fetches` has the number of each, by the file's number.
    """

    __tablename__ = "links"

    delivery_id: Mapped[int] = mapped_column(sa.ForeignKey("deliveries.id", ondelete="CASCADE"), primary_key=True)
    digest: Mapped[str] = mapped_column(unique=True)
    expires_at: Mapped[datetime]
    most: Mapped[int]
    fetches: Mapped[Document] = mapped_column(default=dict)
    passphrase_hash: Mapped[str] = mapped_column(default="")
    #: Wrong passphrases in a row.
    refused: Mapped[int] = mapped_column(default=0)
    withdrawn_at: Mapped[datetime | None]


class Download(Base):
    """
    A file of a run that somebody took: who, when, and by what way (`page`, `address`, `token`, `mail`,
    or a `look` at its ends).
    """

    __tablename__ = "downloads"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_file_id: Mapped[int] = mapped_column(sa.ForeignKey("run_files.id", ondelete="CASCADE"), index=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    taken_at: Mapped[datetime]
    way: Mapped[str]
    purpose: Mapped[str] = mapped_column(default="", server_default="")
