"""
Web server and worker in one process: enough for one house.
"""

from __future__ import annotations

import asyncio
import contextlib
from types import FrameType

import uvicorn
from fastapi import FastAPI

from bouquet.rounds import make_queue
from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.web.app import create_app

__all__ = ["serve"]


def serve(services: Services, settings: Settings) -> None:
    """
    Serve until stopped.
    """
    asyncio.run(_serve(services, settings))


async def _serve(services: Services, settings: Settings) -> None:
    queue = make_queue(services)
    app = create_app(services, queue, settings)
    config = uvicorn.Config(
        app, host=settings.host, port=settings.port, log_level="warning", timeout_graceful_shutdown=3
    )
    server = _Server(config, app)
    worker = asyncio.create_task(queue.work(concurrency=settings.worker_concurrency))
    try:
        await server.serve()
    finally:
        worker.cancel()
        with contextlib.suppress(asyncio.CancelledError, TimeoutError):
            await asyncio.wait_for(worker, timeout=10)


class _Server(uvicorn.Server):
    """
    Ends listening streams as soon as it is asked to stop.
    """

    def __init__(self, config: uvicorn.Config, app: FastAPI) -> None:
        super().__init__(config)
        self.app = app

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        self.app.state.stopping = True
        super().handle_exit(sig, frame)
