"""
A recipient's layout from the metadata that they publish for their files: CSV on the Web (W3C Metadata Vocabulary for
Tabular Data).
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from pydantic import ValidationError

from bouquet.core.errors import DocumentError, Problem
from bouquet.core.exact_json import read_json
from bouquet.core.language import tr
from bouquet.core.template.acceptance import MOST_LAYOUT_COLUMNS, Acceptance, read_acceptance

__all__ = ["is_metadata", "layout_of_metadata"]

#: Built-in datatypes (section 5.11.1 there; sections 3.3 and 3.4 of XML Schema) as kinds of a layout.
_KINDS = {
    **dict.fromkeys(("integer", "long", "int", "short", "byte", "unsignedLong", "unsignedInt"), "whole number"),
    **dict.fromkeys(("unsignedShort", "unsignedByte", "nonNegativeInteger", "positiveInteger"), "whole number"),
    **dict.fromkeys(("nonPositiveInteger", "negativeInteger"), "whole number"),
    **dict.fromkeys(("decimal", "double", "float", "number"), "number"),
    "boolean": "yes or no",
    "date": "date",
    **dict.fromkeys(("dateTime", "datetime", "dateTimeStamp"), "moment"),
    "any": "any",
    "anyAtomicType": "any",
}

#: What some datatypes bound by themselves.
_LEAST = {**dict.fromkeys(("unsignedLong", "unsignedInt", "unsignedShort", "unsignedByte", "nonNegativeInteger"), 0)}
_LEAST |= {"positiveInteger": 1}
_GREATEST = {"nonPositiveInteger": 0, "negativeInteger": -1}

#: Parts of a date's or moment's format (section 6.4.4 of the Tabular Data Model), longest first.
_DATE_PARTS = re.compile(r"yyyy|MM|M|dd|d|HH|mm|ss|S+|X+|x+|T|[-/. :]|.")
_DIGITS = {"yyyy": r"\d{4}", "MM": r"\d{2}", "dd": r"\d{2}", "HH": r"\d{2}", "mm": r"\d{2}", "ss": r"\d{2}"}
_DIGITS |= {"M": r"\d{1,2}", "d": r"\d{1,2}"}

#: Properties of columns that a schema, a table or a group may give for all of them (section 5.7).
_INHERITED = ("datatype", "required", "separator", "null")

_ENCODINGS = {"utf-8": "utf-8", "utf8": "utf-8", "utf-16": "utf-16", "windows-1252": "windows-1252"}
_ENCODINGS |= {"cp1252": "windows-1252", "iso-8859-1": "iso-8859-1", "latin1": "iso-8859-1", "us-ascii": "utf-8"}


@dataclass(frozen=True)
class _Refused(Exception):
    message: str
    place: str = ""


def is_metadata(text: str) -> bool:
    """
    Whether a text is meant as metadata, and not as a header row.
    """
    return text.lstrip("\ufeff \t\r\n").startswith("{")


def layout_of_metadata(text: str) -> Acceptance:
    """
    What a recipient takes, by metadata of one table. What a layout cannot say, such as references between tables, is
    not asked for.

    Raises DocumentError with the place in the metadata.
    """
    try:
        document = read_json(text.lstrip("\ufeff"))
        table, place = _table_of(_object(document, ""))
        csv = _dialect(table, document)
        columns = _columns(table, document, place)
        made = read_acceptance({"columns": columns, "csv": csv, "format": "csv"})
    except (ValueError, RecursionError, ValidationError) as error:
        if isinstance(error, DocumentError):
            raise
        said = error.msg if isinstance(error, json.JSONDecodeError) else tr("it cannot be read")
        message = tr("This is no JSON, and so no metadata of CSV on the Web: {said}.", said=said)
        raise DocumentError([Problem(code="no_metadata", message=message)]) from error
    except _Refused as error:
        raise DocumentError([Problem(code="no_metadata", message=error.message, place=error.place)]) from error
    return made


def _object(found: object, place: str) -> Mapping[str, Any]:
    if not isinstance(found, dict):
        raise _Refused(tr("An object of the metadata is missing here."), place)
    return found


def _table_of(document: Mapping[str, Any]) -> tuple[Mapping[str, Any], str]:
    """
    The description of the only table, and its place.
    """
    if "tables" not in document:
        return document, ""
    tables = document["tables"]
    if not isinstance(tables, list) or not tables:
        raise _Refused(tr("This metadata describes no table."), "tables")
    if len(tables) > 1:
        raise _Refused(
            tr(
                "This metadata describes {tables} tables; a layout is of one. Paste that one.",
                tables=len(tables),
            ),
            "tables",
        )
    return _object(tables[0], "tables[0]"), "tables[0]."


def _columns(table: Mapping[str, Any], group: Mapping[str, Any], place: str) -> list[dict[str, Any]]:
    schema = table.get("tableSchema", group.get("tableSchema"))
    if isinstance(schema, str):
        raise _Refused(
            tr("Its columns stand in another document, at an address. Paste that in its place."), "tableSchema"
        )
    place = f"{place}tableSchema"
    schema = _object(schema, place)
    columns = schema.get("columns")
    if not isinstance(columns, list) or not columns:
        raise _Refused(tr("This metadata names no columns."), f"{place}.columns")
    if len(columns) > MOST_LAYOUT_COLUMNS:
        raise _Refused(
            tr(
                "A layout has up to {most_layout_columns} columns.",
                most_layout_columns=MOST_LAYOUT_COLUMNS,
            ),
            f"{place}.columns",
        )
    keys = schema.get("primaryKey", [])
    keys = [keys] if isinstance(keys, str) else keys
    made = []
    for n, found in enumerate(columns):
        column = _object(found, f"{place}.columns[{n}]")
        if column.get("virtual") is True:
            continue
        given = {p: next((o[p] for o in (column, schema, table, group) if p in o), None) for p in _INHERITED}
        made.append(_column(column, given, keys if isinstance(keys, list) else [], f"{place}.columns[{n}]"))
    return made


def _column(column: Mapping[str, Any], given: Mapping[str, Any], keys: list[Any], place: str) -> dict[str, Any]:
    heading = _title(column.get("titles")) or column.get("name")
    if not isinstance(heading, str) or not heading.strip():
        raise _Refused(tr("This column has neither a title nor a name."), place)
    described: dict[str, Any] = {"heading": heading}
    in_key = column.get("name") is not None and column.get("name") in keys
    if given["required"] is True or in_key:
        described["required"] = True
    if in_key and len(keys) == 1:
        described["unique"] = True
    # A cell of several values is checked as a whole only.
    return described if given["separator"] else {**described, **_datatype(given["datatype"], place)}


def _title(titles: object) -> str | None:
    """
    The first title: a text, a list of them, or those of a language.
    """
    if isinstance(titles, dict):
        titles = next(iter(titles.values()), None)
    if isinstance(titles, list):
        titles = titles[0] if titles else None
    return titles if isinstance(titles, str) else None


def _datatype(datatype: object, place: str) -> dict[str, Any]:
    if isinstance(datatype, str):
        datatype = {"base": datatype}
    described = _object(datatype, f"{place}.datatype") if datatype is not None else {}
    base = described.get("base", "string")
    base = base if isinstance(base, str) else "string"
    kind = _KINDS.get(base, "text")
    found: dict[str, Any] = {"kind": kind}
    if kind in ("whole number", "number"):
        bounds = {
            "least": described.get("minimum", described.get("minInclusive", _LEAST.get(base))),
            "greatest": described.get("maximum", described.get("maxInclusive", _GREATEST.get(base))),
        }
        found |= {name: bound for name, bound in bounds.items() if isinstance(bound, int | Decimal | str)}
    length = described.get("length", described.get("maxLength"))
    if isinstance(length, int) and not isinstance(length, bool) and length > 0:
        found["longest"] = length
    form = described.get("format")
    return {**found, **_format(kind, form)} if isinstance(form, str) and form else found


def _format(kind: str, form: str) -> dict[str, Any]:
    """
    What a format asks of the cells as they are written: a regular expression of texts, the two words of yes and no, the
    picture of a date. Pictures of numbers are not held against.
    """
    if kind == "text":
        return {"pattern": form}
    if kind == "yes or no":
        words = form.split("|")
        return {"one_of": words} if len(words) == 2 and all(words) else {}
    if kind in ("date", "moment"):
        parts = _DATE_PARTS.findall(form)
        if all(p in _DIGITS or p in "-/. :T" for p in parts):
            return {"pattern": "".join(_DIGITS.get(p) or re.escape(p) for p in parts)}
    return {}


def _dialect(table: Mapping[str, Any], group: Mapping[str, Any]) -> dict[str, Any]:
    """
    How their files are written. Raises _Refused for what cannot be written here.
    """
    dialect = table.get("dialect", group.get("dialect", {}))
    if isinstance(dialect, str):
        raise _Refused(tr("How its files are written stands in another document. Paste that in its place."), "dialect")
    dialect = _object(dialect, "dialect")
    if dialect.get("quoteChar", '"') != '"' or dialect.get("doubleQuote", True) is not True:
        raise _Refused(tr("Cells are quoted by quotation marks here, which are doubled within."), "dialect.quoteChar")
    found: dict[str, Any] = {}
    if "delimiter" in dialect:
        found["separator"] = dialect["delimiter"]
    named = str(dialect.get("encoding", "utf-8")).lower()
    if named not in _ENCODINGS:
        raise _Refused(tr("The encoding “{named}” cannot be written here.", named=named[:40]), "dialect.encoding")
    found["encoding"] = _ENCODINGS[named]
    ends = dialect.get("lineTerminators", ["\r\n"])
    found["line_end"] = "CRLF" if "\r\n" in (ends if isinstance(ends, list) else [ends]) else "LF"
    if dialect.get("header") is False or dialect.get("headerRowCount") == 0:
        found["heading_row"] = "none"
    return found
