"""
What of the house is whose: runs, what was removed, choices, personal data, downloads.
"""

from __future__ import annotations

import sqlalchemy as sa
from fastapi.testclient import TestClient

from bouquet.runs import Services
from bouquet.store.models import Download, TemplateRecord
from tests.web.templates import API, WARDS, SignIn, add


def test_runs_of_ones_own_template_are_ones_own(sign_in: SignIn, client: TestClient, services: Services) -> None:
    """Not in another's ledger, not by its number, not in totals; the keeper sees it."""
    ines = sign_in("ines")
    number = add(ines)
    ines.patch(f"{API}/templates/{number}", json={"standing": "own"}).raise_for_status()
    run = ines.post(f"{API}/runs", json={"template_id": number}).json()["id"]
    with services.store.session() as session:
        record = session.get_one(TemplateRecord, number)
        assert record.standing == "own"
    tobin = sign_in("tobin")
    hidden = [tobin.get(f"{API}/runs/{run}{part}").status_code for part in ("", "/history", "/archive", "/files/1")]

    assert hidden == [404, 404, 404, 404]
    assert run not in [r["id"] for r in tobin.get(f"{API}/runs").json()["runs"]]
    assert tobin.post(f"{API}/runs/{run}/discard", json={"reason": "mine now"}).status_code == 404
    assert sign_in("marta").get(f"{API}/runs/{run}").status_code == 200


def test_what_was_removed_can_be_brought_back(sign_in: SignIn) -> None:
    """A template by its owner; a house template is not removed by any designer; a list by who saved it."""
    marta = sign_in("marta")
    number = add(marta, {**WARDS, "name": "House wards"})
    marta.patch(f"{API}/templates/{number}", json={"standing": "house"}).raise_for_status()
    ines = sign_in("ines")
    assert ines.delete(f"{API}/templates/{number}").status_code == 403
    own = add(ines, {**WARDS, "name": "Mine"})
    assert ines.delete(f"{API}/templates/{own}").status_code == 204
    assert ines.post(f"{API}/templates/{own}/restore").json()["name"] == "Mine"
    ines.put(f"{API}/picks/few", json={"records": "ward", "keys": [["1"]]}).raise_for_status()
    marta = sign_in("marta")
    assert marta.put(f"{API}/picks/few", json={"records": "ward", "keys": [["2"]]}).status_code == 200


def test_what_was_removed_is_listed_for_whoever_may_bring_it_back(sign_in: SignIn) -> None:
    """A template, its round, a list and a view, the latest first; each comes back at its address."""
    ines = sign_in("ines")
    number = add(ines)
    body = {"template_id": number, "beat": "daily", "at": "06:00", "folder": "wards"}
    round_id = ines.post(f"{API}/rounds", json=body).json()["id"]
    ines.put(f"{API}/picks/few", json={"records": "ward", "keys": [["1"]]}).raise_for_status()
    view = ines.put(f"{API}/records/ward/views", json={"name": "Mine", "document": WARDS, "shared": False}).json()["id"]
    for path in (f"rounds/{round_id}", f"templates/{number}", "picks/few", f"records/views/{view}"):
        assert ines.delete(f"{API}/{path}").status_code == 204
    listed = ines.get(f"{API}/removed").json()
    seen_by = {who: {r["kind"] for r in sign_in(who).get(f"{API}/removed").json()} for who in ("marta", "tobin")}
    ines = sign_in("ines")
    for entry in listed:
        place = {"picks": "picks/removed", "view": "records/views"}.get(entry["kind"], f"{entry['kind']}s")
        ines.post(f"{API}/{place}/{entry['id']}/restore").raise_for_status()

    assert {r["kind"] for r in listed} == {"template", "round", "picks", "view"}
    assert seen_by == {"marta": {"template", "round", "picks"}, "tobin": set()}
    assert ines.get(f"{API}/removed").json() == []


def test_a_clerk_is_offered_the_choices_of_their_own_part(sign_in: SignIn) -> None:
    """Contractors that a person's own work orders name: some, and no more than everybody's."""
    ines = sign_in("ines")
    document = {
        "name": "Lines of a contractor", "records": "work_order",
        "columns": [{"id": "n", "heading": "No.", "value": {"field": "number"}}],
        "asks": [{"name": "who", "label": "Which contractor?", "kind": "choices"}],
        "filter": {"all": [{"path": "contractor.code", "is": "one_of", "ask": "who"}]},
    }  # fmt: skip
    number = add(ines, document)
    all_of_them = len(ines.get(f"{API}/templates/{number}/questions").json()["asks"][0]["choices"])
    theirs = len(sign_in("tobin").get(f"{API}/templates/{number}/questions").json()["asks"][0]["choices"])

    assert 0 < theirs <= all_of_them


def test_a_round_with_personal_data_says_what_for(sign_in: SignIn) -> None:
    """No purpose, no round."""
    ines = sign_in("ines")
    columns = [{"id": "n", "heading": "Who", "value": {"field": "name"}}]
    types = {t["name"]: t for t in ines.get(f"{API}/record-types").json()}
    fields = ines.get(f"{API}/record-types/resident_report").json()["groups"][0]["fields"]
    personal = next(f["path"] for f in fields if f["personal"])
    columns[0]["value"] = {"field": personal}
    number = add(ines, {"name": "Residents", "records": "resident_report", "columns": columns})
    body = {"template_id": number, "beat": "daily", "at": "06:00", "folder": "residents"}
    refused, made = (
        ines.post(f"{API}/rounds", json=body),
        ines.post(f"{API}/rounds", json={**body, "purpose": "calling back"}),
    )

    assert "resident_report" in types
    assert (refused.status_code, refused.json()["errors"][0]["place"], made.status_code) == (422, "purpose", 201)


def test_personal_data_leaves_for_what_the_house_knows(sign_in: SignIn) -> None:
    """By runs, bundles and rounds alike; where nothing else is taken, what is known is said."""
    number = add(sign_in("ines"), {"name": "Callers of the list", "records": "resident_report", "columns": [
        {"id": "n", "heading": "Who", "value": {"field": "resident"}}
    ]})  # fmt: skip
    marta = sign_in("marta")
    known = {"names": ["calling back", "year book", "calling back"], "only": True}
    assert marta.put(f"{API}/purposes", json=known).json() == {"names": ["calling back", "year book"], "only": True}
    ines = sign_in("ines")
    body = {"template_id": number, "beat": "daily", "at": "06:00", "folder": "callers"}
    bundle = {"bundle": {"name": "b", "templates": [number]}}
    for path, asked in (("rounds", body), ("runs", {"template_id": number}), ("runs", bundle)):
        refused = ines.post(f"{API}/{path}", json={**asked, "purpose": "curiosity"})
        taken = ines.post(f"{API}/{path}", json={**asked, "purpose": " Year book "})
        assert (refused.status_code, refused.json()["errors"][0]["place"]) == (422, "purpose")
        assert "calling back, year book" in refused.json()["errors"][0]["message"]
        assert taken.status_code in (201, 202), taken.text
    assert ines.get(f"{API}/purposes").json()["only"] is True


def test_what_is_said_of_a_template_is_what_it_runs(sign_in: SignIn) -> None:
    """A draft that is not saved changes neither the library nor what a round must be told."""
    ines = sign_in("ines")
    columns = [{"id": "n", "heading": "Who", "value": {"field": "resident"}}]
    document = {"name": "Callers", "records": "resident_report", "columns": columns, "only": "new"}
    number = add(ines, document)
    before = next(t for t in ines.get(f"{API}/templates").json() if t["id"] == number)
    columns = [{"id": "n", "heading": "Number", "value": {"field": "number"}}]
    draft = {**document, "columns": columns, "only": "everything", "output": {"format": "pdf"}, "asks": [
        {"name": "since", "label": "Since when?", "kind": "date"}
    ]}  # fmt: skip
    tag = {"If-Match": ines.get(f"{API}/templates/{number}").headers["ETag"]}
    assert ines.put(f"{API}/templates/{number}/draft", json=draft, headers=tag).status_code == 200
    after = next(t for t in ines.get(f"{API}/templates").json() if t["id"] == number)
    body = {"template_id": number, "beat": "daily", "at": "06:00", "folder": "callers"}
    refused = ines.post(f"{API}/rounds", json=body)
    made = ines.post(f"{API}/rounds", json={**body, "purpose": "calling back"}).json()

    assert refused.json()["errors"][0]["place"] == "purpose"
    assert made["remembers"]
    said = ("sentence", "format", "asks", "fields", "personal", "broken")
    assert [after[name] for name in said] == [before[name] for name in said]


def test_downloads_are_recorded(sign_in: SignIn, services: Services) -> None:
    """Who took which file, when, and by which way."""
    from bouquet.runs import execute

    ines = sign_in("ines")
    number = add(ines)
    run = ines.post(f"{API}/runs", json={"template_id": number}).json()["id"]
    execute(services, run)
    file = ines.get(f"{API}/runs/{run}").json()["files"][0]["id"]
    ines.get(f"{API}/runs/{run}/files/{file}").raise_for_status()
    ines.get(f"{API}/templates/{number}/newest").raise_for_status()
    with services.store.session() as session:
        taken = list(session.execute(sa.select(Download.run_file_id, Download.way).order_by(Download.id)))

    assert [tuple(t) for t in taken] == [(file, "page"), (file, "address")]
