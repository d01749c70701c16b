"""
What a person may see of a source: the one place that decides which records are theirs.

A right speaks of the values of one field of one record type: these wards. A record of another type is theirs when a way
of relations leads from it to such a record: an inspection by its tree and site. Ways to one record go before ways to
many, short ones before long ones. What belongs to nobody alone, a species or a contractor, is theirs when any record of
theirs leads to it. A record type from which no way leads there is closed.
"""

from __future__ import annotations

import dataclasses
import heapq
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

from bouquet.core.catalogue import Catalogue, Field, RecordType, Relation
from bouquet.core.errors import BouquetError

__all__ = ["NOTHING", "Rights", "RightsDiffer", "Scope", "joined_rights"]

#: How much longer than a way to one record a way to many counts.
MANY = 1_000

#: Ways that are looked along for one record.
MOST_WAYS = 24

#: Relations, each from where the last one led to.
Way: TypeAlias = tuple[Relation, ...]


@dataclass(frozen=True)
class Scope:
    """
    What a person's rights leave of a source: only records that belong to one of `values` of a field, such as a
    ward's code. `names` are what people call them, where that is known.
    """

    records: str
    field: str
    values: tuple[str, ...]
    names: tuple[str, ...] = dataclasses.field(default=(), compare=False)


#: A right that leaves nothing: it speaks of no record type, and so closes all.
NOTHING = Scope("", "", ())


class Rights:
    """
    A scope laid on a catalogue.
    """

    def __init__(self, catalogue: Catalogue, scope: Scope) -> None:
        self.catalogue, self.scope = catalogue, scope
        self._lengths = _lengths_to(catalogue, scope.records) if self.field is not None else {}
        self._ways: dict[str, tuple[Way, ...]] = {scope.records: ((),)} if self.field is not None else {}
        # A way's rest is shorter than the way, so it is known by then.
        for name in sorted(self._lengths, key=lambda n: self._lengths[n]):
            if name not in self._ways:
                self._ways[name] = tuple(self._ways_of(catalogue.record_types[name]))[:MOST_WAYS]

    @property
    def field(self) -> Field | None:
        """
        The field that the right speaks of; None where the source has no such field, and everything is closed.
        """
        spoken_of = self.catalogue.record_types.get(self.scope.records)
        return spoken_of.field_named(self.scope.field) if spoken_of else None

    def ways(self, record_type: RecordType) -> tuple[Way, ...]:
        """
        The relations from a record to what the right speaks of: one empty way for that itself, none where the type is
        closed. A record is theirs when one of the ways leads to a value of the right.
        """
        return self._ways.get(record_type.made_of or record_type.name, ())

    def _ways_of(self, record_type: RecordType) -> Iterator[Way]:
        length = self._lengths[record_type.name]
        leading = [(r, self._lengths[r.target]) for r in record_type.relations if r.target in self._lengths]
        for relation, rest in leading:
            if not relation.many and rest + 1 == length:
                yield from ((relation, *way) for way in self._ways[relation.target])
                return
        for relation, rest in leading:
            if relation.many and rest // MANY == (length - MANY) // MANY and rest < length:
                yield from ((relation, *way) for way in self._ways[relation.target])

    def follows(self, holder: RecordType, relation: Relation) -> bool:
        """
        Whether what a relation leads to is a person's because the record that it leads from is: one lies on the other's
        way. (Of many on the way just one may be theirs.)
        """
        if not relation.many and any(way and way[0] == relation for way in self.ways(holder)):
            return True
        turned = tuple((theirs, own) for own, theirs in relation.pairs)
        return any(
            way and way[0].target == (holder.made_of or holder.name) and way[0].pairs == turned
            for way in self._ways.get(relation.target, ())
        )


def _lengths_to(catalogue: Catalogue, records: str) -> dict[str, int]:
    """
    The length of the shortest way from each record type to `records` (Dijkstra), by the name of the type.
    """
    arriving: dict[str, list[tuple[str, Relation]]] = {}
    for record_type in catalogue.record_types.values():
        for relation in record_type.relations:
            if relation.target in catalogue.record_types:
                arriving.setdefault(relation.target, []).append((record_type.name, relation))
    found: dict[str, int] = {}
    waiting = [(0, records)]
    while waiting:
        length, name = heapq.heappop(waiting)
        if name in found:
            continue
        found[name] = length
        for before, relation in arriving.get(name, ()):
            if before not in found:
                heapq.heappush(waiting, (length + (MANY if relation.many else 1), before))
    return found


#: How much of personal data is seen, the most first.
_MOST = ("seen", "masked", "hidden")


class RightsDiffer(BouquetError):
    """
    Rights that cannot be joined: one tells by another field than the other what somebody may see.
    """

    code = "rights_differ"


def joined_rights(rights: Sequence[Mapping[str, Any] | None]) -> dict[str, Any] | None:
    """
    What somebody sees who has several rights, each as the store keeps it (None for everything): whatever one of them
    leaves. Nothing where there is no right at all.

    Rights are joined where they differ in one respect only: in which record types are open, in which values are theirs,
    or in how personal data is seen. What differs in two would leave more when joined than either leaves.

    Raises RightsDiffer.
    """
    if any(right is None for right in rights):
        return None
    known = [dict(right) for right in rights if right is not None]
    if not known:
        return {"types": [], "personal": {"*": "hidden"}}
    respects = [_records_of(known), _types_of(known), _personal_of(known)]
    if sum(several for several, _ in respects) > 1:
        raise RightsDiffer(
            "These groups differ in more than one respect of what is seen; who is in all of them would see more than "
            "each of them gives."
        )
    found: dict[str, Any] = {}
    for _, part in respects:
        found |= part
    return found or None


def _records_of(known: Sequence[Mapping[str, Any]]) -> tuple[bool, dict[str, Any]]:
    """
    (whether rights differ in it, what they come to) of the records that are theirs.
    """
    told = {(right.get("source", ""), right.get("records"), right.get("field")) for right in known}
    if len(told) > 1:
        raise RightsDiffer("These groups tell in different ways which records are seen; they cannot be joined.")
    source, records, field = next(iter(told))
    found: dict[str, Any] = {"source": source} if source else {}
    if records is None:
        return False, found
    values = {tuple(sorted(right["values"])) for right in known}
    joined = sorted({value for group in values for value in group})
    return len(values) > 1, {**found, "records": records, "field": field, "values": joined}


def _types_of(known: Sequence[Mapping[str, Any]]) -> tuple[bool, dict[str, Any]]:
    told = [frozenset(right["types"]) if "types" in right else None for right in known]
    if None in told:
        return len(set(told)) > 1, {}
    return len(set(told)) > 1, {"types": sorted({name for types in told if types is not None for name in types})}


def _personal_of(known: Sequence[Mapping[str, Any]]) -> tuple[bool, dict[str, Any]]:
    told = [dict(right.get("personal") or {"*": "seen"}) for right in known]
    names = {name for personal in told for name in personal} | {"*"}
    most = {name: min((p.get(name, p.get("*", "seen")) for p in told), key=_MOST.index) for name in names}
    kept = {name: said for name, said in sorted(most.items()) if name == "*" or said != most["*"]}
    several = any(personal != told[0] for personal in told)
    return several, {} if kept == {"*": "seen"} else {"personal": kept}
