"""
The template document at the door.
"""

from __future__ import annotations

import contextlib
import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.errors import DocumentError
from bouquet.core.template import document_schema, read_document

GOOD = {"format": "bouquet-template/1", "name": "Trees", "records": "tree"}


def problems(document: Any) -> dict[str, str]:
    with pytest.raises(DocumentError) as caught:
        read_document(document)
    return {p.place: p.message for p in caught.value.problems}


def test_a_document_comes_back_as_it_was_written() -> None:
    """What stands at its default is left out, everything else survives a round trip."""
    document = {
        **GOOD,
        "columns": [{"id": "c1", "heading": "Tag", "value": {"field": "tag"}, "show": {"case": "upper"}}],
        "filter": {
            "all": [{"any": [{"path": "tag", "is": "blank"}]}, {"path": "girth", "is": "at_least", "value": 12.5}]
        },
        "order": [{"column": "c1", "direction": "descending"}],
    }

    assert read_document(json.loads(json.dumps(document))).as_document() == document


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"colour": "red"}, "colour"),
        ({"columns": [{"id": "a", "heading": "A", "value": {"field": "tag"}, "wide": 1}]}, "columns[0].wide"),
        ({"columns": [{"id": "a", "heading": "A", "value": {"fold": {}}}]}, "columns[0].value.fold.how"),
        ({"filter": {"all": [{"path": "tag", "is": "is", "valu": 1}]}}, "filter.all[0].valu"),
        ({"filter": {"all": [{"any": [{"path": "tag"}]}]}}, "filter.all[0].any[0].is"),
        ({"output": {"csv": {"separator": '"'}}}, "output.csv.separator"),
        ({"output": {"csv": {"separator": "ab"}}}, "output.csv.separator"),
        ({"zone": "Europe/Nowhere"}, "zone"),
        ({"at_most": 0}, "at_most"),
        ({"name": ""}, "name"),
    ],
)
def test_what_is_wrong_is_said_at_its_place(change: dict[str, Any], place: str) -> None:
    """Unknown keys and wrong values are refused with their path in the document."""
    assert place in problems({**GOOD, **change})


def test_a_newer_format_is_refused_with_a_way_out() -> None:
    """A document of a newer Bouquet says so, instead of failing somewhere inside."""
    found = problems({**GOOD, "format": "bouquet-template/9"})

    assert "newer Bouquet" in found["format"]


@pytest.mark.parametrize("document", [[], "x", None, 3, {**GOOD, "format": "sheet/1"}, {"name": "x"}])
def test_what_is_no_document_is_refused(document: Any) -> None:
    """Anything else is refused without a crash."""
    assert problems(document)


def test_the_schema_names_every_part() -> None:
    """The published JSON Schema knows the document's parts and refuses others."""
    schema = document_schema()

    assert set(schema["properties"]) >= {"columns", "filter", "order", "output", "records", "zone"}
    assert schema["additionalProperties"] is False


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(["path", "is", "value", "all", "any"]) | st.text(max_size=5), inner, max_size=3
        )
    ),
    max_leaves=12,
)


@given(st.sampled_from(["columns", "filter", "order", "output", "rows", "at_most", "zone", "records"]), json_values)
def test_any_json_is_read_or_refused(key: str, value: Any) -> None:
    """No document crashes the reader: it is read, or refused with places."""
    with contextlib.suppress(DocumentError):
        assert read_document({**GOOD, key: value}).name == "Trees"
