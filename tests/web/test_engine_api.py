"""
The engine over the API: folds and children in a look, trace, records left out, finding, facts, saved lists, rights.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from fastapi.testclient import TestClient

Query = Callable[[str], list[tuple[Any, ...]]]
SignIn = Callable[[str], TestClient]

TREES: dict[str, Any] = {
    "name": "Trees",
    "records": "tree",
    "columns": [
        {"id": "t", "heading": "Tag", "value": {"field": "tag"}},
        {
            "id": "s",
            "heading": "Seen",
            "value": {
                "fold": {
                    "path": "inspections.inspected_on",
                    "how": "spread",
                    "columns": 2,
                    "order": [{"path": "inspected_on"}],
                }
            },
        },
        {"id": "x", "heading": "Wrong", "value": {"field": "inspections.remarks"}},
    ],
    "filter": {"all": [{"path": "seal", "is": "not_blank"}, {"path": "t_girth", "is": "at_least", "value": 100}]},
}


def test_a_look_spreads_columns_and_offers_ways_out(client: TestClient, sign_in: SignIn) -> None:
    """A spread stands in several places under one id; an unsound column keeps its place, and its cures come as edits."""
    sign_in("ines")
    look = client.post("/api/v1/design/look", json={"document": TREES}).json()

    assert [(c["id"], c["number"], c["heading"], c["sound"]) for c in look["columns"]] == [
        ("t", 1, "Tag", True), ("s", 1, "Seen 1", True), ("s", 2, "Seen 2", True), ("x", 1, "Wrong", False),
    ]  # fmt: skip
    assert {len(row) for row in look["rows"]} == {4}
    ways = look["problems"][0]["ways_out"]
    assert [w["act"] for w in ways] == ["fold", "fold", "per_child", "companion_file"]
    assert ways[0]["place"] == "columns[2].value"


def test_every_way_out_with_a_place_cures_the_problem(client: TestClient, sign_in: SignIn) -> None:
    """Put in its place, the edit makes a document that can be run."""
    sign_in("ines")
    problem = client.post("/api/v1/design/look", json={"document": TREES}).json()["problems"][0]

    for way in problem["ways_out"]:
        if not way["place"]:
            continue
        document = json.loads(json.dumps(TREES))
        if way["place"] == "rows":
            document["rows"] = way["value"]
            document["columns"] = [c for c in document["columns"] if c["id"] != "s"]
        else:
            document["columns"][2]["value"] = way["value"]
        assert client.post("/api/v1/design/look", json={"document": document}).json()["problems"] == []


def test_a_wrong_formula_points_at_its_character(client: TestClient, sign_in: SignIn) -> None:
    """The problem carries the place and the position in the text."""
    sign_in("ines")
    document = {**TREES, "columns": [{"id": "f", "heading": "F", "value": {"formula": "1 + {girt}"}}]}
    problem = client.post("/api/v1/design/look", json={"document": document}).json()["problems"][0]

    assert (problem["place"], problem["at"]) == ("columns[0].value.formula", 4)
    assert "Did you mean" in problem["message"]


def test_trace_and_left_out_over_the_api(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """Why a record is out, and who else a step left out."""
    sign_in("ines")
    document = {**TREES, "columns": TREES["columns"][:1]}
    out = query(
        "SELECT t_id::text AS x, t_tag FROM tree WHERE t_seal IS NOT NULL AND (t_girth < 100 OR t_girth IS NULL) ORDER BY t_id"
    )
    found = client.post("/api/v1/design/trace", json={"document": document, "key": [out[0][1]]}).json()["record"]
    left = client.post("/api/v1/design/left-out", json={"document": document, "place": "filter.all[1]"}).json()
    unknown = client.post("/api/v1/design/left-out", json={"document": document, "place": "filter.all[9]"})

    assert (found["key"], found["is_in"], found["stopped_by"]) == ([out[0][0]], False, 1)
    assert found["steps"][1]["saw"][0]["label"] == "Girth"
    assert [(r["key"][0], r["title"]) for r in left["records"]] == out
    assert unknown.status_code == 404


def test_finding_streams_and_facts_answer(client: TestClient, sign_in: SignIn) -> None:
    """Server-sent findings, the last one done; facts of a field; 404 for what is not there."""
    sign_in("ines")
    text = client.get("/api/v1/record-types/tree/find", params={"value": "Quay"}).text
    findings = [json.loads(line[6:]) for line in text.splitlines() if line.startswith("data: ")]
    facts = client.get("/api/v1/record-types/tree/facts/status").json()

    assert findings[-1]["done"] is True
    assert "site.ward.name" in [h["path"] for h in findings[-1]["hits"]]
    assert facts["top"][0]["value"] == "Standing"
    assert client.get("/api/v1/record-types/tree/facts/nothing").status_code == 404
    assert client.get("/api/v1/record-types/nothing/find", params={"value": "x"}).status_code == 404
    assert len(client.get("/api/v1/design/functions").json()) > 80
    assert client.get("/api/v1/schema/template").json()["title"] == "Template"


def test_saved_lists_are_kept_and_narrow(client: TestClient, sign_in: SignIn) -> None:
    """A hand-picked list is saved under a name, named by a template, and gone when removed."""
    sign_in("ines")
    keys = [["5"], ["17"], ["5"]]
    saved = client.put("/api/v1/picks/Favourites", json={"records": "tree", "keys": keys}).json()
    document = {**TREES, "columns": TREES["columns"][:1], "filter": {"all": [{"picks": "favourites"}]}}
    look = client.post("/api/v1/design/look", json={"document": document}).json()
    client.delete("/api/v1/picks/favourites")
    gone = client.post("/api/v1/design/look", json={"document": document}).json()

    assert saved["size"] == 2
    assert [row[0] for row in look["rows"]] == ["MB-00005", "MB-00017"]
    assert gone["problems"][0]["code"] == "unknown_picks"
    assert client.put("/api/v1/picks/x", json={"records": "nothing", "keys": []}).status_code == 404


def test_a_run_needs_the_answers_its_template_asks_for(client: TestClient, sign_in: SignIn) -> None:
    """Without an answer it is refused at its place; with one it is entered, and an unknown answer is refused."""
    sign_in("ines")
    document = {
        **TREES,
        "name": "Asking",
        "columns": TREES["columns"][:1],
        "asks": [{"name": "st", "label": "Which status?", "kind": "choices"}],
        "filter": {"all": [{"path": "status", "is": "one_of", "ask": "st"}]},
    }
    template = client.post("/api/v1/templates", json={"document": document}).json()["id"]

    def run(**answers: Any) -> Any:
        return client.post("/api/v1/runs", json={"template_id": template, "use": "draft", "answers": answers})

    assert run().json()["errors"][0]["place"] == "asks[0]"
    assert run(st=["S"]).status_code == 202
    assert run(st=["S"], other=1).json()["errors"][0]["place"] == "answers.other"


def test_a_runner_sees_only_what_their_rights_leave(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """Tobin's two wards: in the look, in the tally, in the trace; and not the values of everybody's records."""
    sign_in("tobin")
    document = {
        **TREES,
        "columns": [TREES["columns"][0], {"id": "w", "heading": "Ward", "value": {"field": "site.ward.code"}}],
        "filter": {"all": []},
    }
    look = client.post("/api/v1/design/look", json={"document": document, "limit": 200}).json()
    tally = client.post("/api/v1/design/tally", json={"document": document}).json()["steps"]
    inside, outside = (
        query(
            f"SELECT t_id::text AS x FROM tree t JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id WHERE w_code {how} ('03', '07') LIMIT 1"
        )[0][0]
        for how in ("IN", "NOT IN")
    )
    trace = lambda key: client.post("/api/v1/design/trace", json={"document": document, "key": [key]}).json()["record"]  # noqa: E731

    assert {row[1] for row in look["rows"]} == {"03", "07"}
    assert [s["kind"] for s in tally] == ["all", "scope"]
    assert trace(inside)["is_in"]
    assert trace(outside) is None
    facts = client.get("/api/v1/record-types/tree/facts/tag").json()
    assert [(facts["rows"],)] == query(
        "SELECT count(*) FROM tree t JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id WHERE w_code IN ('03', '07')"
    )
    assert client.get("/api/v1/record-types/tree/find", params={"value": "Quay"}).status_code == 200
