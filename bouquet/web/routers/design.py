"""
Looking at a template under design: its sentence, its sheet, its tally. Nothing is kept.
"""

from __future__ import annotations

import time
from dataclasses import asdict
from datetime import UTC, datetime, tzinfo
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Depends
from pydantic import ValidationError

from bouquet import designing
from bouquet.core.errors import DocumentError, PlanError
from bouquet.core.formula import FUNCTIONS, GROUPS
from bouquet.core.language import tr
from bouquet.core.plan import Context, Plan, across_of, resolve
from bouquet.core.template import (
    Template,
    Window,
    narrowed,
    only_records,
    read_document,
)
from bouquet.core.windows import resolve_window, span_words, window_words
from bouquet.core.zones import known_zones
from bouquet.designing import SeenRows, SourceView, expected_name, first_rows, sheet_columns
from bouquet.runs import Trace as TraceFound
from bouquet.runs import Traced, about_tally, count_tally, left_out, trace
from bouquet.runs.crossing import crossed
from bouquet.runs.remembering import wants_memory
from bouquet.store import NotFound
from bouquet.web.access import TheCounting, TheServices, TheView, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.journalling import note_look
from bouquet.web.problems import pointers
from bouquet.web.schemas import (
    CheckCount,
    CheckCounts,
    ColumnOut,
    FunctionOut,
    LeftOut,
    LeftOutRequest,
    Look,
    LookRequest,
    Mark,
    PartOut,
    ProblemOut,
    RecordName,
    SawOut,
    Tally,
    Trace,
    TracedOut,
    TraceRequest,
    TraceStepOut,
    UnderDesign,
    WindowOut,
    WindowsRequest,
)

router = APIRouter(route_class=ExactRoute, prefix="/design", tags=["design"], dependencies=[Depends(needs("look"))])


@router.post("/look", response_model=Look)
def look(body: LookRequest, view: TheView) -> Any:
    """
    The sentence and the first rows, through the same plan as a run. Problems come with what can be shown all the same.
    """
    began = time.perf_counter()
    try:
        template = read_document(body.document)
    except DocumentError as error:
        return _unreadable(error, began)
    context = context_of(view, body)
    template = narrowed_to(view, template, body.only)
    if body.view is not None:
        template = view.with_columns_of(template, body.view)
    resolution = resolve(template, view.catalogue, context)
    seen = SeenRows([], [], [], more=False)
    plan = resolution.partial
    if plan is not None and plan.columns:
        with view.snapshot() as snapshot:
            if across_of(template) is not None:
                context = crossed(snapshot, template, view.catalogue, context)
                resolution = resolve(template, view.catalogue, context)
                plan = resolution.partial or plan
            elif wants_memory(template):
                resolution = view.resolve_remembering(template, snapshot, context, body.template_id)
                plan = resolution.partial or plan
            seen = first_rows(
                snapshot, template, plan, limit=body.limit, offset=body.offset, keys=body.keys, hurry=bool(body.hurry)
            )
        note_look(view.services, view.person, template, plan)
    sentence = view.sentence(template, context)
    return Look(
        sentence=[PartOut(text=p.text, role=p.role, place=p.place, note=p.note) for p in sentence.parts()],
        columns=[ColumnOut(**vars(c)) for c in sheet_columns(template, resolution)],
        rows=seen.rows,
        keys=seen.keys,
        marks=[Mark(**vars(m)) for m in seen.marks],
        more=seen.more,
        in_order=seen.in_order,
        file_name=expected_name(template, resolution),
        problems=[ProblemOut(**p) for p in pointers(resolution.problems)],
        notes=[ProblemOut(**p) for p in pointers(resolution.notes)],
        personal=list(plan.personal) if plan is not None else [],
        milliseconds=_since(began),
    )


def narrowed_to(view: SourceView, template: Template, keys: list[list[str]] | None) -> Template:
    """
    The template limited to the records with these keys, for this once; as it is where there are none given.
    """
    record_type = view.catalogue.record_types.get(template.records)
    if keys is None or record_type is None:
        return template
    return narrowed(template, only_records(record_type, keys))


def context_of(view: SourceView, body: UnderDesign) -> Context:
    """
    The context of a document under design.
    """
    return view.context(answers=body.answers, template_id=body.template_id)


def sound_plan(
    view: SourceView, body: UnderDesign, only: list[list[str]] | None = None
) -> tuple[Template, Plan, dict[str, str]]:
    """
    A document whose filter is sound, its plan, and the words of its steps. Raises PlanError otherwise.
    """
    template = narrowed_to(view, read_document(body.document), only)
    context = context_of(view, body)
    resolution = resolve(template, view.catalogue, context)
    if resolution.partial is None:
        raise PlanError(resolution.problems)
    return template, resolution.partial, dict(view.sentence(template, context).steps())


@router.post("/tally", response_model=Tally)
def tally(body: LookRequest, view: TheView, counting: TheCounting) -> Any:
    """
    How many records each step of the filter leaves. A newer count of the same bench stops this one.
    """
    began = time.perf_counter()
    template, plan, words = sound_plan(view, body, body.only)
    with (
        view.snapshot() as snapshot,
        counting.only(body.bench, snapshot, body.turn or 0),
    ):
        if wants_memory(template):
            found = view.resolve_remembering(template, snapshot, plan.context, body.template_id).partial
            plan = found or plan
        expected = about_tally(snapshot, plan, words) if body.hurry else None
        steps = expected if expected is not None else count_tally(snapshot, plan, words)
        about = expected is not None
        return Tally(steps=steps, about=about, counted_at=snapshot.taken_at, milliseconds=_since(began))


@router.post("/trace", response_model=Trace)
def trace_record(body: TraceRequest, view: TheView) -> Any:
    """
    Why a record is in, or out: each step with the values it saw. A record that rights hide is as if it were not there.
    """
    began = time.perf_counter()
    _, plan, words = sound_plan(view, body)
    with view.snapshot() as snapshot:
        found = trace(snapshot, plan, words, body.key)
    record = found.record
    if record is not None and any(s.place == "scope" and not s.passed for s in record.steps):
        found = TraceFound(None)
    return Trace(
        record=_traced(found.record) if found.record else None,
        children=[_traced(c) for c in found.children],
        others=[list(k) for k in found.others],
        milliseconds=_since(began),
    )


def _traced(record: Traced) -> TracedOut:
    return TracedOut(
        key=list(record.key),
        title=record.title,
        what=record.what,
        is_in=record.is_in,
        stopped_by=record.stopped_by,
        steps=[
            TraceStepOut(
                place=s.place,
                words=s.words,
                passed=s.passed,
                saw=[SawOut(label=label, value=value) for label, value in s.saw],
            )
            for s in record.steps
        ],
    )


@router.post("/left-out", response_model=LeftOut)
def show_left_out(body: LeftOutRequest, view: TheView) -> Any:
    """
    The first records that one step was the first to stop.
    """
    _, plan, _ = sound_plan(view, body)
    try:
        with view.snapshot() as snapshot:
            records, more = left_out(snapshot, plan, body.place, body.limit)
    except KeyError as error:
        msg = tr("The filter has no step “{place}”.", place=body.place)
        raise NotFound(msg) from error
    return LeftOut(
        records=[
            RecordName(key=list(r.key), title=r.title, saw=[SawOut(label=label, value=v) for label, v in r.saw])
            for r in records
        ],
        more=more,
    )


@router.get("/functions", response_model=list[FunctionOut])
def list_functions() -> Any:
    """
    Everything a formula can use, in the order of the reference.
    """
    return [
        FunctionOut(
            name=f.name.removeprefix("prefix "),
            group=tr(f.group),
            calls=[s.text for s in f.signatures],
            meaning=tr(f.meaning),
            example=list(f.example),
        )
        for group in GROUPS
        for f in FUNCTIONS.values()
        if f.group == group
    ]


@router.post("/windows", response_model=list[WindowOut])
def windows(body: WindowsRequest, services: TheServices) -> Any:
    """
    Windows in words, with the dates they come to just now; null where a window is not sound.
    """
    context = services.context()
    zone = ZoneInfo(body.zone) if body.zone in known_zones() else UTC
    return [_window_out(w, context.as_of, zone, context.year_start) for w in body.windows]


def _window_out(raw: dict[str, Any], as_of: datetime, zone: tzinfo, year_start: int) -> WindowOut:
    try:
        window = Window.model_validate(raw)
        span = resolve_window(window, as_of, zone, year_start=year_start)
    except (ValidationError, ValueError, OverflowError):
        return WindowOut(words="", dates=None)
    return WindowOut(words=window_words(window), dates=span_words(span, as_of))


def _since(began: float) -> float:
    return round((time.perf_counter() - began) * 1000, 1)


def _unreadable(error: DocumentError, began: float) -> Look:
    problems = [ProblemOut(**p) for p in pointers(error.problems)]
    return Look(
        sentence=[],
        columns=[],
        rows=[],
        more=False,
        file_name="",
        problems=problems,
        notes=[],
        milliseconds=_since(began),
    )


@router.post("/checks", response_model=CheckCounts)
def count_checks(body: LookRequest, view: TheView, counting: TheCounting) -> Any:
    """
    How many rows each check objects to as they are now, with some of them. A newer count of the same bench stops this
    one.
    """
    began = time.perf_counter()
    _, plan, _ = sound_plan(view, body, body.only)
    with (
        view.snapshot() as snapshot,
        counting.only(f"{body.bench} checks" if body.bench else "", snapshot, body.turn or 0),
    ):
        rows, checks = designing.count_checks(snapshot, plan, read_document(body.document).checks)
    return CheckCounts(rows=rows, checks=[CheckCount(**asdict(c)) for c in checks], milliseconds=_since(began))
