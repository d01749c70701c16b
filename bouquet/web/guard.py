"""
What every request meets before a route: hosts and origins, what an address may hold, the size of a body, and how much
work is under way.

Written for ASGI itself, so that a body is counted while it is received and nothing is read that will be refused.
"""

from __future__ import annotations

import asyncio
import hashlib
import ipaddress
import json
import re
import time
from collections import Counter
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any, TypeAlias
from urllib.parse import unquote_to_bytes, urlsplit

import structlog

from bouquet.core.language import Texts, tr, whole

__all__ = ["Guard"]

log = structlog.get_logger()

Scope: TypeAlias = MutableMapping[str, Any]
Receive: TypeAlias = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send: TypeAlias = Callable[[MutableMapping[str, Any]], Awaitable[None]]

Refusal: TypeAlias = tuple[int, str, str]

_SAFE = ("GET", "HEAD", "OPTIONS")

#: A length that a request may state.
_LENGTH = re.compile("[0-9]{1,18}")

#: Bytes of a request's body: of documents, and of files that are sent.
MOST_BODY = 8_000_000
MOST_OF = {"/api/v1/runs/given-back": 100_000_000, "/api/v1/design/header-of-file": 10_000_000}

#: The same of a stranger, who brings no session and no token: of what is asked at the door nothing is long.
MOST_OF_STRANGERS = 100_000

#: Bytes of all requests that a process has not answered yet.
MOST_HELD = 400_000_000

#: Characters of an address with everything behind its question mark.
MOST_ADDRESS = 16_000

#: Questions to the source that are under way at the same time: of all, and of one session; and the same of strangers at
#: the door, and at the house's own sign-in, which may hang.
MOST_AT_ONCE, MOST_OF_ONE, MOST_SIGNING_IN = 24, 6, 4

#: What all strangers share turns of.
_STRANGERS = ("door", "house")

#: While others ask, too: questions of one session under way, as many as a bench asks at once; and of one session in a
#: second, once it has asked so many without a pause.
MOST_BESIDE, MOST_A_SECOND, WITHOUT_A_PAUSE = 3, 12, 60

#: Sessions whose pace is remembered, before those that paused are forgotten.
MOST_KNOWN = 10_000

#: Seconds for which somebody who asked counts as one who asks.
ASKING = 2.0

#: Seconds that a request waits for its turn before it is told to come back, and after how many.
PATIENCE, COME_BACK = 5.0, 2


class _NotRead(Exception):
    """
    A body that is not read on.
    """


def _too_large(limit: int) -> str:
    if limit < 1_000_000:
        return tr("A request here may have {limit} kB.", limit=limit // 1_000)
    return tr("A request here may have {limit} MB.", limit=limit // 1_000_000)


def _busy() -> str:
    return tr("There is too much to do just now. Nothing is lost; it is asked again in a moment.")


class Guard:
    """
    Wraps the application.

    Args:
        hosts: Names with a dot by which the server may be called; addresses, and names without a dot, always may: no
            stranger's name can be made to lead here that way. Empty where every name is allowed.
    """

    def __init__(self, app: Any, hosts: frozenset[str] = frozenset(), *, any_host: bool = False) -> None:
        self.app, self.hosts, self.any_host = app, hosts, any_host
        self._running: Counter[str] = Counter()
        self._turn = asyncio.Condition()
        self._rates = _Rates()
        self._held = _Held()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = {k.decode("latin-1").lower(): v.decode("latin-1") for k, v in scope["headers"]}
        refusal = self._refusal_of(scope, headers)
        if refusal is not None:
            await _answer(send, *refusal)
            return
        known = bool(headers.get("cookie") or headers.get("authorization"))
        limit = MOST_OF.get(scope["path"], MOST_BODY) if known else MOST_OF_STRANGERS
        if _kind_of(scope) == "door":
            limit = MOST_OF_STRANGERS
        if int(headers.get("content-length") or 0) > limit:
            await _answer(send, 413, "too_large", _too_large(limit))
            return
        body = _Body(receive, limit, self._held)
        answer = _Answer(send, body)
        try:
            await self._in_turn(scope, headers, body, answer)
        except _NotRead:
            await answer.refuse()
        finally:
            body.release()

    def _refusal_of(self, scope: Scope, headers: dict[str, str]) -> Refusal | None:
        """
        (status, code, sentence) of what cannot be answered; None for everything else.
        """
        host = headers.get("host", "")
        if not self._is_ours(host):
            return 421, "unknown_host", tr("This server is not called “{host}”.", host=_printable(host))
        if not _LENGTH.fullmatch(headers.get("content-length", "0")):
            return 400, "bad_length", tr("The length of this request cannot be read.")
        address = scope.get("raw_path") or scope["path"].encode()
        if len(address) + len(scope["query_string"]) > MOST_ADDRESS:
            return (
                414,
                "long_address",
                tr("An address has at most {most_address} characters.", most_address=whole(MOST_ADDRESS)),
            )
        for part in (address.split(b"?")[0], scope["query_string"].replace(b"+", b" ")):
            plain = unquote_to_bytes(part)
            try:
                readable = b"\x00" not in plain and plain.decode() is not None
            except UnicodeDecodeError:
                readable = False
            if not readable:
                return 400, "unreadable_address", tr("This address holds characters that cannot be read.")
        if scope["method"] not in _SAFE and not _same_origin(headers, host):
            return 403, "other_site", tr("This was asked for by another site, so it was not done.")
        return None

    def _is_ours(self, host: str) -> bool:
        if not host or set(host) & set("/\\@ \t"):
            return False
        try:
            name = urlsplit(f"//{host}").hostname
        except ValueError:
            return False
        if name is None:
            return False
        if self.any_host or "." not in name or name in self.hosts:
            return True
        try:
            ipaddress.ip_address(name)
        except ValueError:
            return False
        return True

    # Turns

    async def _in_turn(self, scope: Scope, headers: dict[str, str], receive: Receive, send: Send) -> None:
        kind = _kind_of(scope)
        if kind == "":
            await self.app(scope, receive, send)
            return
        asker = kind if kind in (*_STRANGERS, "upload") else _asker_of(scope, headers)
        if kind != "upload":
            # Nobody has a turn before their whole request is here: a few who do not go on would keep all others out.
            receive = await _whole(receive)
        try:
            pause = self._rates.pause(asker, time.monotonic()) if kind == "question" else 0.0
            if pause > PATIENCE:
                raise TimeoutError
            if pause:
                await asyncio.sleep(pause)
            await asyncio.wait_for(self._take(kind, asker), PATIENCE)
        except TimeoutError:
            log.warning("busy", kind=kind, path=scope["path"])
            if kind == "house":
                # A browser is on its way, which shows whatever it gets.
                await _see(send, "/sign-in?why=house_away")
                return
            await _answer(send, 503, "busy", _busy(), (b"retry-after", str(COME_BACK).encode()))
            return
        try:
            await self.app(scope, receive, send)
        finally:
            async with self._turn:
                self._running[asker] -= 1
                self._running[kind] -= kind != asker
                self._turn.notify_all()

    async def _take(self, kind: str, asker: str) -> None:
        def free() -> bool:
            own = MOST_SIGNING_IN if kind in _STRANGERS else MOST_OF_ONE
            if kind == "question" and self._rates.others_ask(asker, time.monotonic()):
                own = MOST_BESIDE
            return self._running[asker] < own and (asker == kind or self._running[kind] < MOST_AT_ONCE)

        async with self._turn:
            await self._turn.wait_for(free)
            self._running[asker] += 1
            self._running[kind] += kind != asker


class _Rates:
    """
    How often each session asks. Whoever asks without end is slowed down while others ask, and only then: the processor
    is everybody's, and short questions by the thousand are as heavy as a long one.
    """

    def __init__(self) -> None:
        #: When each session would have asked the last of its questions, had it asked no more often than it may.
        self._due: dict[str, float] = {}
        #: The last two sessions that asked, and when: the latest first.
        self._last: list[tuple[str, float]] = []

    def others_ask(self, asker: str, now: float) -> bool:
        return any(who != asker and now - at < ASKING for who, at in self._last)

    def pause(self, asker: str, now: float) -> float:
        """
        Note a question, and give the seconds for which it has to wait (the generic cell rate algorithm of ITU-T I.371).
        """
        burst = WITHOUT_A_PAUSE / MOST_A_SECOND
        due = max(self._due.get(asker, now), now) + 1 / MOST_A_SECOND
        wait = due - now - burst
        if wait > 0 and not self.others_ask(asker, now):
            due, wait = now + burst, 0.0
        if wait <= PATIENCE:
            # What is refused was not asked.
            self._due[asker] = due
        self._last = [(asker, now), *(last for last in self._last if last[0] != asker)][:2]
        if len(self._due) > MOST_KNOWN:
            self._due = {who: at for who, at in self._due.items() if at > now}
        return max(wait, 0.0)


def _kind_of(scope: Scope) -> str:
    """
    What a request's turn is for: `door` for signing in, `house` for doing so by the house's own service, `question` for
    what asks the source, `upload` for large files, which are not kept in memory before, nothing for the rest.
    """
    path, method = scope["path"], scope["method"]
    if path.startswith("/api/v1/session/house"):
        return "house"
    if (method == "POST" and path == "/api/v1/session") or path == "/api/v1/session/password":
        return "door"
    if path in MOST_OF:
        return "upload"
    asks = path.startswith(("/api/v1/design/", "/api/v1/record-types/"))
    return "question" if asks or path.endswith(("/uses", "/questions")) else ""


async def _whole(receive: Receive) -> Receive:
    """
    A request's body, received whole; and what comes afterwards.
    """
    body, more = bytearray(), True
    while more:
        message = await receive()
        if message["type"] != "http.request":
            return _again(message, receive)
        body += message.get("body", b"")
        more = message.get("more_body", False)
    return _again({"type": "http.request", "body": bytes(body), "more_body": False}, receive)


def _again(first: MutableMapping[str, Any], receive: Receive) -> Receive:
    waiting = [first]

    async def next_message() -> MutableMapping[str, Any]:
        return waiting.pop() if waiting else await receive()

    return next_message


def _asker_of(scope: Scope, headers: dict[str, str]) -> str:
    secret = headers.get("authorization") or headers.get("cookie") or ""
    client = scope.get("client") or ("", 0)
    return hashlib.sha256(secret.encode()).hexdigest() if secret else str(client[0])


def _same_origin(headers: dict[str, str], host: str) -> bool:
    """
    Whether a request that changes something comes from our own pages, or from no page at all. Browsers say so in
    `Sec-Fetch-Site` and `Origin`; programs send neither.
    """
    if headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        return False
    origin = headers.get("origin")
    # Browsers write a scheme, a host and perhaps a port, and nothing else.
    return origin is None or origin.lower().partition("://")[2] == host.lower()


class _Held:
    """
    What the bodies of a process's requests come to, in bytes.
    """

    def __init__(self) -> None:
        self.bytes = 0


class _Body:
    """
    Receives a body, and counts it; more than `limit` bytes end it, and so does more than there is room for.
    """

    def __init__(self, receive: Receive, limit: int, held: _Held) -> None:
        self._receive, self.limit, self._held, self._seen = receive, limit, held, 0
        self.refusal: Refusal | None = None

    async def __call__(self) -> MutableMapping[str, Any]:
        message = await self._receive()
        size = len(message.get("body", b""))
        self._seen += size
        self._held.bytes += size
        if self._seen > self.limit:
            self.refusal = 413, "too_large", _too_large(self.limit)
        elif self._held.bytes > MOST_HELD:
            log.warning("busy", kind="bodies")
            self.refusal = 503, "busy", _busy()
        if self.refusal is not None:
            raise _NotRead
        return message

    def release(self) -> None:
        """
        The request is answered, and its body forgotten.
        """
        self._held.bytes -= self._seen


class _Answer:
    """
    Sends what the application answers. Whatever it makes of a body that was not read on, the answer is why.
    """

    def __init__(self, send: Send, body: _Body) -> None:
        self._send, self._body, self._begun, self._refused = send, body, False, False

    async def __call__(self, message: MutableMapping[str, Any]) -> None:
        if self._body.refusal is not None and not self._begun:
            await self.refuse()
        if not self._refused:
            self._begun = True
            await self._send(message)

    async def refuse(self) -> None:
        if not self._begun and not self._refused and self._body.refusal is not None:
            self._refused = True
            status, code, detail = self._body.refusal
            later = [(b"retry-after", str(COME_BACK).encode())] if status == 503 else []
            await _answer(self._send, status, code, detail, *later)


_TITLES = Texts(
    {400: "Not understood", 403: "Not allowed", 413: "Too large", 414: "Too long", 421: "Not here", 503: "Busy"}
)


async def _answer(send: Send, status: int, code: str, detail: str, *headers: tuple[bytes, bytes]) -> None:
    body = {"type": f"/problems/{code}", "title": _TITLES[status], "status": status, "detail": detail}
    content = json.dumps(body).encode()
    head = [(b"content-type", b"application/problem+json"), (b"content-length", str(len(content)).encode()), *headers]
    await send({"type": "http.response.start", "status": status, "headers": head})
    await send({"type": "http.response.body", "body": content})


async def _see(send: Send, address: str) -> None:
    head = [(b"location", address.encode()), (b"content-length", b"0")]
    await send({"type": "http.response.start", "status": 303, "headers": head})
    await send({"type": "http.response.body", "body": b""})


def _printable(text: str) -> str:
    return "".join(c if c.isprintable() else "�" for c in text[:100])
