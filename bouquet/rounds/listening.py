"""
NOTIFY of a source's PostgreSQL: rounds that wait for something there look at once, instead of at their next look.

A notice only wakes: what there is to do is found in the records. One that is lost costs the time to the next look.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable

import psycopg
import sqlalchemy as sa
import structlog
from psycopg import sql

from bouquet.core.errors import BouquetError
from bouquet.database_urls import backend_of, watched_async, watched_url
from bouquet.runs import Services
from bouquet.sources import Source
from bouquet.store.models import Round

__all__ = ["channels_of", "listen", "wake"]

log = structlog.get_logger()

#: Seconds between two looks at which channels there are, and before a connection that was lost is made anew.
RENEWED = 5.0

#: Seconds for which notices are gathered after one, before rounds look.
GATHERED = 0.2


def channels_of(services: Services) -> dict[str, frozenset[str]]:
    """
    The channels that rounds wait on, by source.
    """
    query = sa.select(Round).where(
        Round.trigger.in_(("appears", "closes")), Round.deleted_at.is_(None), ~Round.paused, Round.event.is_not(None)
    )
    found: dict[str, set[str]] = {}
    with services.store.session() as session:
        for round_ in session.scalars(query):
            channel = str((round_.event or {}).get("channel", ""))
            if channel:
                found.setdefault(round_.template.source, set()).add(channel)
    return {source: frozenset(channels) for source, channels in found.items()}


def wake(services: Services, source: str, channel: str) -> bool:
    """
    Have the rounds that wait on a channel look now. Returns whether there are any.
    """
    now, woken = services.clock(), False
    query = sa.select(Round).where(
        Round.trigger.in_(("appears", "closes")), Round.deleted_at.is_(None), ~Round.paused, Round.event.is_not(None)
    )
    with services.store.session() as session:
        for round_ in session.scalars(query.with_for_update(of=Round)):
            if round_.template.source == source and (round_.event or {}).get("channel") == channel:
                round_.look_at, woken = now, True
    return woken


async def listen(services: Services, look: Callable[[], object]) -> None:
    """
    Listen until cancelled; `look()` is called after a notice, when rounds are to look.
    """
    listening: dict[tuple[str, frozenset[str]], asyncio.Task[None]] = {}
    try:
        while True:
            wanted: set[tuple[str, frozenset[str]]] = set()
            try:
                wanted = set((await asyncio.to_thread(channels_of, services)).items())
            except Exception as error:
                # The store is away: what is listened to stays so.
                log.warning("channels_not_read", error=str(error))
                wanted = set(listening)
            for known in [k for k, task in listening.items() if k not in wanted or task.done()]:
                listening.pop(known).cancel()
            for source, channels in wanted - set(listening):
                task = asyncio.create_task(_listen_to(services, source, channels, look))
                listening[(source, channels)] = task
            await asyncio.sleep(RENEWED)
    finally:
        for task in listening.values():
            task.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await asyncio.gather(*listening.values(), return_exceptions=True)


async def _noticed(connection: psycopg.AsyncConnection) -> list[str]:
    """
    Wait for a notice; the channels of all that came with it. A source may send one for each of a million rows.
    """
    first = {notice.channel async for notice in connection.notifies(stop_after=1)}
    others = {notice.channel async for notice in connection.notifies(timeout=GATHERED)}
    return sorted(first | others)


async def _listen_to(services: Services, source: str, channels: frozenset[str], look: Callable[[], object]) -> None:
    try:
        found = await asyncio.to_thread(services.source_of, source)
        if not isinstance(found, Source) or backend_of(found.url) != "postgresql":
            # Others know no NOTIFY; their rounds look in their rhythm. Nothing to do until the channels change.
            await asyncio.Event().wait()
            return
        async with await psycopg.AsyncConnection.connect(watched_url(found.url), autocommit=True) as connection:
            await watched_async(connection)
            for channel in sorted(channels):
                await connection.execute(sql.SQL("LISTEN {}").format(sql.Identifier(channel)))
            while True:
                woken = [await asyncio.to_thread(wake, services, source, c) for c in await _noticed(connection)]
                if any(woken):
                    await asyncio.to_thread(look)
    except asyncio.CancelledError:
        raise
    except (psycopg.Error, OSError, BouquetError, sa.exc.SQLAlchemyError) as error:
        log.warning("not_listening", source=source, error=str(error))
