"""
SFTP: files are written beside their name, measured, and renamed; a marker beside them may say that they are whole.
"""

from __future__ import annotations

import base64
import contextlib
import hashlib
import io
import posixpath
import socket
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import paramiko
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    load_pem_private_key,
)
from pydantic import Field, field_validator

from bouquet.core.language import tr, whole
from bouquet.core.naming import with_suffix
from bouquet.delivery.reach import Host, Inside, connect, says_of
from bouquet.delivery.way import DeliveryError, Parcel, ParcelFile, Receipt, Settings, Step, leads_upward
from bouquet.runs import Services

__all__ = ["SftpWay", "private_key"]

CHUNK = 1 << 18

MOST_NAMES = 1_000

#: Pieces of a file that are asked for ahead of reading them.
MOST_ASKED = 64


class SftpSettings(Settings):
    """
    `host_key` is the server's own key as it was shown and pinned when the means were set up: kind and base64, as it
    stands in a file of known hosts. Without it nothing is sent.
    """

    host: Host
    port: int = Field(22, ge=1, le=65_535)
    user: str = Field(min_length=1, max_length=100)
    host_key: str = Field("", max_length=4_000, title="The server's own key, pinned")
    folder: str = Field("", max_length=1_000, title="Folder there")
    inside: Inside = ()


class SftpAddress(Settings):
    """
    `mode`: `replace` puts a file in the place of one of its name, `new` takes a name that is free. `marker`: what is
    added to a file's name for an empty file that is put there last, such as `.done`.
    """

    folder: str = Field("", max_length=1_000)
    mode: Literal["new", "replace"] = Field(
        "replace", title="An earlier file of the same name: beside it, or in its place"
    )
    marker: str = Field(
        "", max_length=20, pattern=r"^(\.[A-Za-z0-9]+)?$", title="An empty file follows, called the same with"
    )

    @field_validator("folder")
    @classmethod
    def _no_way_up(cls, value: str) -> str:
        if leads_upward(value) or any(ord(c) < 32 for c in value):
            msg = tr("The folder does not lead upwards, and has no control characters.")
            raise ValueError(msg)
        return value


class SftpWay:
    """
    One connection a delivery.
    """

    kind: ClassVar[str] = "sftp"
    label: ClassVar[str] = "SFTP"
    secret: ClassVar[str] = "Password, or private key"
    settings_model: ClassVar[type[Settings]] = SftpSettings
    address_model: ClassVar[type[Settings]] = SftpAddress
    withdraws: ClassVar[bool] = True

    def __init__(self, services: Services, settings: Any, secret: str, address: Any) -> None:
        self.at, self.password, self.address = settings, secret, address
        self.wait = services.delivery_wait
        self.folder = posixpath.join(settings.folder, address.folder.lstrip("/")) if address.folder else settings.folder

    def words(self) -> str:
        return f"{self.at.user}@{self.at.host}:{self.folder or '.'}"

    # Sending

    def send(self, parcel: Parcel) -> Receipt:
        with self._opened() as sftp:
            self._make_folders(sftp)
            put = []
            for file in parcel.files:
                if not self._is_there(sftp, parcel, file):
                    self._put(sftp, parcel, file)
                put.append(str(parcel.progress.get(f"at {file.id}", file.name)))
            if self.address.marker:
                for name in put:
                    with sftp.open(self._path(name + self.address.marker), "w"):
                        pass
        return Receipt(tr("put as {put} at {host}", put=", ".join(put[:5]), host=self.at.host))

    def verify(self, parcel: Parcel) -> Receipt | None:
        with self._opened() as sftp:
            there = all(self._is_there(sftp, parcel, file) for file in parcel.files)
        # With a marker it is not over before that is there, too; sending again puts it there.
        return Receipt(tr("it was there already"), known=True) if there and not self.address.marker else None

    def _is_there(self, sftp: paramiko.SFTPClient, parcel: Parcel, file: ParcelFile) -> bool:
        noted = parcel.progress.get(f"at {file.id}")
        # An equal file may be another delivery's, as long as this one's still stands beside it.
        if noted is None or _exists(sftp, self._beside(parcel, file)):
            return False
        try:
            if sftp.stat(self._path(noted)).st_size != file.size:
                return False
            digest = hashlib.sha256()
            with sftp.open(self._path(noted), "rb") as there:
                there.prefetch(file.size, MOST_ASKED)
                while chunk := there.read(CHUNK):
                    digest.update(chunk)
        except FileNotFoundError:
            return False
        return digest.hexdigest() == file.sha256

    def _put(self, sftp: paramiko.SFTPClient, parcel: Parcel, file: ParcelFile) -> None:
        beside = self._beside(parcel, file)
        with file.opened() as made, made.open("rb") as source:
            # Measured by the server after the last byte.
            sftp.putfo(source, beside, file.size, confirm=False)
        size = sftp.stat(beside).st_size
        if size != file.size:
            raise DeliveryError(
                tr(
                    "{host} kept {size} of {size2} bytes of {file}.",
                    host=self.at.host,
                    size=whole(size or 0),
                    size2=whole(file.size),
                    file=file.name,
                ),
                passing=True,
            )
        if self.address.mode == "replace":
            parcel.note({f"at {file.id}": file.name})
            self._replace(sftp, beside, self._path(file.name))
            return
        for number in range(1, MOST_NAMES):
            name = file.name if number == 1 else with_suffix(file.name, number)
            if _exists(sftp, self._path(name)):
                continue
            parcel.note({f"at {file.id}": name})
            try:
                # Without the extension that replaces: fails where the name was taken in the meantime.
                sftp.rename(beside, self._path(name))
                return
            except OSError:
                if not _exists(sftp, self._path(name)):
                    raise
        raise DeliveryError(tr("There is no free name left for “{file}” at {host}.", file=file.name, host=self.at.host))

    def _replace(self, sftp: paramiko.SFTPClient, beside: str, target: str) -> None:
        try:
            sftp.posix_rename(beside, target)
        except OSError as error:
            # Only where the server lacks that extension (protocol 3 knows only renaming to a free name): after another
            # failure the earlier file stays.
            if error.errno is not None or "support" not in str(error).lower():
                raise
            with contextlib.suppress(FileNotFoundError):
                sftp.remove(target)
            sftp.rename(beside, target)

    def withdraw(self, parcel: Parcel) -> None:
        with self._opened() as sftp:
            for file in parcel.files:
                if self._is_there(sftp, parcel, file):
                    sftp.remove(self._path(parcel.progress[f"at {file.id}"]))

    def _beside(self, parcel: Parcel, file: ParcelFile) -> str:
        return self._path(f".{file.name[-80:]}.{parcel.identity[:12]}.part")

    def _path(self, name: str) -> str:
        return posixpath.join(self.folder, name) if self.folder else name

    def _make_folders(self, sftp: paramiko.SFTPClient) -> None:
        at = ""
        for part in self.folder.split("/"):
            at = f"{at}{part}" if at.endswith("/") or not at else f"{at}/{part}"
            if not part:
                at = "/"
                continue
            if not _exists(sftp, at):
                sftp.mkdir(at)

    # Connecting

    @contextlib.contextmanager
    def _opened(self) -> Iterator[paramiko.SFTPClient]:
        try:
            with contextlib.closing(self._connected()) as transport:
                self._sign_in(transport)
                sftp = paramiko.SFTPClient.from_transport(transport)
                if sftp is None:
                    raise DeliveryError(tr("{host} offers no SFTP.", host=self.at.host))
                channel = sftp.get_channel()
                if channel is not None:
                    channel.settimeout(self.wait)
                yield sftp
        except DeliveryError:
            raise
        except PermissionError as error:
            raise DeliveryError(
                tr("{host} does not allow it: {error}.", host=self.at.host, error=says_of(error))
            ) from error
        except (OSError, EOFError, paramiko.SSHException) as error:
            # A full disk, a broken connection: it may be better later.
            raise DeliveryError(f"{self.at.host}: {says_of(error)}.", passing=True) from error

    def _connected(self) -> paramiko.Transport:
        """
        A connection to the server whose key is the pinned one.
        """
        try:
            transport = self._greeted(self._reached())
        except (paramiko.SSHException, EOFError, OSError) as error:
            raise DeliveryError(f"{self.at.host}: {says_of(error)}.", unreachable=True) from error
        shown = _shown(transport)
        if " ".join(self.at.host_key.split()[:2]) != shown:
            transport.close()
            said = (
                tr("another key than the one that was pinned")
                if self.at.host_key
                else tr("a key that nobody looked at yet")
            )
            raise DeliveryError(
                tr(
                    "{host} shows {said}: {shown}. A keeper decides whether it is right.",
                    host=self.at.host,
                    said=said,
                    shown=fingerprint(shown),
                )
            )
        return transport

    def _reached(self) -> socket.socket:
        return connect(self.at.host, self.at.port, self.at.inside, self.wait)

    def _greeted(self, made: socket.socket) -> paramiko.Transport:
        """
        The same as `_spoken`, by the pinned key; where the server has none of its kind any more, by the one it has.
        """
        try:
            return self._spoken(made, self.at.host_key)
        except paramiko.ssh_exception.IncompatiblePeer:
            return self._spoken(self._reached())

    def _spoken(self, made: socket.socket, pinned: str = "") -> paramiko.Transport:
        """
        SSH as far as keys are exchanged; of a server that has several, the one of the kind that is `pinned`. Raises
        SSHException, EOFError and OSError; then nothing stays open.
        """
        try:
            transport = paramiko.Transport(made)
            _ask_for_kind(transport, pinned.partition(" ")[0])
        except BaseException:
            made.close()
            raise
        try:
            transport.banner_timeout = transport.auth_timeout = self.wait
            transport.start_client(timeout=self.wait)
            if not transport.initial_kex_done:
                # The library waits so long, and then goes on as if there were a session.
                raise TimeoutError
        except BaseException:
            transport.close()
            raise
        return transport

    def _sign_in(self, transport: paramiko.Transport) -> None:
        try:
            if "PRIVATE KEY" in self.password:
                transport.auth_publickey(self.at.user, private_key(self.password))
            else:
                transport.auth_password(self.at.user, self.password)
        except paramiko.AuthenticationException as error:
            raise DeliveryError(
                tr(
                    "{host} does not let {user} in with this password or key.",
                    host=self.at.host,
                    user=self.at.user,
                )
            ) from error

    def steps(self) -> Iterator[Step]:
        try:
            made = self._reached()
        except DeliveryError as error:
            yield Step("reach", "wrong", str(error))
            return
        yield Step("reach", "good", tr("{host}:{port} answers", host=self.at.host, port=self.at.port))
        try:
            transport = self._greeted(made)
        except (DeliveryError, paramiko.SSHException, EOFError, OSError) as error:
            yield Step("server", "wrong", tr("it does not speak SSH: {error}", error=says_of(error)))
            return
        with contextlib.closing(transport):
            shown = _shown(transport)
            pinned = " ".join(self.at.host_key.split()[:2])
            mark = "good" if shown == pinned else "wrong" if pinned else "care"
            said = tr("as pinned") if shown == pinned else tr("not the pinned one") if pinned else tr("not pinned yet")
            yield Step("host key", mark, f"{said}: {shown} ({fingerprint(shown)})")
            if mark == "wrong":
                return
            try:
                self._sign_in(transport)
            except (DeliveryError, paramiko.SSHException, OSError) as error:
                yield Step(tr("sign in"), "wrong", str(error))
                return
            yield Step(tr("sign in"), "good", tr("as {user}", user=self.at.user))
            yield from self._try_folder(transport)

    def _try_folder(self, transport: paramiko.Transport) -> Iterator[Step]:
        trial = self._path(".bouquet-trial")
        try:
            sftp = paramiko.SFTPClient.from_transport(transport)
            assert sftp is not None
            self._make_folders(sftp)
            with sftp.open(trial, "w") as file:
                file.write(b"Written by Bouquet to try this folder.\n")
            sftp.remove(trial)
        except (OSError, EOFError, paramiko.SSHException) as error:
            yield Step("write", "wrong", f"{self.folder or 'the first folder'}: {says_of(error)}")
            return
        yield Step(
            "write",
            "good",
            tr(
                "a file can be written and removed in {folder}",
                folder=self.folder or tr("the first folder"),
            ),
        )


def _ask_for_kind(transport: paramiko.Transport, kind: str) -> None:
    """
    Ask a server for its key of one kind: servers get further ones in the course of years. Keys of RSA go by the names
    of what they sign with (RFC 8332).
    """
    offered = transport.get_security_options()
    wanted = [k for k in offered.key_types if k == kind or (kind == "ssh-rsa" and k.startswith("rsa-sha2-"))]
    if wanted:
        offered.key_types = wanted


def _shown(transport: paramiko.Transport) -> str:
    key = transport.get_remote_server_key()
    return f"{key.get_name()} {key.get_base64()}"


def fingerprint(host_key: str) -> str:
    """
    A host key as servers print it (SHA256 and base64).
    """
    body = host_key.split()[1] if len(host_key.split()) > 1 else ""
    return "SHA256:" + base64.b64encode(hashlib.sha256(base64.b64decode(body)).digest()).decode().rstrip("=")


def private_key(text: str) -> paramiko.PKey:
    """
    A private key as files of OpenSSH, or of PKCS #8 (RFC 5958), hold it. Raises DeliveryError.
    """
    # On a key that was damaged on its way here, the libraries fail in ways of many kinds.
    with contextlib.suppress(Exception):
        known = load_pem_private_key(text.encode(), None)
        text = known.private_bytes(Encoding.PEM, PrivateFormat.OpenSSH, NoEncryption()).decode()
    for kind in (paramiko.Ed25519Key, paramiko.RSAKey, paramiko.ECDSAKey):
        with contextlib.suppress(Exception):
            return kind.from_private_key(io.StringIO(text))
    raise DeliveryError(
        tr("The private key cannot be read; one without a passphrase is needed (Ed25519, RSA or ECDSA).")
    )


def _exists(sftp: paramiko.SFTPClient, path: str) -> bool:
    try:
        sftp.stat(path)
    except FileNotFoundError:
        return False
    return True
