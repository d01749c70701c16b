"""
What workers do: runs as they are asked for, rounds by the clock.
"""

from __future__ import annotations

import asyncio
import contextlib
import signal

from bouquet.rounds.calendar import tick_rounds
from bouquet.runs import Queue, Services

__all__ = ["make_queue", "work"]

#: Every five seconds (the sixth field) the workers look whether a round is due; each tick is done by one of them.
TICK = "* * * * * */5"


def make_queue(services: Services) -> Queue:
    """
    The queue with everything that workers do.
    """
    queue = Queue(services)
    queue.add_periodic("tick_rounds", TICK, lambda: tick_rounds(services, queue))
    return queue


def work(services: Services, *, concurrency: int) -> None:
    """
    Work without a web server, until stopped.
    """

    async def main() -> None:
        queue = make_queue(services)
        with queue.opened():
            worker = asyncio.create_task(queue.work(concurrency=concurrency))
            for number in (signal.SIGINT, signal.SIGTERM):
                asyncio.get_running_loop().add_signal_handler(number, worker.cancel)
            with contextlib.suppress(asyncio.CancelledError):
                await worker

    asyncio.run(main())
