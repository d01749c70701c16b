"""
Reading back files that runs made, or that people made of them, as texts, batch by batch.
"""

from __future__ import annotations

import csv
import itertools
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import polars as pl
import pyarrow as pa

from bouquet.core.errors import BouquetError
from bouquet.core.exact_json import read_json
from bouquet.core.language import tr
from bouquet.core.sheets import cell_text, read_rows
from bouquet.core.template import Csv

__all__ = ["FileRows", "Unreadable", "first_cells", "first_headings"]

#: Bytes of a CSV parsed at a time, and rows of other formats.
BLOCK, ROWS = 1 << 20, 20_000

#: Lines at whose beginning the heading row is looked for.
TITLES = 30

#: Sheets of a run's spreadsheet that hold no rows.
_EXTRA = {"about", "dictionary", "findings", "history"}

_HEADING_ROWS = {"headings": 1, "names": 1, "both": 2, "none": 0, "merge": 1}


class Unreadable(BouquetError):
    """
    The file cannot be read as rows of a run.
    """

    code = "unreadable"


def first_cells(lines: Iterable[str], separator: str, above: int = 0) -> list[str]:
    """
    The cells of a CSV's row below so many others; none where it has none, or where no row can be read from it: a line
    break inside a line, or a cell without end.
    """
    try:
        return next(itertools.islice(csv.reader(lines, delimiter=separator), above, None), [])
    except csv.Error:
        return []


@dataclass(frozen=True)
class FileRows:
    """
    The rows of one run's files.

    Args:
        paths: The files, in their order.
        format: one that is readable (`core.formats`); or `rows`, a spreadsheet's as `core.sheets` wrote them.
        headings: The columns' headings, in their order; read from the file's first row where they are not given.
        csv: How a CSV was written.
        titled: Whether lines may stand above the headings.
    """

    paths: tuple[Path, ...]
    format: str
    headings: tuple[str, ...] = ()
    csv: Csv = Csv()  # noqa: RUF009
    titled: bool = False

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pl.DataFrame]:
        """
        The rows as frames of texts, null where blank; only `columns`, if they are given.

        Raises Unreadable.
        """
        for path in self.paths:
            for frame in self._of_file(path):
                yield frame if columns is None else frame.select(columns)

    def _of_file(self, path: Path) -> Iterator[pl.DataFrame]:
        try:
            if self.format == "csv":
                yield from self._of_csv(path)
            elif self.format in ("xlsx", "ods", "rows"):
                yield from self._of_rows(self._sheets(path), path)
            elif self.format in ("parquet", "arrow"):
                yield from self._of_columns(path)
            elif self.format in ("jsonl", "json"):
                yield from self._of_lines(path)
            else:
                raise Unreadable(tr("“{path}” is no file whose rows can be read back.", path=path.name))
        except (pa.ArrowInvalid, UnicodeError, ValueError, KeyError, RecursionError) as error:
            said = str(error).splitlines()[0] if str(error) else type(error).__name__
            raise Unreadable(tr("“{path}” cannot be read: {said}", path=path.name, said=said)) from error

    def _of_csv(self, path: Path) -> Iterator[pl.DataFrame]:
        from pyarrow import csv as arrow_csv

        names, skip = list(self.headings), _HEADING_ROWS[self.csv.heading_row]
        above = 0
        if self.titled:
            above = self._above(path)
        encoding = "utf-8" if self.csv.encoding == "utf-8-sig" else self.csv.encoding
        options = arrow_csv.ReadOptions(
            use_threads=False,
            block_size=BLOCK,
            encoding=encoding,
            column_names=names or None,
            skip_rows=above,
            skip_rows_after_names=skip if names else 0,
        )
        parse = arrow_csv.ParseOptions(delimiter=self.csv.separator, newlines_in_values=True)
        # Everything is text: what a cell looks like is what is compared.
        every = names or self._names(path, above)
        convert = arrow_csv.ConvertOptions(
            column_types={n: pa.string() for n in every},
            null_values=[""],
            strings_can_be_null=True,
            quoted_strings_can_be_null=True,
        )
        with arrow_csv.open_csv(path, options, parse, convert) as reader:
            for batch in reader:
                yield pl.from_arrow(batch)  # type: ignore[misc]

    def _names(self, path: Path, above: int) -> list[str]:
        with path.open(encoding=self._python_encoding(), newline="") as file:
            return first_cells(file, self.csv.separator, above)

    def _python_encoding(self) -> str:
        return "utf-8-sig" if self.csv.encoding in ("utf-8", "utf-8-sig") else self.csv.encoding

    def _above(self, path: Path) -> int:
        """
        Lines above the heading row.
        """
        with path.open(encoding=self._python_encoding(), newline="") as file:
            for n, line in enumerate(itertools.islice(file, TITLES)):
                if tuple(first_cells([line], self.csv.separator)) == self.headings:
                    return n
        return 0

    def _sheets(self, path: Path) -> Iterator[list[list[Any]]]:
        if self.format == "rows":
            for name, rows in itertools.groupby(read_rows(path), lambda r: r[0]):
                if name.casefold() not in _EXTRA:
                    yield [[cell or "" for cell in row] for _, row in rows]
            return
        from python_calamine import CalamineWorkbook

        with CalamineWorkbook.from_path(str(path)) as book:
            for name in book.sheet_names:
                if name.casefold() not in _EXTRA:
                    yield book.get_sheet_by_name(name).to_python()

    def _of_rows(self, sheets: Iterable[list[list[Any]]], path: Path) -> Iterator[pl.DataFrame]:
        names: list[str] = list(self.headings)
        for rows in sheets:
            at = 0
            if names:
                at = next((n for n, r in enumerate(rows[:TITLES]) if [str(c) for c in r[: len(names)]] == names), -1)
                if at < 0:
                    raise Unreadable(tr("“{path}” has no row with the headings of the run.", path=path.name))
            elif rows:
                names = [str(c) for c in rows[0]]
            width = len(names)
            for start in range(at + 1, len(rows), ROWS):
                chunk = rows[start : start + ROWS]
                columns = [[cell_text(r[n]) if n < len(r) else None for r in chunk] for n in range(width)]
                yield pl.DataFrame(dict(zip(names, columns, strict=True)), schema=dict.fromkeys(names, pl.String))

    def _of_columns(self, path: Path) -> Iterator[pl.DataFrame]:
        if self.format == "parquet":
            import pyarrow.parquet as pq

            batches: Iterable[pa.RecordBatch] = pq.ParquetFile(path).iter_batches(ROWS)
        else:
            opened = pa.ipc.open_file(path)
            batches = (opened.get_batch(n) for n in range(opened.num_record_batches))
        for batch in batches:
            frame = pl.DataFrame(pa.table(batch)).select(pl.all().cast(pl.String))
            # The file's own names are each of their own; the run's headings need not be.
            yield frame.rename(dict(zip(frame.columns, self.headings, strict=True))) if self.headings else frame

    def _of_lines(self, path: Path) -> Iterator[pl.DataFrame]:
        with path.open(encoding="utf-8") as file:
            while lines := list(itertools.islice(file, ROWS)):
                # Of an array, each object stands on a line of its own.
                said = [line.strip().removesuffix(",") for line in lines]
                rows = [_object(line) for line in said if line not in ("", "[", "]", "[]")]
                names = list(self.headings) or list(rows[0] if rows else ())
                columns = {n: [cell_text(r.get(n)) for r in rows] for n in names}
                yield pl.DataFrame(columns, schema=dict.fromkeys(names, pl.String))


def _object(line: str) -> dict[str, Any]:
    found = read_json(line)
    if not isinstance(found, dict):
        raise ValueError(tr("A line is no object: {line}", line=line[:80]))
    return found


def first_headings(path: Path, known: Sequence[str] = ()) -> tuple[str, ...]:
    """
    The headings of a spreadsheet's first sheet, of its rows as `core.sheets` wrote them: the row among the first that
    has most of the `known` ones.
    """
    first = [row for _, row in next((list(r) for _, r in itertools.groupby(read_rows(path), lambda r: r[0])), [])]
    texts = [tuple(cell or "" for cell in row) for row in first[:TITLES]] or [()]
    best = max(texts, key=lambda row: len(set(row) & set(known))) if known else texts[0]
    while best and not best[-1]:
        best = best[:-1]
    return best
