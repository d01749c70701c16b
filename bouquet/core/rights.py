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
from bouquet.core.language import tr

__all__ = ["NOTHING", "Limits", "Rights", "RightsDiffer", "Scope", "joined_limits", "joined_rights"]

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


@dataclass(frozen=True)
class Limits:
    """
    What bounds the acts of a person, beside what they see: whether they use only the house's standard templates and
    their own, and to which recipients files may go by their hand or their rounds, None for any way out.
    """

    house_only: bool = False
    sends_to: frozenset[int] | None = None

    @classmethod
    def read(cls, kept: Mapping[str, Any] | None) -> Limits:
        """
        Limits as the store keeps them: `{"house_only": true, "sends_to": [1, 2]}`; what is not there limits nothing.
        """
        kept = kept or {}
        sends_to = kept.get("sends_to")
        return cls(bool(kept.get("house_only")), None if sends_to is None else frozenset(sends_to))

    def as_json(self) -> dict[str, Any] | None:
        """
        As the store keeps them; None where nothing is limited.
        """
        house = {"house_only": True} if self.house_only else {}
        found = house if self.sends_to is None else {**house, "sends_to": sorted(self.sends_to)}
        return found or None

    def lets_go(self, recipient_id: int | None = None) -> bool:
        """
        Whether files may go to a recipient, or, without one, to whoever is none: a folder, a mail address.
        """
        return self.sends_to is None or recipient_id in self.sends_to


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
            tr(
                "These groups differ in more than one respect of what is seen; who is in all of them "
                "would see more than each of them gives."
            )
        )
    found: dict[str, Any] = {}
    for _, part in respects:
        found |= part
    return found or None


def joined_limits(
    rights: Sequence[tuple[Mapping[str, Any] | None, Mapping[str, Any] | None]],
) -> dict[str, Any] | None:
    """
    What limits somebody who has several rights, each as the store keeps it: (what is seen, limits). Nothing goes
    anywhere where there is no right at all.

    Raises RightsDiffer where rights differ in more than one respect: what one lets see, another would let out.
    """
    if not rights:
        return Limits(house_only=True, sends_to=frozenset()).as_json()
    limits = [Limits.read(kept) for _, kept in rights]
    seen = any(scope != rights[0][0] for scope, _ in rights)
    used = any(each.house_only != limits[0].house_only for each in limits)
    sent = any(each.sends_to != limits[0].sends_to for each in limits)
    if seen + used + sent > 1:
        raise RightsDiffer(
            tr(
                "These groups differ in more than one respect: in what is seen, in which templates are "
                "used, or in where files may go; who is in all of them could do more than each of them "
                "lets."
            )
        )
    told = [each.sends_to for each in limits]
    to = None if None in told else frozenset[int]().union(*(ids for ids in told if ids is not None))
    return Limits(all(each.house_only for each in limits), to).as_json()


def _records_of(known: Sequence[Mapping[str, Any]]) -> tuple[bool, dict[str, Any]]:
    """
    (whether rights differ in it, what they come to) of the records that are theirs.
    """
    told = {(right.get("source", ""), right.get("records"), right.get("field")) for right in known}
    if len(told) > 1:
        raise RightsDiffer(tr("These groups tell in different ways which records are seen; they cannot be joined."))
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
