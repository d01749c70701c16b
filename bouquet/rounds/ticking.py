"""
The tick: planned moments that have come, and their runs.

The key (round, planned moment) makes a double impossible, however many workers tick. A late run covers the day it was
planned for.
"""

from __future__ import annotations

import contextlib
import json
import threading
from bisect import bisect_right
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import datetime
from typing import Any

import sqlalchemy as sa
import structlog
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, lazyload, selectinload
from sqlalchemy.orm.attributes import set_committed_value

from bouquet.core.language import tr
from bouquet.core.recurrence import DaysOff
from bouquet.rights import told_of
from bouquet.rounds.calendar import Known, enter_run, facts_of_run, set_paused, tell_of_problem
from bouquet.runs import Queue, Services
from bouquet.store import STORE_AWAY, care
from bouquet.store import runs as ledger
from bouquet.store.house import days_off
from bouquet.store.models import Occurrence, Round, Run
from bouquet.store.notices import tell
from bouquet.store.rounds import NEVER, get_round, rhythm_of

__all__ = ["CATCH_UP", "tick_rounds"]

log = structlog.get_logger()

#: Rounds whose moments are entered in one transaction.
AT_ONCE = 500

#: Missed moments of a round that are made up for, the newest ones; older ones are noted as skipped.
CATCH_UP = 7


def tick_rounds(services: Services, queue: Queue) -> list[int]:
    """
    Ask for a run of every planned moment that has come. Returns the runs asked for.
    """
    now = services.clock()
    failures: list[str] = []
    _end_pauses(services, now, failures)
    with services.store.session() as session:
        due = sa.select(Round.id).where(Round.deleted_at.is_(None), ~Round.paused, Round.next_at <= now)
        ids = list(session.scalars(due.order_by(Round.next_at, Round.id)))
    asked: list[int] = []
    # While some are written, the next ones are read, and those before are put into the queue.
    with (
        ThreadPoolExecutor(max_workers=1, thread_name_prefix="put") as beside,
        ThreadPoolExecutor(max_workers=2, thread_name_prefix="tick") as pool,
    ):
        entering, put, before = [], [], None
        for at in range(0, len(ids), AT_ONCE):
            tick = _Tick(services, now, failures, before)
            entering.append(pool.submit(tick.enter, ids[at : at + AT_ONCE]))
            before = tick
        for one in entering:
            entered = one.result()
            put.append(beside.submit(queue.put_of_rounds, entered))
            asked += entered
    for done in put:
        done.result()
    following = _follow(services, failures)
    queue.put_of_rounds(following)
    with services.store.session() as session:
        care.note_care(session, "rounds", failures, now)
    return asked + following


@contextmanager
def _by_itself(services: Services, round_id: int, failures: list[str]) -> Iterator[None]:
    """
    Do something for one round; one that fails is told of, and paused, and keeps no other waiting.
    """
    try:
        yield
    except STORE_AWAY:
        raise
    except Exception as error:
        log.exception("round_not_ticked", round=round_id)
        failures.append(f"round {round_id}: {error}")
        with services.store.session() as session:
            found = session.get_one(Round, round_id)
            found.paused, found.paused_until = True, None
            told = tr(
                "The round of {template} cannot be understood, and is paused: {error}",
                template=found.template.name,
                error=error,
            )
            tell(session, told_of(session, found), f"/rounds/{round_id}", told, services.clock())


def _end_pauses(services: Services, now: datetime, failures: list[str]) -> None:
    query = sa.select(Round.id).where(Round.paused, Round.paused_until <= now, Round.deleted_at.is_(None))
    with services.store.session() as session:
        ended = list(session.scalars(query))
    for round_id in ended:
        with _by_itself(services, round_id, failures), services.store.session() as session:
            here = session.scalars(
                query.where(Round.id == round_id).with_for_update(of=Round, skip_locked=True)
            ).first()
            if here is not None:
                set_paused(session, round_id, False, now)


def _follow(services: Services, failures: list[str]) -> list[int]:
    """
    Ask for a run of every round that comes after one whose run ended well. It counts from the same moment as that one,
    and each moment is followed once.
    """
    other = sa.orm.aliased(Occurrence)
    followed = sa.select(other).where(other.round_id == Round.id, other.planned_at == Run.as_of).exists()
    query = (
        sa.select(Round.id, Run.as_of)
        .join(Run, Run.round_id == Round.after_id)
        .where(
            Round.trigger == "after",
            Round.after_id.is_not(None),
            Round.deleted_at.is_(None),
            ~Round.paused,
            Run.status == "ready",
            Run.finished_at > Round.since,
            ~followed,
        )
        .order_by(Run.finished_at)
    )
    with services.store.session() as session:
        come = session.execute(query).all()
    asked: list[int] = []
    for round_id, as_of in come:
        with _by_itself(services, round_id, failures), services.store.session() as session:
            asked += _followed(services, session, round_id, as_of)
    return asked


def _followed(services: Services, session: Session, round_id: int, as_of: datetime) -> list[int]:
    entered = insert(Occurrence).values(round_id=round_id, planned_at=as_of, note="")
    if session.execute(entered.on_conflict_do_nothing().returning(Occurrence.planned_at)).first() is None:
        return []
    run = enter_run(services, session, get_round(session, round_id), as_of)
    here = (Occurrence.round_id == round_id, Occurrence.planned_at == as_of)
    session.execute(sa.update(Occurrence).where(*here).values(run_id=run.id))
    return [run.id] if run.status == "asked" else []


class _Tick:
    """
    Moments of some rounds, entered in one transaction.

    Args:
        before: The ones of earlier moments: they are entered first, so that runs are numbered by their moments.
    """

    def __init__(self, services: Services, now: datetime, failures: list[str], before: _Tick | None) -> None:
        self.services, self.now, self.failures = services, now, failures
        self._entered = threading.Event()
        self._before: threading.Event | None = None if before is None else before._entered

    def enter(self, round_ids: list[int]) -> list[int]:
        """
        Enter the moments of these rounds that have come. Returns the runs asked for.
        """
        try:
            return self._together(round_ids)
        except STORE_AWAY:
            raise
        except Exception:
            # One of them cannot be understood: each by itself, so that it never keeps the others waiting.
            return self._each(round_ids)
        finally:
            self._entered.set()

    def _each(self, round_ids: list[int]) -> list[int]:
        asked = []
        for round_id in round_ids:
            # Where somebody was faster, the next tick sees what is there.
            with _by_itself(self.services, round_id, self.failures), contextlib.suppress(_Overtaken):
                asked += self._together([round_id])
        return asked

    def _together(self, round_ids: list[int]) -> list[int]:
        """
        Enter them in the order of the moments. Rounds that another worker is at are left to it.
        """
        with self.services.store.session() as session:
            query = sa.select(Round).where(
                Round.id.in_(round_ids), ~Round.paused, Round.deleted_at.is_(None), Round.next_at <= self.now
            )
            planned: list[tuple[datetime, Round, str]] = []
            # Many rounds run the same template: each is read once.
            once = selectinload(Round.template)
            bare = query.options(lazyload(Round.recipients), lazyload(Round.after), once)
            taken = session.scalars(bare.with_for_update(of=Round, skip_locked=True)).all()
            plan = _Plan(days_off(session), min((found.next_at for found in taken), default=self.now), self.now)
            for found in taken:
                planned += [(moment, found, note) for moment, note in _come(found, plan)]
            if not planned:
                return []
            rounds = list({found.id: found for _, found, _ in planned}.values())
            following = {"rounds": [found.id for found in rounds], "moments": [found.next_at for found in rounds]}
            session.execute(_FOLLOWING, following)
            planned.sort(key=lambda entry: (entry[0], entry[1].id))
            there = {(number, moment) for number, moment in session.execute(_ENTERED, _of_moments(planned))}
            fresh = [(moment, found, note) for moment, found, note in planned if (found.id, moment) not in there]
            known = Known(session)
            runs = [
                (found, moment, *facts_of_run(self.services, known, found, moment))
                for moment, found, note in fresh
                if not note
            ]
            if self._before is not None:
                self._before.wait()
            ids = ledger.add_many(session, [facts for *_, facts, _ in runs])
            for (found, *_, problem), run_id in zip(runs, ids, strict=True):
                if problem is not None:
                    tell_of_problem(self.services, session, found, run_id, problem)
            numbers = {(found.id, moment): run_id for (found, moment, *_), run_id in zip(runs, ids, strict=True)}
            entering = {
                **_of_moments(fresh),
                "notes": [note for *_, note in fresh],
                "runs": [numbers.get((found.id, moment)) for moment, found, _ in fresh],
            }
            if len(session.execute(_ENTER, entering).all()) < len(fresh):
                # Somebody left one of them out in the meantime: what is here is undone, and looked at anew.
                raise _Overtaken
            return [run_id for (*_, problem), run_id in zip(runs, ids, strict=True) if problem is None]


class _Plan:
    """
    The moments of rhythms after `since`, as far as the first one after `now`. Many rounds have the same rhythm: each is
    read and followed once.
    """

    def __init__(self, off: DaysOff, since: datetime, now: datetime) -> None:
        self.now = now
        self._off, self._since = off, since
        self._moments: dict[tuple[str, str], list[datetime]] = {}

    def after(self, found: Round) -> list[datetime]:
        """
        The moments of a round after its planned one, as far as the first one after now.
        """
        key = (json.dumps(found.rhythm), found.zone)
        moments = self._moments.get(key)
        if moments is None:
            moments = []
            for moment in rhythm_of(found, self._off).after(self._since):
                moments.append(moment)
                if moment > self.now:
                    break
            self._moments[key] = moments
        return moments[bisect_right(moments, found.next_at) :]


def _come(found: Round, plan: _Plan) -> list[tuple[datetime, str]]:
    """
    (moment, why it is left out) of a round's moments that have come; what is next is noted in it, not in the store.
    """
    *come, following = found.next_at, *plan.after(found), NEVER
    if len(come) > 1 and come[-1] > plan.now:
        following = come.pop()
    # All of them are updated at once.
    set_committed_value(found, "next_at", following)
    skipped = tr("skipped: the server was away for too long")
    return [(planned, skipped if n < len(come) - CATCH_UP else "") for n, planned in enumerate(come)]


def _of_moments(planned: list[tuple[datetime, Round, str]]) -> dict[str, Any]:
    return {"rounds": [found.id for _, found, _ in planned], "moments": [moment for moment, *_ in planned]}


_ENTERED = sa.text(
    "SELECT o.round_id, o.planned_at FROM unnest(CAST(:rounds AS bigint[]), CAST(:moments AS timestamptz[]))"
    " AS g(round_id, planned_at) JOIN occurrences o USING (round_id, planned_at)"
)

_FOLLOWING = sa.text(
    "UPDATE rounds r SET next_at = g.moment FROM unnest(CAST(:rounds AS bigint[]), CAST(:moments AS timestamptz[]))"
    " AS g(id, moment) WHERE r.id = g.id"
)

_ENTER = sa.text(
    "INSERT INTO occurrences (round_id, planned_at, note, run_id) SELECT * FROM unnest(CAST(:rounds AS bigint[]),"
    " CAST(:moments AS timestamptz[]), CAST(:notes AS text[]), CAST(:runs AS bigint[])) ON CONFLICT DO NOTHING"
    " RETURNING round_id"
)


class _Overtaken(Exception):
    """
    Somebody entered one of the moments in the meantime.
    """
