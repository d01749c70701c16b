"""
Work on rounds that can be made to die at its n-th step: `python -m tests.rounds.mortal STORE SOURCE FILES OUTGOING`.

Reads a list of workers a line, as JSON: what each does ("tick", "look", "work"), its clock, and the step before which it
is killed, or nothing. They work at the same time, each in a process of its own. Writes for each how many steps it came
through, or nothing where it was killed.
"""

from __future__ import annotations

import json
import os
import signal
import sys
import traceback
from datetime import datetime
from pathlib import Path
from typing import Any

import sqlalchemy as sa

from bouquet.rounds import make_queue, tick_rounds
from bouquet.rounds.watching import watch_rounds
from bouquet.runs import Services, execute
from bouquet.sources import Source
from bouquet.store import Store
from bouquet.store.models import Run

#: What changes files, as the interpreter tells it.
CHANGES = frozenset({"os.rename", "os.remove", "os.link", "os.mkdir", "os.truncate"})


class Steps:
    """Counts statements, commits and changes of files; ends this process before one of them, as a power cut would."""

    def __init__(self, fatal: int | None) -> None:
        self.come, self.fatal = 0, fatal
        sa.event.listen(sa.Engine, "before_cursor_execute", self.step)
        sa.event.listen(sa.Engine, "commit", self.step)
        sys.addaudithook(self.audited)

    def step(self, *_: Any) -> None:
        self.come += 1
        if self.come == self.fatal:
            os.kill(os.getpid(), signal.SIGKILL)

    def audited(self, name: str, arguments: tuple[Any, ...]) -> None:
        writes = name == "open" and isinstance(arguments[1], str) and set(arguments[1]) & set("wax+")
        if name in CHANGES or writes:
            self.step()


def do(services: Services, work: list[str]) -> None:
    queue = make_queue(services)
    with queue.opened():
        for part in work:
            if part == "tick":
                tick_rounds(services, queue)
            elif part == "look":
                watch_rounds(services, queue)
            else:
                with services.store.session() as session:
                    waiting = list(session.scalars(sa.select(Run.id).where(Run.status.in_(("asked", "running")))))
                for run_id in waiting:
                    execute(services, run_id)


def worker(order: dict[str, Any], store: str, source: str, files: str, outgoing: str) -> int:
    """Do the work in a process of its own. Returns the end of a pipe that says its steps."""
    reading, writing = os.pipe()
    if os.fork():
        os.close(writing)
        return reading
    try:
        moment, read = datetime.fromisoformat(order["clock"]), Source("yard", source)
        services = Services(Store(store), read, Path(files), Path(outgoing), clock=lambda: moment)
        read.catalogue()
        steps = Steps(order["fatal"])
        do(services, order["work"])
        os.write(writing, str(steps.come).encode())
    except BaseException:
        traceback.print_exc()
    finally:
        os._exit(0)


def main() -> None:
    for line in sys.stdin:
        pipes = [worker(order, *sys.argv[1:]) for order in json.loads(line)]
        come = []
        for pipe in pipes:
            with os.fdopen(pipe) as said:
                come.append(int(said.read() or 0) or None)
        for _ in pipes:
            os.wait()
        print(json.dumps(come), flush=True)


if __name__ == "__main__":
    main()
