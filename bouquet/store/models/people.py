"""
People, their sign-ins, and the tokens of programs.
"""

from __future__ import annotations

from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.orm import Mapped, mapped_column, relationship

from bouquet.store.models.base import Base, Document

__all__ = ["Person", "SignIn", "SignInTry", "Token"]


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
    #: Since when they may not sign in any more.
    disabled_at: Mapped[datetime | None]
    #: Whether their password is one that an administrator gave them, to be changed.
    password_given: Mapped[bool] = mapped_column(default=False, server_default=sa.false())
    #: How the person likes the interface: `theme`, `locale`, `hints`.
    preferences: Mapped[Document] = mapped_column(default=dict, server_default="{}")

    #: Digest of the private address at which their calendar reads the rounds; None where there is none.
    feed_digest: Mapped[str | None] = mapped_column(unique=True)

    #: The acts a program may do for them, where one acts by a token; not kept.
    by_token = None


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
