"""
A real mail server on loopback that keeps what it takes, and refuses whom it is told to.
"""

from __future__ import annotations

import socket
import threading
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult

__all__ = ["PostOffice", "dribbling", "post_office"]


class PostOffice:
    """What came, and how often somebody was tried."""

    def __init__(self) -> None:
        self.mails: list[tuple[str, EmailMessage]] = []
        self.tried: Counter[str] = Counter()
        #: Replies to recipients, by address, each for one try.
        self.replies: dict[str, list[str]] = {}

    async def handle_RCPT(self, _server: Any, _session: Any, envelope: Any, address: str, _options: Any) -> str:
        self.tried[address] += 1
        waiting = self.replies.get(address, [])
        if waiting:
            return waiting.pop(0)
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:
        parsed = message_from_bytes(envelope.content, policy=default)
        assert isinstance(parsed, EmailMessage)
        self.mails += [(address, parsed) for address in envelope.rcpt_tos]
        return "250 taken"


@contextmanager
def post_office(password: str | None = None, by: str = "") -> Iterator[tuple[PostOffice, str]]:
    """The office, and its address for `BOUQUET_SMTP_URL`. `by` is the one way to sign in that it knows, any if not given."""
    office = PostOffice()

    def known(_server: Any, _session: Any, _envelope: Any, _mechanism: str, data: Any) -> AuthResult:
        right = data.password.decode() == password
        return AuthResult(success=right, handled=right)

    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    controller = Controller(
        office, hostname="127.0.0.1", port=port, authenticator=known, auth_required=password is not None,
        auth_require_tls=False, auth_exclude_mechanism={"PLAIN", "LOGIN"} - {by} if by else (),
    )  # fmt: skip
    controller.start()
    try:
        yield office, f"smtp://127.0.0.1:{port}"
    finally:
        controller.stop()


@contextmanager
def dribbling() -> Iterator[tuple[int, list[bytes]]]:
    """A server that says one byte at a time and never comes to an end; its port, and what it says over and over."""
    listening, saying = socket.create_server(("127.0.0.1", 0)), [b"2"]
    over = threading.Event()

    def talk(connection: socket.socket) -> None:
        with connection:
            while not over.wait(0.05):
                try:
                    connection.sendall(saying[0])
                except OSError:
                    return

    def serve() -> None:
        while not over.is_set():
            try:
                connection, _ = listening.accept()
            except OSError:
                return
            threading.Thread(target=talk, args=(connection,), daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    yield listening.getsockname()[1], saying
    over.set()
    listening.close()
