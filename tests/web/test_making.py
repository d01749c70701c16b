"""
What a house adds to a source in its catalogue: fields made by formulas, and record types made from others.
"""

from __future__ import annotations

from typing import Any

import psycopg
import pytest
from fastapi.testclient import TestClient

from bouquet.runs import Services
from bouquet.sources.overlay import overlay_of, parse_overlay, write_overlay
from tests.conftest import OwnCluster
from tests.web.jetty import change
from tests.web.test_curating import CATALOGUE, JETTY, edit, keeper, table, use

__all__ = ["keeper"]

NET = {"label": "Net fare", "formula": "ROUND({fare} / 1.2; 2)"}
BOAT_AGE = {"label": "Boat's year", "formula": "YEAR({boat.built})"}
DEAR = {
    "label": "dear passage", "plural": "dear passages",
    "where": {"all": [{"path": "fare", "is": "greater_than", "value": 40}]},
}  # fmt: skip


@pytest.fixture
def made(keeper: TestClient) -> TestClient:
    """The jetty with two made fields and a made record type, in use."""
    edit(keeper, {"table": "passage", "made": NET}).raise_for_status()
    edit(keeper, {"table": "passage", "made": BOAT_AGE}, revision=1).raise_for_status()
    edit(keeper, {"table": "passage", "made_type": DEAR}, revision=2).raise_for_status()
    use(keeper).raise_for_status()
    return keeper


def rows(client: TestClient, **document: Any) -> list[list[str]]:
    """What a look at a template shows."""
    looked = client.post("/api/v1/design/look", params=JETTY, json={"document": {"name": "T", **document}})
    assert looked.status_code == 200, looked.text
    found: list[list[str]] = looked.json()["rows"]
    return found


def by_hand(cluster: OwnCluster, sql: str) -> list[tuple[Any, ...]]:
    with psycopg.connect(cluster.url("jetty_test", "marrowby_reader", "test-only")) as connection:
        return connection.execute(sql).fetchall()  # type: ignore[arg-type]


def column(name: str, value: dict[str, Any]) -> dict[str, Any]:
    return {"id": name, "heading": name.upper(), "value": value, "show": {}}


def test_a_made_field_is_one_like_any_other(made: TestClient, cluster: OwnCluster) -> None:
    """In cells, filters, orders, folds and groups, from afar too."""
    plain = rows(
        made, records="passage", columns=[column("n", {"field": "net_fare"}), column("y", {"field": "boat_s_year"})],
        filter={"all": [{"path": "net_fare", "is": "between", "values": [10, 20]}]},
        order=[{"path": "net_fare", "direction": "descending"}],
    )  # fmt: skip
    folded = rows(
        made, records="boat", columns=[column("b", {"field": "boat_name"}),
                                       column("s", {"fold": {"path": "passages.net_fare", "how": "sum"}})],
    )  # fmt: skip
    grouped = rows(
        made, records="passage", rows={"per": "group", "by": [{"path": "boat_s_year"}]},
        columns=[column("y", {"field": "boat_s_year"}), column("n", {"fold": {"path": "", "how": "count"}})],
    )  # fmt: skip

    net = "round(fare / 1.2, 2)"
    year = "extract(year from built)"
    told = by_hand(
        cluster,
        f"SELECT {net}, {year} FROM passage JOIN boat USING (boat_id) WHERE {net} BETWEEN 10 AND 20 ORDER BY 1 DESC",
    )
    assert [[float(a), int(b)] for a, b in plain] == [[float(a), int(b)] for a, b in told]
    summed = by_hand(
        cluster, f"SELECT boat_name, sum({net}) FROM passage JOIN boat USING (boat_id) GROUP BY 1 ORDER BY 1"
    )
    assert [[a, float(b)] for a, b in folded] == [[a, float(b)] for a, b in summed]
    assert sorted([int(a), int(b)] for a, b in grouped) == [[1998, 20], [2004, 20]]


def test_a_made_record_type_holds_what_its_narrowing_leaves(made: TestClient, cluster: OwnCluster) -> None:
    """In the rows and in the tally, where it stands as a step of its own."""
    document = {"name": "T", "records": "dear_passage", "columns": [column("i", {"field": "passage_id"})]}
    found = made.post("/api/v1/design/tally", params=JETTY, json={"document": document})
    ((dear,),) = by_hand(cluster, "SELECT count(*) FROM passage WHERE fare > 40")

    assert len(rows(made, **{k: v for k, v in document.items() if k != "name"})) == dear == 8
    assert found.status_code == 200, found.text
    assert [s["rows"] for s in found.json()["steps"]][-1] == dear
    assert any(s.get("left_out") == 32 for s in found.json()["steps"])


@pytest.mark.parametrize(
    ("change_", "says"),
    [
        ({"made": {"label": "X", "formula": "{fare} *"}}, "character"),
        ({"made": {"label": "X", "formula": "{nothing} * 2"}}, "no field"),
        ({"made": {"label": "X", "formula": "{net_fare} * 2"}}, "made by a formula itself"),
        ({"without_made": "fare"}, "no field that was made"),
        ({"made_type": {**DEAR, "where": {"all": [{"path": "price", "is": "blank"}]}}}, "no field"),
        ({"made_type": {**DEAR, "where": {"every": []}}}, "dear passages"),
    ],
)
def test_what_cannot_be_made_is_refused_with_its_reason(made: TestClient, change_: dict[str, Any], says: str) -> None:
    """At once, and the draft stays as it was."""
    refused = edit(made, {"table": "passage", **change_})

    assert refused.status_code in (400, 409, 422)
    assert says in refused.text


def test_what_is_made_of_personal_data_is_personal(made: TestClient) -> None:
    """A made field does not lead around what is hidden."""
    edit(made, {"table": "boat", "field": "owner_email", "personal": True}).raise_for_status()
    edit(made, {"table": "boat", "made": {"label": "Owner's host", "formula": "MID({owner_email}; 3; 20)"}}, revision=1)
    hosts = next(f for f in table(made, "boat")["fields"] if f["formula"])

    assert hosts["personal"] is True
    assert hosts["label"] == "Owner's host"


def test_the_catalogue_keeps_what_was_made_as_toml(made: TestClient, services: Services) -> None:
    """Out and in without loss; taken away, it is gone."""
    key = services.sources.listed()[-1]
    catalogue = services.sources.get(key).catalogue()
    text = write_overlay(overlay_of(catalogue))
    again = services.sources.get(key).catalogue_with(parse_overlay(text))
    assert again.record_types["passage"].fields[-2:] == catalogue.record_types["passage"].fields[-2:]
    assert dict(again.record_types["dear_passage"].where) == DEAR["where"]

    edit(made, {"table": "passage", "without_made": "net_fare"}).raise_for_status()
    edit(made, {"table": "#dear_passage", "hidden": True}, revision=1).raise_for_status()
    use(made).raise_for_status()
    left = services.sources.get(key).catalogue()
    assert left.record_types["passage"].field_named("net_fare") is None
    assert "dear_passage" not in left.record_types


def test_a_source_that_changes_takes_along_what_is_made_of_it(
    made: TestClient, services: Services, cluster: OwnCluster
) -> None:
    """The field goes, and templates that use it are broken; nothing else is."""
    change(cluster, "ALTER TABLE boat DROP COLUMN built")
    made.post(f"{CATALOGUE}/read", params=JETTY).raise_for_status()
    catalogue = services.sources.get(services.sources.listed()[-1]).catalogue()

    assert catalogue.record_types["passage"].field_named("boat_s_year") is None
    assert catalogue.record_types["passage"].field_named("net_fare") is not None
