"""
Spreadsheets that somebody sent, read in a process of its own that may take little and ends soon.
"""

from __future__ import annotations

import itertools
import json
import subprocess
import sys
import tempfile
from pathlib import Path

from bouquet.core.language import tr
from bouquet.core.spreadsheets import BadSpreadsheet, Room, check_spreadsheet

__all__ = ["first_rows", "rows_apart"]

#: What a sample may take: of the package, and of the process that reads it, in bytes and seconds.
SAMPLE = Room(unpacked=60_000_000, cells=3_000_000)
SAMPLE_MEMORY, SAMPLE_SECONDS = 1_500_000_000, 15

#: The same of a whole file given back.
MEMORY, SECONDS = 4_000_000_000, 90

_READER = """
import resource, sys
from pathlib import Path
source, target, memory, seconds, count = sys.argv[1], sys.argv[2], *map(int, sys.argv[3:])
resource.setrlimit(resource.RLIMIT_CPU, (seconds,) * 2)
resource.setrlimit(resource.RLIMIT_AS, (memory,) * 2)
from bouquet.core.sheets import write_rows
write_rows(Path(source), Path(target), count)
"""


def rows_apart(path: Path, target: Path) -> None:
    """
    Write the rows of all sheets of a spreadsheet into `target`; see `core.sheets.write_rows`. Raises BadSpreadsheet.
    """
    _read(path, target, MEMORY, SECONDS)


def first_rows(content: bytes, count: int) -> list[list[str]]:
    """
    The first rows of the first sheet, as texts. Raises BadSpreadsheet.
    """
    with tempfile.TemporaryDirectory(prefix="bouquet-") as folder:
        path, target = Path(folder) / "sample.xlsx", Path(folder) / "rows"
        path.write_bytes(content)
        check_spreadsheet(path, SAMPLE)
        _read(path, target, SAMPLE_MEMORY, SAMPLE_SECONDS, count)
        with target.open(encoding="utf-8") as lines:
            found = [json.loads(line) for line in itertools.islice(lines, count)]
    return [[cell or "" for cell in row] for sheet, row in found if sheet == found[0][0]]


def _read(path: Path, target: Path, memory: int, seconds: int, count: int = 0) -> None:
    command = [sys.executable, "-I", "-c", _READER, str(path), str(target), str(memory), str(seconds), str(count)]
    try:
        subprocess.run(command, capture_output=True, timeout=2 * seconds, check=True)
    except subprocess.SubprocessError as error:
        raise BadSpreadsheet(tr("This cannot be read as a spreadsheet (.xlsx).")) from error
