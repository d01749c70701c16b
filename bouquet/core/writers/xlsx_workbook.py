"""
The workbook around the rows of a spreadsheet: its properties, its sheets, and one row that shows each style.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from io import BytesIO
from typing import Any

import xlsxwriter

from bouquet.core.checks import FINDING_HEADINGS
from bouquet.core.dictionary import HEADINGS, dictionary_rows
from bouquet.core.plan import Plan
from bouquet.core.writers.xlsx_cells import CELL_TEXT, number_format, width_of

__all__ = ["STAMP", "SheetPart", "Skeleton"]

#: The property by which a spreadsheet is known to be a run's.
STAMP = "Bouquet run"


@dataclass
class SheetPart:
    """
    One sheet of the package: its name, the lines it will hold, and the links found on the way.
    """

    name: str
    lines: int
    links: list[tuple[str, str]] = field(default_factory=list)


@dataclass
class Skeleton:
    """
    A whole workbook without its rows. `above` are the lines over the heading row.
    """

    plan: Plan
    parts: list[SheetPart]
    titles: Sequence[str]
    above: int
    sentence: str
    announced: int
    stamp: str

    def package(self) -> BytesIO:
        """
        A whole workbook whose data sheets hold their heading row and, below, rows that show each style.
        """
        buffer, options = BytesIO(), self.plan.output.xlsx
        book = xlsxwriter.Workbook(buffer, {"in_memory": True})
        environment = f"{self.plan.catalogue.title}, {self.plan.catalogue.environment} data"
        book.set_properties(
            {
                "title": options.title or self.plan.name,
                "subject": options.subject,
                "author": options.author,
                "comments": self.sentence,
                "keywords": f"{options.keywords}, {environment}" if options.keywords else environment,
                "created": self.plan.context.as_of.replace(tzinfo=None),
            }
        )
        if self.stamp:
            book.set_custom_property(STAMP, self.stamp)
        self._add_data_sheets(book)
        if options.about_sheet:
            self._write_about(book)
        if "sheet" in self.plan.output.dictionary:
            self._write_dictionary(book)
        if options.findings_sheet:
            sheet = book.add_worksheet("Findings")
            for n, width in enumerate((60, 10, 10, 24, 24, 40, 20, 40)):
                sheet.set_column(n, n, width)
            sheet.write_row(0, 0, FINDING_HEADINGS, book.add_format({"bold": True}))
            sheet.freeze_panes(1, 0)
        book.close()
        return buffer

    def _add_data_sheets(self, book: Any) -> None:
        heading = book.add_format({"bold": True, "bg_color": "#ECE6DA", "bottom": 1, "valign": "top"})
        title, lead = book.add_format({"bold": True, "font_size": 14}), book.add_format({"bold": True, "italic": True})
        formats = [number_format(c) for c in self.plan.columns]
        plain = [book.add_format({"num_format": f}) if f else None for f in formats]
        bold = [book.add_format({"bold": True, "top": 1, **({"num_format": f} if f else {})}) for f in formats]
        top = self.above
        for part in self.parts:
            sheet = book.add_worksheet(part.name)
            for n, text in enumerate(self.titles):
                sheet.write_string(n, 0, text, title if n == 0 else None)
            for at, column in enumerate(self.plan.columns):
                sheet.write_string(top, at, column.heading, heading)
                sheet.write_blank(top + 1, at, None, plain[at] or heading)
                sheet.write_blank(top + 2, at, None, bold[at])
                sheet.write_blank(top + 3, at, None, lead)
                sheet.set_column(at, at, width_of(column))
            sheet.freeze_panes(top + 1, 0)
            sheet.autofilter(top, 0, top + max(part.lines, 1), len(self.plan.columns) - 1)

    def _write_about(self, book: Any) -> None:
        sheet = book.add_worksheet("About")
        sheet.set_column(0, 0, 18)
        sheet.set_column(1, 1, 90)
        bold, wrap = book.add_format({"bold": True, "valign": "top"}), book.add_format({"text_wrap": True})
        facts = {
            "Template": self.plan.name,
            "What it holds": self.sentence,
            "Rows": f"{self.announced:,}",
            "As of": self.plan.context.as_of.astimezone(self.plan.zone).isoformat(timespec="seconds"),
            "Source": f"{self.plan.catalogue.title} ({self.plan.catalogue.environment} data)",
        }
        for row, (name, value) in enumerate(facts.items()):
            sheet.write_string(row, 0, name, bold)
            sheet.write_string(row, 1, value, wrap)

    def _write_dictionary(self, book: Any) -> None:
        sheet = book.add_worksheet("Dictionary")
        sheet.set_column(0, 1, 26)
        sheet.set_column(2, 2, 60)
        sheet.set_column(3, 7, 16)
        bold, wrap = book.add_format({"bold": True}), book.add_format({"text_wrap": True, "valign": "top"})
        for n, name in enumerate(HEADINGS):
            sheet.write_string(0, n, name, bold)
        for row, cells in enumerate(dictionary_rows(self.plan), 1):
            for n, text in enumerate(cells):
                sheet.write_string(row, n, text[:CELL_TEXT], wrap)
        sheet.freeze_panes(1, 0)
