"""
Two hundred people at the bench at once: each types, sees the sheet, counts, and listens for news.
"""

from __future__ import annotations

import asyncio
import json
import math
import os
import random
import socket
import statistics
import subprocess
import sys
import time
from collections import defaultdict
from collections.abc import Callable
from importlib.resources import files
from typing import Any

from benchmarks.database import BenchDatabase
from benchmarks.runs import services_on
from bouquet.runs import Services
from bouquet.store import people, sign_ins
from bouquet.store import templates as shelf

__all__ = ["crowd"]

#: People, seconds between what one of them does and the next, seconds until all are there, and that it is watched.
PEOPLE, EVERY, ARRIVING, WATCHED = 200, 10.0, 30.0, 60.0

#: Processes of the web server.
PROCESSES = 2

#: The scale of the town.
SCALE = 1

_COLUMNS = ("tag", "species.common_name", "site.name", "t_girth", "planted_on", "status", "note", "site.ward.name")


def document(typed: int) -> dict[str, Any]:
    """
    A template as it stands after so many changes; no two are alike.
    """
    return {
        "name": f"Trees {typed}",
        "records": "tree",
        "columns": [{"id": f"c{n}", "heading": f, "value": {"field": f}} for n, f in enumerate(_COLUMNS)],
        "filter": {
            "all": [
                {"path": "deleted_at", "is": "blank"},
                {"path": "t_girth", "is": "at_least", "value": typed % 200},
                {"path": "site.ward.name", "is": "one_of", "values": ["Quay", "Northgate"]},
            ]
        },
    }


def crowd(database: BenchDatabase, say: Callable[..., None]) -> None:
    """
    How long each waits for a look, a count and a kept draft while all of them work.
    """
    database.prepare(SCALE)
    try:
        with services_on(database) as services:
            tokens = _seed(services)
            with socket.socket() as free:
                free.bind(("127.0.0.1", 0))
                port = free.getsockname()[1]
            environment = {
                **os.environ,
                "BOUQUET_STORE_URL": services.store.url,
                "BOUQUET_SOURCE_URL": database.url,
                "BOUQUET_SOURCE_CATALOGUE": str(files("bouquet.demo.marrowby") / "catalogue.toml"),
                "BOUQUET_PORT": str(port),
                "BOUQUET_WEB_PROCESSES": str(PROCESSES),
            }
            server = subprocess.Popen([sys.executable, "-m", "bouquet.cli", "serve"], env=environment)
            try:
                took, failed = asyncio.run(_watch(port, tokens))
            finally:
                server.terminate()
                server.wait()
    finally:
        database.prepare()
    for what, seconds in took.items():
        seconds.sort()
        p95 = seconds[math.ceil(0.95 * len(seconds)) - 1] * 1000
        say(
            f"{PEOPLE} people on the bench, each at work every {EVERY:.0f} s, {PROCESSES} processes: {what}",
            f"{statistics.median(seconds) * 1000:.0f} ms",
            "",
            f"{p95:.0f} ms at the 95th percentile, {seconds[-1] * 1000:.0f} ms at most, {failed[what]} failed",
            "300 ms at the 95th percentile, none over 2 s, none failing",
        )


def _seed(services: Services) -> list[tuple[str, int]]:
    """
    For each person the token of a session, and the number of a template of theirs.
    """
    found = []
    with services.store.session() as session:
        known = people.find_person(session, "ines@marrowby.example")
        assert known is not None
        for n in range(PEOPLE):
            person = type(known)(name=f"Person {n}", email=f"person{n}@marrowby.example", roles=["designer"])
            person.password_hash = known.password_hash
            session.add(person)
            session.flush()
            token = sign_ins.session_for(session, person, services.clock(), 12)
            record = shelf.add_template(session, document(n), "", person, services.clock())
            found.append((token, record.id))
    return found


async def _watch(port: int, tokens: list[tuple[str, int]]) -> tuple[dict[str, list[float]], dict[str, int]]:
    took: dict[str, list[float]] = defaultdict(list)
    failed: dict[str, int] = defaultdict(int)
    for _ in range(300):
        try:
            await _ask(port, tokens[0][0], "GET", "/api/v1/session")
            break
        except OSError:
            await asyncio.sleep(0.2)
    end = time.monotonic() + ARRIVING + WATCHED
    await asyncio.gather(*(_work(port, token, n, end, took, failed) for n, (token, _) in enumerate(tokens)))
    return took, failed


async def _work(
    port: int, token: str, number: int, end: float, took: dict[str, list[float]], failed: dict[str, int]
) -> None:
    chance = random.Random(number)
    await asyncio.sleep(chance.uniform(0, ARRIVING / 2))
    stream = asyncio.create_task(_stream(port, token))
    typed, counts_from = number * 1000, time.perf_counter() + end - time.monotonic() - WATCHED
    while time.monotonic() < end:
        typed += 1
        body = {"document": document(typed), "limit": 60, "keys": True, "hurry": True, "bench": f"b{number}"}

        async def timed(what: str, path: str, sent: Any = body) -> None:
            began = time.perf_counter()
            status = await _ask(port, token, "POST", path, sent)
            if began > counts_from:
                took[what].append(time.perf_counter() - began)
                failed[what] += status >= 400

        await timed("look", "/api/v1/design/look")
        await timed("count", "/api/v1/design/tally")
        await asyncio.sleep(chance.uniform(0.8, 1.2) * EVERY)
    stream.cancel()


def _request(token: str, method: str, path: str, body: bytes) -> bytes:
    return (
        f"{method} {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: bouquet_session={token}\r\n"
        f"Content-Type: application/json\r\nContent-Length: {len(body)}\r\nConnection: close\r\n\r\n"
    ).encode() + body


async def _ask(port: int, token: str, method: str, path: str, sent: Any = None) -> int:
    """
    The status of an answer, read to its end.
    """
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    try:
        writer.write(_request(token, method, path, b"" if sent is None else json.dumps(sent).encode()))
        await writer.drain()
        answer = await reader.read()
        # A document of which nothing can be read is answered, too: with what is wrong, and at once.
        if not answer or b'"problems":[{' in answer:
            return 599
        return int(answer.split(b" ", 2)[1])
    finally:
        writer.close()


async def _stream(port: int, token: str) -> None:
    """
    Listen for news until cancelled.
    """
    _, writer = await asyncio.open_connection("127.0.0.1", port)
    writer.write(_request(token, "GET", "/api/v1/events", b""))
    await writer.drain()
    await asyncio.Event().wait()
