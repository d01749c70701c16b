"""
Rounds: templates set to run by the calendar.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import islice, takewhile
from typing import Annotated, Any, cast
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Depends, Header, Query
from sqlalchemy.orm import Session

from bouquet.core.coverage import Coverage, cover, coverage_words, covered_days, window_of
from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.core.recurrence import DaysOff, Rhythm
from bouquet.core.template import Only, read_document
from bouquet.designing.recipients import part_values
from bouquet.rights import looks_after, may
from bouquet.rounds import (
    NEVER,
    call,
    get_round,
    list_rounds,
    remove_round,
    rhythm_of,
    rhythm_words,
    run_now,
    set_paused,
    skip_next,
)
from bouquet.rounds.document import Event, NewRound, read_round
from bouquet.rounds.handing import hand_round_over
from bouquet.rounds.setting import document_of, named_in, put_recipients, rhythm_asked, round_facts, seen_round
from bouquet.rounds.watching import note_baseline
from bouquet.runs import Services, checked_folder
from bouquet.store import NotFound, accounts
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.house import days_off
from bouquet.store.models import Person, Round
from bouquet.store.outgoing import parts_of_nobody
from bouquet.store.people import names_of
from bouquet.store.sharing import checked_entries
from bouquet.web.access import CurrentPerson, Id, TheQueue, TheServices, needs, view_of, visible
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.routers.runs import run_out
from bouquet.web.schemas.rounds import HandOver, Planned, RoundCall, RoundChange, RoundOut, RoundRecipientOut
from bouquet.web.schemas.runs import RunOut
from bouquet.web.schemas.sharing import SharedWith

#: Days ahead that coverage is computed of, and moments of them at most.
YEAR, MOST_MOMENTS = 400, 2_000

#: Rounds that run one after the other, at most.
MOST_AFTER = 20

router = APIRouter(route_class=ExactRoute, prefix="/rounds", tags=["rounds"], dependencies=[Depends(needs("look"))])

Designer = Annotated[Person, Depends(needs("design"))]
Runner = Annotated[Person, Depends(needs("run"))]

#: Planned moments shown ahead.
AHEAD = 5

#: Runs of a round shown on its line of the board.
BEHIND = 20


@router.get("", response_model=list[RoundOut])
def list_all(services: TheServices, person: CurrentPerson, ahead: Annotated[int, Query(ge=1, le=60)] = 14) -> Any:
    """
    All rounds, each with its next planned moments and its last runs.
    """
    with services.store.session() as session:
        rounds = [r for r in list_rounds(session) if may(person, "look", r)]
        return _all_out(services, session, rounds, person, ahead)


@router.post("/preview", response_model=Planned)
def preview(body: NewRound, services: TheServices, person: CurrentPerson) -> Any:
    """
    The next planned moments of a rhythm, before it is set. Nothing is kept.
    """
    with services.store.session() as session:
        rhythm = rhythm_asked(body, days_off(session))
        document = None
        if body.template_id:
            record = visible(session, person, body.template_id, "any")
            if record.kind == "template":
                document = shelf.running_document(session, record)
    if body.folder:
        checked_folder(body.folder)
    found = _coverage(services, rhythm, document) if document is not None and body.trigger == "calendar" else None
    parts = _parts(services, person, body, document) if body.own_part is not None and document else None
    return Planned(
        parts=len(parts[0]) if parts is not None else None,
        parts_of_nobody=parts[1][:1_000] if parts is not None else [],
        words=rhythm.words(),
        next=rhythm.next(services.clock(), AHEAD),
        coverage=coverage_words(found) if found is not None else [],
        covered=found is None or found.whole,
        cure=found.cure if found is not None else None,
    )


def _parts(services: Services, person: Person, body: NewRound, document: dict[str, Any]) -> tuple[list[str], list[str]]:
    """
    The values of the parts there would be now, and those that no recipient has as their fact.
    """
    assert body.own_part is not None
    with services.store.session() as session:
        source = visible(session, person, body.template_id).source
    values = part_values(view_of(services, person, source), read_document(document))
    with services.store.session() as session:
        nobodys = parts_of_nobody(session, body.own_part.fact, values)
    return values, [p or "(blank)" for p in nobodys]


def _coverage(services: Services, rhythm: Rhythm, document: dict[str, Any]) -> Coverage | None:
    """
    How the moments of the next year cover the days, with the template's window.
    """
    template = read_document(document)
    known = window_of(template.filter)
    if known is None:
        return None
    now = services.clock()
    planned = takewhile(lambda m: m < now + timedelta(days=YEAR), rhythm.after(now))
    moments = list(islice(planned, MOST_MOMENTS))
    return cover(moments, known[1], ZoneInfo(template.zone), year_start=services.year_start)


@router.post("", response_model=RoundOut, status_code=201)
def add(body: NewRound, services: TheServices, person: Designer) -> Any:
    """
    Set a template to run by the calendar. It needs a saved version, since a round runs what was saved.
    """
    with services.store.session() as session:
        found = Round(created_by=person.id, **round_facts(services, session, person, body))
        session.add(found)
        put_recipients(session, found, body.recipients)
        session.flush()
        number = found.id
    return _set(services, number, person)


def _set(services: Services, number: int, person: Person) -> RoundOut:
    """
    A round that was just set, as it is.
    """
    note_baseline(services, number)
    with services.store.session() as session:
        return _out(services, session, get_round(session, number), person, AHEAD)


@router.get("/{round_id}", response_model=RoundOut)
def get_one_round(
    round_id: Id, services: TheServices, person: CurrentPerson, ahead: Annotated[int, Query(ge=1, le=60)] = 10
) -> Any:
    """
    One round, with its next planned moments and its last runs.
    """
    with services.store.session() as session:
        return _out(services, session, seen_round(session, round_id, person), person, ahead)


@router.put("/{round_id}", response_model=RoundOut)
def edit(round_id: Id, body: NewRound, services: TheServices, person: Designer) -> Any:
    """
    Set a round anew: whatever it was, from now on it is as given. What it did stays, and what it remembers.
    """
    with services.store.session() as session:
        found = seen_round(session, round_id, person)
        _check_owner(found, person)
        if found.template_id != body.template_id:
            raise Refused(422, "other_template", tr("A round keeps its template. Set a new one for another."))
        waited = (found.trigger, (found.event or {}).get("records"), (found.event or {}).get("where"))
        for name, value in round_facts(services, session, person, body, round_id).items():
            setattr(found, name, value)
        if waited == (found.trigger, (found.event or {}).get("records"), (found.event or {}).get("where")):
            # It waits for the same as before: what closed since the last look is not passed over.
            found.found = None
        put_recipients(session, found, body.recipients)
    return _set(services, round_id, person)


@router.get("/{round_id}/document", response_model=dict[str, Any])
def get_document(round_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    A round as a document (`bouquet-round/1`), with names where the store has numbers.
    """
    with services.store.session() as session:
        return document_of(seen_round(session, round_id, person)).as_document()


@router.post("/document", response_model=RoundOut, status_code=201)
def add_by_document(body: dict[str, Any], services: TheServices, person: Designer) -> Any:
    """
    Set a round that a document says. What it names is looked up here.
    """
    with services.store.session() as session:
        wanted = named_in(session, read_round(body), person)
    return add(wanted, services, person)


@router.patch("/{round_id}", response_model=RoundOut)
def change(round_id: Id, body: RoundChange, services: TheServices, person: Runner) -> Any:
    """
    Pause a round, or let it go on; or say who looks after it beside its owner, which its owner does.
    """
    with services.store.session() as session:
        found = seen_round(session, round_id, person)
        _check_looks_after(found, person)
        if body.shared_with is not None:
            _check_owner(found, person)
            found.shared_with = checked_entries(session, [e.model_dump(exclude_none=True) for e in body.shared_with])
        if body.paused is not None:
            found = set_paused(session, round_id, body.paused, services.clock(), body.until)
        return _out(services, session, found, person, AHEAD)


@router.post("/{round_id}/hand-over", response_model=RoundOut)
def hand_round_over_to(round_id: Id, body: HandOver, services: TheServices, person: Designer) -> Any:
    """
    Make a round somebody else's: from now on it runs with their rights.
    """
    with services.store.session() as session:
        found = seen_round(session, round_id, person)
        _check_owner(found, person)
        hand_round_over(services, session, found, accounts.get_person(session, body.to))
        session.flush()
        return _out(services, session, found, person, AHEAD)


@router.post("/{round_id}/skip", response_model=RoundOut)
def skip(round_id: Id, services: TheServices, person: Runner) -> Any:
    """
    Leave the next planned moment out.
    """
    with services.store.session() as session:
        _check_looks_after(seen_round(session, round_id, person), person)
        found = skip_next(session, round_id, person.name, services.clock())
        return _out(services, session, found, person, AHEAD)


@router.post("/{round_id}/run", response_model=RunOut, status_code=202)
def run_by_hand(round_id: Id, services: TheServices, queue: TheQueue, person: Runner) -> Any:
    """
    Run a round now, as an occurrence of its own.
    """
    with services.store.session() as session:
        _check_looks_after(seen_round(session, round_id, person), person)
        run = run_now(services, session, round_id, services.clock())
        run_id, status = run.id, run.status
    if status == "asked":
        queue.put(run_id)
    with services.store.session() as session:
        return run_out(ledger.get_run(session, run_id), person)


@router.post("/{round_id}/call", response_model=RunOut, status_code=202)
def call_round(
    round_id: Id,
    services: TheServices,
    queue: TheQueue,
    person: Runner,
    body: RoundCall | None = None,
    idempotency_key: Annotated[str | None, Header(alias="Idempotency-Key", max_length=100)] = None,
) -> Any:
    """
    Start a round that waits to be called: by a program, or by whoever may run its template. The same `Idempotency-Key`
    gives the same run. `answers` go before those of the round.
    """
    with services.store.session() as session:
        found = seen_round(session, round_id, person)
        if found.trigger != "called":
            raise Refused(409, "not_called", tr("This round does not wait to be called."))
        if found.paused:
            raise Refused(409, "paused", tr("This round is paused."))
        answers = body.answers if body is not None else None
        run = call(services, session, round_id, person, idempotency_key, services.clock(), answers)
        out = run_out(run, person)
    if out.status == "asked":
        queue.put(out.id)
    return out


@router.delete("/{round_id}", status_code=204)
def remove(round_id: Id, services: TheServices, person: Designer) -> None:
    """
    Remove a round; its runs stay in the ledger.
    """
    with services.store.session() as session:
        _check_owner(seen_round(session, round_id, person), person)
        remove_round(session, round_id, services.clock())


@router.post("/{round_id}/restore", response_model=RoundOut)
def restore(round_id: Id, services: TheServices, person: Designer) -> Any:
    """
    Bring back a removed round; it is paused until it is let go on.
    """
    with services.store.session() as session:
        found = session.get(Round, round_id)
        if found is None or found.deleted_at is None or not may(person, "look", found):
            msg = tr("There is no such removed round.")
            raise NotFound(msg)
        _check_owner(found, person)
        found.deleted_at, found.paused = None, True
        return _out(services, session, found, person, AHEAD)


def _owns(found: Round, person: Person) -> bool:
    return found.created_by == person.id or "keeper" in person.roles


def _check_looks_after(found: Round, person: Person) -> None:
    if not looks_after(person, found):
        said = tr("Only who set this round, whoever looks after it with them, or an administrator may do this.")
        raise Refused(403, "not_allowed", said)


def _check_owner(found: Round, person: Person) -> None:
    if not _owns(found, person):
        raise Refused(403, "not_allowed", tr("Only who set this round, or an administrator, changes it."))


def _out(services: Services, session: Session, found: Round, person: Person, ahead: int) -> RoundOut:
    return _all_out(services, session, [found], person, ahead)[0]


def _all_out(services: Services, session: Session, rounds: list[Round], person: Person, ahead: int) -> list[RoundOut]:
    """
    Rounds as they are told, with as many questions to the store for many as for one.
    """
    off, runs = days_off(session), ledger.last_runs_of_rounds(session, [r.id for r in rounds], person, BEHIND)
    documents = shelf.running_documents(session, [r.template for r in rounds])
    owners = names_of(session, {r.created_by for r in rounds})
    told = []
    for found in rounds:
        upcoming, running = _upcoming(found, off, ahead), documents[found.template_id]
        more = {"owner": owners[found.created_by], "runs": [run_out(r, person) for r in runs.get(found.id, ())]}
        told.append(_told(services, found, person, upcoming, running, more))
    return told


def _upcoming(found: Round, off: DaysOff, ahead: int) -> list[datetime]:
    """
    The next planned moments of a round.
    """
    try:
        planned = rhythm_of(found, off).next(found.next_at, ahead - 1) if found.next_at < NEVER else []
    except (KeyError, ValueError, OSError, BouquetError):
        # A zone that is none any more: the round says so, and the others are still listed.
        return []
    return [] if found.paused or found.next_at >= NEVER else [found.next_at, *planned]


def _told(
    services: Services,
    found: Round,
    person: Person,
    upcoming: list[datetime],
    running: dict[str, Any],
    more: dict[str, Any],
) -> RoundOut:
    return RoundOut(
        id=found.id,
        template_id=found.template_id,
        template=found.template.name,
        words=rhythm_words(found),
        trigger=found.trigger,
        after_id=found.after_id,
        when_empty=found.when_empty,
        watch=found.watch,
        event=Event.model_validate(found.event) if found.event else None,
        answers=found.answers,
        kind=found.template.kind,
        source=found.template.source,
        records="" if found.template.kind == "bundle" else str(running.get("records", "")),
        paused_until=found.paused_until,
        paused_for=found.paused_for,
        mine=found.created_by == person.id,
        owner_id=found.created_by,
        looked_after=looks_after(person, found),
        shared_with=[SharedWith(**entry) for entry in found.shared_with] if _owns(found, person) else [],
        purpose=found.purpose,
        rhythm=found.rhythm,
        mail_to=found.mail_to,
        zone=found.zone,
        folder=found.folder,
        format=found.format,
        mode=found.mode,
        paused=found.paused,
        recipients=[
            RoundRecipientOut(
                recipient_id=e.recipient_id,
                must=e.must,
                when_empty=e.when_empty,
                only=cast(Only | None, e.only),
                remembers=_remembers(found, e.only or running.get("only", "everything")),
                name=e.recipient.name,
                kind=e.recipient.means.kind,
            )
            for e in found.recipients
        ],
        own_part=found.own_part,
        remembers=bool(found.folder or found.mail_to or not found.recipients or found.own_part)
        and running.get("only", "everything") != "everything",
        next=upcoming,
        covers=_covers(services, found, running, upcoming),
        **more,
    )


def _remembers(found: Round, only: str) -> bool:
    """
    Whether what a recipient of a round was sent is remembered for them alone.
    """
    return only != "everything" and found.own_part is None


def _covers(services: Services, found: Round, running: dict[str, Any], moments: list[datetime]) -> list[str]:
    """
    The days that each of the next moments covers; nothing where the template has no window, or several.
    """
    if found.template.kind == "bundle" or not moments:
        return []
    template = read_document(running)
    window = window_of(template.filter)
    if window is None:
        return []
    return covered_days(moments, window[1], ZoneInfo(template.zone), year_start=services.year_start)
