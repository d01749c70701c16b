"""
The described API: whatever its description allows, and much that it does not, is answered and never fails.
"""

from __future__ import annotations

import os
import random
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import Case, GenerationMode

from bouquet.runs import Services

#: Requests of each person. `make hostile` asks for more.
CASES = int(os.environ.get("BOUQUET_CASES", "250"))
SIGN_IN = "/api/v1/session"
#: A stream has no end.
LEFT_OUT = {("GET", "/api/v1/events")}
#: What the client takes of a request as it was made.
TAKEN = {"method", "url", "params", "headers", "json", "content", "data", "files"}
TEMPLATE = {
    "name": "Trees by ward", "records": "tree",
    "columns": [{"id": "c1", "heading": "Tag", "value": {"field": "tag"}}],
    "asks": [],
}  # fmt: skip


@pytest.mark.parametrize(
    ("who", "cases"),
    [
        ("ines", 50),
        *(pytest.param(who, CASES, marks=pytest.mark.thorough) for who in ("ines", "tobin", "marta", "oskar")),
    ],
)
def test_no_request_fails(
    who: str, cases: int, services: Services, client: TestClient, sign_in: Callable[[str], TestClient]
) -> None:
    """Hundreds of requests of one person, made from the description: none ends in an error of the server's."""
    schema = schemathesis.openapi.from_dict(client.get("/api/v1/openapi.json").json())
    schema.config.generation.update(modes=[GenerationMode.POSITIVE, GenerationMode.NEGATIVE])
    operations = [
        o for o in (r.ok() for r in schema.get_all_operations()) if (o.method.upper(), o.path) not in LEFT_OUT
    ]
    # The brake on guessed passwords would keep this person out, too.
    locking_out = [("PUT", f"{SIGN_IN}/password"), ("POST", SIGN_IN)]
    operations.sort(key=lambda o: (o.method.upper(), o.path) in locking_out or o.path.startswith("/api/v1/people/"))
    known = made_before(sign_in("ines"))
    client.delete(SIGN_IN)
    each = -(-cases // len(operations))
    failed: list[str] = []
    asked = 0

    for operation in operations:
        sign_in_again(client, services, sign_in, who)

        @settings(
            max_examples=each, deadline=None, database=None, phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )  # fmt: skip
        @given(operation.as_strategy())
        def ask(case: Case) -> None:
            nonlocal asked
            asked += 1
            try:
                answer = send(client, case, known)
            except Exception as error:
                failed.append(f"{case.as_curl_command()}\n  {error!r}")
                return
            if answer.status_code >= 500:
                failed.append(f"{case.as_curl_command()}\n  {answer.status_code} {answer.text[:300]}")

        ask()

    assert failed == []
    assert asked >= cases * 0.75  # what takes no parameters is asked once


def made_before(client: TestClient) -> dict[str, list[Any]]:
    """
    What addresses may speak of, so that requests get beyond "not found".
    """
    template = client.post("/api/v1/templates", json={"document": TEMPLATE})
    assert template.status_code == 201, template.text
    number = template.json()["id"]
    run = client.post("/api/v1/runs", json={"template_id": number}).json()
    return {
        "template_id": [number],
        "run_id": [run.get("id")],
        "name": ["tree", "site"],
        "field": ["tag"],
        "number": [1],
    }


def send(client: TestClient, case: Case, known: dict[str, list[Any]]) -> Any:
    """
    The case's answer; every second address speaks of something that is there.
    """
    chance = random.Random(repr(case.path_parameters) + repr(case.body))
    if case.path_parameters and chance.random() < 0.5:
        case.path_parameters.update({k: chance.choice(v) for k, v in known.items() if k in case.path_parameters})
    wanted = case.as_transport_kwargs(base_url="http://127.0.0.1")
    wanted.pop("cookies", None)
    if isinstance(wanted.get("data"), bytes | str):
        wanted["content"] = wanted.pop("data")
    return client.request(**{k: v for k, v in wanted.items() if v is not None and k in TAKEN})


def sign_in_again(client: TestClient, services: Services, sign_in: Callable[[str], TestClient], who: str) -> None:
    """
    Make sure that it is this person who asks: among what was asked before are a sign-out and a changed password. An hour
    later, as guessed passwords, of which there were many, keep everybody at this address out for a while.
    """
    if client.get("/api/v1/session").status_code != 200:
        later = services.clock() + timedelta(hours=1)
        services.clock = lambda: later
        sign_in(who)
