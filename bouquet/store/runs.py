"""
The ledger: every run, its files, its notices.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.errors import NotFound
from bouquet.store.models import ACTIVE, Notice, Round, Run, RunFile

__all__ = [
    "ONCE",
    "add_run",
    "begin_attempt",
    "finish_run",
    "get_run",
    "last_delivered",
    "last_rows",
    "last_runs",
    "list_notices",
    "list_runs",
    "read_notices",
    "report_progress",
    "request_cancel",
    "round_folder",
    "waiting_runs",
]


#: What `via` says of a run that was limited for once: it shows how a file would look, and counts for nothing later.
ONCE = "once"


def add_run(session: Session, run: Run) -> Run:
    """
    Enter a run. One that the same person asked for under the same key before is returned instead.
    """
    if run.idempotency_key is not None:
        query = sa.select(Run).where(Run.person_id == run.person_id, Run.idempotency_key == run.idempotency_key)
        if earlier := session.scalars(query).first():
            return earlier
    session.add(run)
    session.flush()
    return run


def get_run(session: Session, run_id: int) -> Run:
    """
    One run. Raises NotFound.
    """
    run = session.get(Run, run_id)
    if run is None:
        msg = f"There is no run {run_id}."
        raise NotFound(msg)
    return run


def list_runs(
    session: Session,
    *,
    before: int | None = None,
    at_most: int = 50,
    template_id: int | None = None,
    status: str | None = None,
    search: str | None = None,
    person_id: int | None = None,
    round_id: int | None = None,
) -> Sequence[Run]:
    """
    Runs, newest first; `before` is the number of the last run of the page before.
    """
    query = sa.select(Run).options(sa.orm.defer(Run.document), sa.orm.defer(Run.slip))
    if before is not None:
        query = query.where(Run.id < before)
    if template_id is not None:
        query = query.where(Run.template_id == template_id)
    if person_id is not None:
        query = query.where(Run.person_id == person_id)
    if round_id is not None:
        query = query.where(Run.round_id == round_id)
    if status is not None:
        query = query.where(Run.status == status)
    if search:
        pattern = search.strip()
        query = query.where(
            sa.or_(Run.name.icontains(pattern, autoescape=True), Run.asked_by.icontains(pattern, autoescape=True))
        )
    return session.scalars(query.order_by(Run.id.desc()).limit(at_most)).all()


def last_runs(session: Session, template_ids: Iterable[int]) -> dict[int, Run]:
    """
    The newest run of each template.
    """
    newest = sa.select(sa.func.max(Run.id)).where(Run.template_id.in_(list(template_ids))).group_by(Run.template_id)
    query = sa.select(Run).options(sa.orm.defer(Run.document), sa.orm.defer(Run.slip)).where(Run.id.in_(newest))
    return {run.template_id: run for run in session.scalars(query) if run.template_id is not None}


def last_rows(session: Session, template_ids: Iterable[int], count: int = 8) -> dict[int, list[int]]:
    """
    The row counts of the last `count` ready runs of each template, oldest first.
    """
    ranked = (
        sa.select(
            Run.template_id,
            Run.rows_written,
            Run.id,
            sa.func.row_number().over(partition_by=Run.template_id, order_by=Run.id.desc()).label("n"),
        )
        .where(Run.template_id.in_(list(template_ids)), Run.status == "ready", Run.via != ONCE)
        .subquery()
    )
    found: dict[int, list[int]] = {}
    query = sa.select(ranked.c.template_id, ranked.c.rows_written).where(ranked.c.n <= count).order_by(ranked.c.id)
    for template_id, rows in session.execute(query):
        found.setdefault(template_id, []).append(rows)
    return found


def last_delivered(session: Session, template_id: int, before: int | None = None) -> tuple[datetime | None, int]:
    """
    As-of moment of the last ready run of a template, and how many there were; only runs before `before` count, and
    none that were limited for once.
    """
    query = sa.select(sa.func.max(Run.as_of), sa.func.count()).where(
        Run.template_id == template_id, Run.status == "ready", Run.via != ONCE
    )
    moment, count = session.execute(query if before is None else query.where(Run.id < before)).one()
    return moment, count


def begin_attempt(session: Session, run_id: int, now: datetime) -> Run | None:
    """
    Take up a run that is not over. Returns None when it is over.
    """
    run = session.get(Run, run_id, with_for_update={"of": Run})
    if run is None or run.status not in ACTIVE:
        return None
    run.attempt += 1
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
    run = session.get(Run, run_id, with_for_update={"of": Run}, populate_existing=True)
    if run is None or run.attempt != attempt or run.status != "running":
        return False
    if run.cancel_requested and status == "ready":
        status, files, facts = "cancelled", (), {}
    run.status = run.stage = status
    run.finished_at = now
    for name, value in facts.items():
        setattr(run, name, value)
    session.add_all(files)
    if notice and run.person_id is not None:
        session.add(Notice(person_id=run.person_id, run_id=run.id, text=notice, created_at=now, read_at=None))
    session.flush()
    return True


def request_cancel(session: Session, run_id: int, now: datetime) -> Run:
    """
    Ask for a run to stop. One that no worker has taken up is over at once; one that is over stays as it is.
    """
    run = session.get(Run, run_id, with_for_update={"of": Run})
    if run is None:
        msg = f"There is no run {run_id}."
        raise NotFound(msg)
    if run.status == "asked":
        run.status = run.stage = "cancelled"
        run.finished_at = now
    elif run.status == "running":
        run.cancel_requested = True
    session.flush()
    return run


def round_folder(session: Session, round_id: int) -> str:
    """
    The folder of a round.
    """
    return session.get_one(Round, round_id).folder


def waiting_runs(session: Session, asked_before: datetime, seen_before: datetime) -> list[int]:
    """
    Runs that nobody works on: asked for before a moment and not taken up, or not heard of since another.
    """
    query = sa.select(Run.id).where(
        sa.or_(
            sa.and_(Run.status == "asked", Run.asked_at < asked_before),
            sa.and_(Run.status == "running", Run.seen_at < seen_before),
        )
    )
    return list(session.scalars(query.order_by(Run.id)))


def list_notices(session: Session, person_id: int, at_most: int = 20) -> list[Notice]:
    """
    A person's notices, newest first.
    """
    query = sa.select(Notice).where(Notice.person_id == person_id).order_by(Notice.id.desc()).limit(at_most)
    return list(session.scalars(query))


def read_notices(session: Session, person_id: int, now: datetime) -> None:
    """
    Mark all of a person's notices as read.
    """
    query = sa.update(Notice).where(Notice.person_id == person_id, Notice.read_at.is_(None))
    session.execute(query.values(read_at=now))
