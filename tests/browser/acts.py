"""
What people do on several pages.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Page

Query = Callable[[str], list[tuple[Any, ...]]]


def file_of(page: Page, place: str = ".outcome") -> list[list[str]]:
    """The rows of the CSV that a run on this page made."""
    with page.expect_download() as downloading:
        page.locator(place).get_by_role("link", name="Download").click()
    content = Path(downloading.value.path()).read_text(encoding="utf-8")
    return list(csv.reader(io.StringIO(content, newline="")))


def pick_narrowing(page: Page, text: str, choice: str) -> None:
    page.get_by_role("button", name="Narrow further").click()
    page.get_by_role("dialog").get_by_label("Field", exact=True).fill(text)
    page.get_by_role("dialog").get_by_role("button", name=re.compile(choice)).first.click()
