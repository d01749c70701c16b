"""
The workbook around the rows of a spreadsheet: its properties, its sheets, and one row that shows each style.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from io import BytesIO
from typing import Any

from bouquet.core.checks import FINDING_HEADINGS
from bouquet.core.dictionary import HEADINGS, dictionary_rows
from bouquet.core.language import Texts, tr, whole
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.writers.xlsx_cells import (
    CELL_TEXT,
    choices_of,
    column_letters,
    cut_text,
    is_right,
    number_format,
    width_of,
)
from bouquet.core.writers.xlsx_pictures import PLACEHOLDER
from bouquet.core.writers.xlsx_tints import add_tints

__all__ = ["STAMP", "SheetPart", "Skeleton", "looks_special"]

#: The property by which a spreadsheet is known to be a run's.
STAMP = "Bouquet run"


#: The hidden sheet of choices.
CHOICES = "Choices"

#: The sheets beside those of the data.
BESIDE = Texts({"about": "About", "chart": "Chart", "dictionary": "Dictionary", "findings": "Findings"})

#: Names that no sheet of data has: that of a spreadsheet's own history, and those of sheets beside.
TAKEN = frozenset({"history", CHOICES.casefold()})

#: Rows that a chart draws.
MOST_DRAWN = 2_000


def looks_special(plan: Plan, n: int) -> bool:
    """
    Whether a column looks otherwise than its kind does: it says what its group's heading said, stands beside a
    picture, or may be changed.
    """
    return bool(n in plan.groups or plan.file_columns) or plan.columns[n].id in plan.output.xlsx.editable


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

    @property
    def _sheets(self) -> dict[str, str]:
        return self.plan.words(BESIDE)

    def package(self) -> BytesIO:
        """
        A whole workbook whose data sheets hold their heading row and, below, rows that show each style.
        """
        import xlsxwriter

        buffer, options = BytesIO(), self.plan.output.xlsx
        # The library would take a text that begins like a formula or an address for one.
        texts = {"strings_to_formulas": False, "strings_to_urls": False}
        book = xlsxwriter.Workbook(buffer, {"in_memory": True, **texts})
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
        self._add_chart(book)
        self._add_choices(book)
        if options.findings_sheet:
            sheet = book.add_worksheet(self._sheets["findings"])
            for n, width in enumerate((60, 10, 10, 24, 24, 40, 20, 40)):
                sheet.set_column(n, n, width)
            sheet.write_row(0, 0, self.plan.words(FINDING_HEADINGS).values(), book.add_format({"bold": True}))
            sheet.freeze_panes(1, 0)
        book.close()
        return buffer

    def _add_data_sheets(self, book: Any) -> None:
        columns, top = self.plan.columns, self.above
        look = {"bold": True, "bg_color": "#ECE6DA", "bottom": 1, "valign": "top"}
        # A heading stands over its values: numbers and dates are to the right.
        headings = [book.add_format({**look, "align": "right" if is_right(c) else "left"}) for c in columns]
        lead = book.add_format({"bold": True, "italic": True})
        formats = [number_format(c) for c in columns]
        plain = [book.add_format(facts) if (facts := self._look_of(n)) else None for n in range(len(columns))]
        bold = [book.add_format({"bold": True, "top": 1, **({"num_format": f} if f else {})}) for f in formats]
        for part in self.parts:
            sheet = book.add_worksheet(part.name)
            self._write_titles(book, sheet)
            for at, column in enumerate(columns):
                sheet.write_string(top, at, column.heading, headings[at])
                sheet.write_blank(top + 1, at, None, plain[at] or lead)
                sheet.write_blank(top + 2, at, None, bold[at])
                sheet.write_blank(top + 3, at, None, lead)
                sheet.set_column(at, at, width_of(column))
                self._explain(sheet, at, column)
            if self.plan.groups:
                # The rows of a group can be folded away.
                sheet.set_row(top + 1, None, None, {"level": len(self.plan.groups)})
            sheet.freeze_panes(top + 1, 0)
            sheet.autofilter(top, 0, top + max(part.lines, 1), len(columns) - 1)
            self._add_help(sheet, part.lines)
            add_tints(book, sheet, self.plan, top + 1, self._last_row(part.lines))
            self._set_up_page(sheet)
            if self.plan.file_columns:
                held = {"image_data": BytesIO(PLACEHOLDER), "object_position": 2}
                sheet.insert_image(top + 1, self.plan.file_columns[0], "picture.png", held)

    def _look_of(self, n: int) -> dict[str, Any]:
        """
        How cells of a column look; nothing for those that look as all do.
        """
        column = self.plan.columns[n]
        look: dict[str, Any] = {}
        form = number_format(column)
        if form:
            look["num_format"] = form
        if self.plan.file_columns:
            # Beside a picture values stand above, where they are read first.
            look["valign"] = "top"
        if n in self.plan.groups:
            # It stands in the heading of its group already.
            look["font_color"] = "#A39B8F"
        if column.id in self.plan.output.xlsx.editable:
            look |= {"locked": False, "bg_color": "#FFFBEF"}
        return look

    def _write_titles(self, book: Any, sheet: Any) -> None:
        """
        The lines above the headings, over the width of the sheet.
        """
        last = len(self.plan.columns) - 1
        # A column's width is told in characters of the usual size.
        across = max(20.0, sum(width_of(c) for c in self.plan.columns))
        for n, text in enumerate(self.titles):
            size = 14 if n == 0 else 11
            look = book.add_format({"bold": n == 0, "font_size": size, "text_wrap": True, "valign": "top"})
            lines = -(-len(text) * size // int(across * 11))
            sheet.set_row(n, (size + 5) * max(1, lines))
            if last:
                sheet.merge_range(n, 0, n, last, text, look)
            else:
                sheet.write_string(n, 0, text, look)

    def _explain(self, sheet: Any, at: int, column: PlanColumn) -> None:
        """
        What a column means, shown where its heading is chosen.
        """
        meaning = column.meaning
        if meaning:
            title, message = cut_text(column.heading, 32), cut_text(meaning, 255)
            told = {"validate": "any", "input_title": title, "input_message": message}
            sheet.data_validation(self.above, at, self.above, at, told)

    def _add_help(self, sheet: Any, lines: int) -> None:
        """
        Bars behind numbers, lists of choices, and a lock on what is not to be changed.
        """
        options, first, last = self.plan.output.xlsx, self.above + 1, self._last_row(lines)
        for at, column in enumerate(self.plan.columns):
            if column.id in options.bars and column.kind.is_number and not self.plan.groups:
                sheet.conditional_format(first, at, last, at, {"type": "data_bar", "bar_color": "#C9B4C4"})
            said = choices_of(column)
            if column.id in options.editable and said:
                # A list of its own has no room for many, nor for marks in one, nor for space around it.
                listed = ",".join(said)
                short = cut_text(listed, 255) == listed and not any(re.search(r'[,"]|^\s|\s$', s) for s in said)
                source = said if short else f"={CHOICES}!${column_letters(at)}$1:${column_letters(at)}${len(said)}"
                told = {"validate": "list", "source": source, "error_message": tr("Choose one of the list.")}
                sheet.data_validation(first, at, last, at, told)
        if options.editable:
            allowed = ("autofilter", "sort", "format_columns", "format_rows")
            sheet.protect("", dict.fromkeys(allowed, True))

    def _last_row(self, lines: int) -> int:
        """
        The last row with a record, from 0; beside a total every bar would be a short one.
        """
        output = self.plan.output
        totalled = output.style == "reader" and output.reader.grand_total and any(c.total for c in self.plan.columns)
        return self.above + max(lines - totalled, 1)

    def _add_choices(self, book: Any) -> None:
        """
        A hidden sheet with what can be chosen in columns that may be changed.
        """
        columns = self.plan.columns
        offered = {n: choices_of(c) for n, c in enumerate(columns) if c.id in self.plan.output.xlsx.editable}
        if any(offered.values()):
            sheet = book.add_worksheet(CHOICES)
            sheet.hide()
            for n, said in offered.items():
                sheet.write_column(0, n, said)

    def _set_up_page(self, sheet: Any) -> None:
        """
        Printed on as many pages as it needs, as wide as one, with the headings on each.
        """
        sheet.set_paper(9)
        if sum(width_of(c) for c in self.plan.columns) > 90:
            sheet.set_landscape()
        sheet.fit_to_pages(1, 0)
        sheet.repeat_rows(self.above)
        sheet.set_footer(f"&L&A&R{tr('Page {page} of {pages}', page='&P', pages='&N')}")

    def _add_chart(self, book: Any) -> None:
        """
        A sheet with a chart of the first data sheet's rows.
        """
        options = self.plan.output.xlsx.chart
        columns, part = self.plan.columns, self.parts[0]
        # Between headings of groups and subtotals there is no one row of values to draw.
        if options is None or not part.lines or self.plan.groups:
            return
        drawn = [
            n
            for n, c in enumerate(columns)
            if c.kind.is_number and not c.is_constant and (c.id in options.columns or not options.columns)
        ]
        along = next((n for n, c in enumerate(columns) if not c.kind.is_number and not c.is_constant), None)
        chart = book.add_chart({"type": "column" if options.kind == "bars" else "line"})
        first, last = self.above + 1, min(self._last_row(part.lines), self.above + MOST_DRAWN)
        for n in drawn[:8]:
            series: dict[str, Any] = {
                "name": [part.name, self.above, n],
                "values": [part.name, first, n, last, n],
            }
            if along is not None:
                series["categories"] = [part.name, first, along, last, along]
            chart.add_series(series)
        if drawn:
            # With a mark that is not seen: the library takes what looks like the place of a cell for one.
            chart.set_title({"name": self.plan.name.replace("!", "!\u2060"), "overlay": False})
            chart.set_legend({"position": "bottom"} if len(drawn) > 1 else {"none": True})
            chart.set_size({"width": 960, "height": 520})
            sheet = book.add_worksheet(self._sheets["chart"])
            sheet.insert_chart(1, 1, chart, {"description": self.sentence[:250]})
            sheet.set_landscape()
            sheet.set_paper(9)
            sheet.fit_to_pages(1, 1)

    def _write_about(self, book: Any) -> None:
        sheet = book.add_worksheet(self._sheets["about"])
        sheet.set_column(0, 0, 18)
        sheet.set_column(1, 1, 90)
        bold, wrap = book.add_format({"bold": True, "valign": "top"}), book.add_format({"text_wrap": True})
        facts = {
            tr("Template"): self.plan.name,
            tr("What it holds"): self.sentence,
            tr("Rows"): whole(self.announced),
            tr("As of"): self.plan.context.as_of.astimezone(self.plan.zone).isoformat(timespec="seconds"),
            tr("Source"): tr(
                "{source} ({environment} data)",
                source=self.plan.catalogue.title,
                environment=self.plan.catalogue.environment,
            ),
        }
        for row, (name, value) in enumerate(facts.items()):
            sheet.write_string(row, 0, name, bold)
            sheet.write_string(row, 1, value, wrap)

    def _write_dictionary(self, book: Any) -> None:
        sheet = book.add_worksheet(self._sheets["dictionary"])
        sheet.set_column(0, 1, 26)
        sheet.set_column(2, 2, 60)
        sheet.set_column(3, 7, 16)
        bold, wrap = book.add_format({"bold": True}), book.add_format({"text_wrap": True, "valign": "top"})
        for n, name in enumerate(self.plan.words(HEADINGS).values()):
            sheet.write_string(0, n, name, bold)
        for row, cells in enumerate(dictionary_rows(self.plan), 1):
            for n, text in enumerate(cells):
                sheet.write_string(row, n, text[:CELL_TEXT], wrap)
        sheet.freeze_panes(1, 0)
