"""
What is seen of rows while they go by, whatever they are written into: totals, findings, and which records they are of.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, TypeAlias

import polars as pl
import pyarrow as pa

from bouquet.core.checks import Findings
from bouquet.core.memory import SentKeys
from bouquet.core.plan import Plan
from bouquet.core.slip import Totals
from bouquet.core.sql import Statements

__all__ = ["Cut", "SeenRows", "WrittenRange", "sent_keys"]


@dataclass(frozen=True)
class WrittenRange:
    """
    Some of a run's rows, written by whoever had time: their bytes, what was `told` of them (see `SeenRows.told`, with
    the writer's `notes`), and the keys of their records.
    """

    content: Callable[[], Iterable[bytes]]
    told: Mapping[str, Any]
    keys: bytes


#: Cuts so many rows into ranges, and gives them, written, in their order; None where one writes them all.
Cut: TypeAlias = Callable[[Statements, int], Iterator[WrittenRange] | None]


def sent_keys(plan: Plan) -> dict[str, SentKeys]:
    """
    What gathers the keys of the records in the files, by their record types; nothing where rows are groups.
    """
    if plan.by:
        return {}
    end = plan.row_type
    found = {end.made_of or end.name: SentKeys([f"k{n}" for n in range(len(plan.row_key))])}
    if plan.opened:
        start = plan.record_type
        found.setdefault(start.made_of or start.name, SentKeys([f"p{n}" for n in range(len(plan.key))]))
    return found


class SeenRows:
    """
    Totals, findings and records of the rows of one plan.
    """

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.totals, self.found, self.sent = Totals(plan), Findings(plan), sent_keys(plan)

    def add(self, batch: pa.RecordBatch, frame: pl.DataFrame) -> None:
        """
        Take in a batch of typed values, as it arrived and as a frame.
        """
        self.totals.add(batch, frame)
        if self.plan.row_checks:
            self.found.add(frame)
        for keys in self.sent.values():
            keys.add(frame)

    def told(self) -> dict[str, Any]:
        """
        Totals and findings as JSON, to be joined with those of other rows; of the records only how long `keys` is of
        each type.
        """
        lengths = {records: len(keys.found) for records, keys in self.sent.items()}
        return {"totals": self.totals.state(), "findings": self.found.state(), "keys": lengths}

    @property
    def keys(self) -> bytes:
        """
        The digests of the records' keys, those of one record type after those of another.
        """
        return b"".join(keys.found for keys in self.sent.values())

    def join(self, told: Mapping[str, Any], keys: bytes) -> None:
        """
        Add what was `told`, and the `keys`, of rows that come after these.
        """
        self.totals.join(told["totals"])
        self.found.join(told["findings"])
        at = 0
        for records, length in told["keys"].items():
            self.sent[records].join(keys[at : at + length])
            at += length
