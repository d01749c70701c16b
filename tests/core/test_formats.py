"""
Every further format, as a reader that is not ours finds it.
"""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from html.parser import HTMLParser
from io import BytesIO
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import odf.opendocument
import odf.table
import polars as pl
import pyarrow as pa
import pytest
import python_calamine
import xmlschema
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from PIL import ImageCms
from pypdf import PdfReader

from bouquet.core.language import CONSTANT
from bouquet.core.reading import FileRows, Unreadable
from bouquet.core.shaping import Line, to_frame
from bouquet.core.vocabulary.formats import FORMATS, Format
from bouquet.core.writers import SheetFacts, columnar, ods, writer_of
from bouquet.core.writers.base import StreamWriter
from bouquet.core.writers.xml import element_names
from tests.core.written import Resolve, made

HOSTILE = [
    '<b>&amp; "x"</b>',
    "=1+1",
    " two  spaces ",
    "line\nbreak",
    "שלום עולם",
    "مرحبا",
    "漢字",
    "🌳",
    "a\tb",
    "]]>",
]
relaxed = settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
TEXTS = st.text(st.characters(exclude_characters="\x00\r", exclude_categories=["Cs", "Cc"]), min_size=1, max_size=12)


@pytest.mark.parametrize("format", FORMATS)
def test_a_format_writes_a_file_without_rows(resolved: Resolve, tmp_path: Path, format: str) -> None:
    """Headings only, and a file that is whole."""
    path, _ = made(resolved("tag", "girth").require(), format, tmp_path)
    assert path.stat().st_size >= (0 if format == "jsonl" else 1)


@relaxed
@given(texts=st.lists(TEXTS, min_size=1, max_size=5))
@example(texts=[" a", "a ", "a  b", "a   b", "a \t b", " \ta\t "])
@pytest.mark.parametrize("format", ["json", "xml", "html", "ods", "parquet", "arrow"])
def test_any_text_is_given_back(resolved: Resolve, tmp_path_factory: Any, format: str, texts: list[str]) -> None:
    """Marks of the format itself among them; white space at the ends as it was."""
    texts = [t for t in texts if t.strip()] or ["x"]
    path, _ = made(resolved("note").require(), format, tmp_path_factory.mktemp(format), {"c0": texts})
    assert READERS[format](path) == texts


@pytest.mark.parametrize("format", ["json", "xml", "ods", "parquet"])
def test_lines_of_a_text_are_given_back(resolved: Resolve, tmp_path: Path, format: str) -> None:
    """Line feeds, tabs and blanks around them; where a format is for programs, carriage returns, too."""
    texts = ["a\nb", "a \n b", "a\tb", "\na\n", "a\r\nb", "a\rb", "\r"][: 4 if format == "ods" else None]
    path, _ = made(resolved("note").require(), format, tmp_path, {"c0": texts})
    assert READERS[format](path) == texts


def test_headings_and_labels_of_open_spreadsheets_keep_their_blanks(resolved: Resolve, tmp_path: Path) -> None:
    """A group is called by a value, whatever that holds."""
    column = {"id": "a", "heading": "Note  of", "value": {"field": "note"}}
    heading = Line("heading", " two   words\nand a line ", {})
    path, _ = made(resolved(column).require(), "ods", tmp_path, {"c0": ["x"]}, lines=(heading,))
    document = odf.opendocument.load(str(path))
    cells = [
        row.getElementsByType(odf.table.TableCell)[0]
        for row in document.spreadsheet.getElementsByType(odf.table.TableRow)
    ]
    said = ["\n".join(_paragraph(p) for p in cell.childNodes) for cell in cells]

    assert said == ["Note  of", "x", " two   words\nand a line "]


def _xml(path: Path) -> list[str]:
    return [row[0].text or "" for row in ElementTree.parse(path).getroot()]


class _Cells(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.cells: list[str] = []
        self.inside = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.inside = tag == "td"
        if tag == "td":
            self.cells.append("")

    def handle_endtag(self, tag: str) -> None:
        self.inside = self.inside and tag != "td"

    def handle_data(self, data: str) -> None:
        if self.inside:
            self.cells[-1] += data


def _html(path: Path) -> list[str]:
    parser = _Cells()
    parser.feed(path.read_text(encoding="utf-8"))
    return parser.cells


def _ods(path: Path) -> list[str]:
    document = odf.opendocument.load(str(path))
    rows = document.spreadsheet.getElementsByType(odf.table.TableRow)
    found = []
    for row in rows[1:]:
        cell = row.getElementsByType(odf.table.TableCell)[0]
        found.append("\n".join(_paragraph(p) for p in cell.childNodes))
    return found


def _paragraph(paragraph: Any) -> str:
    """What the standard has a reader see (ODF 1.3, part 3, 6.1.2): blanks at the ends go, and of several one stays."""
    said, data = [], "".join(str(n.data) for n in paragraph.childNodes if n.nodeType == n.TEXT_NODE)
    left, before = len(data.rstrip(" ")), " "
    for node in paragraph.childNodes:
        if node.nodeType != node.TEXT_NODE:
            said.append({"s": " ", "tab": "\t"}.get(node.qname[1], ""))
            continue
        for letter in str(node.data):
            left -= 1
            if letter != " " or (before != " " and left >= 0):
                said.append(letter)
            before = letter
    return "".join(said)


READERS: dict[str, Callable[[Path], list[str]]] = {
    "json": lambda path: [row["note"] for row in json.loads(path.read_text(encoding="utf-8"))],
    "xml": _xml,
    "html": _html,
    "ods": _ods,
    "parquet": lambda path: pl.read_parquet(path)["note"].to_list(),
    "arrow": lambda path: pl.read_ipc(path)["note"].to_list(),
}


@pytest.mark.parametrize("format", ["parquet", "arrow"])
def test_columns_keep_their_types(resolved: Resolve, tmp_path: Path, format: str) -> None:
    """Decimals exactly, moments in the template's zone, choices by their labels, whatever the batch."""
    plan = resolved("tag", "status", "girth", "planted_on", "changed_at", "protected").require()
    moment = datetime(2026, 7, 1, 12, tzinfo=UTC)
    first = {
        "c0": ["A"], "c1": ["S"], "c2": ["1234567890123456.25"], "c3": [date(1850, 1, 2)], "c4": [moment], "c5": [True],
    }  # fmt: skip
    second = {"c0": ["B"], "c1": ["F"], "c2": pa.array([None], pa.string()), "c3": pa.array([None], pa.date32()),
              "c4": pa.array([None], pa.timestamp("us", "UTC")), "c5": pa.array([None], pa.bool_())}  # fmt: skip
    path, _ = made(plan, format, tmp_path, first, second)
    read = pl.read_parquet(path) if format == "parquet" else pl.read_ipc(path)

    assert read["girth"].to_list() == [Decimal("1234567890123456.25"), None]
    assert read["status"].cast(pl.String).to_list() == ["Standing", "Felled"]
    assert read["planted_on"].to_list() == [date(1850, 1, 2), None]
    assert read["changed_at"][0].isoformat() == "2026-07-01T13:00:00+01:00"
    assert read["protected"].to_list() == [True, None]


def test_a_column_file_says_what_it_is(resolved: Resolve, tmp_path: Path) -> None:
    path, _ = made(resolved("girth").require(), "parquet", tmp_path, {"c0": ["1.50"]})
    about = {k.decode(): v.decode() for k, v in pa.parquet.read_schema(path).metadata.items()}

    assert (about["sentence"], about["run"]) == ("One row per tree.", "7")
    assert json.loads(about["dictionary"])[0]["Heading"] == "girth"


def test_groups_of_rows_hold_every_row_and_dictionaries_what_repeats(
    resolved: Resolve, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Batches are gathered up to a number; a column of its own values has no dictionary, one of few has."""
    monkeypatch.setattr(columnar, "GROUP_ROWS", 30)
    notes, tags = ["oak", "elm"] * 10, [[f"T{20 * k + n}" for n in range(20)] for k in range(5)]
    path, _ = made(resolved("tag", "note").require(), "parquet", tmp_path, *({"c0": t, "c1": notes} for t in tags))
    file = pa.parquet.ParquetFile(path).metadata
    tag, note = (file.row_group(0).column(n) for n in (0, 1))

    assert [file.row_group(n).num_rows for n in range(file.num_row_groups)] == [40, 40, 20]
    assert pl.read_parquet(path).rows() == [(t, n) for batch in tags for t, n in zip(batch, notes, strict=True)]
    assert (tag.has_dictionary_page, note.has_dictionary_page) == (False, True)


def test_a_number_that_is_none_is_told(resolved: Resolve, tmp_path: Path) -> None:
    path, notes = made(resolved("girth").require(), "parquet", tmp_path, {"c0": ["NaN", "2.00"]})

    assert pl.read_parquet(path)["girth"].to_list() == [None, Decimal("2.00")]
    assert sum(notes.values()) == 1


def test_an_open_spreadsheet_has_typed_cells(resolved: Resolve, tmp_path: Path) -> None:
    """A second reader finds numbers, dates and texts; numbers of more digits than a program keeps stand as text."""
    plan = resolved("tag", "girth", "planted_on").require()
    path, _ = made(
        plan, "ods", tmp_path, {"c0": ["A", "B"], "c1": ["12.50", "12345678901234567890.10"], "c2": [date(2026, 2, 1), None]}
    )  # fmt: skip
    rows = python_calamine.load_workbook(str(path)).get_sheet_by_index(0).to_python()

    assert rows[0] == ["tag", "girth", "planted_on"]
    assert rows[1] == ["A", 12.5, date(2026, 2, 1)]
    assert rows[2][1] == "12345678901234567890.10"
    with zipfile.ZipFile(path) as package:
        assert package.namelist()[0] == "mimetype"
        assert package.testzip() is None
        for name in package.namelist():
            if name.endswith(".xml"):
                ElementTree.fromstring(package.read(name))


@pytest.mark.parametrize("format", ["ods", "html"])
def test_lines_of_groups_and_totals_stand_between_rows(resolved: Resolve, tmp_path: Path, format: str) -> None:
    plan = resolved("tag", "girth", output={"style": "reader", "format": format}).require()
    lines = [Line("heading", "Ward: <Quay>", 1), Line("total", "Total", 0, {1: "14.00"})]
    path, _ = made(plan, format, tmp_path, {"c0": ["A"], "c1": ["14.00"]}, titles=("Trees",), lines=lines)
    said = " ".join(ElementTree.fromstring(_content(path)).itertext()) if format == "ods" else path.read_text()

    assert ("Ward: <Quay>" if format == "ods" else "Ward: &lt;Quay&gt;") in said
    assert "Total" in said
    assert "Trees" in said


def _content(path: Path) -> bytes:
    with zipfile.ZipFile(path) as package:
        return package.read("content.xml")


def test_pages_hold_every_row_under_repeated_headings(resolved: Resolve, tmp_path: Path) -> None:
    """And the title, the numbers of the pages, and what is said of the file."""
    plan = resolved("tag", "note").require()
    tags = [f"MB-{n:05}" for n in range(300)]
    path, _ = made(
        plan, "pdf", tmp_path, {"c0": tags, "c1": ["a long text that is wrapped " * 6] * 300}, titles=("Trees",)
    )
    pages = [page.extract_text() for page in PdfReader(path).pages]

    assert sum(page.count("MB-") for page in pages) == 300
    assert all("tag" in page and f"{n} / {len(pages)}" in " ".join(page.split()) for n, page in enumerate(pages, 1))
    assert "Trees" in pages[0]
    assert PdfReader(path).metadata.title == plan.name


def test_a_total_stands_on_one_line(resolved: Resolve, tmp_path: Path) -> None:
    """It is wider than the numbers that it is of."""
    plan = resolved("tag", "rings", output={"format": "pdf", "style": "reader", "locale": "en_GB"}).require()
    lines = [Line("total", "Total", 0, {1: "22424424"})]
    path, _ = made(plan, "pdf", tmp_path, {"c0": ["A", "B"], "c1": [1, 2]}, lines=lines)

    assert "22,424,424" in PdfReader(path).pages[0].extract_text().split()


def _said_of_itself(path: Path) -> ElementTree.Element:
    reader: Any = PdfReader(path)
    packet = reader.trailer["/Root"]["/Metadata"].get_object()
    assert "/Filter" not in packet
    return ElementTree.fromstring(packet.get_data().decode().split("?>", 1)[1].rsplit("<?xpacket", 1)[0])


_ID = "{http://www.aiim.org/pdfa/ns/id/}"


def test_pages_are_kept_for_long(resolved: Resolve, tmp_path: Path) -> None:
    """All fonts are within, colours are defined, and the file names the standard (ISO 19005-2, level B)."""
    plan = replace(resolved("tag", "note").require(), name="Trees & “parks” <2026>")
    path, _ = made(plan, "pdf", tmp_path, {"c0": ["MB-1", "MB-2"], "c1": ["漢字 עברית", "plain"]})
    reader: Any = PdfReader(path)
    [intent] = reader.trailer["/Root"]["/OutputIntents"]
    fonts = {name: font.get_object() for page in reader.pages for name, font in page["/Resources"]["/Font"].items()}
    said = _said_of_itself(path)

    assert all("/FontFile2" in font["/FontDescriptor"] for font in fonts.values())
    assert "/Encrypt" not in reader.trailer
    assert len(reader.trailer["/ID"]) == 2
    assert intent["/S"] == "/GTS_PDFA1"
    assert ImageCms.ImageCmsProfile(BytesIO(intent["/DestOutputProfile"].get_data())).profile.xcolor_space == "RGB "
    assert [said.findtext(f".//{_ID}{name}") for name in ("part", "conformance")] == ["2", "B"]
    assert reader.xmp_metadata is not None
    assert reader.xmp_metadata.dc_title == {"x-default": plan.name}
    assert reader.xmp_metadata.xmp_create_date == reader.metadata.creation_date.astimezone(UTC).replace(tzinfo=None)


def test_pages_with_boxes_for_letters_do_not_claim_the_standard(resolved: Resolve, tmp_path: Path) -> None:
    path, notes = made(resolved("note").require(), "pdf", tmp_path, {"c0": ["\U0001d11e"]})

    assert [note for note in notes if "no font" in note]
    assert _said_of_itself(path).find(f".//{_ID}part") is None


CARDS = {"pages": {"layout": "cards", "form": True}}


def test_cards_hold_one_record_a_page(resolved: Resolve, tmp_path: Path) -> None:
    """Each with its headings; the last one is empty, to be filled in; what is long goes on to a further page."""
    plan = resolved("tag", "note", output={"format": "pdf", **CARDS}).require()
    notes = ["short", None, "word " * 1_500, "漢字"]
    path, _ = made(plan, "pdf", tmp_path, {"c0": [f"MB-{n}" for n in range(4)], "c1": notes}, titles=("Trees",))
    pages = [page.extract_text() for page in PdfReader(path).pages]

    assert [sum(f"MB-{n}" in page for page in pages) for n in range(4)] == [1] * 4
    assert "".join(pages).count("word") == 1_500
    assert "MB-" not in pages[-1]
    assert "tag" in pages[-1]
    assert len(pages) > 5


def test_cards_are_lists_of_headings_and_values(resolved: Resolve, tmp_path: Path) -> None:
    """In a page for the browser; nothing that a value says is markup."""
    plan = resolved("tag", "note", output={"format": "html", **CARDS}).require()
    path, _ = made(plan, "html", tmp_path, {"c0": ["MB-1", "MB-2"], "c1": [None, HOSTILE[0]]})
    said = path.read_text(encoding="utf-8")

    assert (said.count("<article><dl>"), said.count('<article class="form">'), "<table>" in said) == (2, 1, False)
    assert said.count("<dt>tag</dt>") == 3
    assert "<b>" not in said
    assert "&lt;b&gt;&amp;amp;" in said


def test_pages_hold_scripts_of_all_directions(resolved: Resolve, tmp_path: Path) -> None:
    """What no font has is told; a text over more than a page goes on, and nothing of it is lost."""
    plan = resolved("note").require()
    path, notes = made(plan, "pdf", tmp_path, {"c0": [*HOSTILE, "word " * 3_500]})
    said = "".join(page.extract_text() for page in PdfReader(path).pages)

    assert "=1+1" in said
    assert said.count("word") == 3_500
    assert len(PdfReader(path).pages) > 1
    assert not [note for note in notes if "cut" in note]


def test_pages_say_what_they_have_no_room_for(resolved: Resolve, tmp_path: Path) -> None:
    """A text without end is cut, and told; more columns than a page has room for are refused while designing."""
    _, notes = made(resolved("note").require(), "pdf", tmp_path, {"c0": ["word " * 40_000]})
    many = [{"id": f"c{n}", "heading": f"N{n}", "value": {"field": "note"}} for n in range(41)]
    problems = resolved(*many, output={"format": "pdf"}).problems

    assert [n for note, n in notes.items() if "cut" in note] == [1]
    assert ("too_wide", "output.format") in [(p.code, p.place) for p in problems]


def test_xml_meets_the_schema_beside_it(resolved: Resolve, tmp_path: Path) -> None:
    """Names are made legal, none alike, and the schema knows them."""
    columns = ["tag", {"id": "b", "heading": "Girth (cm)", "value": {"field": "girth"}},
               {"id": "c", "heading": "Girth [cm]", "value": {"field": "girth"}}]  # fmt: skip
    plan = resolved(*columns).require()
    path, _ = made(plan, "xml", tmp_path, {"c0": ["A", None], "c1": ["1.00", "2.00"], "c2": ["1.00", None]})
    (schema,) = writer_of("xml").beside(plan)

    xmlschema.XMLSchema(schema.content.decode()).validate(str(path))
    assert element_names(["Girth (cm)", "Girth [cm]", "2nd", "xml id", "", "naïve"]) == [
        "Girth_cm", "Girth_cm_2", "_2nd", "_xml_id", "value", "naïve",
    ]  # fmt: skip


def test_a_format_is_one_module_and_one_line(
    resolved: Resolve, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A toy format, entered while the program runs, is taken by a template and written."""
    toy = Format(
        name="toy", label="Toy", noun="a toy", meaning="", media_type="text/toy", writer=f"{__name__}:ToyWriter"
    )
    # Its texts are no texts of the house, which are looked for in the catalogues.
    CONSTANT.difference_update({toy.label, toy.noun})
    monkeypatch.setitem(FORMATS, "toy", toy)
    path, _ = made(resolved("tag", output={"format": "toy"}).require(), "toy", tmp_path, {"c0": ["A", "B"]})

    assert path.read_text() == "2 rows\n"


class ToyWriter(StreamWriter):
    """
    Says how many rows came.
    """

    def begin(self) -> None:
        pass

    def write(self, frame: pl.DataFrame) -> None:
        self._file.write(f"{frame.height} rows\n".encode())


@pytest.mark.parametrize("format", [f.name for f in FORMATS.values() if f.readable])
def test_rows_are_read_back_to_be_compared(resolved: Resolve, tmp_path: Path, format: str) -> None:
    """As texts, batch after batch, blanks as blanks; nothing is missing at either end."""
    plan = resolved("tag", "girth", "planted_on").require()
    first = {"c0": ["A", "[", "]"], "c1": ["12.50", "0.25", "7.75"], "c2": [date(2026, 2, 1)] * 3}
    second = {"c0": ["B,"], "c1": ["1.25"], "c2": pa.array([None], pa.date32())}
    path, _ = made(plan, format, tmp_path, first, second)
    read = pl.concat(FileRows((path,), format, ("tag", "girth", "planted_on")).batches())

    assert read["tag"].to_list() == ["A", "[", "]", "B,"]
    assert [Decimal(g) for g in read["girth"]] == [Decimal(g) for g in ("12.5", "0.25", "7.75", "1.25")]
    assert read["planted_on"].to_list() == ["2026-02-01"] * 3 + [None]


@pytest.mark.parametrize("format", [f.name for f in FORMATS.values() if not f.readable])
def test_what_is_for_reading_is_not_taken_for_rows(resolved: Resolve, tmp_path: Path, format: str) -> None:
    path, _ = made(resolved("tag").require(), format, tmp_path, {"c0": ["A"]})
    with pytest.raises(Unreadable):
        list(FileRows((path,), format, ("tag",)).batches())


def test_a_part_of_many_rows_does_not_take_the_name_of_the_next(
    resolved: Resolve, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The first part goes on to a second sheet of its name; the next part has its own."""
    monkeypatch.setattr(ods, "SHEET_ROWS", 3)
    sheets = [SheetFacts("Quay", 4), SheetFacts("Fernlea", 1)]
    path = tmp_path / "a.ods"
    with writer_of("ods")(resolved("tag").require(), path, announced=5, sheets=sheets) as writer:
        writer.write(to_frame(pa.record_batch({"c0": ["A", "B", "C", "D"]})))
        writer.next_sheet()
        writer.write(to_frame(pa.record_batch({"c0": ["E"]})))
    book = python_calamine.load_workbook(str(path))

    assert book.sheet_names == ["Quay", "Quay (2)", "Fernlea"]
    assert [row[0] for name in book.sheet_names for row in book.get_sheet_by_name(name).to_python()[1:]] == list(
        "ABCDE"
    )
