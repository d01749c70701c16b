"""
The life of a run: taken up, counted, written, delivered, entered in the ledger.

Every step can be repeated: an attempt writes into a folder of its own, and only the last attempt may end the run.
A worker killed anywhere is followed by another.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

import structlog
from sqlalchemy.exc import DBAPIError

from bouquet.core.errors import BouquetError, WriteError
from bouquet.core.naming import with_suffix
from bouquet.core.plan import resolve
from bouquet.core.template import read_document
from bouquet.runs.asking import as_format
from bouquet.runs.errors import FolderError, RunCancelled, error_facts
from bouquet.runs.export import Export, Exported
from bouquet.runs.services import Services
from bouquet.sources import Snapshot, SourceCancelled, SourceDown
from bouquet.store import runs as ledger
from bouquet.store.models import Run, RunFile

__all__ = ["ATTEMPTS", "execute", "outgoing_folder"]

log = structlog.get_logger()

#: Times a run is taken up before a failing source is final.
ATTEMPTS = 4

#: Seconds between two looks at whether a run was cancelled; progress is noted as often.
HEARTBEAT = 0.5


@dataclass
class _Progress:
    """
    How far an attempt has come; written by the worker, read by its watcher.
    """

    stage: str = "counting"
    announced: int | None = None
    written: int = 0
    stop: bool = False

    def __call__(self, stage: str, announced: int | None, written: int) -> None:
        self.stage, self.announced, self.written = stage, announced, written
        if self.stop:
            raise RunCancelled("The run was cancelled.")


def outgoing_folder(root: Path, folder: str) -> Path:
    """
    The folder a round writes into, below `root`. Raises FolderError when the name leads elsewhere.
    """
    parts = PurePosixPath(folder.strip()).parts
    if not parts or ".." in parts or parts[0] == "/" or any("\x00" in p or p.startswith(".") for p in parts):
        raise FolderError(" ".join((FolderError.__doc__ or "").split()))
    return root.joinpath(*parts)


def execute(services: Services, run_id: int) -> None:
    """
    Carry out a run that was asked for, and enter how it ended. Does nothing when it is over.

    Raises SourceDown or a database error while trying again may help; the caller repeats.
    """
    with services.store.session() as session:
        run = ledger.begin_attempt(session, run_id, services.clock())
    if run is None:
        return
    folder = services.files / str(run.id) / str(run.attempt)
    try:
        exported = _export(services, run, folder)
        delivered = _deliver(services, run, exported)
    except (SourceDown, DBAPIError) as error:
        if run.attempt < ATTEMPTS:
            log.warning("run_interrupted", run=run.id, attempt=run.attempt, error=str(error))
            raise
        _end(services, run, "failed", error)
    except (RunCancelled, SourceCancelled) as error:
        _end(services, run, "cancelled", error)
    except Exception as error:
        if not isinstance(error, BouquetError):
            log.exception("run_failed", run=run.id)
        _end(services, run, "failed", error)
    else:
        _end_ready(services, run, exported, delivered)
    _sweep(services, run)


def _export(services: Services, run: Run, folder: Path) -> Exported:
    template = as_format(read_document(run.document), run.format)
    context = services.context(
        run.as_of, answers=run.answers, scope=run.scope, template_id=run.template_id, run_id=run.id
    )
    plan = resolve(template, services.source.catalogue(), context).require()
    progress = _Progress()
    asked = {"run": run.id, "version": run.version, "asked_by": run.asked_by, "via": run.via}
    if run.purpose:
        asked["purpose"] = run.purpose
    with services.source.reader.snapshot() as snapshot, _watched(services, run, snapshot, progress):
        return Export(template, plan, run.format, folder, progress).write(snapshot, asked)


@contextmanager
def _watched(services: Services, run: Run, snapshot: Snapshot, progress: _Progress) -> Iterator[None]:
    """
    Note progress in the ledger, and stop the query when the run is cancelled or taken over.
    """
    over = threading.Event()

    def watch() -> None:
        while not over.wait(HEARTBEAT):
            facts = {
                "stage": progress.stage,
                "rows_announced": progress.announced,
                "rows_written": progress.written,
                "seen_at": services.clock(),
            }
            # The ledger may be out of reach for a moment; the run goes on and is noted later.
            with contextlib.suppress(DBAPIError), services.store.session() as session:
                if ledger.report_progress(session, run.id, run.attempt, **facts):
                    progress.stop = True
                    snapshot.cancel()
                    return

    watcher = threading.Thread(target=watch, name=f"run-{run.id}-watch", daemon=True)
    watcher.start()
    try:
        yield
    finally:
        over.set()
        watcher.join()


def _deliver(services: Services, run: Run, exported: Exported) -> str | None:
    """
    Copy the files into the round's folder: written beside, then renamed; an earlier run's file is never overwritten.

    The names are entered in the ledger first, so that a repeated delivery of the same run replaces its own files.
    Returns them, one a line.
    """
    if run.round_id is None:
        return None
    with services.store.session() as session:
        known = ledger.get_run(session, run.id)
        wanted = known.delivered_to
        if wanted is None:
            target = outgoing_folder(services.outgoing, ledger.round_folder(session, run.round_id))
            taken: list[Path] = []
            for file in exported.files:
                taken.append(_unused(target, file.path.name, taken))
            wanted = "\n".join(str(t.relative_to(services.outgoing)) for t in taken)
            known.delivered_to = wanted
    for file, name in zip(exported.files, wanted.split("\n"), strict=True):
        _put(file.path, services.outgoing / name, name, run.id)
    return wanted


def _put(made: Path, target: Path, name: str, run_id: int) -> None:
    beside = target.with_name(f".{target.name}.{run_id}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with made.open("rb") as source, beside.open("wb") as copy:
            shutil.copyfileobj(source, copy, 1 << 20)
            copy.flush()
            os.fsync(copy.fileno())
        beside.replace(target)
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise WriteError(f"The file could not be put into “{name}”: {reason}.") from error
    finally:
        with contextlib.suppress(OSError):
            beside.unlink(missing_ok=True)


def _unused(folder: Path, name: str, taken: list[Path]) -> Path:
    candidate, n = folder / name, 1
    while candidate.exists() or candidate in taken:
        n += 1
        candidate = folder / with_suffix(name, n)
    return candidate


def _end_ready(services: Services, run: Run, exported: Exported, delivered: str | None) -> None:
    files = [
        RunFile(
            run_id=run.id,
            name=file.path.name,
            path=str(file.path.relative_to(services.files)),
            media_type=file.media_type,
            size=file.size,
            rows=file.rows,
            sha256=file.sha256,
        )
        for file in exported.files
    ]
    with services.store.session() as session:
        ledger.finish_run(
            session,
            run.id,
            run.attempt,
            status="ready",
            now=services.clock(),
            files=files,
            notice=f"{run.name} is ready: {exported.rows:,} rows.",
            slip=exported.slip,
            rows_announced=exported.slip["rows_announced"],
            rows_written=exported.rows,
            delivered_to=delivered,
        )


def _end(services: Services, run: Run, status: str, error: BaseException) -> None:
    facts = error_facts(error)
    notice = f"{run.name} failed: {facts['message']}" if status == "failed" else None
    # The ledger must learn how it ended, also when its database is just coming back.
    for wait in (0.0, 1.0, 3.0, 10.0):
        time.sleep(wait)
        with contextlib.suppress(DBAPIError), services.store.session() as session:
            ledger.finish_run(
                session,
                run.id,
                run.attempt,
                status=status,
                now=services.clock(),
                notice=notice,
                error=facts if status == "failed" else None,
            )
            return


def _sweep(services: Services, run: Run) -> None:
    """
    Remove what attempts left behind that the ledger does not know.
    """
    with services.store.session() as session:
        kept = {f.path for f in ledger.get_run(session, run.id).files}
    home = services.files / str(run.id)
    for attempt in home.iterdir() if home.exists() else []:
        if not any(path.startswith(f"{run.id}/{attempt.name}/") for path in kept):
            shutil.rmtree(attempt, ignore_errors=True)
    with contextlib.suppress(OSError):
        home.rmdir()
