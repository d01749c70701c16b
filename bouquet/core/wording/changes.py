"""
What differs between two versions of a template, in words.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

from bouquet.core.catalogue import Catalogue
from bouquet.core.language import tr
from bouquet.core.plan.model import Context
from bouquet.core.template.checks import Check, ColumnCheck, FileCheck
from bouquet.core.template.document import Template
from bouquet.core.template.values import Column
from bouquet.core.wording.sentence import Part, Sentence, words

__all__ = ["Change", "compare_templates"]

Act: TypeAlias = Literal["added", "gone", "moved", "changed"]


@dataclass(frozen=True)
class Change:
    """
    One difference: what was done to what, and the parts before and after in words, where they can be said.
    """

    act: Act
    what: str
    before: str = ""
    after: str = ""


def compare_templates(before: Template, after: Template, catalogue: Catalogue, context: Context) -> list[Change]:
    """
    The differences from `before` to `after`: name, rows, columns, narrowings, order, limit, file.
    """
    return list(_changes(before, after, Sentence(before, catalogue, context), Sentence(after, catalogue, context)))


def _changes(a: Template, b: Template, said_a: Sentence, said_b: Sentence) -> Iterator[Change]:
    if a.name != b.name:
        yield Change("changed", tr("name"), a.name, b.name)
    if a.about != b.about:
        yield Change("changed", tr("about"), a.about, b.about)
    if (a.records, a.rows) != (b.records, b.rows):
        yield Change("changed", tr("one row per"), _rows(said_a), _rows(said_b))
    yield from _columns(a, b)
    yield from _steps(said_a, said_b)
    if a.order != b.order:
        yield Change("changed", tr("order"), _said(said_a, "order"), _said(said_b, "order"))
    if a.at_most != b.at_most:
        yield Change("changed", tr("rows at most"), _said(said_a, "limit"), _said(said_b, "limit"))
    if a.asks != b.asks:
        yield Change("changed", tr("asks"), ", ".join(x.label for x in a.asks), ", ".join(x.label for x in b.asks))
    yield from _checks(a, b)
    if a.zone != b.zone:
        yield Change("changed", tr("time zone"), a.zone, b.zone)
    one, other = (dict(_flat(t.output.model_dump(mode="json"))) for t in (a, b))
    for key in sorted(one | other):
        if one.get(key) != other.get(key):
            yield Change("changed", tr("file: {key}", key=key), _text(one.get(key)), _text(other.get(key)))


def _columns(a: Template, b: Template) -> Iterator[Change]:
    old, new = ({c.id: c for c in t.columns} for t in (a, b))
    for id, column in old.items():
        if id not in new:
            yield Change("gone", tr("column “{column}”", column=column.heading), _value(column))
    kept = [i for i in new if i in old]
    before = [i for i in old if i in new]
    moved = set(kept) - set(_longest_common(before, kept))
    for n, (id, column) in enumerate(new.items(), 1):
        was = old.get(id)
        if was is None:
            yield Change(
                "added",
                tr("column “{column}”", column=column.heading),
                "",
                tr("{column}, at place {number}", column=_value(column), number=n),
            )
            continue
        if id in moved:
            yield Change(
                "moved",
                tr("column “{column}”", column=column.heading),
                tr("place {id}", id=list(old).index(id) + 1),
                tr("place {number}", number=n),
            )
        if was.heading != column.heading:
            yield Change("changed", tr("heading"), was.heading, column.heading)
        if was.value != column.value:
            yield Change("changed", tr("value of “{column}”", column=column.heading), _value(was), _value(column))
        rest = [
            c.model_dump(mode="json", exclude={"id", "heading", "value"}, exclude_defaults=True) for c in (was, column)
        ]
        one, other = (dict(_flat(r)) for r in rest)
        for key in sorted(one | other):
            if one.get(key) != other.get(key):
                what = f"“{column.heading}”: {key.removeprefix('show ')}"
                yield Change("changed", what, _text(one.get(key)), _text(other.get(key)))


def _steps(a: Sentence, b: Sentence) -> Iterator[Change]:
    old, new = ([said for _, said in s.steps()] for s in (a, b))
    for said in old:
        if said not in new:
            yield Change("gone", tr("narrowing"), said)
    for said in new:
        if said not in old:
            yield Change("added", tr("narrowing"), "", said)
    if sorted(old) == sorted(new) and old != new:
        yield Change("moved", tr("narrowings"), "; ".join(old), "; ".join(new))


def _checks(a: Template, b: Template) -> Iterator[Change]:
    old, new = ([_check(c, t) for c in t.checks] for t in (a, b))
    for said in old:
        if said not in new:
            yield Change("gone", tr("check"), said)
    for said in new:
        if said not in old:
            yield Change("added", tr("check"), "", said)


def _check(check: Check, template: Template) -> str:
    """
    A check in words, with everything it says.
    """
    body = check.model_dump(mode="json", exclude_defaults=True, exclude={"column", "must", "file", "severity"})
    rest = ", ".join(f"{name.replace('_', ' ')} {_text(value)}" for name, value in body.items())
    match check:
        case ColumnCheck():
            heading = next((c.heading for c in template.columns if c.id == check.column), check.column)
            what = tr("“{heading}” must be {value}", heading=heading, value=check.must.replace("_", " "))
        case FileCheck():
            what = tr("the file: {value}", value=check.file.replace("_", " "))
        case _:
            what = tr("each row")
    return f"{what}{f' ({rest})' if rest else ''}; {check.severity}"


def _longest_common(a: list[str], b: list[str]) -> list[str]:
    """
    The longest sequence that stands in both in the same order.
    """
    table: list[list[list[str]]] = [[[] for _ in range(len(b) + 1)] for _ in range(len(a) + 1)]
    for n, x in enumerate(a):
        for k, y in enumerate(b):
            longer = max(table[n][k + 1], table[n + 1][k], key=len)
            table[n + 1][k + 1] = [*table[n][k], x] if x == y else longer
    return table[-1][-1]


def _rows(sentence: Sentence) -> str:
    parts: list[Part] = []
    for part in sentence.parts():
        if part.text.lstrip().startswith(("where", "; ", ",\n")):
            break
        parts.append(part)
    return words(parts)


def _said(sentence: Sentence, role: str) -> str:
    return ", ".join(p.text for p in sentence.parts() if p.role == role)


def _value(column: Column) -> str:
    body = column.value.model_dump(mode="json", exclude_defaults=True)
    fold = body.get("fold")
    if fold is not None:
        return tr(
            "{value} of {value2}",
            value=fold["how"].replace("_", " "),
            value2=fold.get("path") or tr("the rows"),
        )
    return _text(next(iter(body.values()), ""))


def _flat(body: Any, path: str = "") -> Iterator[tuple[str, Any]]:
    if isinstance(body, dict):
        for key, value in body.items():
            yield from _flat(value, f"{path} {key.replace('_', ' ')}".strip())
    else:
        yield path, body


def _text(value: Any) -> str:
    if value in (None, "", []):
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return _text(value.get("path") or list(value.values()))
    return ", ".join(map(_text, value)) if isinstance(value, list) else str(value)
