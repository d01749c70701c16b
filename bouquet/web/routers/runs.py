"""
Runs: asking for them, the ledger, what a person decides about them.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Header, Query
from pydantic import ValidationError
from sqlalchemy.orm import Session

from bouquet.core.errors import PlanError, Problem
from bouquet.core.language import tr
from bouquet.core.template import (
    AnyOf,
    BundleContents,
    Narrowing,
    Picks,
    Window,
    narrowed,
    only_records,
    read_document,
    with_windows,
)
from bouquet.designing import SourceView
from bouquet.rights import may
from bouquet.runs import Services, ask_for_run, gather_bundle, source_of_bundle
from bouquet.store import OutOfScope, comparisons, views
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import LATER, Person, Run
from bouquet.web.access import CurrentPerson, Id, TheQueue, TheServices, TheView, needs, view_of, visible
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.schemas.runs import (
    Expected,
    NewRun,
    PastColumn,
    PastRun,
    Review,
    RunFileOut,
    RunOut,
    SentOut,
)

router = APIRouter(route_class=ExactRoute, tags=["runs"], dependencies=[Depends(needs("look"))])

Runner = Annotated[Person, Depends(needs("run"))]

#: What is not said of a run that holds more than a person may see.
_NOT_THEIRS: dict[str, Any] = {
    "findings": [],
    "objections": 0,
    "verdict": None,
    "rows_written": 0,
    "rows_announced": None,
    "files": [],
    "delivered_to": [],
    "answers": {},
    "error": None,
}

#: Bytes and cells a second of a run whose template never ran, and bytes of a cell.
PACE, CELL = 2_000_000, 9


def run_out(run: Run, person: Person, *, whole: bool = False, sent: dict[str, int] | None = None) -> RunOut:
    """
    A run as it goes over the wire; `whole` takes slip and findings along, `sent` what became of its deliveries.
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
        files=[RunFileOut.model_validate(f, from_attributes=True) for f in run.files if f.role not in LATER],
        mine=run.person_id == person.id,
        purpose=run.purpose,
        answers=run.answers,
        records=run.records,
        source=run.source,
        bundle=run.format == "zip",
        personal=run.personal,
        verdict=run.verdict,
        objections=run.objections,
        reviewed_by=run.reviewed_by,
        reviewed_at=run.reviewed_at,
        review_reason=run.review_reason,
        keep_until=run.keep_until,
        may_review=may_review(run, person),
        slip=run.slip if whole else None,
        findings=run.findings if whole else None,
        sent=SentOut(**sent) if sent is not None else None,
    )


def may_review(run: Run, person: Person) -> bool:
    """
    Whether a person may release or discard a run: their own, or any where they design or keep.
    """
    if person.scope is not None and run.scope != person.scope:
        return False
    return may(person, "design") or (may(person, "run") and run.person_id == person.id)


@router.post("/runs", response_model=RunOut, status_code=202)
def add_run(
    body: NewRun,
    services: TheServices,
    view: TheView,
    queue: TheQueue,
    person: Runner,
    idempotency_key: Annotated[str | None, Header(alias="Idempotency-Key", max_length=100)] = None,
) -> Any:
    """
    Ask for a run in the background. Asking again under the same `Idempotency-Key` gives the same run.
    """
    via = "script" if person.by_token else "hand"
    common: dict[str, Any] = {
        "person": person,
        "asked_by": f"{person.name}, by a program" if person.by_token else None,
        "idempotency_key": idempotency_key,
        "purpose": body.purpose.strip(),
    }
    if body.again is not None and body.as_it == "was":
        run = _again(services, person, body.again, via, common)
    elif body.bundle is not None:
        source = source_of_bundle(services, person, body.bundle, view.key)
        bundle = gather_bundle(services, person, body.bundle, source).as_document()
        run = ask_for_run(services, bundle, via=via, format=body.format, source=source, **common)
    elif body.bundle_id is not None:
        run = _saved_bundle(services, person, body.bundle_id, via, body.format, common)
    else:
        if body.again is not None:
            with services.store.session() as session:
                body = body.model_copy(update={"template_id": _seen(session, person, body.again).template_id})
        document, version, source = _what_to_run(services, view, body)
        limited = _limited(view_of(services, person, source), document, body)
        run = ask_for_run(
            services,
            limited,
            via=via if limited == document else ledger.ONCE,
            format=body.format,
            template_id=body.template_id,
            version=version if limited == document else None,
            answers=body.answers,
            source=source,
            **common,
        )
    if run.status == "asked":
        queue.put(run.id)
        given = {"answers": body.answers, "format": body.format}
        if body.template_id is not None and any(given.values()):
            with services.store.session() as session:
                views.put_pin(session, person, body.template_id, **{k: v for k, v in given.items() if v})
    return run_out(run, person)


def _seen(session: Session, person: Person, run_id: Id) -> Run:
    """
    A run that a person may have again. Raises NotFound.
    """
    run = ledger.see_run(session, run_id, person)
    if run.template_id is not None:
        visible(session, person, run.template_id, "any")
    return run


def _again(services: Services, person: Person, run_id: Id, via: str, common: dict[str, Any]) -> Run:
    """
    An earlier run once more: the same document, answers and as-of moment, on the records as they are now; of a template
    that wants only what is new, the same records.
    """
    with services.store.session() as session:
        run = _seen(session, person, run_id)
    return ask_for_run(
        services,
        run.document,
        via=via,
        format=run.format,
        as_of=run.as_of,
        template_id=run.template_id,
        version=run.version,
        answers=run.answers,
        source=run.source,
        repeats=run.repeats or run.id,
        # What somebody else said that it was for is no answer of theirs.
        **{**common, "purpose": common["purpose"] or (run.purpose if run.person_id == person.id else "")},
    )


def _saved_bundle(
    services: Services, person: Person, bundle_id: int, via: str, format: str | None, common: dict[str, Any]
) -> Run:
    """
    A run of a bundle of the library.
    """
    with services.store.session() as session:
        record = visible(session, person, bundle_id, "bundle")
        contents, source, version = BundleContents.model_validate(record.draft), record.source, record.version
    bundle = gather_bundle(services, person, contents, source).as_document()
    facts: dict[str, Any] = {"template_id": bundle_id, "version": version, "source": source}
    return ask_for_run(services, bundle, via=via, format=format, **facts, **common)


def _what_to_run(services: Services, view: SourceView, body: NewRun) -> tuple[dict[str, Any], int | None, str]:
    """
    The document asked for, the number of its version, if it is one, and the source it reads.
    """
    if body.template_id is None:
        if body.document is None:
            raise Refused(422, "nothing_to_run", tr("Say which template, or which document, is to be run."))
        return body.document, None, view.key
    with services.store.session() as session:
        record = visible(session, view.person, body.template_id)
        saved = shelf.latest_version(session, record.id)
    draft = body.use == "draft" or saved is None
    document = record.draft if draft or saved is None else saved.document
    return document, saved.number if saved and saved.document == document else None, record.source


def _limited(view: SourceView, document: dict[str, Any], body: NewRun) -> dict[str, Any]:
    """
    The document with what is asked for this once: single records, a saved list, what a person sees, other windows,
    headings of another language.
    """
    template = read_document(document)
    if body.windows:
        read = {}
        for place, raw in body.windows.items():
            try:
                read[place] = Window.model_validate(raw)
            except ValidationError as error:
                message = tr("This is not a period.")
                raise PlanError([Problem(code="bad_window", message=message, place=f"windows.{place}")]) from error
        template = with_windows(template, read)
    if body.view is not None:
        template = view.with_columns_of(template, body.view)
    others: list[Narrowing] = []
    record_type = view.catalogue.record_types.get(template.records)
    if body.only is not None and record_type is not None:
        others.append(only_records(record_type, body.only))
    if body.picks:
        names = [body.picks] if isinstance(body.picks, str) else body.picks
        others.append(AnyOf(any=tuple(Picks(picks=name) for name in dict.fromkeys(names))))
    if body.also is not None:
        also = read_document({"name": "also", "records": template.records, "filter": body.also})
        others.append(also.filter)
    if body.language is not None:
        template = template.model_copy(
            update={"output": template.output.model_copy(update={"language": body.language})}
        )
    once = others or body.windows or body.view is not None or body.language is not None
    return narrowed(template, *others).as_document() if once else document


@router.get("/runs/{run_id}", response_model=RunOut)
def get_run(run_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    One run, with its slip and what its checks found. Of one that holds more than a person may see, only that it is
    there.
    """
    with services.store.session() as session:
        try:
            return run_out(ledger.see_run(session, run_id, person), person, whole=True)
        except OutOfScope:
            out = run_out(ledger.get_run(session, run_id), person)
            return out.model_copy(update=_NOT_THEIRS)


@router.get("/runs/{run_id}/history", response_model=list[PastRun])
def run_history(
    run_id: Id, services: TheServices, person: CurrentPerson, count: Annotated[int, Query(ge=1, le=60)] = 8
) -> Any:
    """
    The last runs of the same template up to this one, oldest first: rows, totals and blanks.
    """
    with services.store.session() as session:
        runs = ledger.earlier_runs(session, ledger.see_run(session, run_id, person), count, person)
        return [
            PastRun(
                id=r.id,
                as_of=r.as_of,
                asked_at=r.asked_at,
                version=r.version,
                status=r.status,
                rows=r.rows_written,
                comparable=all(f.removed_at is None for f in r.files) and bool(r.files),
                columns=[PastColumn.model_validate(c) for c in (r.slip or {}).get("columns", [])],
            )
            for r in runs
        ]


@router.post("/runs/{run_id}/cancel", response_model=RunOut)
def cancel_run(run_id: Id, services: TheServices, person: Runner) -> Any:
    """
    Stop a run. One that is over stays as it is.
    """
    with services.store.session() as session:
        run = ledger.see_run(session, run_id, person)
        if run.person_id != person.id and "keeper" not in person.roles:
            raise Refused(
                403,
                "not_allowed",
                tr("Only {asked_by} or an administrator can cancel this run.", asked_by=run.asked_by),
            )
        return run_out(ledger.request_cancel(session, run_id, services.clock()), person)


@router.post("/runs/{run_id}/release", response_model=RunOut)
def release_run(run_id: Id, body: Review, services: TheServices, queue: TheQueue, person: Runner) -> Any:
    """
    Let a held run go out, and say why.
    """
    with services.store.session() as session:
        _check_review(ledger.see_run(session, run_id, person), person)
        run = ledger.release_run(session, run_id, person.name, body.reason.strip(), services.clock())
        out = run_out(run, person, whole=True)
    if out.status == "releasing":
        queue.put(run_id)
    return out


@router.post("/runs/{run_id}/discard", response_model=RunOut)
def discard_run(run_id: Id, body: Review, services: TheServices, person: Runner) -> Any:
    """
    Put a run's files away for good, and say why. The run and its slip stay.
    """
    with services.store.session() as session:
        _check_review(ledger.see_run(session, run_id, person), person)
        run = ledger.discard_run(session, run_id, person.name, body.reason.strip(), services.clock())
        paths = [f.path for f in run.files] + comparisons.forget(session, [run_id], services.clock())
        out = run_out(run, person, whole=True)
    for path in paths:
        services.storage.remove(path)
    return out


def _check_review(run: Run, person: Person) -> None:
    if not may_review(run, person):
        message = tr(
            "Only {asked_by}, or somebody who designs templates or keeps the house, decides about this run.",
            asked_by=run.asked_by,
        )
        raise Refused(403, "not_allowed", message)


@router.get("/templates/{template_id}/expected", response_model=Expected)
def expected_run(
    template_id: Id,
    services: TheServices,
    person: CurrentPerson,
    rows: Annotated[int, Query(ge=0)],
    format: Annotated[str, Query(max_length=10)] = "csv",
) -> Any:
    """
    How large a run of so many rows will be, and how long it will take.
    """
    with services.store.session() as session:
        record = visible(session, person, template_id)
        past = [p for p in ledger.expected(session, template_id, format) if p[0] > 0]
        columns = len(record.draft.get("columns", []))
    if not past:
        size = rows * max(columns, 1) * CELL
        return Expected(rows=rows, bytes=size, seconds=round(0.1 + size / PACE / 9, 2), runs=0)
    by_rows = sum(p[0] for p in past)
    size = round(rows * sum(p[1] for p in past) / by_rows)
    # A run takes as long as its rows do, and never less than the quickest did.
    seconds = max(min(p[2] for p in past), rows * sum(p[2] for p in past) / by_rows)
    return Expected(rows=rows, bytes=size, seconds=round(seconds, 2), runs=len(past))
