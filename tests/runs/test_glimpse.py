"""
A look into a file shows what was written, at both of its ends.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import polars as pl
import pytest
import xlsxwriter

from bouquet.runs import Services
from bouquet.runs.glimpse import BYTES, look_into


@dataclass
class File:
    path: str
    name: str
    size: int


def kept(services: Services, folder: Path, name: str, content: bytes) -> Any:
    path = folder / name
    path.write_bytes(content)
    return File(services.storage.put("looks", path), name, len(content))


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_a_long_text_is_seen_at_both_ends(services: Services, tmp_path: Path, encoding: str) -> None:
    """Whole lines only, in the letters that it was written in."""
    lines = [f"{n};Öl und Gärten" for n in range(BYTES // 8)]
    found = look_into(services, kept(services, tmp_path, "a.csv", "\r\n".join(lines).encode(encoding)))

    assert (found.first[0], found.last[-1], found.whole) == (lines[0], lines[-1], False)
    assert set(found.first + found.last) <= set(lines)
    assert (
        found.encoding[:7]
        == {"utf-8": "UTF-8", "utf-8-sig": "UTF-8 w", "utf-16": "UTF-16", "cp1252": "Windows"}[encoding]
    )


def test_a_short_text_is_seen_whole(services: Services, tmp_path: Path) -> None:
    found = look_into(services, kept(services, tmp_path, "a.csv", b"a,b\n1,2\n"))
    assert (found.first, found.last, found.whole) == (["a,b", "1,2"], [], True)


def test_sheets_and_columns_are_seen_as_tables(services: Services, tmp_path: Path) -> None:
    with xlsxwriter.Workbook(tmp_path / "x.xlsx") as book:
        book.add_worksheet("Quay").write_row(0, 0, ["Tag", 1.5])
        book.add_worksheet("Fernlea")
    sheets = look_into(services, kept(services, tmp_path, "a.xlsx", (tmp_path / "x.xlsx").read_bytes())).sheets
    pl.DataFrame({"tag": ["A"] * 50}).write_parquet(tmp_path / "x.parquet")
    (columns,) = look_into(
        services, kept(services, tmp_path, "a.parquet", (tmp_path / "x.parquet").read_bytes())
    ).sheets

    assert [(s.name, s.rows) for s in sheets] == [("Quay", [["Tag", "1.5"]]), ("Fernlea", [])]
    assert (columns.total, columns.rows[1], len(columns.rows)) == (50, ["A"], 31)


def test_what_is_no_table_shows_nothing(services: Services, tmp_path: Path) -> None:
    """Neither does what only says that it is one."""
    for name in ("a.pdf", "b.xlsx"):
        found = look_into(services, kept(services, tmp_path, name, b"%PDF-1.7 nothing"))
        assert (found.first, found.sheets) == ([], [])
