"""
How far a run has come, and what stops it: whoever cancels it, another worker that took it over, and its longest time.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from sqlalchemy.exc import DBAPIError

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.runs.errors import RunCancelled, RunFailed
from bouquet.runs.services import Services
from bouquet.sources import Snapshot, SourceCancelled
from bouquet.store import runs as ledger
from bouquet.store.models import Run

__all__ = ["Progress", "watched"]

#: Seconds between two looks at whether a run was cancelled; progress is noted as often.
HEARTBEAT = 0.5


@dataclass
class Progress:
    """
    How far an attempt has come; written by the worker, read by its watcher.
    """

    stage: str = "counting"
    announced: int | None = None
    written: int = 0
    #: Why it is to stop.
    stop: BouquetError | None = None

    def __call__(self, stage: str, announced: int | None, written: int) -> None:
        self.stage, self.announced, self.written = stage, announced, written
        if self.stop is not None:
            raise self.stop


@contextmanager
def watched(services: Services, run: Run, snapshot: Snapshot, progress: Progress) -> Iterator[None]:
    """
    Note progress in the ledger, and stop the query when the run is cancelled or taken over, or takes too long.
    """
    over = threading.Event()
    latest = time.monotonic() + services.run_hours * 3_600
    # Said here, in the language of the run.
    cancelled = RunCancelled(tr("The run was cancelled."))
    late = RunFailed(
        tr(
            "It was not done after {hours} hours, the longest that a run may take.",
            hours=f"{services.run_hours:g}",
        )
    )

    def stop(why: BouquetError) -> None:
        progress.stop = why
        snapshot.cancel()

    def watch() -> None:
        while not over.wait(HEARTBEAT):
            if time.monotonic() > latest:
                stop(late)
                return
            facts = {
                "stage": progress.stage,
                "rows_announced": progress.announced,
                "rows_written": progress.written,
                "seen_at": services.clock(),
            }
            # The ledger may be out of reach for a moment; the run goes on and is noted later.
            with contextlib.suppress(DBAPIError), services.store.session() as session:
                if ledger.report_progress(session, run.id, run.attempt, **facts):
                    stop(cancelled)
                    return

    watcher = threading.Thread(target=watch, name=f"run-{run.id}-watch", daemon=True)
    watcher.start()
    try:
        yield
    except SourceCancelled as error:
        # The query was stopped for a reason.
        raise progress.stop or error from error
    finally:
        over.set()
        watcher.join()
