"""
Spreadsheets that people upload: measured before they are read.
"""

from __future__ import annotations

import contextlib
import io
import time
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.spreadsheets import BadSpreadsheet, Room, check_spreadsheet
from tests.web.templates import API, SignIn


def workbook(sheet: str, *more: tuple[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("xl/workbook.xml", "<workbook/>")
        package.writestr("xl/worksheets/sheet1.xml", sheet)
        for name, content in more:
            package.writestr(name, content)
    return buffer.getvalue()


ROOM = Room(unpacked=10_000_000, cells=1_000_000)


@pytest.mark.parametrize(
    "content",
    [workbook('<sheetData><row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"><v>1</v></c></row></sheetData>'),
     workbook('<dimension ref="A1:XFD1048576"/><sheetData/>'), workbook("<sheetData/>", ("xl/media/zeros", b"\0" * 20_000_000)),
     workbook("<sheetData>" + "<c/>" * 1_100_000 + "</sheetData>"),
     workbook("<sheetData/>", ("xl/elsewhere.xml", b'<c r="XFD1048576"/>')), b"PK\x03\x04 nonsense", b"a,b\r\n1,2\r\n"],
)  # fmt: skip
def test_a_spreadsheet_is_measured_before_it_is_read(content: bytes) -> None:
    """Far corners, lies about size, bombs and what is no workbook at all."""
    with pytest.raises(BadSpreadsheet):
        check_spreadsheet(io.BytesIO(content), ROOM)


@pytest.mark.parametrize("packed", [zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
@given(places=st.lists(st.tuples(st.floats(0, 0.999), st.integers(0, 255)), min_size=1, max_size=20))
def test_a_damaged_spreadsheet_is_measured_or_refused(packed: int, places: list[tuple[float, int]]) -> None:
    """As a transfer that went wrong leaves it: bytes changed anywhere."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", packed) as package:
        package.writestr("xl/workbook.xml", "<workbook/>" * 30)
        package.writestr("xl/worksheets/sheet1.xml", "<sheetData/>" * 50)
    content = bytearray(buffer.getvalue())
    for place, byte in places:
        content[int(place * len(content))] = byte

    with contextlib.suppress(BadSpreadsheet):
        check_spreadsheet(io.BytesIO(content), ROOM)


def test_far_corners_do_not_end_the_server(sign_in: SignIn) -> None:
    """A kilobyte with two cells at opposite corners is refused in words, at once."""
    bad = workbook(
        '<sheetData><row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"/></row></sheetData>'
    )
    began = time.monotonic()
    answer = sign_in("ines").post(
        f"{API}/design/header-of-file", content=bad, headers={"Content-Type": "application/octet-stream"}
    )

    assert (answer.status_code, "too large" in answer.json()["detail"]) == (422, True)
    assert time.monotonic() - began < 5


def test_an_honest_spreadsheet_is_read(sign_in: SignIn) -> None:
    """Its header row and first rows come back as text."""
    from openpyxl import Workbook

    book, buffer = Workbook(), io.BytesIO()
    book.active.append(["Tag", "Girth"])  # type: ignore[union-attr]
    book.active.append(["MB-1", 12])  # type: ignore[union-attr]
    book.save(buffer)
    answer = sign_in("ines").post(
        f"{API}/design/header-of-file", content=buffer.getvalue(), headers={"Content-Type": "application/octet-stream"}
    )

    assert answer.json()["text"] == "Tag\tGirth\nMB-1\t12"
