"""
Whoever begins requests and does not end them keeps nobody else out.
"""

from __future__ import annotations

import asyncio
import contextlib
import socket
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any

import pytest
import uvicorn

from bouquet.web import connections
from bouquet.web.connections import Connection, open_many_files

LARGE = 8_000_000


async def app(scope: Any, receive: Callable[[], Any], send: Callable[[Any], Any]) -> None:
    """Answers when it has all of a request; slowly, or with a lot, where it is asked to."""
    if scope["type"] != "http":
        return
    body = b""
    while True:
        event = await receive()
        if event["type"] == "http.disconnect":
            app.left.append(scope["path"])  # type: ignore[attr-defined]
            return
        body += event.get("body", b"")
        if not event.get("more_body"):
            break
    if scope["path"] == "/slow":
        await asyncio.sleep(2.5)
    content = b"x" * LARGE if scope["path"] == "/large" else b"%d" % len(body)
    head = [(b"content-length", b"%d" % len(content))]
    await send({"type": "http.response.start", "status": 200, "headers": head})
    await send({"type": "http.response.body", "body": content})


@pytest.fixture
def port(monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    """Of a server with little patience."""
    for name, seconds in {"HEAD": 0.8, "SILENCE": 0.8, "UNREAD": 0.8, "LOOK": 0.1}.items():
        monkeypatch.setattr(connections, name, seconds)
    monkeypatch.setattr(Connection, "most", 40)
    app.left = []  # type: ignore[attr-defined]
    server = uvicorn.Server(uvicorn.Config(app, http=Connection, log_level="error", lifespan="off"))
    with socket.create_server(("127.0.0.1", 0)) as bound:
        thread = threading.Thread(target=server.run, kwargs={"sockets": [bound]}, daemon=True)
        thread.start()
        yield bound.getsockname()[1]
        server.should_exit = server.force_exit = True
        thread.join(10)


Opened = Callable[[bytes], socket.socket]


@pytest.fixture
def opened(port: int) -> Iterator[Opened]:
    """Connections on which something was begun."""
    with contextlib.ExitStack() as stack:

        def begin(begun: bytes) -> socket.socket:
            made = stack.enter_context(socket.create_connection(("127.0.0.1", port), timeout=10))
            made.sendall(begun)
            return made

        yield begin


def ended(connection: socket.socket) -> bytes:
    """All that comes until the server ends the connection."""
    found = b""
    with contextlib.suppress(ConnectionResetError):
        while piece := connection.recv(65_536):
            found += piece
    return found


GET = b"GET / HTTP/1.1\r\nHost: here\r\nConnection: close\r\n\r\n"


#: Nothing, half a head, half a body.
BEGUN = [b"", b"GET / HTTP/1.1\r\nX-A: ", b"POST / HTTP/1.1\r\nHost: h\r\nContent-Length: 9\r\n\r\n12"]


@pytest.mark.parametrize("begun", BEGUN)
def test_a_request_that_does_not_go_on_is_left(opened: Opened, begun: bytes) -> None:
    """The connection is ended, and whoever read the body is told."""
    before = time.monotonic()
    assert ended(opened(begun)) == b""
    assert 0.5 < time.monotonic() - before < 5
    time.sleep(0.3)
    assert app.left == (["/"] if begun.startswith(b"POST") else [])  # type: ignore[attr-defined]


def test_who_goes_on_slowly_is_waited_for(opened: Opened) -> None:
    """A body over a bad line, and an answer that takes the server itself long."""
    slow = opened(b"POST / HTTP/1.1\r\nHost: h\r\nConnection: close\r\nContent-Length: 8\r\n\r\n")
    for _ in range(8):
        time.sleep(0.2)
        slow.sendall(b"x")

    assert ended(slow).endswith(b"\r\n\r\n8")
    assert ended(opened(GET.replace(b"/ ", b"/slow ", 1))).endswith(b"\r\n\r\n0")


def test_an_answer_that_nobody_reads_is_left(opened: Opened) -> None:
    """And one that is read in pauses is not."""
    large = GET.replace(b"/ ", b"/large ", 1)
    lazy, patient = opened(large), opened(large)
    found, end = 0, time.monotonic() + 20
    while found < LARGE and time.monotonic() < end:
        found += len(patient.recv(400_000))
        time.sleep(0.02)
    time.sleep(1.5)

    assert found >= LARGE
    assert len(ended(lazy)) < LARGE


@pytest.mark.parametrize("begun", BEGUN)
def test_many_that_do_not_go_on_keep_nobody_out(opened: Opened, monkeypatch: pytest.MonkeyPatch, begun: bytes) -> None:
    """More than there may be: the oldest make room."""
    monkeypatch.setattr(connections, "HEAD", 60)
    monkeypatch.setattr(connections, "SILENCE", 60)
    waiting = [opened(begun) for _ in range(120)]

    assert ended(opened(GET)).endswith(b"\r\n\r\n0")
    assert len(Connection._there) <= 40
    assert len(waiting) == 120


def test_a_process_takes_as_many_connections_as_it_may_open_files(monkeypatch: pytest.MonkeyPatch) -> None:
    """Some are left for databases and what is sent."""
    limits = {"now": (256, 4_096)}
    monkeypatch.setattr(connections.resource, "getrlimit", lambda _: limits["now"])
    monkeypatch.setattr(connections.resource, "setrlimit", lambda _, made: limits.update(now=made))
    monkeypatch.setattr(Connection, "most", 0)
    open_many_files()

    assert (limits["now"], Connection.most) == ((4_096, 4_096), 4_096 - connections.OTHERS)
