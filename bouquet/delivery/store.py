"""
An object store that speaks the S3 protocol.
"""

from __future__ import annotations

import base64
import contextlib
import hashlib
import os
import posixpath
import socket
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any, ClassVar
from urllib.parse import urlsplit

import boto3
import botocore.awsrequest
import botocore.config
import botocore.exceptions
from pydantic import Field, field_validator

from bouquet.certificates import believed
from bouquet.core.language import tr
from bouquet.delivery.reach import Inside, addresses_of, connect, says_of
from bouquet.delivery.way import DeliveryError, Parcel, ParcelFile, Receipt, Settings, Step, leads_upward
from bouquet.delivery.webhook import checked_url
from bouquet.runs import Services
from bouquet.runs.object_store import ABSENT, PLAIN

__all__ = ["StoreWay"]

#: Bytes from which on a file goes in several pieces, and the bytes of one.
LARGE, PIECE = 64 << 20, 16 << 20

#: What a store answers that may be better later.
PASSING = frozenset({"SlowDown", "ServiceUnavailable", "InternalError", "RequestTimeout", "503", "500", "429"})

#: What it answers where it does not know what it is asked to do.
UNKNOWN = frozenset({"501", "NotImplemented"})

#: What it answers whoever may not know.
REFUSED = frozenset({"403", "AccessDenied"})


class StoreSettings(Settings):
    """
    `endpoint` is the address of the store, `bucket` where everything goes.
    """

    endpoint: str = Field(min_length=8, max_length=500, title="Address of the store")
    bucket: str = Field(min_length=3, max_length=63, pattern=r"^[a-z0-9][a-z0-9.-]+[a-z0-9]$")
    region: str = Field("us-east-1", min_length=1, max_length=60, pattern=r"^[a-z0-9-]+$")
    inside: Inside = ()

    @field_validator("endpoint")
    @classmethod
    def _is_address(cls, value: str) -> str:
        return checked_url(value).rstrip("/")


class StoreAddress(Settings):
    """
    `prefix` stands before the names of files. `replace`: an object that is there already may be replaced.
    """

    prefix: str = Field("", max_length=500, pattern=r"^[^\x00-\x1f\\]*$", title="Before the names of files")
    replace: bool = Field(False, title="Objects of the same name are replaced")

    @field_validator("prefix")
    @classmethod
    def _no_way_up(cls, value: str) -> str:
        # Signs like any others to the protocol; to what stands in front of a store they may lead to another bucket.
        if leads_upward(value):
            msg = tr("What stands before the names does not lead upwards.")
            raise ValueError(msg)
        return value


class StoreWay:
    """
    Objects carry the digest of their file; the store computes its own while it takes them.
    """

    kind: ClassVar[str] = "store"
    label: ClassVar[str] = "Object store (S3)"
    secret: ClassVar[str] = "Access key and secret key, with a colon between them"
    settings_model: ClassVar[type[Settings]] = StoreSettings
    address_model: ClassVar[type[Settings]] = StoreAddress
    withdraws: ClassVar[bool] = True

    def __init__(self, services: Services, settings: Any, secret: str, address: Any) -> None:
        self.at, self.address, self.wait = settings, address, services.delivery_wait
        self.key, _, self.secret_key = secret.partition(":")

    def words(self) -> str:
        return tr(
            "{bucket}/{prefix} at {endpoint}",
            bucket=self.at.bucket,
            prefix=self.address.prefix,
            endpoint=self.at.endpoint,
        )

    def send(self, parcel: Parcel) -> Receipt:
        with self._opened() as client:
            for file in parcel.files:
                if not self._is_there(client, parcel, file):
                    self._put(client, parcel, file)
                    # Whoever may only write cannot look; the store itself held the bytes against their digest.
                    if self._is_there(client, parcel, file) is False:
                        raise DeliveryError(
                            tr("{bucket} does not have {file} as it was sent.", bucket=self.at.bucket, file=file.name),
                            passing=True,
                        )
        return Receipt(tr("kept as {f}", f=", ".join(self._object(f) for f in parcel.files[:5])))

    def verify(self, parcel: Parcel) -> Receipt | None:
        with self._opened() as client:
            there = all(self._is_there(client, parcel, file) for file in parcel.files)
        return Receipt(tr("it was there already"), known=True) if there else None

    def _object(self, file: ParcelFile) -> str:
        return posixpath.join(self.address.prefix, file.name)

    def _is_there(self, client: Any, parcel: Parcel, file: ParcelFile) -> bool | None:
        """
        Whether the object is there that this delivery put there; an equal one of another delivery is not its. None
        where one may not look.
        """
        try:
            known = client.head_object(Bucket=self.at.bucket, Key=self._object(file))
        except botocore.exceptions.ClientError as error:
            if _code(error) in ABSENT:
                return False
            # Of an object that is not there, this is said to whoever may not list the others.
            if _code(error) in REFUSED:
                return None
            raise
        facts = (known["Metadata"].get("sha256"), known["Metadata"].get("delivery"), known["ContentLength"])
        return facts == (file.sha256, parcel.identity, file.size)

    def _put(self, client: Any, parcel: Parcel, file: ParcelFile) -> None:
        facts: dict[str, Any] = {
            "Bucket": self.at.bucket,
            "Key": self._object(file),
            "ContentType": file.media_type,
            "Metadata": {"sha256": file.sha256, "delivery": parcel.identity},
        }
        only_new = {} if self.address.replace else {"IfNoneMatch": "*"}
        with file.opened() as made, made.open("rb") as source:
            if file.size < LARGE:
                digest = base64.b64encode(bytes.fromhex(file.sha256)).decode()
                put = partial(client.put_object, **facts, ContentLength=file.size, ChecksumSHA256=digest)
                self._if_new(client, facts["Key"], lambda **new: (source.seek(0), put(Body=source, **new)), only_new)
                return
            begun = client.create_multipart_upload(**facts, ChecksumAlgorithm="SHA256")
            upload = {"Bucket": facts["Bucket"], "Key": facts["Key"], "UploadId": begun["UploadId"]}
            try:
                parts: list[dict[str, Any]] = []
                while piece := source.read(PIECE):
                    number, digest = len(parts) + 1, base64.b64encode(hashlib.sha256(piece).digest()).decode()
                    sent = client.upload_part(**upload, PartNumber=number, Body=piece, ChecksumSHA256=digest)
                    parts.append({"PartNumber": number, "ETag": sent["ETag"], "ChecksumSHA256": digest})
                done = partial(client.complete_multipart_upload, **upload, MultipartUpload={"Parts": parts})
                self._if_new(client, facts["Key"], done, only_new)
            except BaseException:
                with contextlib.suppress(botocore.exceptions.BotoCoreError, botocore.exceptions.ClientError):
                    client.abort_multipart_upload(**upload)
                raise

    def _if_new(self, client: Any, key: str, put: Callable[..., Any], only_new: Mapping[str, str]) -> None:
        """
        Put an object, under a condition if there is one. A store that knows none is asked before.
        """
        try:
            put(**only_new)
            return
        except botocore.exceptions.ClientError as error:
            if not only_new or _code(error) not in UNKNOWN:
                raise
        try:
            client.head_object(Bucket=self.at.bucket, Key=key)
        except botocore.exceptions.ClientError as error:
            if _code(error) not in ABSENT:
                raise
            put()
            return
        raise self._taken()

    def _taken(self) -> DeliveryError:
        said = tr("there is something else of that name, and it is not to be replaced")
        return DeliveryError(f"{self.at.bucket}: {said}.")

    def withdraw(self, parcel: Parcel) -> None:
        with self._opened() as client:
            for file in parcel.files:
                there = self._is_there(client, parcel, file)
                if there is None:
                    raise DeliveryError(
                        tr("{bucket} lets nobody look whether {file} is there.", bucket=self.at.bucket, file=file.name)
                    )
                if there:
                    client.delete_object(Bucket=self.at.bucket, Key=self._object(file))

    @contextlib.contextmanager
    def _opened(self) -> Iterator[Any]:
        try:
            yield self._client()
        except DeliveryError:
            raise
        except botocore.exceptions.ClientError as error:
            code = _code(error)
            said = f"{code}: {error.response.get('Error', {}).get('Message', '')}".rstrip(": ")
            if code in ("PreconditionFailed", "412"):
                raise self._taken() from error
            raise DeliveryError(f"{self.at.bucket}: {said}.", passing=code in PASSING) from error
        except botocore.exceptions.BotoCoreError as error:
            cause = error.kwargs.get("error") if hasattr(error, "kwargs") else None
            inner = _refusal(cause)
            if inner is not None:
                raise inner from error
            lost = isinstance(error, botocore.exceptions.HTTPClientError)
            raise DeliveryError(f"{self.at.endpoint}: {says_of(error)}.", unreachable=lost) from error

    def _client(self) -> Any:
        parts = urlsplit(self.at.endpoint)
        addresses_of(parts.hostname or "", parts.port or 443, self.at.inside, readable=parts.scheme == "http")
        client = boto3.session.Session().client(
            "s3",
            endpoint_url=self.at.endpoint,
            region_name=self.at.region,
            verify=os.environ.get("AWS_CA_BUNDLE") or believed(),
            aws_access_key_id=self.key,
            aws_secret_access_key=self.secret_key,
            config=botocore.config.Config(
                connect_timeout=self.wait,
                read_timeout=self.wait,
                retries={"total_max_attempts": 1},
                s3={"addressing_style": "path"},
                proxies={},
                **PLAIN,
            ),
        )
        # The library makes its connections itself: its pools are told to make them to addresses that were looked at.
        manager = client._endpoint.http_session._manager
        manager.pool_classes_by_scheme = _guarded_pools(self.at.inside, self.wait)
        return client

    def steps(self) -> Iterator[Step]:
        try:
            with self._opened() as client:
                yield self._reached(client)
                trial = {"Bucket": self.at.bucket, "Key": ".bouquet-trial"}
                client.put_object(**trial, Body=b"Written by Bouquet to try this store.\n")
                client.delete_object(**trial)
                yield Step("write", "good", tr("an object can be written and removed"))
        except DeliveryError as error:
            yield Step("store", "wrong", str(error))

    def _reached(self, client: Any) -> Step:
        try:
            client.head_bucket(Bucket=self.at.bucket)
        except botocore.exceptions.ClientError as error:
            # Whoever may only write is not told; whether they may is tried next.
            if _code(error) not in REFUSED:
                raise
            return Step("reach", "good", tr("{endpoint} answers", endpoint=self.at.endpoint))
        said = tr("{endpoint} answers, and {bucket} is there", endpoint=self.at.endpoint, bucket=self.at.bucket)
        return Step("reach", "good", said)


def _code(error: botocore.exceptions.ClientError) -> str:
    return str(error.response.get("Error", {}).get("Code", ""))


def _refusal(error: BaseException | None) -> DeliveryError | None:
    """
    What our own connection refused, below what the library made of it.
    """
    for _ in range(10):
        if error is None or isinstance(error, DeliveryError):
            return error
        error = error.__cause__ or error.__context__
    return None


def _guarded_pools(inside: tuple[str, ...], wait: float) -> dict[str, type]:
    class Guarded:
        readable = False

        def _new_conn(self) -> socket.socket:
            at: Any = self
            return connect(at.host, at.port, inside, wait, readable=at.readable)

    class Plain(Guarded, botocore.awsrequest.AWSHTTPConnection):  # type: ignore[misc]
        readable = True

    class ByTls(Guarded, botocore.awsrequest.AWSHTTPSConnection):  # type: ignore[misc]
        pass

    class PlainPool(botocore.awsrequest.AWSHTTPConnectionPool):  # type: ignore[misc]
        ConnectionCls = Plain

    class TlsPool(botocore.awsrequest.AWSHTTPSConnectionPool):  # type: ignore[misc]
        ConnectionCls = ByTls

    return {"http": PlainPool, "https": TlsPool}
