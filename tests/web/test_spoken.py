"""
Answers in the language that a request asks for, and files in that of their readers.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.runs import Services, execute
from tests.web.templates import API, WARDS, add


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ("de-DE,de;q=0.9,en;q=0.8", "Bitte melden Sie sich an."),
        ("fr", "Veuillez vous connecter."),
        ("nl,de", "Bitte melden Sie sich an."),
        ("", "Please sign in."),
        ("x" * 5_000, "Please sign in."),
    ],
)
def test_an_error_is_told_in_the_language_asked_for(client: TestClient, asked: str, said: str) -> None:
    """RFC 9110, 12.5.4; of those asked for, the first that there is."""
    answer = client.get("/api/v1/templates", headers={"Accept-Language": asked})

    assert answer.status_code == 401
    assert answer.json()["detail"] == said


def test_lists_and_sentences_are_told_in_turn_in_several_languages(sign_in: Callable[[str], TestClient]) -> None:
    """What one person was told is not told to the next in the same words."""
    ines = sign_in("ines")
    body = {"document": WARDS}
    heard: dict[str, Any] = {}
    for asked in ("de", "en", "fr", "de"):
        headers = {"Accept-Language": asked}
        words = ines.get("/api/v1/vocabulary", headers=headers).json()["comparisons"]
        look = ines.post("/api/v1/design/look", json=body, headers=headers).json()
        said = ("".join(p["text"] for p in look["sentence"]), next(c["words"] for c in words if c["name"] == "blank"))
        assert heard.setdefault(asked, said) == said

    assert heard["de"][0].startswith("Eine Zeile je ")
    assert heard["en"][0].startswith("One row per ")
    assert heard["fr"][0].startswith("Une ligne par ")
    assert [heard[name][1] for name in ("de", "en", "fr")] == ["ist leer", "is blank", "est vide"]


def test_whoever_runs_a_template_chooses_the_language_of_its_headings(
    sign_in: Callable[[str], TestClient], services: Services
) -> None:
    """For this once; a column without one in it keeps its own, and what programs fetch by name is as the template says."""
    ines = sign_in("ines")
    columns = [
        {"id": "a", "heading": "Ward", "headings": {"de": "Bezirk", "fr": "Quartier"}, "value": {"field": "name"}},
        {"id": "b", "heading": "Number", "headings": {"de": "Nummer"}, "value": {"field": "w_id"}},
    ]
    number = add(ines, {**WARDS, "columns": columns})
    assert ines.get(f"{API}/templates/{number}/questions").json()["languages"] == ["de", "fr"]

    headed = {}
    for language in (None, "de", "fr", "sv", ""):
        run = ines.post(f"{API}/runs", json={"template_id": number, "language": language}).json()
        execute(services, run["id"])
        run = ines.get(f"{API}/runs/{run['id']}").json()
        file = ines.get(f"{API}/runs/{run['id']}/files/{run['files'][0]['id']}").text
        headed[language] = file.splitlines()[0]
    assert headed == {
        None: "Ward,Number",
        "de": "Bezirk,Nummer",
        "fr": "Quartier,Number",
        "sv": "Ward,Number",
        "": "Ward,Number",
    }
    assert ines.get(f"{API}/templates/{number}").json()["document"]["columns"] == columns


@pytest.mark.parametrize(
    "text",
    [
        "standing trees in Quay with girth over 200 cm, newest first",
        "One row per tree where status is Standing, and girth is at least 200; ordered by tag; every row.",
    ],
)
def test_requests_are_read_in_english_whatever_they_are_answered_in(
    sign_in: Callable[[str], TestClient], text: str
) -> None:
    """The same template comes of the same words; what it was taken for is told in the reader's language."""
    ines = sign_in("ines")
    heard = {
        name: ines.post(f"{API}/design/asked", json={"text": text}, headers={"Accept-Language": name}).json()
        for name in ("en", "de")
    }

    assert heard["en"]["document"] is not None
    assert heard["en"]["document"] == heard["de"]["document"]
