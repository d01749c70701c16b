"""
The life of a run: taken up, counted, written, checked, delivered, entered in the ledger.

Every step can be repeated: an attempt writes into a folder of its own, and only the last attempt may end the run.
A worker killed anywhere is followed by another.
"""

from __future__ import annotations

import time
from datetime import timedelta
from pathlib import Path
from typing import Any

import structlog
from sqlalchemy.exc import DBAPIError

from bouquet.core.errors import BouquetError, TemplateError
from bouquet.core.language import speaking, tr, trn
from bouquet.rights import barred_elsewhere, told_of
from bouquet.runs.addressing import addressed_by, parts_of_nobody
from bouquet.runs.bundling import export_bundle
from bouquet.runs.crossing import crossed_plan
from bouquet.runs.delivering import deliver
from bouquet.runs.errors import PASSING, RunCancelled, RunFailed, RunGivenUp, error_facts
from bouquet.runs.exported import Exported
from bouquet.runs.planned import PlannedRun, language_of_run, plan_run
from bouquet.runs.progress import Progress, watched
from bouquet.runs.ranges import RangesOfRun
from bouquet.runs.services import Services
from bouquet.runs.shares import export_shares, shares_of
from bouquet.sources import Source, SourceCancelled, SourceChanged
from bouquet.store import NotPossible, people
from bouquet.store import runs as ledger
from bouquet.store.models import Person, Round, Run, RunFile
from bouquet.store.rounds import SOURCE_CHANGED
from bouquet.store.whereabouts import keep_keys
from bouquet.traces import span

__all__ = ["ATTEMPTS", "execute"]

log = structlog.get_logger()

#: Times a run is taken up before a failing source is final.
ATTEMPTS = 4

#: Times a run is taken up before it is given up. Workers are also stopped for reasons of their own, so it is many.
MOST_TRIES = 24


def execute(services: Services, run_id: int) -> None:
    """
    Carry out a run that was asked for, and enter how it ended. Does nothing when it is over.

    Raises one of PASSING while trying again may help; the caller repeats.
    """
    with span("run", run=run_id) as told:
        _attempt(services, run_id)
        if told.is_recording():
            with services.store.session() as session:
                ended = session.get_one(Run, run_id)
                told.set_attributes({"bouquet.status": ended.status, "bouquet.format": ended.format})


def _ready(run: Run, rows: int) -> str:
    return trn("{run} is ready: {n} row.", "{run} is ready: {n} rows.", rows, run=run.name)


def _attempt(services: Services, run_id: int) -> None:
    """
    One attempt at a run.
    """
    with services.store.session() as session:
        run = ledger.begin_attempt(session, run_id, services.clock())
    if run is None:
        return
    with speaking(language_of_run(services, run)):
        _carry_through(services, run)


def _carry_through(services: Services, run: Run) -> None:
    if run.tries > MOST_TRIES:
        _give_up(services, run)
        return
    made: Run | None = run
    try:
        if run.status != "releasing" and run.stage != "delivering":
            made = _carry_out_as_it_is(services, run)
    except PASSING as error:
        if run.attempt < ATTEMPTS:
            log.warning("run_interrupted", run=run.id, attempt=run.attempt, error=str(error))
            raise
        made = None
        _end(services, run, "failed", error)
    except (RunCancelled, SourceCancelled) as error:
        made = None
        _end(services, run, "cancelled", error)
    except Exception as error:
        if not isinstance(error, BouquetError):
            log.exception("run_failed", run=run.id)
        made = None
        _end(services, run, "failed", error)
        if isinstance(error, TemplateError) and run.round_id is not None:
            _pause_round(services, run, error)
    if made is not None:
        # What is made does not fail any more: where the store or the source is away, it is sent by a later attempt.
        _send(services, made)
    _sweep(services, run)


def _carry_out_as_it_is(services: Services, run: Run) -> Run | None:
    """
    Carry out a run against its source as it is now, also where what is known of the source is older. Returns it where
    it is yet to be sent. Raises PlanError where the source no longer gives what the template asks for.
    """
    try:
        return _carry_out(services, run, plan_run(services, run))
    except SourceChanged:
        services.source_of(run.source).catalogue(fresh=True)
        return _carry_out(services, run, plan_run(services, run))


def _send(services: Services, run: Run) -> None:
    """
    Deliver what is made, and end the run. What cannot be delivered is kept, and waits for a person with the reason.
    """
    files = [f for f in run.files if f.removed_at is None]
    try:
        if run.round_id is not None and _goes_elsewhere(services, run):
            deliver(services, run, files, lambda: plan_run(services, run).alone)
    except PASSING:
        # To append, the source is asked what the file begins with; it and the stores may come back.
        raise
    except (BouquetError, OSError) as error:
        facts = error_facts(error)
        notice = tr(
            "{run} is made but could not be delivered: {facts}",
            run=run.name,
            facts=facts["message"],
        )
        _finish(services, run, status="held", notice=notice, error=facts)
    else:
        notice = _ready(run, run.rows_written)
        rule, nobodys = parts_of_nobody(services, run, [f.part for f in files])
        if nobodys and rule == "tell":
            notice += tr(" Nobody receives the parts {nobodys}.", nobodys=", ".join(nobodys[:8]))
        _finish(services, run, status="ready", notice=notice, error=None)


def _goes_elsewhere(services: Services, run: Run) -> bool:
    """
    Whether a round puts its files into a folder of its own, or mails them; recipients get theirs by the outbox. Raises
    NotPossible where whoever it runs for may not do so any more: it may have waited for a person for long.
    """
    with services.store.session() as session:
        round_ = session.get_one(Round, run.round_id)
        owner = session.get_one(Person, round_.created_by)
        if (why := barred_elsewhere(owner, round_.folder, round_.mail_to)) is not None:
            raise NotPossible(why)
        return bool(round_.folder or round_.mail_to)


def _pause_round(services: Services, run: Run, error: TemplateError) -> None:
    """
    A round whose template is broken pauses: the next moment would fail for the same reason.
    """
    said = error_facts(error)["message"]
    with services.store.session() as session:
        round_ = session.get_one(Round, run.round_id)
        if round_.paused:
            return
        round_.paused, round_.paused_for = True, SOURCE_CHANGED
        text = tr(
            "{run} failed because its source changed, so its round is paused: {said}",
            run=run.name,
            said=said,
        )
        told = [run.person_id, *told_of(session, round_), *people.keeper_ids(session)]
        ledger.notify(session, told, run.id, text, services.clock())


def _give_up(services: Services, run: Run) -> None:
    """
    End a run that was taken up again and again without coming to an end.
    """
    log.error("run_given_up", run=run.id, tries=run.tries - 1)
    said = tr(
        "It was begun {most_tries} times and each time its worker ended before it did, so it is not tried again.",
        most_tries=MOST_TRIES,
    )
    if run.status == "releasing" or run.stage == "delivering":
        notice = tr("{run} is made but could not be delivered: {said}", run=run.name, said=said)
        facts = {"code": "given_up", "message": said}
        _finish(services, run, status="held", notice=notice, error=facts)
        return
    _end(services, run, "failed", RunGivenUp(said))
    _sweep(services, run)


def _carry_out(services: Services, run: Run, planned: PlannedRun) -> Run | None:
    """
    Count, write, check; then end it, let it wait for a person, or return it, made and entered, to be sent.
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
        error = RunFailed(tr("A check stopped it, and nothing is made available: {said}.", said=said))
        _end(services, run, "failed", error, **facts)
        return None
    empty = exported.rows + exported.rows_apart == 0 and not exported.tells_gone
    if run.round_id is not None and empty and exported.verdict is None and _skips_empty(services, run):
        exported.slip["files"] = []
        services.storage.leave(run.id, run.attempt)
        _finish(services, run, status="ready", **facts)
        return None
    files = _kept(services, run, exported)
    with services.store.session() as session:
        keep_keys(session, run, {0: exported.sent, **exported.apart})
    days = planned.keep_days if planned.keep_days is not None else services.keep_days
    facts["keep_until"] = services.clock() + timedelta(days=days)
    rule, nobodys = parts_of_nobody(services, run, [f.part for f in exported.files])
    if nobodys and rule == "hold":
        notice = tr(
            "{run} waits for you: nobody receives the parts {nobodys}.",
            run=run.name,
            nobodys=", ".join(nobodys[:8]),
        )
        facts["error"] = {"code": "parts_of_nobody", "message": notice}
        _finish(services, run, status="held", files=files, notice=notice, **facts)
        return None
    if exported.verdict == "hold":
        held = [c["words"] for c in exported.slip["checks"] if c["objections"] and c["severity"] == "hold"]
        notice = tr("{run} waits for you: {held}.", run=run.name, held="; ".join(held))
        _finish(services, run, status="held", files=files, notice=notice, **facts)
        return None
    if run.round_id is None:
        notice = _ready(run, exported.rows)
        _finish(services, run, status="ready", files=files, notice=notice, **facts)
        return None
    with services.store.session() as session:
        entered = ledger.enter_made(session, run.id, run.attempt, files=files, now=services.clock(), **facts)
        made = ledger.get_run(session, run.id)
    if not entered:
        raise RunCancelled(tr("The run was cancelled."))
    return made


def _skips_empty(services: Services, run: Run) -> bool:
    with services.store.session() as session:
        return session.get_one(Round, run.round_id).when_empty == "skip"


def _export(services: Services, run: Run, planned: PlannedRun, folder: Path) -> Exported:
    progress = Progress()
    asked: dict[str, Any] = {"run": run.id, "version": run.version, "asked_by": run.asked_by, "via": run.via}
    if run.purpose:
        asked["purpose"] = run.purpose
    source = services.source_of(run.source)
    with source.run_reader.snapshot(pooled=True) as snapshot, watched(services, run, snapshot, progress):
        if isinstance(source, Source) and source.copy:
            asked["copy"] = {"seconds_behind": source.seconds_behind(snapshot)}
        if run.is_bundle:
            parts = [(t, crossed_plan(snapshot, t, p)) for t, p in planned.parts]
            return export_bundle(planned.name, parts, folder, snapshot, asked, progress, addressed_by(services, run))
        template, plan = planned.parts[0]
        shares = shares_of(services, snapshot, template, plan, run)
        addressed = addressed_by(services, run)
        # What others plan of this run is its template's own rows, and what they write the template's own form.
        alone = len(shares) == 1 and shares[0].plan is plan and not addressed
        cut = RangesOfRun(services, run, plan, snapshot, folder, progress).cut if alone else None
        return export_shares(shares, run.format, folder, snapshot, asked, progress, addressed, cut)


def _kept(services: Services, run: Run, exported: Exported) -> list[RunFile]:
    """
    Put the files where they stay.
    """
    files = [
        RunFile(
            run_id=run.id,
            name=file.name,
            path=services.storage.keep(run.id, run.attempt, file.path),
            media_type=file.media_type,
            size=file.size,
            rows=file.rows,
            sha256=file.sha256,
            role=file.role,
            recipient_id=file.recipient,
            part=file.part,
        )
        for file in exported.files
    ]
    services.storage.leave(run.id, run.attempt)
    return files


def _finish(services: Services, run: Run, **facts: Any) -> None:
    with services.store.session() as session:
        ledger.finish_run(session, run.id, run.attempt, now=services.clock(), **facts)


def _end(services: Services, run: Run, status: str, error: BaseException, **facts: Any) -> None:
    """
    Enter how a run ended without files. Raises a database error when the ledger stays out of reach: the queue then
    has it ended later, and the run never falls silent.
    """
    said = error_facts(error)
    notice = tr("{run} failed: {said}", run=run.name, said=said["message"]) if status == "failed" else None
    for wait in (1.0, 3.0, 10.0, None):
        try:
            _finish(services, run, status=status, notice=notice, error=said if status == "failed" else None, **facts)
        except DBAPIError:
            if wait is None:
                raise
            time.sleep(wait)
        else:
            return


def _sweep(services: Services, run: Run) -> None:
    """
    Remove what attempts left behind that the ledger does not know. An attempt that was overtaken touches nothing but
    its own.
    """
    with services.store.session() as session:
        attempt, kept = ledger.files_kept(session, run.id)
    services.storage.leave(run.id, run.attempt)
    last = attempt == run.attempt
    services.storage.clear(run.id, kept, None if last else run.attempt)
