"""
A browser on the web application, without a session and with one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.demo.demo import PEOPLE
from bouquet.rounds import make_queue
from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.web import create_app
from tests.web import wire


@pytest.fixture(autouse=True, scope="session")
def described() -> Iterator[None]:
    """
    Whatever a test asks, the answer is as the API's description says.
    """
    patch = pytest.MonkeyPatch()
    asked = TestClient.request

    def ask(self: TestClient, method: str, *more: Any, **how: Any) -> Any:
        answer = asked(self, method, *more, **how)
        if not answer.history:
            kind, path = answer.headers.get("content-type", ""), answer.request.url.path
            found = wire.against_description(answer.request.method, path, answer.status_code, kind, answer.content)
            assert not found, found
        return answer

    patch.setattr(TestClient, "request", ask)
    yield
    patch.undo()


@pytest.fixture
def client(services: Services) -> Iterator[TestClient]:
    """
    A browser without a session.
    """
    settings = Settings(store_url=SecretStr("x"), source_url=SecretStr("x"), _env_file=None)  # type: ignore[call-arg]
    with TestClient(create_app(services, make_queue(services), settings), base_url="http://127.0.0.1") as made:
        yield made


@pytest.fixture
def sign_in(client: TestClient) -> Callable[[str], TestClient]:
    """
    Sign one of the four people in, by first name.
    """

    def enter(who: str) -> TestClient:
        _, email, _, password = next(p for p in PEOPLE if p[0].lower().startswith(who))
        client.post("/api/v1/session", json={"email": email, "password": password}).raise_for_status()
        return client

    return enter
