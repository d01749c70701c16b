"""
The catalogue: what Bouquet knows about record types, fields and relations.

Models here are frozen and know neither SQL nor any file format.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from typing import Literal, TypeAlias

from bouquet.core.errors import Problem, unknown_name
from bouquet.core.language import tr

__all__ = [
    "Attribute",
    "Catalogue",
    "Choice",
    "Field",
    "Kind",
    "PersonalClass",
    "RecordType",
    "Relation",
    "Retired",
    "Route",
    "Walk",
    "walk_to_one",
]


#: What personal data tells of a person; see `core.personal`.
PersonalClass: TypeAlias = Literal["name", "contact", "address", "birth", "number", "health", "money", "other"]


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
class Attribute:
    """
    A field that is not a column of its record's table, but a row of an attribute table beside it.

    The row is found by `pairs` (own column, column of the attribute table) and by `name` in `name_column`.
    """

    table: str
    pairs: tuple[tuple[str, str], ...]
    name_column: str
    name: str
    value_column: str


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
    #: What kind of personal data it is (see `core.personal`); empty where nobody said.
    personal_class: str = ""
    #: The formula by which whoever looks sees it masked; empty where they see it as it is.
    mask: str = ""
    #: What it is a part of together with other fields of its record (address, contact); empty where it stands alone.
    part_of: str = ""
    retired: Retired | None = None
    synonyms: tuple[str, ...] = ()
    choices: tuple[Choice, ...] = ()
    #: Whether the choices stand in an order of their own (low, medium, high) that records are ordered by.
    choices_ordered: bool = False
    #: Digits after the point that the database keeps, where it says so.
    scale: int | None = None
    #: Whether the database lets it be empty.
    nullable: bool = True
    #: The key under which a JSON column holds the value; the value is then text, read as `stored` says.
    json_key: str | None = None
    #: Where an attribute table holds the value, as text, read as `stored` says.
    attribute: Attribute | None = None
    #: How the database's own type becomes what `stored` says: `text` and `numeric` by a cast, `list` from an array, its
    #: entries with commas between them, `bits` from a row of bits, `shape` from a point or polygon, its well-known text
    #: (OGC 06-103r4), `clock` from a time that is written in one of several ways, `exactly` from a text that its column
    #: compares more loosely than it is written; nothing where it is that already.
    read_as: str = ""
    #: Whether the column holds text that is read as what `stored` says; what cannot be read is blank, and a finding.
    typed_text: bool = False
    #: What was guessed and not said by anybody, each with the reason: (what, why).
    guesses: tuple[tuple[str, str], ...] = ()
    #: The formula that it is made by, once for all, of fields of its record and of those that this leads to; empty
    #: where it is a field of the source.
    formula: str = ""
    #: Codes whose runs of digits differ in length, so that they are ordered by the digits' value (T-9 before T-10).
    digits_vary: bool = False
    #: Whether an index of the source begins with its column.
    indexed: bool = False

    @property
    def is_custom(self) -> bool:
        """
        Whether people keep it as text beside the columns, so that a value may not be what its kind says.
        """
        return self.json_key is not None or self.attribute is not None

    @property
    def is_read_from_text(self) -> bool:
        """
        Whether its values are kept as text and read as something else.
        """
        return self.typed_text or (self.is_custom and self.stored != "text")

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

    `pairs` are (own column, other column); the relation holds where all are equal. `declared` tells that the database
    itself keeps it: what is not empty leads somewhere.
    """

    name: str
    label: str
    target: str
    many: bool
    pairs: tuple[tuple[str, str], ...]
    declared: bool = False


@dataclass(frozen=True, kw_only=True)
class RecordType:
    """
    A kind of record the source holds.

    `key` names the fields that identify one record; `title` the field people know it by.
    `touched_by` names the field that says who last touched a record, `belongs_to` the one that says whose it is, by a
    person's name or e-mail address. `unit_by` names the field that tells units apart, of records that are the units
    (wards, branches, programmes) of the source.
    `proposed` are narrowings, as in a template document, that a new template starts with in plain view.
    `rows_estimate` is the database's own estimate, not a count.
    `by_row` says that the database has nothing that tells records apart: all fields together stand for a key, and two
    records that are alike are not told apart.
    `guesses` are as those of a field.
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
    touched_by: str | None = None
    belongs_to: str | None = None
    unit_by: str | None = None
    rows_estimate: int | None = None
    proposed: tuple[Mapping[str, object], ...] = ()
    by_row: bool = False
    #: Whether it is a plain table, so that its pages can be read one by one: no view, and not in several parts.
    paged: bool = True
    guesses: tuple[tuple[str, str], ...] = ()
    #: The record type that it was made from, and the narrowing, as in a template document, that makes it.
    made_of: str = ""
    where: Mapping[str, object] = field(default_factory=dict)

    @cached_property
    def columns(self) -> tuple[str, ...]:
        """
        The columns of its table that anything here reads or links by.
        """
        names = [f.column for f in self.fields if not f.formula]
        names += [own for r in self.relations for own, _ in r.pairs]
        names += [own for f in self.fields if f.attribute for own, _ in f.attribute.pairs]
        return tuple(dict.fromkeys(names))

    def field_named(self, name: str) -> Field | None:
        return next((f for f in self.fields if f.name == name), None)

    def relation_named(self, name: str) -> Relation | None:
        return next((r for r in self.relations if r.name == name), None)


@dataclass(frozen=True)
class Route:
    """
    A path that was found: the relations walked, and the field at its end.

    `aspect` is `label` or `code` where the path asks for one of a choice's two faces (`kind.label`).
    """

    relations: tuple[Relation, ...]
    field: Field
    aspect: str = ""

    @property
    def typed(self) -> Field:
        """
        The field as the path means it: a choice's label is a text, its code an identifier.
        """
        if self.aspect == "label":
            return replace(self.field, kind=Kind.TEXT, stored="text", choices=(), nullable=True)
        return replace(self.field, kind=Kind.IDENTIFIER, choices=()) if self.aspect == "code" else self.field

    @property
    def way(self) -> tuple[str, ...]:
        """
        The names of the relations walked.
        """
        return tuple(r.name for r in self.relations)

    @property
    def path(self) -> str:
        return ".".join([*self.way, self.field.name])

    @property
    def trail(self) -> str:
        """
        The path in labels, as people read it: `Tree › Species › Botanical name`.
        """
        return " › ".join([*(r.label for r in self.relations), self.field.label])


@dataclass(frozen=True)
class Walk:
    """
    Where a path leads: the relations walked, the record type at their end, and the field of it, if it names one.
    """

    relations: tuple[Relation, ...]
    end: RecordType
    field: Field | None
    aspect: str = ""

    @property
    def route(self) -> Route:
        assert self.field is not None
        return Route(self.relations, self.field, self.aspect)

    @property
    def many(self) -> int | None:
        """
        The position of the last relation that leads to many records; None when all lead to one.
        """
        return max((n for n, r in enumerate(self.relations) if r.many), default=None)


@dataclass(frozen=True, kw_only=True)
class Catalogue:
    """
    All that is known about one source. `environment` is `practice` or `live`; `dialect` is the SQL it speaks.
    """

    source: str
    title: str
    environment: str
    dialect: str = "postgresql"
    record_types: Mapping[str, RecordType] = field(default_factory=dict)
    #: The schemas that the source has, and how many tables and views each, whether they are chosen or not.
    schemas: tuple[tuple[str, int], ...] = ()
    #: All that there is, where this is what somebody sees of it.
    whole: Catalogue | None = field(default=None, compare=False, repr=False)

    @cached_property
    def digest(self) -> str:
        """
        Tells one state of a source from another: catalogues with the same content have the same.
        """
        return hashlib.sha256(repr((self.source, self.title, self.environment, self.record_types)).encode()).hexdigest()

    @cached_property
    def labels(self) -> Counter[str]:
        """
        How many fields are called by each label.
        """
        return Counter(f.label for t in self.record_types.values() for f in t.fields)

    @cached_property
    def seen_by(self) -> dict[object, Catalogue]:
        """
        The catalogue as people with different rights see it, each made once.
        """
        return {}

    def walk(self, start: RecordType, path: str, place: str) -> Walk | Problem:
        """
        Follow `relation.relation.field`, or only relations, from `start`, whether they lead to one record or to many.

        Returns where it leads, or the problem met, placed at `place`.
        """
        here, walked = start, []
        steps = path.split(".") if path else []
        for n, step in enumerate(steps):
            relation, rest = here.relation_named(step), steps[n + 1 :]
            if relation is not None:
                walked.append(relation)
                here = self.record_types[relation.target]
                continue
            found = here.field_named(step)
            if found is not None and not rest:
                return Walk(tuple(walked), here, found)
            if found is not None and rest in (["label"], ["code"]) and found.kind is Kind.CHOICE:
                return Walk(tuple(walked), here, found, rest[0])
            if rest:
                return unknown_name("relation", step, [r.name for r in here.relations], here.label, path, place)
            return unknown_name("field", step, [f.name for f in here.fields], here.label, path, place)
        return Walk(tuple(walked), here, None)

    def route(self, start: RecordType, path: str, place: str, *, opened: tuple[str, ...] = ()) -> Route | Problem:
        """
        Follow `relation.relation.field` from `start` to one value per row.

        Relations lead to one record, but for the `opened` ones, which the row rule has opened at the path's head.
        Returns the route, or the problem met, placed at `place`.
        """
        walk = self.walk(start, path, place)
        if isinstance(walk, Problem):
            return walk
        names = tuple(r.name for r in walk.relations)
        for n, relation in enumerate(walk.relations):
            if relation.many and names[: n + 1] != opened[: n + 1]:
                before = self.record_types[walk.relations[n - 1].target] if n else start
                return Problem(
                    code="many_in_cell",
                    place=place,
                    message=tr(
                        "One {before} has many {relation}, so “{path}” is not one value.",
                        before=before.label,
                        relation=relation.label.lower(),
                        path=path,
                    ),
                )
        if walk.field is None:
            message = tr("“{path}” leads to records, not to a value; name one of their fields.", path=path)
            return Problem(code="no_field", place=place, message=message)
        return walk.route

    def key_of(self, record_type: RecordType, relations: tuple[Relation, ...] = ()) -> tuple[Route, ...]:
        """
        Routes to the fields that identify a record at the end of `relations`.
        """
        named = (record_type.field_named(n) for n in record_type.key)
        return tuple(Route(relations, f) for f in named if f is not None)


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
