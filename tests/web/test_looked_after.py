"""
Rounds that somebody looks after beside their owner.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.rights import told_of
from bouquet.runs import Services, execute
from bouquet.store.models import Person, Round
from tests.web.test_deliveries_api import WARDS
from tests.web.test_groups import API, change, ok, person, saved

SignIn = Callable[[str], TestClient]


@pytest.fixture
def round_id(sign_in: SignIn) -> int:
    """A round of Ines's, over all wards, daily into a folder."""
    ines = sign_in("ines")
    number = saved(ines, WARDS)
    ok(ines.patch(f"{API}/templates/{number}", json={"standing": "shared"}))
    made = ok(ines.post(f"{API}/rounds", json={"template_id": number, "at": "06:00", "folder": "wards"}), 201)
    return int(made["id"])


def share(client: TestClient, round_id: int, *entries: dict[str, int]) -> dict[str, Any]:
    found: dict[str, Any] = ok(client.patch(f"{API}/rounds/{round_id}", json={"shared_with": entries}))
    return found


def acts(client: TestClient, round_id: int) -> dict[str, int]:
    """What each act with a round is answered."""
    address = f"{API}/rounds/{round_id}"
    again = {"template_id": ok(client.get(address))["template_id"], "folder": "elsewhere"}
    return {
        "pause": client.patch(address, json={"paused": True}).status_code,
        "go on": client.patch(address, json={"paused": False}).status_code,
        "skip": client.post(f"{address}/skip").status_code,
        "run": client.post(f"{address}/run").status_code,
        "share": client.patch(address, json={"shared_with": []}).status_code,
        "hand over": client.post(f"{address}/hand-over", json={"to": 1}).status_code,
        "change": client.put(address, json=again).status_code,
        "remove": client.delete(address).status_code,
    }


TENDING = {"pause", "go on", "skip", "run"}


def test_whoever_looks_after_a_round_runs_and_pauses_it_and_changes_nothing(sign_in: SignIn, round_id: int) -> None:
    """By their own name or by a group's; it stays its owner's."""
    change(sign_in("marta"), "Tobin", scope=None)
    tobin_id = person(sign_in("marta"), "Tobin")["id"]
    before = acts(sign_in("tobin"), round_id)
    shared = share(sign_in("ines"), round_id, {"person": tobin_id})
    seen = ok(sign_in("tobin").get(f"{API}/rounds/{round_id}"))
    after = acts(sign_in("tobin"), round_id)

    assert set(before.values()) == {403}
    assert shared["shared_with"] == [{"person": tobin_id, "group": None}]
    assert (seen["looked_after"], seen["mine"], seen["shared_with"]) == (True, False, [])
    assert {act for act, status in after.items() if status != 403} == TENDING
    assert {after[act] for act in TENDING} == {200, 202}


def test_a_run_by_whoever_looks_after_a_round_is_its_owners(sign_in: SignIn, round_id: int, services: Services) -> None:
    """With their rights, and in their name."""
    marta = sign_in("marta")
    change(marta, "Tobin", scope=None)
    ids = {name: person(marta, name)["id"] for name in ("Tobin", "Ines")}
    share(sign_in("ines"), round_id, {"person": ids["Tobin"]})
    run = ok(sign_in("tobin").post(f"{API}/rounds/{round_id}/run"), 202)
    execute(services, run["id"])
    found = ok(sign_in("ines").get(f"{API}/runs/{run['id']}"))

    assert (found["status"], found["mine"]) == ("ready", True)


def test_whoever_sees_a_part_only_does_not_run_the_whole(sign_in: SignIn, round_id: int) -> None:
    """Tobin sees two wards; a round that was shared with him runs over all."""
    tobin_id = person(sign_in("marta"), "Tobin")["id"]
    share(sign_in("ines"), round_id, {"person": tobin_id})

    assert set(acts(sign_in("tobin"), round_id).values()) == {403}


def test_a_group_looks_after_a_round_until_it_is_removed(sign_in: SignIn, round_id: int, services: Services) -> None:
    """Its members are told with the owner what befell it."""
    marta = sign_in("marta")
    change(marta, "Tobin", scope=None)
    ids = {name: person(marta, name)["id"] for name in ("Tobin", "Ines", "Oskar")}
    group = ok(marta.post(f"{API}/groups", json={"name": "Night desk", "members": [ids["Tobin"], ids["Oskar"]]}), 201)
    share(sign_in("ines"), round_id, {"group": group["id"]})

    def told() -> list[int]:
        with services.store.session() as session:
            return told_of(session, session.get_one(Round, round_id))

    # An auditor runs nothing, and is not told.
    assert told() == [ids["Ines"], ids["Tobin"]]
    ok(sign_in("marta").delete(f"{API}/groups/{group['id']}"), 204)
    assert told() == [ids["Ines"]]
    with services.store.session() as session:
        assert session.get_one(Round, round_id).shared_with == []


def test_nobody_who_is_not_there_looks_after_a_round(sign_in: SignIn, round_id: int) -> None:
    assert (
        sign_in("ines").patch(f"{API}/rounds/{round_id}", json={"shared_with": [{"person": 9_999}]}).status_code == 404
    )


def test_whoever_left_looks_after_nothing(sign_in: SignIn, round_id: int, services: Services) -> None:
    marta = sign_in("marta")
    change(marta, "Tobin", scope=None)
    tobin_id = person(marta, "Tobin")["id"]
    share(sign_in("ines"), round_id, {"person": tobin_id})
    change(sign_in("marta"), "Tobin", disabled=True)
    with services.store.session() as session:
        owner = session.query(Person).filter(Person.name.like("Ines%")).one().id
        assert told_of(session, session.get_one(Round, round_id)) == [owner]
