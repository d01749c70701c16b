"""
One template, one snapshot, its files: counted, written, totalled, checked.

Reading, shaping and writing overlap in threads; rows never become Python objects on the way.
"""

from __future__ import annotations

import contextlib
import json
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import replace
from functools import cache, partial
from pathlib import Path
from typing import Any

import polars as pl
import pyarrow as pa

from bouquet.core.checks import FINDING_HEADINGS
from bouquet.core.dictionary import csvw_metadata, dictionary_csv
from bouquet.core.errors import CountMismatch, WriteError
from bouquet.core.language import tr, whole
from bouquet.core.memory import SentKeys
from bouquet.core.naming import file_name
from bouquet.core.omitted import omitted
from bouquet.core.plan import Plan
from bouquet.core.shaping import ReaderLines, Totalled, companion_csv, title_lines, to_frame
from bouquet.core.slip import build_slip
from bouquet.core.sql import Statements
from bouquet.core.template import Acceptance, FieldValue, Template
from bouquet.core.vocabulary.formats import FORMATS
from bouquet.core.wording.given import sentence_for
from bouquet.core.wording.sentence import Sentence
from bouquet.core.writers import SheetFacts, Writer, writer_of
from bouquet.core.writers.base import LARGEST_PICTURE, MOST_PICTURES
from bouquet.runs.archive import attachments_of, count_attachments, write_archive
from bouquet.runs.exported import Exported, ExportedFile, file_facts
from bouquet.runs.finished import FinishedFiles
from bouquet.runs.for_recipients import ForRecipients
from bouquet.runs.forms import Addressed
from bouquet.runs.naming import name_facts
from bouquet.runs.seen import Cut, SeenRows, WrittenRange, sent_keys
from bouquet.runs.split_writer import Part, SplitWriter, prefetched, split_texts
from bouquet.runs.tallying import count_tally, records_read
from bouquet.sources import Snapshot

__all__ = ["Export"]


class Export:
    """
    Writes the files of one plan into a folder.

    Args:
        template: The template that `plan` was resolved from.
        plan: What to read.
        format: `csv`, `xlsx` or `jsonl`.
        folder: Where the files go. They are written beside and renamed when all are whole.
        progress: Told the stage, the rows announced and the rows written so far.
        recipients: Whose forms are written besides, of the same rows.
        archives: Whether what goes along is packed with the files; otherwise whoever exports does so.
        gone: The keys of records that were sent earlier and are no longer there; None where that is not told.
        cut: Has several write the rows, where there are many and the files allow it.
    """

    def __init__(
        self,
        template: Template,
        plan: Plan,
        format: str,
        folder: Path,
        progress: Callable[[str, int | None, int], None] = lambda *_: None,
        recipients: Sequence[Addressed] = (),
        *,
        archives: bool = True,
        gone: Sequence[tuple[str, ...]] | None = None,
        cut: Cut | None = None,
    ) -> None:
        self.recipients, self.archives, self.gone, self.cut = recipients, archives, gone, cut
        self.template, self.plan, self.format, self.folder, self.progress = template, plan, format, folder, progress
        sentence = Sentence(template, plan.catalogue, plan.context)
        self.sentence, self.words = sentence.text(), dict(sentence.steps())
        self.writer_class, self.facts = writer_of(format), FORMATS[format]

    def write(self, snapshot: Snapshot, asked: dict[str, Any]) -> Exported:
        """
        Count, write, prove. `asked` goes into the slip: who or what asked, for which version.

        Raises SourceError when the source fails, WriteError when a file cannot be written, CountMismatch when
        announced and written rows differ. No half-written file is left in any case.
        """
        self.stamp = str(asked.get("run", ""))
        self.progress("counting", None, 0)
        tally = count_tally(snapshot, self.plan, self.words)
        announced = int(tally[-1]["rows"])
        self.progress("writing", announced, 0)
        self.statements = Statements(self.plan, expected=records_read(tally))
        self.seen = SeenRows(self.plan)
        self.totals, self.found, self.sent = self.seen.totals, self.seen.found, self.seen.sent
        self.notes: Counter[str] = Counter()
        self.finished = FinishedFiles(self.folder, self.facts.media_type)
        self.files = self.finished.files
        self.forms = ForRecipients(
            self.template, self.plan, self.recipients, self.sentence, self.finished, partial(sent_keys, self.plan)
        )
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            self._write_files(snapshot, announced)
            slip = self._slip(snapshot, tally, asked)
            self._close(snapshot, slip)
            if self.recipients:
                slip["recipients"] = self.forms.put(self.stem)
        except OSError as error:
            reason = error.strerror or str(error)
            message = tr("The file could not be written: {reason}. Nothing was kept of it.", reason=reason.lower())
            raise WriteError(message) from error
        finally:
            with contextlib.suppress(OSError):
                for left in self.folder.glob(".*.part"):
                    left.unlink(missing_ok=True)
        return Exported(
            tuple(self.files),
            self.totals.rows,
            slip,
            tuple(self.found.as_json()),
            self.found.objections,
            self.found.verdict,
            _sorted(self.sent),
            {form.to.id: _sorted(form.keys) for form in self.forms.forms if form.to.part is not None},
        )

    def _close(self, snapshot: Snapshot, slip: dict[str, Any]) -> None:
        """
        What holds the other files or speaks of them: the slip as a file, and the archive.
        """
        output = self.plan.output
        if "slip" in output.companions:
            # Who touched records in the house is not for whoever gets the file.
            checks = [{k: v for k, v in c.items() if k != "by_person"} for c in slip["checks"]]
            content = json.dumps({**slip, "checks": checks}, indent=2, ensure_ascii=False).encode()
            self.finished.add(f"{self.stem}-slip.json", "slip", content)
        if self.archives and (output.archive or self.plan.attached is not None):
            name = f"{self.stem}.zip"
            beside = self.folder / f".{name}.part"
            attached = attachments_of(snapshot, [self.plan])
            files = [(f.path.name, f.path) for f in self.files]
            announced = count_attachments(snapshot, self.plan)
            slip["attachments"] = write_archive(beside, files, attached, self.plan.context.as_of, self._beat)
            if slip["attachments"] != announced:
                raise CountMismatch(announced, slip["attachments"], tr("attached files"))
            self.files.append(self.finished.finish(name, beside, "archive", 0))
        slip["files"] = [file_facts(f) for f in self.files]

    def _beat(self) -> None:
        """
        Something was written that is no row; a run that was cancelled ends here.
        """
        self.progress("packing", self.totals.rows, self.totals.rows)

    # Files

    def _stream(self, snapshot: Snapshot, announced: int) -> Iterator[tuple[str, Path, int, str | None]]:
        """
        Write the rows; gives (name, path beside, rows, value of the part) of each file when it is whole.
        """
        ranges = self.cut(self.statements, announced) if self.cut is not None and self._can_join() else None
        if ranges is not None:
            yield self._joined(ranges, announced)
            return
        parts = self._parts(snapshot, announced)
        totals = self._reader_totals(snapshot)
        lines = ReaderLines.count(self.plan, totals)
        into_sheets = self._into_sheets()
        whole = announced + lines
        pen = SplitWriter(
            self.plan,
            parts,
            totals,
            takes_lines=self._takes_lines,
            into_sheets=into_sheets,
            whole=whole,
            name=self.file_name,
            open_writer=self._open_writer,
            note=self.notes.update,
        )
        # Recipients have the same totals, which are read once, where one of them wants any.
        totals_of = cache(partial(self._reader_totals_of, snapshot))
        self.forms.begin(parts, totals_of, announced)
        try:
            with (
                ThreadPoolExecutor(1, thread_name_prefix="totals") as adding,
                ThreadPoolExecutor(1, thread_name_prefix="forms") as forming,
            ):
                added: Future[None] | None = None
                checks = bool(self.plan.row_checks)
                pictures = self._largest_picture(announced)
                statement = self.statements.rows(keys=not self.plan.by, checks=checks, parents=True, pictures=pictures)
                batches = ((b, to_frame(b)) for b in snapshot.batches(statement))
                for batch, frame in prefetched(batches):
                    # Totals of one batch are added while it is written; one at a time, so that memory stays flat.
                    if added is not None:
                        added.result()
                    added = adding.submit(copy_context().run, self._take_in, batch, frame, pen.path)
                    formed = self.forms.take(frame, forming)
                    for finished in pen.take(frame):
                        yield (*finished, pen.part)
                    for taking in formed:
                        taking.result()
                    self.progress("writing", announced, pen.written)
                if added is not None:
                    added.result()
            for finished in pen.end():
                yield (*finished, pen.part)
            self.forms.end()
        except BaseException:
            pen.abandon()
            self.forms.abandon()
            raise

    def _write_files(self, snapshot: Snapshot, announced: int) -> None:
        """
        Write the rows, what explains them, and the files of children.
        """
        written = list(self._stream(snapshot, announced))
        if self.totals.rows != announced:
            raise CountMismatch(announced, self.totals.rows)
        self.progress("checking", announced, announced)
        self.found.finish(self.totals)
        for name, path, rows, part in written:
            self.files.append(replace(self.finished.finish(name, path, "data", rows), part=part))
        for name, content, role in self._companions([name for name, *_ in written]):
            self.finished.add(name, role, content)
        self._write_children(snapshot)

    def _slip(self, snapshot: Snapshot, tally: list[dict[str, Any]], asked: dict[str, Any]) -> dict[str, Any]:
        slip = build_slip(
            plan=self.plan,
            sentence=self.sentence,
            tally=[{k: v for k, v in step.items() if k != "place"} for step in tally],
            totals=self.totals,
            once=self._once(snapshot),
            files=[file_facts(f) for f in self.files],
            notes=self._all_notes(),
            checks=self.found.summary(),
            snapshot_at=snapshot.taken_at.isoformat(),
            announced=int(tally[-1]["rows"]),
            not_included=omitted(self.template, self.plan.catalogue).as_json(),
            asked=asked,
        )
        # For whoever the run was not made, and is sent it later.
        slip["tells_of_people"] = sentence_for(Acceptance(), self.template, self.plan) != self.sentence
        return slip

    def _can_join(self) -> bool:
        """
        Whether the rows are one file to whose end others can be added, whatever stands before them.
        """
        options = self.plan.output.csv
        # What cannot be written is told by the number of its row.
        any_letter = options.encoding.startswith("utf-") or options.unencodable == "replace" or self.format != "csv"
        alone = self.plan.output.split is None and not self._takes_lines and not self.recipients
        return alone and self.facts.grows and any_letter and self.statements.can_cut

    def _joined(self, ranges: Iterator[WrittenRange], announced: int) -> tuple[str, Path, int, str | None]:
        """
        The file of ranges that are written apart: what stands above the rows, and theirs, one after the other.
        """
        name = self.file_name(announced, None, None)
        writer = self._open_writer(name, announced, (), None)
        writer.close()
        self.notes.update(writer.facts.notes)
        for written in ranges:
            with writer.path.open("ab") as file:
                file.writelines(written.content())
            self.seen.join(written.told, written.keys)
            self.notes.update(written.told["notes"])
            self.finished.follow(writer.path)
        return name, writer.path, self.totals.rows, None

    def _largest_picture(self, announced: int) -> int:
        """
        Bytes up to which files are read, to be drawn; 0 where no file draws any, or there are too many.
        """
        formats = [self.facts, *(FORMATS[f.form.plan.output.format] for f in self.forms.forms)]
        files = announced * len(self.plan.file_columns)
        if not files or not any(f.pictures for f in formats):
            return 0
        if files <= MOST_PICTURES:
            return LARGEST_PICTURE
        said = tr(
            "pictures are drawn up to {most} of them; their sizes stand in their place", most=whole(MOST_PICTURES)
        )
        self.notes[said] += files
        return 0

    def _take_in(self, batch: pa.RecordBatch, frame: pl.DataFrame, path: Path) -> None:
        """
        Totals of a batch, and the digest of what was written up to it.
        """
        self.seen.add(batch, frame)
        self.finished.follow(path)

    @property
    def _takes_lines(self) -> bool:
        return self.plan.output.style == "reader" and self.facts.lines

    def _into_sheets(self) -> bool:
        split = self.plan.output.split
        return split is not None and split.into == "sheets" and self.facts.sheets

    def _parts(self, snapshot: Snapshot, announced: int) -> list[Part]:
        """
        The parts of a split that are known before; one part where there is no split.
        """
        split = self.plan.output.split
        if split is None or not announced:
            return [Part(announced)]
        if split.rows is not None:
            return [Part(min(split.rows, announced - n)) for n in range(0, announced, split.rows)]
        if split.megabytes is not None:
            return [Part(None)]
        table = to_frame(snapshot.table(self.statements.parts()))
        shown = split_texts(self.plan, table["s0"])
        return [Part(n, t.strip(), key, t) for key, n, t in zip(table["s0"], table["rows"], shown, strict=True)]

    def _reader_totals(self, snapshot: Snapshot) -> Totalled:
        """
        What the lines of totals say, read from the same snapshot.
        """
        return self._reader_totals_of(snapshot) if self._takes_lines else [{}]

    def _reader_totals_of(self, snapshot: Snapshot) -> Totalled:
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
        facts = name_facts(self.plan, rows, part, value)
        return file_name(self.plan.output.name, facts, self.facts.extension)

    def _open_writer(self, name: str, lines: int, sheets: Sequence[SheetFacts], titled: int | None) -> Writer:
        """
        Begin a file beside its place.
        """
        titled = self.totals.rows if titled is None else titled
        writer = self.writer_class(
            self.plan,
            self.folder / f".{name}.part",
            announced=lines,
            sentence=self.sentence,
            titles=title_lines(self.plan, self.sentence, titled) if self.facts.lines else (),
            sheets=sheets,
            stamp=self.stamp,
            findings=self._findings_table,
        )
        writer.open()
        return writer

    @property
    def stem(self) -> str:
        """
        What the names of companions begin with.
        """
        return self.file_name(self.totals.rows, None, None).rpartition(".")[0]

    def _companions(self, names: list[str]) -> Iterator[tuple[str, bytes, str]]:
        """
        (name, content, role) of what goes along with the data and is small.
        """
        output, guard = self.plan.output, self.plan.guards_formulas
        if "csv" in output.dictionary or ("sheet" in output.dictionary and self.format != "xlsx"):
            yield f"{self.stem}-dictionary.csv", dictionary_csv(self.plan), "dictionary"
        if "csvw" in output.dictionary and self.format == "csv":
            name = f"{names[0]}-metadata.json" if len(names) == 1 else f"{self.stem}-metadata.json"
            yield name, csvw_metadata(self.plan, names), "metadata"
        for beside in self.writer_class.beside(self.plan):
            yield f"{self.stem}-{beside.suffix}", beside.content, "schema"
        if "findings" in output.companions:
            rows = [self.plan.words(FINDING_HEADINGS).values(), *self._findings_table()]
            yield f"{self.stem}-findings.csv", companion_csv(rows, guard=guard), "findings"
        if self.gone is not None:
            shown = {c.value: c.heading for c in reversed(self.template.columns)}
            headings = [shown.get(FieldValue(field=key.path), key.field.label) for key in self.plan.key]
            yield f"{self.stem}-gone.csv", companion_csv([headings, *self.gone], guard=guard), "gone"

    def _write_children(self, snapshot: Snapshot) -> None:
        """
        The files of children: exports of their own, from the same snapshot.
        """
        for plan in self.plan.children:
            inside = self.folder / f".children-{len(self.files)}"
            made = Export(self.template, plan, "csv", inside, self._child_progress).write(snapshot, {})
            for file in made.files:
                target = self.folder / file.path.name
                file.path.replace(target)
                self.files.append(ExportedFile(target, "children", file.media_type, file.rows, file.size, file.sha256))
            inside.rmdir()

    def _child_progress(self, stage: str, announced: int | None, written: int) -> None:
        self.progress("children", self.totals.rows, self.totals.rows)

    def _findings_table(self, more: Mapping[str, int] | None = None) -> list[list[str | int]]:
        """
        What was found so far, as rows; `more` is what a writer found itself.
        """
        return self.found.table({**self._all_notes(), **(more or {})})

    def _all_notes(self) -> dict[str, int]:
        """
        Everything found so far that is worth a remark, counted.
        """
        guarded = self.plan.guards_formulas
        formulas = self.totals.formula_notes(guarded=guarded) if self.format == "csv" else {}
        return {**self.notes, **self.totals.fault_notes(), **formulas}


def _sorted(sent: Mapping[str, SentKeys]) -> tuple[tuple[str, bytes], ...]:
    return tuple((records, keys.sorted()) for records, keys in sent.items())
