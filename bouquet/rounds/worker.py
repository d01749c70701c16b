"""
What workers do: runs as they are asked for, rounds by the clock.
"""

from __future__ import annotations

import asyncio
import contextlib
import signal
from functools import partial

import structlog

from bouquet.delivery import deliver_due, end_old_links
from bouquet.processes import keep_loaded
from bouquet.rounds.listening import listen
from bouquet.rounds.ticking import tick_rounds
from bouquet.rounds.watching import watch_rounds
from bouquet.runs import Queue, Services, claim_at_start
from bouquet.runs.drift import look_for_drift
from bouquet.store import STORE_AWAY, care, deliveries, journal

__all__ = ["make_queue", "read_sources", "work"]

#: Every five seconds (the sixth field) the workers look whether a round is due; each tick is done by one of them.
TICK = "* * * * * */5"


#: Every half minute the journal is sealed.
SEAL = "* * * * * */30"

#: Every hour the sources are read again.
READ = "7 * * * *"

log = structlog.get_logger()


def read_sources(services: Services) -> None:
    """
    Read every source again, and pause the rounds that no longer get what they ask for.
    """
    failures = []
    for key in services.sources.listed():
        try:
            look_for_drift(services, services.sources.get(key))
        except STORE_AWAY:
            raise
        except Exception as error:
            # One source that is away keeps nobody else's from being read.
            log.warning("source_not_read", source=key, error=str(error))
            failures.append(f"{key or 'the source in the settings'}: {error}")
    with services.store.session() as session:
        care.note_care(session, "sources", failures, services.clock())


def _send_out(services: Services, queue: Queue, run_id: int) -> None:
    with services.store.session() as session:
        due = deliveries.due_lines(session, services.clock(), run_id)
    for line in due:
        queue.put_recipient(*line)


def look_after_deliveries(services: Services, queue: Queue) -> None:
    """
    Wake workers for every delivery that is due, also those that a worker broke off, and end links that ran out.
    """
    failures = []
    try:
        with services.store.session() as session:
            due = deliveries.due_lines(session, services.clock())
        for line in due:
            queue.put_recipient(*line)
        end_old_links(services)
    except STORE_AWAY:
        raise
    except Exception as error:
        log.warning("deliveries_not_looked_after", error=str(error))
        failures.append(str(error))
    with services.store.session() as session:
        care.note_care(session, "deliveries", failures, services.clock())


def seal_journal(services: Services) -> None:
    """
    Seal what was written into the journal since the last time, and let go of what is older than the house keeps.
    """
    sealed = 1
    while sealed:
        with services.store.session() as session:
            sealed = journal.seal_entries(session, services.clock())
    retired = services.journal_days
    while retired:
        with services.store.session() as session:
            retired = journal.retire_entries(session, services.clock(), services.journal_days)
    with services.store.session() as session:
        care.note_care(session, "journal", [], services.clock())


def make_queue(services: Services) -> Queue:
    """
    The queue with everything that workers do.
    """
    queue = Queue(services)
    queue.add_periodic("tick_rounds", TICK, lambda: tick_rounds(services, queue))
    queue.add_periodic("watch_rounds", TICK, lambda: watch_rounds(services, queue))
    queue.add_deliveries(partial(deliver_due, services), partial(_send_out, services, queue))
    queue.add_periodic("look_after_deliveries", TICK, lambda: look_after_deliveries(services, queue))
    queue.add_beside(lambda: listen(services, lambda: watch_rounds(services, queue)))
    queue.add_periodic("seal_journal", SEAL, lambda: seal_journal(services))
    queue.add_periodic("read_sources", READ, lambda: read_sources(services))
    return queue


def work(services: Services, *, concurrency: int) -> None:
    """
    Work without a web server, until stopped. Raises OtherVersion, and OthersFiles where the file store is another
    house's.
    """
    services.store.check_version()
    claim_at_start(services)

    async def main() -> None:
        queue = make_queue(services)
        keep_loaded()
        with queue.opened():
            worker = asyncio.create_task(queue.work(concurrency=concurrency))
            for number in (signal.SIGINT, signal.SIGTERM):
                asyncio.get_running_loop().add_signal_handler(number, worker.cancel)
            with contextlib.suppress(asyncio.CancelledError):
                await worker

    asyncio.run(main())
