"""
Reading back the conditions of a sentence: fields by their names, comparisons by their words, values as they are said.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, datetime
from functools import cache
from typing import Any

from bouquet.core.asked.cursor import Cursor, Unread
from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, Route, Walk, walk_to_one
from bouquet.core.formula import FormulaError, parse
from bouquet.core.template import Template
from bouquet.core.vocabulary.comparisons import COMPARISONS, operators_of
from bouquet.core.windows import read_window
from bouquet.core.wording.fields import field_words
from bouquet.core.wording.sentence import EXACTLY

__all__ = ["Conditions"]

#: Relations to many that a condition may lead through, one behind another.
DEEPEST = 3

#: Groups within groups, and conditions that are tried, until a text is no sentence.
DEEPEST_GROUP, MOST_TRIED = 60, 5_000

#: Characters in which a period or a code may be said.
LONGEST_PART = 200


class Conditions(Cursor):
    """
    Args:
        beside: A template whose columns and questions the text may speak of.
        today: The day that tells the year of dates without one.
    """

    def __init__(
        self, text: str, catalogue: Catalogue, record_type: RecordType, today: date, beside: Template | None
    ) -> None:
        super().__init__(text)
        self.catalogue, self.record_type, self.today, self.beside = catalogue, record_type, today, beside
        self.asks: list[dict[str, Any]] = []
        #: The path of the records below, where rows stand for these.
        self.opened = ""
        self.depth = self.tried = 0
        self.names = cache(self._names)

    def narrowing(self, start: RecordType) -> Any:
        """
        A condition, or a group of them. Raises Unread where there is none, and where there are too many to be tried.
        """
        self.tried += 1
        if self.depth >= DEEPEST_GROUP or self.tried > MOST_TRIED:
            raise Unread
        self.depth += 1
        try:
            if self.text.startswith(("(", "not ("), self.at):
                return self.first(lambda: self._group(start), lambda: self._formula(start))
            return self.first(
                lambda: self._has(start),
                self._picks,
                lambda: self._comparison(start),
                lambda: self._formula(start),
            )
        finally:
            self.depth -= 1

    def _group(self, start: RecordType) -> Any:
        none = self.eats("not ")
        self.must("(")
        parts, joins = [self.narrowing(start)], set()
        while not self.eats(")"):
            join = self.matches(r" (and|or) ")
            if join is None:
                raise Unread
            joins.add(join[1])
            parts.append(self.narrowing(start))
        if len(joins) > 1:
            raise Unread
        return {"none" if none else "any" if joins == {"or"} else "all": parts}

    def _has(self, start: RecordType) -> Any:
        self.must("it has ")
        how = self.matches(r"(any|no|at least ([\d,]+)) ")
        if how is None:
            raise Unread
        node: dict[str, Any] = {"has": {"any": "any", "no": "none"}.get(how[1], "at_least")}
        if how[2]:
            node["count"] = int(how[2].replace(",", ""))
        ways = [(path, end) for path, end in self.many_ways(start) if self._goes_on(end.plural)]
        for path, end in ways:
            at = self.at
            try:
                self.must(end.plural)
                inner = {"where": self.narrowing(end)} if self.eats(" where ") else {}
            except Unread:
                self.at = at
                continue
            if len({p for p, e in ways if e is end}) > 1:
                self.doubts.append(end.plural)
            return {"path": path, **node, **inner}
        raise Unread

    def _goes_on(self, name: str) -> bool:
        behind = self.at + len(name)
        return self.text.startswith(name, self.at) and self.text[behind : behind + 1] in ("", " ", ",", ";", ")", ".")

    def _picks(self) -> Any:
        found = self.matches(r"it is in the list “([^”]*)”")
        if found is None:
            raise Unread
        return {"picks": found[1]}

    def _comparison(self, start: RecordType) -> Any:
        heading = self._column_compared() if self.text.startswith("“", self.at) else None
        if heading is not None:
            return heading
        found = [(name, route) for name, route in self.names(start.name) if self._is_named(name)]
        tried = sorted(found, key=lambda f: (-len(f[0]), len(f[1].relations)))
        for name, route in tried:
            at, doubts = self.at, len(self.doubts)
            try:
                self.at += len(name)
                node = {"path": _path(route), **self._compared(route.typed)}
            except Unread:
                self.at = at
                del self.doubts[doubts:]
                continue
            if len({r.path for n, r in tried if n == name}) > 1:
                self.doubts.append(name)
            return node
        raise Unread

    def _column_compared(self) -> Any:
        node = self.heading()
        column = next(c for c in self.beside.columns if c.id == node["column"])  # type: ignore[union-attr]
        path = getattr(column.value, "field", None)
        walk = self.catalogue.walk(self.record_type, path, "") if path else None
        typed = walk.route.typed if isinstance(walk, Walk) and walk.field is not None else None
        return {**node, **self._compared(typed)}

    def _is_named(self, name: str) -> bool:
        return self.text.startswith(f"{name} ", self.at)

    def _compared(self, typed: Field | None) -> dict[str, Any]:
        self.must(" ")
        known = operators_of(typed.kind) if typed is not None else tuple(COMPARISONS)
        for name in sorted(known, key=lambda o: -len(COMPARISONS[o].words)):
            declared = COMPARISONS[name]
            at = self.at
            if not self.eats(declared.words):
                continue
            try:
                if declared.takes == "nothing":
                    if not self._ends():
                        raise Unread
                    return {"is": name}
                exact = {"exact": True} if self.eats(f" {EXACTLY}") else {}
                self.must(" ")
                return {"is": name, **self._taken(declared.takes, typed), **exact}
            except Unread:
                self.at = at
        raise Unread

    def _ends(self) -> bool:
        return self.text[self.at : self.at + 1] in ("", ",", ";", ")", ".") or self.text.startswith(
            (" and ", " or "), self.at
        )

    def _taken(self, takes: str, typed: Field | None) -> dict[str, Any]:
        if self.eats("ask each time"):
            return {"ask": self._asked(self.skip_note(), takes)}
        if takes == "window":
            return {"window": self._window()}
        if takes == "range":
            first = self._value(typed)
            self.must(" and ")
            return {"values": [first, self._value(typed)]}
        if takes == "list":
            values = [self._value(typed)]
            while self.text.startswith(", ", self.at) and not self.text.startswith(", and ", self.at):
                self.at += 2
                values.append(self._value(typed))
            if re.compile(r" and \d+ more").match(self.text, self.at):
                raise Unread
            return {"values": values}
        return {"value": self._value(typed)}

    def _asked(self, note: str, takes: str) -> str:
        label = note.partition(" Offered: ")[0]
        known = next((a for a in self.beside.asks if a.label == label), None) if self.beside else None
        if known is None:
            raise Unread
        ask = known.model_dump(mode="json", exclude_defaults=True)
        if ask not in self.asks:
            self.asks.append(ask)
        return known.name

    def _window(self) -> dict[str, Any]:
        for end in self._ends_ahead():
            said = self.text[self.at : end]
            window = read_window(said)
            if window is not None and not said.startswith("these dates"):
                self.at = end
                self.skip_note()
                return window.model_dump(mode="json", exclude_defaults=True)
        self.must("these dates")
        dates = re.fullmatch(r"(.+?)(?: – (.+))?", self.skip_note())
        if dates is None:
            raise Unread
        first, last = self._short_day(dates[1]), self._short_day(dates[2] or dates[1])
        if first.year > last.year or (first > last):
            first = first.replace(year=last.year)
        return {"type": "between", "first": first.isoformat(), "last": last.isoformat()}

    def _ends_ahead(self) -> Iterator[int]:
        """
        Where a part may end from here, the furthest first.
        """
        marks = re.compile(r" \(|, |; |\)| and | or |\.$")
        found = [m.start() for m in marks.finditer(self.text, self.at) if m.start() < self.at + LONGEST_PART]
        yield from reversed([*found, len(self.text)])

    def _short_day(self, said: str) -> date:
        for pattern, text in (("%d %b %Y", said), ("%d %b %Y", f"{said} {self.today.year}")):
            try:
                return datetime.strptime(text, pattern).date()
            except ValueError:
                continue
        raise Unread

    def _value(self, typed: Field | None) -> Any:
        if typed is None or typed.kind is Kind.TEXT or self.text.startswith("“", self.at):
            return self._quoted()
        for choice in sorted(typed.choices, key=lambda c: -len(c.label)):
            at = self.at
            if self.eats(choice.label):
                if self._ends():
                    return choice.code
                self.at = at
        if typed.kind is Kind.BOOLEAN:
            said = self.matches(r"yes|no")
            if said is None:
                raise Unread
            return said[0] == "yes"
        if typed.kind.is_dated:
            said = self.matches(r"(\d{1,2} \w{3} \d{4})(?: (\d\d:\d\d))?")
            if said is None:
                raise Unread
            day = self._short_day(said[1]).isoformat()
            return f"{day}T{said[2]}" if said[2] and said[2] != "00:00" else day
        if typed.kind is Kind.TIME:
            said = self.matches(r"\d\d:\d\d")
            if said is None:
                raise Unread
            return said[0]
        if typed.kind.is_number:
            said = self.matches(r"-?\d+(?:\.\d+)?")
            if said is None:
                raise Unread
            return int(said[0]) if "." not in said[0] else said[0]
        return self._plain()

    def _quoted(self) -> str:
        """
        A text in quotation marks, which may hold such marks: it ends with one that a mark of the sentence follows.
        """
        self.must("“")
        for end in re.compile("”").finditer(self.text, self.at):
            start, self.at = self.at, end.end()
            if self._ends():
                return self.text[start : end.start()]
            self.at = start
        raise Unread

    def _plain(self) -> str:
        """
        A code as it is: it ends where the sentence goes on.
        """
        ends = list(self._ends_ahead())
        start, self.at = self.at, min(ends)
        if self.at == start:
            raise Unread
        return self.text[start : self.at]

    def _formula(self, start: RecordType) -> Any:
        for end in self._ends_ahead():
            said = self.text[self.at : end]
            if _is_formula(said):
                self.at = end
                return {"formula": said}
        raise Unread

    def heading(self) -> dict[str, Any]:
        """
        A column of the template beside, by its heading.
        """
        if self.beside is None:
            raise Unread
        for column in sorted(self.beside.columns, key=lambda c: -len(c.heading)):
            if self.eats(f"“{column.heading}”"):
                return {"column": column.id}
        raise Unread

    # Names

    def _names(self, start: str) -> list[tuple[str, Route]]:
        """
        (name, route) of every field that a condition may be on, as sentences call them; of the records below, too.
        """
        here = self.catalogue.record_types[start]
        ways = list(walk_to_one(self.catalogue, here))
        walk = self.catalogue.walk(here, self.opened, "") if self.opened and here is self.record_type else None
        relations = walk.relations if isinstance(walk, Walk) else ()
        for n in range(1, len(relations) + 1):
            opened = relations[:n]
            below = self.catalogue.record_types[opened[-1].target]
            ways += [((*opened, *way), end) for way, end in walk_to_one(self.catalogue, below)]
        found = []
        for way, end in ways:
            for known in end.fields:
                aspects = ("", "label", "code") if known.kind is Kind.CHOICE else ("",)
                routes = [Route(way, known, aspect) for aspect in aspects]
                found += [(field_words(route, self.catalogue), route) for route in routes]
        return found

    def name(self, start: RecordType) -> str:
        """
        The path of the field that is named here.
        """
        found = [(name, route) for name, route in self.names(start.name) if self._ends_with(name)]
        if not found:
            raise Unread
        found.sort(key=lambda f: (-len(f[0]), len(f[1].relations)))
        name, route = found[0]
        if len({r.path for n, r in found if n == name}) > 1:
            self.doubts.append(name)
        self.at += len(name)
        return _path(route)

    def _ends_with(self, name: str) -> bool:
        behind = self.text[self.at + len(name) : self.at + len(name) + 1]
        return self.text.startswith(name, self.at) and not behind.isalnum()

    def many_ways(self, start: RecordType) -> list[tuple[str, RecordType]]:
        """
        (path, record type) of the records that one has many of, the nearest first.
        """
        found: list[tuple[str, RecordType]] = []
        level: list[tuple[tuple[Relation, ...], RecordType]] = [((), start)]
        for _ in range(DEEPEST):
            following = []
            for way, here in level:
                for relation in here.relations:
                    end = self.catalogue.record_types.get(relation.target)
                    if end is not None and relation not in way:
                        following.append(((*way, relation), end))
            found += [(".".join(r.name for r in way), end) for way, end in following if any(r.many for r in way)]
            level = following
        return found


def _is_formula(text: str) -> bool:
    try:
        parse(text)
    except FormulaError:
        return False
    return True


def _path(route: Route) -> str:
    """
    A route's path, with the face of a choice that it asks for.
    """
    return f"{route.path}.{route.aspect}" if route.aspect else route.path
