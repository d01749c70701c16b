"""
How the house is: told to probes, to programs that watch, and to who administers it.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import sqlalchemy as sa
from fastapi.testclient import TestClient
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from bouquet.runs import Services, execute
from bouquet.store import Store, care, journal
from bouquet.store.models import Means
from tests.conftest import NOW
from tests.web.test_journal import WARDS

API = "/api/v1"
SignIn = Callable[[str], TestClient]


def house(client: TestClient) -> dict[str, Any]:
    answer = client.get(f"{API}/health/house")
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def test_what_waits_and_what_became_of_it_is_counted(sign_in: SignIn, services: Services) -> None:
    ines = sign_in("ines")
    template = ines.post(f"{API}/templates", json={"document": WARDS}).json()["id"]
    runs = [ines.post(f"{API}/runs", json={"template_id": template, "use": "draft"}).json()["id"] for _ in range(3)]
    execute(services, runs[0])
    found = house(sign_in("oskar"))

    assert found["runs"] == {"asked": 2, "ready": 1}
    # Jobs of earlier tests may wait in the same queue.
    assert {q["name"]: q["waiting"] for q in found["queues"]}["default"] >= 3
    assert found["disk"]["total"] > found["disk"]["free"] > 0


def test_what_fails_is_told_with_what_was_said(sign_in: SignIn, services: Services) -> None:
    """Work by the clock, ways out that do not answer, a journal that nobody seals."""
    oskar = sign_in("oskar")
    with services.store.session() as session:
        care.note_care(session, "rounds", [], NOW - timedelta(minutes=5))
        care.note_care(session, "watching", ["round 4: the source is away"], NOW)
        means = Means(name="Their server", kind="sftp", settings={}, secret="", created_at=NOW)
        means.down_until, means.said = NOW + timedelta(minutes=5), "it does not answer"
        session.add(means)
    found = house(oskar)
    assert found["failing"] == {"watching": "round 4: the source is away"}
    assert found["down"] == {"Their server": "it does not answer"}
    assert found["care"]["rounds"] == 300
    assert (found["unsealed"], found["sealed_at"]) == (1, None)
    with services.store.session() as session:
        journal.seal_entries(session, NOW)
    assert house(oskar)["unsealed"] == 0


def test_programs_read_it_as_openmetrics(sign_in: SignIn, services: Services) -> None:
    """By an auditor's token; read here by another reader than what wrote it."""
    with services.store.session() as session:
        # Workers that other tests killed are counted until they were not heard of for long.
        session.execute(sa.text("DELETE FROM procrastinate_workers"))
    marta = sign_in("marta")
    secret = marta.post(f"{API}/tokens", json={"name": "watch", "acts": ["look", "audit"], "days": 1}).json()["secret"]
    marta.cookies.clear()
    assert marta.get(f"{API}/metrics").status_code == 401
    answer = marta.get(f"{API}/metrics", headers={"Authorization": f"Bearer {secret}"})
    found = {f.name: [(s.labels, s.value) for s in f.samples] for f in text_string_to_metric_families(answer.text)}

    assert answer.headers["content-type"].startswith("application/openmetrics-text")
    assert found["bouquet_workers"] == [({}, 0.0)]
    assert {"bouquet_runs", "bouquet_deliveries", "bouquet_jobs_waiting", "bouquet_care_failing"} <= set(found)


def test_a_probe_is_told_when_the_store_is_away(client: TestClient, services: Services) -> None:
    assert client.get(f"{API}/health/ready").status_code == 200
    services.store = Store("postgresql://nobody@127.0.0.1:1/none")
    answer = client.get(f"{API}/health/ready")
    assert (answer.status_code, answer.json()) == (503, {"ready": False})
    assert client.get(f"{API}/health").json()["status"] == "store down"


def test_while_the_database_takes_nothing_people_are_told_to_come_back(services: Services, sign_in: SignIn) -> None:
    """As while another machine takes its place: what is there can be read."""
    ines = sign_in("ines")

    def read_only(connection: Any, *_: Any) -> None:
        connection.exec_driver_sql("SET TRANSACTION READ ONLY")

    sa.event.listen(services.store.engine, "begin", read_only)
    try:
        refused = ines.post(f"{API}/templates", json={"document": WARDS})
    finally:
        sa.event.remove(services.store.engine, "begin", read_only)

    assert (refused.status_code, refused.json()["type"]) == (503, "/problems/store_down")
