"""
People, their sign-ins, and the tokens of programs.
"""

from __future__ import annotations

from datetime import datetime
from typing import ClassVar

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column, relationship

from bouquet.store.models.base import Base, Document

__all__ = ["Group", "GroupMember", "Person", "PersonLink", "SignIn", "SignInTry", "Token"]


class Person(Base):
    """
    Somebody who can sign in. `roles` are of `designer`, `runner`, `keeper`, `auditor`.

    `scope` is what their rights leave of the source (see `core.rights`); all of it when there is none. Both are what
    comes of what they were given themselves and of their groups (`store.groups`).
    """

    __tablename__ = "people"

    id: Mapped[int] = mapped_column(primary_key=True)
    email: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    roles: Mapped[list[str]]
    password_hash: Mapped[str]
    scope: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    #: What limits their acts (see `core.rights.Limits`); nothing where there is none.
    limits: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    #: What they were given themselves; `as_groups` says that they see what their groups see, and nothing else.
    own_roles: Mapped[list[str]] = mapped_column(default=list, server_default="[]")
    own_scope: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    own_limits: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    as_groups: Mapped[bool] = mapped_column(default=False, server_default=sa.false())
    #: The groups that they are in.
    group_ids: Mapped[list[int]] = mapped_column(sa.JSON, default=list, server_default="[]")
    #: Since when they may not sign in any more.
    disabled_at: Mapped[datetime | None]
    #: Whether their password is one that an administrator gave them, to be changed.
    password_given: Mapped[bool] = mapped_column(default=False, server_default=sa.false())
    #: How the person likes the interface: `theme`, `locale`, `hints`.
    preferences: Mapped[Document] = mapped_column(default=dict, server_default="{}")

    #: Digest of the private address at which their calendar reads the rounds; None where there is none.
    feed_digest: Mapped[str | None] = mapped_column(unique=True)

    #: The secret of their one-time codes, sealed; empty where they need none. `codes_used` is the last step of time
    #: whose code was used; `spare_codes` are digests of codes for who lost the device.
    codes_sealed: Mapped[str] = mapped_column(default="", server_default="")
    codes_used: Mapped[int] = mapped_column(default=0, server_default="0")
    spare_codes: Mapped[list[str]] = mapped_column(default=list, server_default="[]")
    #: Who they are to the house's own sign-in service.
    subject: Mapped[str | None] = mapped_column(unique=True)

    #: The acts a program may do for them, where one acts by a token; not kept.
    by_token: ClassVar[frozenset[str] | None] = None
    #: The administrator who looks through their eyes, where one does; not kept.
    through: ClassVar[int | None] = None


class Group(Base):
    """
    People who have rights in common. `claim` is what the house's own sign-in service calls it.
    """

    __tablename__ = "groups"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    meaning: Mapped[str] = mapped_column(default="", server_default="")
    roles: Mapped[list[str]]
    scope: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    limits: Mapped[Document | None] = mapped_column(sa.JSON(none_as_null=True))
    claim: Mapped[str] = mapped_column(default="", server_default="")

    __table_args__ = (sa.Index("uq_groups_name", sa.func.lower(sa.text("name")), unique=True),)


class GroupMember(Base):
    """
    Somebody in a group; `by_claim` where the house's own sign-in service says so.
    """

    __tablename__ = "group_members"

    group_id: Mapped[int] = mapped_column(sa.ForeignKey("groups.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id", ondelete="CASCADE"), primary_key=True, index=True)
    by_claim: Mapped[bool] = mapped_column(default=False, server_default=sa.false())


class PersonLink(Base):
    """
    A link that was sent to somebody, by which they set a password once. Only its digest is kept.
    """

    __tablename__ = "person_links"

    digest: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id", ondelete="CASCADE"), index=True)
    what_for: Mapped[str]
    expires_at: Mapped[datetime]

    __table_args__ = (sa.CheckConstraint("what_for IN ('invite', 'recover')", name="what_for"),)


class SignIn(Base):
    """
    One signed-in browser. Only the digest of its token is kept. `agent` is what the browser calls itself; `seen_at` is
    renewed now and then.
    """

    __tablename__ = "sign_ins"

    token_digest: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(sa.ForeignKey("people.id", ondelete="CASCADE"))
    expires_at: Mapped[datetime]
    number: Mapped[int] = mapped_column(sa.Identity(), unique=True)
    created_at: Mapped[datetime | None]
    seen_at: Mapped[datetime | None]
    address: Mapped[str] = mapped_column(default="", server_default="")
    agent: Mapped[str] = mapped_column(default="", server_default="")
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
