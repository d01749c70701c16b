"""
The sentence: always true, and readable while the template is not.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.catalogue import Catalogue
from bouquet.core.plan import Context
from bouquet.core.template import read_document
from bouquet.core.wording.sentence import Sentence
from tests.core.conftest import NOW

CONTEXT = Context(as_of=NOW)


def sentence(catalogue: Catalogue, **document: Any) -> Sentence:
    return Sentence(read_document({"name": "T", "records": "tree", **document}), catalogue, CONTEXT)


@pytest.mark.parametrize(
    ("document", "expected"),
    [
        ({}, "One row per tree; every row."),
        (
            {"filter": {"all": [{"path": "status", "is": "is", "value": "S"}]}, "at_most": 1},
            "One row per tree where status is Standing; the first 1 row.",
        ),
        (
            {
                "filter": {
                    "all": [
                        {"path": "planted_on", "is": "in_window", "window": {"type": "last", "count": 30}},
                        {
                            "any": [
                                {"path": "ward.name", "is": "one_of", "values": ["Quay", "Northgate"]},
                                {"path": "note", "is": "blank"},
                            ]
                        },
                    ]
                },
                "order": [{"path": "planted_on", "direction": "descending"}, {"path": "ward.id"}],
            },
            "One row per tree where planted on is in the last 30 days (24 Oct – 22 Nov), and "
            "(ward is one of “Quay”, “Northgate” or note is blank); "
            "ordered by planted on, newest first, then ward id; every row.",
        ),
        (
            {"filter": {"none": [{"path": "protected", "is": "yes"}]}},
            "One row per tree where not (protected is yes); every row.",
        ),
    ],
)
def test_a_template_reads_so(catalogue: Catalogue, document: dict[str, Any], expected: str) -> None:
    """Whole sentences, word by word."""
    assert sentence(catalogue, **document).text() == expected


@pytest.mark.parametrize(
    ("own", "expected"),
    [
        ("Tree", "One row per tree where ward number is blank; every row."),
        # Where the tree has a ward number of its own, it says whose is meant.
        ("Ward number", "One row per tree where ward ward number is blank; every row."),
    ],
)
def test_a_label_that_names_its_record_is_not_led_by_it_again(catalogue: Catalogue, own: str, expected: str) -> None:
    """“Ward number” of a ward is the ward number, as columns of foreign databases are called."""
    tree, ward = catalogue.record_types["tree"], catalogue.record_types["ward"]
    number = replace(ward.fields[0], name="number", label="Ward number")
    tagged = replace(tree, fields=(*tree.fields, replace(number, name="own", label=own)))
    types = {"tree": tagged, "ward": replace(ward, fields=(*ward.fields, number))}
    document = {"filter": {"all": [{"path": "ward.number", "is": "blank"}]}}

    assert sentence(replace(catalogue, record_types=types), **document).text() == expected


def test_a_broken_template_still_reads(catalogue: Catalogue) -> None:
    """Unknown paths and values stand as they were written."""
    made = sentence(
        catalogue, filter={"all": [{"path": "gone.field", "is": "is", "value": "x"}]}, order=[{"column": "c9"}]
    )

    assert made.text() == "One row per tree where gone.field is “x”; ordered by c9; every row."


def test_chips_lead_to_their_place(catalogue: Catalogue) -> None:
    """Each chip names the part of the document that it stands for."""
    made = sentence(catalogue, filter={"all": [{"any": [{"path": "tag", "is": "is", "value": "a"}]}]})

    assert {p.place for p in made.parts() if p.role == "value"} == {"filter.all[0].any[0]"}


FIELDS = ["tag", "status", "girth", "planted_on", "note", "ward.name", "protected"]


@given(st.lists(st.sampled_from(FIELDS), max_size=5), st.data())
def test_every_narrowing_is_mentioned(fields: list[str], data: st.DataObject) -> None:
    """However narrowings are nested, each one's field stands in the sentence as a chip of its own."""
    catalogue = Catalogue(source="s", title="S", environment="live")
    nodes: list[Any] = [{"path": f, "is": "blank"} for f in fields]
    while len(nodes) > 1 and data.draw(st.booleans()):
        cut = data.draw(st.integers(1, len(nodes)))
        how = data.draw(st.sampled_from(["all", "any", "none"]))
        nodes = [{how: nodes[:cut]}, *nodes[cut:]]
    made = sentence(catalogue, filter={"all": nodes})

    assert [p.text for p in made.parts() if p.role == "field"] == fields
    assert len(made.steps()) == len(nodes)
