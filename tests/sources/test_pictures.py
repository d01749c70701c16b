"""
Pictures in cells: what stands in files is what the database holds, read by others' programs; where none can be drawn,
how large the file is.
"""

from __future__ import annotations

import base64
import hashlib
import io
import re
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import polars as pl
import pytest
from PIL import Image
from pypdf import PdfReader

from bouquet.core.errors import PlanError
from bouquet.core.layout import form_for
from bouquet.core.plan import Context, resolve
from bouquet.core.sql import Statements
from bouquet.core.template import Acceptance, read_document
from bouquet.core.writers.pictures import small_picture
from bouquet.runs import Export, Exported
from bouquet.runs.asking import as_format
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.files import Run, column

Query = Callable[[str], list[tuple[Any, ...]]]

PHOTOGRAPHS: dict[str, Any] = {
    "records": "photograph",
    "columns": [column("name", "file_name"), column("picture", "picture"), column("number", "ph_id")],
    "at_most": 30,
}


def png(colour: str, size: tuple[int, int] = (40, 30)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, colour).save(out, "png")
    return out.getvalue()


def colour_of(data: bytes) -> tuple[int, ...]:
    found = Image.open(io.BytesIO(data)).convert("RGB").getpixel((5, 5))
    assert isinstance(found, tuple)
    return found


#: Red, two files that are no pictures, none, an empty one, one that is too large to be read, blue lying on its side.
KEPT = (
    png("red"),
    b"%PDF-1.7 a paper",
    b"\x89PNG\r\n\x1a\nbroken",
    None,
    b"",
    png("red") + b"x" * 5_000_000,
    png("blue"),
)


@pytest.fixture
def album(tmp_path: Path) -> Source:
    """
    A house of another kind, with files of every sort.
    """
    path = tmp_path / "album.db"
    with sqlite3.connect(path) as made:
        made.execute("CREATE TABLE page (id integer PRIMARY KEY, held blob)")
        made.executemany("INSERT INTO page VALUES (?, ?)", enumerate(KEPT, 1))
    return Source("album", f"sqlite:///{path}")


def export(source: Source, folder: Path, format: str, document: dict[str, Any]) -> Exported:
    template = as_format(read_document({"name": "Album", **document}), format)
    plan = resolve(template, source.catalogue(), Context(as_of=NOW)).require()
    with source.reader.snapshot() as snapshot:
        return Export(template, plan, format, folder).write(snapshot, {})


def found_in(done: Exported) -> dict[str, int]:
    return {finding["what"]: finding["count"] for finding in done.slip["findings"]}


PAGES: dict[str, Any] = {"records": "page", "columns": [column("id", "id"), column("held", "held")]}


def test_a_spreadsheet_has_each_picture_in_its_cell(run: Run, query: Query) -> None:
    """One anchor a row, with the picture that the database holds there, and nothing beneath it."""
    sheet = openpyxl.load_workbook(run(PHOTOGRAPHS, "xlsx").path).active
    held = dict(query("SELECT ph_id, ph_data FROM photograph ORDER BY ph_id LIMIT 30"))
    anchored = {image.anchor._from.row + 1: image for image in sheet._images}

    assert sorted(anchored) == list(range(2, 32))
    for row, image in anchored.items():
        expected = Image.open(io.BytesIO(held[int(sheet.cell(row, 3).value)])).convert("RGB")
        assert image.anchor._from.col == 1
        assert Image.open(io.BytesIO(image._data())).convert("RGB").tobytes() == expected.tobytes()
        assert sheet.cell(row, 2).value is None


def test_links_and_pictures_share_a_sheet(run: Run) -> None:
    """Both are what a sheet is related to; each finds its own."""
    linked = {**PHOTOGRAPHS, "columns": [column("tree", "tree.tag", show={"link": True}), column("picture", "picture")]}
    sheet = openpyxl.load_workbook(run(linked, "xlsx").path).active
    links = [sheet.cell(row, 1).hyperlink for row in range(2, 32)]

    assert len(sheet._images) == 30
    assert len([link for link in links if link is not None]) > 20
    assert all(link is None or link.target.startswith("http") for link in links)


def test_a_page_and_a_pdf_show_them(run: Run, query: Query) -> None:
    """As many as there are rows, in the page itself."""
    page = run(PHOTOGRAPHS, "html").path.read_text()
    drawn = [base64.b64decode(d) for d in re.findall(r'src="data:image/png;base64,([^"]+)"', page)]
    held = [data for (data,) in query("SELECT ph_data FROM photograph ORDER BY ph_id LIMIT 30")]
    assert [Image.open(io.BytesIO(d)).convert("RGB").tobytes() for d in drawn] == [
        Image.open(io.BytesIO(d)).convert("RGB").tobytes() for d in held
    ]

    pages = PdfReader(run({**PHOTOGRAPHS, "at_most": 8}, "pdf").path).pages
    assert sum(page.get_contents().get_data().count(b" Do") for page in pages) == 8 + len(pages)


def test_the_latest_picture_of_each_record(run: Run, query: Query) -> None:
    """One of many, by an order; records without one have an empty cell."""
    latest = {"fold": {"path": "photographs.picture", "how": "latest", "order": [{"path": "taken_at"}]}}
    document = {
        "records": "tree",
        "columns": [column("tag", "tag"), {"id": "p", "heading": "P", "value": latest}],
        "at_most": 300,
    }
    sheet = openpyxl.load_workbook(run(document, "xlsx").path).active
    expected = query(
        "SELECT t_tag, (SELECT ph_data FROM photograph p WHERE p.t_id = t.t_id ORDER BY ph_at DESC NULLS LAST LIMIT 1)"
        " FROM (SELECT * FROM tree ORDER BY t_id LIMIT 300) t ORDER BY t_id"
    )
    anchored = {image.anchor._from.row + 1: Image.open(io.BytesIO(image._data())) for image in sheet._images}
    assert len(anchored) == sum(data is not None for _, data in expected) > 0
    for row, (tag, data) in enumerate(expected, 2):
        assert sheet.cell(row, 1).value == tag
        if data is not None:
            assert anchored[row].convert("RGB").tobytes() == Image.open(io.BytesIO(data)).convert("RGB").tobytes()


@pytest.mark.parametrize("format", ["html", "xlsx"])
def test_files_that_are_no_pictures_say_their_size(album: Source, tmp_path: Path, format: str) -> None:
    """They are noted; a blank stays blank, and a file too large to be read is not drawn."""
    done = export(album, tmp_path / "out", format, PAGES)
    sizes = [f"{len(data)} bytes" if data is not None else None for data in KEPT]
    undrawn = {2: sizes[1], 3: sizes[2], 5: sizes[4], 6: sizes[5]}
    if format == "xlsx":
        sheet = openpyxl.load_workbook(done.path).active
        said = {row - 1: v for row in range(2, 9) if (v := sheet.cell(row, 2).value) is not None}
        drawn = [colour_of(image._data()) for image in sheet._images]
    else:
        cells = re.findall(r"<tr><td[^>]*>(\d)</td><td[^>]*>(.*?)</td></tr>", done.path.read_text())
        said = {int(n): v for n, v in cells if v and not v.startswith("<img")}
        drawn = [colour_of(base64.b64decode(d)) for d in re.findall(r"base64,([^\"]+)", done.path.read_text())]

    assert said == undrawn
    assert drawn == [(255, 0, 0), (0, 0, 255)]
    assert found_in(done) == {"files in “Held” are no pictures, or too large to be drawn; their size stands there": 4}


def test_a_format_without_pictures_is_refused_with_another_way(source: Source) -> None:
    """Text cannot carry a file: its name, or a format that draws it, by one press."""
    template = read_document({"name": "T", **PHOTOGRAPHS})
    with pytest.raises(PlanError) as refused:
        resolve(template, source.catalogue(), Context(as_of=NOW)).require()
    (problem,) = refused.value.problems
    assert problem.message == (
        "Picture is a file, which a CSV cannot carry. Take its name or a link instead, or a format that draws pictures: "
        "a spreadsheet, a PDF, a web page."
    )
    assert [(way.place, way.value) for way in problem.ways_out] == [
        ("columns[1].value.field", "file_name"),
        ("output.format", "xlsx"),
    ]


def test_too_many_pictures_are_sizes(run: Run, query: Query, monkeypatch: pytest.MonkeyPatch) -> None:
    """A file of more than so many has none, and says so."""
    monkeypatch.setattr("bouquet.runs.export.MOST_PICTURES", 29)
    done = run(PHOTOGRAPHS, "html")
    sizes = [n for (n,) in query("SELECT length(ph_data) FROM photograph ORDER BY ph_id LIMIT 30")]

    assert re.findall(r">(\d+) bytes<", done.path.read_text()) == [str(n) for n in sizes]
    assert found_in(done) == {"pictures are drawn up to 29 of them; their sizes stand in their place": 30}


def test_a_picture_is_made_small_and_upright() -> None:
    """What a camera says about turning is followed, what else it says about the place stays behind."""
    out, lying = io.BytesIO(), Image.new("RGB", (1600, 900), "green")
    told = Image.Exif()
    told[0x0112], told[0x010E] = 6, "taken in somebody's garden"
    lying.save(out, "jpeg", exif=told)
    made = small_picture(out.getvalue())

    assert made is not None
    assert (made.kind, made.width, made.height) == ("jpeg", 202, 360)
    assert b"garden" not in made.data
    assert not Image.open(io.BytesIO(made.data)).getexif()


def test_what_unpacks_to_too_much_is_not_unpacked() -> None:
    """A small file may claim to be a huge picture."""
    out = io.BytesIO()
    Image.new("1", (9_000, 9_000)).save(out, "png")
    assert len(out.getvalue()) < 20_000
    assert small_picture(out.getvalue()) is None


@pytest.mark.parametrize("kind", ["postgresql", "sqlite"])
def test_another_picture_of_the_same_size_is_a_change(source: Source, album: Source, query: Query, kind: str) -> None:
    """A record is known again by what its file holds, not by its size."""
    house, document = (source, PHOTOGRAPHS) if kind == "postgresql" else (album, PAGES)
    template = read_document({"name": "T", **document, "output": {"format": "xlsx"}})
    plan = resolve(template, house.catalogue(), Context(as_of=NOW)).require()
    with house.reader.snapshot() as snapshot:
        told = [row["v1"] for row in snapshot.rows(Statements(plan).sent(cells=True))]
    held = (
        KEPT if kind == "sqlite" else tuple(data for (data,) in query("SELECT ph_data FROM photograph ORDER BY ph_id"))
    )
    expected = [hashlib.md5(data).hexdigest() if data is not None else None for data in held]
    assert sorted(told, key=str) == sorted(expected, key=str)


def test_a_recipient_has_only_their_own_columns_pictures(source: Source, tmp_path: Path) -> None:
    """A form without the column has nothing of the file either."""
    template = read_document({"name": "T", **PHOTOGRAPHS, "output": {"format": "xlsx"}})
    plan = resolve(template, source.catalogue(), Context(as_of=NOW)).require()
    form = form_for(Acceptance.model_validate({"columns": [{"heading": "Name"}], "exact": True}), plan, "R")
    frame = pl.DataFrame({"c0": ["a"], "c1": [3], "i1": [b"abc"], "c2": [1]})
    assert form.frame(frame).columns == ["c0"]


@pytest.mark.parametrize("kind", ["JPEG", "WEBP"])
@pytest.mark.parametrize(("place", "byte"), [(11, 0), (11, 7), (13, 11)])
def test_a_picture_whose_own_notes_are_damaged_stops_no_run(kind: str, place: int, byte: int) -> None:
    """What a camera wrote beside a picture may say anything; the picture's size stands there."""
    notes, out = Image.Exif(), io.BytesIO()
    notes[274], notes[0x010F] = 6, "maker"
    Image.new("RGB", (40, 30), "red").save(out, kind, exif=notes)
    damaged = bytearray(out.getvalue())
    damaged[max(damaged.find(b"II*\0"), damaged.find(b"MM\0*")) + place] = byte

    assert small_picture(bytes(damaged)) is None
