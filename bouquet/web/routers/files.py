"""
Files of runs: single ones, all as one zip, and the newest good one of a template at an address that stays.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from typing import Annotated, Any

import sqlalchemy as sa
from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import FileResponse, Response, StreamingResponse

from bouquet.core.language import day_words, tr, trn
from bouquet.core.naming import content_disposition, safe_name
from bouquet.runs import Services, zipped
from bouquet.runs.glimpse import look_into
from bouquet.runs.mailing import mail_to_person
from bouquet.store import NotFound
from bouquet.store import runs as ledger
from bouquet.store.models import LATER, Download, Person, RunFile
from bouquet.web.access import CurrentPerson, Id, TheServices, needs, visible
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.ranges import wanted_range
from bouquet.web.schemas.runs import GlimpseOut

router = APIRouter(route_class=ExactRoute, tags=["runs"], dependencies=[Depends(needs("look"))])


#: Mails that somebody has sent to themselves within an hour.
MOST_MAILS = 30


#: How a file is answered besides whole.
_PARTS: dict[int | str, dict[str, Any]] = {
    206: {"description": "The part of it that `Range` asked for"},
    304: {"description": "It is what `If-None-Match` named"},
    416: {},
}


@router.get("/runs/{run_id}/files/{file_id}", response_class=FileResponse, responses=_PARTS)
def get_file(run_id: Id, file_id: Id, request: Request, services: TheServices, person: CurrentPerson) -> Response:
    """
    A file of a run; a part of it where a `Range` is asked for.
    """
    with services.store.session() as session:
        run = ledger.see_run(session, run_id, person)
        files = {f.id: f for f in run.files}
    file = files.get(file_id)
    if file is None:
        msg = tr("Run {run_id} has no such file.", run_id=run_id)
        raise NotFound(msg)
    _note_taken(services, person, [file], request)
    return _served(request, services, file)


def _note_taken(services: Services, person: Person, files: list[RunFile], request: Request) -> None:
    """
    Record who takes a file, by which way; a look at its head or the rest of an interrupted download is none.
    """
    if request.method == "HEAD" or not request.headers.get("Range", "bytes=0-").startswith("bytes=0-"):
        return
    way = "token" if person.by_token is not None else "page" if "/runs/" in request.url.path else "address"
    with services.store.session() as session:
        for file in files:
            session.add(Download(run_file_id=file.id, person_id=person.id, taken_at=services.clock(), way=way))


@router.get("/runs/{run_id}/files/{file_id}/look", response_model=GlimpseOut)
def look_into_file(run_id: Id, file_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    The beginning and the end of a file, as it was written.
    """
    with services.store.session() as session:
        run = ledger.see_run(session, run_id, person)
        file = next((f for f in run.files if f.id == file_id and f.removed_at is None), None)
    if file is None:
        msg = tr("Run {run_id} has no such file, or no longer.", run_id=run_id)
        raise NotFound(msg)
    found = look_into(services, file)
    with services.store.session() as session:
        session.add(Download(run_file_id=file.id, person_id=person.id, taken_at=services.clock(), way="look"))
    return GlimpseOut.model_validate(found, from_attributes=True)


@router.post("/runs/{run_id}/mail-to-me", status_code=204)
def mail_to_me(run_id: Id, services: TheServices, person: CurrentPerson) -> None:
    """
    Send a run's files to my own address.
    """
    if person.by_token is not None:
        raise Refused(403, "not_allowed", tr("Mail goes to people who signed in, not to programs."))
    with services.store.session() as session:
        run = ledger.see_run(session, run_id, person)
        if run.status != "ready":
            raise Refused(409, "not_ready", tr("Run {run_id} is not ready, so nothing of it goes out.", run_id=run_id))
        files = [f for f in run.files if f.removed_at is None and f.role != "archive" and f.recipient_id is None]
    if not files:
        msg = tr("Run {run_id} has no files that could be sent.", run_id=run_id)
        raise NotFound(msg)
    with services.store.session() as session:
        since = services.clock() - timedelta(hours=1)
        mailed = sa.select(sa.func.count(sa.distinct(Download.taken_at))).where(
            Download.person_id == person.id, Download.way == "mail", Download.taken_at > since
        )
        if (session.scalar(mailed) or 0) >= MOST_MAILS:
            raise Refused(
                429,
                "too_many_mails",
                tr(
                    "{most_mails} mails went to you within an hour; download the rest.",
                    most_mails=MOST_MAILS,
                ),
            )
    mail_to_person(services, run, files, person)
    with services.store.session() as session:
        for file in files:
            session.add(Download(run_file_id=file.id, person_id=person.id, taken_at=services.clock(), way="mail"))


@router.get("/runs/{run_id}/archive", response_class=StreamingResponse)
def get_archive(run_id: Id, request: Request, services: TheServices, person: CurrentPerson) -> StreamingResponse:
    """
    All files of a run as one zip, made while it is sent.
    """
    with services.store.session() as session:
        run = ledger.see_run(session, run_id, person)
    kept = [f for f in run.files if f.removed_at is None and f.role not in ("archive", *LATER)]
    files = [f for f in kept if f.recipient_id is None]
    if not files:
        msg = tr("Run {run_id} has no files that could be put together.", run_id=run_id)
        raise NotFound(msg)
    _note_taken(services, person, files, request)
    members = ((f.name, services.storage.chunks(f.path)) for f in files)
    name = safe_name(f"{run.name.lower()}_run_{run.id}") + ".zip"
    return StreamingResponse(
        zipped(members, run.as_of),
        media_type="application/zip",
        headers={"Content-Disposition": content_disposition(name)},
    )


@router.head("/templates/{template_id}/newest", response_class=FileResponse, include_in_schema=False)
@router.get("/templates/{template_id}/newest", response_class=FileResponse, responses=_PARTS)
def get_newest(
    template_id: Id,
    request: Request,
    services: TheServices,
    person: CurrentPerson,
    part: Annotated[int, Query(ge=1, description="Which of several data files, from 1")] = 1,
) -> Response:
    """
    A data file of a template's newest good run: ready, released if it was held, and still there. The address stays the
    same from run to run; the `ETag` changes with the content, so that a program can ask whether there is anything new.
    """
    with services.store.session() as session:
        record = visible(session, person, template_id)
        run = ledger.newest_good(session, template_id, scope=person.scope)
        files = [f for f in run.files if f.role == "data"] if run is not None else []
    if run is None or not files:
        msg = tr("There is no good run of “{record}” whose files are still there.", record=record.name)
        raise NotFound(msg)
    if part > len(files):
        msg = trn(
            "The newest good run of “{record}” has {n} data file; there is no part {part}.",
            "The newest good run of “{record}” has {n} data files; there is no part {part}.",
            len(files),
            record=record.name,
            part=part,
        )
        raise NotFound(msg)
    more = {
        "X-Run": str(run.id),
        "X-Parts": str(len(files)),
        "Last-Modified": f"{run.as_of:%a, %d %b %Y %H:%M:%S} GMT",
        "Cache-Control": "private, no-cache",
    }
    _note_taken(services, person, [files[part - 1]], request)
    return _served(request, services, files[part - 1], more)


def _served(request: Request, services: Services, file: RunFile, more: dict[str, str] | None = None) -> Response:
    """
    A file by HTTP: not again where the asker has it (RFC 9110, 13.1.2), and by ranges (RFC 9110, 14).
    """
    if file.removed_at is not None:
        msg = tr(
            "The file “{file}” expired or was discarded on {removed_at}. Run it again.",
            file=file.name,
            removed_at=day_words(file.removed_at),
        )
        raise NotFound(msg)
    etag = f'"{file.sha256}"'
    headers = {"ETag": etag, "Accept-Ranges": "bytes", **(more or {})}
    known = [t.strip().removeprefix("W/") for t in request.headers.get("If-None-Match", "").split(",")]
    if etag in known or "*" in known:
        return Response(status_code=304, headers=headers)
    if services.storage.size(file.path) != file.size:
        msg = tr("The file “{file}” is no longer in the file store.", file=file.name)
        raise NotFound(msg)
    headers["Content-Disposition"] = content_disposition(file.name)
    found = wanted_range(request.headers, file.size, etag)
    if found is None:
        headers["Content-Range"] = f"bytes */{file.size}"
        return Response(status_code=416, headers=headers)
    start, length = found
    headers["Content-Length"] = str(length)
    part = length < file.size
    if part:
        headers["Content-Range"] = f"bytes {start}-{start + length - 1}/{file.size}"
    body: Iterator[bytes] = iter(()) if request.method == "HEAD" else services.storage.chunks(file.path, start, length)
    return StreamingResponse(body, 206 if part else 200, headers, file.media_type)
