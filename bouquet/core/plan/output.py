"""
What becomes of rows in files: parts, lines of groups, names.
"""

from __future__ import annotations

from bouquet.core.language import tr
from bouquet.core.naming import check_pattern
from bouquet.core.plan.cells import Cells
from bouquet.core.plan.model import PlanColumn
from bouquet.core.plan.nodes import Cell
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.plan.tints import read_tint
from bouquet.core.template import (
    Constant,
)
from bouquet.core.vocabulary.formats import FORMATS

__all__ = ["Outputs"]


class Outputs:
    """
    What a template says of its files.
    """

    def __init__(self, state: ResolutionContext, cells: Cells) -> None:
        self.state, self.template, self.cells = state, state.template, cells

    def split(self) -> Cell | None:
        split = self.template.output.split
        if split is None or split.by is None:
            return None
        column = next((n for n, c in enumerate(self.template.columns) if c.id == split.by), None)
        if column is not None and not isinstance(self.template.columns[column].value, Constant):
            return self.cells.cell(column)
        return self.cells.at_path(split.by, "output.split.by")

    def reader_groups(self, columns: tuple[PlanColumn, ...]) -> tuple[int, ...]:
        output = self.template.output
        if output.style != "reader":
            return ()
        found = []
        for n, wanted in enumerate(output.reader.groups):
            at = next((k for k, c in enumerate(columns) if c.id == wanted and not c.is_constant), None)
            if at is None:
                message = tr("There is no column “{wanted}” to group the lines by.", wanted=wanted)
                self.state.problem("unknown_column", message, f"output.reader.groups[{n}]")
            else:
                found.append(at)
        return tuple(found)

    def check(self, columns: tuple[PlanColumn, ...]) -> None:
        output = self.template.output
        format = FORMATS[output.format]
        by = output.split.by if output.split else None
        for message in check_pattern(output.name, asks=[a.name for a in self.template.asks], value=by):
            self.state.problem("name_pattern", message, "output.name")
        if output.split and output.split.megabytes is not None and not format.sized:
            message = tr(
                "The size of a file as {format} is only known when it is done; split it by rows or by a value.",
                format=format.label,
            )
            self.state.problem("split_size", message, "output.split.megabytes")
        if format.most_columns is not None and len(self.template.columns) > format.most_columns:
            message = tr(
                "{format} has room for {most_columns} columns; choose fewer, or another format.",
                format=format.label,
                most_columns=format.most_columns,
            )
            self.state.problem("too_wide", message, "output.format")
        known = {c.id for c in self.template.columns}
        named = {"editable": output.xlsx.editable, "bars": output.xlsx.bars}
        if output.findings_by is not None and output.findings_by not in known:
            message = tr(
                "There is no column “{findings_by}” to count findings by.",
                findings_by=output.findings_by,
            )
            self.state.problem("unknown_column", message, "output.findings_by")
        if any(c.id == output.findings_by and c.field.personal for c in columns):
            message = tr(
                "Findings are not counted by personal data: their counts stand in the slip, which more people see."
            )
            self.state.problem("personal_findings", message, "output.findings_by")
        if output.xlsx.chart is not None:
            named["chart.columns"] = output.xlsx.chart.columns
        self._check_tints(columns)
        for place, ids in named.items():
            for n, wanted in enumerate(ids):
                if wanted not in known:
                    message = tr("There is no column “{wanted}”.", wanted=wanted)
                    self.state.problem("unknown_column", message, f"output.xlsx.{place}[{n}]")
        if output.style == "reader" and format.audience == "programs":
            message = tr(
                "{format} is for programs; choose the machine style, or another format for people.",
                format=format.label,
            )
            self.state.problem("reader_format", message, "output.style")

    def _check_tints(self, columns: tuple[PlanColumn, ...]) -> None:
        known = {c.id: c for c in columns}
        ids = {c.id for c in self.template.columns}
        for n, tint in enumerate(self.template.output.xlsx.tints):
            place = f"output.xlsx.tints[{n}]"
            if tint.column not in ids:
                self.state.problem(
                    "unknown_column", tr("There is no column “{column}”.", column=tint.column), f"{place}.column"
                )
            elif tint.column in known and known[tint.column].field.personal:
                message = tr("Personal data gives no colours: the rule stands in the file, whoever gets it.")
                self.state.problem("personal_tint", message, f"{place}.column")
            elif tint.column in known:
                try:
                    read_tint(known[tint.column], tint)
                except ValueError as error:
                    self.state.problem("tint_value", str(error), f"{place}.value")
