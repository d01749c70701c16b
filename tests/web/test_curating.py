"""
The catalogue edited in the house: a draft with its consequences, put into use; and what to do when the source changes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Any

import pytest
import sqlalchemy as sa
from fastapi.testclient import TestClient

from bouquet.rounds.worker import read_sources
from bouquet.runs import Services
from bouquet.runs.executor import execute
from bouquet.store.models import Notice, Person, Round
from tests.conftest import NOW, OwnCluster
from tests.web.jetty import change, made_jetty

CATALOGUE, JETTY = "/api/v1/catalogue", {"source": "Jetty"}


@pytest.fixture
def keeper(cluster: OwnCluster, services: Services, sign_in: Callable[[str], TestClient]) -> Iterator[TestClient]:
    address = made_jetty(cluster)
    client = sign_in("marta")
    client.post("/api/v1/sources", json={"name": "Jetty", "address": address}).raise_for_status()
    yield client
    for key in services.sources.listed()[1:]:
        services.sources.get(key).close()


def edit(client: TestClient, *edits: dict[str, Any], revision: int = 0) -> Any:
    return client.patch(f"{CATALOGUE}/draft", params=JETTY, json={"revision": revision, "edits": list(edits)})


def table(client: TestClient, name: str) -> dict[str, Any]:
    found: dict[str, Any] = client.get(f"{CATALOGUE}/table", params={**JETTY, "table": name}).json()
    return found


def field(client: TestClient, name: str, column: str) -> dict[str, Any]:
    return next(f for f in table(client, name)["fields"] if f["column"] == column)


def use(client: TestClient, note: str = "") -> Any:
    return client.post(f"{CATALOGUE}/use", params=JETTY, json={"note": note})


def template(client: TestClient, **document: Any) -> dict[str, Any]:
    """A saved template of the jetty."""
    made = client.post(
        "/api/v1/templates", params=JETTY, json={"document": {"name": "T", **document}, "free_name": True}
    )
    assert made.status_code == 201, made.text
    info: dict[str, Any] = made.json()
    match = {"If-Match": f'"{info["revision"]}"'}
    saved = client.post(f"/api/v1/templates/{info['id']}/versions", json={"note": ""}, headers=match)
    assert saved.status_code == 201, saved.text
    return info


FARES = {
    "records": "passage",
    "columns": [
        {"id": "a", "heading": "Boat", "value": {"field": "boat.boat_name"}},
        {"id": "b", "heading": "Fare", "value": {"formula": "{fare} * 2"}},
    ],
    "filter": {"all": [{"path": "fare", "is": "greater_than", "value": 10}]},
    "order": [{"path": "fare"}],
}


def test_a_label_is_changed_for_everybody_once_it_is_in_use(keeper: TestClient) -> None:
    """Until then it is a draft, which only shows in Set-up; paths stay what they were."""
    done = edit(keeper, {"table": "boat", "field": "owner_email", "label": "Owner's address", "personal": True})
    assert (done.status_code, done.json()["revision"], done.json()["version"]) == (200, 1, 0)
    assert done.json()["changes"] >= 1
    here = {"path": "owner_email", "label": "Owner's address", "personal": True}

    def shown() -> dict[str, Any]:
        groups = keeper.get("/api/v1/record-types/boat", params=JETTY).json()["groups"]
        found = next(f for f in groups[0]["fields"] if f["path"] == "owner_email")
        return {k: found[k] for k in here}

    assert shown()["label"] != "Owner's address"
    assert field(keeper, "boat", "owner_email")["label"] == "Owner's address"
    assert field(keeper, "boat", "owner_email")["guesses"] == []
    assert use(keeper, "who owns it").json()["version"] == 1
    assert shown() == here
    assert [v["note"] for v in keeper.get(f"{CATALOGUE}/versions", params=JETTY).json()] == ["who owns it"]


def test_fields_are_parts_of_what_the_keeper_says(keeper: TestClient) -> None:
    """Guessed where nobody says, said for any field, and taken back by saying nothing."""

    def shown() -> dict[str, str]:
        groups = keeper.get("/api/v1/record-types/boat", params=JETTY).json()["groups"]
        return {f["path"]: f["part_of"] for f in groups[0]["fields"] if f["part_of"]}

    assert shown() == {}
    papers = [{"table": "boat", "field": name, "part_of": "Papers"} for name in ("built", "owner_email")]
    edit(keeper, *papers).raise_for_status()
    use(keeper).raise_for_status()
    assert shown() == {"built": "Papers", "owner_email": "Papers"}
    revision = keeper.get(CATALOGUE, params=JETTY).json()["revision"]
    taken = edit(keeper, {"table": "boat", "field": "built", "part_of": ""}, revision=revision)
    taken.raise_for_status()
    use(keeper).raise_for_status()
    assert shown() == {"owner_email": "Papers"}
    assert edit(keeper, {"table": "boat", "field": "built", "part_of": "x" * 41}).status_code == 422


def test_the_shelf_knows_how_many_templates_use_a_field(
    keeper: TestClient, sign_in: Callable[[str], TestClient]
) -> None:
    """Those that whoever looks may look at: how often another's own use it is not told."""

    def uses(client: TestClient) -> dict[str, int]:
        groups = client.get("/api/v1/record-types/passage", params=JETTY).json()["groups"]
        return {f["path"]: f["uses"] for g in groups for f in g["fields"] if f["uses"]}

    made = template(keeper, **FARES)
    template(keeper, **{**FARES, "columns": FARES["columns"][:1], "filter": {"all": []}, "order": []})
    assert uses(keeper) == {"fare": 1, "boat.boat_name": 2}
    keeper.patch(f"/api/v1/templates/{made['id']}", json={"standing": "own"}).raise_for_status()
    assert uses(sign_in("ines")) == {"boat.boat_name": 1}


def test_what_nobody_touched_goes_on_being_guessed(keeper: TestClient) -> None:
    before = table(keeper, "boat")
    edit(keeper, {"table": "boat", "field": "built", "meaning": "When she was launched."})
    after = table(keeper, "boat")
    assert before["plural"] == after["plural"] == "boats"
    for old, new in zip(before["fields"], after["fields"], strict=True):
        if new["name"] != "built":
            assert new == old
    assert field(keeper, "boat", "built")["guesses"] == []
    kept = edit(keeper, {"table": "boat", "keep": True}, revision=1)
    assert next(t for t in kept.json()["tables"] if t["table"] == "boat")["guessed"] == 0


def test_a_plural_changes_no_path(keeper: TestClient) -> None:
    """Templates lead to many by a path that was made from the first plural."""
    columns = [{"id": "a", "heading": "N", "value": {"fold": {"path": "passages", "how": "count"}}}]
    made = template(keeper, records="boat", columns=columns)
    edit(keeper, {"table": "passage", "label": "crossing", "plural": "crossings"})
    found = keeper.get(f"{CATALOGUE}/consequences", params=JETTY).json()
    assert found["breaks"] == []
    use(keeper)
    row = next(r for r in keeper.get("/api/v1/templates").json() if r["id"] == made["id"])
    assert row["broken"] == ""
    look = {"document": made["document"], "limit": 5, "offset": 0, "bench": "", "keys": False}
    assert keeper.post("/api/v1/design/look", params=JETTY, json=look).json()["rows"] == [["20"], ["20"]]


def test_numbers_kept_as_text_are_read_as_numbers(keeper: TestClient, services: Services) -> None:
    """Said to be a number, a text sums and compares as one; what is none is blank, and counted in the slip."""
    edit(keeper, {"table": "passage", "field": "weight_text", "kind": "integer", "label": "Weight", "unit": "kg"})
    use(keeper)
    made = template(
        keeper,
        records="passage",
        columns=[
            {"id": "a", "heading": "No", "value": {"field": "passage_id"}},
            {"id": "b", "heading": "Weight", "value": {"field": "weight_text"}},
        ],
        order=[{"path": "weight_text", "direction": "descending", "blanks": "last"}],
    )
    look = {"document": made["document"], "limit": 50, "offset": 0, "bench": "", "keys": False}
    rows = keeper.post("/api/v1/design/look", params=JETTY, json=look).json()["rows"]
    assert (rows[0], rows[1], rows[-1]) == (["40", "400"], ["39", "390"], ["7", None])
    above = {**made["document"], "filter": {"all": [{"path": "weight_text", "is": "at_least", "value": 390}]}}
    tally = keeper.post("/api/v1/design/tally", params=JETTY, json={**look, "document": above}).json()["steps"]
    assert tally[-1]["rows"] == 2
    run = keeper.post("/api/v1/runs", json={"template_id": made["id"], "purpose": "x"}).json()["id"]
    execute(services, run)
    slip = keeper.get(f"/api/v1/runs/{run}").json()["slip"]
    assert "1" in str([c for c in slip["columns"] if c["heading"] == "Weight"])


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"table": "nowhere", "label": "x"}, "no record type of the table"),
        ({"table": "boat", "field": "nothing", "label": "x"}, "has no field “nothing”"),
        ({"table": "boat", "field": "built", "kind": "decimal"}, "cannot be of the kind decimal"),
        ({"table": "boat", "field": "built", "label": "  "}, "needs a label"),
        ({"table": "boat", "plural": ""}, "needs a name"),
        ({"table": "boat", "title": "nothing"}, "to be known by"),
        ({"table": "boat", "belongs_to": "nothing"}, "that names a person"),
        ({"table": "boat", "unit_by": "nothing"}, "that tells a unit"),
        ({"table": "boat", "field": "built", "substitute": "nothing"}, "to take instead"),
        ({"table": "boat", "relation": {"label": "X", "to": "quay", "columns": {"boat_id": "id"}}}, "to lead to"),
        ({"table": "boat", "relation": {"label": "X", "to": "passage", "columns": {"no": "boat_id"}}}, "no column"),
    ],
)
def test_what_cannot_be_said_is_refused(keeper: TestClient, wrong: dict[str, Any], said: str) -> None:
    refused = edit(keeper, wrong)
    assert (refused.status_code, said in refused.json()["detail"]) == (422, True), refused.text
    assert keeper.get(CATALOGUE, params=JETTY).json()["revision"] == 0


def test_two_people_do_not_undo_each_other(keeper: TestClient) -> None:
    assert edit(keeper, {"table": "boat", "label": "vessel"}).status_code == 200
    late = edit(keeper, {"table": "boat", "label": "ship"})
    assert (late.status_code, late.json()["changed_by"], late.json()["revision"]) == (412, "Marta Lindqvist", 1)
    assert table(keeper, "boat")["label"] == "vessel"
    assert edit(keeper, {"table": "boat", "label": "ship"}, revision=1).status_code == 200


def test_a_relation_by_hand_leads_somewhere(keeper: TestClient, cluster: OwnCluster) -> None:
    change(
        cluster,
        "CREATE TABLE log (log_id int PRIMARY KEY, vessel int, said text);"
        "INSERT INTO log VALUES (1, 2, 'fog'); GRANT SELECT ON log TO marrowby_reader",
    )
    keeper.post(f"{CATALOGUE}/read", params=JETTY)
    if not any(not r["many"] for r in table(keeper, "log")["relations"]):
        new = {"label": "Vessel", "to": "boat", "columns": {"vessel": "boat_id"}}
        assert edit(keeper, {"table": "log", "relation": new}).status_code == 200
        use(keeper)
    relation = next(r["name"] for r in table(keeper, "log")["relations"] if not r["many"])
    columns = [{"id": "a", "heading": "A", "value": {"field": f"{relation}.boat_name"}}]
    look = {
        "document": {"name": "x", "records": "log", "columns": columns},
        "limit": 5,
        "offset": 0,
        "bench": "",
        "keys": False,
    }
    assert keeper.post("/api/v1/design/look", params=JETTY, json=look).json()["rows"] == [["Tern"]]


def test_a_hidden_record_type_is_gone_and_comes_back(keeper: TestClient) -> None:
    template(keeper, **FARES)
    edit(keeper, {"table": "passage", "hidden": True})
    found = keeper.get(f"{CATALOGUE}/consequences", params=JETTY).json()
    assert [b["template"] for b in found["breaks"]] == ["T"]
    use(keeper)
    assert {t["name"] for t in keeper.get("/api/v1/record-types", params=JETTY).json()} == {"boat"}
    edit(keeper, {"table": "passage", "hidden": False})
    use(keeper)
    assert {t["name"] for t in keeper.get("/api/v1/record-types", params=JETTY).json()} == {"boat", "passage"}


def test_the_document_goes_out_and_in(keeper: TestClient) -> None:
    """As TOML, without loss; one that is none, or of another form, is refused at its place."""
    edit(keeper, {"table": "boat", "field": "built", "label": "Launched", "synonyms": ["year", "“age”"]})
    edit(keeper, {"table": "boat", "label": "vessel", "plural": "vessels", "title": "boat_name"}, revision=1)
    text = keeper.get(f"{CATALOGUE}/document", params=JETTY).text
    before = table(keeper, "boat")
    assert keeper.delete(f"{CATALOGUE}/draft", params=JETTY).status_code == 204
    assert table(keeper, "boat")["label"] == "boat"
    put = keeper.put(f"{CATALOGUE}/document", params=JETTY, json={"revision": 0, "text": text})
    assert put.status_code == 200, put.text
    assert table(keeper, "boat") == before
    large = ("title = " + "[" * 5_000, "title = " + "9" * 5_000, "title = 1e999999999")
    for wrong in ("title = ", 'title = "x"\nnonsense = 1', 'title = "x"\n[tables.boat]\nfields = 3', *large):
        assert keeper.put(f"{CATALOGUE}/document", params=JETTY, json={"revision": 1, "text": wrong}).status_code == 422


def test_an_earlier_version_is_edited_again(keeper: TestClient) -> None:
    for label in ("vessel", "ship"):
        edit(keeper, {"table": "boat", "label": label})
        use(keeper, label)
    assert keeper.post(f"{CATALOGUE}/versions/1/edit", params=JETTY).status_code == 200
    assert table(keeper, "boat")["label"] == "vessel"
    assert keeper.post(f"{CATALOGUE}/versions/1/edit", params=JETTY).status_code == 409
    assert keeper.post(f"{CATALOGUE}/versions/9/edit", params=JETTY).status_code == 404


def test_a_renamed_column_is_replaced_everywhere(keeper: TestClient, services: Services, cluster: OwnCluster) -> None:
    """Its round pauses with a notice; replaced in one act, the template is whole, saved, and the round goes on."""
    made = template(keeper, **FARES)
    round_ = keeper.post(
        "/api/v1/rounds",
        json={
            "template_id": made["id"],
            "rhythm": {"every": "day", "times": ["06:00"]},
            "zone": "UTC",
            "folder": "jetty",
            "format": "csv",
        },
    )
    assert round_.status_code == 201, round_.text
    change(cluster, "ALTER TABLE passage RENAME COLUMN fare TO ticket_fare")
    read_sources(services)
    with services.store.session() as session:
        assert session.scalars(sa.select(Round)).one().paused_for == "source"
        notices = session.scalars(sa.select(Notice).join(Person, Person.id == Notice.person_id)).all()
    assert any("changed" in n.text and n.link == f"/templates/{made['id']}" for n in notices)
    assert [n["link"] for n in keeper.get("/api/v1/notices").json()] == [f"/templates/{made['id']}"]
    read_sources(services)
    with services.store.session() as session:
        assert len(session.scalars(sa.select(Notice)).all()) == len(notices)

    broken = keeper.get(f"{CATALOGUE}/drift", params=JETTY).json()["broken"]
    assert [(b["template"], b["rounds"], b["paused"]) for b in broken] == [("T", 1, 1)]
    missing = broken[0]["missing"][0]
    assert (missing["records"], missing["name"], missing["candidates"][0]) == ("passage", "fare", "ticket_fare")
    done = keeper.post(
        f"{CATALOGUE}/replace", params=JETTY, json={"records": "passage", "name": "fare", "new": "ticket_fare"}
    )
    assert done.json() == [{"template_id": made["id"], "template": "T", "whole": True, "resumed": 1}]
    assert keeper.get(f"{CATALOGUE}/drift", params=JETTY).json()["broken"] == []
    after = keeper.get(f"/api/v1/templates/{made['id']}").json()
    assert (after["version"], after["changed"]) == (2, False)
    assert "ticket_fare" in str(after["document"]["filter"])
    assert after["document"]["columns"][1]["value"]["formula"] == "{ticket_fare} * 2"
    with services.store.session() as session:
        round_now = session.scalars(sa.select(Round)).one()
        assert (round_now.paused, round_now.next_at - NOW < timedelta(days=2)) == (False, True)
    run = keeper.post("/api/v1/runs", json={"template_id": made["id"]}).json()
    execute(services, run["id"])
    assert keeper.get(f"/api/v1/runs/{run['id']}").json()["rows_written"] == 32


def test_a_template_that_is_broken_never_makes_a_narrower_file(
    keeper: TestClient, services: Services, cluster: OwnCluster
) -> None:
    made = template(keeper, **FARES)
    change(cluster, "ALTER TABLE passage DROP COLUMN fare")
    run = keeper.post("/api/v1/runs", json={"template_id": made["id"]})
    if run.status_code == 202:
        execute(services, run.json()["id"])
        assert keeper.get(f"/api/v1/runs/{run.json()['id']}").json()["status"] == "failed"
    keeper.post(f"{CATALOGUE}/read", params=JETTY)
    assert keeper.post("/api/v1/runs", json={"template_id": made["id"]}).status_code == 422
    refused = keeper.post(
        f"{CATALOGUE}/replace", params=JETTY, json={"records": "passage", "name": "fare", "new": "gone"}
    )
    assert refused.status_code == 404


def test_a_renamed_table_is_replaced_everywhere(keeper: TestClient, cluster: OwnCluster) -> None:
    template(keeper, records="boat", columns=[{"id": "a", "heading": "A", "value": {"field": "boat_name"}}])
    change(cluster, "ALTER TABLE boat RENAME TO vessel")
    broken = keeper.post(f"{CATALOGUE}/read", params=JETTY).json()["broken"]
    assert [(m["records"], m["name"]) for m in broken[0]["missing"]] == [("boat", "")]
    done = keeper.post(f"{CATALOGUE}/replace", params=JETTY, json={"records": "boat", "new": "vessel"})
    assert [r["whole"] for r in done.json()] == [True]


def test_a_template_is_moved_to_another_source(keeper: TestClient, cluster: OwnCluster, services: Services) -> None:
    """What is missing there is listed with candidates; replaced, it is whole, saved again, and reads the other."""
    twin = made_jetty(cluster, "twin_test")
    change(
        cluster, "ALTER TABLE boat RENAME TO vessel; ALTER TABLE vessel RENAME COLUMN built TO built_on", "twin_test"
    )
    keeper.post("/api/v1/sources", json={"name": "Twin", "address": twin}).raise_for_status()
    columns = [
        {"id": "a", "heading": "A", "value": {"field": "boat_name"}},
        {"id": "b", "heading": "B", "value": {"field": "built"}},
    ]
    made = template(keeper, records="boat", columns=columns)
    missing = f"/api/v1/templates/{made['id']}/missing"
    first = keeper.post(missing, json={"to": "Twin"}).json()["missing"]
    assert [(m["records"], m["name"]) for m in first] == [("boat", "")]
    second = keeper.post(missing, json={"to": "Twin", "replacing": [{"records": "boat", "new": "vessel"}]}).json()[
        "missing"
    ]
    assert [(m["records"], m["name"], m["candidates"][0]) for m in second] == [("vessel", "built", "built_on")]
    replacing = [{"records": "boat", "new": "vessel"}, {"records": "vessel", "name": "built", "new": "built_on"}]
    moved = keeper.post(f"/api/v1/templates/{made['id']}/move", json={"to": "Twin", "replacing": replacing})
    assert (moved.status_code, moved.json()["source"], moved.json()["version"]) == (200, "Twin", 2)
    run = keeper.post("/api/v1/runs", json={"template_id": made["id"]}).json()
    execute(services, run["id"])
    assert keeper.get(f"/api/v1/runs/{run['id']}").json()["slip"]["source"] == "Twin"

    back = keeper.post(f"/api/v1/templates/{made['id']}/move", json={"to": "Jetty"}).json()
    assert (back["source"], back["version"]) == ("Jetty", 2)
    row = next(r for r in keeper.get("/api/v1/templates").json() if r["id"] == made["id"])
    assert "vessel" in row["broken"]
    assert keeper.post(f"/api/v1/templates/{made['id']}/move", json={"to": "Nowhere"}).status_code == 404


def test_whose_a_record_is_and_what_tells_units_can_be_said(keeper: TestClient) -> None:
    """It is offered with the record type, and taken back by saying nothing."""
    said = {"table": "boat", "belongs_to": "owner_email", "touched_by": "owner_email", "unit_by": "boat_name"}
    edit(keeper, said).raise_for_status()
    use(keeper).raise_for_status()
    groups = keeper.get("/api/v1/record-types/passage", params=JETTY).json()["groups"]
    assert [(g["path"], g["unit_by"]) for g in groups] == [("", None), ("boat", "boat_name")]
    known = keeper.get("/api/v1/record-types/boat", params=JETTY).json()["record_type"]
    assert (known["belongs_to"], table(keeper, "boat")["touched_by"]) == ("owner_email", "owner_email")
    revision = keeper.get(CATALOGUE, params=JETTY).json()["revision"]
    edit(keeper, {"table": "boat", "belongs_to": ""}, revision=revision).raise_for_status()
    assert table(keeper, "boat")["belongs_to"] is None
