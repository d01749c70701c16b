"""
What a file does not hold of its records is said before and after.
"""

from __future__ import annotations

from typing import Any

import pytest

from bouquet.core.catalogue import Catalogue
from bouquet.core.omitted import omitted
from bouquet.core.template import read_document


def told(catalogue: Catalogue, records: str, *fields: str, **more: Any) -> dict[str, list[str]]:
    columns = [{"id": f"c{n}", "heading": f, "value": {"field": f}} for n, f in enumerate(fields)]
    template = read_document({"name": "T", "records": records, "columns": columns, **more})
    return omitted(template, catalogue).as_json()


def test_fields_and_children_that_no_column_shows_are_told(catalogue: Catalogue) -> None:
    """A field that is shown, a key and what leads to another record are not missed."""
    found = told(catalogue, "tree", "tag", "girth", "ward.name")

    assert found["records"] == ["wards"]
    assert "Status" in found["fields"]
    assert found["files"] == ["Picture"]
    assert not {"Tag", "Girth", "Id", "Old girth"} & set(found["fields"])


def test_children_that_a_column_counts_or_a_file_holds_are_not_missed(catalogue: Catalogue) -> None:
    fold = {"id": "n", "heading": "Inspections", "value": {"fold": {"path": "inspections", "how": "count"}}}
    counted = omitted(read_document({"name": "T", "records": "tree", "columns": [fold]}), catalogue)
    beside = told(catalogue, "tree", "tag", output={"children": [{"path": "inspections"}]})

    assert counted.records == ()
    assert "records" not in beside


@pytest.mark.parametrize(
    ("records", "more"),
    [("nothing", {}), ("tree", {"rows": {"per": "group", "by": [{"path": "status"}]}})],
)
def test_of_groups_and_of_what_is_not_there_nothing_is_missed(
    catalogue: Catalogue, records: str, more: dict[str, Any]
) -> None:
    assert told(catalogue, records, "status", **more) == {}


def test_of_children_as_rows_their_own_fields_are_missed(catalogue: Catalogue) -> None:
    found = told(catalogue, "tree", "tag", "inspections.name", rows={"per": "child", "path": "inspections"})
    assert found == {"fields": ["Tree"]}
