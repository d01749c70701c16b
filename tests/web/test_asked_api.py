"""
Requests as colleagues write them, over the API, with values looked up in Marrowby.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

SignIn = Callable[[str], TestClient]

ALIVE = {"path": "deleted_at", "is": "blank"}
STANDING = {"path": "status", "is": "is", "value": "S"}
OPEN = {"path": "status", "is": "is", "value": "O"}
HIGH = {"path": "risk", "is": "is", "value": "3"}


def within(path: str, **window: Any) -> dict[str, Any]:
    return {"path": path, "is": "in_window", "window": window}


def year(path: str, first: int, last: int | None = None) -> dict[str, Any]:
    return within(path, type="between", first=f"{first}-01-01", last=f"{last or first}-12-31")


def quay(how: str = "is") -> dict[str, Any]:
    return {"path": "site.ward.name", "is": how, "value": "Quay"}


def count(path: str = "", **more: Any) -> dict[str, Any]:
    return {"fold": {"path": path, "how": "count", **more}}


def fold(path: str, how: str, **more: Any) -> dict[str, Any]:
    return {"fold": {"path": path, "how": how, **more}}


#: Requests, and what they mean: record type, filter, and columns, order, limit, groups where the request says so.
REQUESTS: dict[str, dict[str, Any]] = {
    "standing oaks in Quay not inspected for two years: tag, girth, last inspection, biggest first": {
        "filter": [STANDING, {"path": "species.common_name", "is": "contains", "value": "oak"}, quay(), {"path": "inspections", "has": "none", "where": within("inspected_on", type="after_ago", count=2, unit="year")}, ALIVE],
        "columns": ["tag", "t_girth", fold("inspections.inspected_on", "greatest")],
        "order": [("t_girth", "descending")],
    },
    "trees in Quay": {"filter": [quay(), ALIVE]},
    "all standing trees with girth over 200 cm": {"filter": [STANDING, {"path": "t_girth", "is": "greater_than", "value": 200}, ALIVE]},
    "trees taller than 20 m in Quay, sorted by height descending": {"filter": [{"path": "t_height", "is": "greater_than", "value": 20}, quay(), ALIVE], "order": [("t_height", "descending")]},
    "felled trees planted before 2000": {"filter": [{"path": "status", "is": "is", "value": "F"}, {"path": "planted_on", "is": "before", "value": "2000-01-01"}, ALIVE]},
    "trees planted in 2020: tag, species and planted on": {"filter": [year("planted_on", 2020), ALIVE], "columns": ["tag", "species.botanical_name", "planted_on"]},
    "trees planted since March 2015": {"filter": [{"path": "planted_on", "is": "after", "value": "2015-02-28"}, ALIVE]},
    "trees planted between 2010 and 2015": {"filter": [year("planted_on", 2010, 2015), ALIVE]},
    "trees without a height": {"filter": [{"path": "t_height", "is": "blank"}, ALIVE]},
    "trees with no girth": {"filter": [{"path": "t_girth", "is": "blank"}, ALIVE]},
    "number of trees per ward": {"by": [{"path": "site.ward.name"}], "columns": ["site.ward.name", count()], "filter": [ALIVE]},
    "how many standing trees are there per ward and species?": {"by": [{"path": "site.ward.name"}, {"path": "species.botanical_name"}], "columns": ["site.ward.name", "species.botanical_name", count()], "filter": [STANDING, ALIVE]},
    "average girth per species": {"by": [{"path": "species.botanical_name"}], "columns": ["species.botanical_name", fold("t_girth", "mean")], "filter": [ALIVE]},
    "total amount per contractor for last month": {"records": "work_order_line", "by": [{"path": "work_order.contractor.name"}], "columns": ["work_order.contractor.name", fold("amount", "sum")], "filter": [within("done_on", type="previous", unit="month")]},
    "work orders raised last month": {"records": "work_order", "filter": [within("raised_on", type="previous", unit="month")]},
    "urgent work orders not closed": {"records": "work_order", "filter": [{"path": "priority", "is": "is", "value": "1"}, {"path": "status", "is": "is_not", "value": "C"}]},
    "work orders closed this year, newest first": {"records": "work_order", "filter": [within("closed_at", type="this", unit="year")], "order": [("raised_on", "descending")]},
    "inspections in the last 30 days with high risk": {"records": "inspection", "filter": [within("inspected_on", type="last", count=30, unit="day"), HIGH]},
    'inspections with remarks containing "fungus"': {"records": "inspection", "filter": [{"path": "remarks", "is": "contains", "value": "fungus"}]},
    "trees never inspected": {"filter": [{"path": "inspections", "has": "none"}, ALIVE]},
    "trees not inspected since 2023": {"filter": [{"path": "inspections", "has": "none", "where": {"path": "inspected_on", "is": "after", "value": "2022-12-31"}}, ALIVE]},
    "trees with open work orders": {"filter": [{"path": "work_orders", "has": "any", "where": OPEN}, ALIVE]},
    "trees without open work orders": {"filter": [{"path": "work_orders", "has": "none", "where": OPEN}, ALIVE]},
    "trees with at least 3 inspections": {"filter": [{"path": "inspections", "has": "at_least", "count": 3}, ALIVE]},
    "trees with more than 2 inspections in the last year": {"filter": [{"path": "inspections", "has": "at_least", "count": 3, "where": within("inspected_on", type="after_ago", count=1, unit="year")}, ALIVE]},
    "new resident reports: number, what was said, reported at": {"records": "resident_report", "filter": [{"path": "state", "is": "is", "value": "N"}], "columns": ["number", "text", "reported_at"]},
    "resident reports from this week that are still open": {"records": "resident_report", "filter": [within("reported_at", type="this", unit="week"), {"path": "state", "is": "is", "value": "O"}]},
    "the top 10 trees by girth": {"filter": [ALIVE], "order": [("t_girth", "descending")], "at_most": 10},
    "the first 20 trees in Quay": {"filter": [quay(), ALIVE], "at_most": 20},
    "native species with family and mature height": {"records": "species", "filter": [{"path": "native", "is": "yes"}], "columns": ["botanical_name", "family", "mature_height"]},
    "species that are not native": {"records": "species", "filter": [{"path": "native", "is": "no"}]},
    "wards with number of sites": {"records": "ward", "columns": ["name", count("sites")], "filter": []},
    "number of inspections per inspector this year": {"records": "inspection", "by": [{"path": "inspected_by"}], "columns": ["inspected_by", count()], "filter": [within("inspected_on", type="this", unit="year")]},
    "inspections per month": {"records": "inspection", "by": [{"path": "inspected_on", "step": "month"}], "columns": ["inspected_on", count()], "filter": []},
    "work order lines done last week: number, item, quantity, amount": {"records": "work_order_line", "filter": [within("done_on", type="previous", unit="week")], "columns": ["number", "item", "quantity", "amount"]},
    "lines over £500": {"records": "work_order_line", "filter": [{"path": "amount", "is": "greater_than", "value": 500}]},
    "work order lines with amount between 100 and 500": {"records": "work_order_line", "filter": [{"path": "amount", "is": "between", "values": [100, 500]}]},
    "trees in Quay or Fernlea": {"filter": [{"path": "site.ward.name", "is": "one_of", "values": ["Quay", "Fernlea"]}, ALIVE]},
    "trees not in Quay": {"filter": [quay("is_not"), ALIVE]},
    "trees except oaks": {"filter": [{"path": "species.common_name", "is": "not_contains", "value": "oak"}, ALIVE]},
    "please send me a list of all trees with tag, species, ward": {"filter": [ALIVE], "columns": ["tag", "species.botanical_name", "site.ward.name"]},
    "tree tag girth height": {"filter": [ALIVE], "columns": ["tag", "t_girth", "t_height"]},
    "trees with girth between 1 and 2 m": {"filter": [{"path": "t_girth", "is": "between", "values": [100, 200]}, ALIVE]},
    "trees over 2 m girth": {"filter": [{"path": "t_girth", "is": "greater_than", "value": 200}, ALIVE]},
    "defects with severity at least 4": {"records": "defect", "filter": [{"path": "severity", "is": "at_least", "value": 4}]},
    "photographs taken yesterday": {"records": "photograph", "filter": [within("taken_at", type="previous", unit="day")]},
    "probes deeper than 50 cm": {"records": "probe", "filter": [{"path": "depth", "is": "greater_than", "value": 50}]},
    "probe readings with moisture under 10 %": {"records": "probe_reading", "filter": [{"path": "moisture", "is": "less_than", "value": 10}]},
    "contractors that are not active": {"records": "contractor", "filter": [{"path": "active", "is": "no"}]},
    "active contractors: code, name": {"records": "contractor", "filter": [{"path": "active", "is": "yes"}], "columns": ["code", "name"]},
    "trees with latest inspection and number of open work orders": {"filter": [ALIVE], "columns": ["tag", fold("inspections.inspected_on", "greatest"), count("work_orders", where={"all": [OPEN]})]},
    "trees with last inspection risk": {"filter": [ALIVE], "columns": ["tag", fold("inspections.risk", "latest", order=[{"path": "inspected_on"}])]},
    "shifts closed last month": {"records": "shift", "filter": [{"path": "closed", "is": "yes"}, within("began_at", type="previous", unit="month")]},
    "trees with tag MB-00017": {"filter": [{"path": "tag", "is": "is", "value": "MB-00017"}, ALIVE]},
    "planned plantings not done": {"records": "planned_planting", "filter": [{"path": "done", "is": "no"}]},
    "sapling batches received this year, cheapest first": {"records": "sapling_stock", "filter": [within("received_on", type="this", unit="year")], "order": [("cost", "ascending")]},
    "which contractors had more than 5 orders last year?": {"records": "contractor", "filter": [{"path": "work_orders", "has": "at_least", "count": 6, "where": within("raised_on", type="previous", unit="year")}]},
    "deleted trees": {"filter": [{"path": "deleted_at", "is": "not_blank"}]},
    "trees in Quay or taller than 20 m": {"filter": [{"any": [quay(), {"path": "t_height", "is": "greater_than", "value": 20}]}, ALIVE]},
    "sum of amount by contractor and month": {"records": "work_order_line", "by": [{"path": "work_order.contractor.name"}, {"path": "done_on", "step": "month"}], "columns": ["work_order.contractor.name", "done_on", fold("amount", "sum")], "filter": []},
    "sites in Quay sorted by name: name, kind, area": {"records": "site", "filter": [{"path": "ward.name", "is": "is", "value": "Quay"}], "columns": ["name", "kind", "area"], "order": [("name", "ascending")]},
    "stnading trees in quay": {"filter": [STANDING, quay(), ALIVE]},
}  # fmt: skip


def asked(client: TestClient, text: str, **body: Any) -> Any:
    answer = client.post("/api/v1/design/asked", json={"text": text, **body})
    assert answer.status_code == 200, answer.text
    return answer.json()


def meant(document: dict[str, Any], said: dict[str, Any]) -> dict[str, Any]:
    """A proposal as the table above writes it, with no more than a request says."""
    columns = {c["id"]: c["value"].get("field", c["value"]) for c in document["columns"]}
    found = {"records": document["records"], "filter": document.get("filter", {}).get("all", [])}
    if "by" in said or "rows" in document:
        found["by"] = document.get("rows", {}).get("by")
    if "columns" in said:
        found["columns"] = list(columns.values())
    if "order" in said:
        found["order"] = [
            (columns.get(o.get("column"), o.get("path")), o.get("direction", "ascending")) for o in document["order"]
        ]
    if "at_most" in said or "at_most" in document:
        found["at_most"] = document.get("at_most")
    return found


@pytest.mark.parametrize("text", REQUESTS)
def test_requests_of_colleagues_are_understood(client: TestClient, sign_in: SignIn, text: str) -> None:
    """All of it, without a problem."""
    sign_in("ines")
    said = REQUESTS[text]
    found = asked(client, text)

    assert meant(found["document"], said) == {"records": "tree", **said}
    assert (found["unread"], found["problems"]) == ([], [])
    for part in found["parts"]:
        assert 0 <= part["start"] <= part["end"] <= len(text)
        assert part["words"]


@pytest.mark.parametrize(
    ("text", "unread"),
    [
        ("trees with purple leaves", ["purple", "leaves"]),
        ("unclosed work orders", ["unclosed"]),
        ("trees weighing over 9 kg", ["weighing", "over", "9", "kg"]),
        ("give me what Joan had last time", ["Joan", "last", "time"]),
        ("trees near the motorway", ["near", "motorway"]),
        ("zzzz", ["zzzz"]),
    ],
)
def test_what_is_not_understood_is_told(client: TestClient, sign_in: SignIn, text: str, unread: list[str]) -> None:
    """Word by word; nothing is taken for something else in silence."""
    sign_in("ines")
    assert [text[u["start"] : u["end"]] for u in asked(client, text)["unread"]] == unread


@pytest.mark.parametrize(
    ("text", "doubted"),
    [
        ("oaks taller than 20 m", "oaks"),
        ("trees in Quay near Fernlea", "Fernlea"),
        ("stnading trees", "stnading"),
        ("trees, biggest first", "biggest first"),
        ("inspections this week", "this week"),
        ("trees in Quay or taller than 20 m", "Quay or taller than 20 m"),
        ("trees planted in May", "trees planted in May"),
    ],
)
def test_what_may_be_meant_otherwise_is_marked(client: TestClient, sign_in: SignIn, text: str, doubted: str) -> None:
    """With why; what was not said by anybody says so, too."""
    sign_in("ines")
    parts = asked(client, text)["parts"]
    assert doubted in [text[p["start"] : p["end"]] for p in parts if p["doubt"]]
    assert all(p["doubt"] for p in parts if p["role"] == "records" and p["end"] == 0)


def test_a_part_that_is_not_meant_is_left_out(client: TestClient, sign_in: SignIn) -> None:
    """It stands among the words not understood, and the rest is read as before."""
    sign_in("ines")
    text = "standing trees in Quay"
    found = asked(client, text, ignored=[{"start": 0, "end": 8}])

    assert found["document"]["filter"]["all"] == [quay(), ALIVE]
    assert found["unread"] == [{"start": 0, "end": 8}]


def test_the_record_type_can_be_chosen(client: TestClient, sign_in: SignIn) -> None:
    sign_in("ines")
    assert asked(client, "closed last month")["document"]["records"] != "shift"
    assert asked(client, "closed last month", records="shift")["document"]["records"] == "shift"


def test_records_that_are_not_there_are_told(client: TestClient, sign_in: SignIn) -> None:
    """Chosen, or those of a template whose source has changed."""
    sign_in("ines")
    gone = {"name": "Trees", "records": "trunk", "columns": []}
    for name, body in (
        ("trunk", {"records": "trunk"}),
        ("trunk", {"document": gone}),
        ("", {"document": {**gone, "records": ""}}),
    ):
        answer = client.post("/api/v1/design/asked", json={"text": "biggest first", **body})
        assert (answer.status_code, answer.json()["detail"]) == (404, f"There is no record type “{name}”.")


def test_more_is_asked_of_a_template_that_is_there(client: TestClient, sign_in: SignIn) -> None:
    """Its own parts stay; what is asked stands behind them, once; names and ids stay different."""
    sign_in("ines")
    before = {
        "name": "Mine",
        "records": "tree",
        "columns": [{"id": "c1", "heading": "Species", "value": {"field": "species.common_name"}}, {"id": "x", "heading": "No", "value": {"field": "tag"}}],
        "filter": {"any": [STANDING, ALIVE]},
    }  # fmt: skip
    found = asked(client, "in Quay, with tag, species and girth, sorted by girth", document=before)
    document = found["document"]

    assert document["filter"] == {"all": [before["filter"], quay()]}
    assert [(c["id"], c["heading"], c["value"]["field"]) for c in document["columns"]] == [
        ("c1", "Species", "species.common_name"),
        ("x", "No", "tag"),
        ("c2", "Species 2", "species.botanical_name"),
        ("c3", "Girth (cm)", "t_girth"),
    ]
    assert document["order"] == [{"column": "c3"}]
    assert [p["place"] for p in found["parts"]] == [
        "filter.all[1]",
        "columns[1]",
        "columns[2]",
        "columns[3]",
        "order[0]",
    ]
    assert (document["name"], found["problems"]) == ("Mine", [])


def test_a_sentence_of_bouquet_is_taken_as_it_is(client: TestClient, sign_in: SignIn) -> None:
    sign_in("ines")
    text = "One row per tree where status is Standing, and it has no inspections where inspected on is in the last 30 days; ordered by girth, greatest first; the first 20 rows."
    found = asked(client, text)
    assert found["document"]["filter"]["all"][0] == {"path": "status", "is": "is", "value": "S"}
    assert found["sentence"].partition(" (")[0] == text.partition(";")[0].removesuffix(" ")
    assert (found["document"]["at_most"], found["problems"]) == (20, [])


def test_values_are_looked_up_with_the_rights_of_whoever_asks(
    client: TestClient, sign_in: SignIn, query: Callable[[str], list[tuple[Any, ...]]]
) -> None:
    """A ward that somebody may not see is no value to them; one that they may see is."""
    sign_in("tobin")
    names = "SELECT w_name FROM ward WHERE w_code {} ('03', '07') AND w_name NOT LIKE '% %' ORDER BY 1 LIMIT 1"
    ((own,),), ((other,),) = query(names.format("IN")), query(names.format("NOT IN"))
    words = [p["words"] for p in asked(client, f"trees in ward {own}")["parts"]]
    assert f"ward is “{own}”" in words
    assert other not in str(asked(client, f"trees in ward {other}")["parts"])


def test_a_sentence_keeps_what_it_does_not_tell(client: TestClient, sign_in: SignIn) -> None:
    """On the bench, columns, name and file stay; the filter is the sentence's."""
    sign_in("ines")
    columns = [{"id": "t", "heading": "No", "value": {"field": "tag"}}]
    before = {
        "name": "Mine",
        "records": "tree",
        "columns": columns,
        "filter": {"all": [ALIVE]},
        "output": {"format": "xlsx"},
    }
    found = asked(client, "One row per tree where status is Standing; ordered by “No”; every row.", document=before)
    assert found["document"]["columns"] == columns
    assert found["document"]["filter"] == {"all": [STANDING]}
    assert (found["document"]["name"], found["document"]["output"], found["problems"]) == (
        "Mine",
        {"format": "xlsx"},
        [],
    )


def test_what_is_not_to_be_stays_so(client: TestClient, sign_in: SignIn) -> None:
    """Also before a comparison; before a field alone it is told."""
    sign_in("ines")
    narrowed = asked(client, "trees, not girth over 200")["document"]["filter"]["all"][0]
    assert narrowed == {"none": [{"path": "t_girth", "is": "greater_than", "value": 200}]}
    assert asked(client, "trees: girth, not tag")["unread"] != []


@pytest.mark.parametrize("text", ["", "x" * 2001])
def test_how_long_a_request_may_be(client: TestClient, sign_in: SignIn, text: str) -> None:
    sign_in("ines")
    assert client.post("/api/v1/design/asked", json={"text": text}).status_code == 422
