"""
Bundles of the library, and rounds as documents, over the wire.
"""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Callable
from typing import Any

from fastapi.testclient import TestClient

from bouquet.runs import Services, execute
from bouquet.store import runs as ledger
from tests.web.test_deliveries_api import WARDS, ok

SignIn = Callable[[str], TestClient]

CREWS: dict[str, Any] = {
    "name": "Crews of a depot",
    "records": "crew",
    "columns": [{"id": "a", "heading": "Crew", "value": {"field": "name"}}],
    "filter": {"path": "name", "is": "contains", "ask": "part"},
    "asks": [{"name": "part", "label": "Which crews?", "kind": "text"}],
    "output": {"name": "crews"},
}


def kept(client: TestClient, document: dict[str, Any], **more: Any) -> int:
    number = ok(client.post("/api/v1/templates", json={"document": document}), 201)["id"]
    ok(client.post(f"/api/v1/templates/{number}/versions", json={}, headers={"If-Match": '"1"'}), 201)
    if more:
        ok(client.patch(f"/api/v1/templates/{number}", json=more))
    return int(number)


def bundle(client: TestClient, name: str = "Hand-over", **contents: Any) -> dict[str, Any]:
    found: dict[str, Any] = ok(client.post("/api/v1/bundles", json={"contents": {"name": name, **contents}}), 201)
    return found


def archive_of(services: Services, run_id: int) -> zipfile.ZipFile:
    with services.store.session() as session:
        run = ledger.get_run(session, run_id)
        assert run.status == "ready", run.error
        (file,) = run.files
    return zipfile.ZipFile(io.BytesIO(b"".join(services.storage.chunks(file.path))))


def test_a_bundle_follows_its_templates_and_answers_what_they_ask(sign_in: SignIn, services: Services) -> None:
    ines = sign_in("ines")
    wards, crews = kept(ines, WARDS), kept(ines, CREWS)
    made = bundle(ines, templates=[wards, {"template": crews, "answers": {"part": "a"}}], records=["species"])
    changed = {**WARDS, "columns": WARDS["columns"][:1]}
    ok(ines.put(f"/api/v1/templates/{wards}/draft", json=changed, headers={"If-Match": '"1"'}))
    ok(ines.post(f"/api/v1/templates/{wards}/versions", json={}, headers={"If-Match": '"2"'}), 201)
    run = ok(ines.post("/api/v1/runs", json={"bundle_id": made["id"]}), 202)
    execute(services, run["id"])
    archive = archive_of(services, run["id"])
    first = next(csv.reader(io.TextIOWrapper(archive.open("wards.csv"), encoding="utf-8")))

    assert made["sentence"].startswith("“Wards” and “Crews of a depot” and all species")
    assert first == ["Ward"]
    assert all("a" in r[0].lower() for r in list(csv.reader(io.TextIOWrapper(archive.open("crews.csv"), "utf-8")))[1:])
    assert len(archive.namelist()) == 4


def test_a_full_copy_holds_every_attached_file(sign_in: SignIn, services: Services, query: Any) -> None:
    """As many as a count by hand finds, each in its record's folder."""
    ines = sign_in("ines")
    made = bundle(ines, "Photographs", records=["photograph"], attachments=True)
    run = ok(ines.post("/api/v1/runs", json={"bundle_id": made["id"], "purpose": "a copy"}), 202)
    execute(services, run["id"])
    inside = [n for n in archive_of(services, run["id"]).namelist() if "/" in n]
    (count,) = query("SELECT count(*) FROM photograph WHERE ph_data IS NOT NULL")[0]

    assert len(inside) == len(set(inside)) == count > 0


def test_a_bundle_runs_in_rounds(sign_in: SignIn, services: Services) -> None:
    ines = sign_in("ines")
    made = bundle(ines, templates=[kept(ines, WARDS)])
    body = {"template_id": made["id"], "folder": "copies", "rhythm": {"every": "day", "times": ["06:00"]}}
    round_ = ok(ines.post("/api/v1/rounds", json=body), 201)
    refused = ines.delete(f"/api/v1/bundles/{made['id']}")
    run = ok(ines.post(f"/api/v1/rounds/{round_['id']}/run"), 202)
    execute(services, run["id"])

    assert (round_["kind"], refused.status_code) == ("bundle", 409)
    assert archive_of(services, run["id"]).namelist() == ["wards.csv", "slip.json"]
    assert [p.suffix for p in (services.outgoing / "copies").iterdir()] == [".zip"]


def test_what_could_not_be_run_is_not_kept(sign_in: SignIn) -> None:
    """With the place of what is wrong; a template that a bundle holds stays."""
    ines = sign_in("ines")
    wards = kept(ines, WARDS)
    remembering = kept(ines, {**WARDS, "name": "New wards", "only": "new"})

    def refused(**contents: Any) -> tuple[int, str]:
        answer = ines.post("/api/v1/bundles", json={"contents": {"name": "B", **contents}})
        return answer.status_code, answer.json()["type"]

    assert refused()[0] == 422
    assert refused(records=["wrad"])[0] == 422
    assert refused(templates=[999_999])[0] == 404
    assert refused(templates=[remembering]) == (422, "/problems/no_memory")
    bundle(ines, templates=[wards])
    assert ines.delete(f"/api/v1/templates/{wards}").status_code == 409
    assert (
        ines.post("/api/v1/bundles", json={"contents": {"name": "hand-OVER", "templates": [wards]}}).status_code == 409
    )


def test_two_who_change_a_bundle_at_once_lose_nothing(sign_in: SignIn) -> None:
    """The second is told who was first; what was saved first stays."""
    ines = sign_in("ines")
    made = bundle(ines, templates=[kept(ines, WARDS)])
    change = {"contents": {**made["contents"], "records": ["crew"]}, "revision": made["revision"]}
    first = ok(ines.put(f"/api/v1/bundles/{made['id']}", json=change))
    second = ines.put(f"/api/v1/bundles/{made['id']}", json={**change, "contents": made["contents"]})

    assert (first["version"], second.status_code, second.json()["changed_by"]) == (2, 412, "Ines Harrow")
    assert ok(ines.get(f"/api/v1/bundles/{made['id']}"))["contents"]["records"] == ["crew"]


def test_nobody_gets_by_a_bundle_what_is_somebodys_own(sign_in: SignIn) -> None:
    """A shared bundle with a template of its maker's alone cannot be run by others."""
    ines = sign_in("ines")
    private = kept(ines, {**WARDS, "name": "Private"}, standing="own")
    made = bundle(ines, templates=[private])
    other = sign_in("tobin")

    assert other.post("/api/v1/runs", json={"bundle_id": made["id"]}).status_code == 404
    assert other.get(f"/api/v1/templates/{made['id']}").status_code == 404
    assert other.post("/api/v1/bundles", json={"contents": {"name": "Mine", "templates": [private]}}).status_code in (
        403,
        404,
    )


def test_a_round_goes_out_as_a_document_and_comes_in_again(sign_in: SignIn, services: Services) -> None:
    """With names; after it was removed it is set anew from its document, and says the same."""
    ines = sign_in("ines")
    crews = kept(ines, CREWS)
    body = {
        "template_id": crews,
        "folder": "crews",
        "answers": {"part": "a"},
        "rhythm": {"every": "week", "weekdays": [0, 3], "times": ["06:00", "14:30"]},
        "when_empty": "skip",
    }
    first = ok(ines.post("/api/v1/rounds", json=body), 201)
    document = ok(ines.get(f"/api/v1/rounds/{first['id']}/document"))
    ok(ines.delete(f"/api/v1/rounds/{first['id']}"), 204)
    again = ok(ines.post("/api/v1/rounds/document", json=document), 201)
    run = ok(ines.post(f"/api/v1/rounds/{again['id']}/run"), 202)
    execute(services, run["id"])

    assert (document["format"], document["template"], document["answers"]) == (
        "bouquet-round/1",
        "Crews of a depot",
        {"part": "a"},
    )
    assert ok(ines.get(f"/api/v1/rounds/{again['id']}/document")) == document
    assert ok(ines.get(f"/api/v1/runs/{run['id']}"))["status"] == "ready"
    wrong = {**document, "template": "Nobody's", "tempalte": 1}
    assert ines.post("/api/v1/rounds/document", json=wrong).json()["errors"][0]["place"] == "tempalte"


def test_what_a_template_asks_is_answered_before_night(sign_in: SignIn) -> None:
    ines = sign_in("ines")
    body = {"template_id": kept(ines, CREWS), "folder": "crews"}

    assert ines.post("/api/v1/rounds", json=body).json()["type"] == "/problems/unanswered"
    assert (
        ines.post("/api/v1/rounds", json={**body, "answers": {"prt": "a"}}).json()["errors"][0]["place"]
        == "answers.prt"
    )
    ok(ines.post("/api/v1/rounds", json={**body, "answers": {"part": "a"}}), 201)


def test_a_call_may_bring_answers(sign_in: SignIn, services: Services) -> None:
    ines = sign_in("ines")
    event = {"button": "Close the  day"}
    body = {
        "template_id": kept(ines, CREWS),
        "folder": "crews",
        "trigger": "called",
        "answers": {"part": "a"},
        "event": event,
    }
    round_ = ok(ines.post("/api/v1/rounds", json=body), 201)
    run = ok(ines.post(f"/api/v1/rounds/{round_['id']}/call", json={"answers": {"part": "zzz"}}), 202)
    wrong = ines.post(f"/api/v1/rounds/{round_['id']}/call", json={"answers": {"prt": "zzz"}})
    execute(services, run["id"])

    assert round_["words"] == "when somebody presses “Close the day”"
    assert ok(ines.get(f"/api/v1/runs/{run['id']}"))["rows_written"] == 0
    assert wrong.status_code == 422


def test_an_event_is_checked_when_its_round_is_set(sign_in: SignIn) -> None:
    """An unknown field, a value that is none, a record type that is not there: at their places."""
    ines = sign_in("ines")
    event: dict[str, Any] = {"records": "work_order", "where": {"path": "state", "is": "one_of", "values": ["done"]}}
    body = {"template_id": kept(ines, WARDS), "folder": "w", "trigger": "closes"}

    def places(event: dict[str, Any]) -> list[str]:
        answer = ines.post("/api/v1/rounds", json={**body, "event": event})
        assert answer.status_code == 422, answer.text
        return [e["place"] for e in answer.json().get("errors", [])]

    assert places({**event, "where": {"path": "statte", "is": "one_of", "values": ["done"]}}) == ["event.where.path"]
    assert places({**event, "answers": {"what": "state"}}) == ["answers.what"]
    assert places({**event, "records": "nothing"}) == ["event.records"]
    assert places({}) == []
    state = {"path": "status", "is": "one_of", "values": ["C"]}
    round_ = ok(ines.post("/api/v1/rounds", json={**body, "event": {**event, "where": state}}), 201)
    assert round_["words"] == "when one of the work orders comes to meet its condition"


def test_the_next_moments_say_which_days_they_cover(sign_in: SignIn) -> None:
    ines = sign_in("ines")
    window = {"path": "raised_on", "is": "in_window", "window": {"type": "previous", "unit": "day"}}
    document = {
        "name": "Orders",
        "records": "work_order",
        "columns": [{"id": "a", "heading": "Order", "value": {"field": "number"}}],
        "filter": window,
    }
    body = {"template_id": kept(ines, document), "folder": "o", "rhythm": {"every": "day", "times": ["06:00"]}}
    round_ = ok(ines.post("/api/v1/rounds", json=body), 201)

    assert len(round_["covers"]) == len(round_["next"])
    assert round_["covers"][0].startswith(("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"))
