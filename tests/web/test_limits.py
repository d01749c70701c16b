"""
What bounds people's acts, whatever they see: which templates they use, and where their files may go.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import product
from typing import Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.rights import Limits, RightsDiffer, joined_limits, joined_rights
from bouquet.delivery import deliver_due
from bouquet.runs import Services, execute
from tests.web.test_deliveries_api import WARDS, means, ok, recipient, saved
from tests.web.test_groups import change
from tests.web.test_groups import saved as kept

SignIn = Callable[[str], TestClient]

_SCOPE = st.sampled_from([None, {"types": ["tree"]}, {"types": ["site"]}])
_LIMITS = st.fixed_dictionaries(
    {}, optional={"house_only": st.just(True), "sends_to": st.lists(st.integers(1, 3), unique=True).map(sorted)}
)


@given(st.lists(st.tuples(_SCOPE, _LIMITS), min_size=1, max_size=3))
def test_joined_rights_let_out_nothing_that_one_right_alone_does_not(rights: list[tuple[Any, Any]]) -> None:
    """Each record type, by each kind of template, to each recipient: only where a single right gives all three."""

    def gives(right: tuple[Any, Any], record_type: str, house: bool, to: int | None) -> bool:
        scope, limits = right[0] or {}, Limits.read(right[1])
        return (
            record_type in scope.get("types", [record_type]) and (house or not limits.house_only) and limits.lets_go(to)
        )

    try:
        joined = joined_rights([scope for scope, _ in rights]), joined_limits(rights)
    except RightsDiffer:
        return
    for each in product(("tree", "site"), (True, False), (None, 1, 2, 3)):
        assert gives(joined, *each) == any(gives(right, *each) for right in rights)


def test_whoever_has_no_right_sends_nothing_anywhere() -> None:
    assert joined_limits([]) == {"house_only": True, "sends_to": []}


@pytest.fixture
def desks(sign_in: SignIn) -> tuple[int, int]:
    """Two recipients of links; Ines's files may go to the first alone."""
    marta = sign_in("marta")
    links = means(marta, "link", {})
    first, second = (recipient(marta, links, name)["id"] for name in ("Fernlea", "Salter"))
    changed = change(marta, "Ines", limits={"sends_to": [first]})
    assert changed["words"].endswith("; files go only to Fernlea.")
    return first, second


def asked(template: int, **more: Any) -> dict[str, Any]:
    return {"template_id": template, "trigger": "called", **more}


def test_a_round_goes_only_where_its_owner_may_send(sign_in: SignIn, desks: tuple[int, int]) -> None:
    """Not to others, nor into a folder, nor by mail; refused when it is set."""
    first, second = desks
    ines = sign_in("ines")
    assert {r["id"]: r["may_send"] for r in ok(ines.get("/api/v1/recipients"))} == {first: True, second: False}
    template = saved(ines)
    for body in (
        asked(template, recipients=[{"recipient_id": first}, {"recipient_id": second}]),
        asked(template, folder="out"),
        asked(template, recipients=[{"recipient_id": first}], mail_to=["tobin@marrowby.example"]),
    ):
        refused = ines.post("/api/v1/rounds", json=body)
        assert (refused.status_code, refused.json()["type"]) == (422, "/problems/may_not_send"), refused.text
    ok(ines.post("/api/v1/rounds", json=asked(template, recipients=[{"recipient_id": first}])), 201)


def test_recipients_are_not_bent_by_whom_they_bind(sign_in: SignIn, desks: tuple[int, int]) -> None:
    """Who may send to one recipient only could otherwise write another address there."""
    first, _ = desks
    ines = sign_in("ines")
    assert ok(ines.get("/api/v1/session"))["person"]["sends_anywhere"] is False
    known = ok(ines.get(f"/api/v1/recipients/{first}"))
    body = {"name": known["name"], "means_id": known["means_id"]}
    for refused in (
        ines.post("/api/v1/recipients", json={**body, "name": "Mine"}),
        ines.put(f"/api/v1/recipients/{first}", json=body),
        ines.delete(f"/api/v1/recipients/{first}"),
    ):
        assert refused.status_code == 403, refused.text


def test_what_arrived_is_not_passed_on_to_others(services: Services, sign_in: SignIn, desks: tuple[int, int]) -> None:
    """By hand, nor by telling the address of a link."""
    first, second = desks
    ines = sign_in("ines")
    body = asked(saved(ines), recipients=[{"recipient_id": first}])
    run = ok(ines.post(f"/api/v1/rounds/{ok(ines.post('/api/v1/rounds', json=body), 201)['id']}/call"), 202)
    execute(services, run["id"])
    deliver_due(services, first)
    delivery = ok(ines.get("/api/v1/deliveries", params={"run": run["id"]}))["deliveries"][0]["id"]
    again = ines.post(f"/api/v1/deliveries/{delivery}", json={"act": "again", "recipient_id": second})
    assert again.status_code == 403, again.text
    address = ok(ines.get(f"/api/v1/deliveries/{delivery}/link"))["address"]
    page = address[address.index("/take/") :]
    assert ines.get(page).status_code == 200
    change(sign_in("marta"), "Ines", limits={"sends_to": []})
    ines = sign_in("ines")
    assert ok(ines.get(f"/api/v1/deliveries/{delivery}"))["may_send"] is False
    assert ines.get(page).status_code == 404
    assert ines.get(f"/api/v1/deliveries/{delivery}/link").status_code == 403
    assert ines.post(f"/api/v1/deliveries/{delivery}", json={"act": "again"}).status_code == 403


def test_what_waits_is_not_sent_when_the_right_to_was_taken(
    services: Services, sign_in: SignIn, desks: tuple[int, int]
) -> None:
    """Sent again by who may still, it goes: by the right of whoever sends it."""
    first, _ = desks
    ines = sign_in("ines")
    body = asked(saved(ines), recipients=[{"recipient_id": first}])
    run = ok(ines.post(f"/api/v1/rounds/{ok(ines.post('/api/v1/rounds', json=body), 201)['id']}/call"), 202)
    execute(services, run["id"])
    change(sign_in("marta"), "Ines", limits={"sends_to": []})
    deliver_due(services, first)
    found = ok(sign_in("ines").get("/api/v1/deliveries", params={"run": run["id"]}))["deliveries"][0]
    assert (found["state"], "may not go to Fernlea" in found["why"], found["tries"]) == ("failed", True, 1)
    marta = sign_in("marta")
    ok(marta.post(f"/api/v1/deliveries/{found['id']}", json={"act": "again"}))
    deliver_due(services, first)
    assert ok(marta.get("/api/v1/deliveries", params={"run": run["id"]}))["deliveries"][0]["state"] == "offered"


def test_what_waits_of_somebody_who_was_let_go_is_not_sent(
    services: Services, sign_in: SignIn, desks: tuple[int, int]
) -> None:
    """It says so, and the links that they gave end; an administrator sends it again by their own right."""
    first, _ = desks
    ines = sign_in("ines")
    body = asked(saved(ines), recipients=[{"recipient_id": first}])
    round_id = ok(ines.post("/api/v1/rounds", json=body), 201)["id"]
    runs = [ok(ines.post(f"/api/v1/rounds/{round_id}/call"), 202)["id"] for _ in range(2)]
    execute(services, runs[0])
    deliver_due(services, first)
    given = ok(ines.get("/api/v1/deliveries", params={"run": runs[0]}))["deliveries"][0]["id"]
    address = ok(ines.get(f"/api/v1/deliveries/{given}/link"))["address"]
    page = address[address.index("/take/") :]
    execute(services, runs[1])
    marta = sign_in("marta")
    change(marta, "Ines", disabled=True)
    deliver_due(services, first)
    found = ok(marta.get("/api/v1/deliveries", params={"run": runs[1]}))["deliveries"][0]
    assert (found["state"], "not among the people" in found["why"]) == ("failed", True)
    assert marta.get(page).status_code == 404
    ok(marta.post(f"/api/v1/deliveries/{found['id']}", json={"act": "again"}))
    deliver_due(services, first)
    assert ok(marta.get("/api/v1/deliveries", params={"run": runs[1]}))["deliveries"][0]["state"] == "offered"


def test_a_round_sends_no_more_than_its_owner_may_today(
    services: Services, sign_in: SignIn, desks: tuple[int, int]
) -> None:
    """What was taken from them after it was set counts: the run is made, and what may not go is told as failed."""
    first, _ = desks
    ines = sign_in("ines")
    body = asked(saved(ines), recipients=[{"recipient_id": first}])
    round_id = ok(ines.post("/api/v1/rounds", json=body), 201)["id"]
    change(sign_in("marta"), "Ines", limits={"sends_to": []})
    ines = sign_in("ines")
    run = ok(ines.post(f"/api/v1/rounds/{round_id}/call"), 202)
    execute(services, run["id"])
    found = ok(ines.get("/api/v1/deliveries", params={"run": run["id"]}))["deliveries"][0]
    assert (found["state"], "may not go to Fernlea" in found["why"]) == ("failed", True)


def test_a_round_ends_with_the_right_to_run_its_template(sign_in: SignIn) -> None:
    """A template that is shared with its owner no more fails truthfully, and nothing is read."""
    marta = sign_in("marta")
    template = saved(marta)
    ines = sign_in("ines")
    round_id = ok(ines.post("/api/v1/rounds", json=asked(template, folder="out")), 201)["id"]
    ok(sign_in("marta").patch(f"/api/v1/templates/{template}", json={"standing": "own"}))
    run = ok(sign_in("marta").post(f"/api/v1/rounds/{round_id}/run"), 202)
    assert (run["status"], "may not run the template any more" in run["error"]["message"]) == ("failed", True)


def test_who_is_bound_to_the_houses_standards_knows_no_other_templates(services: Services, sign_in: SignIn) -> None:
    """Not by list, number, run or ledger; the standards and their own they use as ever."""
    marta = sign_in("marta")
    house, shared = saved(marta), kept(marta, {**WARDS, "name": "Others"})
    ok(marta.patch(f"/api/v1/templates/{house}", json={"standing": "house"}))
    run = ok(marta.post("/api/v1/runs", json={"template_id": shared, "format": "csv"}), 202)["id"]
    execute(services, run)
    known = change(marta, "Tobin", limits={"house_only": True}, scope=None)
    assert known["words"].startswith("May run templates, only the house’s standard ones; sees everything")
    tobin = sign_in("tobin")
    assert {t["id"] for t in ok(tobin.get("/api/v1/templates"))} == {house}
    assert tobin.get(f"/api/v1/templates/{shared}").status_code == 404
    assert tobin.post("/api/v1/runs", json={"template_id": shared, "format": "csv"}).status_code == 404
    assert tobin.get(f"/api/v1/runs/{run}").status_code == 404
    assert run not in {r["id"] for r in ok(tobin.get("/api/v1/runs"))["runs"]}
    ok(tobin.post("/api/v1/runs", json={"template_id": house, "format": "csv"}), 202)
