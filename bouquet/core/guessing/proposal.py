"""
The first useful template of a record type: its everyday fields, what the records that it leads to are known by, the
newest first.
"""

from __future__ import annotations

from typing import Any

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation

__all__ = ["MOST_LED_TO", "propose_columns", "propose_order"]

#: Records of other types whose titles stand in a proposal, at most.
MOST_LED_TO = 4

#: Fields of a proposal of a record type that has no everyday ones.
FIRST = 5


def propose_columns(catalogue: Catalogue, record_type: RecordType) -> list[dict[str, Any]]:
    """
    Columns as in a template document: the everyday fields, the title first; after the title, the titles of what a
    record leads to, where nobody curated the record type; where it has no everyday fields, its first ones. Nothing
    personal.
    """
    plain = [f for f in record_type.fields if not f.personal and f.kind is not Kind.FILE]
    own = [f for f in record_type.fields if f.everyday and not f.personal] or plain[:FIRST]
    guessed = any(what == "label" for what, _ in record_type.guesses)
    if not guessed:
        return [_column(n, f.name, _heading(f)) for n, f in enumerate(own, 1)]
    own.sort(key=lambda f: f.name != record_type.title)
    ends = [e for r in record_type.relations if not r.many and (e := _end(catalogue, r)) is not None][:MOST_LED_TO]
    first = 1 if own and own[0].name == record_type.title else 0
    chosen = [(f.name, _heading(f)) for f in own]
    chosen[first:first] = [(f"{r.name}.{f.name}", r.label) for r, f in ends]
    return [_column(n, path, heading) for n, (path, heading) in enumerate(_differing(chosen), 1)]


def propose_order(record_type: RecordType, columns: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """
    The newest first, by the first dated column, where nobody curated the record type.
    """
    if not any(what == "label" for what, _ in record_type.guesses):
        return []
    dated = {f.name for f in record_type.fields if f.kind.is_dated}
    first = next((c["id"] for c in columns if c["value"]["field"] in dated), None)
    return [{"column": first, "direction": "descending"}] if first else []


def _end(catalogue: Catalogue, relation: Relation) -> tuple[Relation, Field] | None:
    target = catalogue.record_types.get(relation.target)
    title = target.field_named(target.title) if target and target.title else None
    if title is None or title.personal or title.kind is Kind.FILE:
        return None
    return relation, title


def _column(n: int, path: str, heading: str) -> dict[str, Any]:
    return {"id": f"c{n}", "heading": heading, "value": {"field": path}}


def _heading(field: Field) -> str:
    return f"{field.label} ({field.unit})" if field.unit else field.label


def _differing(chosen: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """
    Headings that differ: what is called like one before it gets its path beside.
    """
    taken: set[str] = set()
    made = []
    for path, heading in chosen:
        said = heading if heading not in taken else f"{heading} ({path})"
        taken.add(said)
        made.append((path, said))
    return made
