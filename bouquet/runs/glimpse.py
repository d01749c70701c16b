"""
A look into a finished file, as it was written: its first and last lines, or the first rows of its sheets.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import pyarrow.ipc

from bouquet.core.sheets import cell_text
from bouquet.runs.services import Services
from bouquet.store.models import RunFile

__all__ = ["Glimpse", "SheetGlimpse", "look_into"]

#: Bytes read at either end of a text, and lines shown of them; characters of one line.
BYTES, FIRST, LAST, LONGEST = 64_000, 40, 12, 2_000

#: Bytes of a spreadsheet that is opened whole; rows and columns shown of each sheet, and sheets.
MOST_BYTES, ROWS, COLUMNS, SHEETS = 20_000_000, 30, 60, 20

_TEXTS = {"csv", "txt", "json", "jsonl", "xml", "xsd", "html"}
_SIGNATURES = ((b"\xef\xbb\xbf", "utf-8-sig", "UTF-8 with signature"), (b"\xff\xfe", "utf-16", "UTF-16"))


@dataclass(frozen=True)
class SheetGlimpse:
    """
    A sheet: its name, its rows in all where that is known, and the first of them as texts.
    """

    name: str
    total: int | None
    rows: list[list[str]]


@dataclass(frozen=True)
class Glimpse:
    """
    What is in a file. `first` and `last` are lines of a text in its `encoding`, with others between them unless
    `whole`; `sheets` are those of anything else. Nothing of either where it is too large to be opened, or no table at
    all.
    """

    encoding: str = ""
    first: list[str] = field(default_factory=list)
    last: list[str] = field(default_factory=list)
    whole: bool = False
    sheets: list[SheetGlimpse] = field(default_factory=list)


def look_into(services: Services, file: RunFile) -> Glimpse:
    """
    The beginning and the end of a file that is still there.
    """
    extension = file.name.rpartition(".")[2].lower()
    if extension in _TEXTS:
        return _of_text(services, file)
    if extension in ("parquet", "arrow"):
        return _of_columns(services, file, extension)
    if extension in ("xlsx", "ods") and file.size <= MOST_BYTES:
        return _of_sheets(services, file)
    return Glimpse()


def _of_text(services: Services, file: RunFile) -> Glimpse:
    head = b"".join(services.storage.chunks(file.path, 0, min(BYTES, file.size)))
    code, said = _encoding(head, whole=file.size <= BYTES)
    if file.size <= BYTES:
        lines = _lines(head.decode(code, errors="replace"))
        return Glimpse(encoding=said, first=lines[:FIRST], last=lines[FIRST:][-LAST:], whole=len(lines) <= FIRST + LAST)
    begin = file.size - BYTES
    # Two bytes make a letter of UTF-16: a look begins between two letters.
    begin -= begin % 2
    tail = b"".join(services.storage.chunks(file.path, begin, file.size - begin))
    plain = {"utf-8-sig": "utf-8", "utf-16": "utf-16-le"}.get(code, code)
    first, last = _lines(head.decode(code, errors="replace")), _lines(tail.decode(plain, errors="replace"))
    # The line that was cut in the middle is not shown.
    return Glimpse(encoding=said, first=first[:-1][:FIRST], last=last[1:][-LAST:])


def _encoding(head: bytes, *, whole: bool) -> tuple[str, str]:
    for signature, code, said in _SIGNATURES:
        if head.startswith(signature):
            return code, said
    try:
        head.decode("utf-8")
    except UnicodeDecodeError as error:
        # A letter that the look cuts in two says nothing against UTF-8.
        if whole or error.start < len(head) - 4:
            return "cp1252", "Windows-1252, or ISO 8859-1"
    return "utf-8", "UTF-8"


def _lines(text: str) -> list[str]:
    return [line if len(line) <= LONGEST else f"{line[:LONGEST]}…" for line in text.splitlines()]


def _of_columns(services: Services, file: RunFile, extension: str) -> Glimpse:
    with services.storage.fetched(file.path) as path:
        if extension == "parquet":
            import pyarrow.parquet as pq

            opened = pq.ParquetFile(path)
            total, schema = opened.metadata.num_rows, opened.schema_arrow
            batch = next(opened.iter_batches(ROWS), None)
        else:
            reader = pyarrow.ipc.open_file(path)
            total, schema = None, reader.schema
            batch = reader.get_batch(0).slice(0, ROWS) if reader.num_record_batches else None
    kinds = [f"{f.name} ({f.type})" for f in schema][:COLUMNS]
    rows = [] if batch is None else [["" if v is None else str(v) for v in row.values()] for row in batch.to_pylist()]
    return Glimpse(sheets=[SheetGlimpse("", total, [kinds, *(row[:COLUMNS] for row in rows)])])


def _of_sheets(services: Services, file: RunFile) -> Glimpse:
    from python_calamine import CalamineError, CalamineWorkbook

    with services.storage.fetched(file.path) as path:
        try:
            book = CalamineWorkbook.from_path(str(path))
            sheets = [
                SheetGlimpse(
                    name,
                    (sheet := book.get_sheet_by_name(name)).total_height,
                    [[cell_text(c) or "" for c in row[:COLUMNS]] for row in sheet.to_python(nrows=ROWS)],
                )
                for name in book.sheet_names[:SHEETS]
            ]
        except CalamineError:
            return Glimpse()
    return Glimpse(sheets=sheets)
