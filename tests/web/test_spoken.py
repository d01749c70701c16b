"""
Answers in the language that a request asks for, and files in that of their readers.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.web.templates import WARDS


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
