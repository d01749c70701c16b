"""
What every writer has: the same three verbs, and what it found on the way.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType

import polars as pl

from bouquet.core.plan import Plan

__all__ = ["FileFacts", "Writer"]


@dataclass(kw_only=True)
class FileFacts:
    """
    What a finished file holds. `notes` counts what was worth a remark, by its sentence.
    """

    rows: int = 0
    notes: Counter[str] = field(default_factory=Counter)


class Writer(ABC):
    """
    Writes one file of one format: `open`, `write` once per batch, `close`.

    Memory is constant: a batch goes in, bytes go out, and the batch is forgotten.

    Args:
        plan: The plan whose rows are written.
        path: Where to write. The caller renames it into place once it is whole.
        announced: The number of rows that will come; some formats state it at their head.
        sentence: The template in words, for formats that can carry it.
    """

    extension: str
    media_type: str
    label: str

    def __init__(self, plan: Plan, path: Path, *, announced: int, sentence: str = "") -> None:
        self.plan, self.path, self.announced, self.sentence = plan, path, announced, sentence
        self.facts = FileFacts()

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
