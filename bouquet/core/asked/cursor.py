"""
A place in a text that is read from its beginning to its end.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import TypeVar

__all__ = ["Cursor", "Unread"]

T = TypeVar("T")


class Unread(Exception):
    """
    The text does not go on as it would have to.
    """


class Cursor:
    """
    What was read of a text is behind `at`; `doubts` are names on the way that may mean something else as well.
    """

    def __init__(self, text: str) -> None:
        self.text, self.at = text, 0
        self.doubts: list[str] = []

    def eats(self, literal: str) -> bool:
        """
        Whether the text goes on like that; then it is behind it.
        """
        if self.text.startswith(literal, self.at):
            self.at += len(literal)
            return True
        return False

    def must(self, literal: str) -> None:
        if not self.eats(literal):
            raise Unread

    def matches(self, pattern: str) -> re.Match[str] | None:
        found = re.compile(pattern).match(self.text, self.at)
        if found is not None:
            self.at = found.end()
        return found

    def first(self, *tries: Callable[[], T]) -> T:
        """
        What the first of some ways to read gives that does not fail.
        """
        for attempt in tries:
            at, doubts = self.at, len(self.doubts)
            try:
                return attempt()
            except Unread:
                self.at = at
                del self.doubts[doubts:]
        raise Unread

    def skip_note(self) -> str:
        """
        The small print in brackets that stands here, if any.
        """
        if not self.text.startswith(" (", self.at):
            return ""
        depth, start = 0, self.at + 2
        for n in range(self.at + 1, len(self.text)):
            depth += {"(": 1, ")": -1}.get(self.text[n], 0)
            if depth == 0:
                self.at = n + 1
                return self.text[start:n]
        return ""
