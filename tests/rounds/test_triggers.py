"""
What starts a round besides the calendar: another round, a call; and what it does where there is nothing to send.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime, timedelta
from typing import Any

import pytest
import sqlalchemy as sa
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.rounds import NEVER, call, make_queue, tick_rounds
from bouquet.runs import Services, execute
from bouquet.settings import Settings
from bouquet.store.models import Person, Round, Run
from bouquet.web import create_app
from tests.conftest import NOW, OwnCluster
from tests.rounds.test_rounds import NoQueue, occurrences
from tests.web.jetty import change, made_jetty

ROUNDS = "/api/v1/rounds"
WARDS = {
    "name": "Wards",
    "records": "ward",
    "columns": [{"id": "a", "heading": "A", "value": {"field": "code"}}],
    "output": {"name": "wards_{as_of:%Y-%m-%d}"},
}


@pytest.fixture
def client(services: Services) -> Iterator[TestClient]:
    settings = Settings(store_url=SecretStr("x"), _env_file=None)  # type: ignore[call-arg]
    with TestClient(create_app(services, make_queue(services), settings), base_url="http://127.0.0.1") as made:
        yield made


@pytest.fixture
def ines(client: TestClient) -> TestClient:
    return entered(client, "ines@marrowby.example", "damson-and-lime")


def entered(client: TestClient, email: str, password: str) -> TestClient:
    client.post("/api/v1/session", json={"email": email, "password": password}).raise_for_status()
    return client


def saved(client: TestClient, document: dict[str, Any] = WARDS, source: str = "") -> int:
    made = client.post("/api/v1/templates", params={"source": source}, json={"document": document, "free_name": True})
    assert made.status_code == 201, made.text
    info = made.json()
    match = {"If-Match": f'"{info["revision"]}"'}
    client.post(f"/api/v1/templates/{info['id']}/versions", json={"note": ""}, headers=match).raise_for_status()
    number: int = info["id"]
    return number


def a_round(client: TestClient, template: int, **more: Any) -> int:
    body = {
        "template_id": template,
        "rhythm": {"every": "day", "times": ["06:00"]},
        "zone": "UTC",
        "folder": "f",
        **more,
    }
    made = client.post(ROUNDS, json=body)
    assert made.status_code == 201, made.text
    number: int = made.json()["id"]
    return number


def tick_and_work(services: Services) -> list[Run]:
    """The runs of one tick, carried out."""
    asked = tick_rounds(services, NoQueue())
    for run_id in asked:
        execute(services, run_id)
    with services.store.session() as session:
        return [session.get_one(Run, n) for n in asked]


def due(services: Services, round_id: int, at: datetime) -> None:
    with services.store.session() as session:
        session.get_one(Round, round_id).next_at = at


def test_a_round_runs_after_another_that_ended_well(ines: TestClient, services: Services) -> None:
    """Once for each of its moments, counted from the same one; not for what ended before it was set."""
    first = a_round(ines, saved(ines))
    due(services, first, NOW - timedelta(days=1))
    assert len(tick_and_work(services)) == 2
    second = a_round(ines, saved(ines), trigger="after", after_id=first, folder="g")
    services.clock = lambda: NOW + timedelta(hours=1)
    assert tick_and_work(services) == []
    due(services, first, NOW + timedelta(minutes=30))
    (one,) = tick_and_work(services)
    (other,) = tick_and_work(services)
    assert (one.round_id, other.round_id, other.status) == (first, second, "ready")
    assert one.as_of == other.as_of == NOW + timedelta(minutes=30)
    assert tick_and_work(services) == []
    assert (services.outgoing / "g" / "wards_2026-11-23.csv").exists()
    said = next(r for r in ines.get(ROUNDS).json() if r["id"] == second)
    assert (said["words"], said["next"]) == ("after “Wards”", [])


def test_a_failed_run_starts_nothing(ines: TestClient, services: Services) -> None:
    stop = {**WARDS, "checks": [{"file": "rows", "greatest": 1, "severity": "stop"}]}
    first = a_round(ines, saved(ines, stop))
    a_round(ines, saved(ines), trigger="after", after_id=first)
    services.clock = lambda: NOW + timedelta(hours=1)
    due(services, first, NOW)
    assert [r.status for r in tick_and_work(services)] == ["failed"]
    assert tick_and_work(services) == []


def test_rounds_do_not_run_after_each_other_for_ever(ines: TestClient) -> None:
    template = saved(ines)
    first = a_round(ines, template)
    second = a_round(ines, template, trigger="after", after_id=first)
    body = {"template_id": template, "folder": "f", "trigger": "after", "after_id": second}
    refused = ines.put(f"{ROUNDS}/{first}", json=body)
    assert (refused.status_code, refused.json()["type"]) == (422, "/problems/round_of_rounds")
    itself = ines.put(f"{ROUNDS}/{first}", json={**body, "after_id": first})
    assert itself.json()["type"] == "/problems/round_of_rounds"
    assert ines.post(ROUNDS, json={**body, "after_id": None}).json()["type"] == "/problems/no_round"
    assert ines.post(ROUNDS, json={**body, "after_id": 999}).status_code == 404


def test_a_program_calls_a_round_once_per_key(ines: TestClient, services: Services) -> None:
    """With a token that may run; a second call under the same key is the same run; others may not call it."""
    round_id = a_round(ines, saved(ines), trigger="called")
    by_calendar = a_round(ines, saved(ines))
    assert ines.post(f"{ROUNDS}/{by_calendar}/call").json()["type"] == "/problems/not_called"
    token = ines.post("/api/v1/tokens", json={"name": "t", "acts": ["look", "run"], "days": 30}).json()["secret"]
    reader = ines.post("/api/v1/tokens", json={"name": "r", "acts": ["look"], "days": 30}).json()["secret"]
    ines.cookies.clear()
    program = {"Authorization": f"Bearer {token}", "Idempotency-Key": "order-7"}
    one = ines.post(f"{ROUNDS}/{round_id}/call", headers=program)
    two = ines.post(f"{ROUNDS}/{round_id}/call", headers=program)
    other = ines.post(f"{ROUNDS}/{round_id}/call", headers={**program, "Idempotency-Key": "order-8"})
    assert (one.status_code, one.json()["id"] == two.json()["id"], one.json()["id"] == other.json()["id"]) == (
        202,
        True,
        False,
    )
    refused = ines.post(f"{ROUNDS}/{round_id}/call", headers={"Authorization": f"Bearer {reader}"})
    assert refused.status_code == 403
    execute(services, one.json()["id"])
    with services.store.session() as session:
        run = session.get_one(Run, one.json()["id"])
    assert (run.status, "called by Ines Harrow" in run.asked_by) == ("ready", True)
    assert all("called by" in o.note for o in occurrences(services))


def test_calls_under_one_key_at_once_are_one_run(ines: TestClient, services: Services) -> None:
    """Whoever comes second waits, and is given the run of the first."""
    round_id = a_round(ines, saved(ines), trigger="called")

    def asked(_: int) -> int:
        with services.store.session() as session:
            by = session.get_one(Person, session.get_one(Round, round_id).created_by)
            run = call(services, session, round_id, by, "order-7", services.clock())
            session.flush()
            time.sleep(0.1)
            return run.id

    with ThreadPoolExecutor(8) as pool:
        assert len(set(pool.map(asked, range(8)))) == 1


def test_other_answers_under_the_same_key_are_refused(ines: TestClient, services: Services) -> None:
    """The run of the first answers would not be what was asked for."""
    ask = {"name": "ward", "label": "Which ward?", "kind": "text", "default": "03"}
    asking = {**WARDS, "asks": [ask], "filter": {"all": [{"path": "code", "is": "is", "ask": "ward"}]}}
    round_id = a_round(ines, saved(ines, asking), trigger="called")
    path, key = f"{ROUNDS}/{round_id}/call", {"Idempotency-Key": "order-7"}
    one = ines.post(path, json={"answers": {"ward": "03"}}, headers=key)
    same = ines.post(path, json={"answers": {"ward": "03"}}, headers=key)
    other = ines.post(path, json={"answers": {"ward": "07"}}, headers=key)

    assert (one.status_code, same.json()["id"], other.status_code) == (202, one.json()["id"], 409)
    assert "used for something else" in other.json()["detail"]


def test_nothing_is_sent_where_there_is_nothing(ines: TestClient, services: Services) -> None:
    none = {**WARDS, "filter": {"all": [{"path": "code", "is": "is", "value": "no such ward"}]}}
    for when_empty in ("send", "skip"):
        round_id = a_round(ines, saved(ines, none), when_empty=when_empty, folder=when_empty)
        due(services, round_id, NOW)
    runs = tick_and_work(services)
    assert [(r.status, r.rows_written) for r in runs] == [("ready", 0)] * 2
    assert {p.name for p in services.outgoing.iterdir()} == {"send"}
    assert [len(r.files) for r in runs] == [1, 0]


def test_a_pause_ends_by_itself(ines: TestClient, services: Services) -> None:
    """And does not make up for what fell into it."""
    round_id = a_round(ines, saved(ines))
    until = NOW + timedelta(days=2)
    paused = ines.patch(f"{ROUNDS}/{round_id}", json={"paused": True, "until": until.isoformat()}).json()
    assert (paused["paused"], paused["paused_until"]) == (True, until.isoformat().replace("+00:00", "Z"))
    due(services, round_id, NOW)
    services.clock = lambda: NOW + timedelta(days=1)
    assert tick_and_work(services) == []
    services.clock = lambda: until + timedelta(minutes=1)
    assert tick_and_work(services) == []
    # Days later they sign in again.
    said = entered(ines, "ines@marrowby.example", "damson-and-lime").get(ROUNDS).json()[0]
    assert (said["paused"], said["next"][0]) == (False, "2026-11-26T06:00:00Z")


def test_a_round_is_changed_like_everything_else(ines: TestClient, services: Services, client: TestClient) -> None:
    template = saved(ines)
    round_id = a_round(ines, template)
    body = {
        "template_id": template,
        "rhythm": {"every": "day", "times": ["18:00"]},
        "zone": "UTC",
        "folder": "elsewhere",
        "format": "xlsx",
    }
    changed = ines.put(f"{ROUNDS}/{round_id}", json=body).json()
    assert (changed["folder"], changed["format"], changed["next"][0]) == ("elsewhere", "xlsx", "2026-11-23T18:00:00Z")
    called = ines.put(f"{ROUNDS}/{round_id}", json={**body, "trigger": "called"}).json()
    assert (called["words"], called["next"]) == ("when it is called", [])
    with services.store.session() as session:
        assert session.get_one(Round, round_id).next_at == NEVER
    assert (
        ines.put(f"{ROUNDS}/{round_id}", json={**body, "template_id": saved(ines)}).json()["type"]
        == "/problems/other_template"
    )
    entered(client, "oskar@marrowby.example", "ledger-and-slip")
    assert client.put(f"{ROUNDS}/{round_id}", json=body).status_code == 403


def test_what_would_fail_at_night_is_said_at_once(ines: TestClient) -> None:
    """A question that nobody answers; with a default it is answered."""
    ask: dict[str, Any] = {"name": "which", "label": "Which ward?", "kind": "text", "required": True}
    asking = {**WARDS, "asks": [ask], "filter": {"all": [{"path": "code", "is": "is", "ask": "which"}]}}
    body = {"template_id": saved(ines, asking), "folder": "f"}
    refused = ines.post(ROUNDS, json=body)
    assert (refused.json()["type"], "Which ward?" in refused.json()["detail"]) == ("/problems/unanswered", True)
    answered = {**asking, "asks": [{**ask, "default": "03"}]}
    assert ines.post(ROUNDS, json={**body, "template_id": saved(ines, answered)}).status_code == 201


def test_a_round_reads_its_templates_source(
    ines: TestClient, services: Services, cluster: OwnCluster, client: TestClient
) -> None:
    """And with a template that wants only what is new, it has a memory of its own."""
    entered(client, "marta@marrowby.example", "oak-before-ash")
    client.post("/api/v1/sources", json={"name": "Jetty", "address": made_jetty(cluster)}).raise_for_status()
    boats = {
        "name": "Boats", "records": "boat", "only": "new",
        "columns": [{"id": "a", "heading": "A", "value": {"field": "boat_name"}}], "output": {"name": "boats"},
    }  # fmt: skip
    template = saved(client, boats, "Jetty")
    round_id = a_round(client, template, folder="boats", mode="replace", when_empty="skip")
    rows = []
    for day in range(3):
        due(services, round_id, NOW + timedelta(days=day))
        services.clock = lambda day=day: NOW + timedelta(days=day, hours=1)  # type: ignore[misc]
        (run,) = tick_and_work(services)
        assert (run.status, run.source) == ("ready", "Jetty"), run.error
        rows.append(run.rows_written)
        if day == 1:
            change(cluster, "INSERT INTO boat VALUES (3, 'Gull', NULL, NULL)")
    assert rows == [2, 0, 1]
    assert (services.outgoing / "boats" / "boats.csv").read_text().splitlines() == ["A", "Gull"]
    entered(client, "marta@marrowby.example", "oak-before-ash")
    memory = f"/api/v1/templates/{template}/memory"
    assert client.get(memory, params={"round_id": round_id}).json()["records"] == 3
    assert client.get(memory).json()["records"] == 0
    for key in services.sources.listed()[1:]:
        services.sources.get(key).close()


def test_a_moment_is_one_occurrence_whatever_starts_it(ines: TestClient, services: Services) -> None:
    """Two workers that tick at once follow a run once."""
    first = a_round(ines, saved(ines))
    a_round(ines, saved(ines), trigger="after", after_id=first)
    services.clock = lambda: NOW + timedelta(hours=1)
    due(services, first, NOW)
    tick_and_work(services)
    assert len(tick_rounds(services, NoQueue()) + tick_rounds(services, NoQueue())) == 1
    with services.store.session() as session:
        assert session.scalar(sa.select(sa.func.count()).select_from(Run)) == 2


def test_a_round_that_waits_for_records_needs_a_template_that_sends_what_is_new(ines: TestClient) -> None:
    """Otherwise everything would go out at every look; said when it is set."""
    body = {
        "template_id": saved(ines), "trigger": "appears", "folder": "w", "format": "csv",
        "watch": {"every": 30, "quiet": 10, "longest": 300},
    }  # fmt: skip
    refused = ines.post("/api/v1/rounds", json=body)
    made = ines.post("/api/v1/rounds", json={**body, "template_id": saved(ines, {**WARDS, "only": "new"})})

    assert (refused.status_code, refused.json()["type"]) == (422, "/problems/sends_everything")
    assert made.status_code == 201, made.text
    assert (made.json()["words"], made.json()["watch"]["every"], made.json()["next"]) == (
        "when records appear", 30, [],
    )  # fmt: skip
    assert ines.post("/api/v1/rounds", json={**body, "watch": {"every": 1}}).status_code == 422


def test_a_format_that_has_no_room_for_a_template_is_refused_when_the_round_is_set(
    ines: TestClient,
) -> None:
    """At once, and not at night."""
    columns = [{"id": f"c{n}", "heading": f"N{n}", "value": {"field": "name"}} for n in range(41)]
    wide = {"name": "Wide", "records": "ward", "columns": columns}
    body = {
        "template_id": saved(ines, wide),
        "rhythm": {"every": "day", "times": ["06:00"]},
        "zone": "UTC",
        "folder": "f",
    }
    refused = ines.post(ROUNDS, json={**body, "format": "pdf"})

    assert (refused.status_code, refused.json()["errors"][0]["place"]) == (422, "output.format")
    assert ines.post(ROUNDS, json={**body, "format": "csv"}).status_code == 201
