"""
What a spreadsheet that somebody sent may ask of us, told from its package before any reader opens it.

A workbook of a kilobyte can name two cells at opposite corners (ISO/IEC 29500-1, 18.3.1.73: 1,048,576 rows by 16,384
columns), and a reader makes room for all between them; a zip can hold a thousand times its own size.
"""

from __future__ import annotations

import lzma
import re
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr, whole

__all__ = ["BROKEN", "BadSpreadsheet", "Room", "check_spreadsheet"]

#: What reading a package may raise that is damaged, encrypted, or none.
BROKEN = (
    zipfile.BadZipFile,
    zlib.error,
    lzma.LZMAError,
    NotImplementedError,
    EOFError,
    OSError,
    RuntimeError,
    ValueError,
)

_CHUNK = 1 << 20
_REFERENCE = re.compile(rb'\b(?:r|ref)="(?:[A-Z]{1,3}[0-9]{1,7}:)?([A-Z]{1,3})?([0-9]{1,9})"')
_CELLS = re.compile(rb"<(?:\w+:)?c[ >/]")


class BadSpreadsheet(BouquetError):
    """
    This cannot be read as a spreadsheet.
    """

    code = "unreadable"


@dataclass(frozen=True)
class Room:
    """
    What a spreadsheet may take: bytes when unpacked, and cells between the corners of one sheet.
    """

    unpacked: int
    cells: int


def check_spreadsheet(file: Path | IO[bytes], room: Room) -> None:
    """
    Raises BadSpreadsheet where a file is no .xlsx workbook or would take more room than there is.
    """
    try:
        with zipfile.ZipFile(file) as package:
            members = package.infolist()
            if "xl/workbook.xml" not in {m.filename for m in members}:
                raise BadSpreadsheet(tr("This cannot be read as a spreadsheet (.xlsx). Paste a header row as text."))
            if len(members) > 5_000 or sum(m.file_size for m in members) > room.unpacked:
                raise _too_large(tr("{n} MB unpacked", n=room.unpacked // 1_000_000))
            left = room.unpacked
            for member in members:
                with package.open(member) as part:
                    left -= _measured(part, member.filename, room, left)
    except BROKEN as error:
        raise BadSpreadsheet(tr("This cannot be read as a spreadsheet (.xlsx).")) from error


def _too_large(said: str) -> BadSpreadsheet:
    return BadSpreadsheet(tr("This spreadsheet is too large to be read here: at most {said}.", said=said))


def _measured(part: IO[bytes], name: str, room: Room, left: int) -> int:
    """
    The bytes of one part, counted while it is unpacked: what the package says of its size may be a lie.
    """
    # A workbook may keep its sheets under any name.
    sheet = name.endswith(".xml")
    seen, rows, columns, cells, tail = 0, 0, 0, 0, b""
    while chunk := part.read(_CHUNK):
        seen += len(chunk)
        if seen > left:
            raise _too_large(tr("{n} MB unpacked", n=room.unpacked // 1_000_000))
        if not sheet:
            continue
        text = tail + chunk
        for letters, digits in _REFERENCE.findall(text):
            rows = max(rows, int(digits))
            columns = max(columns, _column(letters))
        cells += len(_CELLS.findall(chunk))
        tail = text[-64:]
        if max(rows * max(columns, 1), cells) > room.cells:
            raise _too_large(tr("{cells} cells between the corners of a sheet", cells=whole(room.cells)))
    return seen


def _column(letters: bytes) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + letter - 64
    return number
