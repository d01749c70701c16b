"""
Every route, asked by every kind of person and program: who may do what stands in one table, and a route that is not in
it fails.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.runs import Services, execute

API = "/api/v1"
SignIn = Callable[[str], TestClient]

#: Who may ask at all: anybody (`all`), whoever is signed in (`in`), or who may `run`, `design`, `keep` or
#: `audit`.
TABLE = """
GET /bundles in
POST /bundles design
DELETE /bundles/{bundle_id} design
GET /bundles/{bundle_id} in
PUT /bundles/{bundle_id} design
POST /bundles/{bundle_id}/restore design
GET /catalogue keep
GET /catalogue/consequences keep
GET /catalogue/document keep
PUT /catalogue/document keep
DELETE /catalogue/draft keep
PATCH /catalogue/draft keep
GET /catalogue/drift keep
POST /catalogue/read keep
POST /catalogue/replace keep
GET /catalogue/table keep
POST /catalogue/use keep
GET /catalogue/versions keep
POST /catalogue/versions/{number}/edit keep
GET /comparisons/{comparison_id} in
GET /deliveries in
GET /deliveries/{delivery_id} in
POST /deliveries/{delivery_id} design
GET /deliveries/{delivery_id}/link design
POST /design/checks in
POST /design/first-lines in
POST /design/asked in
POST /design/format in
GET /design/functions in
GET /vocabulary in
POST /design/header-of-file in
POST /design/left-out in
POST /design/look in
POST /design/match in
POST /design/per-value in
POST /design/tally in
POST /design/trace in
POST /design/windows in
GET /events in
DELETE /feeds/mine in
GET /feeds/mine in
POST /feeds/mine in
GET /feeds/{secret}.ics all
GET /first-start all
POST /first-start all
GET /health all
GET /health/house audit
GET /health/ready all
GET /metrics audit
GET /journal audit
GET /journal/export audit
GET /journal/verify audit
GET /groups keep
POST /groups keep
DELETE /groups/{group_id} keep
PATCH /groups/{group_id} keep
GET /means design
POST /means keep
POST /means/try keep
GET /means/ways design
DELETE /means/{means_id} keep
PATCH /means/{means_id} keep
GET /notices in
POST /notices/read in
GET /people keep
POST /people keep
PATCH /people/{person_id} keep
POST /people/{person_id}/password keep
GET /people/names design
GET /people/{person_id}/leaves keep
POST /people/{person_id}/eyes keep
GET /people/{person_id}/belongings keep
POST /people/{person_id}/hand-over keep
GET /picks in
POST /picks/removed/{picks_id}/restore design
DELETE /picks/{name} design
PATCH /picks/{name} design
PUT /picks/{name} design
GET /post-room in
POST /post-room design
GET /purposes in
PUT /purposes keep
GET /recipients in
POST /recipients design
POST /recipients/layout design
DELETE /recipients/{recipient_id} design
GET /recipients/{recipient_id} in
PUT /recipients/{recipient_id} design
POST /recipients/{recipient_id}/fit design
GET /record-types in
GET /record-types/{name} in
GET /record-types/{name}/facts/{field} in
GET /record-types/{name}/find in
GET /record-types/{name}/proposal in
DELETE /records/views/{view_id} in
POST /records/views/{view_id}/restore in
GET /records/{name}/uses in
GET /records/{name}/views in
PUT /records/{name}/views in
GET /records/{name}/whereabouts in
GET /removed in
GET /rounds in
POST /rounds design
GET /rounds/days-off in
PUT /rounds/days-off keep
POST /rounds/days-off/read keep
POST /rounds/document design
POST /rounds/preview in
DELETE /rounds/{round_id} design
GET /rounds/{round_id} in
PATCH /rounds/{round_id} run
PUT /rounds/{round_id} design
POST /rounds/{round_id}/call run
GET /rounds/{round_id}/document in
POST /rounds/{round_id}/hand-over design
POST /rounds/{round_id}/restore design
POST /rounds/{round_id}/run run
POST /rounds/{round_id}/skip run
GET /runs in
POST /runs run
POST /runs/export run
POST /runs/given-back in
GET /runs/totals in
GET /runs/{run_id} in
GET /runs/{run_id}/archive in
POST /runs/{run_id}/cancel run
POST /runs/{run_id}/compare in
GET /runs/{run_id}/compare/{before}/key in
POST /runs/{run_id}/discard run
GET /runs/{run_id}/files/{file_id} in
GET /runs/{run_id}/history in
POST /runs/{run_id}/release run
GET /schema/template all
DELETE /session all
GET /session in
GET /session/all in
DELETE /session/all in
DELETE /session/all/{number} in
POST /session all
PUT /session/me in
GET /session/ways all
GET /session/house all
GET /session/house/back all
POST /session/forgotten all
POST /session/set-password all
GET /session/codes in
POST /session/codes in
PUT /session/codes in
POST /session/codes/stop in
PUT /session/password in
POST /runs/{run_id}/mail-to-me in
POST /templates/from-run/{run_id} design
GET /runs/{run_id}/files/{file_id}/look in
PUT /session/preferences in
GET /sources keep
POST /sources keep
POST /sources/try keep
DELETE /sources/{name} keep
PATCH /sources/{name} keep
GET /templates in
POST /templates design
DELETE /templates/{template_id} design
GET /templates/{template_id} in
PATCH /templates/{template_id} design
GET /templates/{template_id}/compare in
POST /templates/{template_id}/copy design
GET /templates/{template_id}/document in
PUT /templates/{template_id}/draft design
GET /templates/{template_id}/expected in
GET /templates/{template_id}/memory in
POST /templates/{template_id}/memory/forget design
POST /templates/{template_id}/memory/look design
POST /templates/{template_id}/memory/mark design
POST /templates/{template_id}/memory/undo/{change_id} design
POST /templates/{template_id}/missing design
POST /templates/{template_id}/move design
GET /templates/{template_id}/newest in
PUT /templates/{template_id}/pin in
GET /templates/{template_id}/questions in
POST /templates/{template_id}/restore design
GET /templates/{template_id}/versions in
POST /templates/{template_id}/versions design
GET /templates/{template_id}/versions/{number} in
GET /programs keep
DELETE /programs/{token_id} keep
GET /tokens in
POST /tokens in
DELETE /tokens/{token_id} in
"""

#: What each kind of person may do.
MAY = {
    "nobody": {"all"},
    "oskar": {"all", "in", "audit"},
    "tobin": {"all", "in", "run"},
    "ines": {"all", "in", "run", "design"},
    "marta": {"all", "in", "run", "design", "keep", "audit"},
}

#: What is open until it is left, and what would end the session that asks.
NOT_CALLED = {("GET", "/events"), ("DELETE", "/session"), ("POST", "/session")}


def table() -> dict[tuple[str, str], str]:
    rows = (line.split() for line in TABLE.strip().splitlines())
    return {(method, path): act for method, path, act in rows}


def routes(client: TestClient) -> list[tuple[str, str]]:
    paths = client.get(f"{API}/openapi.json").json()["paths"]
    return [(m.upper(), p.removeprefix(API)) for p, methods in paths.items() if p.startswith(API) for m in methods]


def statuses(client: TestClient, headers: dict[str, str] | None = None) -> dict[tuple[str, str], int]:
    """What each route of the table answers, asked for things that are not there."""
    found = {}
    for method, path in set(table()) - NOT_CALLED:
        address = API + re.sub(r"\{\w+\}", "999999", path)
        body = {"json": {}} if method in ("POST", "PUT", "PATCH") else {}
        found[(method, path)] = client.request(method, address, headers=headers, **body).status_code
    return found


def test_every_route_stands_in_the_table(client: TestClient) -> None:
    assert sorted(routes(client)) == sorted(table())


@pytest.mark.parametrize("who", list(MAY))
def test_each_kind_of_person_may_ask_what_the_table_says(client: TestClient, sign_in: SignIn, who: str) -> None:
    """401 for nobody, 403 for who may not, anything else for who may."""
    if who != "nobody":
        sign_in(who)
    refused = 401 if who == "nobody" else 403
    wrong = {
        route: status
        for route, status in statuses(client).items()
        if (status == refused) != (table()[route] not in MAY[who]) or status >= 500
    }
    assert wrong == {}


def test_a_program_may_do_what_its_token_says_and_no_more(client: TestClient, sign_in: SignIn) -> None:
    """A keeper's token that may look changes nothing, anywhere."""
    marta = sign_in("marta")
    secret = marta.post(f"{API}/tokens", json={"name": "reader", "acts": ["look"], "days": 1}).json()["secret"]
    marta.cookies.clear()
    # What is a person's alone is no program's.
    own = ("/tokens", "/feeds", "/session/all")
    wrong = {}
    for (method, path), status in statuses(client, {"Authorization": f"Bearer {secret}"}).items():
        reads = (method == "GET" or path.startswith("/design/")) and not path.startswith(own)
        act = table()[(method, path)]
        if act != "all" and (status == 403) != (not reads or act != "in"):
            wrong[(method, path)] = status
    assert wrong == {}


@pytest.fixture
def things(sign_in: SignIn, services: Services) -> dict[str, int]:
    """A template that is Ines's own, a round of it, a run of it, and a bundle that holds it."""
    ines = sign_in("ines")
    document = {
        "name": "Only mine",
        "records": "ward",
        "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
    }
    template = ines.post(f"{API}/templates", json={"document": document}).json()["id"]
    ines.post(f"{API}/templates/{template}/versions", json={}, headers={"If-Match": '"1"'})
    assert ines.patch(f"{API}/templates/{template}", json={"standing": "own"}).status_code == 200
    contents = {"name": "Mine alone", "templates": [template]}
    bundle = ines.post(f"{API}/bundles", json={"contents": contents, "standing": "own"}).json()["id"]
    round_ = ines.post(f"{API}/rounds", json={"template_id": template, "folder": "mine"}).json()["id"]
    run = ines.post(f"{API}/runs", json={"template_id": template}).json()["id"]
    execute(services, run)
    file = ines.get(f"{API}/runs/{run}").json()["files"][0]["id"]
    ines.cookies.clear()
    return {"template_id": template, "bundle_id": bundle, "round_id": round_, "run_id": run, "file_id": file}


def test_what_is_somebodys_own_is_not_there_for_others(
    client: TestClient, sign_in: SignIn, things: dict[str, int]
) -> None:
    """By no route that takes its number, whatever is asked of it."""
    sign_in("tobin")
    wrong: dict[Any, Any] = {}
    for (method, path), act in table().items():
        names = re.findall(r"\{(\w+)\}", path)
        if not names or not set(names) <= {*things, "number", "before"} or act not in MAY["tobin"]:
            continue
        address = API + re.sub(r"\{(\w+)\}", lambda m: str(things.get(m[1], 1)), path)
        body = {"json": {"reason": "x", "pinned": True}} if method in ("POST", "PUT", "PATCH") else {}
        query = {"params": {"rows": 1, "before": 1}} if path.endswith(("/expected", "/compare")) else {}
        answer = client.request(method, address, **body, **query)
        if answer.status_code not in (404, 422) or "Only mine" in answer.text:
            wrong[(method, path)] = (answer.status_code, answer.text[:200])
    assert wrong == {}


def test_counts_of_what_one_may_not_see_are_nowhere(
    client: TestClient, sign_in: SignIn, services: Services, people: dict[str, Any]
) -> None:
    """A round over all wards is shown to who sees two of them without its runs, its rows and its files."""
    ines = sign_in("ines")
    document = {
        "name": "All the wards",
        "records": "ward",
        "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
    }
    template = ines.post(f"{API}/templates", json={"document": document}).json()["id"]
    ines.post(f"{API}/templates/{template}/versions", json={}, headers={"If-Match": '"1"'})
    round_ = ines.post(f"{API}/rounds", json={"template_id": template, "folder": "wards"}).json()["id"]
    run = ines.post(f"{API}/rounds/{round_}/run").json()["id"]
    execute(services, run)
    keys = [[str(n)] for n in range(1, 13)]
    assert ines.put(f"{API}/picks/All wards", json={"records": "ward", "keys": keys}).status_code == 200
    ines.cookies.clear()
    sign_in("tobin")
    shown = client.get(f"{API}/rounds/{round_}").json()
    one = client.get(f"{API}/runs/{run}").json()
    (picked,) = client.get(f"{API}/picks", params={"records": "ward"}).json()

    assert shown["runs"] == []
    assert (one["rows_written"], one["files"], one["delivered_to"], one["slip"]) == (0, [], [], None)
    assert picked["size"] <= 2
    assert client.get(f"{API}/templates/{template}/memory").status_code == 403
