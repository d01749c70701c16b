"""
Recipients who are there for some, and lists that several keep.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.rights import may_send
from bouquet.runs import Services, execute
from bouquet.store.models import Person, Recipient
from bouquet.store.outgoing import with_fact
from tests.web.test_deliveries_api import WARDS, means, recipient
from tests.web.test_groups import API, change, ok, person, saved

SignIn = Callable[[str], TestClient]


@pytest.fixture
def desk(sign_in: SignIn) -> dict[str, Any]:
    """A recipient of Ines's; Tobin designs, too, over everything."""
    change(sign_in("marta"), "Tobin", scope=None, roles=["designer"])
    by = means(sign_in("marta"), "link", {})
    return recipient(sign_in("ines"), by, acceptance={"facts": {"code": "03"}})


def closed(client: TestClient, desk: dict[str, Any], *entries: dict[str, int]) -> dict[str, Any]:
    body = {"name": desk["name"], "means_id": desk["means_id"], "acceptance": desk["acceptance"]}
    body |= {"for_all": False, "shared_with": list(entries)}
    found: dict[str, Any] = ok(client.put(f"{API}/recipients/{desk['id']}", json=body))
    return found


def tried(client: TestClient, desk: dict[str, Any], template: int) -> dict[str, int]:
    """What each way to a recipient is answered."""
    address = f"{API}/recipients/{desk['id']}"
    body = {"name": desk["name"], "means_id": desk["means_id"], "acceptance": desk["acceptance"]}
    sent = {"template_id": template, "trigger": "called", "recipients": [{"recipient_id": desk["id"]}]}
    return {
        "look": client.get(address).status_code,
        "hold against": client.post(f"{address}/fit", json={"document": WARDS}).status_code,
        "set a round": client.post(f"{API}/rounds", json=sent).status_code,
        "change": client.put(address, json=body).status_code,
    }


def test_who_is_there_for_some_is_not_there_for_others(sign_in: SignIn, desk: dict[str, Any]) -> None:
    """Not in the list, not by number, not for a round; for those it is shared with, and for keepers, they are."""
    template = saved(sign_in("ines"), WARDS)
    ok(sign_in("ines").patch(f"{API}/templates/{template}", json={"standing": "shared"}))
    tobin_id = person(sign_in("marta"), "Tobin")["id"]
    before = tried(sign_in("tobin"), desk, template)
    closed(sign_in("ines"), desk)
    hidden, listed = tried(sign_in("tobin"), desk, template), ok(sign_in("tobin").get(f"{API}/recipients"))
    seen = ok(closed(sign_in("ines"), desk, {"person": tobin_id}) and sign_in("tobin").get(f"{API}/recipients"))
    after = tried(sign_in("tobin"), desk, template)

    assert set(before.values()) == {200, 201}
    assert set(hidden.values()) == {404}
    assert desk["id"] not in [r["id"] for r in listed]
    assert desk["id"] in [r["id"] for r in seen]
    assert after == before
    assert set(tried(sign_in("marta"), desk, template).values()) == {200, 201}


def test_a_document_names_nothing_that_is_not_there_for_somebody(sign_in: SignIn, desk: dict[str, Any]) -> None:
    """What others keep to themselves is refused as what nobody has: a name is not tried out."""
    template = saved(sign_in("ines"), WARDS)
    ok(sign_in("ines").patch(f"{API}/templates/{template}", json={"standing": "own"}))
    saved(sign_in("tobin"), {**WARDS, "name": "Mine"})
    round_ = {"template_id": template, "at": "06:00", "folder": "wards"}
    ok(sign_in("ines").post(f"{API}/rounds", json=round_), 201)
    closed(sign_in("ines"), desk)

    def said(**parts: Any) -> tuple[int, str]:
        document = {"format": "bouquet-round/1", "template": "Mine", "trigger": "called", **parts}
        answer = sign_in("tobin").post(f"{API}/rounds/document", json=document)
        return answer.status_code, answer.text

    for there, nowhere in (
        (said(template="Wards"), said(template="Nowhere")),
        (said(trigger="after", after="Wards"), said(trigger="after", after="Nowhere")),
        (said(recipients=[{"recipient": "Desk"}]), said(recipients=[{"recipient": "Nowhere"}])),
    ):
        assert there[0] == nowhere[0] == 422
        assert there[1].replace("Wards", "Nowhere").replace("Desk", "Nowhere") == nowhere[1]
    assert said(folder="mine")[0] == 201


def test_only_who_wrote_them_down_says_for_whom_they_are(sign_in: SignIn, desk: dict[str, Any]) -> None:
    """Others change what a recipient takes, and leave that as it was."""
    tobin_id = person(sign_in("marta"), "Tobin")["id"]
    mine = closed(sign_in("ines"), desk, {"person": tobin_id})
    theirs = ok(sign_in("tobin").get(f"{API}/recipients/{desk['id']}"))
    body = {"name": "Renamed", "means_id": desk["means_id"], "for_all": True, "shared_with": []}
    changed = ok(sign_in("tobin").put(f"{API}/recipients/{desk['id']}", json=body))

    assert (mine["shares"], mine["shared_with"]) == (True, [{"person": tobin_id, "group": None}])
    assert (theirs["shares"], theirs["shared_with"]) == (False, [])
    assert (changed["name"], changed["for_all"]) == ("Renamed", False)


def test_files_of_others_do_not_go_to_them(sign_in: SignIn, desk: dict[str, Any], services: Services) -> None:
    """Neither by a round that was set before, nor by a fact that they have."""
    template = saved(sign_in("tobin"), WARDS)
    body = {"template_id": template, "trigger": "called", "recipients": [{"recipient_id": desk["id"]}]}
    round_id = ok(sign_in("tobin").post(f"{API}/rounds", json=body), 201)["id"]
    closed(sign_in("ines"), desk)
    run = ok(sign_in("tobin").post(f"{API}/rounds/{round_id}/call"), 202)["id"]
    execute(services, run)

    (delivery,) = ok(sign_in("tobin").get(f"{API}/deliveries", params={"run": run}))["deliveries"]
    assert (delivery["state"], delivery["may_send"]) == ("failed", False)
    assert "may not go to Desk" in delivery["why"]
    with services.store.session() as session:
        people = {p.name.split()[0]: p for p in session.query(Person)}
        found = session.get_one(Recipient, desk["id"])
        assert [may_send(people[n], found) for n in ("Ines", "Tobin", "Marta")] == [True, False, True]
        assert [r.name for r in with_fact(session, "code", people["Ines"])] == ["Desk"]
        assert with_fact(session, "code", people["Tobin"]) == []


def test_they_go_over_to_who_takes_over(sign_in: SignIn, desk: dict[str, Any]) -> None:
    """Whoever is there for everybody needs no owner; the others have one."""
    ines_id = person(sign_in("marta"), "Ines")["id"]
    tobin_id = person(sign_in("marta"), "Tobin")["id"]
    before = ok(sign_in("marta").get(f"{API}/people/{ines_id}/belongings"))
    closed(sign_in("ines"), desk)
    after = ok(sign_in("marta").get(f"{API}/people/{ines_id}/belongings"))
    ok(sign_in("marta").post(f"{API}/people/{ines_id}/hand-over", json={"to": tobin_id}))

    assert "recipient" not in [b["kind"] for b in before]
    assert [b["name"] for b in after if b["kind"] == "recipient"] == ["Desk"]
    assert ok(sign_in("tobin").get(f"{API}/recipients/{desk['id']}"))["shares"]
    assert sign_in("ines").get(f"{API}/recipients/{desk['id']}").status_code == 404


def test_a_group_that_goes_is_shared_with_no_more(sign_in: SignIn, desk: dict[str, Any]) -> None:
    """It leaves no number behind that another could get."""
    tobin_id = person(sign_in("marta"), "Tobin")["id"]
    group = ok(sign_in("marta").post(f"{API}/groups", json={"name": "Senders", "members": [tobin_id]}), 201)["id"]
    closed(sign_in("ines"), desk, {"group": group})
    before = sign_in("tobin").get(f"{API}/recipients/{desk['id']}").status_code
    ok(sign_in("marta").delete(f"{API}/groups/{group}"), 204)

    assert before == 200
    assert ok(sign_in("ines").get(f"{API}/recipients/{desk['id']}"))["shared_with"] == []
    assert sign_in("tobin").get(f"{API}/recipients/{desk['id']}").status_code == 404


def test_several_keep_a_list(sign_in: SignIn, desk: dict[str, Any]) -> None:
    """Everybody uses it; its owner says who else replaces and removes it, and nobody else does."""
    tobin_id = person(sign_in("marta"), "Tobin")["id"]
    kept = {"records": "ward", "keys": [["1"], ["2"]]}
    ok(sign_in("ines").put(f"{API}/picks/Two wards", json=kept))
    refused = [
        sign_in("tobin").put(f"{API}/picks/Two wards", json=kept).status_code,
        sign_in("tobin").patch(f"{API}/picks/Two wards", json={"shared_with": []}).status_code,
        sign_in("tobin").delete(f"{API}/picks/Two wards").status_code,
    ]
    mine = ok(sign_in("ines").patch(f"{API}/picks/Two wards", json={"shared_with": [{"person": tobin_id}]}))
    (theirs,) = ok(sign_in("tobin").get(f"{API}/picks", params={"records": "ward"}))
    replaced = ok(sign_in("tobin").put(f"{API}/picks/Two wards", json=kept | {"keys": [["3"]]}))

    assert refused == [403, 403, 403]
    assert (mine["mine"], mine["shared_with"]) == (True, [{"person": tobin_id, "group": None}])
    assert (theirs["owner"], theirs["changes"], theirs["mine"], theirs["shared_with"]) == (
        "Ines Harrow",
        True,
        False,
        [],
    )
    assert (replaced["size"], replaced["owner"]) == (1, "Ines Harrow")
    assert sign_in("tobin").patch(f"{API}/picks/Two wards", json={"shared_with": []}).status_code == 403
    assert sign_in("tobin").delete(f"{API}/picks/Two wards").status_code == 204
    assert sign_in("ines").patch(f"{API}/picks/Two wards", json={"shared_with": []}).status_code == 404
