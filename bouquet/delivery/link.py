"""
A link: a page without sign-in at which the files can be fetched for a while.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from typing import Any, ClassVar

from pydantic import Field

from bouquet.core.language import tr, trn
from bouquet.delivery.mail import MailAddress, MailSettings, MailWay
from bouquet.delivery.way import DeliveryError, Parcel, Receipt, Settings, Step
from bouquet.runs import Services
from bouquet.runs.letters import Enclosure, Letter
from bouquet.store.models import Link

__all__ = ["LinkWay", "digest_of", "link_secret", "passphrase_digest", "passphrase_fits"]


class LinkSettings(Settings):
    """
    How long links hold, and how often each file can be fetched.
    """

    days: int = Field(14, ge=1, le=365, title="Days that a link holds")
    most: int = Field(20, ge=1, le=1_000, title="Times that each file can be fetched")


class LinkAddress(Settings):
    """
    `to`: addresses that the link is mailed to; none where a person passes it on. `passphrase`: what is asked before
    anything is shown; people tell it by another way.
    """

    to: tuple[str, ...] = Field((), max_length=20, title="Mailed to; nobody where you pass it on yourself")
    passphrase: str = Field("", max_length=100, title="Passphrase that is asked for, if any")


class LinkWay:
    """
    The address holds a secret of which only the digest is kept; it is made from the delivery and the house's key, so
    that it can be shown again.
    """

    kind: ClassVar[str] = "link"
    label: ClassVar[str] = "A link"
    secret: ClassVar[str] = ""
    settings_model: ClassVar[type[Settings]] = LinkSettings
    address_model: ClassVar[type[Settings]] = LinkAddress
    withdraws: ClassVar[bool] = True

    def __init__(self, services: Services, settings: Any, secret: str, address: Any) -> None:
        self.services, self.at, self.address = services, settings, address

    def words(self) -> str:
        to = tr(", mailed to {to}", to=", ".join(self.address.to)) if self.address.to else ""
        return trn("a link for {n} day{to}", "a link for {n} days{to}", self.at.days, to=to)

    def send(self, parcel: Parcel) -> Receipt:
        if not self.services.vault.has_key:
            raise DeliveryError(tr("Links are made with the house's key: set BOUQUET_SECRET_KEY."))
        secret = link_secret(self.services, parcel.identity)
        expires = parcel.now + timedelta(days=self.at.days)
        with self.services.store.session() as session:
            known = session.get(Link, parcel.delivery_id)
            if known is None:
                session.add(
                    Link(
                        delivery_id=parcel.delivery_id,
                        digest=digest_of(secret),
                        expires_at=expires,
                        most=self.at.most,
                        fetches={},
                        passphrase_hash=passphrase_digest(self.address.passphrase),
                        refused=0,
                    )
                )
            else:
                expires = known.expires_at
        if self.address.to:
            self._mail(parcel, secret, f"{expires:%Y-%m-%d}")
        return Receipt(tr("to be fetched until {expires} UTC", expires=f"{expires:%Y-%m-%d %H:%M}"), arrived=False)

    def _mail(self, parcel: Parcel, secret: str, until: str) -> None:
        way = _LinkMail(self.services, MailSettings(), "", MailAddress(to=self.address.to))
        base = way.server.address.rstrip("/") if way.server is not None else ""
        if not base:
            raise DeliveryError(tr("A link can only be mailed where mail and BOUQUET_PUBLIC_URL are set up."))
        way.page, way.until = f"{base}/take/{secret}", until
        way.send(parcel)

    def verify(self, parcel: Parcel) -> Receipt | None:
        return None

    def withdraw(self, parcel: Parcel) -> None:
        """
        Nothing to do beside what the store enters: the page is closed with the delivery.
        """

    def steps(self) -> Iterator[Step]:
        base = self.services.mail.address if self.services.mail else ""
        if not self.services.vault.has_key:
            yield Step("key", "wrong", tr("links are made with the house's key: set BOUQUET_SECRET_KEY"))
            return
        yield Step(
            "page",
            "good",
            tr(
                "files can be fetched for {days}, each {times}",
                days=trn("{n} day", "{n} days", self.at.days),
                times=trn("once", "up to {n} times", self.at.most),
            ),
        )
        yield Step(
            "mail", "good" if base else "care", base or tr("links are not mailed: BOUQUET_PUBLIC_URL is not set")
        )


class _LinkMail(MailWay):
    """
    The mail that tells of a link.
    """

    page = until = ""

    def _letter(self, server: Any, parcel: Parcel, n: int, to: str, stack: Any) -> Letter:
        return replace(
            super()._letter(server, parcel, n, to, stack),
            enclosures=[Enclosure(f.name, f.size) for f in parcel.files],
            page=self.page,
            page_words=tr("Fetch the files"),
            notes=(tr("The link holds until {until}.", until=self.until),),
        )


def link_secret(services: Any, identity: str) -> str:
    """
    The secret in a link's address: 32 characters that only this house can make of a delivery.
    """
    return hmac.new(services.link_key, identity.encode(), hashlib.sha256).hexdigest()[:40]


def digest_of(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def passphrase_digest(passphrase: str) -> str:
    """
    A passphrase as it is kept (scrypt, RFC 7914); empty where there is none.
    """
    if not passphrase:
        return ""
    salt = secrets.token_bytes(16)
    made = hashlib.scrypt(passphrase.encode(), salt=salt, n=2**14, r=8, p=1, dklen=32)
    return f"{salt.hex()}${made.hex()}"


def passphrase_fits(passphrase: str, kept: str) -> bool:
    salt, _, made = kept.partition("$")
    tried = hashlib.scrypt(passphrase.encode(), salt=bytes.fromhex(salt), n=2**14, r=8, p=1, dklen=32)
    return hmac.compare_digest(tried.hex(), made)
