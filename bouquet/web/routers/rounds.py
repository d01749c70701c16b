"""
Rounds: templates set to run by the calendar.
"""

from __future__ import annotations

from datetime import time
from typing import Annotated, Any
from zoneinfo import ZoneInfo, available_timezones

from fastapi import APIRouter, Depends, Query
from sqlalchemy.orm import Session

from bouquet.core.errors import PlanError
from bouquet.core.plan import resolve
from bouquet.core.recurrence import Rhythm
from bouquet.core.template import read_document
from bouquet.rounds import get_round, list_rounds, remove_round, rhythm_of, rhythm_words, set_paused
from bouquet.runs import Services, appendable, checked_folder, no_purpose
from bouquet.store import NotFound
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Person, Round, TemplateRecord
from bouquet.web.access import CurrentPerson, Id, TheServices, may_see, needs, visible
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.routers.runs import run_out
from bouquet.web.schemas.runs import NewRound, Planned, RoundChange, RoundOut

router = APIRouter(route_class=ExactRoute, prefix="/rounds", tags=["rounds"], dependencies=[Depends(needs("look"))])

Designer = Annotated[Person, Depends(needs("design"))]

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
        rounds = [r for r in list_rounds(session) if may_see(person, r.template)]
        return [_out(services, session, r, person, ahead) for r in rounds]


@router.post("/preview", response_model=Planned)
def preview(body: NewRound, services: TheServices, person: CurrentPerson) -> Any:
    """
    The next planned moments of a rhythm, before it is set. Nothing is kept.
    """
    rhythm = _rhythm(body)
    checked_folder(body.folder)
    return Planned(words=rhythm.words(), next=rhythm.next(services.clock(), AHEAD))


@router.post("", response_model=RoundOut, status_code=201)
def add(body: NewRound, services: TheServices, person: Designer) -> Any:
    """
    Set a template to run by the calendar. It needs a saved version, since a round runs what was saved.
    """
    rhythm = _rhythm(body)
    checked_folder(body.folder)
    with services.store.session() as session:
        record = visible(session, person, body.template_id)
        if record.version == 0:
            raise Refused(422, "not_saved", f"“{record.name}” has no saved version yet. Save it first.")
        saved = shelf.latest_version(session, record.id)
        why = appendable(read_document(saved.document), body.format) if saved and body.mode == "append" else None
        if why is not None:
            raise Refused(422, "not_appendable", why)
        personal = _personal(services, person, record)
        if personal and not body.purpose.strip():
            raise PlanError([no_purpose(personal)])
        found = Round(
            purpose=body.purpose.strip(),
            template_id=record.id,
            beat=body.beat,
            day=body.day,
            at=rhythm.at,
            zone=body.zone,
            folder=body.folder.strip(),
            format=body.format,
            mode=body.mode,
            next_at=rhythm.next(services.clock(), 1)[0],
            created_by=person.id,
            deleted_at=None,
        )
        session.add(found)
        session.flush()
        session.refresh(found)
        return _out(services, session, found, person, AHEAD)


@router.patch("/{round_id}", response_model=RoundOut)
def change(round_id: Id, body: RoundChange, services: TheServices, person: Designer) -> Any:
    """
    Pause a round, or let it go on.
    """
    with services.store.session() as session:
        _check_owner(_seen_round(session, round_id, person), person)
        found = set_paused(session, round_id, body.paused, services.clock())
        return _out(services, session, found, person, AHEAD)


@router.delete("/{round_id}", status_code=204)
def remove(round_id: Id, services: TheServices, person: Designer) -> None:
    """
    Remove a round; its runs stay in the ledger.
    """
    with services.store.session() as session:
        _check_owner(_seen_round(session, round_id, person), person)
        remove_round(session, round_id, services.clock())


@router.post("/{round_id}/restore", response_model=RoundOut)
def restore(round_id: Id, services: TheServices, person: Designer) -> Any:
    """
    Bring back a removed round; it is paused until it is let go on.
    """
    with services.store.session() as session:
        found = session.get(Round, round_id)
        if found is None or found.deleted_at is None or not may_see(person, found.template):
            msg = "There is no such removed round."
            raise NotFound(msg)
        _check_owner(found, person)
        found.deleted_at, found.paused = None, True
        return _out(services, session, found, person, AHEAD)


def _seen_round(session: Session, round_id: int, person: Person) -> Round:
    """
    A round of a template that a person may see. Raises NotFound.
    """
    found = get_round(session, round_id)
    if not may_see(person, found.template):
        msg = "There is no such round, or it was removed."
        raise NotFound(msg)
    return found


def _personal(services: Services, person: Person, record: TemplateRecord) -> tuple[str, ...]:
    """
    The columns with personal data that a template has.
    """
    context = services.context(scope=person.scope)
    plan = resolve(read_document(record.draft), services.source.catalogue(), context).partial
    return plan.personal if plan is not None else ()


def _check_owner(found: Round, person: Person) -> None:
    if found.created_by != person.id and "keeper" not in person.roles:
        raise Refused(403, "not_allowed", "Only who set this round, or an administrator, changes it.")


def _rhythm(body: NewRound) -> Rhythm:
    if body.zone not in available_timezones():
        raise Refused(422, "unknown_zone", f"“{body.zone}” is not a time zone, such as Europe/London.")
    return Rhythm(beat=body.beat, at=time.fromisoformat(body.at), zone=ZoneInfo(body.zone), day=body.day)


def _out(services: Services, session: Any, found: Round, person: Person, ahead: int) -> RoundOut:
    try:
        upcoming = [] if found.paused else [found.next_at, *rhythm_of(found).next(found.next_at, ahead - 1)]
    except (KeyError, ValueError, OSError):
        # A zone that is none any more: the round says so, and the others are still listed.
        upcoming = []
    runs = ledger.list_runs(session, ledger.RunFilter(round_id=found.id), at_most=BEHIND)
    return RoundOut(
        id=found.id,
        template_id=found.template_id,
        template=found.template.name,
        words=rhythm_words(found),
        beat=found.beat,
        zone=found.zone,
        folder=found.folder,
        format=found.format,
        mode=found.mode,
        paused=found.paused,
        next=upcoming,
        runs=[run_out(r, person) for r in runs],
    )
