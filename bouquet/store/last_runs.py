"""
The last runs of templates and rounds, in one statement however many these are.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import Session

from bouquet.store.models import Person, Run, RunFile
from bouquet.store.runs_seen import LIGHT, same_scope, visible_runs

__all__ = [
    "ONCE",
    "earlier_runs",
    "last_delivered",
    "last_rows",
    "last_runs",
    "last_runs_of_rounds",
    "made_runs",
    "newest_good",
    "runs_by_id",
]

#: What `via` says of a run that was limited for once: it shows how a file would look, and counts for nothing later.
ONCE = "once"


def runs_by_id(session: Session, run_ids: Collection[int]) -> dict[int, Run]:
    """
    Those of some runs that there are, as lists need them.
    """
    query = sa.select(Run).options(*LIGHT).where(Run.id.in_(run_ids))
    found = session.scalars(query) if run_ids else ()
    return {run.id: run for run in found}


def _newest(
    of: sa.ColumnElement[Any], ids: Iterable[int], count: int, *where: sa.ColumnElement[bool]
) -> sa.Select[Any]:
    """
    The numbers of the newest `count` runs of each template or round: as many looks at an index as there are of these,
    however long the ledger is.
    """
    each = sa.select(sa.func.unnest(sa.literal(list(ids), ARRAY(sa.BigInteger))).label("id")).subquery()
    newest = sa.select(Run.id).where(of == each.c.id, *where).order_by(Run.id.desc()).limit(count).lateral()
    return sa.select(newest.c.id).select_from(each.join(newest, sa.true()))


def last_runs(session: Session, template_ids: Iterable[int], person: Person | None = None) -> dict[int, Run]:
    """
    The newest run of each template, of those that `person` may see.
    """
    seen = [visible_runs(person)] if person is not None else []
    query = (
        sa.select(Run).options(*LIGHT).where(Run.id.in_(_newest(Run.template_id.expression, template_ids, 1, *seen)))
    )
    return {run.template_id: run for run in session.scalars(query) if run.template_id is not None}


def last_runs_of_rounds(session: Session, round_ids: Iterable[int], person: Person, count: int) -> dict[int, list[Run]]:
    """
    The newest `count` runs of each round, of those that a person may see, the newest first.
    """
    newest = _newest(Run.round_id.expression, round_ids, count, visible_runs(person))
    query = sa.select(Run).options(*LIGHT).where(Run.id.in_(newest)).order_by(Run.id.desc())
    found: dict[int, list[Run]] = {}
    for run in session.scalars(query):
        if run.round_id is not None:
            found.setdefault(run.round_id, []).append(run)
    return found


def last_rows(
    session: Session,
    template_ids: Iterable[int],
    count: int = 8,
    *,
    before: int | None = None,
    person: Person | None = None,
) -> dict[int, list[int]]:
    """
    The row counts of the last `count` ready runs of each template, oldest first; only runs before `before` count, and
    only those that `person` may see.
    """
    wanted = [Run.status == "ready", Run.via != ONCE]
    wanted += [Run.id < before] if before is not None else []
    wanted += [visible_runs(person)] if person is not None else []
    newest = _newest(Run.template_id.expression, template_ids, count, *wanted)
    found: dict[int, list[int]] = {}
    query = sa.select(Run.template_id, Run.rows_written).where(Run.id.in_(newest)).order_by(Run.id)
    for template_id, rows in session.execute(query):
        found.setdefault(template_id or 0, []).append(rows or 0)
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


def earlier_runs(session: Session, run: Run, count: int, person: Person | None = None) -> list[Run]:
    """
    The last `count` runs of a run's template that made rows, up to this one, oldest first. A run on a part counts only
    itself.
    """
    made = sa.or_(Run.id == run.id, sa.and_(Run.status == "ready", Run.via != ONCE))
    same = Run.template_id == run.template_id if run.template_id is not None else Run.id == run.id
    query = sa.select(Run).options(sa.orm.defer(Run.document), sa.orm.defer(Run.findings))
    if person is not None:
        query = query.where(visible_runs(person))
    query = query.where(same, made, Run.id <= run.id).order_by(Run.id.desc()).limit(count)
    return list(reversed(session.scalars(query).all()))


def made_runs(session: Session, person: Person, count: int) -> list[Run]:
    """
    The newest runs that made rows of a template, of those that a person may see.
    """
    query = sa.select(Run).where(Run.status.in_(("ready", "held")), Run.template_id.is_not(None), visible_runs(person))
    return list(session.scalars(query.order_by(Run.id.desc()).limit(count)))


def newest_good(session: Session, template_id: int, *, scope: dict[str, Any] | None = None) -> Run | None:
    """
    The newest ready run of a template whose files are all there; for a person with a `scope`, one of that scope.
    """
    gone = sa.select(RunFile.id).where(RunFile.run_id == Run.id, RunFile.removed_at.is_not(None)).exists()
    query = (
        sa.select(Run)
        .where(Run.template_id == template_id, Run.status == "ready", Run.via != ONCE, sa.not_(gone))
        .order_by(Run.as_of.desc(), Run.id.desc())
    )
    return session.scalars(query.where(same_scope(scope)).limit(1)).first()
