"""
What every writer has: the same few verbs, and what it found on the way.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType
from typing import IO

import polars as pl

from bouquet.core.language import tr, trn
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping import Line

__all__ = [
    "LARGEST_PICTURE",
    "MOST_PICTURES",
    "Beside",
    "FileFacts",
    "SheetFacts",
    "StreamWriter",
    "Writer",
    "cut_at",
]


#: Pictures that are drawn in one file, and bytes of one as it is in the source.
MOST_PICTURES, LARGEST_PICTURE = 2_000, 4_000_000


def cut_at(heading: str, characters: int) -> str:
    """
    The note that texts of a column are longer than their place.
    """
    return trn(
        "texts in “{heading}” were cut at {n} character",
        "texts in “{heading}” were cut at {n} characters",
        characters,
        heading=heading,
    )


@dataclass(kw_only=True)
class FileFacts:
    """
    What a finished file holds. `notes` counts what was worth a remark, by its sentence.
    """

    rows: int = 0
    notes: Counter[str] = field(default_factory=Counter)


@dataclass(frozen=True)
class SheetFacts:
    """
    A sheet that is to come: its name, empty for the plan's own, and the rows and lines it will hold.
    """

    name: str
    lines: int


@dataclass(frozen=True)
class Beside:
    """
    A file that explains another and stands beside it, such as a schema: what its name ends with, its media type, and
    what is in it.
    """

    suffix: str
    media_type: str
    content: bytes


class Writer(ABC):
    """
    Writes one file of one format: `open`, `write` once per batch, `close`.

    Memory is constant: a batch goes in, bytes go out, and the batch is forgotten.

    Args:
        plan: The plan whose rows are written.
        path: Where to write. The caller renames it into place once it is whole.
        announced: The number of rows and lines that will come; some formats state it at their head.
        sentence: The template in words, for formats that can carry it.
        titles: Lines to stand above the headings.
        sheets: The sheets to come, for formats that have them; one, if not given.
        stamp: What tells the file as a run's, for formats that can carry it.
        goes_on: Whether it holds rows only, to be added to the end of another file; for formats that grow.
        findings: Asked at the end for what the run found, given what the writer found itself, as rows below
            FINDING_HEADINGS; for formats that can carry it.
    """

    def __init__(
        self,
        plan: Plan,
        path: Path,
        *,
        announced: int,
        sentence: str = "",
        titles: Sequence[str] = (),
        sheets: Sequence[SheetFacts] = (),
        stamp: str = "",
        goes_on: bool = False,
        findings: Callable[[Mapping[str, int]], Sequence[Sequence[str | int]]] = lambda notes: [],
    ) -> None:
        self.plan, self.path, self.announced, self.sentence = plan, path, announced, sentence
        self.titles, self.stamp, self.findings = titles, stamp, findings
        self.sheets = sheets or (SheetFacts("", announced),)
        self.goes_on, self.facts = goes_on, FileFacts()

    def __enter__(self) -> Writer:
        self.open()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if kind is None:
            self.close()
        else:
            self.abandon()

    @abstractmethod
    def open(self) -> None:
        """
        Begin the file, with its heading row.
        """

    @abstractmethod
    def write(self, frame: pl.DataFrame) -> None:
        """
        Write the rows of a frame of typed values, one column `c{n}` per field column.
        """

    def write_line(self, line: Line) -> None:
        """
        Write a line that is no row.
        """
        raise NotImplementedError

    def next_sheet(self) -> None:
        """
        Go on to the next of the sheets announced.
        """
        raise NotImplementedError

    def without_odd(self, column: PlanColumn, values: pl.Series) -> pl.Series:
        """
        Numbers as texts, those that are none (NaN, Infinity) left out and noted.
        """
        odd = values.str.contains("[A-Za-z]").fill_null(False)
        if odd.any():
            said = tr(
                "“{column}” held numbers that are none (NaN, Infinity); they are blank in the file",
                column=column.heading,
            )
            self.facts.notes[said] += int(odd.sum())
        return values.set(odd, None)

    @property
    def size(self) -> int:
        """
        Bytes written so far, for formats that are written as they come.
        """
        raise NotImplementedError

    @classmethod
    def beside(cls, plan: Plan) -> Sequence[Beside]:
        """
        Files that explain those of a plan.
        """
        del plan
        return ()

    @abstractmethod
    def close(self) -> None:
        """
        Finish the file.
        """

    @abstractmethod
    def abandon(self) -> None:
        """
        Let go of everything held; the file stays unfinished.
        """


class StreamWriter(Writer):
    """
    A writer of a format that is written from its first byte to its last.
    """

    _file: IO[bytes]

    def open(self) -> None:
        self._file = self.path.open("wb", buffering=1 << 20)
        try:
            self.begin()
            if self.goes_on:
                self._file.seek(0)
                self._file.truncate()
                self.facts.notes.clear()
        except BaseException:
            # A heading that cannot be written: nothing is left open.
            self._file.close()
            raise

    @abstractmethod
    def begin(self) -> None:
        """
        Write what stands before the first row.
        """

    def finish(self) -> None:
        """
        Write what stands after the last row.
        """

    @property
    def size(self) -> int:
        return self._file.tell()

    def close(self) -> None:
        try:
            self.finish()
        finally:
            self._file.close()

    def abandon(self) -> None:
        self._file.close()
