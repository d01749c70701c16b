"""
The life of a run: taken up, under way, made, ended, reviewed. What is remembered of it follows in the same transaction.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session, lazyload

from bouquet.core.language import tr
from bouquet.store import deliveries, memory, outgoing
from bouquet.store.errors import NotFound, NotPossible
from bouquet.store.models import ACTIVE, LATER, Run, RunFile
from bouquet.store.notices import notify

__all__ = [
    "begin_attempt",
    "discard_run",
    "enter_made",
    "files_kept",
    "finish_run",
    "release_run",
    "report_progress",
    "request_cancel",
]

#: A run without its files and places: small runs are ended by the thousand, and most have no use for them.
_BARE = (lazyload(Run.files), lazyload(Run.placings))


def begin_attempt(session: Session, run_id: int, now: datetime) -> Run | None:
    """
    Take up a run that is not over. Returns None when it is over.
    """
    run = session.get(Run, run_id, with_for_update={"of": Run})
    if run is None or run.status not in ACTIVE:
        return None
    run.attempt += 1
    run.tries += 1
    run.seen_at = now
    if run.status == "releasing" or run.stage == "delivering":
        session.flush()
        return run
    run.status, run.stage = "running", "counting"
    run.started_at = run.started_at or now
    run.seen_at = now
    run.rows_written, run.rows_announced = 0, None
    session.flush()
    return run


def report_progress(session: Session, run_id: int, attempt: int, **facts: Any) -> bool:
    """
    Note how far an attempt has come. Returns whether it should stop: cancelled, or taken over by another worker.
    """
    query = (
        sa.update(Run)
        .where(Run.id == run_id, Run.attempt == attempt, Run.status == "running")
        .values(**facts)
        .returning(Run.cancel_requested)
    )
    found = session.execute(query).first()
    return found is None or bool(found[0])


def enter_made(
    session: Session, run_id: int, attempt: int, *, files: Sequence[RunFile], now: datetime, **facts: Any
) -> bool:
    """
    Enter what an attempt made, before it is delivered. From here on the run is neither cancelled nor made anew.

    Returns False, and changes nothing, when the run was cancelled or another attempt has taken it over.
    """
    run = session.get(Run, run_id, with_for_update={"of": Run}, populate_existing=True, options=_BARE)
    if run is None or run.attempt != attempt or run.status != "running" or run.cancel_requested:
        return False
    run.stage, run.seen_at = "delivering", now
    for name, value in facts.items():
        setattr(run, name, value)
    _put_files(session, run, files)
    return True


def files_kept(session: Session, run_id: int) -> tuple[int, set[str]]:
    """
    The number of a run's last attempt, and the paths of the files that it has.
    """
    query = (
        sa.select(Run.attempt, RunFile.path)
        .outerjoin(RunFile, sa.and_(RunFile.run_id == Run.id, RunFile.removed_at.is_(None)))
        .where(Run.id == run_id)
    )
    found = session.execute(query).all()
    if not found:
        msg = tr("There is no run {run_id}.", run_id=run_id)
        raise NotFound(msg)
    return found[0].attempt, {row.path for row in found if row.path is not None}


def _put_files(session: Session, run: Run, files: Sequence[RunFile]) -> None:
    """
    The files of a run, in the place of those of an earlier attempt.
    """
    if files:
        session.execute(sa.delete(RunFile).where(RunFile.run_id == run.id, RunFile.role.not_in(LATER)))
        session.add_all(files)
    session.flush()
    # Whoever wants them looks them up anew.
    session.expire(run, ["files"])


def finish_run(
    session: Session,
    run_id: int,
    attempt: int,
    *,
    status: str,
    now: datetime,
    files: Sequence[RunFile] = (),
    notice: str | None = None,
    **facts: Any,
) -> bool:
    """
    End a run, with its files and its notice, in this transaction.

    Returns False, and changes nothing, when this attempt is not the one that may end it.
    """
    run = session.get(Run, run_id, with_for_update={"of": Run}, populate_existing=True, options=_BARE)
    if run is None or run.attempt != attempt or run.status not in ("running", "releasing"):
        return False
    if run.cancel_requested and run.stage != "delivering" and status in ("ready", "held"):
        status, files, facts, notice = "cancelled", (), {}, None
    run.status = run.stage = status
    run.finished_at = now
    for name, value in facts.items():
        setattr(run, name, value)
    _put_files(session, run, files)
    if status == "ready":
        # What is sent to recipients is remembered when it has arrived.
        if not outgoing.enter(session, run, now):
            memory.advance(session, run, 0, now)
    elif status != "held":
        memory.drop_pending(session, run_id)
    if notice:
        notify(session, [run.person_id], run.id, notice, now)
    session.flush()
    return True


def request_cancel(session: Session, run_id: int, now: datetime) -> Run:
    """
    Ask for a run to stop. One that no worker has taken up is over at once; one that is over stays as it is.
    """
    run = session.get(Run, run_id, with_for_update={"of": Run})
    if run is None:
        msg = tr("There is no run {run_id}.", run_id=run_id)
        raise NotFound(msg)
    if run.status == "asked":
        run.status = run.stage = "cancelled"
        run.finished_at = now
    elif run.status == "running" and run.stage != "delivering":
        run.cancel_requested = True
    elif run.status in ("running", "releasing"):
        msg = tr("Run {run_id} is made and on its way; it can no longer be cancelled.", run_id=run_id)
        raise NotPossible(msg)
    session.flush()
    return run


def release_run(session: Session, run_id: int, by: str, reason: str, now: datetime) -> Run:
    """
    Let a held run go out: ready at once, or, where there is something to deliver, when a worker has done so.

    Raises NotFound, and NotPossible for a run that does not wait.
    """
    run = _reviewed(session, run_id, ("held",), "released", by, reason, now)
    run.status = run.stage = "releasing" if run.round_id is not None else "ready"
    run.tries = 0
    if run.status == "ready":
        memory.advance(session, run, 0, now)
    session.flush()
    return run


def discard_run(session: Session, run_id: int, by: str, reason: str, now: datetime) -> Run:
    """
    Put a run's files away for good; the run stays. The files are marked here and removed by the caller.

    Raises NotFound, and NotPossible for a run that made none.
    """
    run = _reviewed(session, run_id, ("held", "ready"), "discarded", by, reason, now)
    run.status = run.stage = "discarded"
    for file in run.files:
        file.removed_at = file.removed_at or now
    memory.take_back(session, run)
    deliveries.stop_all(session, run.id, by, now)
    session.flush()
    return run


def _reviewed(
    session: Session, run_id: int, statuses: tuple[str, ...], what: str, by: str, reason: str, now: datetime
) -> Run:
    run = session.get(Run, run_id, with_for_update={"of": Run}, populate_existing=True, options=_BARE)
    if run is None:
        msg = tr("There is no run {run_id}.", run_id=run_id)
        raise NotFound(msg)
    if run.status not in statuses:
        said = tr("is under way") if run.status in ACTIVE else tr("is {status}", status=run.status)
        msg = tr("Run {run_id} {said}; it cannot be {what}.", run_id=run_id, said=said, what=what)
        raise NotPossible(msg)
    run.reviewed_by, run.reviewed_at, run.review_reason = by, now, reason
    return run
