"""
Serving the front end beside the API.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.rounds import make_queue
from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.web import create_app


@pytest.fixture
def client(services: Services, tmp_path: Path) -> Iterator[TestClient]:
    """A server with a built front end of one page."""
    built = tmp_path / "dist"
    (built / "assets").mkdir(parents=True)
    (built / "index.html").write_text("<title>Bouquet</title>")
    (built / "assets" / "page.js").write_text("1")
    (built / "bouquet.svg").write_text("<svg/>")
    (tmp_path / "secret.txt").write_text("secret")
    settings = Settings(store_url=SecretStr("x"), source_url=SecretStr("x"), frontend=built, _env_file=None)
    with TestClient(create_app(services, make_queue(services), settings)) as made:
        yield made


@pytest.mark.parametrize("path", ["/", "/templates/7", "/runs?q=x", "/anything/else"])
def test_every_address_of_a_place_gives_the_page(client: TestClient, path: str) -> None:
    """Addresses can be sent to a colleague."""
    assert "<title>Bouquet</title>" in client.get(path).text


def test_files_of_the_front_end_are_served_and_no_others(client: TestClient) -> None:
    """Nothing outside the built folder can be reached."""
    assert client.get("/assets/page.js").text == "1"
    assert client.get("/bouquet.svg").text == "<svg/>"
    assert client.get("/assets/../../secret.txt").text != "secret"
    assert client.get("/assets/%2e%2e/%2e%2e/secret.txt").text != "secret"


def test_an_unknown_address_of_the_api_is_no_page(client: TestClient) -> None:
    """It answers with problem details."""
    answer = client.get("/api/v1/nothing")

    assert answer.status_code == 404
    assert answer.headers["content-type"] == "application/problem+json"


def test_a_request_that_makes_no_sense_points_at_its_parts(client: TestClient) -> None:
    """Also outside templates."""
    answer = client.post("/api/v1/session", json={"email": "x"})

    assert answer.status_code == 422
    assert answer.json()["errors"][0]["place"] == "body.password"
    assert client.get("/api/v1/health").json()["status"] == "up"
