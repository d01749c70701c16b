"""
The life of a run: taken up, counted, written, checked, delivered, entered in the ledger.

Every step can be repeated: an attempt writes into a folder of its own, and only the last attempt may end the run.
A worker killed anywhere is followed by another.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import Any

import structlog
from sqlalchemy.exc import DBAPIError

from bouquet.core.errors import BouquetError
from bouquet.core.plan import Plan, resolve
from bouquet.core.template import Template, read_bundle, read_document
from bouquet.runs.asking import as_format
from bouquet.runs.bundling import export_bundle
from bouquet.runs.delivering import deliver
from bouquet.runs.errors import RunCancelled, RunFailed, error_facts
from bouquet.runs.export import Export, Exported
from bouquet.runs.services import Services
from bouquet.sources import Snapshot, SourceCancelled, SourceDown
from bouquet.store import runs as ledger
from bouquet.store.models import Run, RunFile

__all__ = ["ATTEMPTS", "execute"]

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


@dataclass
class _Planned:
    """
    What a run comes to against its source as it is now.
    """

    name: str
    parts: list[tuple[Template, Plan]]
    keep_days: int | None

    @property
    def alone(self) -> tuple[Template, Plan] | tuple[None, None]:
        """
        The one template of a run that is no bundle.
        """
        return self.parts[0] if len(self.parts) == 1 else (None, None)


def execute(services: Services, run_id: int) -> None:
    """
    Carry out a run that was asked for, and enter how it ended. Does nothing when it is over.

    Raises SourceDown or a database error while trying again may help; the caller repeats.
    """
    with services.store.session() as session:
        run = ledger.begin_attempt(session, run_id, services.clock())
    if run is None:
        return
    if run.status == "releasing":
        _release(services, run)
        return
    try:
        _carry_out(services, run, _planned(services, run))
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
    _sweep(services, run)


def _release(services: Services, run: Run) -> None:
    """
    Deliver what was held. Where that cannot be done it waits again, with the reason.
    """
    try:
        delivered = deliver(services, run, run.files, lambda: _planned(services, run).alone)
    except (BouquetError, OSError) as error:
        facts = error_facts(error)
        notice = f"{run.name} could not be delivered: {facts['message']}"
        _finish(services, run, status="held", notice=notice, error=facts)
    else:
        _end_ready(services, run, delivered=delivered, error=None)


def _planned(services: Services, run: Run) -> _Planned:
    """
    The plans of a run. Raises PlanError where the source no longer gives what they ask for.
    """
    catalogue = services.source_of(run.source).catalogue()
    context = services.context(
        run.as_of, answers=run.answers, scope=run.scope, template_id=run.template_id, run_id=run.id
    )
    if run.is_bundle:
        bundle = read_bundle(run.document)
        parts = [(t, resolve(t, catalogue, context).require()) for t in bundle.parts]
        return _Planned(bundle.name, parts, None)
    template = as_format(read_document(run.document), run.format)
    return _Planned(
        template.name, [(template, resolve(template, catalogue, context).require())], template.output.keep_days
    )


def _carry_out(services: Services, run: Run, planned: _Planned) -> None:
    """
    Count, write, check; then deliver, or let it wait for a person.
    """
    folder = services.storage.workplace(run.id, run.attempt)
    exported = _export(services, run, planned, folder)
    facts: dict[str, Any] = {
        "slip": exported.slip,
        "findings": list(exported.findings),
        "objections": exported.objections,
        "verdict": exported.verdict,
        "personal": len(exported.slip["personal_fields"]),
        "rows_announced": exported.slip["rows_announced"],
        "rows_written": exported.rows,
    }
    if exported.verdict == "stop":
        exported.slip["files"] = []
        said = "; ".join(c["words"] for c in exported.slip["checks"] if c["objections"] and c["severity"] == "stop")
        error = RunFailed(f"A check stopped it, and nothing is made available: {said}.")
        _end(services, run, "failed", error, **facts)
        return
    files = _kept(services, run, exported)
    days = planned.keep_days if planned.keep_days is not None else services.keep_days
    facts["keep_until"] = services.clock() + timedelta(days=days)
    if exported.verdict == "hold":
        held = [c["words"] for c in exported.slip["checks"] if c["objections"] and c["severity"] == "hold"]
        notice = f"{run.name} waits for you: {'; '.join(held)}."
        _finish(services, run, status="held", files=files, notice=notice, **facts)
        return
    _end_ready(services, run, files, _deliver(services, run, files, planned), **facts)


def _export(services: Services, run: Run, planned: _Planned, folder: Path) -> Exported:
    progress = _Progress()
    asked = {"run": run.id, "version": run.version, "asked_by": run.asked_by, "via": run.via}
    if run.purpose:
        asked["purpose"] = run.purpose
    reader = services.source_of(run.source).reader
    with reader.snapshot(pooled=True) as snapshot, _watched(services, run, snapshot, progress):
        if run.is_bundle:
            return export_bundle(planned.name, planned.parts, folder, snapshot, asked, progress)
        template, plan = planned.parts[0]
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


def _kept(services: Services, run: Run, exported: Exported) -> list[RunFile]:
    """
    Put the files where they stay.
    """
    files = [
        RunFile(
            run_id=run.id,
            name=file.path.name,
            path=services.storage.keep(run.id, run.attempt, file.path),
            media_type=file.media_type,
            size=file.size,
            rows=file.rows,
            sha256=file.sha256,
            role=file.role,
        )
        for file in exported.files
    ]
    services.storage.leave(run.id, run.attempt)
    return files


def _deliver(services: Services, run: Run, files: list[RunFile], planned: _Planned) -> str | None:
    return deliver(services, run, files, lambda: planned.alone) if run.round_id is not None else None


def _end_ready(
    services: Services, run: Run, files: Sequence[RunFile] = (), delivered: str | None = None, **facts: Any
) -> None:
    rows = facts.get("rows_written", run.rows_written)
    notice = f"{run.name} is ready: {rows:,} rows."
    facts |= {"delivered_to": delivered} if delivered else {}
    _finish(services, run, status="ready", files=files, notice=notice, **facts)


def _finish(services: Services, run: Run, **facts: Any) -> None:
    with services.store.session() as session:
        ledger.finish_run(session, run.id, run.attempt, now=services.clock(), **facts)


def _end(services: Services, run: Run, status: str, error: BaseException, **facts: Any) -> None:
    said = error_facts(error)
    notice = f"{run.name} failed: {said['message']}" if status == "failed" else None
    # The ledger must learn how it ended, also when its database is just coming back.
    for wait in (0.0, 1.0, 3.0, 10.0):
        time.sleep(wait)
        with contextlib.suppress(DBAPIError):
            _finish(services, run, status=status, notice=notice, error=said if status == "failed" else None, **facts)
            return


def _sweep(services: Services, run: Run) -> None:
    """
    Remove what attempts left behind that the ledger does not know. An attempt that was overtaken touches nothing but
    its own.
    """
    with services.store.session() as session:
        known = ledger.get_run(session, run.id)
        kept = {f.path for f in known.files if f.removed_at is None}
    services.storage.leave(run.id, run.attempt)
    last = known.attempt == run.attempt
    services.storage.clear(run.id, kept, None if last else run.attempt)
