"""
What is new for a person: notices, and the progress of their runs.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator
from typing import Any

import sqlalchemy as sa
from fastapi import APIRouter, Depends, Request
from fastapi.sse import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from bouquet.runs import Services
from bouquet.store import runs as ledger
from bouquet.store.models import LATER, Notice, Person, Run
from bouquet.web.access import CurrentPerson, TheServices, needs, still_signed_in
from bouquet.web.bodies import ExactRoute
from bouquet.web.newsroom import Newsroom
from bouquet.web.routers.runs import run_out
from bouquet.web.schemas.runs import NoticeOut, RunOut

router = APIRouter(route_class=ExactRoute, tags=["runs"], dependencies=[Depends(needs("look"))])

#: Seconds between two looks at the ledger for a browser that listens, however much is new; and where nobody says when
#: something is.
LISTEN_EVERY, LOOK_EVERY = 0.5, 2.0

#: Windows in which one person listens in each process at most.
MOST_STREAMS = 100

#: Seconds after which a silent stream says that it lives, and looks all the same.
KEEP_ALIVE, LOOK_ANYHOW = 15.0, 60.0


@router.get("/notices", response_model=list[NoticeOut])
def list_notices(services: TheServices, person: CurrentPerson) -> Any:
    """
    My notices, newest first.
    """
    with services.store.session() as session:
        mine = ledger.list_notices(session, person.id)
        runs = ledger.runs_by_id(session, [n.run_id for n in mine if n.run_id is not None])
        return [_notice_out(n, runs.get(n.run_id or 0)) for n in mine]


def _notice_out(notice: Notice, run: Run | None) -> NoticeOut:
    if run is None:
        return NoticeOut(
            id=notice.id,
            run_id=None,
            link=notice.link,
            text=notice.text,
            created_at=notice.created_at,
            read=notice.read_at is not None,
            file_id=None,
            file_name="",
        )
    there = [f for f in run.files if f.removed_at is None and f.role not in LATER] if run.status == "ready" else []
    # One file is led to itself; of several, the page of the run offers each and all.
    file = there[0] if len(there) == 1 else None
    return NoticeOut(
        id=notice.id,
        run_id=notice.run_id,
        text=notice.text,
        created_at=notice.created_at,
        read=notice.read_at is not None,
        file_id=file.id if file else None,
        file_name=file.name if file else "",
    )


@router.post("/notices/read", status_code=204)
def read_notices(services: TheServices, person: CurrentPerson) -> None:
    """
    Mark my notices as read.
    """
    with services.store.session() as session:
        ledger.read_notices(session, person.id, services.clock())


@router.get("/events", response_class=EventSourceResponse)
async def listen(request: Request, services: TheServices, person: CurrentPerson) -> AsyncIterator[ServerSentEvent]:
    """
    Server-sent events: `run` with a run of mine whenever it has come further, `notice` with the number unread.
    """
    seen: dict[int, str] = {}
    unread = -1
    newsroom: Newsroom = request.app.state.newsroom
    yield ServerSentEvent(retry=2000, comment="listening")
    if newsroom.listeners(person.id) >= MOST_STREAMS:
        return
    with newsroom.waiting(person.id) as news:
        while not await request.is_disconnected() and not request.app.state.stopping:
            news.clear()
            try:
                # A session may have ended in the meantime, and with it what its browser hears.
                if (now := await run_in_threadpool(still_signed_in, request, services)) is None:
                    return
                runs, count = await run_in_threadpool(_news, services, now)
            except sa.exc.DBAPIError:
                # The database is away for a moment; the browser keeps listening.
                runs, count = [], unread
            for run in runs:
                text = run.model_dump_json()
                if seen.get(run.id) != text:
                    seen[run.id] = text
                    yield ServerSentEvent(event="run", raw_data=text)
            if count != unread:
                unread = count
                yield ServerSentEvent(event="notice", data={"unread": count})
            await asyncio.sleep(LISTEN_EVERY)
            looked = time.monotonic()
            while not news.is_set() and time.monotonic() - looked < (LOOK_ANYHOW if newsroom.listens else LOOK_EVERY):
                try:
                    await asyncio.wait_for(news.wait(), KEEP_ALIVE if newsroom.listens else LOOK_EVERY)
                except TimeoutError:
                    yield ServerSentEvent(comment="still here")


def _news(services: Services, person: Person) -> tuple[list[RunOut], int]:
    with services.store.session() as session:
        runs = ledger.list_runs(session, ledger.RunFilter(person_id=person.id), at_most=20)
        unread = sum(n.read_at is None for n in ledger.list_notices(session, person.id))
        return [run_out(r, person) for r in reversed(runs)], unread
