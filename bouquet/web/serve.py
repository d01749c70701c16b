"""
Web server and worker in one process: enough for one house.
"""

from __future__ import annotations

import asyncio
import contextlib
import socket
from types import FrameType

import uvicorn
from fastapi import FastAPI

from bouquet.rounds import make_queue
from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.store import people
from bouquet.web.app import create_app
from bouquet.web.routers.post_room import PostRoom

__all__ = ["bound_socket", "serve"]


def bound_socket(settings: Settings) -> socket.socket:
    """
    A socket bound to the address of the settings: what is printed of it is true from then on. Raises OSError.
    """
    family = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
    made = socket.socket(family, socket.SOCK_STREAM)
    made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        made.bind((settings.host, settings.port))
        # Who opens the printed address at once waits for the server, and is not turned away.
        made.listen()
    except OSError:
        made.close()
        raise
    return made


def serve(
    services: Services,
    settings: Settings,
    listening: socket.socket | None = None,
    post_room: PostRoom | None = None,
) -> None:
    """
    Serve until stopped, on a socket that is bound already, or on one of its own. Raises OSError where the address is
    taken. The demonstration has a `post_room`.
    """
    with listening if listening is not None else bound_socket(settings) as bound:
        asyncio.run(_serve(services, settings, bound, post_room))


async def _serve(
    services: Services, settings: Settings, bound: socket.socket, post_room: PostRoom | None = None
) -> None:
    queue = make_queue(services)
    if services.store.is_empty():
        services.store.migrate()
        queue.install()
    app = create_app(services, queue, settings)
    app.state.post_room = post_room
    with services.store.session() as session:
        if people.is_nobody(session):
            host, port = bound.getsockname()[:2]
            address = f"http://{f'[{host}]' if ':' in host else host}:{port}/?start={app.state.first_code}"
            print(f"Nobody is here yet. The first administrator opens {address}", flush=True)
    config = uvicorn.Config(
        app, host=settings.host, port=settings.port, log_level="warning", timeout_graceful_shutdown=3
    )
    server = _Server(config, app)
    worker = asyncio.create_task(queue.work(concurrency=settings.worker_concurrency))
    try:
        await server.serve(sockets=[bound])
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
