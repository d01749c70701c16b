"""
A file store in an object store that speaks the S3 protocol: `s3://bucket/folder`.

Nothing is written beside and renamed: an object is there as a whole or not at all.
"""

from __future__ import annotations

import errno
import io
import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import boto3
import boto3.exceptions
import botocore.config
import botocore.exceptions
import fsspec

from bouquet.certificates import believed

__all__ = ["ABSENT", "PLAIN", "ObjectStore"]

#: Seconds to wait for a connection, and for each answer, and how often a request is made at most.
CONNECT, ANSWER, TRIES = 10, 60, 4

#: Bytes asked for at a time.
CHUNK = 4 << 20

#: Digests of what is sent are told where the protocol wants them: behind what is sent, as the library would else tell
#: them, many a store knows of none.
PLAIN: dict[str, Any] = {
    "request_checksum_calculation": "when_required",
    "response_checksum_validation": "when_required",
}

#: What a store answers where there is no such object.
ABSENT = frozenset({"404", "NoSuchKey", "NotFound"})

#: What it answers where a person has to mend something: a right, a key, or a bucket that is not there, which is not the
#: same as an empty one.
BARRED = frozenset(
    {"403", "AccessDenied", "AllAccessDisabled", "InvalidAccessKeyId", "NoSuchBucket", "SignatureDoesNotMatch"}
)


class ObjectStore(fsspec.AbstractFileSystem):  # type: ignore[misc]
    """
    What a file store needs of an object store. Raises FileNotFoundError, PermissionError, and OSError for all else.

    Args:
        key: The name of the key by which requests are signed; without one, what the machine has for that is taken.
        secret: The key itself.
        endpoint_url: The address of the store, where it is not the protocol's inventor's.
        region: Where the bucket is.
        max_pool_connections: Requests at the same time.
    """

    protocol = "s3"
    #: Nobody sees an object before all of it is there.
    whole_at_once = True

    def __init__(
        self,
        key: str | None = None,
        secret: str | None = None,
        endpoint_url: str | None = None,
        region: str = "us-east-1",
        max_pool_connections: int = 20,
        **rest: Any,
    ) -> None:
        super().__init__(**rest)
        self._client = boto3.session.Session().client(
            "s3",
            endpoint_url=endpoint_url,
            region_name=region,
            verify=os.environ.get("AWS_CA_BUNDLE") or believed(),
            aws_access_key_id=key,
            aws_secret_access_key=secret,
            config=botocore.config.Config(
                connect_timeout=CONNECT,
                read_timeout=ANSWER,
                max_pool_connections=max_pool_connections,
                retries={"total_max_attempts": TRIES, "mode": "standard"},
                s3={"addressing_style": "path"} if endpoint_url else {},
                **PLAIN,
            ),
        )

    @classmethod
    def _at(cls, path: str) -> dict[str, str]:
        bucket, _, name = cls._strip_protocol(path).strip("/").partition("/")
        return {"Bucket": bucket, "Key": name}

    def makedirs(self, path: str, exist_ok: bool = False) -> None:
        """
        Nothing: there are no folders, only names with slashes.
        """

    def put_file(self, lpath: str, rpath: str, **_: Any) -> None:
        """
        Send a file of this machine, a large one in pieces, which the library takes back where one cannot be sent.
        """
        with _as_os_errors(rpath):
            self._client.upload_file(lpath, **self._at(rpath))

    def get_file(self, rpath: str, lpath: str, **_: Any) -> None:
        """
        Fetch an object into a file of this machine.
        """
        with _as_os_errors(rpath):
            self._client.download_file(**self._at(rpath), Filename=lpath)

    def rm_file(self, path: str) -> None:
        """
        Remove an object. One that is not there is as good as removed.
        """
        with _as_os_errors(path):
            self._client.delete_object(**self._at(path))

    def info(self, path: str, **_: Any) -> dict[str, Any]:
        """
        `name`, `size` in bytes, and `type`.
        """
        with _as_os_errors(path):
            found = self._client.head_object(**self._at(path))
        return {"name": self._strip_protocol(path), "size": int(found["ContentLength"]), "type": "file"}

    def find(
        self, path: str, maxdepth: int | None = None, withdirs: bool = False, detail: bool = False, **_: Any
    ) -> Any:
        """
        Every object below a path, by name with its `info`.
        """
        at = self._at(path)
        found: dict[str, dict[str, Any]] = {}
        with _as_os_errors(path):
            pages = self._client.get_paginator("list_objects_v2").paginate(
                Bucket=at["Bucket"], Prefix=f"{at['Key']}/" if at["Key"] else ""
            )
            for page in pages:
                for one in page.get("Contents", ()):
                    name = f"{at['Bucket']}/{one['Key']}"
                    found[name] = {"name": name, "size": int(one["Size"]), "type": "file"}
        return found if detail else sorted(found)

    def _open(self, path: str, mode: str = "rb", **_: Any) -> io.BufferedReader:
        return io.BufferedReader(_Object(self._client, self._at(path), self.info(path)["size"]), CHUNK)


class _Object(io.RawIOBase):
    """
    An object's bytes, asked for piece by piece.
    """

    def __init__(self, client: Any, at: dict[str, str], size: int) -> None:
        self._client, self._at, self._size, self._place = client, at, size, 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        self._place = offset + {io.SEEK_SET: 0, io.SEEK_CUR: self._place, io.SEEK_END: self._size}[whence]
        return self._place

    def tell(self) -> int:
        return self._place

    def readinto(self, buffer: Any) -> int:
        last = min(self._place + len(buffer), self._size) - 1
        if last < self._place:
            return 0
        with _as_os_errors(self._at["Key"]):
            piece = self._client.get_object(**self._at, Range=f"bytes={self._place}-{last}")["Body"].read()
        buffer[: len(piece)] = piece
        self._place += len(piece)
        return len(piece)


@contextmanager
def _as_os_errors(path: str) -> Iterator[None]:
    """
    What the library raises, as what everything else raises that reads and writes files.
    """
    try:
        yield
    except (botocore.exceptions.ClientError, botocore.exceptions.BotoCoreError, boto3.exceptions.Boto3Error) as error:
        # Of a file that goes in pieces the library says only in words what the store answered.
        answered = error.__context__ if isinstance(error, boto3.exceptions.Boto3Error) else error
        told = answered.response.get("Error", {}) if isinstance(answered, botocore.exceptions.ClientError) else {}
        code, said = str(told.get("Code", "")), str(told.get("Message", ""))
        if code in ABSENT:
            raise FileNotFoundError(errno.ENOENT, said or code, path) from error
        if code in BARRED:
            raise PermissionError(errno.EACCES, said or code, path) from error
        raise OSError(f"{code}: {said}".strip(": ") or " ".join(str(error).split())) from error
