"""
Matching the headings that somebody asks for with the fields there are.

A header row, pasted or from a sample file, with a few sample rows below it, is held against the catalogue: by label,
technical name, synonyms and meaning, by the kind of the samples, and by what they look like. Each proposal carries its
score and its reasons; nothing is taken without a person's eye.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal, InvalidOperation
from difflib import SequenceMatcher
from typing import Literal, TypeAlias

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, walk_to_one
from bouquet.core.language import tr
from bouquet.core.template import Show
from bouquet.core.values import check_digits

__all__ = ["Candidate", "Header", "Matched", "match_headings", "read_header"]

#: Scores (0 to 1) from which a proposal is sure, is taken until a person says otherwise, and is offered at all.
SURE, LIKELY, OFFERED = 0.78, 0.62, 0.5

#: Candidates shown for one heading.
SHOWN = 4

#: How far ahead of the next candidate a sure one must be.
LEAD = 0.06

Confidence: TypeAlias = Literal["sure", "check", "open"]


@dataclass(frozen=True)
class Header:
    """
    A header row as it was read: its names, the sample rows below, and the separator, None for a spreadsheet's.
    """

    names: tuple[str, ...]
    samples: tuple[tuple[str, ...], ...]
    separator: str | None


@dataclass(frozen=True)
class Candidate:
    """
    A field that may fill a heading: its path, how well it fits (0 to 1), why, and how its values would be written.
    """

    path: str
    trail: str
    score: float
    reasons: tuple[str, ...]
    show: Show


@dataclass(frozen=True)
class Matched:
    """
    One heading with the fields that may fill it, the best first.
    """

    heading: str
    samples: tuple[str, ...]
    confidence: Confidence
    candidates: tuple[Candidate, ...]


def read_header(text: str) -> Header:
    """
    Read a pasted header row, with sample rows below it or without: separated by tabs, semicolons, bars or commas, or
    one name a line.
    """
    lines = [
        line for line in text.replace("\r\n", "\n").replace("\r", "\n").lstrip("\ufeff").split("\n") if line.strip()
    ]
    if not lines:
        return Header((), (), None)
    counts = {mark: lines[0].count(mark) for mark in "\t;|,"}
    mark = max(counts, key=lambda m: counts[m])
    if counts[mark] == 0:
        # One name a line; a single line is a single name.
        return Header(tuple(line.strip().strip('"') for line in lines), (), None)
    try:
        rows = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=mark))
    except csv.Error:
        # A cell without end: what a person pasted is taken line by line.
        rows = [line.split(mark) for line in lines]
    names = tuple(n.strip() for n in rows[0])
    samples = tuple(tuple(c.strip() for c in row[: len(names)]) for row in rows[1:6])
    return Header(names, samples, mark)


def match_headings(
    header: Header,
    catalogue: Catalogue,
    record_type: RecordType,
    examples: Mapping[tuple[str, str], str | None],
) -> list[Matched]:
    """
    For each heading the fields that may fill it. `examples` are values by (record type, field), or None.
    """
    return _Matcher(catalogue, record_type, examples).match(header)


@dataclass(frozen=True)
class _Known:
    path: str
    trail: str
    field: Field
    way: tuple[Relation, ...]
    end: RecordType
    names: tuple[tuple[str, str], ...]


class _Matcher:
    def __init__(
        self, catalogue: Catalogue, record_type: RecordType, examples: Mapping[tuple[str, str], str | None]
    ) -> None:
        self.examples = examples
        self.known = [
            _Known(
                ".".join([*(r.name for r in way), f.name]),
                " › ".join([*(r.label for r in way), f.label]),
                f,
                way,
                end,
                tuple(_names(way, end, f)),
            )
            for way, end in walk_to_one(catalogue, record_type)
            for f in end.fields
            if f.kind is not Kind.FILE
        ]

    def match(self, header: Header) -> list[Matched]:
        found = []
        for n, heading in enumerate(header.names):
            samples = tuple(row[n] for row in header.samples if n < len(row) and row[n])
            found.append(self._matched(heading, samples))
        return found

    def _matched(self, heading: str, samples: tuple[str, ...]) -> Matched:
        words = _words(heading)
        candidates = []
        for known in self.known:
            candidate = self._candidate(known, heading, words, samples)
            if candidate is not None:
                candidates.append(candidate)
        candidates.sort(key=lambda c: -c.score)
        shown = tuple(candidates[:SHOWN])
        return Matched(heading, samples, _confidence(shown), shown)

    def _candidate(
        self, known: _Known, heading: str, words: Sequence[str], samples: tuple[str, ...]
    ) -> Candidate | None:
        named, why = max(((_alike(words, _words(name)), what) for name, what in known.names), key=lambda s: s[0])
        if named < OFFERED:
            return None
        score, reasons = named, [why]
        score -= 0.03 * len(known.way)
        if known.field.retired is not None:
            score -= 0.35
            reasons.append(tr("retired: {reason}", reason=known.field.retired.reason))
        elif known.field.everyday:
            score += 0.03
        show = Show()
        if samples:
            fit, said, show = _fit(samples, known.field, self.examples.get((known.end.name, known.field.name)))
            score += fit
            reasons.append(said)
        factor = _unit_factor(heading, known.field)
        if factor is not None:
            show = show.model_copy(update={"factor": factor})
            reasons.append(tr("from {unit}, times {factor}", unit=known.field.unit, factor=factor))
            score = min(score, SURE - 0.01)
        score = max(0.0, min(1.0, score))
        if score < OFFERED:
            return None
        return Candidate(known.path, known.trail, round(score, 3), tuple(r for r in reasons if r), show)


def _confidence(candidates: Sequence[Candidate]) -> Confidence:
    if not candidates or candidates[0].score < LIKELY:
        return "open"
    ahead = len(candidates) == 1 or candidates[0].score - candidates[1].score >= LEAD
    return "sure" if candidates[0].score >= SURE and ahead else "check"


def _names(way: tuple[Relation, ...], end: RecordType, field: Field) -> Iterator[tuple[str, str]]:
    """
    (name, reason) of everything a field is called, alone and led by the record it belongs to.
    """
    owners = [way[-1].label, way[-1].name] if way else [end.label]
    said = [(field.label, tr("its label")), (field.name, tr("its name")), (field.column, tr("its technical name"))]
    said += [(s, "a synonym") for s in field.synonyms]
    if field.choices:
        said.append((tr("{label} code", label=field.label), tr("the code of its choices")))
    for name, why in said:
        yield name, why
        for owner in owners:
            yield f"{owner} {name}", tr("{why}, with its record", why=why)
    if way and field.name == end.title:
        yield way[-1].label, tr("the record's title")


_SHORT = {
    "no": "number", "nr": "number", "num": "number", "ref": "tag", "id": "number", "lat": "latitude",
    "lon": "longitude", "lng": "longitude", "long": "longitude", "insp": "inspected", "qty": "quantity",
    "amt": "amount", "desc": "description", "dt": "date", "cd": "code", "tel": "phone", "addr": "address",
    "sp": "species", "botanical": "latin", "inspection": "inspected", "inspector": "inspected by",
    "remarks": "remark", "notes": "note", "comment": "remark", "comments": "remark",
}  # fmt: skip

#: Words that say how a value is written, not what it is.
_UNITS = {"mm": "0.001", "cm": "0.01", "dm": "0.1", "m": "1", "km": "1000", "g": "0.001", "kg": "1"}


def _words(name: str) -> list[str]:
    split = re.sub(r"([a-z\d])([A-Z])", r"\1 \2", name)
    words = [w for w in re.split(r"[\W_]+", split.casefold()) if w]
    if len(words) > 1:
        words = [w for w in words if w not in _UNITS]
    return [part for w in words for part in _SHORT.get(w, w).split()]


def _alike(a: Sequence[str], b: Sequence[str]) -> float:
    """
    How alike two names are, 0 to 1: by the words they share, and by their letters.
    """
    if not a or not b:
        return 0.0
    if list(a) == list(b):
        return 0.92
    shared = sum(max((_word_alike(x, y) for y in b), default=0.0) for x in a)
    back = sum(max((_word_alike(x, y) for x in a), default=0.0) for y in b)
    by_words = (shared + back) / (len(a) + len(b))
    by_letters = SequenceMatcher(None, "".join(a), "".join(b)).ratio()
    return 0.9 * max(by_words, 0.95 * by_letters)


def _word_alike(x: str, y: str) -> float:
    if x == y:
        return 1.0
    if len(x) >= 4 and len(y) >= 4 and (x.startswith(y) or y.startswith(x)):
        return 0.9
    ratio = SequenceMatcher(None, x, y).ratio()
    return ratio if ratio >= 0.8 else 0.0


# Samples


_DATES = {
    "%Y-%m-%d": None, "%d/%m/%Y": "dd/MM/yyyy", "%d.%m.%Y": "dd.MM.yyyy", "%Y%m%d": "yyyyMMdd",
    "%d-%m-%Y": "dd-MM-yyyy", "%d %b %Y": "dd MMM yyyy", "%m/%d/%Y": "MM/dd/yyyy", "%d/%m/%y": "dd/MM/yy",
}  # fmt: skip

_YES_NO = (("y", "n"), ("yes", "no"), ("true", "false"), ("1", "0"), ("t", "f"), ("x", ""))


def _fit(samples: Sequence[str], field: Field, example: str | None) -> tuple[float, str, Show]:
    """
    (what the samples add to the score, why, how values would be written) for a field.
    """
    if field.kind.is_dated:
        for strptime, pattern in _DATES.items():
            if all(_is_date(s, strptime) for s in samples):
                exact = 0.12 if field.kind is Kind.DATE else 0.04
                return exact, tr("their sample is a date, {samples}", samples=samples[0]), Show(date=pattern)
        return -0.25, tr("their sample is no date"), Show()
    if field.kind.is_number:
        numbers = [_number(s) for s in samples]
        if all(n is not None for n in numbers):
            decimals = {len(s.partition(".")[2]) for s in samples if "." in s}
            show = Show(decimals=decimals.pop()) if len(decimals) == 1 and field.kind is Kind.DECIMAL else Show()
            return 0.08, tr("their sample is a number"), show
        return -0.25, tr("their sample is no number"), Show()
    if field.kind is Kind.BOOLEAN:
        folded = {s.casefold() for s in samples}
        for yes, no in _YES_NO:
            if folded <= {yes, no}:
                upper = samples[0].isupper()
                words = (yes.upper(), no.upper()) if upper else (yes, no)
                return (
                    0.12,
                    tr("their sample says {samples}", samples=" or ".join(sorted(set(samples)))),
                    Show(yes=words[0], no=words[1]),
                )
        return -0.25, tr("their sample is neither yes nor no"), Show()
    if field.choices:
        labels = {c.label.casefold() for c in field.choices}
        codes = {c.code.casefold() for c in field.choices}
        said = [s.casefold() for s in samples]
        if all(s in codes for s in said):
            return 0.15, tr("their sample is one of its codes"), Show(choice="code")
        if all(s in labels for s in said):
            return 0.15, tr("their sample is one of its labels"), Show()
        return -0.2, tr("their sample is none of its choices"), Show()
    if example is not None and any(_shape(s) == _shape(example) for s in samples):
        return 0.08, tr("their sample looks like ours, {example}", example=example), Show()
    if all(_number(s) is not None for s in samples) and field.kind is Kind.TEXT:
        return -0.1, tr("their sample is a number"), Show()
    return 0.0, "", Show()


def _shape(text: str) -> str:
    return re.sub(r"[^\W\d_]+", "a", re.sub(r"\d", "9", text))


def _is_date(text: str, pattern: str) -> bool:
    try:
        datetime.strptime(text, pattern)
    except ValueError:
        return False
    return True


def _number(text: str) -> Decimal | None:
    try:
        return check_digits(Decimal(text.replace(" ", "")))
    except (InvalidOperation, ValueError):
        return None


def _unit_factor(heading: str, field: Field) -> Decimal | None:
    """
    What a value is multiplied with to stand in the unit that the heading ends in.
    """
    words = [w for w in re.split(r"[\W_]+", heading.casefold()) if w]
    wanted = words[-1] if len(words) > 1 else ""
    if wanted not in _UNITS or field.unit not in _UNITS or wanted == field.unit or not field.kind.is_number:
        return None
    if (wanted in ("g", "kg")) != (field.unit in ("g", "kg")):
        return None
    return (Decimal(_UNITS[field.unit]) / Decimal(_UNITS[wanted])).normalize() + 0
