"""
Reading a request as colleagues write it: “standing oaks in Quay not inspected for two years: tag, girth, last
inspection, biggest first” becomes a proposed template.

Rules are tried at each word, those that say most first; what no rule understands is told as not understood. Nothing is
asked of the source: values that words may be are given. The same request, catalogue and values give the same proposal.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import replace
from datetime import date
from functools import cache
from typing import Any

from bouquet.core.asked.lexicon import Lexicon, Values, last_words, phrase_of
from bouquet.core.asked.model import Asked, Understood
from bouquet.core.asked.narrowing import NARROWING
from bouquet.core.asked.sheet import COLUMN, COUNT, SHEET
from bouquet.core.asked.state import Reading, Taken
from bouquet.core.asked.tokens import Token, cut, stem
from bouquet.core.asked.words import FILLERS, GRAMMAR, NOT_HEAD
from bouquet.core.catalogue import Catalogue, Kind, RecordType, Route, Walk
from bouquet.core.guessing import propose_columns, propose_order
from bouquet.core.vocabulary.folds import FOLDS

__all__ = ["LONGEST_REQUEST", "lookups", "read_request"]

#: Characters of a request that are read.
LONGEST_REQUEST = 2_000

#: Record types that a request is tried with, at most.
MOST_TRIED = 6

_LISTING = (
    "showing", "show", "with column", "column", "field", "including", "include", "listing", "giving", "with the",
    "with their", "with its", "and their", "plus", "with",
)  # fmt: skip


def lookups(text: str, catalogue: Catalogue) -> tuple[str, ...]:
    """
    Words of a request that name nothing of the catalogue, so that they may be values: each once, in their order.
    """
    names = {word for t in catalogue.record_types.values() for word in _words_of(t)}
    words = [t for t in cut(text[:LONGEST_REQUEST]) if t.quoted or len(t.text) > 2]
    found = (t.text for t in words if any(c.isalpha() for c in t.text))
    return tuple(dict.fromkeys(w for w in found if stem(w) not in FILLERS | GRAMMAR and not set(phrase_of(w)) <= names))


def read_request(
    text: str,
    catalogue: Catalogue,
    today: date,
    *,
    values: Values | None = None,
    records: str = "",
    ignored: Collection[tuple[int, int]] = (),
) -> Asked:
    """
    A request as a proposed template.

    `values` are values of the source that its words may be; `records` the record type, where a person chose it;
    `ignored` parts of the text, as (start, end) in characters, that are not meant as they were read.
    """
    tokens = cut(text[:LONGEST_REQUEST])
    skipped = frozenset(n for n, t in enumerate(tokens) if any(a <= t.start and t.end <= b for a, b in ignored))
    known: Values = values or {}
    lexicon_of = cache(lambda name: Lexicon(catalogue, catalogue.record_types[name], known))
    best: tuple[float, Reading] | None = None
    for record_type, bonus in _tried(tokens, catalogue, known, records):
        lexicon = lexicon_of(record_type.name)
        reading = Reading(tokens, lexicon, lambda t: lexicon_of(t.name), today, skipped)
        _read(reading)
        understood = sum(t.last - t.first + 1 - 0.25 * bool(t.doubt) for t in reading.taken)
        # Of two that understand as much, the one that more records belong to is meant.
        score = understood - len(reading.unread) + bonus + 0.01 * len(record_type.relations)
        if any(t.role != "records" for t in reading.taken) or bonus:
            best = max((best, (score, reading)), key=lambda b: b[0]) if best else (score, reading)
    if best is None:
        unread = (t for t in tokens if t.word not in FILLERS and t.says)
        return Asked(None, (), tuple((t.start, t.end) for t in unread))
    return _Proposal(best[1], catalogue, text[:LONGEST_REQUEST]).made()


def _words_of(record_type: RecordType) -> Iterator[str]:
    for name in (record_type.label, record_type.plural):
        yield from phrase_of(name)
    for field in record_type.fields:
        for name in (field.label, field.name, *field.synonyms, *(c.label for c in field.choices)):
            yield from phrase_of(name)


def _tried(
    tokens: tuple[Token, ...], catalogue: Catalogue, values: Values, records: str
) -> list[tuple[RecordType, float]]:
    """
    Record types that may be meant, each with how much speaks for it before anything is read: the one that is named
    first is what people speak of.
    """
    if records:
        found = catalogue.record_types.get(records)
        return [(found, 1.0)] if found is not None else []
    words = [t.word for t in tokens]
    head = words[: words.index(":")] if ":" in words else words
    named: list[tuple[int, int, RecordType]] = []
    for record_type in catalogue.record_types.values():
        short = phrase_of(" ".join(last_words(record_type)))
        for phrase in {phrase_of(record_type.label), phrase_of(record_type.plural), short} - {()}:
            places = (n for n in range(len(head)) if tuple(head[n : n + len(phrase)]) == phrase)
            named += [(n, -len(phrase), record_type) for n in places if n == 0 or head[n - 1] not in NOT_HEAD][:1]
    # Of two that are named at one place the longer name is meant: work order lines, not work orders.
    named.sort(key=lambda f: f[:2])
    tried = {t.name: (t, 1.6 - 0.8 * n) for n, (_, _, t) in reversed(list(enumerate(named)))}
    said = set(words) - FILLERS
    hits = []
    for record_type in catalogue.record_types.values():
        own = len(said & set(_words_of(record_type)))
        near = {record_type.name} | {r.target for r in record_type.relations if not r.many}
        led = sum(bool(found) for (name, _), found in values.items() if name in near)
        if (own or led) and record_type.name not in tried:
            hits.append((own + 0.5 * led, record_type))
    hits.sort(key=lambda h: -h[0])
    return [*sorted(tried.values(), key=lambda t: -t[1]), *((t, 0.0) for _, t in hits)][:MOST_TRIED]


def _read(r: Reading) -> None:
    """
    Go through the words, trying every rule at each.
    """
    n = 0
    while n < len(r.tokens):
        if n in r.ignored:
            r.unread.append(n)
            n += 1
            continue
        taken = _marks(r, n) or _first_rule(r, n)
        if taken:
            n += taken
            continue
        token = r.tokens[n]
        if token.word not in FILLERS or token.quoted:
            spelt = r.lexicon.misspelt(token) if n not in r.corrected else ""
            if spelt:
                r.correct(n, spelt)
                continue
            if token.quoted or token.says or token.text in "<>=":
                r.unread.append(n)
                r.negated = False
        n += 1


def _marks(r: Reading, n: int) -> int:
    """
    Marks and words that say that columns follow.
    """
    if r.tokens[n].text == ":":
        r.listing = True
        return 1
    if r.tokens[n].text in (";", "."):
        r.listing = r.negated = False
        return 1
    if not r.listing and (said := r.says(n, *_LISTING)):
        at = n + said
        named = r.meaning(at, "field")
        behind = r.word(at + named[0]) if named is not None else ""
        # “with tag, girth and height” lists; “with girth over 2 m” narrows.
        if named is not None and (behind in (",", "and", "", ".", ";", "for") or said > 1 or r.word(n) != "with"):
            r.listing = r.word(n) != "with" or behind in (",", "and", "", ".", ";")
            return said if r.listing else 0
    return 0


def _first_rule(r: Reading, n: int) -> int:
    for rule in (*SHEET, *NARROWING):
        taken = rule(r, n)
        if taken:
            return taken
    own = r.meaning(n, "records")
    if own is not None:
        return r.take("records", n, own[0], None)
    return COLUMN(r, n)


class _Proposal:
    """
    Puts what was taken together to a document.
    """

    def __init__(self, r: Reading, catalogue: Catalogue, text: str) -> None:
        self.r, self.catalogue, self.text, self.record_type = r, catalogue, text, r.lexicon.record_type
        self.parts: list[Understood] = []
        self.columns: list[dict[str, Any]] = []

    def made(self) -> Asked:
        """
        The document, with the place of each part in it.
        """
        r = self.r
        of = {
            role: [t for t in r.taken if t.role == role]
            for role in ("records", "rows", "narrowing", "column", "order", "limit")
        }
        document: dict[str, Any] = {"records": self.record_type.name}
        for taken in of["records"][:1]:
            self._note(taken, "records")
        if not of["records"]:
            self.parts.append(Understood(0, 0, "records", "records", "nobody said it"))
        if of["rows"]:
            document["rows"] = {"per": "group", "by": [t.node for t in of["rows"]]}
        conditions = self._filter(of["narrowing"])
        if conditions:
            document["filter"] = {"all": conditions}
        self._columns(of["column"], of["rows"])
        document["columns"] = self.columns
        order = self._order(of["order"], grouped=bool(of["rows"]))
        if order:
            document["order"] = order
        for taken in of["limit"][-1:]:
            document["at_most"] = taken.node
            self._note(taken, "at_most")
        document["name"] = self._name()
        unread = tuple((r.tokens[n].start, r.tokens[n].end) for n in sorted(set(r.unread)))
        self.parts.sort(key=lambda p: (p.end == 0, p.start))
        return Asked(document, tuple(self.parts), unread)

    def _leave(self, taken: Taken) -> None:
        """
        Tell that something is not taken after all.
        """
        self.r.unread += [n for n in range(taken.first, taken.last + 1) if self.r.tokens[n].says]

    def _note(self, taken: Taken, place: str) -> None:
        first, last = self.r.tokens[taken.first], self.r.tokens[taken.last]
        self.parts.append(Understood(first.start, last.end, taken.role, place, taken.doubt))

    def _filter(self, narrowings: list[Taken]) -> list[Any]:
        conditions: list[Any] = []
        for taken in narrowings:
            self._note(taken, f"filter.all[{len(conditions)}]")
            conditions.append(taken.node)
        said = {t.field_path for t in narrowings}
        for proposed in self.record_type.proposed:
            # What a new template of these records starts with, in plain view.
            if proposed.get("path") not in said:
                self.parts.append(Understood(0, 0, "narrowing", f"filter.all[{len(conditions)}]"))
                conditions.append(dict(proposed))
        return conditions

    def _columns(self, asked: list[Taken], groups: list[Taken]) -> None:
        for n, taken in enumerate(groups):
            value = {"field": taken.node["path"], **({"step": taken.node["step"]} if "step" in taken.node else {})}
            step = f" ({taken.node['step']})" if "step" in taken.node else ""
            self._add(value, self._heading(taken.node["path"]) + step)
            self._note(taken, f"rows.by[{n}]")
        grouped = {t.node["path"] for t in groups}
        for taken in asked:
            value = taken.node
            if "fold" in value and not self._can_fold(value["fold"], grouped=bool(groups)):
                if value != COUNT:
                    self._leave(taken)
                continue
            if groups and "field" in value:
                if value["field"] not in grouped:
                    # A group has many of them; which one is meant nobody said.
                    self._leave(taken)
                continue
            place = next((n for n, c in enumerate(self.columns) if c["value"] == value), None)
            if place is None:
                place = len(self.columns)
                self._add(value, taken.heading or self._heading(value["field"]))
            self._note(taken, f"columns[{place}]")
        if groups and len(self.columns) == len(groups):
            self.parts.append(Understood(0, 0, "column", f"columns[{len(self.columns)}]"))
            self._add(COUNT, f"Number of {self.record_type.plural}")
        self._add_title(bool(groups))
        if not self.columns:
            self.columns = propose_columns(self.catalogue, self.record_type)
            self.parts += [Understood(0, 0, "column", f"columns[{n}]") for n in range(len(self.columns))]

    def _can_fold(self, fold: Mapping[str, Any], *, grouped: bool) -> bool:
        """
        Whether a fold has several records to fold; in groups, whether it can be put together from folds of each.
        """
        walk = self.catalogue.walk(self.record_type, fold["path"], "")
        if not isinstance(walk, Walk):
            return False
        return grouped if walk.many is None else not grouped or FOLDS[fold["how"]].of_groups

    def _add_title(self, grouped: bool) -> None:
        """
        What records are known by, where a request names columns in passing and not as a list.
        """
        title = self.record_type.title
        listed = any(t.text == ":" for t in self.r.tokens)
        if grouped or listed or not self.columns or title is None or self._column_of(title):
            return
        self.columns.insert(0, {"id": "c0", "heading": self._heading(title), "value": {"field": title}})
        moved = re.compile(r"columns\[(\d+)\]")
        self.parts = [replace(p, place=moved.sub(lambda m: f"columns[{int(m[1]) + 1}]", p.place)) for p in self.parts]
        self.parts.append(Understood(0, 0, "column", "columns[0]"))

    def _add(self, value: Mapping[str, Any], heading: str) -> None:
        taken = {c["heading"] for c in self.columns}
        n, free = 2, heading
        while free in taken:
            n, free = n + 1, f"{heading} {n}"
        self.columns.append({"id": f"c{len(self.columns) + 1}", "heading": free, "value": dict(value)})

    def _heading(self, path: str) -> str:
        walk = self.catalogue.walk(self.record_type, path, "")
        assert isinstance(walk, Walk)
        assert walk.field is not None
        label = f"{walk.field.label} ({walk.field.unit})" if walk.field.unit else walk.field.label
        if not walk.relations:
            return label
        owner = walk.relations[-1].label
        return owner if walk.field.name == walk.end.title and walk.field.kind.is_text else f"{owner} {label.lower()}"

    def _order(self, levels: list[Taken], *, grouped: bool) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = []
        for taken in levels:
            node, direction = taken.node, taken.node["direction"]
            path = node.get("path")
            column = self._column_of(path) if path else self._column_like(node["kind"])
            level: dict[str, Any] | None = None
            if column is not None:
                level = {"column": column}
            elif path and not grouped:
                level = {"path": path}
            elif not grouped:
                level = self._field_like(node["kind"])
            if level is None:
                self._leave(taken)
                continue
            self._note(taken, f"order[{len(found)}]")
            found.append({**level, **({"direction": direction} if direction == "descending" else {})})
        if not levels and not grouped:
            found = propose_order(self.record_type, self.columns) if self._are_proposed() else []
        return found

    def _are_proposed(self) -> bool:
        return all(p.end == 0 for p in self.parts if p.role == "column")

    def _column_of(self, path: str) -> str | None:
        return next((c["id"] for c in self.columns if c["value"].get("field") == path), None)

    def _column_like(self, kind: str) -> str | None:
        """
        The first column of numbers, or of dates; of the title.
        """
        for column in self.columns:
            value = column["value"]
            fold = value.get("fold")
            path = value.get("field") or (fold["path"] if fold else "")
            walk = self.catalogue.walk(self.record_type, path, "")
            field = walk.field if isinstance(walk, Walk) else None
            counts = fold is not None and fold["how"] in ("count", "sum", "mean")
            number = counts or (field is not None and field.kind.is_number)
            money = field is not None and field.kind.is_number and field.unit in ("£", "$", "€", "¥")
            dated = field is not None and field.kind.is_dated and not counts
            if (kind == "number" and number) or (kind == "money" and money) or (kind == "dated" and dated):
                return str(column["id"])
            if kind == "title" and field is not None and (field.kind.is_text or field.kind is Kind.CHOICE):
                return str(column["id"])
        return None

    def _field_like(self, kind: str) -> dict[str, Any] | None:
        fields = [f for f in self.record_type.fields if f.retired is None]
        fields.sort(key=lambda f: not f.everyday)
        fit = {
            "number": [f for f in fields if f.kind.is_number],
            "money": [f for f in fields if f.kind.is_number and f.unit],
            "dated": [f for f in fields if f.kind.is_dated],
            "title": [f for f in fields if f.name == self.record_type.title],
        }[kind]
        found = next((f for f in fit if kind == "title" or f.name not in self.record_type.key), None)
        return {"path": Route((), found).path} if found is not None else None

    def _name(self) -> str:
        """
        The request up to its list of columns, as a name.
        """
        said = re.split(r"[:;.\n]", self.text, maxsplit=1)[0].strip(" ?!,")
        return (said[:1].upper() + said[1:])[:80].strip() or self.record_type.plural.capitalize()
