"""
The memory as a designer meets it: in preview and tally, looked into, and told to send again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.runs import Services
from bouquet.runs.executor import execute
from tests.conftest import NOW, OwnCluster
from tests.web.jetty import change, made_jetty

JETTY = {"source": "Jetty"}
DOCUMENT = {
    "name": "Passages once",
    "records": "passage",
    "columns": [{"id": "a", "heading": "No", "value": {"field": "passage_id"}}],
    "only": "new",
}


@pytest.fixture
def designer(cluster: OwnCluster, services: Services, sign_in: Callable[[str], TestClient]) -> Iterator[TestClient]:
    address = made_jetty(cluster)
    sign_in("marta").post("/api/v1/sources", json={"name": "Jetty", "address": address}).raise_for_status()
    yield sign_in("ines")
    for key in services.sources.listed()[1:]:
        services.sources.get(key).close()


def made(client: TestClient) -> int:
    answer = client.post("/api/v1/templates", params=JETTY, json={"document": DOCUMENT})
    assert answer.status_code == 201, answer.text
    number: int = answer.json()["id"]
    return number


def run(client: TestClient, services: Services, template: int) -> dict[str, Any]:
    asked = client.post("/api/v1/runs", json={"template_id": template, "use": "draft"}).json()
    execute(services, asked["id"])
    done: dict[str, Any] = client.get(f"/api/v1/runs/{asked['id']}").json()
    assert done["status"] == "ready", done
    return done


def seen(client: TestClient, template: int) -> tuple[int, dict[str, Any]]:
    """The rows of the preview, and the last step of the tally."""
    body = {"document": DOCUMENT, "limit": 100, "offset": 0, "bench": "", "keys": False, "template_id": template}
    rows = client.post("/api/v1/design/look", params=JETTY, json=body).json()["rows"]
    steps = client.post("/api/v1/design/tally", params=JETTY, json=body).json()["steps"]
    return len(rows), steps[-1]


def test_preview_and_tally_are_as_the_next_run_will_be(
    designer: TestClient, services: Services, cluster: OwnCluster
) -> None:
    template = made(designer)
    assert seen(designer, template)[0] == 40
    run(designer, services, template)
    change(cluster, "INSERT INTO passage VALUES (41, 1, now(), 1, '1')")
    rows, step = seen(designer, template)
    assert (rows, step["rows"], step["left_out"], step["words"]) == (1, 1, 40, "only what was not sent before")
    assert run(designer, services, template)["rows_written"] == 1
    assert seen(designer, template)[0] == 0


def test_the_sentence_says_it(designer: TestClient) -> None:
    made(designer)
    row = next(r for r in designer.get("/api/v1/templates").json() if r["name"] == "Passages once")
    assert row["sentence"] == "One row per passage, and only what was not sent before; every row."


def test_it_is_looked_into_and_told_to_send_again(designer: TestClient, services: Services) -> None:
    template = made(designer)
    memory = f"/api/v1/templates/{template}/memory"
    assert designer.get(memory).json() == {"records": 0, "first_sent": None, "last_sent": None, "changes": []}
    number = run(designer, services, template)["id"]
    assert designer.get(memory).json()["records"] == 40
    found = designer.post(f"{memory}/look", json={"key": ["7"]}).json()
    assert (found["run_id"], found["sent_at"] is not None) == (number, True)
    assert designer.post(f"{memory}/look", json={"key": ["700"]}).json() == {"sent_at": None, "run_id": None}
    assert designer.post(f"{memory}/forget", json={"keys": [["7"], ["8"], ["700"]]}).json() == {"records": 2}
    assert run(designer, services, template)["rows_written"] == 2
    later = (NOW + timedelta(days=1)).isoformat()
    assert designer.post(f"{memory}/forget", json={"since": later}).json() == {"records": 0}
    assert designer.post(f"{memory}/forget", json={}).json() == {"records": 40}
    assert designer.post(f"{memory}/mark", json={"keys": [["1"], ["1"], ["2"]]}).json() == {"records": 2}
    assert run(designer, services, template)["rows_written"] == 38


def test_only_its_owner_or_an_administrator_changes_it(
    designer: TestClient, sign_in: Callable[[str], TestClient]
) -> None:
    template = made(designer)
    memory = f"/api/v1/templates/{template}/memory"
    assert designer.get(memory, params={"round_id": 99}).status_code == 404
    auditor = sign_in("oskar")
    assert auditor.get(memory).status_code == 200
    assert auditor.post(f"{memory}/look", json={"key": ["7"]}).status_code == 403
    assert auditor.post(f"{memory}/forget", json={}).status_code == 403
    tobin = sign_in("tobin")
    assert tobin.get(memory).status_code == 404


def test_what_was_changed_by_hand_is_undone_within_a_day(
    designer: TestClient, services: Services, sign_in: Callable[[str], TestClient]
) -> None:
    """What was forgotten is remembered again as it was, but what was sent meanwhile; what was marked is forgotten."""
    number = made(designer)
    first = run(designer, services, number)
    address = f"/api/v1/templates/{number}/memory"
    before = designer.get(address).json()
    keys = [["1"], ["2"]]
    assert designer.post(f"{address}/forget", json={"keys": keys}).json() == {"records": 2}
    assert run(designer, services, number)["rows_written"] == 2
    assert designer.post(f"{address}/forget", json={"keys": [["1"]]}).json() == {"records": 1}
    (newest, older) = designer.get(address).json()["changes"]
    assert [(c["kind"], c["records"], c["who"]) for c in (newest, older)] == [
        ("forgotten", n, "Ines Harrow") for n in (1, 2)
    ]
    for change_id, records in ((newest["id"], 1), (older["id"], 0)):
        assert designer.post(f"{address}/undo/{change_id}").json() == {"records": records}
    after = designer.get(address).json()

    assert (after["records"], after["changes"]) == (before["records"], [])
    assert after["records"] == first["rows_written"]
    assert designer.post(f"{address}/mark", json={"keys": [["none"], ["none"]]}).json() == {"records": 1}
    (marked,) = designer.get(address).json()["changes"]
    services.clock = lambda: NOW + timedelta(days=1, minutes=1)
    sign_in("ines")
    assert designer.get(address).json()["changes"] == []
    assert designer.post(f"{address}/undo/{marked['id']}").status_code == 404
    services.clock = lambda: NOW + timedelta(hours=23)
    sign_in("ines")
    assert designer.post(f"{address}/undo/{marked['id']}").json() == {"records": 1}
    assert designer.get(address).json()["records"] == before["records"]
