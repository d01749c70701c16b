"""
The cells of a spreadsheet as machine-style texts.
"""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

__all__ = ["cell_text", "read_rows", "write_rows"]


def write_rows(source: Path, target: Path, at_most: int = 0) -> None:
    """
    Write the rows of a workbook as lines of JSON, each `[name of its sheet, [texts of its cells, null where blank]]`;
    only the first `at_most` of each sheet, unless that is 0.
    """
    from python_calamine import CalamineWorkbook

    with CalamineWorkbook.from_path(str(source)) as book, target.open("w", encoding="utf-8") as file:
        for name in book.sheet_names:
            rows = book.get_sheet_by_name(name).to_python()
            for row in rows[:at_most] if at_most else rows:
                file.write(json.dumps([name, [cell_text(value) for value in row]]) + "\n")


def read_rows(path: Path) -> Iterator[tuple[str, list[str | None]]]:
    """
    What `write_rows` wrote: the name of the sheet and the cells of each row.
    """
    with path.open(encoding="utf-8") as lines:
        for line in lines:
            name, row = json.loads(line)
            yield name, row


def cell_text(value: Any) -> str | None:
    """
    A typed cell as a machine-style text, None where it is blank.
    """
    if value is None or value == "":
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, dt.datetime):
        return value.date().isoformat() if value.time() == dt.time() else value.isoformat(timespec="seconds")
    if isinstance(value, dt.date | dt.time):
        return value.isoformat()
    return f"{value:f}" if isinstance(value, Decimal) else str(value)
