"""
The first start: one keeper, by the code that was printed, and never again.
"""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
import sqlalchemy as sa
from fastapi import FastAPI
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.store import Store, people
from bouquet.store.models import Person
from bouquet.web.routers import starting
from bouquet.web.serve import _server

FIRST = "/api/v1/first-start"
KEEPER = {"name": "Kim Hale", "email": "kim@line.example", "password": "a-long-password"}


@pytest.fixture
def empty(services: Services, client: TestClient) -> TestClient:
    with services.store.session() as session:
        session.execute(sa.delete(Person))
    return client


def app_of(client: TestClient) -> FastAPI:
    assert isinstance(client.app, FastAPI)
    return client.app


def begin(client: TestClient, code: str | None = None, **more: Any) -> Any:
    return client.post(FIRST, json={"code": code or app_of(client).state.first_code, **KEEPER, **more})


def test_the_first_keeper_begins(empty: TestClient) -> None:
    """They are signed in, keep and design; nobody can begin after them."""
    assert empty.get(FIRST).json() == {"needed": True}
    done = begin(empty)
    assert (done.status_code, done.json()["person"]["may"]) == (200, ["look", "audit", "run", "design", "keep"])
    assert empty.get("/api/v1/session").json()["person"]["email"] == "kim@line.example"
    assert empty.get(FIRST).json() == {"needed": False}

    again = begin(empty, email="other@line.example")
    assert (again.status_code, again.json()["type"].rsplit("/", 1)[-1]) == (409, "not_first")


def test_a_long_address_signs_in_again(empty: TestClient) -> None:
    """Whatever address may begin may also come back."""
    email = f"{'k' * 220}@line.example"
    assert begin(empty, email=email).status_code == 200
    body = {"email": email, "password": KEEPER["password"]}

    assert empty.post("/api/v1/session", json=body).status_code == 200


def test_a_wrong_code_is_refused_and_tries_are_bounded(empty: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    """The code cannot be guessed, and nobody is added."""
    monkeypatch.setattr(starting, "MOST_TRIES", 3)
    assert [begin(empty, "guess").status_code for _ in range(3)] == [403] * 3

    assert begin(empty).status_code == 429
    assert empty.get(FIRST).json() == {"needed": True}


@pytest.mark.parametrize("wrong", [{"password": "short"}, {"email": "no address"}, {"name": "  "}])
def test_bad_facts_are_refused(empty: TestClient, wrong: dict[str, str]) -> None:
    """With nobody added."""
    assert begin(empty, **wrong).status_code == 422
    assert empty.get(FIRST).json() == {"needed": True}


def test_of_two_at_once_one_comes_too_late(services: Services, empty: TestClient) -> None:
    """One keeper, not two."""

    def add(n: int) -> bool:
        with services.store.session() as session:
            return people.add_first(session, email=f"{n}@line.example", name="N", password="a-long-password")

    with ThreadPoolExecutor(4) as pool:
        assert sorted(pool.map(add, range(4))) == [False, False, False, True]


def test_an_empty_database_is_known(cluster: Any) -> None:
    """What is served for the first time makes its tables itself."""
    cluster.drop_database("start_test")
    cluster.ensure_database("start_test", "bouquet")
    store = Store(cluster.url("start_test", "bouquet", "test-only"))
    before = store.is_empty()
    store.migrate()

    assert (before, store.is_empty()) == (True, False)
    store.close()
    cluster.drop_database("start_test")


@pytest.mark.parametrize(
    ("peer", "proxies", "said", "known"),
    [
        ("127.0.0.1", "127.0.0.1", "203.0.113.9", "203.0.113.9"),
        ("127.0.0.1", "127.0.0.1", "198.51.100.1, 203.0.113.9", "203.0.113.9"),
        ("10.88.0.1", "127.0.0.1", "203.0.113.9", "10.88.0.1"),
        ("10.88.0.1", "10.88.0.7/16, ::1", "203.0.113.9", "203.0.113.9"),
    ],
)
def test_where_a_request_comes_from_is_believed_of_the_houses_own_proxies(
    services: Services, peer: str, proxies: str, said: str, known: str
) -> None:
    """And of what they were told themselves, nothing is."""
    settings = Settings(store_url=SecretStr("x"), proxies=proxies, _env_file=None)  # type: ignore[call-arg]
    seen = list[Any]()

    async def app(scope: Any, receive: Any, send: Any) -> None:
        seen.append(scope["client"][0])

    config = _server(app, settings).config  # type: ignore[arg-type]
    config.load()
    scope = {"type": "http", "client": (peer, 1), "headers": [(b"x-forwarded-for", said.encode())]}
    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(config.loaded_app(scope, None, None))).result()  # type: ignore[arg-type]

    assert seen == [known]


def test_a_proxy_that_is_no_address_is_refused() -> None:
    with pytest.raises(ValueError, match=r"proxy\.example"):
        Settings(store_url=SecretStr("x"), proxies="proxy.example", _env_file=None)  # type: ignore[call-arg]
