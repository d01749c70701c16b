"""
The guide names what stands on the screen.
"""

from __future__ import annotations

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
PAGES = sorted((ROOT / "docs" / "guide").glob("*.md"))


def in_words(text: str) -> str:
    return re.sub(r"\s+", " ", text).casefold()


@pytest.fixture(scope="module")
def on_screen() -> str:
    """The texts that the screens are made of: the front end's, and the words that it is served."""
    screens = [
        p for p in (ROOT / "frontend" / "src").rglob("*.ts*") if ".test." not in p.name and ".d.ts" not in p.name
    ]
    served = (ROOT / "bouquet").rglob("*.py")
    return in_words("\n".join(p.read_text(encoding="utf-8") for p in (*screens, *served)))


@pytest.mark.parametrize("page", PAGES, ids=lambda p: p.stem)
def test_what_the_guide_says_to_press_is_on_the_screen(page: Path, on_screen: str) -> None:
    """Each label in bold, part by part; what goes wrong is told in bold, too, and is no label."""
    text = page.read_text(encoding="utf-8")
    labels = re.findall(r"\*\*([^*]+)\*\*", re.sub(r"^- \*\*[^*]+\*\*", "", text, flags=re.MULTILINE))
    parts = [in_words(part).strip(" …") for label in labels for part in label.split(" › ")]

    assert [part for part in parts if part not in on_screen] == []
