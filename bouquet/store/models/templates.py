"""
Templates, and what people keep beside them: lists, views, pins.
"""

from __future__ import annotations

from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column, relationship

from bouquet.store.models.base import Base, Document
from bouquet.store.models.people import Person

__all__ = ["Picks", "Pin", "TemplateRecord", "TemplateVersion", "View"]


class TemplateRecord(Base):
    """
    A template: its draft, and the number of its newest saved version (0 for none). Of the `kind` `bundle` it is what
    a bundle holds (`core.template.BundleContents`).

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
    kind: Mapped[str] = mapped_column(default="template", server_default="template")
    #: The source that it reads, by name; empty for the one in the settings.
    source: Mapped[str] = mapped_column(default="", server_default="")
    deleted_at: Mapped[datetime | None]
    #: With whom an own template is shared: `{"person": id}`, `{"group": id}`.
    shared_with: Mapped[list[dict[str, int]]] = mapped_column(sa.JSON, default=list, server_default="[]")
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


class Picks(Base):
    """
    A saved, hand-picked list of records of one source: their keys, each a list of texts. Everybody uses it; its owner
    changes it, with whom they share that.
    """

    __tablename__ = "picks"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    source: Mapped[str] = mapped_column(default="", server_default="")
    records: Mapped[str]
    keys: Mapped[list[list[str]]] = mapped_column(sa.JSON)
    owner_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    shared_with: Mapped[list[dict[str, int]]] = mapped_column(sa.JSON, default=list, server_default="[]")
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

    `shared` lets everybody use it, `shared_with` some. The field list is the same on screen, in exports and where
    templates start.
    """

    __tablename__ = "views"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    source: Mapped[str] = mapped_column(default="", server_default="")
    records: Mapped[str]
    owner_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id"))
    shared: Mapped[bool] = mapped_column(default=False)
    #: People and groups, as `{"person": number}` or `{"group": number}`.
    shared_with: Mapped[list[dict[str, int]]] = mapped_column(sa.JSON, default=list, server_default="[]")
    document: Mapped[Document]
    changed_at: Mapped[datetime]
    deleted_at: Mapped[datetime | None]
    owner: Mapped[Person] = relationship(lazy="joined")

    __table_args__ = (
        sa.Index(
            "uq_views_name",
            sa.text("owner_id"),
            sa.text("source"),
            sa.text("records"),
            sa.func.lower(sa.text("name")),
            unique=True,
            postgresql_where=sa.text("deleted_at IS NULL"),
        ),
    )
