"""
What is asked for twice at the same moment is made once, or made twice where that is meant, and never a failure.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.web.templates import API, WARDS, add

SignIn = Callable[[str], TestClient]

NOBODY = {"name": "Kim", "email": "kim@line.example", "roles": ["runner"]}
LINK = {"name": "links", "kind": "link", "settings": {}}
DESK = {"name": "Desk", "acceptance": {}, "address": {}}

#: A request, and how many of eight at once may succeed.
ASKED: list[tuple[str, str, dict[str, Any], int]] = [
    ("POST", "/people", NOBODY, 1),
    ("POST", "/groups", {"name": "Readers", "members": []}, 1),
    ("POST", "/means", LINK, 1),
    ("POST", "/recipients", DESK, 1),
    ("POST", "/templates", {"document": {**WARDS, "name": "Twice"}}, 1),
    ("POST", "/templates", {"document": {**WARDS, "name": "Twice"}, "free_name": True}, 8),
    ("POST", "/templates/{template}/copy", {}, 8),
    ("POST", "/templates/{template}/versions", {"note": ""}, 8),
    ("POST", "/bundles", {"contents": {"name": "Both", "records": ["ward"]}}, 1),
    ("PUT", "/picks/few", {"records": "ward", "keys": [["1"]]}, 8),
    ("PUT", "/records/ward/views", {"name": "Bare", "document": WARDS}, 8),
    ("PUT", "/purposes", {"names": ["audit"], "only": False}, 8),
    ("PUT", "/rounds/days-off", {"weekend": [5, 6], "days": []}, 8),
    ("POST", "/tokens", {"name": "t", "acts": ["look"], "days": 30}, 8),
    ("POST", "/feeds/mine", {}, 8),
    ("PUT", "/templates/{template}/pin", {"pinned": True}, 8),
    ("PUT", "/session/preferences", {"theme": "dark"}, 8),
    ("POST", "/runs", {}, 8),
    ("POST", "/rounds/{round}/hand-over", {}, 8),
    ("POST", "/rounds/{round}/skip", {}, 8),
    ("DELETE", "/rounds/{round}", {}, 8),
    ("DELETE", "/templates/{template}", {}, 8),
]


@pytest.mark.parametrize(("method", "path", "body", "most"), ASKED)
def test_eight_at_once(sign_in: SignIn, method: str, path: str, body: dict[str, Any], most: int) -> None:
    """Each is done, or refused with a reason."""
    marta = sign_in("marta")
    template = add(marta, {**WARDS, "name": "Wards"})
    round_id = 0
    if "{round}" in path:
        asked = {"template_id": template, "beat": "daily", "at": "06:00", "folder": "wards"}
        round_id = marta.post(f"{API}/rounds", json=asked).json()["id"]
    given: dict[str, Any] = {"/runs": {"template_id": template}}
    if path == "/recipients":
        given[path] = {"means_id": marta.post(f"{API}/means", json=LINK).json()["id"]}
    if path.endswith("hand-over"):
        people = {p["name"].split()[0]: p["id"] for p in marta.get(f"{API}/people").json()}
        given[path] = {"to": people["Ines"]}
    revision = marta.get(f"{API}/templates/{template}").json()["revision"]
    headers = {"If-Match": f'"{revision}"'} if path.endswith("versions") else {}
    address = API + path.format(template=template, round=round_id)

    def ask(_: int) -> tuple[int, str]:
        answer = marta.request(method, address, json={**body, **given.get(path, {})}, headers=headers)
        return answer.status_code, answer.text[:300]

    with ThreadPoolExecutor(8) as pool:
        said = list(pool.map(ask, range(8)))

    assert [text for status, text in said if status >= 500 or status == 422] == []
    assert 1 <= sum(status < 300 for status, _ in said) <= most, said
