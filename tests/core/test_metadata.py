"""
Layouts from metadata of CSV on the Web: as the W3C's documents have it, and as we write it ourselves.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.dictionary import csvw_metadata
from bouquet.core.errors import DocumentError
from bouquet.core.layout import held_against
from bouquet.core.metadata import is_metadata, layout_of_metadata
from bouquet.core.plan import Plan

#: As the examples of the standard have it: properties of the schema hold for columns that do not say otherwise.
TREES = {
    "@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}],
    "url": "tree-ops.csv",
    "dialect": {"delimiter": ";", "encoding": "windows-1252", "lineTerminators": ["\n"]},
    "tableSchema": {
        "required": True,
        "primaryKey": "GID",
        "columns": [
            {"name": "GID", "titles": ["GID", "Generic Identifier"], "datatype": {"base": "string", "maxLength": 8}},
            {"name": "on_street", "titles": {"en": ["On Street"]}, "required": False},
            {"name": "trim", "datatype": {"base": "date", "format": "M/d/yyyy"}},
            {"name": "stems", "datatype": "positiveInteger"},
            {"name": "girth", "datatype": {"base": "decimal", "minimum": "0.5", "maxInclusive": 900}},
            {"name": "protected", "datatype": {"base": "boolean", "format": "Y|N"}},
            {"name": "notes", "separator": ";", "datatype": "integer", "required": False},
            {"name": "code", "datatype": {"format": "[A-Z]{2}[0-9]+"}},
            {"name": "page", "virtual": True},
        ],
    },
}


def test_a_table_is_read_as_it_is_described() -> None:
    layout = layout_of_metadata(json.dumps(TREES))
    said = [(c.heading, c.model_dump(mode="json", exclude_defaults=True, exclude={"heading"})) for c in layout.columns]

    assert said == [
        ("GID", {"kind": "text", "required": True, "unique": True, "longest": 8}),
        ("On Street", {"kind": "text"}),
        ("trim", {"kind": "date", "required": True, "pattern": r"\d{1,2}/\d{1,2}/\d{4}"}),
        ("stems", {"kind": "whole number", "required": True, "least": 1}),
        ("girth", {"kind": "number", "required": True, "least": 0.5, "greatest": 900}),
        ("protected", {"kind": "yes or no", "required": True, "one_of": ["Y", "N"]}),
        ("notes", {}),
        ("code", {"kind": "text", "required": True, "pattern": "[A-Z]{2}[0-9]+"}),
    ]
    assert layout.csv is not None
    assert (layout.csv.separator, layout.csv.encoding, layout.csv.line_end) == (";", "windows-1252", "LF")
    assert (layout.format, layout.exact) == ("csv", True)


@pytest.mark.parametrize(
    ("given", "place"),
    [
        ("{", ""),
        ("[" * 100_000, ""),
        ("{}", "tableSchema"),
        ('{"tables": []}', "tables"),
        ('{"tables": [{}, {}]}', "tables"),
        ('{"tableSchema": "schema.json"}', "tableSchema"),
        ('{"tableSchema": {"columns": [{"datatype": "date"}]}}', "tableSchema.columns[0]"),
        ('{"tableSchema": {"columns": [{"name": "a"}]}, "dialect": {"encoding": "ebcdic"}}', "dialect.encoding"),
        ('{"tableSchema": {"columns": [{"name": "a"}]}, "dialect": {"delimiter": "||"}}', "csv.separator"),
        ('{"tableSchema": {"columns": [{"name": "a", "datatype": {"format": "("}}]}}', "columns[0].pattern"),
    ],
)
def test_what_cannot_be_read_is_told_at_its_place(given: str, place: str) -> None:
    with pytest.raises(DocumentError) as refused:
        layout_of_metadata(given)
    assert [p.place for p in refused.value.problems] == [place]


def test_what_we_write_is_read_back_and_met(plan: Callable[..., Plan]) -> None:
    """The metadata beside a file, given as a layout, asks for exactly the columns of that file."""
    paths = ("tag", "planted_on", "t_girth", "species.common_name", "entered_at", "site.ward.code")
    columns = [{"id": f"c{n}", "heading": f"H {n}", "value": {"field": path}} for n, path in enumerate(paths)]
    made = plan({"records": "tree", "columns": columns, "output": {"csv": {"separator": ";"}}})
    layout = layout_of_metadata(csvw_metadata(made, ["trees.csv"]).decode())

    assert [(fit.state, fit.heading) for fit in held_against(layout, made)] == [("met", f"H {n}") for n in range(6)]
    assert layout.csv is not None
    assert layout.csv.separator == ";"


@given(st.recursive(st.none() | st.booleans() | st.integers() | st.text(), lambda inner: st.lists(inner) | st.dictionaries(
    st.sampled_from(["tables", "tableSchema", "columns", "name", "titles", "datatype", "base", "format", "dialect",
                     "required", "primaryKey", "delimiter", "encoding", "lineTerminators", "minimum", "length"]), inner
), max_leaves=12))  # fmt: skip
def test_whatever_is_given_there_is_a_layout_or_a_place(document: Any) -> None:
    schema = {"columns": [{"name": "a", "datatype": document}]}
    for whole in (document, {"tableSchema": document}, {"tableSchema": {"columns": document}}, {"tableSchema": schema}):
        text = json.dumps({"a": 1, **(whole if isinstance(whole, dict) else {"tableSchema": whole})})
        assert is_metadata(text)
        with suppress(DocumentError):
            layout_of_metadata(text)
