"""
Reading back a sentence that Bouquet wrote, exactly: what `core.wording.sentence` says of records, rows, filter, order,
limit and split becomes the same parts of a template document.

What a sentence does not tell is taken from a template beside it: its columns, and what is asked. Where two fields are
called the same, the nearer one is meant, and it is said that it was a choice.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from bouquet.core.asked.conditions import Conditions
from bouquet.core.asked.cursor import Unread
from bouquet.core.catalogue import Catalogue, Walk
from bouquet.core.language import sentence_case
from bouquet.core.template import Template
from bouquet.core.wording.sentence import NOT_SENT

__all__ = ["ReadBack", "read_sentence"]

_STEPS = ("minute", "hour", "day", "week", "month", "quarter", "year")


@dataclass
class ReadBack:
    """
    Parts of a template document, and the names that may mean another field as well.
    """

    document: dict[str, Any]
    doubts: list[str] = field(default_factory=list)


def read_sentence(text: str, catalogue: Catalogue, today: date, beside: Template | None = None) -> ReadBack | None:
    """
    A sentence as the document that it was written from, without its columns; None for anything else. `today` tells the
    year of dates without one.
    """
    for record_type in catalogue.record_types.values():
        try:
            return _Reader(text.strip(), catalogue, record_type, today, beside).sentence()
        except Unread:
            continue
    return None


class _Reader(Conditions):
    """
    Reads a sentence that starts from one record type.
    """

    def sentence(self) -> ReadBack:
        document: dict[str, Any] = {"records": self.record_type.name}
        document |= self.rows()
        parts = self.filter()
        if parts:
            document["filter"] = {"all": parts}
        for name, said in NOT_SENT.items():
            if self.eats(f", and {said}"):
                document["only"] = name
        while self.matches(r"; only (?!of those)[^;]*") or self.fold():
            pass
        order = self.order()
        if order:
            document["order"] = order
        self.must("; ")
        if not self.eats("every row"):
            found = self.matches(r"the first ([\d,]+) rows?")
            if found is None:
                raise Unread
            document["at_most"] = int(found[1].replace(",", ""))
        split = self.split()
        if split:
            document["output"] = {"split": split}
        self.must(".")
        if self.at != len(self.text):
            raise Unread
        if self.asks:
            document["asks"] = self.asks
        return ReadBack(document, self.doubts)

    def rows(self) -> dict[str, Any]:
        self.must("One row per ")
        label = self.record_type.label
        return self.first(self._children, self._groups, lambda: self._records(label))

    def _records(self, label: str) -> dict[str, Any]:
        self.must(label)
        if self.text[self.at : self.at + 1] not in (";", ".", " ", ","):
            raise Unread
        return {}

    def _children(self) -> dict[str, Any]:
        for path, end in self.many_ways(self.record_type):
            at = self.at
            if self.eats(f"{end.label} of each {self.record_type.label}, "):
                plural = self.record_type.plural
                kept = self.eats(f"with a row for {plural} without any")
                if not kept:
                    self.must(f"leaving out {plural} without any")
                if self.text.startswith(", where ", self.at):
                    self.at += 1
                self.opened = path
                rows = {"per": "child", "path": path, **({"parents_without": "keep"} if kept else {})}
                return {"rows": rows}
            self.at = at
        raise Unread

    def _groups(self) -> dict[str, Any]:
        by = [self._by()]
        while self.eats(" and per ") or self.eats(", per "):
            by.append(self._by())
        rows: dict[str, Any] = {"per": "group", "by": by}
        if self.eats(", across "):
            rows["across"] = self._by()
        self.must(f", from all {self.record_type.plural}")
        return {"rows": rows}

    def _by(self) -> dict[str, Any]:
        step = self.matches(rf"(?:(\d+) )?({'|'.join(_STEPS)})(s?) of ")
        if step is None:
            return {"path": self.name(self.record_type)}
        by: dict[str, Any] = {"path": self.name(self.record_type), "step": step[2]}
        if step[1]:
            by["count"] = int(step[1])
        if self.eats(" (gaps filled)"):
            by["fill_gaps"] = True
        return by

    def fold(self) -> bool:
        """
        What a fold leaves out: it is read, and belongs to a column that the sentence does not tell.
        """
        found = re.compile(r"; “([^”]*)” only of those where ").match(self.text, self.at)
        if found is None or self.beside is None:
            return False
        self.at = found.end()
        column = next((c for c in self.beside.columns if c.heading == found[1]), None)
        folded = getattr(getattr(column, "value", None), "fold", None)
        walk = self.catalogue.walk(self.record_type, folded.path, "") if folded is not None else None
        if not isinstance(walk, Walk):
            raise Unread
        end = self.record_type
        if walk.many is not None:
            end = self.catalogue.record_types[walk.relations[walk.many].target]
        self.narrowing(end)
        return True

    def order(self) -> list[dict[str, Any]]:
        if not self.eats("; ordered by "):
            return []
        levels = []
        while True:
            level: dict[str, Any] = self.first(self.heading, lambda: {"path": self.name(self.record_type)})
            if self.eats(", newest first") or self.eats(", greatest first"):
                level["direction"] = "descending"
            if self.eats(", blanks before the rest"):
                level["blanks"] = "first"
            levels.append(level)
            if not self.eats(", then "):
                return levels

    def split(self) -> dict[str, Any]:
        if not self.eats(", "):
            return {}
        size = self.matches(r"a new file after ([\d,]+) (rows|MB)")
        if size is not None:
            return {"rows" if size[2] == "rows" else "megabytes": int(size[1].replace(",", ""))}
        part = self.matches(r"one (file|sheet) per ")
        if part is None:
            raise Unread
        into = {"into": "sheets"} if part[1] == "sheet" else {}
        for column in self.beside.columns if self.beside else ():
            if self.text[self.at : -1] == sentence_case(column.heading):
                self.at = len(self.text) - 1
                return {"by": column.id, **into}
        raise Unread

    def filter(self) -> list[Any]:
        if not self.eats(" where "):
            return []
        parts = [self.narrowing(self.record_type)]
        ends = tuple(f", and {said}" for said in NOT_SENT.values())
        while not self.text.startswith(ends, self.at) and self.eats(", and "):
            parts.append(self.narrowing(self.record_type))
        return parts
