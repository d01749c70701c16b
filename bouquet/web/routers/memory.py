"""
What a template has sent: looked at, forgotten so that it is sent again, or marked as sent.
"""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

import structlog
from fastapi import APIRouter, Depends
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.memory import key_digest
from bouquet.rights import may_change
from bouquet.store import OutOfScope
from bouquet.store import memory as memories
from bouquet.store import memory_changes as changes
from bouquet.store.memory import Memory
from bouquet.store.models import Person
from bouquet.store.rounds import get_round
from bouquet.web.access import CurrentPerson, Id, TheServices, WholeNumber, needs, visible
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.schemas.memory import MemoryAct, MemoryChanged, MemoryChangeOut, MemoryFound, MemoryKey, MemoryOut

log = structlog.get_logger()

router = APIRouter(
    route_class=ExactRoute,
    prefix="/templates/{template_id}/memory",
    tags=["templates"],
    dependencies=[Depends(needs("look"))],
)

Designer = Annotated[Person, Depends(needs("design"))]


def _whose(template_id: Id, round_id: WholeNumber = 0, recipient_id: WholeNumber = 0) -> Memory:
    """
    A template's memory, as it is taken by hand, or that of a round, there of one of its recipients.
    """
    return Memory(template_id, round_id, recipient_id)


Whose = Annotated[Memory, Depends(_whose)]


@router.get("", response_model=MemoryOut)
def get_memory(whose: Whose, services: TheServices, person: CurrentPerson) -> Any:
    """
    How much was sent, by hand, or by a round, there to one of its recipients.
    """
    with services.store.session() as session:
        memory = _memory(session, person, whose)
        if person.scope is not None:
            # How many there are is more than they may know.
            raise OutOfScope(tr("It remembers records that you may not see."))
        records, first, last = memories.facts_of(session, memory)
        undone = [
            MemoryChangeOut(id=c.id, kind=c.kind, who=c.who, at=c.at, records=c.records)
            for c in changes.list_changes(session, memory, services.clock())
        ]
    return MemoryOut(records=records, first_sent=first, last_sent=last, changes=undone)


@router.post("/look", response_model=MemoryFound)
def look_into_memory(whose: Whose, body: MemoryKey, services: TheServices, person: Designer) -> Any:
    """
    When a record was last sent, and in which run.
    """
    with services.store.session() as session:
        found = memories.look_up(session, _memory(session, person, whose), key_digest(body.key))
    return MemoryFound(sent_at=found[0] if found else None, run_id=found[1] if found else None)


@router.post("/forget", response_model=MemoryChanged)
def forget_sent(whose: Whose, body: MemoryAct, services: TheServices, person: Designer) -> Any:
    """
    Send again: these records, those sent since a moment, or all of them.
    """
    keys = [key_digest(k) for k in body.keys] if body.keys is not None else None
    with services.store.session() as session:
        memory = _own_memory(session, person, whose)
        count = changes.forget(session, memory, person.name, services.clock(), keys=keys, since=body.since)
    log.info(
        "memory_forgotten",
        **asdict(whose),
        records=count,
        person=person.id,
    )
    return MemoryChanged(records=count)


@router.post("/mark", response_model=MemoryChanged)
def mark_as_sent(whose: Whose, body: MemoryAct, services: TheServices, person: Designer) -> Any:
    """
    Take records as sent that were not sent from here. They are not new any more; a change of them is not noticed.
    """
    keys = [key_digest(k) for k in body.keys or []]
    with services.store.session() as session:
        memory = _own_memory(session, person, whose)
        count = changes.mark(session, memory, person.name, services.clock(), keys)
    log.info("memory_marked", **asdict(whose), records=count, person=person.id)
    return MemoryChanged(records=count)


@router.post("/undo/{change_id}", response_model=MemoryChanged)
def undo_memory_change(whose: Whose, change_id: Id, services: TheServices, person: Designer) -> Any:
    """
    Undo a change that somebody made by hand, within a day. What was sent meanwhile stays as it was sent.
    """
    with services.store.session() as session:
        memory = _own_memory(session, person, whose)
        count = changes.undo(session, memory, change_id, services.clock())
    log.info(
        "memory_change_undone",
        **asdict(whose),
        records=count,
        person=person.id,
    )
    return MemoryChanged(records=count)


def _memory(session: Session, person: Person, memory: Memory) -> Memory:
    visible(session, person, memory.template_id)
    round_ = get_round(session, memory.round_id) if memory.round_id else None
    if round_ is not None and round_.template_id != memory.template_id:
        raise Refused(404, "not_found", tr("This template has no such round."))
    named = {entry.recipient_id for entry in round_.recipients} if round_ is not None else set()
    if memory.recipient_id and memory.recipient_id not in named:
        raise Refused(404, "not_found", tr("This round has no such recipient."))
    return memory


def _own_memory(session: Session, person: Person, memory: Memory) -> Memory:
    _memory(session, person, memory)
    record = visible(session, person, memory.template_id)
    if person.scope is not None or not may_change(person, record):
        message = tr(
            "Only {owner} or an administrator changes what this template remembers.",
            owner=record.owner.name,
        )
        raise Refused(403, "not_allowed", message)
    return memory
