"""
Where records have gone: every file that left is found from each of its records, and from no other.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.runs import Services, ask_for_run
from bouquet.runs.executor import execute
from bouquet.store.models import Person

TREES = {
    "name": "Trees of a ward",
    "records": "tree",
    "columns": [{"id": "a", "heading": "Tag", "value": {"field": "tag"}}],
    "filter": {"all": [{"path": "site.ward.code", "is": "is", "value": "04"}]},
}
LINES = {
    "name": "Lines",
    "records": "work_order",
    "rows": {"per": "child", "path": "work_order_lines"},
    "columns": [{"id": "a", "heading": "No.", "value": {"field": "work_order_lines.number"}}],
    "at_most": 50,
}
COUNTED = {
    "name": "Counted",
    "records": "tree",
    "rows": {"per": "group", "by": [{"path": "site.ward.code"}]},
    "columns": [{"id": "a", "heading": "N", "value": {"fold": {"path": "", "how": "count"}}}],
}


def run(services: Services, person: Person, document: dict[str, Any]) -> int:
    made = ask_for_run(services, document, person=person, via="hand")
    execute(services, made.id)
    return made.id


def keys(client: TestClient, document: dict[str, Any]) -> list[list[str]]:
    """The keys of the records that a template has, by what a look says."""
    look = client.post("/api/v1/design/look", json={"document": document, "limit": 500, "keys": True})
    assert look.status_code == 200, look.text
    found: list[list[str]] = look.json()["keys"]
    return found


def gone(client: TestClient, records: str, key: list[str]) -> list[int]:
    found = client.get(f"/api/v1/records/{records}/whereabouts", params={"key": key})
    assert found.status_code == 200, found.text
    return [w["run_id"] for w in found.json()]


@pytest.fixture
def keeper(sign_in: Callable[[str], TestClient]) -> TestClient:
    return sign_in("marta")


def test_every_file_is_found_from_its_records_and_from_no_other(
    services: Services, people: dict[str, Person], keeper: TestClient
) -> None:
    """Rows of records and of children, and the records that the children belong to; groups are nobody's."""
    trees, lines = run(services, people["ines"], TREES), run(services, people["ines"], LINES)
    run(services, people["ines"], COUNTED)
    inside = keys(keeper, TREES)
    outside = keys(keeper, {**TREES, "filter": {"none": [TREES["filter"]]}})

    assert len(inside) > 10
    assert all(gone(keeper, "tree", key) == [trees] for key in inside[:25])
    assert all(gone(keeper, "tree", key) == [] for key in outside[:25])
    assert gone(keeper, "work_order_line", keys(keeper, LINES)[0]) == [lines]
    whole = {**LINES, "rows": {"per": "record"}, "columns": [{"id": "a", "heading": "A", "value": {"field": "number"}}]}
    orders = [gone(keeper, "work_order", key) for key in keys(keeper, whole)]
    assert [lines] in orders
    assert all(found in ([], [lines]) for found in orders)


def test_what_never_left_is_not_said_to_have_gone(
    services: Services, people: dict[str, Person], keeper: TestClient
) -> None:
    """A file that waits for review went nowhere; released, it did."""
    document = {**TREES, "checks": [{"file": "rows", "least": 1_000_000, "severity": "hold"}]}
    made, key = run(services, people["ines"], document), keys(keeper, TREES)[0]

    assert gone(keeper, "tree", key) == []
    keeper.post(f"/api/v1/runs/{made}/release", json={"reason": "seen"}).raise_for_status()
    assert gone(keeper, "tree", key) == [made]


def test_only_those_see_it_who_may_see_the_run(
    services: Services, people: dict[str, Person], keeper: TestClient, sign_in: Callable[[str], TestClient]
) -> None:
    """What somebody took for themselves is theirs and the keepers'."""
    made = run(services, people["ines"], TREES)
    key = keys(keeper, TREES)[0]

    assert gone(keeper, "tree", key) == [made]
    assert gone(sign_in("ines"), "tree", key) == [made]
    assert gone(sign_in("tobin"), "tree", key) == []
