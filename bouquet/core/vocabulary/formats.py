"""
The formats of files: what each is called, and what it can hold. A new format is one module of `core.writers` and one
line here.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, TypeAlias

from bouquet.core.language import spoken
from bouquet.core.vocabulary.names import OneOf, by_name

__all__ = ["FORMATS", "Format", "FormatName"]


@spoken("label", "noun", "meaning")
@dataclass(frozen=True, kw_only=True)
class Format:
    """
    One format.

    Args:
        name: What documents call it; also its extension.
        label: What people call it; and, as part of a sentence, `noun`.
        meaning: What it is good for, in a sentence.
        media_type: As of RFC 6838.
        writer: Its class, as `module:class`; found when a file is written, so that a rare format costs nothing before.
        audience: Whom it suits: programs only, readers only, or either, by the style.
        lines: Whether lines may stand between its rows: headings of groups, totals.
        sheets: Whether it has sheets.
        sized: Whether its size is known while it is written.
        grows: Whether rows of a later run can be added to its end.
        readable: Whether its rows can be read back, to be compared.
        typed: Whether numbers stay numbers in it, however they are shown.
        pictures: Whether pictures are drawn in it; in others, how large a file is stands in its place.
        most_columns: Columns that it has room for, where there is a limit.
    """

    name: str
    label: str
    noun: str
    meaning: str
    media_type: str
    writer: str
    audience: Literal["programs", "readers", "either"] = "programs"
    lines: bool = False
    sheets: bool = False
    sized: bool = True
    most_columns: int | None = None
    grows: bool = False
    readable: bool = True
    typed: bool = False
    pictures: bool = False

    @property
    def extension(self) -> str:
        return self.name


_WRITERS = "bouquet.core.writers"

#: Every format by its name, in the order in which they are offered.
FORMATS: dict[str, Format] = by_name(
    (
        Format(
            name="csv",
            grows=True,
            label="CSV",
            noun="a CSV",
            meaning="Text with a separator: nearly every program reads it.",
            media_type="text/csv",
            writer=f"{_WRITERS}.csv:CsvWriter",
            audience="either",
            lines=True,
        ),
        Format(
            name="xlsx",
            typed=True,
            pictures=True,
            label="Spreadsheet",
            noun="a spreadsheet",
            meaning="A workbook with typed cells, titles, groups and totals.",
            media_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
            writer=f"{_WRITERS}.xlsx:XlsxWriter",
            audience="either",
            lines=True,
            sheets=True,
            sized=False,
        ),
        Format(
            name="jsonl",
            grows=True,
            label="JSON Lines",
            noun="JSON Lines",
            meaning="One JSON object a row, each on a line of its own. Numbers keep all their digits, blanks are null.",
            media_type="application/jsonl",
            writer=f"{_WRITERS}.jsonl:JsonLinesWriter",
        ),
        Format(
            name="ods",
            typed=True,
            label="OpenDocument spreadsheet",
            noun="an OpenDocument spreadsheet",
            meaning="A spreadsheet by ISO/IEC 26300, with typed cells, titles, groups and totals.",
            media_type="application/vnd.oasis.opendocument.spreadsheet",
            writer=f"{_WRITERS}.ods:OdsWriter",
            audience="either",
            lines=True,
            sheets=True,
            sized=False,
        ),
        Format(
            name="pdf",
            readable=False,
            pictures=True,
            label="PDF",
            noun="a PDF",
            meaning="Pages to print or to send: title, repeated headings, groups, totals, page numbers.",
            media_type="application/pdf",
            writer=f"{_WRITERS}.pdf:PdfWriter",
            audience="readers",
            lines=True,
            sized=False,
            most_columns=40,
        ),
        Format(
            name="html",
            readable=False,
            pictures=True,
            label="Web page",
            noun="a web page",
            meaning="One page that every browser opens, that prints well and that a screen reader reads as a table.",
            media_type="text/html",
            writer=f"{_WRITERS}.html:HtmlWriter",
            audience="readers",
            lines=True,
        ),
        Format(
            name="json",
            label="JSON",
            noun="JSON",
            meaning="All rows as one JSON array of objects.",
            media_type="application/json",
            writer=f"{_WRITERS}.jsonl:JsonWriter",
        ),
        Format(
            name="xml",
            readable=False,
            label="XML",
            noun="XML",
            meaning="An element a row and one a value; headings become names that XML allows. With its schema.",
            media_type="application/xml",
            writer=f"{_WRITERS}.xml:XmlWriter",
        ),
        Format(
            name="txt",
            readable=False,
            label="Fixed-width text",
            noun="text of fixed width",
            meaning="Every value at its place in the line, by the widths of the columns. With its layout.",
            media_type="text/plain",
            writer=f"{_WRITERS}.fixed:FixedWidthWriter",
        ),
        Format(
            name="dbf",
            readable=False,
            typed=True,
            label="dBASE table",
            noun="a dBASE table",
            meaning="For older programs: names of ten letters, texts of 254, Windows-1252. With its fields.",
            media_type="application/vnd.dbf",
            writer=f"{_WRITERS}.dbase:DbaseWriter",
            sized=False,
            most_columns=128,
        ),
        Format(
            name="parquet",
            typed=True,
            label="Parquet",
            noun="a Parquet file",
            meaning="Columns with their types, compressed: for analysts and their tools.",
            media_type="application/vnd.apache.parquet",
            writer=f"{_WRITERS}.columnar:ParquetWriter",
            sized=False,
        ),
        Format(
            name="arrow",
            typed=True,
            label="Arrow",
            noun="an Arrow file",
            meaning="Columns with their types as programs hold them in memory (Arrow IPC).",
            media_type="application/vnd.apache.arrow.file",
            writer=f"{_WRITERS}.columnar:ArrowWriter",
        ),
    )
)

#: The name of a format, as documents and requests give it.
FormatName: TypeAlias = Annotated[str, OneOf(FORMATS)]
