"""
Several sources: kept encrypted, each template of one, and nobody sees more than their own.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator
from typing import Any

import pytest
import sqlalchemy as sa
from cryptography.fernet import Fernet
from fastapi.testclient import TestClient

from bouquet.runs import Services
from bouquet.runs.executor import execute
from bouquet.runs.services import _KeptInStore
from bouquet.sources import Source
from bouquet.sources import source as source_module
from bouquet.store.models import Person, SourceRecord
from bouquet.store.secrets import NoKey, Vault, WrongKey
from tests.conftest import PROCESS, OwnCluster
from tests.web.jetty import change, made_jetty

SOURCES = "/api/v1/sources"
SignIn = Callable[[str], TestClient]


@pytest.fixture
def address(cluster: OwnCluster, services: Services) -> Iterator[str]:
    yield made_jetty(cluster)
    # Idle connections would keep the database from being made anew.
    for key in services.sources.listed()[1:]:
        services.sources.get(key).close()


@pytest.fixture
def keeper(sign_in: SignIn, address: str) -> TestClient:
    client = sign_in("marta")
    made = client.post(SOURCES, json={"name": "Jetty", "address": address})
    assert made.status_code == 201, made.text
    return client


def boats(client: TestClient, **more: Any) -> dict[str, Any]:
    made = client.post("/api/v1/templates?source=Jetty", json={"records": "boat", "everyday": True, **more})
    assert made.status_code == 201, made.text
    answer: dict[str, Any] = made.json()
    return answer


def test_an_address_is_kept_encrypted_and_never_answered(keeper: TestClient, services: Services, address: str) -> None:
    with services.store.session() as session:
        record = session.scalars(sa.select(SourceRecord)).one()
    assert "test-only" not in record.address
    assert services.vault.open(record.address) == address
    answered = json.dumps([keeper.get(SOURCES).json(), keeper.get("/api/v1/session").json()])
    assert "test-only" not in answered
    jetty = keeper.get(SOURCES).json()[1]
    assert (jetty["kept"], jetty["record_types"], jetty["trouble"]) == ("store", 2, "")
    assert jetty["where"].startswith("PostgreSQL at 127.0.0.1")


def test_a_wrong_address_is_not_kept(sign_in: SignIn, address: str) -> None:
    """What is wrong is said in words; asked to, it is kept all the same."""
    keeper = sign_in("marta")
    wrong = address.replace("test-only", "wrong-password")
    refused = keeper.post(SOURCES, json={"name": "Jetty", "address": wrong})
    assert (refused.status_code, refused.json()["type"]) == (422, "/problems/source_wrong")
    assert "password is wrong" in refused.json()["detail"]
    assert len(keeper.get(SOURCES).json()) == 1
    assert keeper.post(SOURCES, json={"name": "Jetty", "address": wrong, "untried": True}).status_code == 201
    assert "cannot be reached" in keeper.get(SOURCES).json()[1]["trouble"]
    mended = keeper.patch(f"{SOURCES}/Jetty", json={"address": address})
    assert (mended.status_code, mended.json()["trouble"], mended.json()["record_types"]) == (200, "", 2)


def test_trying_streams_each_step(sign_in: SignIn, address: str) -> None:
    answer = sign_in("marta").post(f"{SOURCES}/try", json={"address": address})
    steps = [json.loads(line[6:]) for line in answer.text.splitlines() if line.startswith("data: ")]
    assert [s["name"] for s in steps][:2] == ["reachable", "signed in"]
    assert steps[-1] == {"name": "what is seen", "mark": "good", "says": "2 tables and views in 1 schema."}
    assert "test-only" not in answer.text


@pytest.mark.parametrize("who", ["ines", "tobin", "oskar"])
def test_sources_are_the_keepers(sign_in: SignIn, who: str) -> None:
    client = sign_in(who)
    for answer in (
        client.get(SOURCES),
        client.post(SOURCES, json={"name": "x", "address": "sqlite:///x"}),
        client.post(f"{SOURCES}/try", json={"address": "sqlite:///x"}),
        client.patch(f"{SOURCES}/x", json={}),
        client.delete(f"{SOURCES}/x"),
        client.get("/api/v1/catalogue"),
        client.post("/api/v1/catalogue/read"),
    ):
        assert answer.status_code == 403, answer.text


def test_a_template_reads_its_own_source(keeper: TestClient, services: Services, sign_in: SignIn) -> None:
    """Designed, saved and run on the second source; the first one's record types are others."""
    assert {t["name"] for t in keeper.get("/api/v1/record-types?source=Jetty").json()} == {"passage", "boat"}
    assert "boat" not in {t["name"] for t in keeper.get("/api/v1/record-types").json()}
    made = boats(keeper)
    assert made["source"] == "Jetty"
    saved = keeper.post(
        f"/api/v1/templates/{made['id']}/versions", json={"note": ""}, headers={"If-Match": f'"{made["revision"]}"'}
    )
    assert saved.status_code == 201, saved.text
    look = {"document": made["document"], "limit": 5, "offset": 0, "bench": "", "keys": False}
    assert keeper.post("/api/v1/design/look", json=look).json()["problems"] != []
    seen = keeper.post("/api/v1/design/look?source=Jetty", json=look).json()
    assert (seen["problems"], len(seen["rows"])) == ([], 2)
    row = next(r for r in keeper.get("/api/v1/templates").json() if r["id"] == made["id"])
    assert (row["source"], row["source_title"], row["records_label"], row["broken"]) == ("Jetty", "Jetty", "Boats", "")
    run = keeper.post("/api/v1/runs", json={"template_id": made["id"], "purpose": "the jetty's list"}).json()
    execute(services, run["id"])
    done = keeper.get(f"/api/v1/runs/{run['id']}").json()
    assert (done["status"], done["rows_written"], done["source"]) == ("ready", 2, "Jetty")
    assert done["slip"]["source"] == "Jetty"
    again = keeper.post("/api/v1/runs", json={"again": run["id"], "as_it": "was"}).json()
    assert again["source"] == "Jetty"


def test_runs_read_the_copy_and_the_bench_the_source(
    keeper: TestClient, services: Services, cluster: OwnCluster
) -> None:
    """A replica that is behind: what a run reads is what stands there, and the slip says so."""
    copied = made_jetty(cluster, "jetty_copy")
    change(cluster, "UPDATE boat SET boat_name = 'Old Heron' WHERE boat_id = 1", "jetty_copy")
    answered = keeper.patch(f"{SOURCES}/Jetty", json={"copy_address": copied})
    assert answered.status_code == 200, answered.text
    assert "test-only" not in answered.text
    assert answered.json()["copy_at"].endswith("jetty_copy" + PROCESS)
    info = boats(keeper, free_name=True)
    run = keeper.post("/api/v1/runs", json={"template_id": info["id"]}).json()
    execute(services, run["id"])
    done = keeper.get(f"/api/v1/runs/{run['id']}").json()
    text = keeper.get(f"/api/v1/runs/{run['id']}/files/{done['files'][0]['id']}").text

    assert "Old Heron" in text
    assert done["slip"]["copy"] == {"seconds_behind": None}
    facts = keeper.get("/api/v1/record-types/boat/fields/boat_name/facts?source=Jetty").json()
    assert "Old Heron" not in str(facts)
    assert keeper.patch(f"{SOURCES}/Jetty", json={"copy_address": ""}).json()["copy_at"] == ""
    assert keeper.patch(f"{SOURCES}/Jetty", json={"copy_address": "postgresql://no@127.0.0.1:1/x"}).status_code == 422
    services.sources.get("Jetty").close()


def test_who_may_see_a_part_of_one_source_sees_nothing_of_another(
    keeper: TestClient, sign_in: SignIn, services: Services
) -> None:
    template = boats(keeper)["id"]
    run = keeper.post("/api/v1/runs", json={"template_id": template, "purpose": "x"}).json()["id"]
    execute(services, run)
    tobin = sign_in("tobin")
    assert [s["key"] for s in tobin.get("/api/v1/session").json()["sources"]] == [""]
    assert template not in {t["id"] for t in tobin.get("/api/v1/templates").json()}
    refused = [
        tobin.get("/api/v1/record-types?source=Jetty"),
        tobin.get("/api/v1/record-types/boat?source=Jetty"),
        tobin.get("/api/v1/record-types/boat/facts/boat_name?source=Jetty"),
        tobin.get("/api/v1/record-types/boat/find?source=Jetty&value=Heron"),
        tobin.get(f"/api/v1/templates/{template}"),
        tobin.get(f"/api/v1/templates/{template}/questions"),
        tobin.post("/api/v1/runs", json={"template_id": template, "purpose": "x"}),
        tobin.post("/api/v1/runs?source=Jetty", json={"bundle": {"name": "all", "everything": True}, "purpose": "x"}),
        tobin.post("/api/v1/runs?source=Jetty", json={"document": {"name": "x", "records": "boat"}, "purpose": "x"}),
        tobin.get("/api/v1/picks?source=Jetty"),
        tobin.get("/api/v1/records/boat/views?source=Jetty"),
    ]
    assert {r.status_code for r in refused} == {404}
    assert "Heron" not in "".join(r.text for r in refused)
    assert tobin.get(f"/api/v1/runs/{run}/files/1").status_code in (403, 404)


def test_a_right_may_be_of_the_second_source(keeper: TestClient, sign_in: SignIn, services: Services) -> None:
    scope = {"source": "Jetty", "records": "boat", "field": "boat_name", "values": ["Tern"]}
    with services.store.session() as session:
        session.execute(sa.update(Person).where(Person.name.like("Tobin%")).values(scope=scope))
    tobin = sign_in("tobin")
    assert {t["name"] for t in tobin.get("/api/v1/record-types").json()} == {"boat", "passage"}
    look = {
        "document": {
            "name": "x",
            "records": "passage",
            "columns": [{"id": "a", "heading": "A", "value": {"field": "boat.boat_name"}}],
        },
        "limit": 50,
        "offset": 0,
        "bench": "",
        "keys": False,
    }
    rows = tobin.post("/api/v1/design/look", json=look).json()["rows"]
    assert {r[0] for r in rows} == {"Tern"}
    assert tobin.get("/api/v1/record-types?source=").json() != []


def test_lists_and_views_are_of_one_source(keeper: TestClient) -> None:
    """A list is found in its own source only; another of its name is not replaced from elsewhere."""
    saved = keeper.put("/api/v1/picks/mine?source=Jetty", json={"records": "boat", "keys": [["1"]]})
    assert saved.status_code == 200, saved.text
    assert [p["name"] for p in keeper.get("/api/v1/picks?source=Jetty").json()] == ["mine"]
    assert keeper.get("/api/v1/picks").json() == []
    refused = keeper.put("/api/v1/picks/mine", json={"records": "tree", "keys": [["1"]]})
    assert (refused.status_code, "another source" in refused.json()["detail"]) == (409, True)
    columns = [{"id": "a", "heading": "A", "value": {"field": "boat_name"}}]
    document = {"name": "x", "records": "boat", "columns": columns, "filter": {"picks": "mine"}}
    look = {"document": document, "limit": 5, "offset": 0, "bench": "", "keys": False}
    assert keeper.post("/api/v1/design/look?source=Jetty", json=look).json()["problems"] == []
    assert keeper.post("/api/v1/design/tally?source=Jetty", json=look).json()["steps"][-1]["rows"] == 1


def test_a_bundle_is_of_one_source(keeper: TestClient, services: Services) -> None:
    of_boats = boats(keeper)["id"]
    of_trees = keeper.post("/api/v1/templates", json={"records": "ward", "everyday": True}).json()["id"]
    mixed = {"bundle": {"name": "both", "templates": [of_boats, of_trees]}, "purpose": "x"}
    refused = keeper.post("/api/v1/runs", json=mixed)
    assert (refused.status_code, refused.json()["errors"][0]["code"]) == (422, "several_sources")
    whole = keeper.post("/api/v1/runs", json={"bundle": {"name": "one", "templates": [of_boats]}, "purpose": "x"})
    assert (whole.status_code, whole.json()["source"]) == (202, "Jetty")


def test_a_source_that_is_read_is_not_removed(keeper: TestClient) -> None:
    made = boats(keeper)
    refused = keeper.delete(f"{SOURCES}/Jetty")
    assert (refused.status_code, made["name"] in refused.json()["detail"]) == (409, True)
    assert keeper.delete(f"/api/v1/templates/{made['id']}").status_code == 204
    assert keeper.delete(f"{SOURCES}/jetty").status_code == 204
    assert keeper.get("/api/v1/record-types?source=Jetty").status_code == 404
    assert keeper.delete(f"{SOURCES}/Jetty").status_code == 404


def test_names_are_told_apart(keeper: TestClient, address: str) -> None:
    taken = keeper.post(SOURCES, json={"name": "jetty", "address": address})
    assert (taken.status_code, taken.json()["detail"]) == (
        409,
        "There is already a source called “jetty”. Choose another name.",
    )
    for name in ("ledger", " ", "x" * 61, "a/b", "a\\b", "a\u200bb"):
        assert keeper.post(SOURCES, json={"name": name, "address": address}).status_code == 422


def test_one_source_that_is_away_does_not_take_the_library_with_it(
    keeper: TestClient, services: Services, address: str
) -> None:
    boats(keeper)
    keeper.patch(f"{SOURCES}/Jetty", json={"address": address.replace("jetty_test", "gone"), "untried": True})
    rows = {r["source"]: r for r in keeper.get("/api/v1/templates").json()}
    assert "cannot be reached" in rows["Jetty"]["broken"]
    assert keeper.get("/api/v1/record-types").status_code == 200
    assert keeper.get("/api/v1/record-types?source=Jetty").status_code == 503
    assert keeper.get("/api/v1/session").status_code == 200


def test_a_house_without_a_source_says_so(sign_in: SignIn, services: Services) -> None:
    services.sources.fixed = None
    keeper = sign_in("marta")
    assert keeper.get("/api/v1/session").json()["sources"] == []
    assert keeper.get("/api/v1/templates").json() == []
    none = keeper.get("/api/v1/record-types")
    assert (none.status_code, none.json()["type"]) == (404, "/problems/no_source")


def test_a_secret_needs_its_key() -> None:
    """Without a key nothing is sealed; an older key still opens; a lost one is named."""
    old, new = Fernet.generate_key().decode(), Fernet.generate_key().decode()
    sealed = Vault(old).seal("postgresql://x")
    assert Vault(f"{new}, {old}").open(sealed) == "postgresql://x"
    with pytest.raises(WrongKey):
        Vault(new).open(sealed)
    with pytest.raises(NoKey, match="bouquet key"):
        Vault("").seal("x")
    with pytest.raises(NoKey, match="is no key"):
        Vault("short")


def test_a_large_source_is_read_once(services: Services, cluster: OwnCluster, monkeypatch: pytest.MonkeyPatch) -> None:
    """Kept between starts by the shape of its tables; a change of them is noticed, also beside."""
    monkeypatch.setattr("bouquet.sources.shape.LARGE", 1)
    address = made_jetty(cluster)
    read: list[str] = []
    reflect = source_module.reflect_catalogue
    monkeypatch.setattr(source_module, "reflect_catalogue", lambda *a, **k: read.append("read") or reflect(*a, **k))

    def started() -> Source:
        made = Source("jetty", address, key="jetty")
        made.keeper = _KeptInStore(services.store, services.vault)
        return made

    first = started()
    known = first.catalogue()
    second = started()
    assert (second.catalogue(), len(read)) == (known, 1)
    assert (second.catalogue(fresh=True), len(read)) == (known, 1)
    change(cluster, "ALTER TABLE boat ADD COLUMN home text")
    assert second.catalogue(fresh=True).record_types["boat"].field_named("home") is not None
    third = started()
    assert third.catalogue() == second.catalogue()
    assert len(read) == 2

    # The first one notices when what it knows is old, and nobody waits for it.
    monkeypatch.setattr(source_module, "CATALOGUE_AGE", -1.0)
    assert first.catalogue() is known
    limit = time.monotonic() + 20
    while first.catalogue().record_types["boat"].field_named("home") is None:
        assert time.monotonic() < limit
        time.sleep(0.02)
    for source in (first, second, third):
        source.close()
