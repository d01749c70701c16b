"""
The journal: read, narrowed, exported and held against its seals by who audits the house.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query
from fastapi.responses import StreamingResponse

from bouquet.core.language import tr
from bouquet.core.naming import content_disposition
from bouquet.core.shaping import guarded
from bouquet.runs import Services
from bouquet.store import journal
from bouquet.store.models import JournalEntry
from bouquet.web.access import TheServices, WholeNumber, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas.journal import EntryOut, JournalPage, VerifiedOut

router = APIRouter(route_class=ExactRoute, prefix="/journal", tags=["journal"], dependencies=[Depends(needs("audit"))])

#: Entries of a page on the screen, and of one that is exported.
PAGE, EXPORTED = 100, 2_000

COLUMNS = ("id", "at", "who", "via", "address", "act", "thing", "thing_id", "name", "facts")

Short = Annotated[str | None, Query(max_length=200)]


def wanted_entries(
    person: WholeNumber | None = None,
    act: Short = None,
    thing: Short = None,
    thing_id: Short = None,
    search: Short = None,
    since: datetime | None = None,
    until: datetime | None = None,
    before: WholeNumber | None = None,
) -> journal.JournalFilter:
    """
    Which entries are wanted, as it stands in an address.
    """
    return journal.JournalFilter(person, act, thing, thing_id, search, since, until, before)


Wanted = Annotated[journal.JournalFilter, Depends(wanted_entries)]


@router.get("", response_model=JournalPage)
def read_journal(services: TheServices, wanted: Wanted) -> Any:
    """
    Who did what, the newest first.
    """
    with services.store.session() as session:
        found = journal.list_entries(session, wanted, PAGE + 1)
        out = [EntryOut.model_validate(e, from_attributes=True) for e in found[:PAGE]]
    for entry in out:
        entry.act = tr(entry.act)
    return JournalPage(entries=out, next=out[-1].id if len(found) > PAGE else None)


@router.get("/verify", response_model=VerifiedOut)
def verify(services: TheServices) -> Any:
    """
    Hold every entry against its seal. What is wrong is told in words.
    """
    with services.store.session() as session:
        found = journal.verify_journal(session, services.clock())
        return VerifiedOut.model_validate(found, from_attributes=True)


@router.get("/export", response_class=StreamingResponse)
def export_journal(services: TheServices, wanted: Wanted) -> StreamingResponse:
    """
    The entries as CSV (RFC 4180), the newest first.
    """
    return StreamingResponse(
        _lines(services, wanted),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": content_disposition(f"journal_{services.clock():%Y-%m-%d}.csv")},
    )


def _lines(services: Services, wanted: journal.JournalFilter) -> Iterator[str]:
    yield _line(COLUMNS)
    before = wanted.before
    while True:
        with services.store.session() as session:
            found = journal.list_entries(session, replace(wanted, before=before), EXPORTED)
            lines = [_line(_cells(e)) for e in found]
        if not lines:
            return
        before = found[-1].id
        yield from lines


def _cells(entry: JournalEntry) -> tuple[Any, ...]:
    facts = json.dumps(entry.facts, ensure_ascii=False) if entry.facts else ""
    told = (entry.who, entry.via, entry.address, entry.act, entry.thing, entry.thing_id, entry.name, facts)
    return (entry.id, entry.at.astimezone(UTC).isoformat(), *map(guarded, told))


def _line(cells: tuple[Any, ...]) -> str:
    text = io.StringIO()
    csv.writer(text, lineterminator="\r\n").writerow(cells)
    return text.getvalue()
