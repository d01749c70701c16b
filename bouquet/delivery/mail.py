"""
Mail: the files attached, or, where they are too large, where to find them.
"""

from __future__ import annotations

import smtplib
import socket
import ssl
from collections.abc import Iterator
from contextlib import ExitStack
from typing import Any, ClassVar, Literal

from pydantic import Field, field_validator

from bouquet.core.language import CONSTANT, tr
from bouquet.delivery.reach import Host, Inside, connect
from bouquet.delivery.way import DeliveryError, Parcel, Receipt, Settings, Step
from bouquet.runs import Services
from bouquet.runs.letters import Enclosure, Letter, compose
from bouquet.runs.mail_server import MailError, MailServer, checked_address, is_passing, says_of

__all__ = ["MailWay"]

#: Addresses of one recipient.
MOST_ADDRESSES = 20

EVERYWHERE = ("0.0.0.0/0", "::/0")


class MailSettings(Settings):
    """
    A mail server; the one of the house's settings where no host is given. `domains` are those that mail may go to, none
    for any.
    """

    host: Host | None = Field(None, title="Mail server; the house's own where none is named")
    port: int = Field(587, ge=1, le=65_535)
    secure: Literal["tls", "starttls", "offered"] = "starttls"
    user: str = Field("", max_length=200)
    sender: str = Field("", max_length=254, title="Mails come from")
    domains: tuple[str, ...] = Field((), max_length=100, title="Domains that mail may go to; any where none is named")
    megabytes: int = Field(20, ge=1, le=200, title="Megabytes of attachments at most")
    inside: Inside = ()

    @field_validator("sender")
    @classmethod
    def _is_address(cls, value: str) -> str:
        return _address(value) if value else ""


class MailAddress(Settings):
    to: tuple[str, ...] = Field(min_length=1, max_length=MOST_ADDRESSES, title="To")

    @field_validator("to")
    @classmethod
    def _are_addresses(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(_address(one) for one in value))


#: What is said where there is nothing to send.
NOTHING = "There is nothing to send this time: no record fits."
CONSTANT.add(NOTHING)


def _address(text: str) -> str:
    try:
        return checked_address(text)
    except MailError as error:
        raise ValueError(str(error)) from error


class MailWay:
    """
    One mail a delivery and address. Its Message-ID is made from the delivery: a mail that was perhaps sent twice can be
    known as one.
    """

    kind: ClassVar[str] = "mail"
    label: ClassVar[str] = "Mail"
    secret: ClassVar[str] = "Password"
    settings_model: ClassVar[type[Settings]] = MailSettings
    address_model: ClassVar[type[Settings]] = MailAddress
    withdraws: ClassVar[bool] = False

    def __init__(self, services: Services, settings: Any, secret: str, address: Any) -> None:
        self.at, self.to, self.wait = settings, address.to, services.delivery_wait
        self.server: MailServer | None = services.mail
        if settings.host is not None:
            self.server = MailServer(
                settings.host,
                settings.port,
                settings.secure,
                settings.sender,
                settings.user,
                secret,
                address=services.mail.address if services.mail else "",
                most_bytes=settings.megabytes * 1_000_000,
                domains=frozenset(d.lower() for d in settings.domains) or None,
            )

    def words(self) -> str:
        return ", ".join(self.to)

    def send(self, parcel: Parcel) -> Receipt:
        server = self._server()
        said = ""
        for n, to in enumerate(self.to):
            if parcel.progress.get(f"taken {n}"):
                continue
            try:
                server.check_recipient(to)
            except MailError as error:
                raise DeliveryError(str(error)) from error
            with ExitStack() as stack:
                said = self._handed_over(server, self._letter(server, parcel, n, to, stack))
            parcel.note({f"taken {n}": said})
        return Receipt(said or tr("it was taken before"), known=not said)

    def _letter(self, server: MailServer, parcel: Parcel, n: int, to: str, stack: ExitStack) -> Letter:
        attached = sum(f.size for f in parcel.files) <= server.most_bytes
        paths = [stack.enter_context(f.opened()) if attached else None for f in parcel.files]
        large = tr("The files are too large for a mail; they are kept in Bouquet with the run.")
        return Letter(
            sender=server.sender,
            to=[to],
            title=parcel.title,
            sentence=parcel.sentence,
            rows=parcel.rows,
            as_of=parcel.as_of,
            owner=parcel.owner,
            mark=f"delivery-{parcel.identity}-{n}",
            sent_at=parcel.now,
            enclosures=[Enclosure(f.name, f.size, path) for f, path in zip(parcel.files, paths, strict=True)],
            page=parcel.run_page,
            notes=(tr(NOTHING),) if not parcel.files else () if attached else (large,),
        )

    def _handed_over(self, server: MailServer, letter: Letter) -> str:
        handing = False
        try:
            with server.talk(self._reach, self.wait) as talk:
                talk.secure()
                talk.sign_in()
                handing = True
                return talk.hand_over(compose(letter))
        except smtplib.SMTPAuthenticationError as error:
            raise DeliveryError(
                tr(
                    "{host} does not let {user} in: {error}",
                    host=server.host,
                    user=server.user,
                    error=says_of(error),
                )
            ) from error
        except ssl.SSLCertVerificationError as error:
            raise DeliveryError(
                tr(
                    "{host}: TLS failed: {verify_message}.",
                    host=server.host,
                    verify_message=error.verify_message,
                )
            ) from error
        except (OSError, smtplib.SMTPException) as error:
            gone = not isinstance(error, smtplib.SMTPResponseException | smtplib.SMTPRecipientsRefused)
            lasting = isinstance(error, smtplib.SMTPNotSupportedError)
            raise DeliveryError(
                tr(
                    "{host} did not take the mail to {to}: {error}",
                    host=server.host,
                    to=letter.to[0],
                    error=says_of(error),
                ),
                passing=is_passing(error),
                unreachable=gone and not lasting,
                unanswered=handing and gone and not lasting,
            ) from error

    def _reach(self, host: str, port: int) -> socket.socket:
        # The server of the house's own settings may be anywhere.
        return connect(host, port, self.at.inside if self.at.host else EVERYWHERE, self.wait)

    def _server(self) -> MailServer:
        if self.server is None:
            raise DeliveryError(tr("Mail is not set up here; a keeper gives a server under Set-up › Ways out."))
        return self.server

    def verify(self, parcel: Parcel) -> Receipt | None:
        """
        Only where every address was answered for.
        """
        return (
            Receipt(tr("it was taken before"), known=True)
            if all(parcel.progress.get(f"taken {n}") for n in range(len(self.to)))
            else None
        )

    def withdraw(self, parcel: Parcel) -> None:
        raise DeliveryError(tr("A mail cannot be taken back."))

    def steps(self) -> Iterator[Step]:
        try:
            server = self._server()
            with server.talk(self._reach, self.wait) as talk:
                yield Step("reach", "good", tr("{host}:{port} answers", host=server.host, port=server.port))
                yield Step("greeting", "good", talk.greeting)
                secured = talk.secure()
                yield Step("encryption", "good" if secured else "care", secured or tr("none: mail travels readable"))
                if server.user:
                    talk.sign_in()
                    yield Step(tr("sign in"), "good", tr("as {user}", user=server.user))
        except DeliveryError as error:
            yield Step("reach", "wrong", str(error))
            return
        except (OSError, smtplib.SMTPException) as error:
            yield Step("conversation", "wrong", says_of(error))
            return
        yield Step(
            "sender", "good" if server.sender else "wrong", server.sender or tr("no address that mails come from")
        )
