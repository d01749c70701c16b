"""
What belongs to somebody becomes another's: one round, or everything of who leaves.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.rounds import run_now
from bouquet.runs import Services
from bouquet.store.models import Round
from tests.web.templates import API, WARDS, add

SignIn = Callable[[str], TestClient]


@pytest.fixture
def house(sign_in: SignIn) -> dict[str, Any]:
    """
    Kim, a designer beside Ines; and of Ines a template of her own, its round, a list and a view.
    """
    marta = sign_in("marta")
    kim = {"name": "Kim Hale", "email": "kim@line.example", "roles": ["designer"]}
    made = {"kim": marta.post(f"{API}/people", json=kim).json()["person"]["id"]}
    made |= {p["name"].split()[0].lower(): p["id"] for p in marta.get(f"{API}/people").json()}
    ines = sign_in("ines")
    made["template"] = add(ines, {**WARDS, "name": "Ines’s wards"})
    ines.patch(f"{API}/templates/{made['template']}", json={"standing": "own"}).raise_for_status()
    body = {"template_id": made["template"], "beat": "daily", "at": "06:00", "folder": "wards"}
    made["round"] = ines.post(f"{API}/rounds", json=body).json()["id"]
    ines.put(f"{API}/picks/few", json={"records": "ward", "keys": [["1"]]}).raise_for_status()
    ines.put(f"{API}/records/ward/views", json={"name": "Mine", "document": WARDS, "shared": False}).raise_for_status()
    return made


def handed(client: TestClient, giver: int, taker: int) -> tuple[set[tuple[str, str]], dict[str, str]]:
    """What was handed over, by kind and name, and why the rest stays, by kind."""
    answer = client.post(f"{API}/people/{giver}/hand-over", json={"to": taker})
    assert answer.status_code == 200, answer.text
    body = answer.json()
    return {(b["kind"], b["name"]) for b in body["handed"]}, {b["kind"]: b["why"] for b in body["stays"]}


def test_everything_of_who_leaves_becomes_anothers(sign_in: SignIn, services: Services, house: dict[str, Any]) -> None:
    """Also what nobody else saw; the round, which paused when they left, goes on with the other's rights."""
    marta = sign_in("marta")
    marta.patch(f"{API}/people/{house['ines']}", json={"disabled": True}).raise_for_status()
    owned = {(b["kind"], b["name"]) for b in marta.get(f"{API}/people/{house['ines']}/belongings").json()}
    given, stays = handed(marta, house["ines"], house["kim"])
    with services.store.session() as session:
        run = run_now(services, session, house["round"], services.clock())
        assert (run.status, run.person_id) == ("asked", house["kim"])
        round_ = session.get_one(Round, house["round"])
        assert (round_.paused, round_.created_by) == (False, house["kim"])

    template = ("template", "Ines’s wards")
    assert owned == given == {template, ("round", "Ines’s wards"), ("list", "few"), ("view", "Mine")}
    assert stays == {}
    assert marta.get(f"{API}/people/{house['ines']}/belongings").json() == []
    entries = marta.get(f"{API}/journal").json()["entries"]
    assert [e["facts"] for e in entries if e["act"].startswith("handed over")] == [{"to": house["kim"]}]


def test_what_somebody_may_not_have_stays_and_says_why(sign_in: SignIn, house: dict[str, Any]) -> None:
    """Tobin runs templates, and designs none; a view is anybody's."""
    given, stays = handed(sign_in("marta"), house["ines"], house["tobin"])

    assert given == {("view", "Mine")}
    assert stays.keys() == {"template", "round", "list"}
    assert all("Tobin" in why for why in stays.values())


def test_a_round_that_would_fail_with_the_others_rights_stays(sign_in: SignIn, house: dict[str, Any]) -> None:
    """It puts files into a folder, and Kim's may go to named recipients only. It runs for Ines as before."""
    marta = sign_in("marta")
    marta.patch(f"{API}/people/{house['kim']}", json={"limits": {"sends_to": []}}).raise_for_status()
    _, stays = handed(marta, house["ines"], house["kim"])

    assert stays.keys() == {"round"}
    assert "named recipients only" in stays["round"]
    assert marta.get(f"{API}/rounds/{house['round']}").json()["owner"].startswith("Ines")


def test_a_view_of_a_name_that_the_other_has_gets_a_number(sign_in: SignIn, house: dict[str, Any]) -> None:
    marta = sign_in("marta")
    marta.put(f"{API}/records/ward/views", json={"name": "mine", "document": WARDS, "shared": False}).raise_for_status()
    given, _ = handed(marta, house["ines"], house["marta"])
    names = {v["name"] for v in marta.get(f"{API}/records/ward/views").json()}

    assert ("view", "Mine") in given
    assert names == {"mine", "Mine (2)"}


def test_a_round_is_handed_over_by_whose_it_is(sign_in: SignIn, house: dict[str, Any]) -> None:
    """Not by others, not to who left, and not to who has it; from then on it is the other's to change."""
    ines = sign_in("ines")
    path = f"{API}/rounds/{house['round']}/hand-over"
    unseen = ines.post(path, json={"to": house["kim"]})
    assert (unseen.status_code, "Share that first" in unseen.json()["detail"]) == (409, True)
    ines.patch(f"{API}/templates/{house['template']}", json={"standing": "shared"}).raise_for_status()
    assert ines.post(path, json={"to": house["ines"]}).status_code == 409
    done = ines.post(path, json={"to": house["marta"]}).json()
    again = ines.post(path, json={"to": house["ines"]})

    assert (done["owner"], done["mine"]) == ("Marta Lindqvist", False)
    assert again.status_code == 403
    marta = sign_in("marta")
    marta.patch(f"{API}/people/{house['kim']}", json={"disabled": True}).raise_for_status()
    assert marta.post(path, json={"to": house["kim"]}).status_code == 404
    assert marta.post(path, json={"to": house["tobin"]}).status_code == 409


def test_everything_is_handed_over_by_command_line(sign_in: SignIn, shell: Any, house: dict[str, Any]) -> None:
    """It ends with 1 where something stays."""
    some = shell("hand-over", "ines@marrowby.example", "tobin@marrowby.example")
    rest = shell("hand-over", "ines@marrowby.example", "kim@line.example")

    assert (some.exit_code, "round “Ines’s wards” stays" in some.output) == (1, True)
    assert (rest.exit_code, "list “few” is Kim Hale’s now" in rest.output) == (0, True)
