"""
Servers that answer in ways that no server should: what came of a delivery is told all the same, and nothing goes out
more often than it must.
"""

from __future__ import annotations

import http.client
import socket
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest

from bouquet.delivery import take_back, try_means
from bouquet.delivery.way import DeliveryError
from bouquet.store.models import Recipient
from tests.conftest import NOW
from tests.delivery.conftest import Sending
from tests.runs.post_office import dribbling


class Answering:
    """A program that takes requests and answers each with the same bytes."""

    def __init__(self) -> None:
        self.answer, self.taken = b"", 0
        #: The first line of each request; whether its body is read before the answer; what certain methods get instead.
        self.asked: list[str] = []
        self.reads, self.instead = True, dict[str, bytes]()
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.url = f"http://127.0.0.1:{self._listening.getsockname()[1]}/hook"
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self._listening.accept()
            except OSError:
                return
            with connection:
                self._take(connection)

    def _take(self, connection: socket.socket) -> None:
        with connection.makefile("rb") as reader:
            size = 0
            self.asked.append(reader.readline().decode("latin-1").strip())
            while (line := reader.readline()).strip():
                name, _, value = line.decode("latin-1").partition(":")
                size = int(value) if name.lower() == "content-length" else size
            if self.reads:
                reader.read(size)
            self.taken += 1
            connection.sendall(self.instead.get(self.asked[-1].partition(" ")[0], self.answer))

    def close(self) -> None:
        self._listening.close()


def asking(sending: Sending, program: Answering, query: str = "", **address: str) -> int:
    """A recipient whose files go to this program."""
    recipient = sending.recipient("webhook", **address)
    with sending.services.store.session() as session:
        means = session.get_one(Recipient, recipient).means
        means.settings = {**means.settings, "url": program.url + query}
    return recipient


@pytest.fixture
def program() -> Iterator[Answering]:
    made = Answering()
    yield made
    made.close()


@pytest.mark.parametrize(
    ("answer", "state", "says"),
    [
        (b"HTTP/1.1 200 OK\r\nContent-Length: 7\r\n\r\nta\x00ken\xff", "arrived", "200 OK: ta␀ken\ufffd"),
        (b"HTTP/1.1 200 O\x00K\r\nContent-Length: 0\r\n\r\n", "arrived", "200 O␀K"),
        (b"HTTP/1.1 403 No\r\nContent-Length: 4\r\n\r\nno\x00\x00", "failed", "403 No: no␀␀"),
        (b"HTTP/1.1 403 \xed\xa0\x80\r\nContent-Length: 0\r\n\r\n", "failed", "403"),
    ],
)
def test_an_answer_that_no_text_can_hold_is_told_as_far_as_it_can_be(
    sending: Sending, program: Answering, answer: bytes, state: str, says: str
) -> None:
    program.answer = answer
    recipient = asking(sending, program)
    run = sending.run([recipient])
    for minutes in range(3):
        sending.now = NOW + timedelta(minutes=minutes)
        sending.send()
    (delivery,) = sending.deliveries(run)

    assert (delivery.state, program.taken) == (state, 1)
    assert says in (delivery.reply or delivery.why)


@pytest.mark.parametrize("wait", [b"\xb2", b"-1", b"1e9", b"9" * 5000, b"Mon, 01 Jan 0001 00:00:00 -0000", b""])
def test_a_wait_that_is_no_time_is_passed_over(sending: Sending, program: Answering, wait: bytes) -> None:
    """A server that asks for patience in words of its own is tried again when it would be anyway."""
    program.answer = b"HTTP/1.1 503 Later\r\nRetry-After: " + wait + b"\r\nContent-Length: 0\r\n\r\n"
    recipient = asking(sending, program)
    run = sending.run([recipient])
    for minutes in range(3):
        sending.now = NOW + timedelta(minutes=10 * minutes)
        sending.send()
    (delivery,) = sending.deliveries(run)

    assert (delivery.state, "503 Later" in delivery.why) == ("trying", True)


def test_what_a_recipient_adds_to_an_address_stands_before_what_it_asks(sending: Sending, program: Answering) -> None:
    program.answer = b"HTTP/1.1 204 Taken\r\n\r\n"
    sending.run([asking(sending, program, "?desk=7", path="/wards")])
    sending.send()

    assert program.asked == ["POST /hook/wards?desk=7 HTTP/1.1"]


@pytest.mark.parametrize(("answer", "state"), [("413 Too large", "failed"), ("200 OK", "trying")])
def test_an_answer_before_the_file_was_read_is_heard(
    sending: Sending, program: Answering, monkeypatch: pytest.MonkeyPatch, answer: str, state: str
) -> None:
    """Refused for good, it is not sent for a day; and what was not read was not taken."""
    program.answer, program.reads = f"HTTP/1.1 {answer}\r\nContent-Length: 0\r\n\r\n".encode(), False
    recipient = asking(sending, program)
    run = sending.run([recipient])
    monkeypatch.setattr(http.client.HTTPConnection, "send", _cut_within_the_body(http.client.HTTPConnection.send))
    sending.send()
    (delivery,) = sending.deliveries(run)

    assert (delivery.state, program.taken) == (state, 1)
    assert state == "trying" or answer in delivery.why


def _cut_within_the_body(send: Callable[[Any, Any], None]) -> Callable[[Any, Any], None]:
    """What a connection does whose other side has closed it: a small file would be on its way before that is seen."""

    def cut(connection: Any, data: Any) -> None:
        if not isinstance(data, bytes) or not data.startswith((b"POST", b"PUT")):
            raise BrokenPipeError
        send(connection, data)

    return cut


def test_who_may_only_write_to_a_store_sends_all_the_same(sending: Sending, program: Answering) -> None:
    """A store answers `403` for what is not there to whoever may not list it."""
    # It says that it closes each connection: who takes one for open asks on it once it is closed.
    program.answer = b"HTTP/1.1 200 OK\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
    program.instead["HEAD"] = b"HTTP/1.1 403 Forbidden\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
    recipient = sending.recipient("store", prefix="in")
    with sending.services.store.session() as session:
        means = session.get_one(Recipient, recipient).means
        means.settings = {**means.settings, "endpoint": program.url.removesuffix("/hook")}
        settings, secret = means.settings, sending.stand_ins["store"].secret
    run = sending.run([recipient])
    sending.send()
    (delivery,) = sending.deliveries(run)

    assert (delivery.state, delivery.why) == ("arrived", "")
    assert sum(line.startswith("PUT") for line in program.asked) == 1
    assert {step.mark for step in try_means(sending.services, "store", settings, secret)} == {"good"}
    with pytest.raises(DeliveryError, match="lets nobody look"):
        take_back(sending.services, delivery.id, "Ines", "sent by mistake")


@pytest.fixture
def never_ending() -> Iterator[tuple[int, list[bytes]]]:
    with dribbling() as made:
        yield made


@pytest.mark.parametrize(
    ("way", "says"),
    [
        ("webhook", b"H"),
        ("webhook", b"HTTP/1.1 100 Continue\r\n\r\n"),
        ("mail", b"2"),
        ("mail", b"220-go on\r\n"),
        ("sftp", b"S"),
        ("sftp", b"SSH\r\n"),
        ("store", b"H"),
    ],
)
def test_a_server_that_never_comes_to_an_end_is_broken_off(
    sending: Sending, never_ending: tuple[int, list[bytes]], way: str, says: bytes
) -> None:
    """However it keeps a single wait short, a try ends; and so does trying its means."""
    port, never_ending[1][0] = never_ending[0], says
    sending.services = replace(sending.services, delivery_wait=0.03)
    recipient = sending.recipient(way)
    with sending.services.store.session() as session:
        means = session.get_one(Recipient, recipient).means
        at = {"webhook": {"url": f"http://127.0.0.1:{port}/hook"}, "store": {"endpoint": f"http://127.0.0.1:{port}"}}
        means.settings = {**means.settings, **at.get(way, {"port": port})}
        settings, secret = means.settings, sending.stand_ins[way].secret
    run = sending.run([recipient])
    began = time.monotonic()
    sending.send()
    (delivery,) = sending.deliveries(run)
    *_, last = try_means(sending.services, way, settings, secret)

    assert (delivery.state, delivery.tries) == ("trying", 1)
    assert last.mark == "wrong"
    assert time.monotonic() - began < 30
