"""
A request in words as a proposed template: what its words may be is looked up in the source, with the person's rights.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from zoneinfo import ZoneInfo

from bouquet.core.asked import Asked, Understood, joined_to, lookups, read_request, read_sentence
from bouquet.core.asked.tokens import stem
from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Walk
from bouquet.core.language import speaking, tr, trn
from bouquet.core.plan.folds import fold_words
from bouquet.core.sql import Statements
from bouquet.core.template import Column, FieldValue, FoldValue, Template, read_document
from bouquet.core.wording.sentence import Sentence
from bouquet.designing.source_view import SourceView
from bouquet.sources import Snapshot, SourceError

__all__ = ["Said", "said_of_request"]

#: Record types in which words are looked up, at most: those with few records, whose titles people know by heart.
MOST_LOOKED_IN = 20

#: Records that a type has at most, to be looked through.
FEW_RECORDS = 50_000

#: Words that are looked up, and values of one record type that they may be.
MOST_WORDS, MOST_VALUES = 12, 200


@dataclass(frozen=True)
class Said:
    """
    A request as it was understood, with each part in words, and the proposed template where it can be read.
    """

    asked: Asked
    words: tuple[str, ...]
    template: Template | None


def said_of_request(
    view: SourceView,
    text: str,
    *,
    records: str = "",
    ignored: Collection[tuple[int, int]] = (),
    document: Mapping[str, Any] | None = None,
) -> Said:
    """
    Read a request, or a sentence that Bouquet wrote, as this person sees the source; with a `document`, as what is
    asked besides what that template has.

    Raises DocumentError where that is none, and NotFound where the source has no such records.
    """
    catalogue = view.catalogue
    context = view.context()
    today = context.as_of.astimezone(ZoneInfo("UTC")).date()
    beside = read_document(dict(document)) if document is not None else None
    start = beside.records if beside is not None else records
    if start or beside is not None:
        view.record_type(start)
    # What is read is English, whatever its reader is told in.
    with speaking("en"):
        asked = _of_sentence(text, catalogue, today, beside)
        if asked is None:
            values = _found(view, lookups(text, catalogue))
            asked = read_request(text, catalogue, today, values=values, records=start, ignored=ignored)
            if document is not None:
                asked = joined_to(document, asked)
    if asked.document is None:
        return Said(asked, (), None)
    template = read_document(dict(asked.document))
    named = _Words(template, catalogue, view.sentence(template, context))
    return Said(asked, tuple(named.of(p) for p in asked.parts), template)


def _of_sentence(text: str, catalogue: Catalogue, today: Any, beside: Template | None) -> Asked | None:
    found = read_sentence(text, catalogue, today, beside)
    if found is None:
        return None
    record_type = catalogue.record_types[found.document["records"]]
    if beside is not None and beside.records == record_type.name:
        # A sentence tells no columns: those of the template stay, as all else that it does not tell.
        told = ("rows", "filter", "order", "at_most", "only")
        kept = beside.model_dump(mode="json", by_alias=True, exclude_defaults=True)
        document = {k: v for k, v in kept.items() if k not in told} | found.document
        output = {**kept.get("output", {}), **found.document.get("output", {})}
        return Asked({**document, **({"output": output} if output else {})}, (_whole(text, found.doubts),), ())
    read = read_request(record_type.plural, catalogue, today, records=record_type.name)
    document = {**(read.document or {}), **found.document, "name": text[:60]}
    if found.document.get("rows", {}).get("per") == "group":
        document["columns"] = [
            {
                "id": f"c{n}",
                "heading": _label(catalogue, record_type, b["path"]),
                "value": {"field": b["path"], **_step(b)},
            }
            for n, b in enumerate(found.document["rows"]["by"], 1)
        ]
    return Asked(document, (_whole(text, found.doubts),), ())


def _whole(text: str, doubts: Sequence[str]) -> Understood:
    doubt = tr("{doubts}: more than one field is called so", doubts=", ".join(doubts)) if doubts else ""
    return Understood(0, len(text), "records", "records", doubt)


def _label(catalogue: Catalogue, record_type: RecordType, path: str) -> str:
    walk = catalogue.walk(record_type, path, "")
    return (
        " ".join([r.label for r in walk.relations[-1:]] + [walk.field.label])
        if isinstance(walk, Walk) and walk.field
        else path
    )


def _step(by: Mapping[str, Any]) -> dict[str, Any]:
    return {"step": by["step"]} if "step" in by else {}


# Values


def _found(view: SourceView, words: Sequence[str]) -> dict[tuple[str, str], list[str]]:
    """
    Values of titles and everyday texts that a request's words may be, by (record type, field).
    """
    wanted = [stem(w) for w in words[:MOST_WORDS]]
    found: dict[tuple[str, str], list[str]] = {}
    if not wanted:
        return found
    with view.snapshot() as snapshot:
        for record_type, fields in _looked_in(view.catalogue):
            try:
                rows = _rows(view, snapshot, record_type, fields, wanted)
            except SourceError:
                # What cannot be looked through in time is told as not understood.
                break
            for n, field in enumerate(fields):
                kept = dict.fromkeys(str(r[n]) for r in rows if r[n] and any(w in str(r[n]).casefold() for w in wanted))
                if kept:
                    found[record_type.name, field.name] = list(kept)
    return found


def _looked_in(catalogue: Catalogue) -> Iterator[tuple[RecordType, list[Field]]]:
    left = MOST_LOOKED_IN
    for record_type in catalogue.record_types.values():
        fields = [f for f in record_type.fields if _is_known_by_heart(f, record_type)][:4]
        few = record_type.rows_estimate is None or record_type.rows_estimate <= FEW_RECORDS
        if fields and few and not record_type.by_row and left:
            left -= 1
            yield record_type, fields


def _is_known_by_heart(field: Field, record_type: RecordType) -> bool:
    plain = field.kind is Kind.TEXT and not field.personal and field.retired is None and not field.formula
    return plain and not field.is_custom and (field.everyday or field.name == record_type.title)


def _rows(
    view: SourceView, snapshot: Snapshot, record_type: RecordType, fields: Sequence[Field], words: Sequence[str]
) -> list[tuple[Any, ...]]:
    columns = [Column(id=f"c{n}", heading=f"c{n}", value=FieldValue(field=f.name)) for n, f in enumerate(fields)]
    tests = [{"path": f.name, "is": "contains", "value": w} for f in fields for w in words]
    document = {
        "name": "asked",
        "records": record_type.name,
        "columns": [c.model_dump(mode="json", exclude_defaults=True) for c in columns],
        "filter": {"any": tests},
    }
    plan = view.resolve(read_document(document)).plan
    if plan is None:
        return []
    found = snapshot.rows(Statements(plan).rows(limit=MOST_VALUES))
    return [tuple(row[f"c{n}"] for n in range(len(fields))) for row in found]


# Words


class _Words:
    """
    Parts of a proposed template, as people say them.
    """

    def __init__(self, template: Template, catalogue: Catalogue, sentence: Sentence) -> None:
        self.template, self.catalogue, self.sentence = template, catalogue, sentence
        self.start = catalogue.record_types[template.records]
        self.steps = dict(sentence.steps())

    def of(self, part: Understood) -> str:
        """
        What a part of a request was taken for.
        """
        n = int(part.place.rpartition("[")[2].rstrip("]")) if part.place.endswith("]") else 0
        match part.role:
            case "records":
                return tr("one row per {start}", start=self.start.label)
            case "narrowing":
                return self.steps.get(part.place, part.place)
            case "rows":
                by = getattr(self.template.rows, "by", ())
                return tr("one row per {number}", number=self._trail(by[n].path) if n < len(by) else "")
            case "column":
                return self._column(self.template.columns[n])
            case "order":
                level = self.template.order[n]
                way = tr("greatest first") if level.direction == "descending" else tr("least first")
                return tr("ordered by {column}, {way}", column=self._ordered(level.column, level.path), way=way)
            case "limit":
                return trn("the first {n} row", "the first {n} rows", self.template.at_most or 0)

    def _column(self, column: Column) -> str:
        if isinstance(column.value, FieldValue):
            return tr("column {field}", field=self._trail(column.value.field))
        if isinstance(column.value, FoldValue):
            fold = column.value.fold
            return tr(
                "column {how} {path}",
                how=fold_words(fold.how),
                path=self._trail(fold.path) or self.start.plural,
            )
        return tr("column {column}", column=column.heading)

    def _ordered(self, column: str | None, path: str | None) -> str:
        named = next((c.heading for c in self.template.columns if c.id == column), None)
        return named or self._trail(path or "")

    def _trail(self, path: str) -> str:
        walk = self.catalogue.walk(self.start, path, "")
        if not isinstance(walk, Walk):
            return path
        return " › ".join([*(r.label for r in walk.relations), *([walk.field.label] if walk.field else [])])
