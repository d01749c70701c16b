"""
Rounds that run when something happens in their source. Each is looked at in its own rhythm, by one worker at a time.

Records appear: those that pass the template's filter and that the memory does not know. They are gathered until nothing
more comes for a while, or for so long at most, into one run, or each has a run of its own; what appears while a run is
under way belongs to the next.

Something closes: a record comes to meet a condition. It starts one run, once, and its fields may answer what the
template asks. What met the condition when the round was set starts nothing.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime, timedelta
from itertools import islice
from typing import Any
from zoneinfo import ZoneInfo

import polars as pl
import sqlalchemy as sa
import structlog
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bouquet.core.catalogue import Kind
from bouquet.core.language import tr, trn
from bouquet.core.memory import key_digest
from bouquet.core.plan import PlanColumn, resolve
from bouquet.core.shaping import to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import FieldValue, Template, narrowed, only_records, read_document
from bouquet.rounds.calendar import enter_run
from bouquet.rounds.document import Event, Watch
from bouquet.runs import Queue, Services
from bouquet.runs.remembering import as_only, first_new_keys, most_new, readers_of
from bouquet.sources import SourceError
from bouquet.store import STORE_AWAY, care
from bouquet.store import templates as shelf
from bouquet.store.memory import Memory
from bouquet.store.models import Noticed, Occurrence, Person, Round, Run

__all__ = ["as_answer", "event_template", "note_baseline", "watch_rounds"]

log = structlog.get_logger()

#: Runs that one look asks for at most, where each record has its own; what is left is found at the next.
MOST_EACH = 100

#: Milliseconds that one look may take in the source.
LONGEST_LOOK = 60_000

#: Failed runs one after the other that make the pause longer, and seconds that it lasts at most.
MOST_FAILED, LONGEST_PAUSE = 10, 3_600

#: Runs of a round that something is still to become of: what they hold is not taken by another.
_UNDER_WAY = ("asked", "running", "held", "releasing")


def watch_rounds(services: Services, queue: Queue) -> list[int]:
    """
    Look for records of every round whose look is due. Returns the runs asked for.
    """
    now = services.clock()
    asked: list[int] = []
    failures: list[str] = []
    for round_id in _due(services, now):
        try:
            found = _look(services, round_id, now)
        except STORE_AWAY:
            raise
        except Exception as error:
            # A source that is away, or a template that is broken, is looked at again at the next look.
            log.warning("round_not_watched", round=round_id, error=str(error))
            failures.append(f"round {round_id}: {error}")
            continue
        asked += found
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
        Round.trigger.in_(("appears", "closes")), Round.deleted_at.is_(None), ~Round.paused, Round.look_at <= now
    )
    with services.store.session() as session:
        found = session.scalars(query.order_by(Round.look_at).with_for_update(of=Round, skip_locked=True)).all()
        for round_ in found:
            round_.look_at = now + timedelta(seconds=Watch.model_validate(round_.watch or {}).every)
        return [r.id for r in found]


def _look(services: Services, round_id: int, now: datetime) -> list[int]:
    """
    Look into the source for one round. Returns the runs asked for.
    """
    with services.store.session() as session:
        round_ = session.get_one(Round, round_id)
        if round_.trigger == "appears" and _is_under_way(session, round_id):
            return []
        trigger, event = round_.trigger, Event.model_validate(round_.event or {})
    return _closed(services, round_id, event, now) if trigger == "closes" else _appeared(services, round_id, event, now)


# Records appear


def _appeared(services: Services, round_id: int, event: Event, now: datetime) -> list[int]:
    with services.store.session() as session:
        round_ = session.get_one(Round, round_id)
        version = shelf.latest_version(session, round_.template_id)
        if version is None:
            return []
        document, source, answers = version.document, round_.template.source, round_.answers
        scope = session.get_one(Person, round_.created_by).scope
        memory = Memory(round_.template_id, round_.id)
        template = read_document(document)
        readers = readers_of(session, round_, template)
    read = services.source_of(source)
    context = services.context(now, answers=answers, scope=scope, source=source, template_id=memory.template_id)
    plan = resolve(template, services.catalogue_for(scope, source), context).require()
    keys: list[tuple[str, ...]] = []
    with read.reader.snapshot(timeout_ms=LONGEST_LOOK) as snapshot:
        left = most_new(services, snapshot, plan, memory, readers)
        if left is None:
            return []
        if event.each and left.new:
            keys = first_new_keys(snapshot, as_only(template, left.only), plan, left, MOST_EACH)
    with services.store.session() as session:
        if not _is_complete(session, round_id, left.new, now):
            return []
        if not event.each:
            return _asked(_enter(services, session, round_id, now, trn("{n} new record", "{n} new records", left.new)))
        # More of them than are taken at once are new at the next look.
        asked = []
        # One record says nothing of what is gone.
        companions = tuple(c for c in template.output.companions if c != "gone")
        single = template.model_copy(update={"output": template.output.model_copy(update={"companions": companions})})
        for n, key in enumerate(keys):
            alone = narrowed(single, only_records(plan.record_type, [list(key)])).as_document()
            moment, note = now + timedelta(microseconds=n), tr("record {key}", key=", ".join(key))
            asked += _asked(_enter(services, session, round_id, moment, note, document=alone))
        return asked


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


def _is_complete(session: Session, round_id: int, new: int, now: datetime) -> bool:
    """
    Note what was found; whether it is to be sent now.
    """
    found = session.get(Round, round_id, with_for_update={"of": Round}, populate_existing=True)
    if found is None or found.paused or found.deleted_at is not None or _is_under_way(session, round_id):
        return False
    if not new:
        found.found = None
        return False
    watch = Watch.model_validate(found.watch or {})
    if _rests(session, round_id, watch, now):
        return False
    known = found.found or {}
    since = datetime.fromisoformat(known["since"]) if known else now
    grew = known.get("count") != new
    changed = now if grew else datetime.fromisoformat(known["changed"])
    waited = (now - changed).total_seconds() >= watch.quiet and not (grew and watch.quiet)
    if not waited and (now - since).total_seconds() < watch.longest:
        found.found = {"since": since.isoformat(), "count": new, "changed": changed.isoformat()}
        return False
    found.found = None
    return True


def _enter(
    services: Services,
    session: Session,
    round_id: int,
    moment: datetime,
    note: str,
    *,
    answers: dict[str, Any] | None = None,
    document: dict[str, Any] | None = None,
) -> Run | None:
    """
    Enter an occurrence and its run; None where there is one of this moment already.
    """
    entered = insert(Occurrence).values(round_id=round_id, planned_at=moment, note=note[:200])
    if session.execute(entered.on_conflict_do_nothing().returning(Occurrence.planned_at)).first() is None:
        return None
    run = enter_run(services, session, session.get_one(Round, round_id), moment, answers, document)
    here = (Occurrence.round_id == round_id, Occurrence.planned_at == moment)
    session.execute(sa.update(Occurrence).where(*here).values(run_id=run.id))
    return run


def _asked(run: Run | None) -> list[int]:
    return [run.id] if run is not None and run.status == "asked" else []


# Something closes


def event_template(event: Event) -> Template:
    """
    The records that meet the condition of an event, with the fields that answer. Raises DocumentError.
    """
    fields = list(dict.fromkeys(event.answers.values()))
    columns = [{"id": f"c{n}", "heading": f"c{n}", "value": {"field": field}} for n, field in enumerate(fields)]
    # A template has at least one column.
    columns.append({"id": "met", "heading": "met", "value": {"constant": "met"}})
    return read_document({"name": "event", "records": event.records, "filter": event.where, "columns": columns})


def _closed(services: Services, round_id: int, event: Event, now: datetime) -> list[int]:
    with services.store.session() as session:
        round_ = session.get_one(Round, round_id)
        source, (asks, zone) = round_.template.source, _asks_of(session, round_)
        scope = session.get_one(Person, round_.created_by).scope
    template, read = event_template(event), services.source_of(source)
    context = services.context(now, answers={}, scope=scope, source=source)
    plan = resolve(template, services.catalogue_for(scope, source), context).require()
    columns = [(template.columns[n].value, column) for n, column in plan.data_columns]
    with services.store.session() as session:
        found = session.get(Round, round_id, with_for_update={"of": Round}, populate_existing=True)
        if found is None or found.paused or found.deleted_at is not None:
            return []
        first = bool((found.found or {}).get("baseline"))
        with read.reader.snapshot(timeout_ms=LONGEST_LOOK) as snapshot:
            statement = Statements(plan).sent(cells=True)
            frames = (to_frame(b).cast(pl.String) for b in snapshot.batches(statement))
            met = list(_unnoticed(session, found.id, frames, len(plan.key), now, at_most=None if first else MOST_EACH))
        found.found = None
        if first:
            return []
        asked = []
        for n, (key, cells) in enumerate(met):
            told = {
                value.field: _on_clock(column, cell, zone)
                for (value, column), cell in zip(columns, cells, strict=True)
                if isinstance(value, FieldValue)
            }
            given = {name: told[field] for name, field in event.answers.items()}
            answers = {name: as_answer(asks.get(name), text) for name, text in given.items() if text is not None}
            note = f"{plan.record_type.label} {', '.join(key)}"
            moment = now + timedelta(microseconds=n)
            asked += _asked(_enter(services, session, round_id, moment, note, answers=answers))
        return asked


def _on_clock(column: PlanColumn, text: str | None, zone: ZoneInfo) -> str | None:
    """
    A moment as the clocks of the template's zone show it: what is told of it is in UTC.
    """
    if text is None or column.kind is not Kind.MOMENT or column.field.stored != "timestamptz":
        return text
    try:
        moment = datetime.fromisoformat(text).replace(tzinfo=UTC).astimezone(zone)
    except (ValueError, OverflowError):
        # Databases know moments that no calendar here has.
        return text
    return moment.replace(tzinfo=None).isoformat(" ")


def _asks_of(session: Session, round_: Round) -> tuple[dict[str, str], ZoneInfo]:
    """
    The kinds of what a round's template asks, by name, and its zone.
    """
    version = shelf.latest_version(session, round_.template_id)
    if version is None or round_.template.kind == "bundle":
        return {}, ZoneInfo("UTC")
    template = read_document(version.document)
    return {a.name: a.kind for a in template.asks}, ZoneInfo(template.zone)


def as_answer(kind: str | None, text: str) -> Any:
    """
    A field's text as an answer to an ask of this kind: one choice, a period of one day, yes or no.
    """
    if kind == "choices":
        return [text]
    if kind == "window":
        return {"type": "between", "first": text[:10], "last": text[:10]}
    if kind == "yes_no":
        return text in ("true", "t", "1")
    return text[:10] if kind == "date" else text


#: Those of some keys that a round did not notice before.
_NOT_NOTICED = sa.text(
    "SELECT key FROM unnest(CAST(:keys AS uuid[])) AS g(key)"
    " WHERE NOT EXISTS (SELECT FROM noticed n WHERE n.round_id = :round AND n.key = g.key)"
)


def _unnoticed(
    session: Session, round_id: int, frames: Iterable[pl.DataFrame], keys: int, now: datetime, at_most: int | None
) -> Iterator[tuple[tuple[str, ...], tuple[str | None, ...]]]:
    """
    (key, cells) of the records that were not noticed before; they are from now on. With `at_most`, of so many.
    """
    count = 0
    for frame in frames:
        rows = frame.rows()
        digests = [key_digest("" if c is None else c for c in row[:keys]) for row in rows]
        given = "{" + ",".join(map(str, digests)) + "}"
        left = set(session.execute(_NOT_NOTICED, {"round": round_id, "keys": given}).scalars())
        new = {d: row for d, row in zip(digests, rows, strict=True) if d in left}
        if at_most is not None:
            new = dict(islice(new.items(), at_most - count))
        if new:
            session.execute(sa.insert(Noticed), [{"round_id": round_id, "key": d, "at": now} for d in new])
        count += len(new)
        for row in new.values():
            yield tuple("" if c is None else c for c in row[:keys]), row[keys:]
        if at_most is not None and count >= at_most:
            return


def note_baseline(services: Services, round_id: int) -> None:
    """
    Note what meets the condition of a round that was just set, so that only what comes to meet it later starts
    something. Where the source is away, the first look does so.
    """
    with services.store.session() as session:
        round_ = session.get_one(Round, round_id)
        event, waits = Event.model_validate(round_.event or {}), round_.trigger == "closes"
    if waits:
        with contextlib.suppress(SourceError):
            _closed(services, round_id, event, services.clock())
