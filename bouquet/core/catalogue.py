"""
The catalogue: what Bouquet knows about record types, fields and relations.

Models here are frozen and know neither SQL nor any file format.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from bouquet.core.errors import Problem, nearest

__all__ = [
    "Catalogue",
    "Choice",
    "Field",
    "Kind",
    "RecordType",
    "Relation",
    "Retired",
    "Route",
    "walk_to_one",
]


class Kind(StrEnum):
    """
    Kinds of value, as a person would tell them apart.
    """

    TEXT = "text"
    INTEGER = "integer"
    DECIMAL = "decimal"
    BOOLEAN = "boolean"
    DATE = "date"
    #: A wall-clock date and time without a zone.
    TIMESTAMP = "timestamp"
    #: A point in time, stored with its zone.
    MOMENT = "moment"
    TIME = "time"
    #: A code with a label.
    CHOICE = "choice"
    #: Text or digits that name a record; never calculated with.
    IDENTIFIER = "identifier"
    #: Bytes: a picture or a document.
    FILE = "file"
    #: Anything else the database holds; shown as its text.
    OTHER = "other"

    @property
    def is_number(self) -> bool:
        return self in (Kind.INTEGER, Kind.DECIMAL)

    @property
    def is_dated(self) -> bool:
        return self in (Kind.DATE, Kind.TIMESTAMP, Kind.MOMENT)

    @property
    def is_text(self) -> bool:
        return self in (Kind.TEXT, Kind.IDENTIFIER, Kind.OTHER)


@dataclass(frozen=True)
class Choice:
    """
    A code and the label people read for it.
    """

    code: str
    label: str


@dataclass(frozen=True)
class Retired:
    """
    Why a field should no longer be chosen, and which one to take instead.
    """

    reason: str
    substitute: str | None = None


@dataclass(frozen=True, kw_only=True)
class Field:
    """
    One field of a record type.

    `name` stands in paths; `column` is the database's own name.
    `stored` is the database's type, for reading and comparing: one of
    `text`, `integer`, `numeric`, `float`, `boolean`, `date`, `timestamp`, `timestamptz`, `time`, `bytes`, `other`.
    """

    name: str
    column: str
    kind: Kind
    stored: str
    label: str
    meaning: str = ""
    unit: str = ""
    everyday: bool = False
    personal: bool = False
    retired: Retired | None = None
    synonyms: tuple[str, ...] = ()
    choices: tuple[Choice, ...] = ()
    #: Digits after the point that the database keeps, where it says so.
    scale: int | None = None
    #: Whether the database lets it be empty.
    nullable: bool = True

    def label_of(self, code: object) -> str:
        """
        The label of a choice's code; an unknown code is its own label.
        """
        text = str(code)
        return next((c.label for c in self.choices if c.code == text), text)


@dataclass(frozen=True, kw_only=True)
class Relation:
    """
    A way from one record type to another: to one record, or to many.

    `pairs` are (own column, other column); the relation holds where all are equal.
    """

    name: str
    label: str
    target: str
    many: bool
    pairs: tuple[tuple[str, str], ...]


@dataclass(frozen=True, kw_only=True)
class RecordType:
    """
    A kind of record the source holds.

    `key` names the fields that identify one record; `title` the field people know it by.
    `proposed` are narrowings, as in a template document, that a new template starts with in plain view.
    `rows_estimate` is the database's own estimate, not a count.
    """

    name: str
    table: str
    schema: str | None
    label: str
    plural: str
    fields: tuple[Field, ...]
    relations: tuple[Relation, ...]
    key: tuple[str, ...]
    title: str | None = None
    meaning: str = ""
    link: str | None = None
    rows_estimate: int | None = None
    proposed: tuple[Mapping[str, object], ...] = ()

    def field_named(self, name: str) -> Field | None:
        return next((f for f in self.fields if f.name == name), None)

    def relation_named(self, name: str) -> Relation | None:
        return next((r for r in self.relations if r.name == name), None)


@dataclass(frozen=True)
class Route:
    """
    A path that was found: the relations walked, and the field at its end.
    """

    relations: tuple[Relation, ...]
    field: Field

    @property
    def path(self) -> str:
        return ".".join([*(r.name for r in self.relations), self.field.name])

    @property
    def trail(self) -> str:
        """
        The path in labels, as people read it: `Tree › Species › Botanical name`.
        """
        return " › ".join([*(r.label for r in self.relations), self.field.label])


@dataclass(frozen=True, kw_only=True)
class Catalogue:
    """
    All that is known about one source. `environment` is `practice` or `live`.
    """

    source: str
    title: str
    environment: str
    record_types: Mapping[str, RecordType] = field(default_factory=dict)

    def route(self, start: RecordType, path: str, place: str) -> Route | Problem:
        """
        Follow `relation.relation.field` from `start`; to-one relations only.

        Returns the route, or the problem met, placed at `place`.
        """
        *steps, last = path.split(".")
        here, walked = start, []
        for step in steps:
            relation = here.relation_named(step)
            if relation is None:
                return _unknown(here, step, [r.name for r in here.relations], "relation", path, place)
            if relation.many:
                return Problem(
                    code="many_in_cell",
                    place=place,
                    message=f"One {here.label} has many {relation.label.lower()}, so “{path}” is not one value.",
                    ways_out=("fold", "per_child", "companion_file"),
                )
            walked.append(relation)
            here = self.record_types[relation.target]
        found = here.field_named(last)
        if found is None:
            return _unknown(here, last, [f.name for f in here.fields], "field", path, place)
        return Route(tuple(walked), found)


def _unknown(here: RecordType, name: str, names: list[str], what: str, path: str, place: str) -> Problem:
    prefix = path[: len(path) - len(path.split(".")[-1])] if what == "field" else ""
    candidates = tuple(prefix + n for n in nearest(name, names))
    hint = f" Did you mean {', '.join(candidates)}?" if candidates else ""
    return Problem(
        code=f"unknown_{what}",
        place=place,
        message=f"{here.label.capitalize()} has no {what} “{name}”.{hint}",
        candidates=candidates,
    )


def walk_to_one(
    catalogue: Catalogue, start: RecordType, *, depth: int = 3
) -> Iterator[tuple[tuple[Relation, ...], RecordType]]:
    """
    The record types that one record leads to through to-one relations, nearest first, `start` itself at the head.

    A record type already on the way is not entered again, so rings end.
    """
    level: list[tuple[tuple[Relation, ...], RecordType]] = [((), start)]
    for _ in range(depth + 1):
        following: list[tuple[tuple[Relation, ...], RecordType]] = []
        for way, here in level:
            yield way, here
            seen = {start.name, *(r.target for r in way)}
            following += [
                ((*way, r), catalogue.record_types[r.target])
                for r in here.relations
                if not r.many and r.target in catalogue.record_types and r.target not in seen
            ]
        level = following
