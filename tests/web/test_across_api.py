"""
Cross-tabs by the API.
"""

from __future__ import annotations

from collections.abc import Callable

from fastapi.testclient import TestClient

from bouquet.runs import Services, execute
from tests.sources.test_across import TREES

API = "/api/v1"


def test_bench_run_and_bundle_agree(
    client: TestClient, sign_in: Callable[[str], TestClient], services: Services
) -> None:
    """The same columns on screen, in a file and in a bundle's; a run of them says them in its slip."""
    ines = sign_in("ines")
    seen = ines.post(f"{API}/design/look", json={"document": TREES}).json()
    run = ines.post(f"{API}/runs", json={"document": TREES}).json()
    execute(services, run["id"])
    made = ines.get(f"{API}/runs/{run['id']}").json()
    file = ines.get(f"{API}/runs/{run['id']}/files/{made['files'][0]['id']}").text.splitlines()
    number = ines.post(f"{API}/templates", json={"document": TREES}).json()["id"]
    ines.post(f"{API}/templates/{number}/versions", json={}, headers={"If-Match": '"1"'})
    bundle = ines.post(f"{API}/runs", json={"bundle": {"name": "b", "templates": [number]}}).json()
    execute(services, bundle["id"])

    headings = [c["heading"] for c in seen["columns"]]
    assert len(headings) == 7
    assert [c["id"] for c in seen["columns"]] == ["w", *["n"] * 6]
    assert file[0].strip("\ufeff") == ",".join(f'"{h}"' if "," in h else h for h in headings)
    assert [c["heading"] for c in made["slip"]["columns"]] == headings
    assert ines.get(f"{API}/runs/{bundle['id']}").json()["status"] == "ready"
