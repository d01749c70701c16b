"""
The ledger: every run, its files, its notices.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal, TypeAlias

import sqlalchemy as sa
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NotFound, NotPossible, OutOfScope
from bouquet.store.last_runs import (
    ONCE,
    earlier_runs,
    last_delivered,
    last_rows,
    last_runs,
    last_runs_of_rounds,
    made_runs,
    newest_good,
    runs_by_id,
)
from bouquet.store.models import ACTIVE, SENT, Person, Run, RunFile
from bouquet.store.notices import list_notices, notify, read_notices, tell
from bouquet.store.run_life import (
    begin_attempt,
    discard_run,
    enter_made,
    files_kept,
    finish_run,
    release_run,
    report_progress,
    request_cancel,
)
from bouquet.store.runs_seen import LIGHT, visible_runs

__all__ = [
    "ONCE",
    "RunFilter",
    "RunSort",
    "add_many",
    "add_run",
    "begin_attempt",
    "check_same_request",
    "discard_run",
    "earlier_runs",
    "enter_made",
    "expected",
    "files_kept",
    "finish_run",
    "get_run",
    "last_delivered",
    "last_rows",
    "last_runs",
    "last_runs_of_rounds",
    "list_notices",
    "list_runs",
    "made_runs",
    "newest_good",
    "notify",
    "read_notices",
    "release_run",
    "report_progress",
    "request_cancel",
    "runs_by_id",
    "tell",
    "total_runs",
    "visible_runs",
    "waiting_before",
    "waiting_runs",
]


def add_run(session: Session, run: Run) -> Run:
    """
    Enter a run. One that the same person asked for under the same key before is returned instead.

    Raises NotPossible where that one was asked for with something else.
    """
    query = sa.select(Run).where(Run.person_id == run.person_id, Run.idempotency_key == run.idempotency_key)
    earlier = session.scalars(query).first() if run.idempotency_key is not None else None
    if earlier is None:
        try:
            with session.begin_nested():
                session.add(run)
        except IntegrityError:
            # The same request, sent twice at once: the other one was first.
            earlier = session.scalars(query).first() if run.idempotency_key is not None else None
            if earlier is None:
                raise
    if earlier is None:
        session.refresh(run, ["placings"])
        return run
    check_same_request(earlier, run.request_digest)
    return earlier


def check_same_request(earlier: Run, digest: str | None) -> None:
    """
    Refuse what asks for something else under the key of an earlier run. Raises NotPossible.
    """
    if earlier.request_digest not in (None, digest):
        msg = tr(
            "This Idempotency-Key was used for something else before: run {id}. Take a new key.",
            id=earlier.id,
        )
        raise NotPossible(msg)


def add_many(session: Session, runs: Sequence[Mapping[str, Any]]) -> list[int]:
    """
    Put many new runs into the ledger at once, in this order. Returns their numbers.

    Args:
        runs: What is kept of each, by column.
    """
    if not runs:
        return []
    numbered = sa.text("SELECT nextval('runs_id_seq') FROM generate_series(1, :n)")
    ids = list(session.scalars(numbered, {"n": len(runs)}))
    columns = Run.__table__.columns
    by_default = {
        c.name: c.default.arg for c in columns if isinstance(c.default, sa.ColumnDefault) and c.default.is_scalar
    }
    rows = [{**by_default, **run, "id": number} for run, number in zip(runs, ids, strict=True)]
    # One statement for all: what only some of them have stands in each, and is null in the others.
    every = ", ".join(dict.fromkeys(n for row in rows for n in row))
    made = f"INSERT INTO runs ({every}) SELECT {every} FROM json_populate_recordset(NULL::runs, CAST(:rows AS json))"
    session.execute(sa.text(made), {"rows": json.dumps(rows, default=datetime.isoformat)})
    return ids


def get_run(session: Session, run_id: int) -> Run:
    """
    One run. Raises NotFound.
    """
    run = session.get(Run, run_id)
    if run is None:
        msg = tr("There is no run {run_id}.", run_id=run_id)
        raise NotFound(msg)
    return run


def see_run(session: Session, run_id: int, person: Person) -> Run:
    """
    One run that a person may see. Raises NotFound, also for one of somebody else's own template, and OutOfScope for one
    that holds more than they may see.
    """
    found = session.scalars(sa.select(Run).where(Run.id == run_id, visible_runs(person, scoped=False))).first()
    if found is None:
        msg = tr("There is no run {run_id}.", run_id=run_id)
        raise NotFound(msg)
    if person.scope is not None and found.scope != person.scope:
        msg = tr("This run holds records that you may not see. An administrator can widen what you may see.")
        raise OutOfScope(msg)
    return found


@dataclass(frozen=True, kw_only=True)
class RunFilter:
    """
    Which runs of the ledger are meant; None does not narrow.

    Args:
        seen_by: Only runs that this person may see.
        asked_by: Part of who or what asked.
        since, until: Moments between which it was asked for, the last one not included.
        found: `yes` for runs whose checks objected, `no` for the others.
        personal: `yes` for runs with personal data, `no` for the others.
        sent: Runs of which something `arrived`, is `under_way`, `failed` to arrive or was `given_up`.
    """

    template_id: int | None = None
    status: str | None = None
    search: str | None = None
    person_id: int | None = None
    round_id: int | None = None
    records: str | None = None
    asked_by: str | None = None
    since: datetime | None = None
    until: datetime | None = None
    found: str | None = None
    personal: str | None = None
    sent: str | None = None
    via: str | None = None
    seen_by: Person | None = None

    def conditions(self) -> list[sa.ColumnElement[bool]]:
        """
        The filter as SQL.
        """
        found: list[sa.ColumnElement[bool]] = [visible_runs(self.seen_by)] if self.seen_by is not None else []
        for column, value in (
            (Run.template_id, self.template_id),
            (Run.person_id, self.person_id),
            (Run.round_id, self.round_id),
            (Run.status, self.status),
            (Run.records, self.records),
            (Run.via, self.via),
        ):
            if value is not None:
                found.append(column == value)
        if self.search:
            pattern = self.search.strip()
            found.append(
                sa.or_(Run.name.icontains(pattern, autoescape=True), Run.asked_by.icontains(pattern, autoescape=True))
            )
        if self.asked_by:
            found.append(Run.asked_by.icontains(self.asked_by.strip(), autoescape=True))
        if self.since is not None:
            found.append(Run.asked_at >= self.since)
        if self.until is not None:
            found.append(Run.asked_at < self.until)
        for column, value in ((Run.objections, self.found), (Run.personal, self.personal)):
            if value is not None:
                found.append(column > 0 if value == "yes" else column == 0)
        if self.sent is not None:
            found.append(Run.id.in_(sa.select(SENT.c.run_id).where(SENT.c[self.sent] > 0)))
        return found


RunSort: TypeAlias = Literal["number", "name", "asked_by", "rows", "status", "checks"]

#: What runs are sorted by; those that are equal by their numbers.
_SORTS: dict[RunSort, sa.ColumnElement[Any]] = {
    "number": Run.id.expression,
    "name": sa.func.lower(Run.name),
    "asked_by": sa.func.lower(Run.asked_by),
    "rows": sa.func.coalesce(Run.rows_written, -1),
    "status": Run.status.expression,
    "checks": Run.objections.expression,
}


def list_runs(
    session: Session,
    wanted: RunFilter | None = None,
    *,
    before: int | None = None,
    at_most: int = 50,
    sort: RunSort = "number",
    ascending: bool = False,
) -> Sequence[Run]:
    """
    Runs, by default the newest first; `before` is the number of the last run of the page before.
    """
    key = _SORTS[sort]
    query = sa.select(Run).options(*LIGHT).where(*(wanted or RunFilter()).conditions())
    if before is not None:
        last = sa.select(key).where(Run.id == before).correlate(None).scalar_subquery()
        here, there = sa.tuple_(key, Run.id), sa.tuple_(last, sa.literal(before))
        query = query.where(here > there if ascending else here < there)
    order = [key.asc(), Run.id.asc()] if ascending else [key.desc(), Run.id.desc()]
    return session.scalars(query.order_by(*order).limit(at_most)).all()


def total_runs(session: Session, wanted: RunFilter) -> dict[str, int]:
    """
    Of the runs that fit: `runs`, `rows` and `bytes` of those that made files, `failed`, `held`, `personal`.
    """
    made = Run.status.in_(("ready", "held", "releasing"))
    size = sa.select(sa.func.sum(RunFile.size)).where(RunFile.run_id == Run.id).scalar_subquery()
    counted = sa.select(
        sa.func.count().label("runs"),
        sa.func.coalesce(sa.func.sum(Run.rows_written).filter(made), 0).label("rows"),
        sa.func.coalesce(sa.func.sum(size).filter(made), 0).label("bytes"),
        sa.func.count().filter(Run.status == "failed").label("failed"),
        sa.func.count().filter(Run.status == "held").label("held"),
        sa.func.count().filter(Run.personal > 0).label("personal"),
    ).where(*wanted.conditions())
    return {name: int(value) for name, value in session.execute(counted).mappings().one().items()}


def runs_of_file(session: Session, person: Person, *, sha256: str | None = None, name: str | None = None) -> list[Run]:
    """
    The newest runs that made a file with this content, or of this name, of those that a person may see.
    """
    wanted = RunFile.sha256 == sha256 if sha256 is not None else RunFile.name == name
    ids = sa.select(RunFile.run_id).where(wanted, RunFile.role == "data")
    return list(
        session.scalars(sa.select(Run).where(Run.id.in_(ids), visible_runs(person)).order_by(Run.id.desc()).limit(10))
    )


def expected(session: Session, template_id: int, format: str, count: int = 5) -> list[tuple[int, int, float]]:
    """
    (rows, bytes, seconds) of the last ready runs of a template in a format, the newest first.
    """
    size = sa.select(sa.func.sum(RunFile.size)).where(RunFile.run_id == Run.id).scalar_subquery()
    seconds = sa.extract("epoch", Run.finished_at - Run.started_at)
    query = (
        sa.select(Run.rows_written, sa.func.coalesce(size, 0), seconds)
        .where(Run.template_id == template_id, Run.format == format, Run.status == "ready")
        .where(Run.started_at.is_not(None), Run.finished_at.is_not(None))
        .order_by(Run.id.desc())
        .limit(count)
    )
    return [(int(rows), int(size), float(took)) for rows, size, took in session.execute(query)]


def waiting_before(session: Session, run: Run) -> int:
    """
    Runs of the same person that wait or run and were asked for before this one.
    """
    query = sa.select(sa.func.count()).where(
        Run.person_id == run.person_id, Run.id < run.id, Run.status.in_(ACTIVE), Run.via != "round"
    )
    return int(session.scalar(query) or 0)


def waiting_runs(session: Session, asked_before: datetime, seen_before: datetime) -> list[int]:
    """
    Runs that nobody works on: asked for before a moment and not taken up, or not heard of since another.
    """
    query = sa.select(Run.id).where(
        sa.or_(
            sa.and_(Run.status == "asked", Run.asked_at < asked_before),
            sa.and_(Run.status == "running", Run.seen_at < seen_before),
            sa.and_(Run.status == "releasing", sa.func.greatest(Run.seen_at, Run.reviewed_at) < asked_before),
            sa.and_(Run.status == "running", Run.seen_at.is_(None)),
        )
    )
    return list(session.scalars(query.order_by(Run.id)))
