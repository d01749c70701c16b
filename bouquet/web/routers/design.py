"""
Looking at a template under design: its sentence, its sheet, its tally. Nothing is kept.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime, tzinfo
from typing import Any, TypeAlias
from zoneinfo import ZoneInfo, available_timezones

import polars as pl
from fastapi import APIRouter, Depends
from pydantic import ValidationError

from bouquet.core.checks import Findings
from bouquet.core.dictionary import column_words
from bouquet.core.errors import DocumentError, PlanError
from bouquet.core.formula import FUNCTIONS, GROUPS
from bouquet.core.naming import NameFacts, file_name
from bouquet.core.plan import Context, Plan, PlanColumn, Resolution, resolve
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.slip import Totals
from bouquet.core.sql import OBJECTS, Statements
from bouquet.core.template import (
    Column,
    FoldValue,
    Template,
    Window,
    narrowed,
    only_records,
    read_document,
)
from bouquet.core.windows import resolve_window, span_words, window_words
from bouquet.core.wording.sentence import Sentence
from bouquet.core.writers import WRITERS
from bouquet.runs import Services, Traced, count_tally, left_out, trace
from bouquet.runs import Trace as TraceFound
from bouquet.runs.export import window_of
from bouquet.sources import INTERACTIVE_TIMEOUT, Snapshot
from bouquet.store import NotFound
from bouquet.store.models import Person
from bouquet.web.access import CurrentPerson, TheServices, needs
from bouquet.web.bodies import ExactRoute
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
    ObjectedRow,
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

#: Characters of a cell that go to the screen; the file holds all of them.
CELL_SHOWN = 300

#: Rows shown of those that a check objects to.
OBJECTED = 5


class _Counting:
    """
    The counts under way, by bench, so that a newer one can stop an older one's query.
    """

    def __init__(self) -> None:
        self._running: dict[str, Snapshot] = {}
        self._lock = threading.Lock()

    @contextmanager
    def only(self, bench: str, snapshot: Snapshot) -> Iterator[None]:
        if not bench:
            yield
            return
        with self._lock:
            older = self._running.get(bench)
            self._running[bench] = snapshot
        if older is not None:
            older.cancel()
        try:
            yield
        finally:
            with self._lock:
                if self._running.get(bench) is snapshot:
                    del self._running[bench]


_counting = _Counting()


@router.post("/look", response_model=Look)
def look(body: LookRequest, services: TheServices, person: CurrentPerson) -> Any:
    """
    The sentence and the first rows, through the same plan as a run. Problems come with what can be shown all the same.
    """
    began = time.perf_counter()
    try:
        template = read_document(body.document)
    except DocumentError as error:
        return _unreadable(error, began)
    catalogue = services.source.catalogue()
    context = context_of(services, person, body)
    resolution = resolve(narrowed_to(services, template, body.only), catalogue, context)
    rows: list[list[str | None]] = []
    keys: list[list[str | None]] = []
    marks: list[Mark] = []
    more = False
    if resolution.partial is not None and resolution.partial.columns:
        rows, keys, marks, more = _rows(services, resolution.partial, body)
        rows = _spread(template, resolution.partial, rows)
        marks = _spread_marks(template, resolution.partial, marks)
    sentence = Sentence(template, catalogue, context)
    return Look(
        sentence=[PartOut(text=p.text, role=p.role, place=p.place, note=p.note) for p in sentence.parts()],
        columns=_columns(template, resolution),
        rows=rows,
        keys=keys,
        marks=marks,
        more=more,
        file_name=_file_name(template, resolution),
        problems=[ProblemOut(**p) for p in pointers(resolution.problems)],
        notes=[ProblemOut(**p) for p in pointers(resolution.notes)],
        personal=list(resolution.partial.personal) if resolution.partial is not None else [],
        milliseconds=_since(began),
    )


def narrowed_to(services: Services, template: Template, keys: list[list[str]] | None) -> Template:
    """
    The template limited to the records with these keys, for this once; as it is where there are none given.
    """
    record_type = services.source.catalogue().record_types.get(template.records)
    if keys is None or record_type is None:
        return template
    return narrowed(template, only_records(record_type, keys))


def context_of(services: Services, person: Person, body: UnderDesign) -> Context:
    """
    The context of a document under design.
    """
    return services.context(answers=body.answers, scope=person.scope, template_id=body.template_id)


def sound_plan(
    services: Services, person: Person, body: UnderDesign, only: list[list[str]] | None = None
) -> tuple[Plan, dict[str, str]]:
    """
    The plan of a document whose filter is sound, and the words of its steps. Raises PlanError otherwise.
    """
    template = narrowed_to(services, read_document(body.document), only)
    context = context_of(services, person, body)
    resolution = resolve(template, services.source.catalogue(), context)
    if resolution.partial is None:
        raise PlanError(resolution.problems)
    return resolution.partial, dict(Sentence(template, services.source.catalogue(), context).steps())


@router.post("/tally", response_model=Tally)
def tally(body: LookRequest, services: TheServices, person: CurrentPerson) -> Any:
    """
    How many records each step of the filter leaves. A newer count of the same bench stops this one.
    """
    began = time.perf_counter()
    plan, words = sound_plan(services, person, body, body.only)
    with (
        services.source.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot,
        _counting.only(body.bench, snapshot),
    ):
        steps = count_tally(snapshot, plan, words)
        return Tally(steps=steps, counted_at=snapshot.taken_at, milliseconds=_since(began))


@router.post("/trace", response_model=Trace)
def trace_record(body: TraceRequest, services: TheServices, person: CurrentPerson) -> Any:
    """
    Why a record is in, or out: each step with the values it saw. A record that rights hide is as if it were not there.
    """
    began = time.perf_counter()
    plan, words = sound_plan(services, person, body)
    with services.source.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot:
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
def show_left_out(body: LeftOutRequest, services: TheServices, person: CurrentPerson) -> Any:
    """
    The first records that one step was the first to stop.
    """
    plan, _ = sound_plan(services, person, body)
    try:
        with services.source.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot:
            records, more = left_out(snapshot, plan, body.place, body.limit)
    except KeyError as error:
        msg = f"The filter has no step “{body.place}”."
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
            group=f.group,
            calls=[s.text for s in f.signatures],
            meaning=f.meaning,
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
    zone = ZoneInfo(body.zone) if body.zone in available_timezones() else UTC
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


Texts: TypeAlias = list[list[str | None]]


def _rows(services: Services, plan: Plan, body: LookRequest) -> tuple[Texts, Texts, list[Mark], bool]:
    statements = Statements(plan)
    statement = statements.rows(limit=body.limit + 1, offset=body.offset, keys=body.keys, checks=bool(plan.row_checks))
    with services.source.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot:
        frame = to_frame(snapshot.table(statement))
        marks = _marks(snapshot, statements, frame.head(body.limit), body.offset)
    guard = plan.guards_formulas and plan.output.format == "csv"
    text = TextShaper(plan.columns, plan.zone.key, guard=guard).shape(frame)
    rows = [[None if v is None else v[:CELL_SHOWN] for v in row] for row in text.head(body.limit).rows()]
    named = [f"k{n}" for n in range(len(plan.row_key))] if body.keys and not plan.by else []
    keys = [list(k) for k in frame.head(body.limit).select(named).rows()] if named else []
    return rows, keys, marks, frame.height > body.limit


def _marks(snapshot: Snapshot, statements: Statements, frame: pl.DataFrame, offset: int) -> list[Mark]:
    """
    What checks object to among the rows that are shown.
    """
    found = []
    for n, check in enumerate(statements.plan.row_checks):
        if check.objects is not None:
            rows = frame[f"{OBJECTS}{n}"].cast(pl.Boolean).arg_true().to_list()
        else:
            values = frame[f"c{check.column}"]
            known = values.drop_nulls().unique().to_list()
            again = snapshot.table(statements.repeated(n, known))["value"].to_pylist() if known else []
            rows = values.is_in(pl.Series(again, dtype=values.dtype)).fill_null(False).arg_true().to_list()
        found += [Mark(row=offset + r, column=check.column, words=check.words, severity=check.severity) for r in rows]
    return found


def _spread_marks(template: Template, plan: Plan, marks: list[Mark]) -> list[Mark]:
    """
    Marks at the positions that columns have in the sheet, where unsound ones have a place, too.
    """
    places = [at for c in template.columns for at in _places(plan, c.id)]
    position = {at: n for n, at in enumerate(places) if at is not None}
    return [m.model_copy(update={"column": position.get(m.column)}) if m.column is not None else m for m in marks]


@router.post("/checks", response_model=CheckCounts)
def count_checks(body: LookRequest, services: TheServices, person: CurrentPerson) -> Any:
    """
    How many rows each check objects to as they are now, with some of them. A newer count of the same bench stops this
    one.
    """
    began = time.perf_counter()
    plan, _ = sound_plan(services, person, body, body.only)
    statements = Statements(plan)
    with (
        services.source.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot,
        _counting.only(f"{body.bench} checks" if body.bench else "", snapshot),
    ):
        counts = snapshot.row(statements.objections())
        checks = [
            _check_count(snapshot, statements, n, int(counts[f"{OBJECTS}{n}"])) for n in range(len(plan.row_checks))
        ]
        checks += _whole_counts(snapshot, statements, int(counts["rows"]))
    order = {f"checks[{n}]": n for n in range(len(read_document(body.document).checks))}
    checks.sort(key=lambda c: order.get(c.place, 0))
    return CheckCounts(rows=int(counts["rows"]), checks=checks, milliseconds=_since(began))


def _check_count(snapshot: Snapshot, statements: Statements, n: int, count: int) -> CheckCount:
    check = statements.plan.row_checks[n]
    rows = snapshot.rows(statements.objected(n, limit=OBJECTED)) if count else []
    found = [
        ObjectedRow(
            key=[str(r[k]) for k in sorted(r) if k.startswith("k")],
            value=None if r["v0"] is None or check.column is None else str(r["v0"])[:CELL_SHOWN],
        )
        for r in rows
    ]
    return CheckCount(
        place=check.place,
        words=check.words,
        severity=check.severity,
        whole=False,
        objections=count,
        saw="",
        rows=found,
    )


def _whole_counts(snapshot: Snapshot, statements: Statements, rows: int) -> list[CheckCount]:
    """
    The checks of the file as a whole; those that need totals of columns are judged by the run.
    """
    plan = statements.plan
    totals = Totals(plan)
    totals.rows = rows
    known = [c for c in plan.file_checks if c.part.file not in ("total", "full")]
    found = Findings(replace(plan, file_checks=tuple(known)))
    found.finish(totals)
    said = {known[n].place: saw for n, saw in found.whole.items()}
    return [
        CheckCount(
            place=c.place,
            words=c.words,
            severity=c.severity,
            whole=True,
            objections=int(c.place in said),
            saw=said.get(c.place, "" if c in known else "judged when it runs"),
            rows=[],
        )
        for c in plan.file_checks
    ]


def _spread(template: Template, plan: Plan, rows: list[list[str | None]]) -> list[list[str | None]]:
    """
    Rows with a blank cell for each column of the template that is not sound.
    """
    places = [at for c in template.columns for at in _places(plan, c.id)]
    return [[row[at] if at is not None else None for at in places] for row in rows]


def _places(plan: Plan | None, id: str) -> list[int | None]:
    """
    Where a column of the template stands in the plan; a spread stands in several places, an unsound one in none.
    """
    found: list[int | None] = [n for n, c in enumerate(plan.columns) if c.id == id] if plan is not None else []
    return found or [None]


def _columns(template: Template, resolution: Resolution) -> list[ColumnOut]:
    plan = resolution.partial
    found = []
    for column in template.columns:
        for at in _places(plan, column.id):
            planned = plan.columns[at] if plan is not None and at is not None else None
            repeats = _repeats(plan, planned)
            found.append(_column(column.id, column.heading, planned, column, repeats=repeats))
    return found


def _repeats(plan: Plan | None, column: PlanColumn | None) -> bool:
    """
    Whether a column's value belongs to a record above the one that rows stand for.
    """
    if plan is None or column is None or not plan.opened or column.route is None:
        return False
    opened = tuple(r.name for r in plan.opened)
    return column.route.way[: len(opened)] != opened


def _column(id: str, heading: str, planned: PlanColumn | None, column: Column, *, repeats: bool) -> ColumnOut:
    return ColumnOut(
        id=id,
        heading=planned.heading if planned else heading,
        number=planned.number if planned else 1,
        trail=column_words(planned.cell) if planned else _written(column),
        shown=_shown(planned) if planned else "",
        kind=planned.kind if planned else "text",
        sound=planned is not None,
        repeats=repeats,
    )


def _written(column: Column) -> str:
    """
    Where an unsound column says it comes from.
    """
    value = column.value
    if isinstance(value, FoldValue):
        return f"{value.fold.how.replace('_', ' ')} {value.fold.path}".strip()
    return getattr(value, "field", None) or getattr(value, "formula", None) or "constant"


def _shown(column: PlanColumn) -> str:
    show, parts = column.show, []
    if show.date:
        parts.append(show.date)
    if show.decimals is not None:
        parts.append(
            "whole number" if show.decimals == 0 else f"{show.decimals} decimal{'s' if show.decimals > 1 else ''}"
        )
    if show.choice == "code":
        parts.append("code")
    if show.case != "as_is":
        parts.append(f"{show.case} case")
    return " · ".join(parts)


def _file_name(template: Template, resolution: Resolution) -> str:
    plan = resolution.partial
    if plan is None or any(p.place == "output.name" for p in resolution.problems):
        return ""
    split = template.output.split
    several = split is not None and not (split.into == "sheets" and template.output.format == "xlsx")
    facts = NameFacts(
        template=template.name,
        records=plan.row_type.name,
        as_of=plan.context.as_of.astimezone(plan.zone),
        window_start=window_of(plan)[0],
        window_end=window_of(plan)[1],
        answers=dict(plan.answers),
        value="…" if plan.split is not None and several else None,
        part=1 if several else None,
    )
    return file_name(template.output.name, facts, WRITERS[template.output.format].extension)
