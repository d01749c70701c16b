"""
What becomes of rows in files: format, style, names, parts, companions.
"""

from __future__ import annotations

from typing import Literal, TypeAlias

from pydantic import Field, field_validator, model_validator

from bouquet.core.language import tr
from bouquet.core.template.part import Digits, LocaleName, Part
from bouquet.core.template.values import HEADING_LENGTH
from bouquet.core.vocabulary.formats import FormatName

__all__ = ["Attachments", "ChildFile", "Csv", "Output", "Reader", "Split", "Tint", "Xlsx"]


class Csv(Part):
    """
    Options of a CSV file (RFC 4180).
    """

    separator: str = Field(",", min_length=1, max_length=1)
    line_end: Literal["CRLF", "LF"] = "CRLF"
    encoding: Literal["utf-8", "utf-8-sig", "utf-16", "windows-1252", "iso-8859-1"] = "utf-8"
    unencodable: Literal["stop", "replace"] = "stop"
    quoting: Literal["as_needed", "text", "everything"] = "as_needed"
    heading_row: Literal["headings", "names", "both", "none", "merge"] = "headings"

    @field_validator("separator")
    @classmethod
    def _no_clash(cls, value: str) -> str:
        if value in '"\r\n' or ord(value) > 127 or (ord(value) < 32 and value != "\t"):
            msg = tr("A separator is one plain character other than a quotation mark or a line break.")
            raise ValueError(msg)
        return value


TintComparison: TypeAlias = Literal["is", "is_not", "less_than", "at_most", "greater_than", "at_least", "is_blank"]
TintName: TypeAlias = Literal["amber", "rose", "moss", "sky"]


class XlsxChart(Part):
    """
    A chart on a sheet of its own: what `columns` say, drawn along the first of them that is no number.
    """

    kind: Literal["bars", "line"] = "bars"
    columns: tuple[str, ...] = Field(
        (), max_length=8, description="Ids of columns with numbers; all where none is named"
    )


class Tint(Part):
    """
    A colour behind the cells of a column, or behind the whole rows, where its value is as said: a number, a date in
    ISO form, or a text as it is shown.
    """

    column: str = Field(max_length=40, description="Id of a column")
    comparison: TintComparison = Field("is", alias="is")
    value: str = Field("", max_length=200)
    tint: TintName = "amber"
    row: bool = Field(False, description="Whether the whole row has it")


class Xlsx(Part):
    """
    Options of a spreadsheet file (ISO/IEC 29500).

    `editable` are the columns that may be changed in it, all else being locked; choices are offered there as lists.
    `bars` are columns whose numbers have a bar behind them, as long as they are large. Of several `tints` that fit, the
    first is seen. Files with lines of groups have neither.
    """

    sheet: str = Field("", max_length=31)
    title: str = ""
    subject: str = ""
    author: str = ""
    keywords: str = ""
    about_sheet: bool = False
    findings_sheet: bool = False
    editable: tuple[str, ...] = Field((), max_length=400, description="Ids of columns")
    bars: tuple[str, ...] = Field((), max_length=40, description="Ids of columns with numbers")
    tints: tuple[Tint, ...] = Field((), max_length=20)
    chart: XlsxChart | None = None


class Pages(Part):
    """
    How pages for people (`pdf`, `html`) are laid out: rows as one `table`, or as `cards`, one record a page with its
    headings beside the values. `form` adds an empty card, to be filled in by hand.
    """

    layout: Literal["table", "cards"] = "table"
    form: bool = False


class Reader(Part):
    """
    What a file in reader's style carries besides its rows: lines of title above the headings, a heading line for
    each group of rows that agree in the columns `groups`, and totals of the columns that ask for one.
    """

    title: bool = True
    groups: tuple[str, ...] = Field((), max_length=4, description="Ids of columns, outermost first")
    subtotals: bool = True
    grand_total: bool = True


class Split(Part):
    """
    One file becomes several: by a number of rows, by size, or by the value of a field; one of the three.

    Split by a value, each part may also be a sheet of one spreadsheet.
    """

    rows: int | None = Field(None, ge=1)
    megabytes: Digits | None = Field(None, gt=0, le=100_000, description="Millions of bytes")
    by: str | None = Field(None, min_length=1)
    into: Literal["files", "sheets"] = "files"

    @model_validator(mode="after")
    def _one_way(self) -> Split:
        if sum(way is not None for way in (self.rows, self.megabytes, self.by)) != 1:
            msg = tr("A file is split by rows, by megabytes or by a value, one of the three.")
            raise ValueError(msg)
        if self.into == "sheets" and self.by is None:
            msg = tr("Only a split by value can go into sheets.")
            raise ValueError(msg)
        return self


class ChildFile(Part):
    """
    A companion CSV of the records at the end of `path`, each with the key of the record it belongs to.

    `columns` are paths that start at these records; their everyday fields, where none are given.
    """

    path: str = Field(min_length=1)
    columns: tuple[str, ...] = Field((), max_length=200)


class Attachments(Part):
    """
    Files kept in the records, put into the archive: `path` leads to a field that holds a file, such as
    `photographs.picture`. Each record has a folder of its own there, below `folder`; a column with the heading
    `heading` names it.
    """

    path: str = Field(min_length=1)
    folder: str = Field("attachments", pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]{0,39}$")
    heading: str = Field("Attachments", max_length=HEADING_LENGTH)


class Output(Part):
    """
    The file a run makes, unless the person who runs it asks for another format.

    `style` `machine` is for programs: ISO dates, plain numbers, nothing but headings and rows. `reader` is for
    people: dates and numbers as the `locale` writes them, titles, groups, totals.
    `language`: headings are those of this language, of columns that have one.
    `guard_formulas`: whether texts that a spreadsheet would run are guarded; not given, reader's style does.
    `dictionary`: how what the columns mean goes along; as a sheet, a companion CSV, or CSV on the Web metadata.
    `companions`: what else goes along, as files: the findings as CSV, the slip as JSON, the keys of records that are
    `gone` since they were sent as CSV; and `children` as CSV.
    `findings_by`: the column by whose values findings are counted, beside those who touched the records last.
    `archive`: all of a run's files once more in one zip; `attachments` always make one.
    `keep_days`: days until the files expire; the house's own rule where it is not given.
    """

    format: FormatName = "csv"
    name: str = Field("{template}_{as_of:%Y-%m-%d}", min_length=1, max_length=200)
    style: Literal["machine", "reader"] = "machine"
    locale: LocaleName = Field("en_GB", max_length=20)
    reader: Reader = Reader()
    language: str = Field("", max_length=40, description="The language of the headings, where columns have several")
    guard_formulas: bool | None = None
    split: Split | None = None
    dictionary: tuple[Literal["sheet", "csv", "csvw"], ...] = ()
    companions: tuple[Literal["findings", "slip", "gone"], ...] = ()
    children: tuple[ChildFile, ...] = Field((), max_length=10)
    attachments: Attachments | None = None
    findings_by: str | None = Field(None, min_length=1)
    archive: bool = False
    keep_days: int | None = Field(None, ge=1, le=36_500)
    csv: Csv = Csv()
    xlsx: Xlsx = Xlsx()
    pages: Pages = Pages()
