"""
The files of one run in the forms that its recipients take, written from the batches that are read once.
"""

from __future__ import annotations

import codecs
import contextlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import accumulate
from pathlib import Path

import polars as pl

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.core.layout import Form, form_for, misfits
from bouquet.core.memory import SentKeys
from bouquet.core.naming import NameFacts, file_name
from bouquet.core.plan import Plan
from bouquet.core.requirements import Requirements
from bouquet.core.shaping import ReaderLines, Totalled, companion_csv, title_lines
from bouquet.core.template import Acceptance
from bouquet.core.vocabulary.formats import FORMATS, Format
from bouquet.core.writers import Beside, SheetFacts, Writer, writer_of
from bouquet.runs.naming import name_facts
from bouquet.runs.split_writer import Part, SplitWriter

__all__ = ["Addressed", "FormFile"]


@dataclass(frozen=True)
class Addressed:
    """
    Somebody whom a run is for: what they are known by, and what they can take.
    """

    id: int
    name: str
    acceptance: Acceptance
    #: What their pseudonyms are made with.
    secret: bytes = b""
    #: The value of the part that is theirs, where each gets their own.
    part: str | None = None


class FormFile:
    """
    What one recipient gets: the rows, or those of their own part. Where they take the template's own form, and may
    read all of its sentence, nothing is written; what they require is held against the rows all the same.

    `whole` has (name, path beside, rows, value of the part) of each finished file, `unmet` what keeps it from being
    sent.

    Args:
        to: Whom it is for.
        plan: What is read.
        folder: Where the file is written beside others.
        parts: The parts of the split.
        totals_of: Reads what lines of totals say.
        announced: Rows.
        sentence: What the file is of, as they may read it.
        told: Whether that is what everybody reads.
        keys: Gathers the keys of the records in their own part, by record type.
    """

    def __init__(
        self,
        to: Addressed,
        plan: Plan,
        folder: Path,
        parts: Sequence[Part],
        totals_of: Callable[[], Totalled],
        announced: int,
        sentence: str,
        keys: Mapping[str, SentKeys],
        *,
        told: bool = True,
    ) -> None:
        self.to, self.folder, self.sentence, self.keys = to, folder, sentence, keys
        self.whole: list[tuple[str, Path, int, str | None]] = []
        self.unmet = misfits(to.acceptance, plan)
        # Names of files may say what was answered.
        answers = plan.answers if told else ()
        self.form = form_for(to.acceptance, replace(plan, answers=answers), to.name, to.secret)
        self._required = Requirements(to.acceptance, self.form.plan)
        self._own = to.acceptance.has_form or not told
        self._pen: SplitWriter | None = None
        theirs = list(parts) if to.part is None else [p for p in parts if p.exact == to.part]
        self.announced = announced if to.part is None else sum(p.rows or 0 for p in theirs)
        self._spans = _spans(parts, to.part) if to.part is not None else None
        self._come = 0
        self._open = partial(self._opened, theirs, totals_of)
        if to.part is None:
            self._begin()

    def _begin(self) -> None:
        if self._pen is None and self._own and not self.unmet:
            with self._only_theirs():
                self._pen = self._open()

    @property
    def media_type(self) -> str:
        return self._format.media_type

    @property
    def _format(self) -> Format:
        return FORMATS[self.form.plan.output.format]

    def _opened(self, parts: list[Part], totals_of: Callable[[], Totalled]) -> SplitWriter:
        own, format = self.form.plan, self._format
        takes_lines = own.output.style == "reader" and format.lines
        totals = _moved(totals_of(), self.form) if takes_lines else [{}]
        split = own.output.split
        return SplitWriter(
            own,
            parts,
            totals,
            takes_lines=takes_lines,
            into_sheets=split is not None and split.into == "sheets" and format.sheets,
            whole=self.announced + (ReaderLines.count(own, totals) if takes_lines else 0),
            name=self._name,
            open_writer=self._open_writer,
            note=lambda _: None,
        )

    def _name(self, rows: int, part: int | None, value: str | None) -> str:
        facts: NameFacts = name_facts(self.form.plan, rows, part, value)
        return file_name(self.form.plan.output.name, facts, self._format.extension)

    def _open_writer(self, name: str, lines: int, sheets: Sequence[SheetFacts], titled: int | None) -> Writer:
        own = self.form.plan
        rows = self.announced if titled is None else titled
        writer = writer_of(self._format.name)(
            own,
            self.folder / f".{self.to.id}~{name}.part",
            announced=lines,
            sentence=self.sentence,
            titles=title_lines(own, self.sentence, rows) if self._format.lines else (),
            sheets=sheets,
        )
        writer.open()
        return writer

    def take(self, frame: pl.DataFrame) -> None:
        """
        Take in a batch of what is read.
        """
        if self._spans is None:
            self._take(frame)
            return
        begin, self._come = self._come, self._come + frame.height
        for start, end in self._spans:
            if start < self._come and end > begin:
                rows = frame.slice(max(start - begin, 0), min(end, self._come) - max(start, begin))
                for keys in self.keys.values():
                    keys.add(rows)
                self._begin()
                self._take(rows)
        if self._pen is not None and self._come >= self._spans[-1][1]:
            # Of many recipients few files are open at a time: parts come one after the other.
            self._finish()

    def _take(self, frame: pl.DataFrame) -> None:
        if self.unmet:
            return
        own = self.form.frame(frame)
        self._required.add(own)
        if self._pen is not None:
            with self._only_theirs():
                self.whole += [(*whole, self._pen.part) for whole in self._pen.take(own)]

    def _finish(self) -> None:
        if self._pen is not None and not self.unmet:
            with self._only_theirs():
                self.whole += [(*whole, self._pen.part) for whole in self._pen.end()]
            self._pen = None

    def end(self) -> None:
        """
        Finish the file. One that does not meet what they require is not kept.
        """
        self._finish()
        self.unmet = [*self.unmet, *self._required.finish()]
        if self.unmet:
            for _, path, _, _ in self.whole:
                path.unlink(missing_ok=True)
            self.whole = []

    @contextlib.contextmanager
    def _only_theirs(self) -> Iterator[None]:
        """
        What cannot be written in their form, such as a letter that their encoding does not have, keeps only their file
        from being sent.
        """
        try:
            yield
        except BouquetError as error:
            self.unmet = [*self.unmet, str(error)]
            self.abandon()

    def beside(self) -> tuple[Beside, ...]:
        """
        What explains their files and goes with them, such as a schema.
        """
        return tuple(writer_of(self._format.name).beside(self.form.plan))

    def missing_csv(self) -> bytes:
        """
        The cells that are blank and are not to be, with the keys of their records, for whoever fills them; empty where
        there are none.
        """
        if not self._required.missing:
            return b""
        told = [*(r.field.label for r in self.form.plan.row_key), tr("What is missing")]
        missing = [(*keys, heading) for keys, heading in self._required.missing]
        return codecs.BOM_UTF8 + companion_csv([told, *missing], guard=True)

    def abandon(self) -> None:
        """
        Give up what is half written.
        """
        if self._pen is not None:
            self._pen.abandon()


def _spans(parts: Sequence[Part], exact: str) -> list[tuple[int, int]]:
    """
    (first row, row after the last) of the parts with a value, among all rows in their order.
    """
    ends = list(accumulate((p.rows or 0 for p in parts), initial=0))
    return [(ends[n], ends[n + 1]) for n, p in enumerate(parts) if p.exact == exact]


def _moved(totals: Totalled, form: Form) -> Totalled:
    """
    Totals with the positions that columns have in a form.
    """
    at = {n: place for place, n in enumerate(form.columns)}
    return [
        {key: {at[n]: said for n, said in cells.items() if n in at} for key, cells in level.items()} for level in totals
    ]
