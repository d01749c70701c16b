"""
Web server and worker in one process: enough for one house. On a machine with many processors, further processes of the
web server on the same socket.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import secrets
import socket
import sys
import threading
from types import FrameType

import structlog
import uvicorn
from fastapi import FastAPI
from pydantic import SecretStr

from bouquet.processes import keep_loaded
from bouquet.rounds import make_queue
from bouquet.runs import Queue, Services, claim_at_start
from bouquet.settings import Settings
from bouquet.store import people
from bouquet.web.app import create_app
from bouquet.web.connections import Connection, open_many_files
from bouquet.web.routers.post_room import PostRoom

__all__ = ["bound_socket", "serve", "serve_beside"]

log = structlog.get_logger()

#: Seconds before a process of the web server that ended is begun anew.
BEGUN_ANEW = 1.0


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
    taken, OtherVersion where the tables are of an older version, and OthersFiles where the file store is another
    house's. The demonstration has a `post_room`.
    """
    if services.store.is_empty():
        services.store.migrate()
        Queue(services).install()
    services.store.check_version()
    claim_at_start(services)
    with listening if listening is not None else bound_socket(settings) as bound:
        asyncio.run(_serve(services, settings, bound, post_room))


async def _serve(
    services: Services, settings: Settings, bound: socket.socket, post_room: PostRoom | None = None
) -> None:
    queue = make_queue(services)
    os.environ["BOUQUET_FIRST_CODE"] = code = settings.first_code.get_secret_value() or secrets.token_urlsafe(9)
    app = create_app(services, queue, settings.model_copy(update={"first_code": SecretStr(code)}))
    app.state.post_room = post_room
    with services.store.session() as session:
        if people.is_nobody(session):
            host, port = bound.getsockname()[:2]
            address = f"http://{f'[{host}]' if ':' in host else host}:{port}/?start={app.state.first_code}"
            print(f"Nobody is here yet. The first administrator opens {address}", flush=True)
    worker = asyncio.create_task(queue.work(concurrency=settings.worker_concurrency))
    beside = [asyncio.create_task(_keep_beside(bound)) for _ in range(settings.web_processes - 1)]
    try:
        await _server(app, settings).serve(sockets=[bound])
    finally:
        for task in (*beside, worker):
            task.cancel()
        with contextlib.suppress(asyncio.CancelledError, TimeoutError):
            await asyncio.wait_for(asyncio.gather(*beside, worker, return_exceptions=True), timeout=10)


async def _keep_beside(bound: socket.socket) -> None:
    """
    Keep one more process of the web server on a socket until cancelled: one that ends is begun anew.
    """
    # It ends with its standard input, and so with us, however we end.
    command = (sys.executable, "-m", "bouquet.cli", "serve-beside", str(bound.fileno()))
    while True:
        process = await asyncio.create_subprocess_exec(
            *command, stdin=asyncio.subprocess.PIPE, pass_fds=(bound.fileno(),)
        )
        try:
            status = await process.wait()
        except asyncio.CancelledError:
            process.terminate()
            await process.wait()
            raise
        log.warning("web_process_ended", status=status)
        await asyncio.sleep(BEGUN_ANEW)


def serve_beside(services: Services, settings: Settings, listening: int) -> None:
    """
    Serve, without a worker, on a socket that another process bound and passed on, until standard input ends.
    """
    app = create_app(services, make_queue(services), settings)
    server = _server(app, settings)

    def watch() -> None:
        sys.stdin.buffer.read()
        app.state.stopping = server.should_exit = True
        app.state.newsroom.wake_all()

    threading.Thread(target=watch, name="watches the first process", daemon=True).start()
    with socket.socket(fileno=listening) as bound:
        asyncio.run(server.serve(sockets=[bound]))


def _server(app: FastAPI, settings: Settings) -> _Server:
    keep_loaded()
    open_many_files()
    config = uvicorn.Config(
        app,
        log_level="warning",
        timeout_graceful_shutdown=3,
        http=Connection,
        forwarded_allow_ips=settings.proxies.split(","),
    )
    return _Server(config, app)


class _Server(uvicorn.Server):
    """
    Ends listening streams as soon as it is asked to stop.
    """

    def __init__(self, config: uvicorn.Config, app: FastAPI) -> None:
        super().__init__(config)
        self.app = app

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        self.app.state.stopping = True
        self.app.state.newsroom.wake_all()
        super().handle_exit(sig, frame)
