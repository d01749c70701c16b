"""
A template to ask the web application about.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi.testclient import TestClient

API = "/api/v1"


WARDS: dict[str, Any] = {
    "name": "Door wards",
    "records": "ward",
    "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
}


SignIn = Callable[[str], TestClient]


def add(client: TestClient, document: dict[str, Any] = WARDS) -> int:
    made = client.post(f"{API}/templates", json={"document": document})
    assert made.status_code == 201, made.text
    number: int = made.json()["id"]
    client.post(f"{API}/templates/{number}/versions", json={"note": ""}, headers={"If-Match": '"1"'})
    return number
