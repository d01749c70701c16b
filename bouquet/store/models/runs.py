"""
Runs, their files, and what is said of them.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column, relationship

from bouquet.store.models.base import Base, Document
from bouquet.store.models.deliveries import Delivery, Placing

__all__ = ["ACTIVE", "LATER", "ComparisonRecord", "Notice", "Run", "RunFile"]

#: Statuses of a run that a worker has still something to do for.
ACTIVE = ("asked", "running", "releasing")

#: Roles of files that came to a run after it was over: no part of what it made.
LATER = ("comparison", "changes")


class Run(Base):
    """
    One execution of one template, or of a bundle. `document` is what was run, whatever became of the template since.

    `status`: asked, running, held (made, waiting for a person), releasing, ready, failed, cancelled, discarded.
    `via`: hand, round, script, command line; or once, by hand on a part of the records or with another period.
    `source`: the source that it reads, by name, empty for the one in the settings; `records`: its record type.
    `attempt` counts the workers that took it up; only the last one may finish it. Its `stage` is `delivering` once it
    is made and its files are entered: what follows never makes it anew.
    `answers` are to the template's asks; `scope` is what the asking person's rights left of the source.
    `verdict`: the gravest severity among the checks that objected; `objections` counts them, `findings` lists some.
    `personal` counts the columns with personal data; `reviewed_…` say who released or discarded it, when and why.
    `keep_until`: when its files expire; the run itself and its slip stay.
    """

    __tablename__ = "runs"

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int | None] = mapped_column(sa.ForeignKey("templates.id"))
    version: Mapped[int | None]
    name: Mapped[str]
    document: Mapped[Document]
    format: Mapped[str]
    person_id: Mapped[int | None] = mapped_column(sa.ForeignKey("people.id"), index=True)
    asked_by: Mapped[str]
    via: Mapped[str]
    round_id: Mapped[int | None] = mapped_column(sa.ForeignKey("rounds.id"))
    as_of: Mapped[datetime]
    status: Mapped[str] = mapped_column(default="asked", index=True)
    attempt: Mapped[int] = mapped_column(default=0)
    stage: Mapped[str] = mapped_column(default="asked")
    rows_announced: Mapped[int | None]
    rows_written: Mapped[int] = mapped_column(default=0)
    cancel_requested: Mapped[bool] = mapped_column(default=False)
    error: Mapped[Document | None]
    slip: Mapped[Document | None]
    asked_at: Mapped[datetime] = mapped_column(index=True)
    started_at: Mapped[datetime | None]
    #: When its worker last said that it lives.
    seen_at: Mapped[datetime | None]
    finished_at: Mapped[datetime | None]
    #: The run whose rows it sends once more, where its template wants only what is new.
    repeats: Mapped[int | None] = mapped_column(sa.ForeignKey("runs.id", ondelete="SET NULL", name="fk_runs_repeats"))
    idempotency_key: Mapped[str | None]
    #: Digest of what was asked for under the key, so that the same key with something else is noticed.
    request_digest: Mapped[str | None]
    #: Times it was taken up since it was asked for or released; a run that ends its workers is given up.
    tries: Mapped[int] = mapped_column(default=0, server_default="0")
    answers: Mapped[Document] = mapped_column(default=dict, server_default="{}")
    #: What the asking person said that personal data is taken out for.
    purpose: Mapped[str] = mapped_column(default="", server_default="")
    scope: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    source: Mapped[str] = mapped_column(default="", server_default="")
    records: Mapped[str] = mapped_column(default="", server_default="", index=True)
    personal: Mapped[int] = mapped_column(default=0, server_default="0")
    verdict: Mapped[str | None]
    objections: Mapped[int] = mapped_column(default=0, server_default="0")
    findings: Mapped[list[dict[str, Any]]] = mapped_column(sa.JSON, default=list, server_default="[]")
    reviewed_by: Mapped[str | None]
    reviewed_at: Mapped[datetime | None]
    review_reason: Mapped[str] = mapped_column(default="", server_default="")
    keep_until: Mapped[datetime | None] = mapped_column(index=True)
    files: Mapped[list[RunFile]] = relationship(lazy="selectin", order_by="RunFile.id")
    placings: Mapped[list[Placing]] = relationship(lazy="selectin", order_by="Placing.position", viewonly=True)
    #: Read when they are asked for: a run may be sent to hundreds.
    deliveries: Mapped[list[Delivery]] = relationship(lazy="select", order_by="Delivery.id", viewonly=True)

    @property
    def delivered_to(self) -> list[str]:
        """
        Where its files lie below the outgoing folder, once they are all there.
        """
        return [p.target for p in self.placings] if all(p.done for p in self.placings) else []

    __table_args__ = (
        sa.UniqueConstraint("person_id", "idempotency_key"),
        sa.Index("ix_runs_template_id_id", "template_id", "id"),
        sa.Index("ix_runs_round_id_id", "round_id", "id"),
    )

    @property
    def is_bundle(self) -> bool:
        """
        Whether it runs several templates at once.
        """
        return self.format == "zip"


class RunFile(Base):
    """
    A file that a run made. `path` is relative to the file store; `role` is `data`, or what accompanies it, or `form`:
    the data as a recipient takes them.

    `removed_at` says since when it is no longer there: expired, or discarded.
    """

    __tablename__ = "run_files"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    path: Mapped[str]
    media_type: Mapped[str]
    size: Mapped[int]
    rows: Mapped[int]
    sha256: Mapped[str]
    role: Mapped[str] = mapped_column(default="data", server_default="data")
    #: The recipient in whose form it is; None for the template's own.
    recipient_id: Mapped[int | None] = mapped_column(sa.ForeignKey("recipients.id"))
    #: The value of the part that it is, where the run was split by one.
    part: Mapped[str | None]
    removed_at: Mapped[datetime | None]


class RunRange(Base):
    """
    A range of the rows of a large run, which any worker may write. Those of one attempt, in the order of their
    `number`, from 0, are all of its rows.

    `status`: waiting, taken, made. `least` and `below` bound it, see `core.sql.Range`. `tries` counts those who took
    it; only the last one may enter it as made. `told` is what its writer found, as JSON; `path`, `keys_path`: where its
    rows, and the digests of its records, lie in the file store.
    """

    __tablename__ = "run_ranges"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"))
    attempt: Mapped[int]
    number: Mapped[int]
    least: Mapped[str | None]
    below: Mapped[str | None]
    #: The snapshot of the source that all ranges are read from, as the source calls it.
    snapshot: Mapped[str]
    #: Rows of the whole run, and the digest of its statement: whoever makes another of it writes nothing.
    announced: Mapped[int]
    statement: Mapped[str]
    status: Mapped[str] = mapped_column(default="waiting", server_default="waiting")
    tries: Mapped[int] = mapped_column(default=0, server_default="0")
    seen_at: Mapped[datetime | None]
    rows: Mapped[int] = mapped_column(default=0, server_default="0")
    told: Mapped[Document | None]
    path: Mapped[str] = mapped_column(default="", server_default="")
    keys_path: Mapped[str] = mapped_column(default="", server_default="")

    __table_args__ = (
        sa.UniqueConstraint("run_id", "attempt", "number"),
        sa.CheckConstraint("status IN ('waiting', 'taken', 'made')", name="ck_run_ranges_status"),
    )


class ComparisonRecord(Base):
    """
    What differs between two runs. `status`: asked, ready, failed; `result` is `core.compare.Comparison` as JSON.
    """

    __tablename__ = "comparisons"

    id: Mapped[int] = mapped_column(primary_key=True)
    before_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"))
    after_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    key_text: Mapped[str]
    key: Mapped[list[str]]
    status: Mapped[str]
    result: Mapped[Document | None]
    file_id: Mapped[int | None] = mapped_column(sa.ForeignKey("run_files.id", ondelete="SET NULL"))
    asked_at: Mapped[datetime]

    __table_args__ = (sa.UniqueConstraint("before_id", "after_id", "key_text"),)


class Notice(Base):
    """
    Something a person should know, leading to a run, or else to the place `link` names.
    """

    __tablename__ = "notices"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"), index=True)
    run_id: Mapped[int | None] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    link: Mapped[str] = mapped_column(default="", server_default="")
    text: Mapped[str]
    created_at: Mapped[datetime]
    read_at: Mapped[datetime | None]

    __table_args__ = (sa.UniqueConstraint("person_id", "run_id"),)
