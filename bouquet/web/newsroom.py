"""
News between the processes of a house: one connection of each listens for all of its browsers.

A notice only wakes: what is new is read from the records, so that one that is lost costs the time to the next look.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
from collections import defaultdict
from collections.abc import AsyncIterator, Callable, Iterator
from contextlib import asynccontextmanager, contextmanager

import psycopg
import sqlalchemy as sa
import structlog
from starlette.concurrency import run_in_threadpool

from bouquet.database_urls import watched_async
from bouquet.store import Store

__all__ = ["Newsroom"]

log = structlog.get_logger()

#: Channels: a person's number when something is new for them, and a bench that begins to count.
NEWS, COUNTING = "bouquet_news", "bouquet_counting"

#: Whose news is nobody's.
NOBODY = "0"

#: Seconds before a connection that was lost is made anew.
RENEWED = 2.0


class Newsroom:
    """
    Wakes those who wait for news of a person, and stops counts that a newer one elsewhere makes idle.

    Args:
        store: Whose channels are listened to.
        stop_count: Stops the count of a bench that is under way in this process, if it is older than this turn.
    """

    def __init__(self, store: Store, stop_count: Callable[[str, int], None]) -> None:
        self.store, self.stop_count = store, stop_count
        #: Whether notices arrive just now; whoever waits looks more often while they do not.
        self.listens = False
        self._waiting: dict[int, set[asyncio.Event]] = defaultdict(set)
        self._loop: asyncio.AbstractEventLoop | None = None

    @asynccontextmanager
    async def opened(self) -> AsyncIterator[None]:
        """
        Listen meanwhile.
        """
        self._loop = asyncio.get_running_loop()
        listening = asyncio.create_task(self._listen())
        try:
            yield
        finally:
            listening.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await listening

    @contextmanager
    def waiting(self, person: int) -> Iterator[asyncio.Event]:
        """
        An event that is set whenever something is new for a person.
        """
        event = asyncio.Event()
        self._waiting[person].add(event)
        try:
            yield event
        finally:
            self._waiting[person].discard(event)
            if not self._waiting[person]:
                del self._waiting[person]

    def listeners(self, person: int) -> int:
        """
        In how many windows a person listens in this process.
        """
        return len(self._waiting.get(person, ()))

    def wake_all(self) -> None:
        """
        Have everybody look; may be called from a signal's handler.
        """
        if self._loop is not None:
            self._loop.call_soon_threadsafe(self._wake_all)

    def announce_count(self, bench: str, turn: int) -> None:
        """
        Say to the other processes that a bench counts anew, and in which turn.
        """
        with self.store.session() as session:
            session.execute(sa.select(sa.func.pg_notify(COUNTING, f"{os.getpid()} {turn} {bench}")))

    async def _connection(self) -> psycopg.AsyncConnection[tuple[object, ...]]:
        # None of the store's own: that may close before this has ended.
        made = await psycopg.AsyncConnection.connect(self.store.url, autocommit=True, connect_timeout=5)
        try:
            await watched_async(made)
        except BaseException:
            await made.close()
            raise
        return made

    def _wake_all(self) -> None:
        for events in self._waiting.values():
            for event in events:
                event.set()

    async def _listen(self) -> None:
        while True:
            try:
                await self._listen_once()
            except (psycopg.Error, OSError) as error:
                log.warning("news_not_heard", error=str(error))
            self.listens = False
            self._wake_all()
            await asyncio.sleep(RENEWED)

    async def _listen_once(self) -> None:
        async with await self._connection() as connection:
            for channel in (NEWS, COUNTING):
                await connection.execute(psycopg.sql.SQL("LISTEN {}").format(psycopg.sql.Identifier(channel)))
            # What was said before is not heard: everybody looks once.
            self._wake_all()
            # Behind a pooler of connections nothing may ever be heard: what we say ourselves tells.
            async with await self._connection() as other:
                await other.execute("SELECT pg_notify(%s, %s)", (NEWS, NOBODY))
            async for notice in connection.notifies():
                self.listens = True
                await self._hear(notice.channel, notice.payload)

    async def _hear(self, channel: str, said: str) -> None:
        if channel == NEWS:
            for event in self._waiting.get(int(said) if said.isdecimal() else 0, ()):
                event.set()
            return
        process, turn, bench = said.split(" ", 2)
        if process != str(os.getpid()):
            await run_in_threadpool(self.stop_count, bench, int(turn))
