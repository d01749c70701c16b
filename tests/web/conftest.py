"""
A browser on the web application, without a session and with one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.demo.demo import PEOPLE
from bouquet.rounds import make_queue
from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.web import create_app


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
