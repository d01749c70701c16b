"""
Rounds that run when records appear: those that pass the template's filter and that the memory does not know.

Each round is looked at in its own rhythm, by one worker at a time. What appears is gathered until nothing more comes
for a while, or for so long at most; what appears while a run is under way belongs to the next.
"""

from __future__ import annotations

from datetime import datetime, timedelta

import sqlalchemy as sa
import structlog
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from bouquet.core.plan import resolve
from bouquet.core.template import read_document
from bouquet.rounds.calendar import enter_run
from bouquet.runs import Queue, Services
from bouquet.runs.remembering import left_of, wants_memory
from bouquet.store import care
from bouquet.store import templates as shelf
from bouquet.store.memory import Memory
from bouquet.store.models import Occurrence, Person, Round, Run

__all__ = ["Watch", "watch_rounds"]

log = structlog.get_logger()

#: Milliseconds that one look may take in the source.
LONGEST_LOOK = 60_000

#: Failed runs one after the other that make the pause longer, and seconds that it lasts at most.
MOST_FAILED, LONGEST_PAUSE = 10, 3_600

#: Runs of a round that something is still to become of: what they hold is not taken by another.
_UNDER_WAY = ("asked", "running", "held", "releasing")


class Watch(BaseModel):
    """
    Seconds between two looks; seconds without another record after which what was found is sent, and seconds after
    which it is sent all the same.
    """

    model_config = ConfigDict(extra="forbid")

    every: int = Field(60, ge=10, le=3_600)
    quiet: int = Field(0, ge=0, le=3_600)
    longest: int = Field(600, ge=0, le=86_400)


def watch_rounds(services: Services, queue: Queue) -> list[int]:
    """
    Look for records of every round whose look is due. Returns the runs asked for.
    """
    now = services.clock()
    asked: list[int] = []
    failures: list[str] = []
    for round_id in _due(services, now):
        try:
            run_id = _look(services, round_id, now)
        except DBAPIError:
            raise
        except Exception as error:
            # A source that is away, or a template that is broken, is looked at again at the next look.
            log.warning("round_not_watched", round=round_id, error=str(error))
            failures.append(f"round {round_id}: {error}")
            continue
        if run_id is not None:
            asked.append(run_id)
    with services.store.session() as session:
        care.note_care(session, "watching", failures, now)
    for run_id in asked:
        queue.put(run_id)
    return asked


def _due(services: Services, now: datetime) -> list[int]:
    """
    The rounds whose look is due; from here on they are this worker's until their next look.
    """
    query = sa.select(Round).where(
        Round.trigger == "appears", Round.deleted_at.is_(None), ~Round.paused, Round.look_at <= now
    )
    with services.store.session() as session:
        found = session.scalars(query.order_by(Round.look_at).with_for_update(of=Round, skip_locked=True)).all()
        for round_ in found:
            round_.look_at = now + timedelta(seconds=Watch.model_validate(round_.watch or {}).every)
        return [r.id for r in found]


def _look(services: Services, round_id: int, now: datetime) -> int | None:
    with services.store.session() as session:
        round_ = session.get_one(Round, round_id)
        version = shelf.latest_version(session, round_.template_id)
        if version is None or _is_under_way(session, round_id):
            return None
        document, source = version.document, round_.template.source
        scope = session.get_one(Person, round_.created_by).scope
        memory = Memory(round_.template_id, round_.id)
    template = read_document(document)
    if not wants_memory(template):
        return None
    read = services.source_of(source)
    context = services.context(now, answers={}, scope=scope, source=source, template_id=memory.template_id)
    plan = resolve(template, read.catalogue(), context).require()
    with read.reader.snapshot(timeout_ms=LONGEST_LOOK) as snapshot:
        new = left_of(services, snapshot, template, plan, memory).new
    with services.store.session() as session:
        return _gather(services, session, round_id, new, now)


def _is_under_way(session: Session, round_id: int) -> bool:
    query = sa.select(Run.id).where(Run.round_id == round_id, Run.status.in_(_UNDER_WAY)).limit(1)
    return session.scalars(query).first() is not None


def _rests(session: Session, round_id: int, watch: Watch, now: datetime) -> bool:
    """
    Whether the round waits because its last runs failed: longer after each, an hour at most. What they would have sent
    is still new.
    """
    query = sa.select(Run.status, Run.finished_at).where(Run.round_id == round_id).order_by(Run.id.desc())
    last = session.execute(query.limit(MOST_FAILED)).all()
    failed = next((n for n, run in enumerate(last) if run.status != "failed"), len(last))
    if not failed or last[0].finished_at is None:
        return False
    pause = min(watch.every * 2**failed, LONGEST_PAUSE)
    return bool(now < last[0].finished_at + timedelta(seconds=pause))


def _gather(services: Services, session: Session, round_id: int, new: int, now: datetime) -> int | None:
    """
    Note what was found, or ask for a run of it once it is complete.
    """
    found = session.get(Round, round_id, with_for_update={"of": Round}, populate_existing=True)
    if found is None or found.paused or found.deleted_at is not None or _is_under_way(session, round_id):
        return None
    if not new:
        found.found = None
        return None
    watch = Watch.model_validate(found.watch or {})
    if _rests(session, round_id, watch, now):
        return None
    known = found.found or {}
    since = datetime.fromisoformat(known["since"]) if known else now
    grew = known.get("count") != new
    changed = now if grew else datetime.fromisoformat(known["changed"])
    waited = (now - changed).total_seconds() >= watch.quiet and not (grew and watch.quiet)
    if not waited and (now - since).total_seconds() < watch.longest:
        found.found = {"since": since.isoformat(), "count": new, "changed": changed.isoformat()}
        return None
    found.found = None
    entered = insert(Occurrence).values(round_id=round_id, planned_at=now, note=f"{new:,} new records")
    if session.execute(entered.on_conflict_do_nothing().returning(Occurrence.planned_at)).first() is None:
        return None
    run = enter_run(services, session, found, now)
    here = (Occurrence.round_id == round_id, Occurrence.planned_at == now)
    session.execute(sa.update(Occurrence).where(*here).values(run_id=run.id))
    return run.id if run.status == "asked" else None
