"""
The house's people: an administrator lets them in, limits them, gives them a password, and lets them go.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import Any

import pytest
import sqlalchemy as sa
from fastapi.testclient import TestClient

from bouquet.rounds import run_now
from bouquet.runs import Services
from bouquet.store import accounts, people
from bouquet.store.errors import NotPossible
from bouquet.store.models import Person, Round
from tests.conftest import NOW

PEOPLE, SESSION = "/api/v1/people", "/api/v1/session"
SignIn = Callable[[str], TestClient]
NEW = {"name": "Kim Hale", "email": "kim@line.example", "roles": ["runner"]}


def added(client: TestClient, **more: Any) -> dict[str, Any]:
    answer = client.post(PEOPLE, json={**NEW, **more})
    assert answer.status_code == 201, answer.text
    found: dict[str, Any] = answer.json()
    return found


def enter(client: TestClient, password: str, email: str = "kim@line.example") -> Any:
    client.cookies.clear()
    return client.post(SESSION, json={"email": email, "password": password})


def test_a_new_person_signs_in_with_the_password_they_were_given(sign_in: SignIn) -> None:
    """It is told once, is long, and is to be changed."""
    client = sign_in("marta")
    made = added(client, email=" Kim@Line.example ")
    assert (made["person"]["email"], len(made["password"])) == ("kim@line.example", 23)
    assert made["password"] not in client.get(PEOPLE).text
    entered = enter(client, made["password"]).json()
    assert (entered["person"]["may"], entered["person"]["password_given"]) == (["look", "run"], True)
    changed = client.put(f"{SESSION}/password", json={"current": made["password"], "new": "a-password-of-mine"})
    assert changed.status_code == 204
    assert client.get(SESSION).json()["person"]["password_given"] is False


def test_an_address_is_one_persons(sign_in: SignIn) -> None:
    client = sign_in("marta")
    added(client)
    taken = client.post(PEOPLE, json={**NEW, "email": "KIM@line.example"})
    assert (taken.status_code, "kim@line.example" in taken.json()["detail"].lower()) == (409, True)


def test_what_somebody_may_see_is_a_field_that_there_is(sign_in: SignIn) -> None:
    client = sign_in("marta")
    refused = client.post(PEOPLE, json={**NEW, "scope": {"records": "ward", "field": "nothing", "values": ["03"]}})
    assert (refused.status_code, refused.json()["errors"][0]["place"]) == (422, "scope.field")
    made = added(client, scope={"records": "ward", "field": "code", "values": ["03"]})
    one = client.get(f"{PEOPLE}").json()
    kim = next(p for p in one if p["id"] == made["person"]["id"])
    assert {k: v for k, v in kim["scope"].items() if v} == {"records": "ward", "field": "code", "values": ["03"]}
    look = {
        "document": {"name": "x", "records": "ward", "columns": [{"id": "a", "heading": "A", "value": {"field": "code"}}]},
        "limit": 50, "offset": 0, "bench": "", "keys": False,
    }  # fmt: skip
    enter(client, made["password"])
    assert client.post("/api/v1/design/look", json=look).json()["rows"] == [["03"]]
    sentence = client.post("/api/v1/design/look", json=look).json()
    assert "; only ward Salter" in "".join(p["text"] for p in sentence["sentence"])
    sign_in("marta").patch(f"{PEOPLE}/{made['person']['id']}", json={"scope": None}).raise_for_status()
    enter(client, made["password"])
    assert len(client.post("/api/v1/design/look", json=look).json()["rows"]) == 12


def test_roles_count_from_the_next_request_on(sign_in: SignIn) -> None:
    client = sign_in("marta")
    made = added(client)
    enter(client, made["password"])
    kims = client.cookies.get("bouquet_session")
    sign_in("marta").patch(f"{PEOPLE}/{made['person']['id']}", json={"roles": ["designer"], "name": "Kim H."})
    client.cookies.set("bouquet_session", str(kims), domain="127.0.0.1")
    person = client.get(SESSION).json()["person"]
    assert (person["name"], "design" in person["may"]) == ("Kim H.", True)


def test_who_is_let_go_is_out_at_once(sign_in: SignIn, services: Services) -> None:
    """Sessions, tokens and sign-in end, their rounds pause; brought back, they sign in again."""
    client = sign_in("marta")
    made = added(client, roles=["designer"])
    number = made["person"]["id"]
    enter(client, made["password"])
    kims = str(client.cookies.get("bouquet_session"))
    token = client.post("/api/v1/tokens", json={"name": "t", "acts": ["look"], "days": 30}).json()["secret"]
    template = client.post("/api/v1/templates", json={"records": "ward", "everyday": True}).json()
    client.post(f"/api/v1/templates/{template['id']}/versions", json={"note": ""}, headers={"If-Match": '"1"'})
    body = {
        "template_id": template["id"],
        "rhythm": {"every": "day", "times": ["06:00"]},
        "zone": "UTC",
        "folder": "f",
        "format": "csv",
    }
    assert client.post("/api/v1/rounds", json=body).status_code == 201

    assert next(p for p in sign_in("marta").get(PEOPLE).json() if p["id"] == number)["rounds"] == 1
    gone = client.patch(f"{PEOPLE}/{number}", json={"disabled": True}).json()
    assert gone["disabled_at"] is not None
    client.cookies.clear()
    client.cookies.set("bouquet_session", kims, domain="127.0.0.1")
    assert client.get(SESSION).status_code == 401
    client.cookies.clear()
    assert client.get(SESSION, headers={"Authorization": f"Bearer {token}"}).status_code == 401
    refused = enter(client, made["password"])
    assert (refused.status_code, refused.json()["detail"]) == (401, "Wrong e-mail address or password.")
    with services.store.session() as session:
        found = session.scalars(sa.select(Round)).one()
        assert found.paused is True
        # Also where somebody lets it go on, or has it run by hand.
        failed = run_now(services, session, found.id, services.clock())
        assert (failed.status, "Kim Hale" in str(failed.error)) == ("failed", True)
    assert sign_in("marta").patch(f"{PEOPLE}/{number}", json={"disabled": False}).json()["disabled_at"] is None
    assert enter(client, made["password"]).status_code == 200


def test_a_lost_password_is_made_anew(sign_in: SignIn) -> None:
    client = sign_in("marta")
    made = added(client)
    new = client.post(f"{PEOPLE}/{made['person']['id']}/password").json()["password"]
    assert new != made["password"]
    assert enter(client, made["password"]).status_code == 401
    assert enter(client, new).status_code == 200


def test_somebody_always_administers_the_house(sign_in: SignIn, services: Services) -> None:
    client = sign_in("marta")
    marta = next(p for p in client.get(PEOPLE).json() if p["email"] == "marta@marrowby.example")
    for change in ({"disabled": True}, {"roles": ["runner"]}):
        refused = client.patch(f"{PEOPLE}/{marta['id']}", json=change)
        assert (refused.status_code, refused.json()["type"]) == (409, "/problems/not_possible")
    assert client.get(SESSION).json()["person"]["may"][-1] == "keep"

    # Two administrators who let each other go at the same moment.
    other = added(client, roles=["keeper"])["person"]["id"]

    def let_go(number: int) -> bool:
        try:
            with services.store.session() as session:
                accounts.change_person(session, number, NOW, disabled=True)
        except NotPossible:
            return False
        return True

    with ThreadPoolExecutor(2) as both:
        done = list(both.map(let_go, [marta["id"], other]))
    assert done.count(True) == 1
    with services.store.session() as session:
        assert len(people.keeper_ids(session)) == 1


@pytest.mark.parametrize("who", ["ines", "tobin", "oskar"])
def test_only_administrators_meet_the_people(sign_in: SignIn, who: str, services: Services) -> None:
    client = sign_in(who)
    with services.store.session() as session:
        number = session.scalars(sa.select(Person.id)).first()
    for answer in (
        client.get(PEOPLE),
        client.post(PEOPLE, json=NEW),
        client.patch(f"{PEOPLE}/{number}", json={"roles": ["keeper"]}),
        client.post(f"{PEOPLE}/{number}/password"),
    ):
        assert answer.status_code == 403, answer.text


def test_people_change_their_own_name_and_address_with_their_password(sign_in: SignIn) -> None:
    """From then on they sign in with it; nobody takes somebody else's."""
    client = sign_in("marta")
    made = added(client)
    enter(client, made["password"])
    mine = {"name": " Kim  Line ", "email": "Kim.New@line.example", "password": "wrong"}

    assert client.put(f"{SESSION}/me", json=mine).status_code == 403
    taken = client.put(f"{SESSION}/me", json={**mine, "password": made["password"], "email": "ines@marrowby.example"})
    assert taken.status_code == 409
    assert client.put(f"{SESSION}/me", json={**mine, "password": made["password"]}).status_code == 204
    person = enter(client, made["password"], "kim.new@line.example").json()["person"]
    assert (person["name"], person["email"]) == ("Kim Line", "kim.new@line.example")


def test_everybody_is_told_whom_to_ask(sign_in: SignIn) -> None:
    """By the names of who administers the house."""
    assert sign_in("tobin").get("/api/v1/session").json()["whom_to_ask"] == ["Marta Lindqvist"]


def test_programs_are_seen_and_ended_by_who_administers(sign_in: SignIn, services: Services) -> None:
    """Whosever token it is; what is over is not listed, and no secret is told."""
    tobin = sign_in("tobin")
    secret = tobin.post("/api/v1/tokens", json={"name": "night loader", "acts": ["run"], "days": 7}).json()["secret"]
    marta = sign_in("marta")
    (program,) = marta.get("/api/v1/programs").json()
    assert (program["name"], program["acts_for"], program["acts"]) == ("night loader", "Tobin Reyes", ["look", "run"])
    assert secret not in marta.get("/api/v1/programs").text
    assert marta.delete(f"/api/v1/programs/{program['id']}").status_code == 204
    marta.cookies.clear()
    assert marta.get("/api/v1/templates", headers={"Authorization": f"Bearer {secret}"}).status_code == 401
    services.clock = lambda: NOW + timedelta(days=1)
    again = sign_in("tobin").post("/api/v1/tokens", json={"name": "short", "acts": ["look"], "days": 1})
    assert again.status_code == 201
    services.clock = lambda: NOW + timedelta(days=3)
    assert sign_in("marta").get("/api/v1/programs").json() == []
