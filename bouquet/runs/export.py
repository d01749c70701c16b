"""
One template, one snapshot, one file: counted, written, totalled.

Reading, shaping and writing overlap in threads; rows never become Python objects on the way.
"""

from __future__ import annotations

import contextlib
import os
import queue
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

from bouquet.core.errors import CountMismatch, WriteError
from bouquet.core.naming import file_name
from bouquet.core.plan import Plan
from bouquet.core.shaping import to_frame
from bouquet.core.slip import Totals, build_slip, sha256_of
from bouquet.core.sql import Statements
from bouquet.core.template import Template
from bouquet.core.template.sentence import Sentence
from bouquet.core.writers import WRITERS
from bouquet.sources import Snapshot

__all__ = ["Export", "Exported", "count_tally"]

T = TypeVar("T")

#: Batches read ahead of the writer.
READ_AHEAD = 2


@dataclass(frozen=True)
class Exported:
    """
    A finished file and its slip.
    """

    path: Path
    media_type: str
    rows: int
    size: int
    sha256: str
    slip: dict[str, Any]


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

    `words` names the steps by their place in the document. `left_out` counts what a step lost; `blank` how many of
    these were blank in an order comparison.
    """
    statement, steps = Statements(plan).tally()
    counts = snapshot.row(statement)
    tally: list[dict[str, Any]] = []
    before = None
    for step in steps:
        rows = int(counts[step.count])
        place = step.predicate.place if step.predicate else ""
        entry: dict[str, Any] = {
            "place": place,
            "words": words.get(place, plan.record_type.plural),
            "rows": rows,
            "left_out": 0 if before is None else before - rows,
            "blank": int(counts[step.blank]) if step.blank else 0,
        }
        tally.append(entry)
        before = rows
    if plan.at_most is not None and before is not None and before > plan.at_most:
        entry = {"place": "at_most", "words": f"the first {plan.at_most:,}", "rows": plan.at_most}
        tally.append({**entry, "left_out": before - plan.at_most, "blank": 0})
    return tally


class Export:
    """
    Writes the file of one plan into a folder.

    Args:
        template: The template that `plan` was resolved from.
        plan: What to read.
        format: `csv` or `xlsx`.
        folder: Where the file goes. It is written beside and renamed when it is whole.
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

    def write(self, snapshot: Snapshot, asked: dict[str, Any]) -> Exported:
        """
        Count, write, prove. `asked` goes into the slip: who or what asked, for which version.

        Raises SourceError when the source fails, WriteError when the file cannot be written, CountMismatch when
        announced and written rows differ. No half-written file is left in any case.
        """
        self.progress("counting", None, 0)
        tally = count_tally(snapshot, self.plan, self.words)
        announced = int(tally[-1]["rows"])
        self.progress("writing", announced, 0)
        writer_class = WRITERS[self.format]
        name = file_name(
            self.plan.output.name,
            template=self.plan.name,
            records=self.plan.record_type.name,
            as_of=self.plan.context.as_of.astimezone(self.plan.zone),
            rows=announced,
            extension=writer_class.extension,
        )
        beside = self.folder / f".{name}.part"
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            totals, notes = self._stream(snapshot, beside, announced)
            if totals.rows != announced:
                raise CountMismatch(announced, totals.rows)
            size, digest = beside.stat().st_size, sha256_of(beside)
            with beside.open("rb") as written:
                os.fsync(written.fileno())
            beside.replace(self.folder / name)
        except OSError as error:
            reason = error.strerror or str(error)
            raise WriteError(f"The file could not be written: {reason.lower()}. Nothing was kept of it.") from error
        finally:
            with contextlib.suppress(OSError):
                beside.unlink(missing_ok=True)
        file = {"name": name, "rows": totals.rows, "size": size, "sha256": digest}
        slip = build_slip(
            plan=self.plan,
            sentence=self.sentence,
            tally=[{k: v for k, v in step.items() if k != "place"} for step in tally],
            totals=totals,
            files=[file],
            notes=notes,
            snapshot_at=snapshot.taken_at.isoformat(),
            announced=announced,
            asked=asked,
        )
        return Exported(self.folder / name, writer_class.media_type, totals.rows, size, digest, slip)

    def _stream(self, snapshot: Snapshot, path: Path, announced: int) -> tuple[Totals, dict[str, int]]:
        totals = Totals(self.plan)
        statement = Statements(self.plan).rows()
        writer = WRITERS[self.format](self.plan, path, announced=announced, sentence=self.sentence)
        with writer:
            for batch in prefetched(snapshot.batches(statement)):
                frame = to_frame(batch)
                writer.write(frame)
                totals.add(batch, frame)
                self.progress("writing", announced, totals.rows)
        notes = dict(writer.facts.notes)
        return totals, notes | (totals.formula_notes() if self.format == "csv" else {})
