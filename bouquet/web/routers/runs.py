"""
Runs: asking for them, the ledger, files, notices, progress.
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Annotated, Any

import sqlalchemy as sa
from fastapi import APIRouter, Depends, Header, Query, Request
from fastapi.responses import FileResponse, StreamingResponse
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool

from bouquet.core.errors import PlanError, Problem
from bouquet.core.template import Narrowing, Picks, Window, narrowed, only_records, read_document, with_windows
from bouquet.runs import Services, ask_for_run
from bouquet.store import NotFound, views
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Person, Run
from bouquet.web.access import CurrentPerson, TheQueue, TheServices, needs, visible
from bouquet.web.problems import Refused
from bouquet.web.schemas import NewRun, NoticeOut, RunFileOut, RunOut, RunPage

router = APIRouter(tags=["runs"], dependencies=[Depends(needs("look"))])

Runner = Annotated[Person, Depends(needs("run"))]

#: Seconds between two looks at the ledger for a browser that listens.
LISTEN_EVERY = 0.5

#: Seconds after which a silent stream says that it lives.
KEEP_ALIVE = 15.0


def run_out(run: Run, person: Person, *, slip: bool = False) -> RunOut:
    """
    A run as it goes over the wire; `slip` takes the slip along.
    """
    return RunOut(
        id=run.id,
        template_id=run.template_id,
        version=run.version,
        name=run.name,
        format=run.format,
        asked_by=run.asked_by,
        via=run.via,
        as_of=run.as_of,
        status=run.status,
        stage=run.stage,
        rows_announced=run.rows_announced,
        rows_written=run.rows_written,
        error=run.error,
        asked_at=run.asked_at,
        started_at=run.started_at,
        finished_at=run.finished_at,
        delivered_to=run.delivered_to,
        files=[RunFileOut.model_validate(f, from_attributes=True) for f in run.files],
        mine=run.person_id == person.id,
        purpose=run.purpose,
        answers=run.answers,
        slip=run.slip if slip else None,
    )


@router.post("/runs", response_model=RunOut, status_code=202)
def add_run(
    body: NewRun,
    services: TheServices,
    queue: TheQueue,
    person: Runner,
    idempotency_key: Annotated[str | None, Header(alias="Idempotency-Key", max_length=100)] = None,
) -> Any:
    """
    Ask for a run in the background. Asking again under the same `Idempotency-Key` gives the same run.
    """
    document, version = _what_to_run(services, person, body)
    limited = _limited(services, document, body)
    run = ask_for_run(
        services,
        limited,
        person=person,
        via="hand" if limited == document else ledger.ONCE,
        format=body.format,
        template_id=body.template_id,
        version=version if limited == document else None,
        idempotency_key=idempotency_key,
        answers=body.answers,
        purpose=body.purpose.strip(),
    )
    if run.status == "asked":
        queue.put(run.id)
        given = {"answers": body.answers, "format": body.format}
        if body.template_id is not None and any(given.values()):
            with services.store.session() as session:
                views.put_pin(session, person, body.template_id, **{k: v for k, v in given.items() if v})
    return run_out(run, person)


def _what_to_run(services: Services, person: Person, body: NewRun) -> tuple[dict[str, Any], int | None]:
    """
    The document asked for, and the number of its version, if it is one.
    """
    if body.template_id is None:
        if body.document is None:
            raise Refused(422, "nothing_to_run", "Say which template, or which document, is to be run.")
        return body.document, None
    with services.store.session() as session:
        record = visible(session, person, body.template_id)
        saved = shelf.latest_version(session, record.id)
    draft = body.use == "draft" or saved is None
    document = record.draft if draft or saved is None else saved.document
    return document, saved.number if saved and saved.document == document else None


def _limited(services: Services, document: dict[str, Any], body: NewRun) -> dict[str, Any]:
    """
    The document with what is asked for this once: single records, a saved list, what a person sees, other windows.
    """
    template = read_document(document)
    if body.windows:
        read = {}
        for place, raw in body.windows.items():
            try:
                read[place] = Window.model_validate(raw)
            except ValidationError as error:
                message = "This is not a period."
                raise PlanError([Problem(code="bad_window", message=message, place=f"windows.{place}")]) from error
        template = with_windows(template, read)
    others: list[Narrowing] = []
    record_type = services.source.catalogue().record_types.get(template.records)
    if body.only is not None and record_type is not None:
        others.append(only_records(record_type, body.only))
    if body.picks is not None:
        others.append(Picks(picks=body.picks))
    if body.also is not None:
        also = read_document({"name": "also", "records": template.records, "filter": body.also})
        others.append(also.filter)
    return narrowed(template, *others).as_document() if others or body.windows else document


@router.get("/runs", response_model=RunPage)
def list_runs(
    services: TheServices,
    person: CurrentPerson,
    before: int | None = None,
    at_most: Annotated[int, Query(ge=1, le=200)] = 50,
    template_id: int | None = None,
    status: str | None = None,
    search: Annotated[str | None, Query(max_length=100)] = None,
) -> Any:
    """
    The ledger, newest first. `before` is the cursor of the page before.
    """
    with services.store.session() as session:
        runs = ledger.list_runs(
            session, before=before, at_most=at_most, template_id=template_id, status=status, search=search
        )
        out = [run_out(r, person) for r in runs]
    return RunPage(runs=out, next=out[-1].id if len(out) == at_most else None)


@router.get("/runs/{run_id}", response_model=RunOut)
def get_run(run_id: int, services: TheServices, person: CurrentPerson) -> Any:
    """
    One run, with its slip once it is ready.
    """
    with services.store.session() as session:
        return run_out(ledger.get_run(session, run_id), person, slip=True)


@router.post("/runs/{run_id}/cancel", response_model=RunOut)
def cancel_run(run_id: int, services: TheServices, person: Runner) -> Any:
    """
    Stop a run. One that is over stays as it is.
    """
    with services.store.session() as session:
        run = ledger.get_run(session, run_id)
        if run.person_id != person.id and "keeper" not in person.roles:
            raise Refused(403, "not_allowed", f"Only {run.asked_by} or a keeper can cancel this run.")
        return run_out(ledger.request_cancel(session, run_id, services.clock()), person)


@router.get("/runs/{run_id}/files/{file_id}", response_class=FileResponse)
def get_file(run_id: int, file_id: int, services: TheServices, person: CurrentPerson) -> FileResponse:
    """
    A file of a run. Who may see only a part of the source gets files of their own part.
    """
    with services.store.session() as session:
        run = ledger.get_run(session, run_id)
        files = {f.id: f for f in run.files}
        if person.scope is not None and run.scope != person.scope:
            message = "This file holds records that you may not see. A keeper can widen what you may see."
            raise Refused(403, "out_of_scope", message)
    file = files.get(file_id)
    if file is None:
        msg = f"Run {run_id} has no such file."
        raise NotFound(msg)
    path = services.files / file.path
    if not path.is_file():
        msg = f"The file “{file.name}” is no longer in the file store."
        raise NotFound(msg)
    return FileResponse(path, media_type=file.media_type, filename=file.name, headers={"ETag": f'"{file.sha256}"'})


@router.get("/notices", response_model=list[NoticeOut])
def list_notices(services: TheServices, person: CurrentPerson) -> Any:
    """
    My notices, newest first.
    """
    with services.store.session() as session:
        return [
            NoticeOut(id=n.id, run_id=n.run_id, text=n.text, created_at=n.created_at, read=n.read_at is not None)
            for n in ledger.list_notices(session, person.id)
        ]


@router.post("/notices/read", status_code=204)
def read_notices(services: TheServices, person: CurrentPerson) -> None:
    """
    Mark my notices as read.
    """
    with services.store.session() as session:
        ledger.read_notices(session, person.id, services.clock())


@router.get("/events", response_class=StreamingResponse)
async def listen(request: Request, services: TheServices, person: CurrentPerson) -> StreamingResponse:
    """
    Server-sent events: `run` with a run of mine whenever it has come further, `notice` with the number unread.
    """
    return StreamingResponse(
        _events(request, services, person), media_type="text/event-stream", headers={"Cache-Control": "no-store"}
    )


async def _events(request: Request, services: Services, person: Person) -> AsyncIterator[str]:
    seen: dict[int, str] = {}
    unread = -1
    quiet = 0.0
    yield "retry: 2000\n\n"
    while not await request.is_disconnected() and not request.app.state.stopping:
        try:
            runs, count = await run_in_threadpool(_news, services, person)
        except sa.exc.DBAPIError:
            # The database is away for a moment; the browser keeps listening.
            runs, count = [], unread
        sent = False
        for run in runs:
            text = run.model_dump_json()
            if seen.get(run.id) != text:
                seen[run.id] = text
                sent = True
                yield f"event: run\ndata: {text}\n\n"
        if count != unread:
            unread, sent = count, True
            yield f"event: notice\ndata: {json.dumps({'unread': count})}\n\n"
        quiet = 0.0 if sent else quiet + LISTEN_EVERY
        if quiet >= KEEP_ALIVE:
            quiet = 0.0
            yield ": still here\n\n"
        await asyncio.sleep(LISTEN_EVERY)


def _news(services: Services, person: Person) -> tuple[list[RunOut], int]:
    with services.store.session() as session:
        runs = ledger.list_runs(session, at_most=20, person_id=person.id)
        unread = sum(n.read_at is None for n in ledger.list_notices(session, person.id))
        return [run_out(r, person) for r in reversed(runs)], unread
