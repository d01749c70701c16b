"""
The API: signing in, designing, running, with errors that point.
"""

from __future__ import annotations

import json
from importlib.resources import files
from itertools import product
from typing import Any

import jsonschema_rs
import pytest
from fastapi.testclient import TestClient

from bouquet.runs import MailServer, Services, execute
from bouquet.sources import Source
from tests.conftest import CATALOGUE

V = "/api/v1"
DOCUMENT = {
    "format": "bouquet-template/1",
    "name": "Wards by name",
    "records": "ward",
    "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
}


def enter(client: TestClient, who: str, password: str) -> TestClient:
    answer = client.post(f"{V}/session", json={"email": f"{who}@marrowby.example", "password": password})
    assert answer.status_code == 200, answer.text
    return client


@pytest.fixture
def ines(client: TestClient) -> TestClient:
    """Ines, signed in."""
    return enter(client, "ines", "damson-and-lime")


def make(client: TestClient, document: dict[str, Any] = DOCUMENT) -> Any:
    answer = client.post(f"{V}/templates", json={"document": document})
    assert answer.status_code == 201, answer.text
    return answer.json()


def test_everything_is_behind_the_sign_in(client: TestClient) -> None:
    """Every route of the API but health, the door, the first start and the schema refuses strangers."""
    open_ones = {
        f"{V}/health",
        f"{V}/health/ready",
        f"{V}/openapi.json",
        f"{V}/schema/template",
        f"{V}/session",
        f"{V}/first-start",
        *(f"{V}/session/{way}" for way in ("ways", "house", "house/back", "forgotten", "set-password")),
    }
    paths = client.get(f"{V}/openapi.json").json()["paths"]
    tried = 0
    for path, methods in paths.items():
        for method in methods:
            if path in open_ones:
                continue
            answer = client.request(method, path.replace("{", "").replace("}", ""), json={})
            assert answer.status_code in (401, 404, 422), (method, path, answer.status_code)
            tried += answer.status_code == 401
    assert tried > 15


def test_documents_are_described_as_what_is_read(client: TestClient) -> None:
    """A template is described once, for requests and answers, part by part: as each of the demonstration's is written."""
    description = client.get(f"{V}/openapi.json").json()
    schemas = description["components"]["schemas"]
    dialect = "https://json-schema.org/draft/2020-12/schema"
    documents = [json.loads(p.read_text()) for p in files("bouquet.demo").joinpath("templates").iterdir()]
    one = jsonschema_rs.validator_for(
        {"$schema": dialect, "$ref": "#/components/schemas/Template", "components": description["components"]}
    )

    assert [e.message for document in documents for e in one.iter_errors(document)] == []
    assert not one.is_valid({**documents[0], "colums": []})
    assert not one.is_valid({**documents[0], "filter": {"path": "tag", "is": "like"}})
    for name in ("LookRequest", "NewTemplate", "TemplateOut", "VersionDocument", "ViewOut"):
        assert "#/components/schemas/Template'" in str(schemas[name]["properties"]["document"]), name


def test_signing_in_and_out(client: TestClient) -> None:
    """A wrong password is refused; the cookie cannot be read by scripts; out is out."""
    wrong = client.post(f"{V}/session", json={"email": "ines@marrowby.example", "password": "x"})
    assert (wrong.status_code, wrong.json()["type"]) == (401, "/problems/wrong_password")
    enter(client, "ines", "damson-and-lime")
    cookie = client.post(
        f"{V}/session", json={"email": "ines@marrowby.example", "password": "damson-and-lime"}
    ).headers["set-cookie"]

    assert "HttpOnly" in cookie
    assert "SameSite=strict" in cookie
    assert client.get(f"{V}/session").json()["person"]["name"] == "Ines Harrow"
    client.delete(f"{V}/session")
    assert client.get(f"{V}/session").status_code == 401


def test_rights_follow_from_roles(client: TestClient, services: Services) -> None:
    """An auditor looks and runs nothing; a runner runs and designs nothing; both are told who can help."""
    made = make(enter(client, "ines", "damson-and-lime"))
    enter(client, "oskar", "ledger-and-slip")
    refused = client.post(f"{V}/runs", json={"template_id": made["id"]})
    assert (refused.status_code, refused.json()["type"]) == (403, "/problems/not_allowed")
    assert "Ask an administrator: Marta Lindqvist" in refused.json()["detail"]
    assert client.get(f"{V}/runs").status_code == 200
    enter(client, "tobin", "quay-and-salter")

    assert client.post(f"{V}/templates", json={"document": DOCUMENT}).status_code == 403
    assert client.post(f"{V}/runs", json={"template_id": made["id"]}).status_code == 202


def test_a_new_template_starts_in_plain_view(ines: TestClient) -> None:
    """Everyday fields with units in their headings, the catalogue's proposals as visible narrowings, a free name."""
    first = ines.post(f"{V}/templates", json={"records": "tree"}).json()
    second = ines.post(f"{V}/templates", json={"records": "tree", "everyday": False}).json()

    assert first["name"] == "Trees"
    assert "Girth (cm)" in [c["heading"] for c in first["document"]["columns"]]
    assert first["document"]["filter"] == {"all": [{"path": "deleted_at", "is": "blank"}]}
    assert second["name"] == "Trees 2"
    assert "columns" not in second["document"]


def test_a_look_shows_what_the_file_will(ines: TestClient) -> None:
    """Sentence, columns and rows through the run's plan; further pages follow on."""
    answer = ines.post(f"{V}/design/look", json={"document": DOCUMENT, "limit": 5}).json()
    following = ines.post(f"{V}/design/look", json={"document": DOCUMENT, "limit": 50, "offset": 5}).json()

    assert "".join(p["text"] for p in answer["sentence"]) == "One row per ward; every row."
    assert answer["rows"][0] == ["Northgate"]
    assert (answer["more"], following["more"]) == (True, False)
    assert len(answer["rows"]) + len(following["rows"]) == 12
    assert answer["file_name"].startswith("wards_by_name_2026-11-23")


def test_a_look_at_a_broken_draft_shows_what_it_can(ines: TestClient) -> None:
    """The sound columns keep their rows, the other says what is wrong at its place."""
    columns = [*DOCUMENT["columns"], {"id": "b", "heading": "Ward", "value": {"field": "nam"}}]  # type: ignore[misc]
    answer = ines.post(f"{V}/design/look", json={"document": {**DOCUMENT, "columns": columns}}).json()

    assert answer["rows"][0] == ["Northgate", None]
    assert [c["sound"] for c in answer["columns"]] == [True, False]
    assert {p["place"] for p in answer["problems"]} >= {
        "columns[1].value.field",
        "columns[0].heading",
        "columns[1].heading",
    }
    assert answer["problems"][-1]["candidates"] == ["name"] or any(
        p["candidates"] == ["name"] for p in answer["problems"]
    )


@pytest.mark.parametrize("path", ["templates/abc", "runs/1.5", "rounds/x", "runs/1/files/%C3%A9"])
def test_an_address_that_can_be_none_leads_nowhere(ines: TestClient, path: str) -> None:
    """As a number that nobody has does; not to a form with something wrong in it."""
    answer = ines.get(f"/api/v1/{path}")

    assert (answer.status_code, answer.json()["detail"]) == (404, "There is nothing at this address.")


def test_an_unreadable_document_is_a_problem_not_a_crash(ines: TestClient) -> None:
    """Looking answers with places; keeping it is refused with the same."""
    newer = {**DOCUMENT, "format": "bouquet-template/2"}
    looked = ines.post(f"{V}/design/look", json={"document": newer}).json()
    kept = ines.post(f"{V}/templates", json={"document": newer})

    assert looked["problems"][0]["place"] == "format"
    assert (kept.status_code, kept.json()["errors"][0]["code"]) == (422, "newer_format")


def test_the_tally_of_a_wrong_filter_points_at_it(ines: TestClient) -> None:
    """No count is better than a wrong one."""
    bad = {**DOCUMENT, "filter": {"all": [{"path": "residents", "is": "at_least", "value": "many"}]}}
    answer = ines.post(f"{V}/design/tally", json={"document": bad})

    assert answer.status_code == 422
    assert answer.json()["errors"][0]["place"] == "filter.all[0].value"
    good = ines.post(f"{V}/design/tally", json={"document": DOCUMENT}).json()
    assert [s["rows"] for s in good["steps"]] == [12]


def test_drafts_versions_and_lost_updates(ines: TestClient) -> None:
    """A draft is kept with its revision; an old revision is refused with whose change it was."""
    made = make(ines)
    address = f"{V}/templates/{made['id']}"
    changed = {**made["document"], "about": "new"}

    assert ines.put(f"{address}/draft", json=changed).status_code == 422
    kept = ines.put(f"{address}/draft", json=changed, headers={"If-Match": '"1"'})
    assert (kept.status_code, kept.headers["etag"], kept.json()["changed"]) == (200, '"2"', True)
    again = ines.put(f"{address}/draft", json=changed, headers={"If-Match": '"1"'})
    other = {**changed, "about": "another window's"}
    lost = ines.put(f"{address}/draft", json=other, headers={"If-Match": '"1"'})
    assert (lost.status_code, lost.json()["changed_by"]) == (412, "Ines Harrow")
    # Whoever did not hear the answer asks the same again.
    assert (again.status_code, again.json()["revision"]) == (200, 2)
    saved = ines.post(f"{address}/versions", json={"note": "first"}, headers={"If-Match": '"2"'})
    assert (saved.status_code, saved.json()["version"], saved.json()["changed"]) == (201, 1, False)
    assert [v["note"] for v in ines.get(f"{address}/versions").json()] == ["first"]
    taken = ines.post(f"{V}/templates", json={"document": {**DOCUMENT, "name": "WARDS BY NAME"}})
    assert (taken.status_code, taken.json()["errors"][0]["place"]) == (409, "name")
    assert ines.post(f"{address}/copy").json()["name"] == "Wards by name, copy"


def test_a_draft_with_problems_is_kept_but_not_saved(ines: TestClient) -> None:
    """Nothing typed is lost; a version must be able to run."""
    made = make(ines)
    address = f"{V}/templates/{made['id']}"
    wrong = {**made["document"], "columns": []}
    assert ines.put(f"{address}/draft", json=wrong, headers={"If-Match": '"1"'}).status_code == 200
    refused = ines.post(f"{address}/versions", json={}, headers={"If-Match": '"2"'})

    assert (refused.status_code, refused.json()["errors"][0]["code"]) == (422, "empty_sheet")
    assert ines.get(address).json()["version"] == 0


def test_a_run_from_asking_to_download(ines: TestClient, services: Services) -> None:
    """The ledger has who, what, how many and the file; the same key asks once; the file comes as it was written."""
    made = make(ines)
    headers = {"Idempotency-Key": "one"}
    asked = ines.post(f"{V}/runs", json={"template_id": made["id"], "use": "draft"}, headers=headers)
    again = ines.post(f"{V}/runs", json={"template_id": made["id"], "use": "draft"}, headers=headers)
    assert (asked.status_code, asked.json()["id"]) == (202, again.json()["id"])
    execute(services, asked.json()["id"])
    run = ines.get(f"{V}/runs/{asked.json()['id']}").json()
    file = ines.get(f"{V}/runs/{run['id']}/files/{run['files'][0]['id']}")

    assert (run["status"], run["asked_by"], run["rows_written"], run["version"]) == ("ready", "Ines Harrow", 12, None)
    assert file.text.splitlines()[:2] == ["Ward", "Northgate"]
    assert "wards_by_name" in file.headers["content-disposition"]
    assert [n["run_id"] for n in ines.get(f"{V}/notices").json()] == [run["id"]]
    assert ines.get(f"{V}/runs", params={"status": "ready", "search": "WARDS"}).json()["runs"][0]["id"] == run["id"]
    assert ines.get(f"{V}/runs", params={"search": "100%"}).json()["runs"] == []
    assert ines.get(f"{V}/templates").json()[0]["rows"] == [12]
    assert ines.get(f"{V}/runs/{run['id']}/files/999").status_code == 404


def test_the_ledger_pages_by_cursor(ines: TestClient) -> None:
    """Each page begins below the last, and the end says so."""
    made = make(ines)
    ids = [ines.post(f"{V}/runs", json={"template_id": made["id"]}).json()["id"] for _ in range(5)]
    first = ines.get(f"{V}/runs", params={"at_most": 3}).json()
    second = ines.get(f"{V}/runs", params={"at_most": 3, "before": first["next"]}).json()

    assert [r["id"] for r in first["runs"] + second["runs"]] == ids[::-1]
    assert second["next"] is None


def test_the_ledger_is_sorted_across_its_pages(ines: TestClient) -> None:
    """Every run stands on one page, also among runs that are equal in what they are sorted by."""
    for name in ("beech", "Ash", "cedar", "ash two"):
        made = make(ines, {**DOCUMENT, "name": name})
        for _ in range(2):
            ines.post(f"{V}/runs", json={"template_id": made["id"]})

    def pages(sort: str, ascending: bool) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = []
        page: dict[str, Any] = {"next": None}
        while len(found) % 3 == 0 and (not found or page["next"]):
            where = {"before": page["next"]} if page["next"] else {}
            page = ines.get(f"{V}/runs", params={"at_most": 3, "sort": sort, "ascending": ascending, **where}).json()
            found += page["runs"]
        return found

    keys = {"number": "id", "rows": "rows_written", "checks": "objections"}
    for sort, ascending in product(("number", "name", "asked_by", "rows", "status", "checks"), (True, False)):
        found = pages(sort, ascending)
        values = [r[keys.get(sort, sort)] for r in found]
        ranked = [
            ((v or 0) if sort == "rows" else v.lower() if isinstance(v, str) else v, r["id"])
            for v, r in zip(values, found, strict=True)
        ]
        assert len({r["id"] for r in found}) == 8, (sort, ascending)
        assert ranked == sorted(ranked, reverse=not ascending), (sort, ascending)


def test_rounds_are_shown_before_they_are_set(ines: TestClient) -> None:
    """The next five planned moments; a folder outside or a template never saved is refused in words."""
    made = make(ines)
    body = {"template_id": made["id"], "beat": "weekly", "day": 4, "at": "17:00", "folder": "desk"}
    planned = ines.post(f"{V}/rounds/preview", json=body).json()

    assert planned["words"] == "Fridays at 17:00"
    assert planned["next"][0] == "2026-11-27T17:00:00Z"
    assert len(planned["next"]) == 5
    assert ines.post(f"{V}/rounds", json=body).json()["type"] == "/problems/not_saved"
    assert ines.post(f"{V}/rounds/preview", json={**body, "folder": "../x"}).json()["type"] == "/problems/folder"
    assert ines.post(f"{V}/rounds/preview", json={**body, "zone": "Mars/One"}).status_code == 422
    ines.post(f"{V}/templates/{made['id']}/versions", json={}, headers={"If-Match": '"1"'})
    added = ines.post(f"{V}/rounds", json=body)
    assert added.status_code == 201
    assert ines.delete(f"{V}/templates/{made['id']}").json()["type"] == "/problems/in_use"
    address = f"{V}/rounds/{added.json()['id']}"
    assert ines.patch(address, json={"paused": True}).json()["next"] == []
    assert ines.delete(address).status_code == 204
    assert ines.get(f"{V}/rounds").json() == []


def test_a_source_that_is_down_keeps_the_draft(ines: TestClient, services: Services) -> None:
    """Looking says so in words; the draft can still be kept."""
    made = make(ines)
    known = services.sources.get().catalogue()
    services.sources.fixed = Source("marrowby", "postgresql://nobody@127.0.0.1:1/nowhere", CATALOGUE)
    services.sources.fixed.catalogue = lambda **_: known  # type: ignore[method-assign]
    looked = ines.post(f"{V}/design/look", json={"document": DOCUMENT})
    kept = ines.put(
        f"{V}/templates/{made['id']}/draft", json={**made["document"], "about": "kept"}, headers={"If-Match": '"1"'}
    )

    assert (looked.status_code, looked.json()["type"]) == (503, "/problems/source_down")
    assert kept.status_code == 200


def test_windows_say_their_dates(ines: TestClient) -> None:
    """For the window's editor; a senseless one has none."""
    windows = [{"type": "last", "count": 7}, {"type": "this", "unit": "hour"}]
    answer = ines.post(f"{V}/design/windows", json={"windows": windows, "zone": "Europe/London"}).json()

    assert answer == [{"words": "the last 7 days", "dates": "16 Nov – 22 Nov"}, {"words": "", "dates": None}]


def test_the_shelf_has_every_field_with_its_facts(ines: TestClient) -> None:
    """Own fields and those of the records a row leads to, with fill, example, choices and marks."""
    shelf = ines.get(f"{V}/record-types/inspection").json()
    groups = {g["path"]: {f["path"]: f for f in g["fields"]} for g in shelf["groups"]}

    assert list(groups) == ["", "tree", "tree.species", "tree.site", "tree.site.ward"]
    assert groups["tree"]["tree.status"]["choices"][-1] == {"code": "S", "label": "Standing"}
    assert groups["tree"]["tree.t_girth_old"]["substitute"] == "t_girth"
    assert groups[""]["remarks"]["fill"] == pytest.approx(0.44, abs=0.03)
    assert ines.get(f"{V}/record-types/dragon").status_code == 404


def test_answers_carry_safe_headers(ines: TestClient) -> None:
    """The page loads from its own address only; answers of the API are not stored."""
    answer = ines.get(f"{V}/runs")

    assert "default-src 'self'" in answer.headers["content-security-policy"]
    assert answer.headers["cache-control"] == "no-store"
    assert answer.headers["x-content-type-options"] == "nosniff"


def test_a_round_of_any_rhythm_minds_the_days_off(ines: TestClient, client: TestClient) -> None:
    """Set by an administrator; what a month's last working day is follows at once. What is no rhythm is said at its place.
    (Saint Andrew is kept on 30 November in Scotland.)
    """
    made = make(ines)
    rhythm = {"every": "month", "nth_working_day": [-1], "times": ["18:00"]}
    body = {"template_id": made["id"], "rhythm": rhythm, "folder": "desk"}
    before = ines.post(f"{V}/rounds/preview", json=body).json()
    assert before["words"] == "on the last working day of each month at 18:00"
    assert before["next"][:2] == ["2026-11-30T18:00:00Z", "2026-12-31T18:00:00Z"]
    own = {"country": "GB", "region": "SCT", "days": [{"day": "2026-12-31", "name": "Hogmanay"}]}
    assert ines.put(f"{V}/rounds/days-off", json=own).status_code == 403
    wrong = ines.post(f"{V}/rounds/preview", json={**body, "rhythm": {"every": "week", "times": ["18:00"]}}).json()
    assert "at least one day of the week" in wrong["errors"][0]["message"]
    marta = enter(client, "marta", "oak-before-ash")
    assert marta.put(f"{V}/rounds/days-off", json={"country": "XX"}).json()["type"] == "/problems/days_off"
    said = marta.put(f"{V}/rounds/days-off", json=own).json()
    after = marta.post(f"{V}/rounds/preview", json=body).json()

    assert after["next"][:2] == ["2026-11-27T18:00:00Z", "2026-12-30T18:00:00Z"]
    assert {"day": "2026-12-31", "name": "Hogmanay"} in said["next"]


def test_a_round_is_skipped_and_run_by_hand(ines: TestClient) -> None:
    """The next moment is left out; a run by hand is as of now and belongs to the round; one that ended plans nothing."""
    made = make(ines)
    ines.post(f"{V}/templates/{made['id']}/versions", json={}, headers={"If-Match": '"1"'})
    rhythm = {"every": "dates", "dates": ["2026-12-01", "2026-12-02"], "times": ["09:00"]}
    added = ines.post(f"{V}/rounds", json={"template_id": made["id"], "rhythm": rhythm, "folder": "desk"}).json()
    address = f"{V}/rounds/{added['id']}"
    skipped = ines.post(f"{address}/skip").json()
    run = ines.post(f"{address}/run").json()
    ended = ines.post(f"{address}/skip").json()
    past = {**rhythm, "dates": ["2020-01-01"]}

    assert (added["next"], skipped["next"]) == (
        ["2026-12-01T09:00:00Z", "2026-12-02T09:00:00Z"],
        ["2026-12-02T09:00:00Z"],
    )
    assert (run["via"], run["as_of"][:10]) == ("round", "2026-11-23")
    assert ended["next"] == []
    refused = ines.post(f"{V}/rounds", json={"template_id": made["id"], "rhythm": past, "folder": "desk"})
    assert refused.json()["type"] == "/problems/never"


def test_a_round_that_mails_needs_a_server_and_addresses(ines: TestClient, services: Services) -> None:
    """Without one, or with what is no address, it is refused when it is set, not at night."""
    made = make(ines)
    ines.post(f"{V}/templates/{made['id']}/versions", json={}, headers={"If-Match": '"1"'})
    body = {"template_id": made["id"], "rhythm": {"times": ["06:00"]}, "folder": "desk", "mail_to": ["a@town.example"]}
    assert ines.post(f"{V}/rounds", json=body).json()["type"] == "/problems/no_mail"
    services.mail = MailServer.at("smtp://127.0.0.1:1", "b@town.example", domains=frozenset({"town.example"}))
    elsewhere = ines.post(f"{V}/rounds", json={**body, "mail_to": ["a@elsewhere.example"]})
    assert (elsewhere.status_code, "town.example only" in elsewhere.json()["detail"]) == (422, True)
    wrong = ines.post(f"{V}/rounds", json={**body, "mail_to": ["a@town.example, b@town.example"]})
    assert (wrong.status_code, wrong.json()["type"]) == (422, "/problems/mail")
    twice = {**body, "mail_to": ["a@town.example", " a@town.example", ""]}

    assert ines.post(f"{V}/rounds", json=twice).json()["mail_to"] == ["a@town.example"]
