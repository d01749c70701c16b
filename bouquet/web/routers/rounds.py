"""
Rounds: templates set to run by the calendar.
"""

from __future__ import annotations

from datetime import time
from typing import Annotated, Any
from zoneinfo import ZoneInfo, available_timezones

from fastapi import APIRouter, Depends

from bouquet.core.recurrence import Rhythm
from bouquet.core.template import read_document
from bouquet.rounds import get_round, list_rounds, remove_round, rhythm_of, set_paused
from bouquet.runs import Services, appendable, outgoing_folder
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Person, Round
from bouquet.web.access import CurrentPerson, TheServices, needs, visible
from bouquet.web.problems import Refused
from bouquet.web.routers.runs import run_out
from bouquet.web.schemas.runs import NewRound, Planned, RoundChange, RoundOut

router = APIRouter(prefix="/rounds", tags=["rounds"], dependencies=[Depends(needs("look"))])

Designer = Annotated[Person, Depends(needs("design"))]

#: Planned moments shown ahead.
AHEAD = 5

#: Runs of a round shown on its line of the board.
BEHIND = 20


@router.get("", response_model=list[RoundOut])
def list_all(services: TheServices, person: CurrentPerson, ahead: int = 14) -> Any:
    """
    All rounds, each with its next planned moments and its last runs.
    """
    with services.store.session() as session:
        return [_out(services, session, r, person, min(max(ahead, 1), 60)) for r in list_rounds(session)]


@router.post("/preview", response_model=Planned)
def preview(body: NewRound, services: TheServices, person: CurrentPerson) -> Any:
    """
    The next planned moments of a rhythm, before it is set. Nothing is kept.
    """
    rhythm = _rhythm(body)
    outgoing_folder(services.outgoing, body.folder)
    return Planned(words=rhythm.words(), next=rhythm.next(services.clock(), AHEAD))


@router.post("", response_model=RoundOut, status_code=201)
def add(body: NewRound, services: TheServices, person: Designer) -> Any:
    """
    Set a template to run by the calendar. It needs a saved version, since a round runs what was saved.
    """
    rhythm = _rhythm(body)
    outgoing_folder(services.outgoing, body.folder)
    with services.store.session() as session:
        record = visible(session, person, body.template_id)
        if record.version == 0:
            raise Refused(422, "not_saved", f"“{record.name}” has no saved version yet. Save it first.")
        saved = shelf.latest_version(session, record.id)
        why = appendable(read_document(saved.document), body.format) if saved and body.mode == "append" else None
        if why is not None:
            raise Refused(422, "not_appendable", why)
        found = Round(
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
def change(round_id: int, body: RoundChange, services: TheServices, person: Designer) -> Any:
    """
    Pause a round, or let it go on.
    """
    with services.store.session() as session:
        found = set_paused(session, round_id, body.paused, services.clock())
        return _out(services, session, found, person, AHEAD)


@router.delete("/{round_id}", status_code=204)
def remove(round_id: int, services: TheServices, person: Designer) -> None:
    """
    Remove a round; its runs stay in the ledger.
    """
    with services.store.session() as session:
        remove_round(session, get_round(session, round_id).id, services.clock())


def _rhythm(body: NewRound) -> Rhythm:
    if body.zone not in available_timezones():
        raise Refused(422, "unknown_zone", f"“{body.zone}” is not a time zone, such as Europe/London.")
    return Rhythm(beat=body.beat, at=time.fromisoformat(body.at), zone=ZoneInfo(body.zone), day=body.day)


def _out(services: Services, session: Any, found: Round, person: Person, ahead: int) -> RoundOut:
    rhythm = rhythm_of(found)
    upcoming = [] if found.paused else [found.next_at, *rhythm.next(found.next_at, ahead - 1)]
    runs = ledger.list_runs(session, ledger.RunFilter(round_id=found.id), at_most=BEHIND)
    return RoundOut(
        id=found.id,
        template_id=found.template_id,
        template=found.template.name,
        words=rhythm.words(),
        beat=found.beat,
        zone=found.zone,
        folder=found.folder,
        format=found.format,
        mode=found.mode,
        paused=found.paused,
        next=upcoming,
        runs=[run_out(r, person) for r in runs],
    )
