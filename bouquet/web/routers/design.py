"""
Looking at a template under design: its sentence, its sheet, its tally. Nothing is kept.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, tzinfo
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

from fastapi import APIRouter, Depends
from pydantic import ValidationError

from bouquet.core.errors import DocumentError, PlanError
from bouquet.core.naming import file_name
from bouquet.core.plan import Plan, PlanColumn, Resolution, resolve
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import Template, Window, read_document
from bouquet.core.template.sentence import Sentence
from bouquet.core.windows import resolve_window, span_words, window_words
from bouquet.core.writers import WRITERS
from bouquet.runs import Services, count_tally
from bouquet.sources import INTERACTIVE_TIMEOUT, Snapshot
from bouquet.web.access import TheServices, needs
from bouquet.web.problems import pointers
from bouquet.web.schemas import ColumnOut, Look, LookRequest, PartOut, ProblemOut, Tally, WindowOut, WindowsRequest

router = APIRouter(prefix="/design", tags=["design"], dependencies=[Depends(needs("look"))])

#: Characters of a cell that go to the screen; the file holds all of them.
CELL_SHOWN = 300


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
def look(body: LookRequest, services: TheServices) -> Any:
    """
    The sentence and the first rows, through the same plan as a run. Problems come with what can be shown all the same.
    """
    began = time.perf_counter()
    try:
        template = read_document(body.document)
    except DocumentError as error:
        return _unreadable(error, began)
    catalogue, context = services.source.catalogue(), services.context()
    resolution = resolve(template, catalogue, context)
    rows: list[list[str | None]] = []
    more = False
    if resolution.partial is not None and resolution.partial.columns:
        rows, more = _rows(services, resolution.partial, body.limit, body.offset)
        rows = _spread(template, resolution.partial, rows)
    sentence = Sentence(template, catalogue, context)
    return Look(
        sentence=[PartOut(text=p.text, role=p.role, place=p.place, note=p.note) for p in sentence.parts()],
        columns=_columns(template, resolution),
        rows=rows,
        more=more,
        file_name=_file_name(template, resolution),
        problems=[ProblemOut(**p) for p in pointers(resolution.problems)],
        notes=[ProblemOut(**p) for p in pointers(resolution.notes)],
        milliseconds=_since(began),
    )


@router.post("/tally", response_model=Tally)
def tally(body: LookRequest, services: TheServices) -> Any:
    """
    The counts, step by step. A newer request of the same bench stops this one.
    """
    began = time.perf_counter()
    template = read_document(body.document)
    resolution = resolve(template, services.source.catalogue(), services.context())
    if resolution.partial is None:
        raise PlanError(resolution.problems)
    plan = resolution.partial
    words = dict(Sentence(template, plan.catalogue, plan.context).steps())
    with (
        services.source.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot,
        _counting.only(body.bench, snapshot),
    ):
        steps = count_tally(snapshot, plan, words)
    return {"steps": steps, "counted_at": snapshot.taken_at, "milliseconds": _since(began)}


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


def _rows(services: Services, plan: Plan, limit: int, offset: int) -> tuple[list[list[str | None]], bool]:
    statement = Statements(plan).rows(limit=limit + 1, offset=offset)
    with services.source.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot:
        frame = to_frame(snapshot.table(statement))
    text = TextShaper(plan.columns, plan.zone.key).shape(frame)
    rows = [[None if v is None else v[:CELL_SHOWN] for v in row] for row in text.head(limit).rows()]
    return rows, frame.height > limit


def _spread(template: Template, plan: Plan, rows: list[list[str | None]]) -> list[list[str | None]]:
    """
    Rows with a blank cell for each column of the template that is not sound.
    """
    at = {c.id: n for n, c in enumerate(plan.columns)}
    return [[row[at[c.id]] if c.id in at else None for c in template.columns] for row in rows]


def _columns(template: Template, resolution: Resolution) -> list[ColumnOut]:
    planned = {c.id: c for c in resolution.partial.columns} if resolution.partial else {}
    return [
        ColumnOut(
            id=c.id,
            heading=c.heading,
            trail=_trail(planned.get(c.id), getattr(c.value, "field", "constant")),
            shown=_shown(planned[c.id]) if c.id in planned else "",
            kind=planned[c.id].kind if c.id in planned else "text",
            sound=c.id in planned,
        )
        for c in template.columns
    ]


def _trail(column: PlanColumn | None, written: str) -> str:
    if column is None:
        return written
    return column_words(column)


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
    return file_name(
        template.output.name,
        template=template.name,
        records=template.records,
        as_of=plan.context.as_of.astimezone(plan.zone),
        rows=0,
        extension=WRITERS[template.output.format].extension,
    )
