"""
How much may be asked at once: what is too much waits, or is told when to come back, and keeps nobody else out.
"""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest

from bouquet.runs import Services
from bouquet.web import guard
from tests.web.templates import API
from tests.web.test_doors import answering, passed


def test_what_is_too_much_waits_or_comes_back(services: Services, monkeypatch: pytest.MonkeyPatch) -> None:
    """One asker has six questions under way; the seventh is told when to come back, another asker is answered."""
    monkeypatch.setattr(guard, "PATIENCE", 0.1)
    release = asyncio.Event()

    async def app(scope: Any, receive: Any, send: Any) -> None:
        await release.wait()
        await answering(scope, receive, send)

    async def ask(guarded: Any, cookie: str) -> tuple[int, dict[bytes, bytes]]:
        return await passed(guarded, f"{API}/design/look", cookie, b" ")

    async def main() -> None:
        guarded = guard.Guard(app)
        running = [asyncio.create_task(ask(guarded, "one")) for _ in range(guard.MOST_OF_ONE)]
        await asyncio.sleep(0.01)
        status, headers = await ask(guarded, "one")
        other = asyncio.create_task(ask(guarded, "two"))
        await asyncio.sleep(0.01)
        release.set()

        assert (status, headers[b"retry-after"]) == (503, b"2")
        assert [s for s, _ in await asyncio.gather(*running, other)] == [200] * (guard.MOST_OF_ONE + 1)

    # The browser's tests leave a loop running in the main thread.
    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(main())).result()


def test_a_house_sign_in_that_hangs_takes_no_more_than_its_turns(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever comes next is sent back to our own, by which others still sign in."""
    monkeypatch.setattr(guard, "PATIENCE", 0.1)

    async def app(scope: Any, receive: Any, send: Any) -> None:
        if scope["path"].endswith("/house"):
            await asyncio.Event().wait()
        await answering(scope, receive, send)

    async def main() -> None:
        guarded = guard.Guard(app)
        hanging = [
            asyncio.create_task(passed(guarded, f"{API}/session/house", f"c={n}", b" "))
            for n in range(guard.MOST_SIGNING_IN)
        ]
        await asyncio.sleep(0.01)
        status, headers = await passed(guarded, f"{API}/session/house", "c=99", b" ")
        beside, _ = await passed(guarded, f"{API}/session", "c=99", b" ")
        for task in hanging:
            task.cancel()
        await asyncio.gather(*hanging, return_exceptions=True)

        assert (status, headers[b"location"], beside) == (303, b"/sign-in?why=house_away", 200)

    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(main())).result()


def test_while_others_ask_each_has_as_many_questions_as_a_bench_asks(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever is alone has six under way; beside others, three."""
    monkeypatch.setattr(guard, "PATIENCE", 0.1)
    release = asyncio.Event()

    async def app(scope: Any, receive: Any, send: Any) -> None:
        await release.wait()
        await answering(scope, receive, send)

    async def main() -> None:
        guarded = guard.Guard(app)
        asked = [
            asyncio.create_task(passed(guarded, f"{API}/design/look", who, b" "))
            for who in ("one", *["two"] * (guard.MOST_BESIDE + 1))
        ]
        await asyncio.sleep(0.5)
        release.set()

        assert sorted(s for s, _ in await asyncio.gather(*asked)) == [200] * (guard.MOST_BESIDE + 1) + [503]

    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(main())).result()


def test_whoever_asks_without_end_is_slowed_down_while_others_ask() -> None:
    """As often as they like alone; beside others, after some without a pause, so many a second; others never wait."""
    rates, burst = guard._Rates(), guard.WITHOUT_A_PAUSE
    alone = [rates.pause("flood", 1.0) for _ in range(1000)]
    rates.pause("other", 1.0)
    beside = [rates.pause("flood", 1.0) for _ in range(guard.MOST_A_SECOND)]
    after = rates.pause("flood", 1.0 + burst / guard.MOST_A_SECOND + 1.1)
    long = [rates.pause("flood", 20.0) for _ in range(burst)]

    assert alone == [0.0] * 1000
    assert beside == pytest.approx([n / guard.MOST_A_SECOND for n in range(1, guard.MOST_A_SECOND + 1)])
    assert rates.pause("other", 1.0) == after == 0.0
    assert long == [0.0] * burst
