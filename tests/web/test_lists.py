"""
Lists as they grow: a page of twenty things asks the store no more often than one of two.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import pytest
import sqlalchemy as sa
from fastapi.testclient import TestClient

from bouquet.runs import Services, execute
from bouquet.sources import registry
from tests.web.templates import API, WARDS, SignIn, add

LISTS = ["templates", "runs", "notices", "rounds", "bundles", "picks", "tokens", "feeds/mine", "removed", "deliveries"]


OF_THE_HOUSE = ["people", "people/names", "groups", "programs", "recipients", "means", "rounds", "runs", "templates"]


@pytest.fixture
def grown(sign_in: SignIn, services: Services) -> Callable[[], TestClient]:
    """A house that gets one more of everything that is listed, each time."""
    count = iter(range(100))

    def grow() -> TestClient:
        client, n = sign_in("ines"), next(count)
        number = add(client, {**WARDS, "name": f"Wards {n}"})
        run = client.post(f"{API}/runs", json={"template_id": number}).json()["id"]
        execute(services, run)
        rhythm = {"every": "day", "times": ["18:00"]}
        away = {"folder": f"desk{n}", "rhythm": rhythm}
        client.post(f"{API}/rounds", json={"template_id": number, **away}).raise_for_status()
        contents = {"name": f"Bundle {n}", "templates": [number]}
        client.post(f"{API}/bundles", json={"contents": contents}).raise_for_status()
        client.put(f"{API}/picks/few-{n}", json={"records": "ward", "keys": [["1"]]}).raise_for_status()
        token = {"name": f"Token {n}", "acts": ["look"], "days": 30}
        client.post(f"{API}/tokens", json=token).raise_for_status()
        gone = add(client, {**WARDS, "name": f"Gone {n}"})
        client.delete(f"{API}/templates/{gone}").raise_for_status()
        marta = sign_in("marta")
        person = {"name": f"Person {n}", "email": f"person{n}@marrowby.example", "roles": ["runner"]}
        marta.post(f"{API}/people", json=person).raise_for_status()
        added = next(p["id"] for p in marta.get(f"{API}/people").json() if p["name"] == f"Person {n}")
        group = {"name": f"Group {n}", "roles": ["runner"], "members": [added]}
        marta.post(f"{API}/groups", json=group).raise_for_status()
        means = marta.post(f"{API}/means", json={"name": f"Link {n}", "kind": "link", "settings": {}, "secret": ""})
        recipient = {"name": f"Recipient {n}", "means_id": means.json()["id"]}
        marta.post(f"{API}/recipients", json=recipient).raise_for_status()
        return sign_in("ines")

    return grow


@pytest.fixture
def asked(services: Services, monkeypatch: pytest.MonkeyPatch) -> Iterator[list[str]]:
    """What the store is asked, as statements; but for which sources there are, which is asked again by the clock."""
    monkeypatch.setattr(registry, "KEPT_AGE", float("inf"))
    found: list[str] = []

    def note(*about: Any) -> None:
        found.append(about[2])

    sa.event.listen(services.store.engine, "before_cursor_execute", note)
    yield found
    sa.event.remove(services.store.engine, "before_cursor_execute", note)


def test_a_list_of_many_asks_as_little_as_one_of_few(
    grown: Callable[[], TestClient], sign_in: SignIn, asked: list[str]
) -> None:
    """The lists that people have before them all day, and those of the house."""

    def statements(client: TestClient, lists: list[str]) -> dict[str, int]:
        found = {}
        for name in lists:
            asked.clear()
            client.get(f"{API}/{name}").raise_for_status()
            found[name] = len(asked)
        return found

    few = [grown() for _ in range(2)][-1]
    before = statements(few, LISTS) | statements(sign_in("marta"), OF_THE_HOUSE)
    many = [grown() for _ in range(4)][-1]
    after = statements(many, LISTS) | statements(sign_in("marta"), OF_THE_HOUSE)

    assert after == before
