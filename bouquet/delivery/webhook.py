"""
A webhook: the file itself, or a notice about it, handed to a program by HTTP; signed by RFC 9421.
"""

from __future__ import annotations

import base64
import contextlib
import email.utils
import hashlib
import http.client
import io
import json
import socket
import ssl
import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import IO, Any, ClassVar, Literal
from urllib.parse import quote, unquote, urlsplit

import idna
from http_message_signatures import HTTPMessageSigner, HTTPSignatureKeyResolver, algorithms
from pydantic import Field, field_validator

from bouquet.core.language import tr
from bouquet.core.naming import content_disposition
from bouquet.delivery.reach import Inside, connect, connect_tls, says_of
from bouquet.delivery.way import DeliveryError, Parcel, ParcelFile, Receipt, Settings, Step, leads_upward
from bouquet.runs import Services

__all__ = ["WebhookWay", "checked_url"]

#: Bytes of an answer that are read, and characters of it that are told.
MOST_READ, TOLD = 10_000, 200

#: What is signed.
SIGNED = ("@method", "@target-uri", "content-digest", "content-type", "idempotency-key")

CHUNK = 1 << 18


#: What stands in an address as it is, besides letters and digits.
_WRITTEN = "%/?:@!$&'()*+,;=-._~"


def checked_url(url: str) -> str:
    """
    An address of the web as it is kept: in ASCII, as it is asked for (RFC 3987, 3.1). Raises ValueError.
    """
    msg = tr("An address such as https://desk.example/reports, without a user in it.")
    try:
        parts = urlsplit(url.strip())
        port = parts.port
    except ValueError:
        raise ValueError(msg) from None
    if parts.scheme not in ("https", "http") or not parts.hostname or parts.username or parts.fragment or port == 0:
        raise ValueError(msg)
    if any(ord(c) <= 32 or ord(c) == 127 for c in url.strip()):
        msg = tr("An address has no spaces and no control characters.")
        raise ValueError(msg)
    if url.strip().isascii():
        return url.strip()
    place = parts.netloc
    if not place.isascii():
        try:
            place = idna.encode(parts.hostname, uts46=True).decode() + (f":{port}" if port else "")
        except idna.IDNAError:
            raise ValueError(msg) from None
    return parts._replace(netloc=place, path=quote(parts.path, _WRITTEN), query=quote(parts.query, _WRITTEN)).geturl()


class WebhookSettings(Settings):
    """
    `url` is where everything goes that recipients' own addresses do not say more of. `http` instead of `https` only
    leads inside.
    """

    url: str = Field(min_length=8, max_length=2_000, title="Address")
    key_id: str = Field("bouquet", min_length=1, max_length=100, pattern=r"^[\x21-\x7e]+$", title="Name of the key")
    inside: Inside = ()

    @field_validator("url")
    @classmethod
    def _is_address(cls, value: str) -> str:
        return checked_url(value)


class WebhookAddress(Settings):
    """
    `path` is added to the address of the means. `send`: the `file` itself, one request each, or a `notice` in JSON.
    """

    path: str = Field(
        "", max_length=500, pattern=r"^([A-Za-z0-9._~/-]|%[0-9A-Fa-f]{2})*$", title="Path behind the address"
    )
    method: Literal["POST", "PUT"] = "POST"
    send: Literal["file", "notice"] = Field("file", title="It gets the file itself, or a notice")

    @field_validator("path")
    @classmethod
    def _no_way_up(cls, value: str) -> str:
        # Servers take escaped dots for dots (RFC 3986, 6.2.2.2), and some undo escapes twice.
        plain = unquote(unquote(value))
        if leads_upward(plain) or any(ord(c) < 32 for c in plain):
            msg = tr("The path does not lead upwards, and has no control characters.")
            raise ValueError(msg)
        return value


@dataclass
class _Message:
    """
    A request as the signer knows it.
    """

    method: str
    url: str
    headers: dict[str, str]


class _Key(HTTPSignatureKeyResolver):
    def __init__(self, secret: str) -> None:
        self._secret = secret.encode()

    def resolve_private_key(self, key_id: str) -> bytes:
        return self._secret

    def resolve_public_key(self, key_id: str) -> bytes:
        return self._secret


class WebhookWay:
    """
    No redirect is followed: an address that moved is for a keeper to change.
    """

    kind: ClassVar[str] = "webhook"
    label: ClassVar[str] = "A program (webhook)"
    secret: ClassVar[str] = "Key that requests are signed with"
    settings_model: ClassVar[type[Settings]] = WebhookSettings
    address_model: ClassVar[type[Settings]] = WebhookAddress
    withdraws: ClassVar[bool] = False

    def __init__(self, services: Services, settings: Any, secret: str, address: Any) -> None:
        self.at, self.key, self.address = settings, secret, address
        self.wait = services.delivery_wait
        self.url = _below(settings.url, address.path) if address.path else settings.url

    def words(self) -> str:
        return str(self.url)

    def send(self, parcel: Parcel) -> Receipt:
        if self.address.send == "notice":
            return Receipt(self._notice(parcel))
        said = ""
        for file in parcel.files:
            if parcel.progress.get(f"taken {file.id}"):
                continue
            with file.opened() as made, made.open("rb") as source:
                said = self._request(parcel, source, file.size, file.sha256, file.media_type, f"{file.id}", file)
            parcel.note({f"taken {file.id}": said})
        return Receipt(said or tr("it was taken before"), known=not said)

    def _notice(self, parcel: Parcel) -> str:
        facts: dict[str, Any] = {
            "delivery": parcel.identity,
            "title": parcel.title,
            "sentence": parcel.sentence,
            "rows": parcel.rows,
            "as_of": parcel.as_of.isoformat(),
            "files": [{"name": f.name, "size": f.size, "rows": f.rows, "sha256": f.sha256} for f in parcel.files],
            **({"page": parcel.run_page} if parcel.run_page else {}),
        }
        body = json.dumps(facts, ensure_ascii=False).encode()
        digest = hashlib.sha256(body).hexdigest()
        return self._request(parcel, io.BytesIO(body), len(body), digest, "application/json", "notice", None)

    def _request(
        self, parcel: Parcel, body: IO[bytes], size: int, sha256: str, media: str, part: str, file: ParcelFile | None
    ) -> str:
        headers = {
            "Content-Type": media,
            "Content-Length": str(size),
            "Content-Digest": f"sha-256=:{base64.b64encode(bytes.fromhex(sha256)).decode()}:",
            "Idempotency-Key": f"{parcel.identity}-{part}",
            "User-Agent": "Bouquet",
            **({"Content-Disposition": content_disposition(file.name)} if file is not None else {}),
        }
        if self.key:
            message = _Message(self.address.method, self.url, headers)
            signer = HTTPMessageSigner(signature_algorithm=algorithms.HMAC_SHA256, key_resolver=_Key(self.key))
            signer.sign(
                message,
                key_id=self.at.key_id,
                label="bouquet",
                covered_component_ids=SIGNED,
                use_existing_digest=True,
            )
        target = urlsplit(self.url)
        path = (target.path or "/") + (f"?{target.query}" if target.query else "")
        sent, cut = False, None
        with self._opened() as connection:
            try:
                try:
                    connection.request(self.address.method, path, body=body, headers=headers)
                    sent = True
                except (ConnectionError, ssl.SSLEOFError) as error:
                    # Whoever refuses need not read to the end first (RFC 9112, 9.5); the answer is there to be read.
                    cut = error
                answer = connection.getresponse()
                text = answer.read(MOST_READ).decode(errors="replace")
                answer.close()
            except (OSError, http.client.HTTPException) as error:
                said = f"{target.hostname}: {says_of(cut or error)}."
                raise DeliveryError(said, passing=True, unanswered=sent) from error
        if cut is not None and answer.status < 300:
            raise DeliveryError(f"{target.hostname}: {says_of(cut)}.", passing=True, unanswered=True)
        return _judged(answer, text, target.hostname or "")

    @contextlib.contextmanager
    def _opened(self) -> Iterator[http.client.HTTPConnection]:
        parts = urlsplit(self.url)
        host, tls = parts.hostname or "", parts.scheme == "https"
        port = parts.port or (443 if tls else 80)
        if tls:
            made: socket.socket = connect_tls(host, port, self.at.inside, self.wait)
        else:
            made = connect(host, port, self.at.inside, self.wait, readable=True)
        connection = http.client.HTTPConnection(host, port, timeout=self.wait, blocksize=CHUNK)
        # The connection is made already, to an address that was looked at.
        connection.sock = made
        connection.auto_open = False
        if parts.port is None:
            connection.port = connection.default_port = port
        try:
            yield connection
        finally:
            connection.close()

    def verify(self, parcel: Parcel) -> Receipt | None:
        return None

    def withdraw(self, parcel: Parcel) -> None:
        raise DeliveryError(tr("What a program took cannot be taken back from here."))

    def steps(self) -> Iterator[Step]:
        parts = urlsplit(self.url)
        if parts.scheme == "http":
            yield Step("address", "care", tr("without https everybody on the way can read it"))
        try:
            with self._opened() as connection:
                yield Step(
                    "reach",
                    "good",
                    tr("{hostname} answers", hostname=parts.hostname)
                    + (tr(", by TLS") if parts.scheme == "https" else ""),
                )
                connection.request("OPTIONS", parts.path or "/", headers={"User-Agent": "Bouquet"})
                status = connection.getresponse().status
        except DeliveryError as error:
            yield Step("reach", "wrong", str(error))
            return
        except (OSError, http.client.HTTPException) as error:
            yield Step("program", "wrong", tr("it does not speak HTTP: {error}", error=says_of(error)))
            return
        yield Step(
            "program",
            "good" if status < 500 else "care",
            tr("it answered {status}; nothing was sent to it", status=status),
        )


def _below(url: str, path: str) -> str:
    """
    An address with a path behind its own, and before what it asks.
    """
    parts = urlsplit(url)
    return parts._replace(path=f"{parts.path.rstrip('/')}/{path.lstrip('/')}").geturl()


def _judged(answer: http.client.HTTPResponse, text: str, host: str) -> str:
    """
    What an answer says, where the file was taken. Raises DeliveryError.
    """
    status = answer.status
    shown = " ".join(text.split())[:TOLD]
    said = f"{status} {answer.reason}" + (f": {shown}" if shown else "")
    if 200 <= status < 300:
        return said
    if 300 <= status < 400:
        raise DeliveryError(
            tr(
                "{host} sends on to another address ({status}); a keeper gives the new one.",
                host=host,
                status=status,
            )
        )
    passing = status in (408, 421, 425, 429) or (status >= 500 and status not in (501, 505))
    raise DeliveryError(
        tr("{host} answered {said}.", host=host, said=said), passing=passing, after=_after(answer.headers)
    )


def _after(headers: http.client.HTTPMessage) -> float | None:
    """
    Seconds to wait, from `Retry-After` (RFC 9110, 10.2.3).
    """
    given = headers.get("Retry-After", "").strip()
    if given.isdecimal():
        return float(min(int(given[:9]), 86_400))
    try:
        moment = email.utils.parsedate_to_datetime(given).timestamp()
    except (TypeError, ValueError, OverflowError):
        return None
    return max(0.0, min(moment - time.time(), 86_400.0))
