"""
Files of columns with their types: Apache Parquet, and Arrow IPC files.

Decimals are decimals, moments keep the template's zone, choices are their labels; how a column is shown
(grouping, date patterns, texts for blanks) does not count here, but rounding and factors do, for they change the value.
"""

from __future__ import annotations

import json
from abc import abstractmethod
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TYPE_CHECKING

import polars as pl
import pyarrow as pa
import pyarrow.compute as pc

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

#: Rows from which on a group of Parquet is written, and of which it is seen whether values repeat.
GROUP_ROWS, SEEN_ROWS = 50_000, 10_000

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


def _as(values: pl.Series, wanted: pa.DataType) -> pa.Array:
    """
    Values as an array of that type. Raises pa.ArrowInvalid for one that is not.
    """
    array = values.to_arrow()
    # What else becomes a decimal goes by its digits.
    direct = not pa.types.is_decimal(wanted) or pa.types.is_integer(array.type)
    return array.cast(wanted) if direct else array.cast(pa.string()).cast(wanted)


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
        meanings = [dict(zip(dict.values(HEADINGS), row, strict=True)) for row in dictionary_rows(self.plan)]
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
        said = [
            self._shaper.text(c, n, frame.schema).cast(pl.String).alias(f"c{n}")
            for n, c in self.plan.data_columns
            if self._schema.field(n).type in (pa.string(), _LABELS)
        ]
        texts = frame.select(said)
        columns = [self._typed(c, n, frame, texts) for n, c in enumerate(self.plan.columns)]
        self._sink.write(pa.record_batch(columns, schema=self._schema))
        self.facts.rows += frame.height

    def _typed(self, column: PlanColumn, n: int, frame: pl.DataFrame, texts: pl.DataFrame) -> pa.Array:
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
            array = texts[name].to_arrow().cast(pa.string())
            return array.dictionary_encode() if wanted == _LABELS else array
        values = frame[name]
        if column.kind is Kind.MOMENT:
            values = values.dt.convert_time_zone(self.plan.zone.key)
        try:
            return _as(values, wanted)
        except pa.ArrowInvalid:
            if column.kind.is_number:
                values = self.without_odd(column, values.cast(pl.String))
        try:
            return _as(values, wanted)
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
    def _opened(self) -> _RowGroups | pa.RecordBatchWriter: ...

    def _let_go(self) -> None:
        """
        Close what is open beneath the sink.
        """


class _RowGroups:
    """
    Batches gathered into groups of rows, each written by a thread while the next one is made.

    Args:
        open_file: Opens the file, given the columns whose values are kept in a dictionary.
    """

    def __init__(self, open_file: Callable[[list[str]], ParquetFile]) -> None:
        self._open_file = open_file
        self._file: ParquetFile | None = None
        self._batches: list[pa.RecordBatch] = []
        self._writing: Future[None] | None = None
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="row-groups")

    def write(self, batch: pa.RecordBatch) -> None:
        self._batches.append(batch)
        if sum(b.num_rows for b in self._batches) >= GROUP_ROWS:
            self._write_group()

    def _write_group(self) -> None:
        self._wait()
        if self._batches:
            table = pa.Table.from_batches(self._batches).unify_dictionaries()
            self._batches = []
            self._writing = self._thread.submit(self._write_table, table)

    def _write_table(self, table: pa.Table) -> None:
        if self._file is None:
            # A dictionary of values that hardly repeat takes twice the time, and half as much room again.
            seen = table.slice(0, SEEN_ROWS)
            self._file = self._open_file([n for n in seen.column_names if _repeats(seen[n])])
        self._file.write_table(table, row_group_size=table.num_rows)

    def _wait(self) -> None:
        if self._writing is not None:
            self._writing.result()

    def close(self) -> None:
        self._write_group()
        self._wait()
        (self._file or self._open_file([])).close()

    def stop(self) -> None:
        """
        Write nothing more.
        """
        self._thread.shutdown(cancel_futures=True)


def _repeats(values: pa.ChunkedArray) -> bool:
    return bool(pa.types.is_dictionary(values.type)) or pc.count_distinct(values).as_py() * 4 <= len(values)


class ParquetWriter(_ColumnWriter):
    """
    Parquet, compressed by Zstandard.
    """

    labels = _LABELS

    def _opened(self) -> _RowGroups:
        import pyarrow.parquet as pq

        self._under = pa.OSFile(str(self.path), "wb")
        self._groups = _RowGroups(
            lambda repeating: pq.ParquetWriter(
                self._under, self._schema, compression="zstd", use_dictionary=repeating or False
            )
        )
        return self._groups

    def _let_go(self) -> None:
        self._groups.stop()
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
