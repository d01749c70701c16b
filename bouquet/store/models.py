"""
Bouquet's own records.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

__all__ = [
    "ACTIVE",
    "LATER",
    "Appending",
    "Base",
    "Care",
    "ComparisonRecord",
    "Delivery",
    "Download",
    "Notice",
    "Occurrence",
    "Person",
    "Picks",
    "Pin",
    "Round",
    "Run",
    "RunFile",
    "SignIn",
    "SignInTry",
    "TemplateRecord",
    "TemplateVersion",
    "Token",
    "View",
]

#: Statuses of a run that a worker has still something to do for.
ACTIVE = ("asked", "running", "releasing")

#: Roles of files that came to a run after it was over: no part of what it made.
LATER = ("comparison", "changes")

Document = dict[str, Any]


class Base(DeclarativeBase):
    """
    All tables, with constraint names that migrations can rely on.
    """

    metadata = sa.MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012
        datetime: sa.DateTime(timezone=True),
        # Plain JSON keeps the order in which people and programs wrote the keys.
        Document: sa.JSON,
        list[str]: sa.JSON,
        int: sa.BigInteger,
        str: sa.Text,
    }


class Person(Base):
    """
    Somebody who can sign in. `roles` are of `designer`, `runner`, `keeper`, `auditor`.

    `scope` is what their rights leave of the source (see `core.plan.Scope`); all of it when there is none.
    """

    __tablename__ = "people"

    id: Mapped[int] = mapped_column(primary_key=True)
    email: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    roles: Mapped[list[str]]
    password_hash: Mapped[str]
    scope: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    #: How the person likes the interface: `theme`, `locale`, `hints`.
    preferences: Mapped[Document] = mapped_column(default=dict, server_default="{}")

    #: The acts a program may do for them, where one acts by a token; not kept.
    by_token = None


class SignIn(Base):
    """
    One signed-in browser. Only the digest of its token is kept.
    """

    __tablename__ = "sign_ins"

    token_digest: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id", ondelete="CASCADE"))
    expires_at: Mapped[datetime]
    person: Mapped[Person] = relationship(lazy="joined")


class SignInTry(Base):
    """
    A try to sign in: which address was named, from where, and whether it succeeded.
    """

    __tablename__ = "sign_in_tries"

    id: Mapped[int] = mapped_column(primary_key=True)
    email: Mapped[str]
    address: Mapped[str]
    tried_at: Mapped[datetime]
    succeeded: Mapped[bool]

    __table_args__ = (
        sa.Index("ix_sign_in_tries_email", "email", "tried_at"),
        sa.Index("ix_sign_in_tries_address", "address", "tried_at"),
    )


class TemplateRecord(Base):
    """
    A template: its draft, and the number of its newest saved version (0 for none).

    `draft_revision` counts every change of the draft, for edits that name the one they started from.
    `standing`: `own` (its owner's and the keepers'), `shared` (everybody's), `house` (the house's standard).
    """

    __tablename__ = "templates"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    owner_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    draft: Mapped[Document]
    draft_revision: Mapped[int] = mapped_column(default=1)
    draft_changed_at: Mapped[datetime]
    draft_changed_by: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    version: Mapped[int] = mapped_column(default=0)
    sentence: Mapped[str] = mapped_column(default="")
    labels: Mapped[list[str]] = mapped_column(default=list, server_default="[]")
    standing: Mapped[str] = mapped_column(default="shared", server_default="shared")
    deleted_at: Mapped[datetime | None]
    owner: Mapped[Person] = relationship(foreign_keys=[owner_id], lazy="joined")

    __table_args__ = (
        sa.Index(
            "uq_templates_name",
            sa.func.lower(sa.text("name")),
            unique=True,
            postgresql_where=sa.text("deleted_at IS NULL"),
        ),
    )


class TemplateVersion(Base):
    """
    A saved version; never changed afterwards.
    """

    __tablename__ = "template_versions"

    template_id: Mapped[int] = mapped_column(sa.ForeignKey("templates.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[Document]
    note: Mapped[str] = mapped_column(default="")
    saved_by: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    saved_at: Mapped[datetime]


class Round(Base):
    """
    A template set to run by the calendar.
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
    next_at: Mapped[datetime]
    created_by: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    deleted_at: Mapped[datetime | None]
    template: Mapped[TemplateRecord] = relationship(lazy="joined")


class HouseFact(Base):
    """
    Something that is true of the whole house, by its name.
    """

    __tablename__ = "house"

    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[Document]
    changed_at: Mapped[datetime]


class Run(Base):
    """
    One execution of one template, or of a bundle. `document` is what was run, whatever became of the template since.

    `status`: asked, running, held (made, waiting for a person), releasing, ready, failed, cancelled, discarded.
    `via`: hand, round, script, command line; or once, by hand on a part of the records or with another period.
    `source`: the built-in source that it reads, empty for the application's own; `records`: its record type.
    `attempt` counts the workers that took it up; only the last one may finish it. Its `stage` is `delivering` once it
    is made and its files are entered: what follows never makes it anew.
    `answers` are to the template's asks; `scope` is what the asking person's rights left of the source.
    `verdict`: the gravest severity among the checks that objected; `objections` counts them, `findings` lists some.
    `personal` counts the columns with personal data; `reviewed_…` say who released or discarded it, when and why.
    `keep_until`: when its files expire; the run itself and its slip stay.
    """

    __tablename__ = "runs"

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int | None] = mapped_column(sa.ForeignKey("templates.id"), index=True)
    version: Mapped[int | None]
    name: Mapped[str]
    document: Mapped[Document]
    format: Mapped[str]
    person_id: Mapped[int | None] = mapped_column(sa.ForeignKey("people.id"))
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
    deliveries: Mapped[list[Delivery]] = relationship(lazy="selectin", order_by="Delivery.position", viewonly=True)

    @property
    def delivered_to(self) -> list[str]:
        """
        Where its files lie below the outgoing folder, once they are all there.
        """
        return [d.target for d in self.deliveries] if all(d.done for d in self.deliveries) else []

    __table_args__ = (sa.UniqueConstraint("person_id", "idempotency_key"),)

    @property
    def is_bundle(self) -> bool:
        """
        Whether it runs several templates at once.
        """
        return self.format == "zip"


class Picks(Base):
    """
    A saved, hand-picked list of records: their keys, each a list of texts.
    """

    __tablename__ = "picks"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    records: Mapped[str]
    keys: Mapped[list[list[str]]] = mapped_column(sa.JSON)
    owner_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    changed_at: Mapped[datetime]
    deleted_at: Mapped[datetime | None]

    __table_args__ = (
        sa.Index(
            "uq_picks_name",
            sa.func.lower(sa.text("name")),
            unique=True,
            postgresql_where=sa.text("deleted_at IS NULL"),
        ),
    )


class Pin(Base):
    """
    A template that a person keeps at the head of the library, and the answers and format they last ran it with.
    """

    __tablename__ = "pins"

    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id", ondelete="CASCADE"), primary_key=True)
    template_id: Mapped[int] = mapped_column(sa.ForeignKey("templates.id", ondelete="CASCADE"), primary_key=True)
    pinned: Mapped[bool] = mapped_column(default=False)
    answers: Mapped[Document] = mapped_column(default=dict)
    format: Mapped[str | None]


class View(Base):
    """
    A named way of looking at the records of a type: columns, narrowings and order, as in a template document.

    `shared` lets everybody use it; the field list is the same on screen, in exports and at the start of templates.
    """

    __tablename__ = "views"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    records: Mapped[str]
    owner_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    shared: Mapped[bool] = mapped_column(default=False)
    document: Mapped[Document]
    changed_at: Mapped[datetime]
    deleted_at: Mapped[datetime | None]
    owner: Mapped[Person] = relationship(lazy="joined")

    __table_args__ = (
        sa.Index(
            "uq_views_name",
            sa.text("owner_id"),
            sa.text("records"),
            sa.func.lower(sa.text("name")),
            unique=True,
            postgresql_where=sa.text("deleted_at IS NULL"),
        ),
    )


class RunFile(Base):
    """
    A file that a run made. `path` is relative to the file store; `role` is `data`, or what accompanies it.

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
    removed_at: Mapped[datetime | None]


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


class Care(Base):
    """
    Work that workers do by the clock: when it last went well, and how it last failed.
    """

    __tablename__ = "care"

    name: Mapped[str] = mapped_column(primary_key=True)
    done_at: Mapped[datetime | None]
    failed_at: Mapped[datetime | None]
    error: Mapped[str] = mapped_column(default="", server_default="")


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


class Token(Base):
    """
    A secret by which a program acts for a person. Only its digest is kept. `acts` are of `look`, `run`.
    """

    __tablename__ = "tokens"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    #: The first characters, by which people tell their tokens apart.
    hint: Mapped[str]
    digest: Mapped[str] = mapped_column(unique=True)
    acts: Mapped[list[str]]
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    last_used_at: Mapped[datetime | None]
    person: Mapped[Person] = relationship(lazy="joined")


class Occurrence(Base):
    """
    One planned moment of a round. The key makes a double impossible.
    """

    __tablename__ = "occurrences"

    round_id: Mapped[int] = mapped_column(sa.ForeignKey("rounds.id", ondelete="CASCADE"), primary_key=True)
    planned_at: Mapped[datetime] = mapped_column(primary_key=True)
    run_id: Mapped[int | None] = mapped_column(sa.ForeignKey("runs.id"))
    note: Mapped[str] = mapped_column(default="")


class Notice(Base):
    """
    Something a person should know, leading to a run.
    """

    __tablename__ = "notices"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"), index=True)
    run_id: Mapped[int] = mapped_column(sa.ForeignKey("runs.id", ondelete="CASCADE"))
    text: Mapped[str]
    created_at: Mapped[datetime]
    read_at: Mapped[datetime | None]

    __table_args__ = (sa.UniqueConstraint("person_id", "run_id"),)
