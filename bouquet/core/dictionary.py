"""
The dictionary of a file: what each column means, as rows, and as CSV on the Web metadata.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from bouquet.core import formula
from bouquet.core.catalogue import Field, Kind
from bouquet.core.language import Texts, tr
from bouquet.core.naming import merge_names
from bouquet.core.plan import Cell, Computed, Fixed, Folded, Plan, PlanColumn, Quarter, Read, Stepped
from bouquet.core.plan.folds import fold_words
from bouquet.core.shaping import companion_csv
from bouquet.core.shaping.columns import MACHINE_DATES

__all__ = ["HEADINGS", "column_words", "csvw_metadata", "dictionary_csv", "dictionary_rows"]

HEADINGS = Texts(
    {
        "heading": "Heading",
        "name": "Technical name",
        "meaning": "Meaning",
        "kind": "Kind",
        "unit": "Unit",
        "choices": "Choices",
        "format": "Format",
        "privacy": "Privacy",
    }
)

#: Kinds as datatypes of CSV on the Web (W3C Tabular Data Model, section 6.4).
_DATATYPES = {
    Kind.INTEGER: "integer",
    Kind.DECIMAL: "decimal",
    Kind.BOOLEAN: "boolean",
    Kind.DATE: "date",
    Kind.TIMESTAMP: "dateTime",
    Kind.MOMENT: "dateTimeStamp",
    Kind.TIME: "time",
}


def column_words(cell: Cell) -> str:
    """
    Where a column comes from, as it stands below its heading: its trail, or what it is made of.
    """
    match cell:
        case Read():
            return cell.route.trail
        case Stepped():
            unit = f"{cell.count} {cell.unit}s" if cell.count > 1 else cell.unit
            return tr("{trail}, by {unit}", trail=cell.route.trail, unit=unit)
        case Folded():
            labels = [r.label for r in (*cell.anchor, *cell.chain)]
            labels += [r.label for r in cell.value.relations] if cell.value else []
            labels += [cell.value.field.label] if cell.value else []
            trail = " › ".join(labels) or cell.record_type.plural
            return f"{fold_words(cell.how)} {trail}" + (tr(", some of them") if cell.where is not None else "")
        case Computed():
            named = dict.fromkeys(t.field.label for t in formula.references_of(cell.tree))
            return tr("made of {named}", named=", ".join(named)) if named else tr("a formula")
        case Fixed() | Quarter():
            return tr("the same in every row")


def _field_of(cell: Cell) -> Field | None:
    if isinstance(cell, Read | Stepped):
        return cell.route.field
    return cell.value.field if isinstance(cell, Folded) and cell.value else None


def _meaning(column: PlanColumn) -> str:
    if column.said:
        return column.said
    found = _field_of(column.cell)
    said = found.meaning if found else ""
    words = column_words(column.cell)
    return said if isinstance(column.cell, Read) and said else f"{words}. {said}".strip().rstrip(".") + "."


def _format(column: PlanColumn) -> str:
    show, parts = column.show, []
    if column.kind in MACHINE_DATES:
        parts.append(show.date or {Kind.DATE: "yyyy-MM-dd", Kind.TIME: "HH:mm:ss"}.get(column.kind, "ISO 8601"))
    if column.kind.is_number:
        if show.decimals is not None:
            parts.append(tr("{decimals} decimals", decimals=show.decimals))
        if show.grouping:
            parts.append(tr("grouped by “{grouping}”", grouping=show.grouping))
        if show.decimal_mark not in (None, "."):
            parts.append(tr("decimal mark “{decimal_mark}”", decimal_mark=show.decimal_mark))
    if column.kind is Kind.BOOLEAN:
        parts.append(f"{show.yes or 'true'} / {show.no or 'false'}")
    if column.choices:
        parts.append("code" if show.choice == "code" else "label")
    if show.pad is not None:
        parts.append(tr("{pad} characters", pad=show.pad))
    return ", ".join(parts)


def dictionary_rows(plan: Plan) -> list[tuple[str, ...]]:
    """
    One row per column of the sheet, under `HEADINGS`.
    """
    return [
        (
            column.heading,
            column.technical,
            _meaning(column),
            str(column.kind),
            column.field.unit,
            "; ".join(f"{c.code} = {c.label}" for c in column.choices),
            _format(column),
            "personal" if column.field.personal else "",
        )
        for column in plan.columns
    ]


def dictionary_csv(plan: Plan) -> bytes:
    """
    The dictionary as a CSV of its own, UTF-8 (RFC 4180).
    """
    rows = [plan.words(HEADINGS).values(), *dictionary_rows(plan)]
    return companion_csv(rows, guard=plan.guards_formulas)


def csvw_metadata(plan: Plan, names: list[str]) -> bytes:
    """
    Metadata of CSV files by the W3C's CSV on the Web vocabulary (Metadata Vocabulary for Tabular Data, section 5).

    `names` are the files that the metadata lies beside.
    """
    options = plan.output.csv
    dialect = {
        "delimiter": options.separator,
        "encoding": {"utf-8-sig": "utf-8"}.get(options.encoding, options.encoding),
        "header": options.heading_row != "none",
        "headerRowCount": {"none": 0, "both": 2}.get(options.heading_row, 1),
        "lineTerminators": ["\r\n" if options.line_end == "CRLF" else "\n"],
        "quoteChar": '"',
        "doubleQuote": True,
    }
    names_of = _csvw_names(plan.columns)
    merged = merge_names([c.heading for c in plan.columns])
    schema = {
        "columns": [
            _csvw_column(c, n, options.heading_row, m) for c, n, m in zip(plan.columns, names_of, merged, strict=True)
        ],
        "primaryKey": _primary_key(plan, names_of),
    }
    schema = {k: v for k, v in schema.items() if v}
    tables = [{"url": n, "tableSchema": schema, "dialect": dialect} for n in names]
    head: dict[str, Any] = {"@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}], "dc:title": plan.name}
    body = {**head, **tables[0]} if len(tables) == 1 else {**head, "tables": tables}
    return json.dumps(body, indent=2, ensure_ascii=False).encode()


def _csvw_column(column: PlanColumn, name: str, heading_row: str, merged: str) -> dict[str, Any]:
    technical = column.technical
    titles = {
        "headings": [column.heading],
        "names": [technical],
        "both": [column.heading, technical],
        "merge": [merged],
    }
    plain = column.kind in _DATATYPES and not any(
        (column.show.date, column.show.grouping, column.show.prefix, column.show.suffix, column.show.pad, column.blank)
    )
    datatype: Any = _DATATYPES[column.kind] if plain and column.show.decimal_mark in (None, ".") else "string"
    if datatype == "boolean":
        datatype = {"base": "boolean", "format": f"{column.show.yes or 'true'}|{column.show.no or 'false'}"}
    return {
        "name": name,
        "titles": titles.get(heading_row, [column.heading]),
        "datatype": datatype,
        "dc:description": _meaning(column),
        "required": not column.field.nullable and not column.blank,
    }


def _csvw_names(columns: Sequence[PlanColumn]) -> list[str]:
    """
    Names of columns are URI template variables (RFC 6570), so letters, digits, underscores and points, that do not
    begin with an underscore, and differ within a schema (Metadata Vocabulary for Tabular Data, sections 5.5 and 5.6).
    """
    names: list[str] = []
    for column in columns:
        plain = "".join(c if c.isascii() and (c.isalnum() or c in "_.") else "_" for c in column.technical)
        first = plain.strip("._") or "column"
        name, number = first, 1
        while name in names:
            number += 1
            name = f"{first}_{number}"
        names.append(name)
    return names


def _primary_key(plan: Plan, names: Sequence[str]) -> list[str]:
    """
    The columns that name each row, where all of its key is in the file.
    """
    key = [r.path for r in plan.row_key]
    named: dict[str, str] = {}
    for column, name in zip(plan.columns, names, strict=True):
        if isinstance(column.cell, Read):
            named.setdefault(column.technical, name)
    return [named[k] for k in key] if not plan.by and key and all(k in named for k in key) else []
