"""
The stand-ins of the post room: a mail server, an SFTP server, a program that takes webhooks, and an object store. All
listen on the loopback address only.
"""

from __future__ import annotations

import asyncio
import hashlib
import logging
import os
import socket
import threading
from collections.abc import Iterable, Sequence
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any, cast
from urllib.parse import unquote

import asyncssh
from aiosmtpd.controller import Controller

from bouquet.demo.post_room.room import Room, StandIn

__all__ = ["mail_stand_in", "sftp_stand_in", "store_stand_in", "webhook_stand_in"]

LOOPBACK = "127.0.0.1"

INSIDE = ["127.0.0.0/8"]

#: Of requests and answers of the stand-ins, nothing but warnings is logged.
for _name in ("asyncssh", "mail.log", "werkzeug"):
    logging.getLogger(_name).setLevel(logging.ERROR)


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind((LOOPBACK, 0))
        return int(probe.getsockname()[1])


# Mail


class _Office:
    def __init__(self, room: Room) -> None:
        self.room = room

    async def handle_RCPT(self, server: Any, session: Any, envelope: Any, address: str, options: Any) -> str:
        misdeed = self.room.misdeed("mail")
        if misdeed == "refuse":
            return "550 5.1.1 nobody of that name here"
        if misdeed == "busy":
            return "451 4.3.2 come again later"
        if misdeed == "full":
            return "452 4.2.2 this box is full"
        if misdeed == "hang":
            await asyncio.to_thread(self.room.wait, "mail")
        if misdeed == "cut":
            server.transport.abort()
        session.mute = misdeed == "mute"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        mail = message_from_bytes(envelope.content, policy=default)
        assert isinstance(mail, EmailMessage)
        plain = mail.get_body(("plain",))
        attached = [part.get_filename() or "" for part in mail.iter_attachments()]
        facts = {
            "from": str(mail["From"]),
            "to": ", ".join(envelope.rcpt_tos),
            "message_id": str(mail["Message-ID"]),
            "attached": ", ".join(attached),
        }
        shown = plain.get_content() if plain is not None else ""
        self.room.arrived("mail", str(mail["Subject"]), envelope.content, facts, shown=shown)
        if getattr(session, "mute", False):
            server.transport.abort()
        return f"250 2.0.0 taken as {len(self.room.arrivals)}"


def mail_stand_in(room: Room) -> StandIn:
    """
    A mail server that takes every mail.
    """
    port = _free_port()
    controller = Controller(_Office(room), hostname=LOOPBACK, port=port)
    controller.start()
    settings = {
        "host": LOOPBACK,
        "port": port,
        "secure": "offered",
        "sender": "bouquet@marrowby.example",
        "inside": INSIDE,
    }
    return StandIn("mail", settings, "", controller.stop)


# SFTP


class _Door(asyncssh.SSHServer):
    def __init__(self, room: Room, password: str, opened: set[Any]) -> None:
        self.room, self.password, self._opened = room, password, opened

    def connection_made(self, conn: Any) -> None:
        self._connection = conn
        self._opened.add(conn)

    def connection_lost(self, exc: Exception | None) -> None:
        self._opened.discard(self._connection)

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        return password == self.password and self.room.told().get("sftp") != "refuse"


class _Drop(asyncssh.SFTPServer):
    """
    Keeps files below one folder, and tells the room of those that were given their name.
    """

    def __init__(self, channel: Any, room: Room, root: Path) -> None:
        super().__init__(channel, chroot=os.fsencode(root))
        self.room, self.root, self._channel = room, root, channel
        self._mute = False

    async def write(self, file_obj: Any, offset: int, data: bytes) -> int:
        if offset == 0:
            misdeed = self.room.misdeed("sftp")
            self._mute = misdeed == "mute"
            if misdeed == "hang":
                await asyncio.to_thread(self.room.wait, "sftp")
            if misdeed in ("cut", "busy"):
                super().write(file_obj, offset, data[: len(data) // 2])
                self._channel.get_connection().abort()
            if misdeed == "full":
                raise asyncssh.SFTPFailure("no space left on device")
        return cast(int, super().write(file_obj, offset, data))

    def _named(self, target: bytes) -> None:
        path = self.root / os.fsdecode(target).lstrip("/")
        body = path.read_bytes()
        facts = {"folder": str(path.parent.relative_to(self.root))}
        self.room.arrived("sftp", path.name, body, facts)
        if self._mute:
            self._channel.get_connection().abort()

    def rename(self, oldpath: bytes, newpath: bytes) -> None:
        super().rename(oldpath, newpath)
        self._named(newpath)

    def posix_rename(self, oldpath: bytes, newpath: bytes) -> None:
        super().posix_rename(oldpath, newpath)
        self._named(newpath)


def _host_key(room: Room) -> asyncssh.SSHKey:
    """
    The key by which the room's SFTP server is known, from one start to the next.
    """
    file = room.folder / "host.key"
    if not file.exists():
        file.write_bytes(asyncssh.generate_private_key("ssh-ed25519").export_private_key())
        file.chmod(0o600)
    return asyncssh.read_private_key(str(file))


def sftp_stand_in(room: Room, password: str, also: Sequence[asyncssh.SSHKey] = ()) -> StandIn:
    """
    An SFTP server for the user `bouquet`; its files lie below the room's folder. `also` are further keys that it has.
    """
    root = room.folder / "sftp"
    root.mkdir(parents=True, exist_ok=True)
    key = _host_key(room)
    ready, loop = threading.Event(), asyncio.new_event_loop()
    port: list[int] = []
    servers: list[Any] = []
    doors: set[Any] = set()

    async def serve() -> None:
        server = await asyncssh.create_server(
            lambda: _Door(room, password, doors),
            LOOPBACK,
            0,
            server_host_keys=[key, *also],
            sftp_factory=lambda channel: _Drop(channel, room, root),
        )
        port.append(server.sockets[0].getsockname()[1])
        servers.append(server)
        ready.set()

    def run() -> None:
        asyncio.set_event_loop(loop)
        loop.run_until_complete(serve())
        loop.run_forever()
        left = asyncio.all_tasks(loop)
        for task in left:
            task.cancel()
        loop.run_until_complete(asyncio.gather(*left, return_exceptions=True))
        loop.close()

    thread = threading.Thread(target=run, name="sftp stand-in", daemon=True)
    thread.start()
    if not ready.wait(20):
        raise RuntimeError("The SFTP stand-in did not start.")

    async def close() -> None:
        servers[0].close()
        for connection in list(doors):
            connection.abort()
            await connection.wait_closed()
        await servers[0].wait_closed()
        loop.stop()

    def stop() -> None:
        asyncio.run_coroutine_threadsafe(close(), loop)
        thread.join(5)

    public = key.export_public_key().decode().split()
    settings = {
        "host": LOOPBACK,
        "port": port[0],
        "user": "bouquet",
        "host_key": " ".join(public[:2]),
        "inside": INSIDE,
    }
    return StandIn("sftp", settings, password, stop)


# Webhook


class _Desk(BaseHTTPRequestHandler):
    room: Room
    protocol_version = "HTTP/1.1"
    timeout = 60

    def log_message(self, format: str, *args: Any) -> None:
        """
        Nothing.
        """

    def do_OPTIONS(self) -> None:
        self._answer(204, "")

    def do_POST(self) -> None:
        self._take()

    def do_PUT(self) -> None:
        self._take()

    def _take(self) -> None:
        misdeed = self.room.misdeed("webhook")
        if misdeed == "cut":
            self.rfile.read(10)
            self.close_connection = True
            self.connection.shutdown(socket.SHUT_RDWR)
            return
        body = self.rfile.read(int(self.headers.get("Content-Length", "0")))
        if misdeed == "hang":
            self.room.wait("webhook")
            self.close_connection = True
            return
        if misdeed == "busy":
            self._answer(503, "busy", {"Retry-After": "1"})
            return
        if misdeed == "full":
            self._answer(507, "no room left")
            return
        if misdeed == "refuse":
            self._answer(403, "not for you")
            return
        given = self.headers.get("Content-Disposition", "")
        name = unquote(given.partition("filename*=UTF-8''")[2]) or "notice"
        facts = {k.lower(): v for k, v in self.headers.items()} | {"target": f"{self.command} {self.path}"}
        self.room.arrived("webhook", name, body, facts)
        if misdeed == "mute":
            self.close_connection = True
            return
        self._answer(200, "taken")

    def _answer(self, status: int, text: str, headers: dict[str, str] | None = None) -> None:
        body = text.encode()
        self.send_response(status)
        for name, value in {"Content-Length": str(len(body)), **(headers or {})}.items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(body)


def webhook_stand_in(room: Room, key: str) -> StandIn:
    """
    A program that takes files and notices.
    """
    handler = type("Desk", (_Desk,), {"room": room})
    server = ThreadingHTTPServer((LOOPBACK, 0), handler)
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, args=(0.05,), name="webhook stand-in", daemon=True).start()

    def stop() -> None:
        server.shutdown()
        server.server_close()

    settings = {"url": f"http://{LOOPBACK}:{server.server_port}/desk", "inside": INSIDE}
    return StandIn("webhook", settings, key, stop)


# Object store


class _Counter:
    """
    Stands before the store: tells the room of objects that were kept, and misbehaves when it is told to.
    """

    def __init__(self, room: Room, app: Any) -> None:
        self.room, self.app = room, app

    def __call__(self, environ: dict[str, Any], start: Any) -> Iterable[bytes]:
        writes = environ["REQUEST_METHOD"] in ("PUT", "POST") and environ["PATH_INFO"].count("/") > 1
        misdeed = self.room.misdeed("store") if writes and "bouquet-trial" not in environ["PATH_INFO"] else None
        if misdeed is not None and misdeed != "mute":
            environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))
            if misdeed == "hang":
                self.room.wait("store")
            status = {"refuse": "403 Forbidden", "full": "507 Insufficient Storage"}.get(misdeed, "503 Slow Down")
            code = {"refuse": "AccessDenied", "full": "InternalError"}.get(misdeed, "SlowDown")
            start(status, [("Content-Type", "application/xml")])
            return [f"<Error><Code>{code}</Code><Message>told to</Message></Error>".encode()]
        said: list[str] = []

        def started(status: str, headers: Any, info: Any = None) -> Any:
            said.append(status)
            return start(status, headers, info) if info is not None else start(status, headers)

        answer = list(self.app(environ, started))
        query = environ.get("QUERY_STRING", "")
        whole = (environ["REQUEST_METHOD"] == "PUT" and "uploadId" not in query) or ("uploadId" in query and writes)
        if writes and said and said[0].startswith("200") and whole and "partNumber" not in query:
            self._tell(environ["PATH_INFO"])
            if misdeed == "mute":
                raise ConnectionAbortedError("told to say nothing")
        return answer

    def _tell(self, path: str) -> None:
        from moto.s3.models import s3_backends

        bucket, _, key = unquote(path).lstrip("/").partition("/")
        backend = next((b["global"] for b in s3_backends.values() if bucket in b["global"].buckets), None)
        if backend is not None and key and "bouquet-trial" not in key:
            kept: Any = backend.get_object(bucket, key)
            facts = {"bucket": bucket, "key": key, **{str(k): str(v) for k, v in kept.metadata.items()}}
            self.room.arrived("store", key.rpartition("/")[2], bytes(kept.value), facts)


def store_stand_in(room: Room, bucket: str) -> StandIn:
    """
    An object store that speaks the S3 protocol, with one bucket; it keeps nothing when it ends.
    """
    from moto.s3.models import s3_backends
    from moto.server import DomainDispatcherApplication, create_backend_app  # type: ignore[attr-defined]
    from werkzeug.serving import make_server

    app = _Counter(room, DomainDispatcherApplication(create_backend_app))
    server = make_server(LOOPBACK, 0, app, threaded=True)
    threading.Thread(target=server.serve_forever, args=(0.05,), name="store stand-in", daemon=True).start()
    backend = s3_backends["123456789012"]["aws"]
    if bucket not in backend.buckets:
        backend.create_bucket(bucket, "us-east-1")
    secret = hashlib.sha256(bucket.encode()).hexdigest()[:24]
    settings = {"endpoint": f"http://{LOOPBACK}:{server.server_port}", "bucket": bucket, "inside": INSIDE}

    def stop() -> None:
        server.shutdown()
        server.server_close()

    return StandIn("store", settings, f"stand-in:{secret}", stop)
