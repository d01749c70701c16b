"""
Conditions on joined records that the tally asks of each of these once: it counts what hand-written SQL counts.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from bouquet.core.plan import Context, resolve
from bouquet.core.sql import Statements, render
from bouquet.core.template import read_document
from bouquet.runs import count_tally
from bouquet.sources import Source
from tests.conftest import NOW

Query = Callable[[str], list[tuple[Any, ...]]]

TREES = "tree t LEFT JOIN site s ON s.s_id = t.s_id LEFT JOIN ward w ON w.w_id = s.ward_id LEFT JOIN species p ON p.sp_id = t.sp_id"
WARD, SPECIES = {"path": "site.ward.name"}, {"path": "species.common_name"}

#: The narrowing, and the same by hand.
CASES: list[tuple[dict[str, Any], str]] = [
    ({"all": [{**WARD, "is": "is", "value": " quay"}]}, "w_name = 'Quay'"),
    ({"all": [{**WARD, "is": "is_not", "value": "Quay"}]}, "w_name IS DISTINCT FROM 'Quay'"),
    ({"all": [{**WARD, "is": "none_of", "values": ["Quay", "Northgate"]}]}, "coalesce(w_name, '') NOT IN ('Quay', 'Northgate')"),
    ({"all": [{**WARD, "is": "not_contains", "value": "QUAY"}]}, "coalesce(w_name, '') NOT ILIKE '%quay%'"),
    ({"all": [{**WARD, "is": "blank"}]}, "w_name IS NULL"),
    (
        {"all": [{"any": [{**WARD, "is": "starts_with", "value": "no"}, {**SPECIES, "is": "contains", "value": "oak"}]}]},
        "w_name ILIKE 'no%' OR p.sp_com ILIKE '%oak%'",
    ),
    (
        {"none": [{**WARD, "is": "is", "value": "Quay"}, {"path": "site.name", "is": "ends_with", "value": "lane"}]},
        "coalesce(w_name, '') <> 'Quay' AND coalesce(s_name, '') NOT ILIKE '%lane'",
    ),
    (
        {"all": [{"path": "t_girth", "is": "at_least", "value": 150}, {**WARD, "is": "one_of", "values": ["Quay", "Northgate"]}]},
        "t_girth >= 150 AND w_name IN ('Quay', 'Northgate')",
    ),
]  # fmt: skip


def counted(source: Source, document: dict[str, Any]) -> tuple[int, str]:
    template = read_document({"name": "Test", **document})
    plan = resolve(template, source.catalogue(), Context(as_of=NOW, answers={})).require()
    with source.reader.snapshot() as snapshot:
        rows: int = count_tally(snapshot, plan, {})[-1]["rows"]
    return rows, render(Statements(plan).tally()[0])


@pytest.mark.parametrize(("filter", "by_hand"), CASES)
def test_trees_are_counted_by_what_their_wards_answered(
    source: Source, query: Query, filter: dict[str, Any], by_hand: str
) -> None:
    """Trees without a site and sites without a ward are among them: there each condition meets a blank."""
    columns = [{"id": "a", "heading": "A", "value": {"field": "tag"}}]
    rows, _ = counted(source, {"records": "tree", "columns": columns, "filter": filter})

    assert rows == int(query(f"SELECT count(*) FROM {TREES} WHERE {by_hand}")[0][0])


def test_children_are_counted_by_what_their_parents_wards_answered(source: Source, query: Query) -> None:
    """The way leads on from the record above; the inspections are the rows."""
    document = {
        "records": "tree",
        "rows": {"per": "child", "path": "inspections"},
        "columns": [{"id": "a", "heading": "A", "value": {"field": "inspections.i_id"}}],
        "filter": {"all": [{**WARD, "is": "is_not", "value": "Quay"}]},
    }
    rows, sql = counted(source, document)
    by_hand = f"SELECT count(*) FROM {TREES} JOIN inspection i ON i.t_id = t.t_id WHERE w_name IS DISTINCT FROM 'Quay'"

    assert rows == int(query(by_hand)[0][0])
    assert '"holds 0"' in sql


def test_a_table_that_is_not_much_smaller_is_asked_row_by_row(source: Source) -> None:
    """Twelve wards are few for a thousand sites; the wards' own names are theirs to compare."""
    narrowed = {"filter": {"all": [{"path": "name", "is": "is", "value": "Quay"}]}}
    columns = [{"id": "a", "heading": "A", "value": {"field": "name"}}]
    _, own = counted(source, {"records": "ward", "columns": columns, **narrowed})
    joined = {"filter": {"all": [{"path": "ward.name", "is": "is", "value": "Quay"}]}}
    _, of_sites = counted(source, {"records": "site", "columns": columns, **joined})

    assert "holds 0" not in own
    assert "holds 0" in of_sites
