"""
Putting rows into files, and reading ahead of them.
"""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable, Generator, Iterator, Mapping, Sequence
from contextvars import copy_context
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol, TypeVar

import polars as pl

from bouquet.core.language import tr
from bouquet.core.naming import with_suffix
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping import Line, ReaderLines, TextShaper, Totalled
from bouquet.core.template import Show
from bouquet.core.writers import SheetFacts, Writer

__all__ = ["Part", "SplitWriter", "prefetched", "split_texts"]

T = TypeVar("T")

#: Batches read ahead of the writer.
READ_AHEAD = 1

#: Rows written at a time where the size of files is limited.
SLICE = 500


@dataclass(frozen=True)
class Part:
    """
    One part of a split: its value as it stands in names and as it comes from the source, and its rows, where these are
    known. `exact` is its value as text to the last space: codes that only look alike are not the same.
    """

    rows: int | None
    value: str | None = None
    key: Any = None
    exact: str | None = None


def split_texts(plan: Plan, values: pl.Series) -> list[str]:
    """
    The values that a file is split by as texts: choices by label, dates in ISO form, blanks empty.
    """
    assert plan.split is not None
    column = PlanColumn(id="", heading="", cell=plan.split, show=Show(), blank="")
    texts = TextShaper([column], plan.zone.key).shape(pl.DataFrame({"c0": values}))["c0"]
    return [t or "" for t in texts]


def prefetched(source: Iterator[T]) -> Generator[T, None, None]:
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

    thread = threading.Thread(target=copy_context().run, args=(read,), name="prefetch", daemon=True)
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


class OpensWriter(Protocol):
    """
    Begins the file `name` for so many lines; `titled` are the rows that its title speaks of, None for all so far.
    """

    def __call__(self, name: str, lines: int, sheets: Sequence[SheetFacts], titled: int | None) -> Writer: ...


class SplitWriter:
    """
    Puts rows and lines into files, one after the other, as the split asks.

    Args:
        plan: What the rows are of.
        parts: The parts of the split, one where there is none.
        totals: What the lines of totals say.
        takes_lines: Whether lines of headings and totals stand between rows.
        into_sheets: Whether parts become sheets of one file.
        whole: Lines of all parts together.
        name: The name of a file, of its rows, the number of its part and the value it is split by.
        open_writer: Begins a file.
        note: Takes what a finished file has to say.
    """

    def __init__(
        self,
        plan: Plan,
        parts: list[Part],
        totals: Totalled,
        *,
        takes_lines: bool,
        into_sheets: bool,
        whole: int,
        name: Callable[[int, int | None, str | None], str],
        open_writer: OpensWriter,
        note: Callable[[Mapping[str, int]], None],
    ) -> None:
        self.plan, self.parts, self.totals = plan, parts, totals
        self.takes_lines, self.into_sheets, self.whole = takes_lines, into_sheets, whole
        self.name_of, self.open_writer, self.note = name, open_writer, note
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

    @property
    def part(self) -> str | None:
        """
        The value of the part under way, where it is a file of its own.
        """
        return None if self.into_sheets else self.parts[min(self.at, len(self.parts) - 1)].exact

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
        if self.takes_lines and (self.plan.split is not None or self.at == 0):
            self.lines: ReaderLines | None = ReaderLines(
                self.plan, self.totals, (part.key,) if self.plan.split is not None else ()
            )
        elif not self.takes_lines:
            self.lines = None
        if self.into_sheets:
            if self.at == 0:
                sheets = [SheetFacts(p.value or tr("(blank)"), self._lines_of(p)) for p in self.parts]
                self._open(self.whole, sheets, None, None)
            else:
                assert self.writer is not None
                self.writer.next_sheet()
            return
        rows = self.whole if not self.several else self._lines_of(part)
        self._open(rows, (), self.at + 1 if self.several else None, part.value)

    def _lines_of(self, part: Part) -> int:
        """
        Rows and lines of one part. Of lines within a part only their greatest number is known.
        """
        lines = ReaderLines.count_within(self.plan, self.totals, (part.key,) if self.plan.split is not None else ())
        return (part.rows or 0) + lines

    def _open(self, lines: int, sheets: Sequence[SheetFacts], number: int | None, value: str | None) -> None:
        part = self.parts[min(self.at, len(self.parts) - 1)]
        titled = sum(p.rows or 0 for p in self.parts) if sheets else part.rows
        name = self.name_of(part.rows or 0, number, value)
        stem, n = name, 1
        while name.casefold() in self.names:
            n += 1
            name = with_suffix(stem, n)
        self.names.add(name.casefold())
        self.name = name
        self.writer = self.open_writer(name, lines, sheets, titled)

    def _close(self) -> tuple[str, Path, int]:
        assert self.writer is not None
        self.writer.close()
        self.note(self.writer.facts.notes)
        return self.name, self.writer.path, self.writer.facts.rows

    def abandon(self) -> None:
        """
        Close the file under way and remove it.
        """
        if self.writer is not None:
            self.writer.abandon()
