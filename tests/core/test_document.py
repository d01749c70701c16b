"""
The template document at the door.
"""

from __future__ import annotations

import contextlib
import json
import re
from typing import Any

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.errors import DocumentError
from bouquet.core.template import document_schema, read_document
from bouquet.core.zones import known_zones

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


@pytest.mark.parametrize(
    ("column", "place", "most"),
    [
        ({"blank": "-" * 256}, "columns[0].blank", 255),
        ({"show": {"date": "y" * 101}}, "columns[0].show.date", 100),
        ({"show": {"yes": "y" * 256}}, "columns[0].show.yes", 255),
        ({"value": {"constant": "c" * 32_768}}, "columns[0].value.constant", 32_767),
        ({"value": {"field": "f" * 32_768}}, "columns[0].value.field", 32_767),
    ],
)
def test_every_text_has_a_limit(column: dict[str, Any], place: str, most: int) -> None:
    """A constant of megabytes would stand in every row of a file."""
    whole = {"id": "a", "heading": "A", "value": {"field": "tag"}, **column}

    assert problems({**GOOD, "columns": [whole]}) == {place: f"At most {most:,} characters."}


@pytest.mark.parametrize("zone", ["localtime", "Factory", "right/UTC", "../UTC", "europe/london", ""])
def test_a_zone_is_one_that_everybody_knows(zone: str) -> None:
    """What only this machine knows of would end a run."""
    assert problems({**GOOD, "zone": zone}) == {"zone": f"“{zone}” is not a time zone, such as Europe/London."}


def test_every_zone_that_is_taken_can_be_written_in() -> None:
    """The library that writes moments has a database of its own."""
    moments = pl.Series([0], dtype=pl.Datetime("us", "UTC"))
    told = [moments.dt.convert_time_zone(zone).dt.to_string("%:z")[0] for zone in known_zones()]

    assert len(told) > 400
    assert all(re.fullmatch(r"[+-]\d\d:\d\d", t) for t in told)


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
