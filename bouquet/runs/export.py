"""
One template, one snapshot, its files: counted, written, totalled.

Reading, shaping and writing overlap in threads; rows never become Python objects on the way.
"""

from __future__ import annotations

import contextlib
import os
import queue
import threading
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, TypeVar

import polars as pl
import pyarrow as pa

from bouquet.core.dictionary import csvw_metadata, dictionary_csv
from bouquet.core.errors import CountMismatch, WriteError
from bouquet.core.naming import NameFacts, file_name, with_suffix
from bouquet.core.plan import Comparison, Plan, PlanColumn
from bouquet.core.shaping import Line, ReaderLines, TextShaper, Totalled, title_lines, to_frame
from bouquet.core.slip import Digest, Totals, build_slip
from bouquet.core.sql import Statements, TallyStep
from bouquet.core.template import Show, Template
from bouquet.core.template.sentence import Sentence
from bouquet.core.writers import WRITERS, SheetFacts, Writer
from bouquet.sources import Snapshot

__all__ = ["Export", "Exported", "ExportedFile", "count_tally", "window_of"]

T = TypeVar("T")

#: Batches read ahead of the writer.
READ_AHEAD = 1

#: Rows written at a time where the size of files is limited.
SLICE = 500


@dataclass(frozen=True)
class ExportedFile:
    """
    One finished file. `role` is `data`, or what it accompanies the data as: `dictionary`, `metadata`.
    """

    path: Path
    role: str
    media_type: str
    rows: int
    size: int
    sha256: str


@dataclass(frozen=True)
class Exported:
    """
    What a run made: its files, the data first, and its slip.
    """

    files: tuple[ExportedFile, ...]
    rows: int
    slip: dict[str, Any]

    @property
    def path(self) -> Path:
        """
        The first file.
        """
        return self.files[0].path


@dataclass(frozen=True)
class _Part:
    """
    One part of a split: its value as text and as it comes from the source, and its rows, where these are known.
    """

    rows: int | None
    value: str | None = None
    key: Any = None


def prefetched(source: Iterator[T]) -> Iterator[T]:
    """
    Read ahead of the consumer in a thread. An error of the source is raised where its item would have come.
    """
    items: queue.Queue[tuple[str, Any]] = queue.Queue(maxsize=READ_AHEAD)
    stopped = threading.Event()

    def put(entry: tuple[str, Any]) -> None:
        while not stopped.is_set():
            try:
                items.put(entry, timeout=0.2)
                return
            except queue.Full:
                continue

    def read() -> None:
        try:
            for item in source:
                put(("item", item))
                if stopped.is_set():
                    break
            put(("end", None))
        except BaseException as error:
            put(("error", error))

    thread = threading.Thread(target=read, name="prefetch", daemon=True)
    thread.start()
    try:
        while True:
            what, value = items.get()
            if what == "end":
                return
            if what == "error":
                raise value
            yield value
    finally:
        stopped.set()
        thread.join()


def count_tally(snapshot: Snapshot, plan: Plan, words: dict[str, str]) -> list[dict[str, Any]]:
    """
    The tally: all records, what each step leaves, and the rows that go out.

    `words` names the steps by their place in the document. Each entry has its `kind`: `all`, `filter`, `scope` (rows
    hidden by rights), `open` (children become rows), `group` (records become groups) or `limit`. `left_out` counts what
    a step lost; `blank` how many of these were blank in an order comparison; `without` the records that have no child,
    None where that is no question.
    """
    statements = Statements(plan)
    statement, steps = statements.tally()
    counts = snapshot.row(statement)
    tally: list[dict[str, Any]] = []
    before = 0
    for step in steps:
        rows, place = int(counts[step.count]), step.step.place if step.step else ""
        narrows = step.kind in ("filter", "scope")
        entry: dict[str, Any] = {
            "kind": step.kind,
            "place": place,
            "words": _words(step, plan, words),
            "rows": rows,
            "left_out": before - rows if narrows else 0,
            "blank": int(counts[step.blank] or 0) if step.blank else 0,
            "without": int(counts[step.without]) if step.without else None,
        }
        tally.append(entry)
        before = rows
    if any(b.fill_gaps for b in plan.by):
        rows = int(snapshot.row(statements.count())["rows"])
        tally.append({**_LINE, "kind": "group", "words": "with empty steps between", "rows": rows})
    elif plan.at_most is not None and before > plan.at_most:
        entry = {"kind": "limit", "place": "at_most", "words": f"the first {plan.at_most:,}", "rows": plan.at_most}
        tally.append({**_LINE, **entry, "left_out": before - plan.at_most})
    return tally


_LINE: dict[str, Any] = {"place": "", "left_out": 0, "blank": 0, "without": None}


def _words(step: TallyStep, plan: Plan, words: dict[str, str]) -> str:
    if step.kind == "open":
        kept = "kept, a row each" if plan.keeps_childless else "left out"
        return f"one row per {plan.row_type.label}; {plan.record_type.plural} without any are {kept}"
    if step.kind == "group":
        return "groups"
    if step.kind == "scope":
        return "hidden by rights"
    return words.get(step.step.place, step.step.place) if step.step else plan.record_type.plural


class Export:
    """
    Writes the files of one plan into a folder.

    Args:
        template: The template that `plan` was resolved from.
        plan: What to read.
        format: `csv`, `xlsx` or `jsonl`.
        folder: Where the files go. They are written beside and renamed when all are whole.
        progress: Told the stage, the rows announced and the rows written so far.
    """

    def __init__(
        self,
        template: Template,
        plan: Plan,
        format: str,
        folder: Path,
        progress: Callable[[str, int | None, int], None] = lambda *_: None,
    ) -> None:
        self.plan, self.format, self.folder, self.progress = plan, format, folder, progress
        sentence = Sentence(template, plan.catalogue, plan.context)
        self.sentence, self.words = sentence.text(), dict(sentence.steps())
        self.writer_class = WRITERS[format]

    def write(self, snapshot: Snapshot, asked: dict[str, Any]) -> Exported:
        """
        Count, write, prove. `asked` goes into the slip: who or what asked, for which version.

        Raises SourceError when the source fails, WriteError when a file cannot be written, CountMismatch when
        announced and written rows differ. No half-written file is left in any case.
        """
        self.progress("counting", None, 0)
        tally = count_tally(snapshot, self.plan, self.words)
        announced = int(tally[-1]["rows"])
        self.progress("writing", announced, 0)
        self.statements = Statements(self.plan, expected=announced)
        self.totals = Totals(self.plan)
        self.notes: Counter[str] = Counter()
        self.digests: dict[Path, Digest] = {}
        written: list[tuple[str, Path, int]] = []
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            written += self._stream(snapshot, announced)
            if self.totals.rows != announced:
                raise CountMismatch(announced, self.totals.rows)
            companions = self._companions([name for name, _, _ in written])
            files = [self._finished(name, path, "data", rows) for name, path, rows in written]
            files += [self._finished(name, path, role, 0) for name, path, role in companions]
        except OSError as error:
            reason = error.strerror or str(error)
            raise WriteError(f"The file could not be written: {reason.lower()}. Nothing was kept of it.") from error
        finally:
            with contextlib.suppress(OSError):
                for left in self.folder.glob(".*.part"):
                    left.unlink(missing_ok=True)
        slip = build_slip(
            plan=self.plan,
            sentence=self.sentence,
            tally=[{k: v for k, v in step.items() if k != "place"} for step in tally],
            totals=self.totals,
            once=self._once(snapshot),
            files=[_file_facts(f) for f in files],
            notes=self._all_notes(),
            snapshot_at=snapshot.taken_at.isoformat(),
            announced=announced,
            asked=asked,
        )
        return Exported(tuple(files), self.totals.rows, slip)

    # Files

    def _stream(self, snapshot: Snapshot, announced: int) -> Iterator[tuple[str, Path, int]]:
        """
        Write the rows; gives (name, path beside, rows) of each file when it is whole.
        """
        parts = self._parts(snapshot, announced)
        totals = self._reader_totals(snapshot)
        lines = ReaderLines.count(self.plan, totals)
        into_sheets = self._into_sheets()
        whole = announced + lines
        pen = _Pen(self, parts, totals, into_sheets=into_sheets, whole=whole)
        try:
            with ThreadPoolExecutor(1, thread_name_prefix="totals") as adding:
                added: Future[None] | None = None
                batches = ((b, to_frame(b)) for b in snapshot.batches(self.statements.rows()))
                for batch, frame in prefetched(batches):
                    # Totals of one batch are added while it is written; one at a time, so that memory stays flat.
                    if added is not None:
                        added.result()
                    added = adding.submit(self._take_in, batch, frame, pen.path)
                    yield from pen.take(frame)
                    self.progress("writing", announced, pen.written)
                if added is not None:
                    added.result()
            yield from pen.end()
        except BaseException:
            pen.abandon()
            raise

    def _take_in(self, batch: pa.RecordBatch, frame: pl.DataFrame, path: Path) -> None:
        """
        Totals of a batch, and the digest of what was written up to it.
        """
        self.totals.add(batch, frame)
        self.digests.setdefault(path, Digest(path)).follow()

    def _into_sheets(self) -> bool:
        split = self.plan.output.split
        return split is not None and split.into == "sheets" and self.writer_class.takes_sheets

    def _parts(self, snapshot: Snapshot, announced: int) -> list[_Part]:
        """
        The parts of a split that are known before; one part where there is no split.
        """
        split = self.plan.output.split
        if split is None or not announced:
            return [_Part(announced)]
        if split.rows is not None:
            return [_Part(min(split.rows, announced - n)) for n in range(0, announced, split.rows)]
        if split.megabytes is not None:
            return [_Part(None)]
        table = to_frame(snapshot.table(self.statements.parts()))
        shown = self._split_texts(table["s0"])
        return [_Part(n, text, key) for key, n, text in zip(table["s0"], table["rows"], shown, strict=True)]

    def _split_texts(self, values: pl.Series) -> list[str]:
        """
        The values of a split as they stand in names: choices by label, dates in ISO form, blanks empty.
        """
        cell = self.plan.split
        assert cell is not None
        column = PlanColumn(id="", heading="", cell=cell, show=Show(), blank="")
        texts = TextShaper([column], self.plan.zone.key).shape(pl.DataFrame({"c0": values}))["c0"]
        return [(t or "").strip() for t in texts]

    def _reader_totals(self, snapshot: Snapshot) -> Totalled:
        """
        What the lines of totals say, read from the same snapshot.
        """
        if self.plan.output.style != "reader" or not self.writer_class.takes_lines:
            return [{}]
        by_value = self.plan.split is not None
        levels: list[dict[tuple[Any, ...], dict[int, str | None]]] = []
        for level in range(len(self.plan.groups) + 1):
            found: dict[tuple[Any, ...], dict[int, str | None]] = {}
            for statement, columns in self.statements.totals(level, by_split=by_value):
                names = [f"g{n}" for n in range(level + by_value)]
                for row in to_frame(snapshot.table(statement)).iter_rows(named=True):
                    key = tuple(row[n] for n in names)
                    found.setdefault(key, {}).update({n: row[f"t{n}"] for n in columns})
            levels.append(found)
        return levels

    def _once(self, snapshot: Snapshot) -> dict[int, str | None]:
        """
        Sums of the numbers that repeat on several rows, each counted once.
        """
        found: dict[int, str | None] = {}
        for statement, columns in self.statements.once():
            row = snapshot.row(statement) if self.totals.rows else {}
            found |= {n: row.get(f"t{n}") for n in columns}
        return found

    def file_name(self, rows: int, part: int | None, value: str | None) -> str:
        """
        The name of one file of the run.
        """
        plan = self.plan
        facts = NameFacts(
            template=plan.name,
            records=plan.row_type.name,
            as_of=plan.context.as_of.astimezone(plan.zone),
            rows=rows,
            window_start=window_of(plan)[0],
            window_end=window_of(plan)[1],
            answers=dict(plan.answers),
            value=value,
            part=part,
            sequence=plan.context.sequence,
            recipient=plan.context.recipient,
        )
        return file_name(plan.output.name, facts, self.writer_class.extension)

    def open_writer(self, name: str, lines: int, sheets: Sequence[SheetFacts], titled: int) -> Writer:
        """
        Begin a file beside its place.
        """
        writer = self.writer_class(
            self.plan,
            self.folder / f".{name}.part",
            announced=lines,
            sentence=self.sentence,
            titles=title_lines(self.plan, self.sentence, titled) if self.writer_class.takes_lines else (),
            sheets=sheets,
            findings=self._all_notes,
        )
        writer.open()
        return writer

    def _companions(self, names: list[str]) -> list[tuple[str, Path, str]]:
        """
        Write what goes along with the data.
        """
        wanted, made = self.plan.output.dictionary, []
        stem = self.file_name(self.totals.rows, None, None).rpartition(".")[0]
        if "csv" in wanted or ("sheet" in wanted and self.format != "xlsx"):
            made.append((f"{stem}-dictionary.csv", dictionary_csv(self.plan), "dictionary"))
        if "csvw" in wanted and self.format == "csv":
            name = f"{names[0]}-metadata.json" if len(names) == 1 else f"{stem}-metadata.json"
            made.append((name, csvw_metadata(self.plan, names), "metadata"))
        found = []
        for name, content, role in made:
            path = self.folder / f".{name}.part"
            path.write_bytes(content)
            found.append((name, path, role))
        return found

    def _finished(self, name: str, path: Path, role: str, rows: int) -> ExportedFile:
        size, digest = path.stat().st_size, self.digests.get(path, Digest(path)).finish()
        with path.open("rb") as written:
            os.fsync(written.fileno())
        target = self.folder / name
        path.replace(target)
        media = {"dictionary": "text/csv", "metadata": "application/csvm+json"}.get(role, self.writer_class.media_type)
        return ExportedFile(target, role, media, rows, size, digest)

    def _all_notes(self) -> dict[str, int]:
        """
        Everything found so far that is worth a remark, counted.
        """
        guarded = self.plan.guards_formulas
        formulas = self.totals.formula_notes(guarded=guarded) if self.format == "csv" else {}
        return {**self.notes, **self.totals.fault_notes(), **formulas}


class _Pen:
    """
    Puts rows and lines into files, one after the other, as the split asks.
    """

    def __init__(self, export: Export, parts: list[_Part], totals: Totalled, *, into_sheets: bool, whole: int) -> None:
        self.export, self.plan, self.parts, self.totals = export, export.plan, parts, totals
        self.into_sheets, self.whole = into_sheets, whole
        self.at, self.rows, self.written, self.names = -1, 0, 0, set[str]()
        self.writer: Writer | None = None
        self.several = len(parts) > 1 or parts[0].rows is None or parts[0].value is not None
        split = self.plan.output.split
        self.limit = int(split.megabytes * 1_000_000) if split and split.megabytes else None
        self._next()

    @property
    def path(self) -> Path:
        """
        Where the file under way is written.
        """
        assert self.writer is not None
        return self.writer.path

    def take(self, frame: pl.DataFrame) -> Iterator[tuple[str, Path, int]]:
        """
        Write a batch; gives the files that became whole.
        """
        while frame.height:
            part = self.parts[min(self.at, len(self.parts) - 1)]
            fits = frame.height if part.rows is None else part.rows - self.rows
            if fits == 0 and self.at < len(self.parts) - 1:
                yield from self._turn()
                continue
            head = frame.head(min(fits, SLICE) if self.limit else fits or frame.height)
            if self.limit and self.rows and self._would_be(head) > self.limit:
                yield from self._turn()
                continue
            self._write(head)
            self.rows += head.height
            self.written += head.height
            frame = frame.slice(head.height)

    def end(self) -> Iterator[tuple[str, Path, int]]:
        """
        Finish the last file.
        """
        self._close_lines(last=True)
        yield self._close()

    def _would_be(self, head: pl.DataFrame) -> int:
        """
        Bytes of the file with some more rows in it, by the bytes a row took so far, generously.
        """
        assert self.writer is not None
        self._measured = max(getattr(self, "_measured", 0), self.writer.size / max(self.rows, 1))
        return self.writer.size + int(self._measured * head.height * 1.2) + 1

    def _write(self, head: pl.DataFrame) -> None:
        assert self.writer is not None
        if self.lines is None:
            self.writer.write(head)
            return
        for block in self.lines.blocks(head):
            if isinstance(block, Line):
                self.writer.write_line(block)
            else:
                self.writer.write(block)

    def _turn(self) -> Iterator[tuple[str, Path, int]]:
        """
        On to the next part.
        """
        assert self.writer is not None
        self._close_lines(last=False)
        if not self.into_sheets:
            yield self._close()
        self._next()

    def _close_lines(self, *, last: bool) -> None:
        assert self.writer is not None
        if self.lines is not None and (last or self.plan.split is not None):
            for line in self.lines.end():
                self.writer.write_line(line)

    def _next(self) -> None:
        self.at += 1
        self.rows = 0
        part = self.parts[min(self.at, len(self.parts) - 1)]
        takes = self.plan.output.style == "reader" and self.export.writer_class.takes_lines
        if takes and (self.plan.split is not None or self.at == 0):
            self.lines: ReaderLines | None = ReaderLines(
                self.plan, self.totals, (part.key,) if self.plan.split is not None else ()
            )
        elif not takes:
            self.lines = None
        if self.into_sheets:
            if self.at == 0:
                sheets = [SheetFacts(p.value or "(blank)", self._lines_of(p)) for p in self.parts]
                self._open(self.whole, sheets, None, None)
            else:
                assert self.writer is not None
                self.writer.next_sheet()
            return
        rows = self.whole if not self.several else self._lines_of(part)
        self._open(rows, (), self.at + 1 if self.several else None, part.value)

    def _lines_of(self, part: _Part) -> int:
        """
        Rows and lines of one part. Of lines within a part only their greatest number is known.
        """
        lines = ReaderLines.count_within(self.plan, self.totals, (part.key,) if self.plan.split is not None else ())
        return (part.rows or 0) + lines

    def _open(self, lines: int, sheets: Sequence[SheetFacts], number: int | None, value: str | None) -> None:
        part = self.parts[min(self.at, len(self.parts) - 1)]
        titled = self.export.totals.rows if part.rows is None else part.rows
        if sheets:
            titled = sum(p.rows or 0 for p in self.parts)
        name = self.export.file_name(part.rows or 0, number, value)
        stem, n = name, 1
        while name.casefold() in self.names:
            n += 1
            name = with_suffix(stem, n)
        self.names.add(name.casefold())
        self.name = name
        self.writer = self.export.open_writer(name, lines, sheets, titled)

    def _close(self) -> tuple[str, Path, int]:
        assert self.writer is not None
        self.writer.close()
        self.export.notes.update(self.writer.facts.notes)
        return self.name, self.writer.path, self.writer.facts.rows

    def abandon(self) -> None:
        """
        Let go of the file under way.
        """
        if self.writer is not None:
            self.writer.abandon()


def window_of(plan: Plan) -> tuple[datetime | None, datetime | None]:
    """
    The first and last moment inside the filter's first window, for names.
    """
    for step in plan.steps:
        part = step.predicate
        if isinstance(part, Comparison) and part.span is not None:
            end = part.span.end - timedelta(microseconds=1) if part.span.end else None
            return part.span.start, end
    return None, None


def _file_facts(file: ExportedFile) -> dict[str, Any]:
    facts = {"name": file.path.name, "rows": file.rows, "size": file.size, "sha256": file.sha256}
    return facts if file.role == "data" else {**facts, "role": file.role}
