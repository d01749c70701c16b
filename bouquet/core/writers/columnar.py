"""
Files of columns with their types: Apache Parquet, and Arrow IPC files.

Decimals are decimals, moments keep the template's zone, choices are their labels; how a column is shown
(grouping, date patterns, texts for blanks) does not count here, but rounding and factors do, for they change the value.
"""

from __future__ import annotations

import json
from abc import abstractmethod
from typing import TYPE_CHECKING

import polars as pl
import pyarrow as pa

from bouquet.core.catalogue import Kind
from bouquet.core.dictionary import HEADINGS, dictionary_rows
from bouquet.core.errors import WriteError
from bouquet.core.language import tr
from bouquet.core.plan import PlanColumn
from bouquet.core.shaping import TextShaper
from bouquet.core.shaping.far import far_column
from bouquet.core.writers.base import Writer

__all__ = ["ArrowWriter", "ParquetWriter"]

#: Digits of a decimal in both formats.
DIGITS = 38

if TYPE_CHECKING:
    from pyarrow.parquet import ParquetWriter as ParquetFile

_LABELS = pa.dictionary(pa.int32(), pa.string())


def _type_of(column: PlanColumn, zone: str, labels: pa.DataType) -> pa.DataType:
    kind, show = column.kind, column.show
    if column.is_constant:
        return pa.string()
    if kind is Kind.INTEGER and show.factor is None and not show.decimals:
        return pa.decimal128(DIGITS, 0) if column.field.stored == "numeric" else pa.int64()
    if kind.is_number:
        scale = show.decimals if show.decimals is not None else column.field.scale if show.factor is None else None
        return pa.string() if scale is None else pa.decimal128(DIGITS, scale)
    known = {
        Kind.BOOLEAN: pa.bool_(),
        Kind.DATE: pa.date32(),
        Kind.TIME: pa.time64("us"),
        Kind.TIMESTAMP: pa.timestamp("us"),
        Kind.MOMENT: pa.timestamp("us", tz=zone),
        Kind.CHOICE: labels,
    }
    found: pa.DataType = known.get(kind, pa.string())
    return found


class _ColumnWriter(Writer):
    """
    What both formats share: the schema, and batches of its types.
    """

    #: How the labels of choices are kept.
    labels: pa.DataType

    def open(self) -> None:
        zone = self.plan.zone.key
        self._shaper = TextShaper(self.plan.columns, zone)
        names = _unique([c.heading for c in self.plan.columns])
        fields = [
            pa.field(n, _type_of(c, zone, self.labels), metadata={"meaning": c.meaning, "unit": c.field.unit})
            for n, c in zip(names, self.plan.columns, strict=True)
        ]
        meanings = [dict(zip(HEADINGS, row, strict=True)) for row in dictionary_rows(self.plan)]
        about = {
            "template": self.plan.name,
            "sentence": self.sentence,
            "as_of": self.plan.context.as_of.isoformat(),
            "run": self.stamp,
            "environment": self.plan.catalogue.environment,
            "dictionary": json.dumps(meanings, ensure_ascii=False),
        }
        self._schema = pa.schema(fields, metadata=about)
        self._sink = self._opened()

    def write(self, frame: pl.DataFrame) -> None:
        columns = [self._typed(c, n, frame) for n, c in enumerate(self.plan.columns)]
        self._sink.write(pa.record_batch(columns, schema=self._schema))
        self.facts.rows += frame.height

    def _typed(self, column: PlanColumn, n: int, frame: pl.DataFrame) -> pa.Array:
        name, wanted = f"c{n}", self._schema.field(n).type
        if column.is_constant:
            return pa.array([column.constant or None] * frame.height, wanted)
        if far_column(name) in frame.columns and frame[far_column(name)].drop_nulls().len():
            value = frame[far_column(name)].drop_nulls()[0]
            raise WriteError(
                tr(
                    "“{column}” holds {value}, which no date of this format can be.",
                    column=column.heading,
                    value=value,
                )
            )
        if wanted in (pa.string(), _LABELS):
            text = frame.select(self._shaper.text(column, n, frame.schema).alias("t"))["t"].cast(pl.String)
            array = text.to_arrow().cast(pa.string())
            return array.dictionary_encode() if wanted == _LABELS else array
        values = frame[name]
        if column.kind is Kind.MOMENT:
            values = values.dt.convert_time_zone(self.plan.zone.key)
        if column.kind.is_number:
            values = values.cast(pl.String)
            odd = values.str.contains("[A-Za-z]").fill_null(False)
            if odd.any():
                said = tr(
                    "“{column}” held numbers that are none (NaN, Infinity); they are blank in the file",
                    column=column.heading,
                )
                self.facts.notes[said] += int(odd.sum())
                values = values.set(odd, None)
        try:
            array = values.to_arrow()
            return array.cast(pa.string()).cast(wanted) if column.kind.is_number else array.cast(wanted)
        except pa.ArrowInvalid as error:
            raise WriteError(
                tr(
                    "“{column}” holds a value that this format cannot hold: {error}.",
                    column=column.heading,
                    error=error,
                )
            ) from error

    def close(self) -> None:
        self._sink.close()
        self._let_go()

    def abandon(self) -> None:
        self._let_go()

    @abstractmethod
    def _opened(self) -> ParquetFile | pa.RecordBatchWriter: ...

    def _let_go(self) -> None:
        """
        Close what is open beneath the sink.
        """


class ParquetWriter(_ColumnWriter):
    """
    Parquet, compressed by Zstandard.
    """

    labels = _LABELS

    def _opened(self) -> ParquetFile:
        import pyarrow.parquet as pq

        self._under = pa.OSFile(str(self.path), "wb")
        return pq.ParquetWriter(self._under, self._schema, compression="zstd", use_dictionary=True)

    def _let_go(self) -> None:
        self._under.close()


class ArrowWriter(_ColumnWriter):
    """
    Arrow IPC, as a file that can be read from any place. Its labels are texts: a dictionary that grows from batch to
    batch is one that not every reader takes.
    """

    labels = pa.string()

    def _opened(self) -> pa.RecordBatchWriter:
        self._under = pa.OSFile(str(self.path), "wb")
        return pa.ipc.new_file(self._under, self._schema)

    def _let_go(self) -> None:
        self._under.close()

    @property
    def size(self) -> int:
        return int(self._under.tell())


def _unique(headings: list[str]) -> list[str]:
    found: list[str] = []
    for heading in headings:
        name, n = heading, 1
        while name in found:
            n += 1
            name = f"{heading} ({n})"
        found.append(name)
    return found
