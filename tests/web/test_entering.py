"""
Ways in besides a password: one-time codes, links by mail, and the house's own sign-in, each against a real service.
"""

from __future__ import annotations

import urllib.request
from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

import pyotp
import pytest
import sqlalchemy as sa
from cryptography.fernet import Fernet
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.demo.issuer import CLIENT, Guest, Issuer, Misdeed
from bouquet.rounds import make_queue
from bouquet.runs import MailServer, Services
from bouquet.settings import Settings
from bouquet.store import people as everybody
from bouquet.store.models import Person, PersonLink
from bouquet.store.secrets import Vault
from bouquet.web import create_app
from bouquet.web.house_sign_in import HouseSignIn
from tests.conftest import NOW
from tests.runs.post_office import PostOffice, post_office

API = "/api/v1"
SESSION = f"{API}/session"
SignIn = Callable[[str], TestClient]
INES = {"email": "ines@marrowby.example", "password": "damson-and-lime"}


# One-time codes


@pytest.fixture
def sealed(services: Services) -> Services:
    """A house that can keep a secret."""
    services.vault = Vault(Fernet.generate_key().decode())
    return services


def code_at(secret: str, services: Services, steps: int = 0) -> str:
    return pyotp.TOTP(secret).generate_otp(int(services.clock().timestamp()) // 30 + steps)


def begun(client: TestClient, services: Services) -> tuple[str, list[str]]:
    """Codes for who is signed in: the secret and the spare ones."""
    secret = client.post(f"{SESSION}/codes").json()["secret"]
    body = {"secret": secret, "code": code_at(secret, services), "password": INES["password"]}
    answer = client.put(f"{SESSION}/codes", json=body)
    assert answer.status_code == 200, answer.text
    return secret, answer.json()["spare"]


def enter(client: TestClient, code: str = "") -> Any:
    client.cookies.clear()
    return client.post(SESSION, json={**INES, "code": code})


def test_a_code_is_asked_for_after_the_password(sign_in: SignIn, sealed: Services) -> None:
    """And taken once: neither the same nor an older one is taken again."""
    client = sign_in("ines")
    secret, _ = begun(client, sealed)
    without, wrong, used = enter(client), enter(client, "000000"), enter(client, code_at(secret, sealed))
    right, again = enter(client, code_at(secret, sealed, 1)), enter(client, code_at(secret, sealed, 1))

    assert [a.status_code for a in (without, wrong, used, right, again)] == [401, 401, 401, 200, 401]
    assert without.json()["type"] == wrong.json()["type"] == "/problems/code_needed"
    wrong_password = client.post(SESSION, json={**INES, "password": "x"})
    assert wrong_password.json()["type"] == "/problems/wrong_password"


def test_a_spare_code_is_good_once(sign_in: SignIn, sealed: Services) -> None:
    """For who lost the device; how many are left is told."""
    client = sign_in("ines")
    _, spare = begun(client, sealed)
    first, second = enter(client, spare[0].upper()), enter(client, spare[0])
    assert (first.status_code, second.status_code) == (200, 401)
    assert enter(client, spare[1]).status_code == 200
    assert client.get(f"{SESSION}/codes").json() == {"on": True, "spare": 6, "possible": True}


def test_codes_are_set_only_with_a_device_that_has_the_secret(sign_in: SignIn, sealed: Services) -> None:
    """And with the password; otherwise nothing is asked for."""
    client = sign_in("ines")
    secret = client.post(f"{SESSION}/codes").json()["secret"]
    right = code_at(secret, sealed)
    refused = [
        client.put(f"{SESSION}/codes", json={"secret": secret, "code": code, "password": password}).status_code
        for code, password in (("000000", INES["password"]), (right, "wrong"))
    ]
    assert refused == [401, 403]
    assert enter(client).status_code == 200


def test_codes_are_stopped_by_their_owner_or_by_an_administrator(sign_in: SignIn, sealed: Services) -> None:
    """With the password; or for who lost device and spare codes."""
    client = sign_in("ines")
    begun(client, sealed)
    assert client.post(f"{SESSION}/codes/stop", json={"password": "wrong"}).status_code == 403
    assert client.post(f"{SESSION}/codes/stop", json={"password": INES["password"]}).status_code == 204
    assert enter(client).status_code == 200
    begun(client, sealed)
    marta = sign_in("marta")
    ines = next(p for p in marta.get(f"{API}/people").json() if p["email"] == INES["email"])
    assert ines["codes"]
    assert marta.patch(f"{API}/people/{ines['id']}", json={"codes": False}).json()["codes"] is False
    assert enter(marta).status_code == 200


def test_guessing_codes_is_braked(sign_in: SignIn, sealed: Services) -> None:
    """As guessing passwords is."""
    client = sign_in("ines")
    begun(client, sealed)
    statuses = [enter(client, f"{n:06}").status_code for n in range(10)]
    assert statuses[-1] == 429


def test_the_secret_is_kept_sealed(sign_in: SignIn, sealed: Services) -> None:
    """Who reads the store learns neither it nor the spare codes."""
    secret, spare = begun(sign_in("ines"), sealed)
    with sealed.store.session() as session:
        kept = session.execute(sa.select(Person.codes_sealed, Person.spare_codes)).all()
    assert secret not in str(kept)
    assert all(code not in str(kept) for code in spare)


# Links by mail


@pytest.fixture
def post(services: Services) -> Iterator[PostOffice]:
    """A house that sends mail by a real server."""
    with post_office() as (office, address):
        services.mail = MailServer.at(address, "house@marrowby.example", address="http://house.example")
        yield office


def link_in(office: PostOffice) -> str:
    _, mail = office.mails[-1]
    body = mail.get_body(("plain",))
    assert body is not None
    link = next(line for line in body.get_content().splitlines() if line.startswith("http://house.example"))
    return link.partition("#")[2]


def test_an_invited_person_sets_a_password_by_a_link(sign_in: SignIn, post: PostOffice) -> None:
    """No administrator ever knows it; the link is good once."""
    marta = sign_in("marta")
    new = {"name": "Kim Hale", "email": "kim@marrowby.example", "roles": ["runner"], "invite": True}
    made = marta.post(f"{API}/people", json=new)
    assert (made.status_code, made.json()["password"]) == (201, None)
    link = link_in(post)
    marta.cookies.clear()
    weak = marta.post(f"{SESSION}/set-password", json={"link": link, "password": "short"})
    good = marta.post(f"{SESSION}/set-password", json={"link": link, "password": "willow-by-the-mill"})
    again = marta.post(f"{SESSION}/set-password", json={"link": link, "password": "another-for-me-1"})
    entered = marta.post(SESSION, json={"email": "kim@marrowby.example", "password": "willow-by-the-mill"})

    assert [a.status_code for a in (weak, good, again, entered)] == [422, 204, 404, 200]
    assert entered.json()["person"]["password_given"] is False


def test_a_refusal_takes_as_long_whoever_is_asked_for(
    client: TestClient, services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A password is worked on, as slowly, for who has one, for who comes by the house alone, and for nobody's address."""
    with services.store.session() as session:
        session.get_one(Person, people["tobin"].id).password_hash = ""
    worked: list[str] = []
    matches = everybody._matches
    monkeypatch.setattr(everybody, "_matches", lambda hashed, given: (worked.append(hashed), matches(hashed, given))[1])
    for name in ("ines", "tobin", "nobody"):
        body = {"email": f"{name}@marrowby.example", "password": "not-the-right-one"}
        assert client.post(SESSION, json=body).status_code == 401

    ways = {hashed.rsplit("$", 2)[0] for hashed in worked}
    assert (len(worked), len(ways)) == (3, 1)
    assert "argon2id" in ways.pop()


def test_who_cannot_be_reached_is_not_added(sign_in: SignIn, post: PostOffice, services: Services) -> None:
    """A mail server that refuses, and a house without one."""
    marta = sign_in("marta")
    new = {"name": "Kim Hale", "email": "kim@marrowby.example", "roles": ["runner"], "invite": True}
    post.replies["kim@marrowby.example"] = ["550 nobody here"]
    refused = marta.post(f"{API}/people", json=new)
    services.mail = None
    without = marta.post(f"{API}/people", json=new)

    assert refused.status_code >= 400
    assert without.status_code >= 400
    assert "Kim Hale" not in marta.get(f"{API}/people").text


def test_a_forgotten_password_is_set_anew(client: TestClient, post: PostOffice, people: dict[str, Any]) -> None:
    """The answer does not tell who is known; a second link within two minutes is not sent; sessions end."""
    answers = [
        client.post(f"{SESSION}/forgotten", json={"email": e}) for e in (INES["email"], "x@y.example", INES["email"])
    ]
    assert [(a.status_code, a.text) for a in answers] == [(202, "null")] * 3
    assert [to for to, _ in post.mails] == [INES["email"]]
    client.post(SESSION, json=INES)
    assert client.get(SESSION).status_code == 200
    set_ = client.post(f"{SESSION}/set-password", json={"link": link_in(post), "password": "plum-and-willow"})
    assert (set_.status_code, client.get(SESSION).status_code) == (204, 401)
    assert client.post(SESSION, json={**INES, "password": "plum-and-willow"}).status_code == 200


def test_a_link_that_is_old_is_not_good(client: TestClient, post: PostOffice, services: Services, people: Any) -> None:
    """After an hour; and only digests of links are kept."""
    client.post(f"{SESSION}/forgotten", json={"email": INES["email"]})
    link = link_in(post)
    with services.store.session() as session:
        assert link not in str(session.scalars(sa.select(PersonLink.digest)).all())
    services.clock = lambda: NOW + timedelta(hours=1, minutes=1)
    answer = client.post(f"{SESSION}/set-password", json={"link": link, "password": "plum-and-willow"})
    assert answer.status_code == 404


# The house's own sign-in

KIM = Guest("Kim Hale", "kim@marrowby.example", ("parks-office",))
GUESTS = (KIM, Guest("Ines H.", "INES@marrowby.example"), Guest("Nobody", "nobody@marrowby.example", ("others",)))


@pytest.fixture
def issuer() -> Iterator[Issuer]:
    made = Issuer(GUESTS)
    yield made
    made.stop()


@pytest.fixture
def house(services: Services, issuer: Issuer, people: dict[str, Any]) -> Iterator[TestClient]:
    """A browser before a house with a sign-in of its own, and a group that it names."""
    settings = Settings(
        store_url=SecretStr("x"), source_url=SecretStr("x"), oidc_issuer=issuer.address, oidc_client=CLIENT,
        oidc_secret=SecretStr(issuer.secret), oidc_title="Town hall", _env_file=None,
    )  # type: ignore[call-arg]  # fmt: skip
    with TestClient(create_app(services, make_queue(services), settings), base_url="http://127.0.0.1") as made:
        marta = {"email": "marta@marrowby.example", "password": "oak-before-ash"}
        made.post(SESSION, json=marta).raise_for_status()
        scope = {"types": ["tree", "site"], "personal": {"*": "hidden"}}
        group = {"name": "Parks office", "roles": ["runner"], "claim": "parks-office", "scope": scope}
        assert made.post(f"{API}/groups", json=group).status_code == 201
        made.cookies.clear()
        yield made


def visit(client: TestClient, issuer: Issuer, who: Guest, **changed: str) -> Any:
    """Go there, pick somebody, come back."""
    away = client.get(f"{SESSION}/house", follow_redirects=False)
    asked = {k: v[0] for k, v in parse_qs(urlsplit(away.headers["location"]).query).items()}
    assert asked["code_challenge_method"] == "S256"
    picked = f"{issuer.address}/as?{urlencode({**asked, 'who': GUESTS.index(who), **changed})}"
    opener = urllib.request.build_opener(_NotFollowed)
    with opener.open(picked) as answer:
        back = answer.headers["Location"]
    split = urlsplit(back)
    return client.get(f"{split.path}?{split.query}", follow_redirects=False)


class _NotFollowed(urllib.request.HTTPErrorProcessor):
    def http_response(self, _request: Any, response: Any) -> Any:
        return response


def test_the_house_says_who_somebody_is(house: TestClient, issuer: Issuer) -> None:
    """With the groups that it names; the next time it is the same person."""
    for _ in range(2):
        house.cookies.clear()
        back = visit(house, issuer, KIM)
        assert (back.status_code, back.headers["location"]) == (303, "/")
    session = house.get(SESSION).json()["person"]
    assert (session["name"], session["may"]) == ("Kim Hale", ["look", "run"])
    assert {t["name"] for t in house.get(f"{API}/record-types").json()} == {"tree", "site"}
    house.post(SESSION, json={"email": "marta@marrowby.example", "password": "oak-before-ash"})
    assert [p["name"] for p in house.get(f"{API}/people").json()].count("Kim Hale") == 1


def test_what_the_token_leaves_out_is_asked_for(house: TestClient, issuer: Issuer) -> None:
    """Name, address and groups, as most services tell them."""
    issuer.misdeed = "tells apart"
    assert visit(house, issuer, KIM).headers["location"] == "/"
    person = house.get(SESSION).json()["person"]
    assert (person["name"], person["email"], person["may"]) == ("Kim Hale", KIM.email, ["look", "run"])


def test_a_service_is_told_the_secret_in_the_way_it_takes_it(house: TestClient, issuer: Issuer) -> None:
    issuer.in_form = True
    assert visit(house, issuer, KIM).headers["location"] == "/"


@pytest.mark.parametrize(
    ("claims", "name", "groups"),
    [
        ({"groups": ["a", "b"]}, "groups", {"a", "b"}),
        ({"groups": "a"}, "groups", {"a"}),
        ({"realm_access": {"roles": ["a"]}}, "realm_access.roles", {"a"}),
        ({"https://hall.example/groups": ["a"]}, "https://hall.example/groups", {"a"}),
        ({"realm_access": ["a"]}, "realm_access.roles", set()),
        ({"groups": {"a": 1}}, "groups", set()),
    ],
)
def test_groups_stand_where_a_service_puts_them(claims: dict[str, Any], name: str, groups: set[str]) -> None:
    settings = Settings(store_url=SecretStr("x"), oidc_issuer="http://127.0.0.1:9", oidc_groups=name, _env_file=None)  # type: ignore[call-arg]
    arrived = HouseSignIn(settings, b"0" * 32)._arrived({"sub": "1", "email": KIM.email, **claims})
    assert arrived.groups == groups


def test_who_was_here_before_is_known_by_their_address(house: TestClient, issuer: Issuer) -> None:
    """Whatever its case; name and rights stay theirs."""
    visit(house, issuer, GUESTS[1])
    assert house.get(SESSION).json()["person"]["name"] == "Ines Harrow"


def test_an_address_that_is_not_proven_is_nobodys_here(house: TestClient, issuer: Issuer) -> None:
    """Who names an administrator's address there does not become them; who is new is let in by their groups."""
    issuer.misdeed = "says nothing of addresses"
    assert visit(house, issuer, GUESTS[1]).headers["location"].endswith("/sign-in?why=not_yours")
    assert visit(house, issuer, KIM).headers["location"] == "/"


@pytest.mark.parametrize(
    ("name", "email", "told"),
    [
        ("Kim\x00 \u2028Hale\n", KIM.email, "Kim Hale"),
        ("\x00", KIM.email, KIM.email),
        ("Kim", "kim\x00@hale.example", ""),
        ("Kim", "kim@", ""),
    ],
)
def test_what_a_service_says_oddly_is_made_plain_or_refused(
    house: TestClient, issuer: Issuer, name: str, email: str, told: str
) -> None:
    """Names keep what can be read of them; an address is one, or nobody's."""
    issuer.guests = (Guest(name, email, KIM.groups), *GUESTS[1:])
    visit(house, issuer, KIM)
    found = house.get(SESSION)

    assert (found.json()["person"]["name"] if found.status_code == 200 else "") == told


def test_who_leaves_a_group_there_leaves_it_here(house: TestClient, issuer: Issuer) -> None:
    """At the next sign-in."""
    visit(house, issuer, KIM)
    issuer.guests = (Guest(KIM.name, KIM.email), *GUESTS[1:])
    visit(house, issuer, KIM)
    assert house.get(SESSION).json()["person"]["may"] == []


def test_whom_nobody_let_in_is_told_whom_to_ask(house: TestClient, issuer: Issuer) -> None:
    """And nobody is added."""
    back = visit(house, issuer, GUESTS[2])
    assert back.headers["location"].endswith("/sign-in?why=not_yours")
    assert house.get(SESSION).status_code == 401


@pytest.mark.parametrize(
    "misdeed",
    [
        "another nonce",
        "another key",
        "expired",
        "another audience",
        "another issuer",
        "no signature",
        "not verified",
        "tells of another",
    ],
)
def test_what_cannot_be_trusted_signs_nobody_in(house: TestClient, issuer: Issuer, misdeed: Misdeed) -> None:
    """Signature, issuer, audience, times, nonce, and the address, each by itself."""
    issuer.misdeed = misdeed
    back = visit(house, issuer, KIM)
    assert back.headers["location"].startswith("/sign-in?why=")
    assert house.get(SESSION).status_code == 401


def test_a_code_of_another_browser_is_not_taken(house: TestClient, issuer: Issuer) -> None:
    """Somebody who is sent a link with an attacker's code is not signed in as the attacker."""
    away = house.get(f"{SESSION}/house", follow_redirects=False)
    asked = {k: v[0] for k, v in parse_qs(urlsplit(away.headers["location"]).query).items()}
    with urllib.request.build_opener(_NotFollowed).open(
        f"{issuer.address}/as?{urlencode({**asked, 'who': 0})}"
    ) as answer:
        back = urlsplit(answer.headers["Location"])
    house.cookies.clear()
    stolen = house.get(f"{back.path}?{back.query}", follow_redirects=False)
    house.get(f"{SESSION}/house", follow_redirects=False)
    mixed = house.get(f"{back.path}?{back.query}", follow_redirects=False)

    assert all(a.headers["location"].startswith("/sign-in?why=") for a in (stolen, mixed))
    assert house.get(SESSION).status_code == 401


def test_passwords_can_be_switched_off(services: Services, issuer: Issuer, people: Any) -> None:
    """Then neither they nor links to set one are taken."""
    settings = Settings(
        store_url=SecretStr("x"), source_url=SecretStr("x"), oidc_issuer=issuer.address, oidc_client=CLIENT,
        passwords=False, _env_file=None,
    )  # type: ignore[call-arg]  # fmt: skip
    with TestClient(create_app(services, make_queue(services), settings), base_url="http://127.0.0.1") as client:
        assert client.get(f"{SESSION}/ways").json() == {
            "password": False,
            "house": "The house's sign-in",
            "by_mail": False,
        }
        assert client.post(SESSION, json=INES).status_code == 403
        assert client.post(f"{SESSION}/forgotten", json={"email": "x"}).status_code == 403


def test_a_service_that_is_away_says_so(services: Services, people: Any) -> None:
    """The house's own service does not answer: a browser that went there is back at our own sign-in."""
    settings = Settings(
        store_url=SecretStr("x"), source_url=SecretStr("x"), oidc_issuer="http://127.0.0.1:9", oidc_client=CLIENT,
        _env_file=None,
    )  # type: ignore[call-arg]  # fmt: skip
    with TestClient(create_app(services, make_queue(services), settings), base_url="http://127.0.0.1") as client:
        answer = client.get(f"{SESSION}/house", follow_redirects=False)
    assert (answer.status_code, answer.headers["location"]) == (303, "/sign-in?why=house_away")
