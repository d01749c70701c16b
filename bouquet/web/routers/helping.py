"""
Help while designing: rows per unit, formats by example, the first lines of the file, header rows matched to fields.
"""

from __future__ import annotations

import tempfile
from dataclasses import asdict
from decimal import Decimal
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import polars as pl
from fastapi import APIRouter, Body, Depends

from bouquet.core.errors import PlanError, Problem
from bouquet.core.language import tr, whole
from bouquet.core.matching import Candidate, match_headings, read_header
from bouquet.core.plan import Plan, PlanColumn, Read, Resolution
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.shaping.example import format_by_example
from bouquet.core.sql import Statements
from bouquet.core.template import FORMAT, HEADING_LENGTH, Column, FieldValue, Show, Template, read_document
from bouquet.designing import SourceView, said_of_request
from bouquet.runs import Export
from bouquet.runs.sheets import first_rows
from bouquet.sources import Snapshot
from bouquet.store import NotFound
from bouquet.web.access import TheView, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused, pointers
from bouquet.web.schemas import (
    AskedOut,
    AskedPartOut,
    AskedRequest,
    CandidateOut,
    ExampleOut,
    ExampleRequest,
    Extent,
    FirstLines,
    LookRequest,
    MatchedOut,
    Matches,
    MatchRequest,
    PerValueRequest,
    ProblemOut,
    UnderDesign,
    ValueCount,
)

router = APIRouter(route_class=ExactRoute, prefix="/design", tags=["design"], dependencies=[Depends(needs("look"))])

#: Rows of the file that are shown as they will be, and bytes of them.
LINES, BYTES = 5, 6_000

#: Other cells that show what a format does to them.
OTHERS = 4

#: The column that rows are counted by; no document of a person has such an id.
UNIT = "\u0001unit"

#: Bytes of a sample file.
SAMPLE_SIZE = 20_000_000


@router.post("/per-value", response_model=list[ValueCount])
def per_value(body: PerValueRequest, view: TheView) -> Any:
    """
    How many rows have each value of a field, most first: the counts per unit.
    """
    template = read_document(body.document)
    # The template's own columns stay: its filter may speak of them.
    unit = Column(id=UNIT, heading=UNIT, value=_field(body.path))
    counted = template.model_copy(update={"columns": (*template.columns, unit)})
    resolution = _resolved(view, counted, body)
    plan = resolution.partial
    cells = [c.cell for c in plan.columns if c.id == UNIT] if plan is not None else []
    if plan is None or not cells:
        raise PlanError(resolution.problems)
    with view.snapshot() as snapshot:
        found = snapshot.rows(Statements(plan).per_value(cells[0]))
    return [ValueCount(value=r["value"], rows=r["rows"]) for r in found]


def _field(path: str) -> FieldValue:
    return FieldValue(field=path)


def _resolved(view: SourceView, template: Template, body: UnderDesign) -> Resolution:
    return view.resolve(template, answers=body.answers, template_id=body.template_id)


@router.post("/format", response_model=ExampleOut)
def work_out_format(body: ExampleRequest, view: TheView) -> Any:
    """
    The formats under which one cell reads as a person typed it, and how other cells then read. None when there is none.
    """
    template = read_document(body.document)
    chosen = [c for c in template.columns if c.id == body.column]
    if not chosen:
        msg = tr("The sheet has no column “{column}”.", column=body.column)
        raise NotFound(msg)
    found = _cells(view, template, chosen[0], Show(), body)
    if found is None or found[1].is_empty() or found[1][0] is None:
        return ExampleOut(shows=[], others=[])
    column, values, _ = found
    value: Any = values[0]
    if column.kind.is_number and isinstance(value, str | float):
        value = Decimal(str(value))
    shows, others = [], []
    for show in format_by_example(_local(value, template), body.text, column.field, column.show.language or "en"):
        tried = _cells(view, template, chosen[0], show, body)
        texts = tried[2] if tried is not None else [None]
        # Only what the plan itself writes like that is offered.
        if texts[0] == body.text:
            shows.append(show.model_dump(mode="json", exclude_defaults=True))
            others.append(texts[1 : OTHERS + 1])
    return ExampleOut(shows=shows, others=others)


def _cells(
    view: SourceView, template: Template, chosen: Column, show: Show, body: ExampleRequest
) -> tuple[PlanColumn, pl.Series, list[str | None]] | None:
    """
    One column alone under a format, from a row on: as planned, its values, and its texts. None where it is not sound.
    """
    shown = chosen.model_copy(update={"show": show, "blank": ""})
    columns = tuple(shown if c.id == chosen.id else c for c in template.columns)
    plan = _resolved(view, template.model_copy(update={"columns": columns}), body).partial
    at = next((n for n, c in enumerate(plan.columns) if c.id == chosen.id), None) if plan is not None else None
    if plan is None or at is None or plan.columns[at].is_constant:
        return None
    with view.snapshot() as snapshot:
        frame = to_frame(snapshot.table(Statements(plan).rows(limit=OTHERS + 1, offset=body.row)))
    texts = TextShaper(plan.columns, plan.zone.key).shape(frame).to_series(at).to_list()
    return plan.columns[at], frame.get_column(f"c{at}"), texts


def _local(value: Any, template: Template) -> Any:
    try:
        return value.astimezone(ZoneInfo(template.zone)) if getattr(value, "tzinfo", None) is not None else value
    except OverflowError:
        # The clock of that zone shows a year that there is none of here.
        return value


@router.post("/first-lines", response_model=FirstLines)
def first_lines(body: LookRequest, view: TheView) -> Any:
    """
    The first lines of a text file as they will be, written by the writer that writes the file.
    """
    template = read_document(body.document)
    output = template.output.model_copy(update={"split": None, "dictionary": ()})
    at_most = min(LINES, template.at_most or LINES)
    sample = template.model_copy(update={"output": output, "at_most": at_most})
    if sample.output.format == "xlsx":
        return FirstLines(text="")
    plan = _resolved(view, sample, body).require()
    with (
        tempfile.TemporaryDirectory() as folder,
        view.snapshot() as snapshot,
    ):
        return FirstLines(text=_written(snapshot, sample, plan, Path(folder)))


def _written(snapshot: Snapshot, template: Template, plan: Plan, folder: Path) -> str:
    export = Export(template, plan, template.output.format, folder, lambda *_: None)
    made = export.write(snapshot, {})
    encoding = template.output.csv.encoding if template.output.format == "csv" else "utf-8"
    with made.path.open("rb") as file:
        return file.read(BYTES).decode(encoding, errors="replace").removeprefix("\ufeff")


@router.post("/asked", response_model=AskedOut)
def read_asked(body: AskedRequest, view: TheView) -> Any:
    """
    What somebody asked for, in their words, as a proposed template: what each part was taken for, how sure that is, and
    what was not understood. Nothing is kept.
    """
    said = said_of_request(
        view, body.text, records=body.records, ignored=[(e.start, e.end) for e in body.ignored], document=body.document
    )
    resolution = view.resolve(said.template) if said.template is not None else None
    return AskedOut(
        document={"format": FORMAT, **said.asked.document} if said.asked.document is not None else None,
        sentence=view.sentence(said.template).text() if said.template else "",
        parts=[AskedPartOut(**asdict(p), words=words) for p, words in zip(said.asked.parts, said.words, strict=True)],
        unread=[Extent(start=start, end=end) for start, end in said.asked.unread],
        problems=[ProblemOut(**p) for p in pointers(resolution.problems)] if resolution is not None else [],
    )


@router.post("/match", response_model=Matches)
def match(body: MatchRequest, view: TheView) -> Any:
    """
    Hold a header row against the fields of a record type: scored, with reasons, nothing taken without a person's eye.
    """
    catalogue, record_type = view.catalogue, view.record_type(body.records)
    header = read_header(body.text)
    if len(header.names) > 400:
        message = tr("This header row has {names} names; up to 400 can be matched.", names=len(header.names))
        raise PlanError([Problem(code="too_many", message=message, place="text")])
    longest = max((len(n) for n in header.names), default=0)
    if longest > HEADING_LENGTH:
        message = tr(
            "A name in this header row has {longest} characters; up to {heading_length} can be matched.",
            longest=whole(longest),
            heading_length=HEADING_LENGTH,
        )
        raise PlanError([Problem(code="too_long", message=message, place="text")])
    examples = {
        (name, field): profile.example
        for name in {record_type.name, *(r.target for r in record_type.relations if not r.many)}
        for field, profile in view.source.profile(name, view.scope).items()
    }
    found = match_headings(header, catalogue, record_type, examples)
    values = _first_values(view, body.records, [c for m in found for c in m.candidates])
    return Matches(
        separator=header.separator,
        samples=len(header.samples),
        headings=[
            MatchedOut(
                heading=m.heading,
                samples=list(m.samples),
                confidence=m.confidence,
                candidates=[_candidate(view, body.records, c, values.get((c.path, c.show))) for c in m.candidates],
            )
            for m in found
        ],
    )


def _candidate(view: SourceView, records: str, candidate: Candidate, value: str | None) -> CandidateOut:
    catalogue = view.catalogue
    route = catalogue.route(catalogue.record_types[records], candidate.path, "")
    retired = None if isinstance(route, Problem) or route.field.retired is None else route.field.retired.reason
    return CandidateOut(
        path=candidate.path,
        trail=candidate.trail,
        score=candidate.score,
        reasons=list(candidate.reasons),
        show=candidate.show.model_dump(mode="json", exclude_defaults=True),
        value=value,
        retired=retired,
    )


def _first_values(view: SourceView, records: str, candidates: list[Candidate]) -> dict[tuple[str, Show], str | None]:
    """
    The first value of each candidate among the first records, as it would be written; blanks where all are blank.
    """
    wanted = list(dict.fromkeys((c.path, c.show) for c in candidates))
    columns = tuple(
        Column(id=f"c{n}", heading=f"c{n}", value=_field(path), show=show) for n, (path, show) in enumerate(wanted)
    )
    template = Template(name="match", records=records, columns=columns)
    plan = view.resolve(template).partial
    if plan is None or not plan.columns:
        return {}
    with view.snapshot() as snapshot:
        frame = to_frame(snapshot.table(Statements(plan).rows(limit=60)))
    text = TextShaper(plan.columns, plan.zone.key).shape(frame)
    found: dict[tuple[str, Show], str | None] = {}
    for n, column in enumerate(plan.columns):
        values = text.to_series(n).drop_nulls()
        personal = isinstance(column.cell, Read) and column.field.personal
        first = None if values.is_empty() else values[0]
        found[wanted[int(column.id[1:])]] = "•••" if personal and first else first
    return found


@router.post("/header-of-file", response_model=FirstLines)
def header_of_file(content: bytes = Body(media_type="application/octet-stream")) -> Any:
    """
    The header row and the first rows of a spreadsheet somebody sent, as text separated by tabs.
    """
    if len(content) > SAMPLE_SIZE:
        raise Refused(
            422,
            "too_large",
            tr(
                "A sample file may have {sample_size} MB; a few rows are enough.",
                sample_size=SAMPLE_SIZE // 1_000_000,
            ),
        )
    lines = ["\t".join(_plain(v) for v in row) for row in first_rows(content, 6)]
    return FirstLines(text="\n".join(lines))


def _plain(text: str) -> str:
    return text.replace("\t", " ").replace("\n", " ").replace("\r", " ")
