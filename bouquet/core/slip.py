"""
The slip: the proof that goes with a run, and the totals it states.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, tzinfo
from decimal import Decimal
from pathlib import Path
from typing import Any

import polars as pl
import pyarrow as pa

from bouquet.core.catalogue import Kind
from bouquet.core.language import tr
from bouquet.core.plan import Computed, Folded, Plan, PlanColumn
from bouquet.core.shaping import FORMULA_START, count_empty, odd_starts
from bouquet.core.shaping.far import far_column
from bouquet.core.values import EXACT
from bouquet.core.windows import on_the_clock

__all__ = ["ColumnTotals", "Digest", "Totals", "build_slip"]

#: Digits after the point that sums of unscaled numerics are kept to before they go the exact, slower way.
_DEFAULT_SCALE = 12


@dataclass
class ColumnTotals:
    """
    Of one column: blanks, the sum of its numbers, its first and last date.
    """

    heading: str
    blanks: int = 0
    #: Texts that a spreadsheet would run as a formula.
    formulas: int = 0
    #: Rows whose formula, conversion or spread had no place for a result.
    faults: int = 0
    total: Decimal | None = None
    first: Any = None
    last: Any = None
    #: Whose clock moments are told on. They are compared as they are: an hour that a clock shows twice has two orders.
    zone: tzinfo | None = None

    def join(self, told: Mapping[str, Any], kind: Kind) -> None:
        """
        Add what `state` told of other rows of the same column.
        """
        self.blanks += told["blanks"]
        self.formulas += told["formulas"]
        self.faults += told["faults"]
        if told["total"] is not None:
            self.total = EXACT.add(self.total or Decimal(0), Decimal(told["total"]))
        if told["first"] is not None:
            read = date.fromisoformat if kind is Kind.DATE else datetime.fromisoformat
            self.span(read(told["first"]), read(told["last"]))

    def state(self) -> dict[str, Any]:
        """
        Everything, as JSON, to be joined with that of other rows.
        """
        ends = {"first": self.first and self.first.isoformat(), "last": self.last and self.last.isoformat()}
        total = None if self.total is None else f"{self.total:f}"
        return {"blanks": self.blanks, "formulas": self.formulas, "faults": self.faults, "total": total, **ends}

    def span(self, first: Any, last: Any) -> None:
        """
        Take in a first and a last date.
        """
        self.first = first if self.first is None else min(self.first, first)
        self.last = last if self.last is None else max(self.last, last)

    def as_json(self) -> dict[str, Any]:
        facts: dict[str, Any] = {"heading": self.heading, "blanks": self.blanks}
        if self.total is not None:
            facts["total"] = f"{self.total:f}"
        if self.first is not None:
            first, last = (on_the_clock(m, self.zone) if self.zone else m for m in (self.first, self.last))
            facts |= {"first": first.isoformat(), "last": last.isoformat()}
        return facts


@dataclass
class Totals:
    """
    Collects the totals of a run while its rows go by, as they are written.
    """

    plan: Plan
    rows: int = 0
    columns: list[ColumnTotals] = field(init=False)

    def __post_init__(self) -> None:
        zones = [self.plan.zone if c.kind is Kind.MOMENT else None for c in self.plan.columns]
        self.columns = [ColumnTotals(c.heading, zone=z) for c, z in zip(self.plan.columns, zones, strict=True)]

    def add(self, batch: pa.RecordBatch, frame: pl.DataFrame) -> None:
        """
        Take in one batch of typed values, as it arrived and as a frame.
        """
        self.rows += frame.height
        for n, (column, totals) in enumerate(zip(self.plan.columns, self.columns, strict=True)):
            if not column.is_constant and frame.height:
                self._add_text(column, totals, batch.column(f"c{n}"))
                far = far_column(f"c{n}")
                self._add_column(column, totals, frame[f"c{n}"], frame[far] if far in frame.columns else None)
                if f"x{n}" in frame.columns:
                    totals.faults += int(frame[f"x{n}"].sum() or 0)

    def state(self) -> dict[str, Any]:
        """
        Everything, as JSON, to be joined with that of other rows of the plan.
        """
        return {"rows": self.rows, "columns": [c.state() for c in self.columns]}

    def join(self, told: Mapping[str, Any]) -> None:
        """
        Add what `state` told of other rows.
        """
        self.rows += told["rows"]
        for column, totals, state in zip(self.plan.columns, self.columns, told["columns"], strict=True):
            totals.join(state, column.kind)
            if totals.total is not None and _scale(column) is None:
                totals.total = EXACT.normalize(totals.total)

    def fault_notes(self) -> dict[str, int]:
        """
        What is to be said of cells that have no result, counted.
        """
        found: dict[str, int] = {}
        for column, totals in zip(self.plan.columns, self.columns, strict=True):
            if totals.faults:
                cell = column.cell
                if isinstance(cell, Folded):
                    said = tr(
                        "records have more values than the columns up to “{column}” can show",
                        column=column.heading,
                    )
                elif isinstance(cell, Computed):
                    said = tr(
                        "cells of “{column}” are blank because the formula has no result there",
                        column=column.heading,
                    )
                else:
                    said = tr(
                        "cells of “{column}” are blank because their text is no {kind}",
                        column=column.heading,
                        kind=column.kind,
                    )
                found[said] = totals.faults
        return found

    def formula_notes(self, *, guarded: bool = False) -> dict[str, int]:
        """
        What is to be said of texts that begin like a formula, counted. Unless they are guarded, files of plain text
        leave them as they are.
        """
        note = tr("texts in “{}” begin like a formula; a spreadsheet may run them")
        if guarded:
            note = tr("texts in “{}” begin like a formula and were guarded by an apostrophe")
        return {note.format(c.heading): c.formulas for c in self.columns if c.formulas}

    @staticmethod
    def _add_text(column: PlanColumn, totals: ColumnTotals, values: pa.Array) -> None:
        if column.kind.is_number or not (pa.types.is_string(values.type) or pa.types.is_large_string(values.type)):
            return
        totals.blanks += count_empty(values)
        odd = odd_starts(values)
        if odd.is_empty():
            return
        totals.blanks += int((odd.str.strip_chars() == "").sum() or 0)
        if column.kind.is_text and not column.show.prefix:
            shown = odd.str.strip_chars() if column.show.trim else odd
            totals.formulas += int(shown.str.contains(FORMULA_START).sum() or 0)

    def _add_column(
        self, column: PlanColumn, totals: ColumnTotals, values: pl.Series, far: pl.Series | None = None
    ) -> None:
        totals.blanks += values.null_count() - (len(far) - far.null_count() if far is not None else 0)
        if column.kind.is_number:
            total = EXACT.add(totals.total or Decimal(0), _sum(values, column))
            # Without a scale, what batches the rows came in would tell how many zeros end it.
            totals.total = total if _scale(column) is not None else EXACT.normalize(total)
        elif column.kind.is_dated and values.null_count() < len(values):
            totals.span(values.min(), values.max())


def _scale(column: PlanColumn) -> int | None:
    """
    The digits after the point that all numbers of a column have; None where they differ.
    """
    if column.show.decimals is not None:
        return column.show.decimals
    return column.field.scale if column.show.factor is None else None


def _sum(values: pl.Series, column: PlanColumn) -> Decimal:
    """
    The exact sum of a batch; values that are not numbers (NaN, infinity) are passed over.
    """
    if values.dtype.is_integer():
        wide = pl.Int64 if values.dtype in (pl.Int8, pl.Int16, pl.Int32) else pl.Int128
        return Decimal(int(values.cast(wide).sum() or 0))
    scale = _scale(column)
    places = _DEFAULT_SCALE if scale is None else scale
    fits = scale is not None or not values.str.contains(r"\.\d{13}").any()
    longest = values.str.len_bytes().max()
    # The library's decimals have 38 digits, in which the sum of a batch must fit, too.
    if fits and isinstance(longest, int) and longest + places <= 28:
        exact = values.cast(pl.Decimal(38, places), strict=False)
        if exact.null_count() == values.null_count():
            return exact.sum() or Decimal(0)  # type: ignore[return-value]
    total = Decimal(0)
    for value in values.drop_nulls():
        number = Decimal(value)
        total = EXACT.add(total, number) if number.is_finite() else total
    return total


class Digest:
    """
    The SHA-256 of a file while it grows, so that little is left to read when it is whole.
    """

    def __init__(self, path: Path) -> None:
        self._path, self._hash, self._read = path, hashlib.sha256(), 0

    def follow(self) -> None:
        """
        Take in what was written since.
        """
        with self._path.open("rb", buffering=0) as file:
            file.seek(self._read)
            while chunk := file.read(1 << 20):
                self._hash.update(chunk)
                self._read += len(chunk)

    def finish(self) -> str:
        """
        The digest of the whole file, as hexadecimal digits.
        """
        self.follow()
        return self._hash.hexdigest()


def _scope(plan: Plan) -> dict[str, Any] | None:
    scope = plan.context.scope
    if scope is None:
        return None
    named = {"names": list(scope.names)} if scope.names else {}
    return {"records": scope.records, "field": scope.field, "values": list(scope.values), **named}


def build_slip(
    *,
    plan: Plan,
    sentence: str,
    tally: list[dict[str, Any]],
    totals: Totals,
    once: Mapping[int, str | None],
    files: list[dict[str, Any]],
    notes: dict[str, int],
    checks: list[dict[str, Any]],
    snapshot_at: str,
    announced: int,
    not_included: Mapping[str, list[str]],
    asked: dict[str, Any],
) -> dict[str, Any]:
    """
    The slip as a JSON object.

    Args:
        tally: Steps as `{"words", "rows", "left_out", "blank"}`.
        once: Of columns whose number repeats on several rows, the sum that counts each once, by position.
        files: As `{"name", "rows", "size", "sha256"}`, size in bytes.
        notes: What was found worth a remark, by its sentence, counted.
        checks: Every check, as `{"place", "words", "severity", "objections"}`.
        not_included: What no column shows, as `Omitted.as_json`.
        snapshot_at: The moment of the snapshot, ISO 8601.
        asked: Who or what asked, and for which version of which template.
    """
    return {
        "slip": 1,
        "template": plan.name,
        **asked,
        "as_of": plan.context.as_of.isoformat(),
        "snapshot_at": snapshot_at,
        "source": plan.catalogue.title,
        "environment": plan.catalogue.environment,
        "sentence": sentence,
        "rows_of": plan.row_type.name,
        "answers": dict(plan.answers),
        "scope": _scope(plan),
        "tally": tally,
        "rows_announced": announced,
        "rows_written": totals.rows,
        "columns": [
            {**c.as_json(), **({"repeats": True, "total_once": once[n]} if n in once else {})}
            for n, c in enumerate(totals.columns)
        ],
        "personal_fields": list(plan.personal),
        "not_included": not_included,
        "findings": [{"what": what, "count": count} for what, count in notes.items()],
        "checks": checks,
        "files": files,
    }
