"""
Personal data by class: which classes there are, what somebody may see of each, and how values are masked.

A mask is a formula of the value: what a person may only see masked is computed where the value is read, so that the
value itself never leaves the database.
"""

from __future__ import annotations

import dataclasses
import hashlib
import hmac
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias, get_args

from bouquet.core.catalogue import Catalogue, Field, Kind, PersonalClass, RecordType, Walk
from bouquet.core.guessing.people import guess_class
from bouquet.core.language import spoken

__all__ = [
    "CLASSES",
    "EVERYTHING",
    "PersonalClass",
    "Sight",
    "Treatment",
    "class_of",
    "mask_of",
    "pseudonym",
    "seen_catalogue",
    "tells_unseen",
]

#: What a person sees of a class.
Treatment: TypeAlias = Literal["seen", "masked", "hidden"]

#: The value, where it is filled, as dots; blank stays blank.
_DOTS = 'IF(ISBLANK({value}); ""; "•••")'

_INITIALS = (
    'IF(ISBLANK({value}); ""; UPPER(LEFT(TRIM({value}); 1)) & "."'
    ' & IFERROR(" " & UPPER(MID(TRIM({value}); FIND(" "; TRIM({value})) + 1; 1)) & "."; ""))'
)

#: Nothing of values so short that three characters would be half of them.
_LAST_THREE = 'IF(ISBLANK({value}); ""; "•••" & IF(LEN({value}) > 6; RIGHT({value}; 3); ""))'

_YEAR = 'IF(ISBLANK({value}); ""; "" & YEAR({value}))'

#: Of “Flat 2, 12 Mill Lane, Quay” the place alone; what has no comma may be all street.
_PLACE = (
    'IF(ISBLANK({value}); ""; IF(ISERROR(FIND(","; {value})); "•••";'
    ' TRIM(RIGHT(SUBSTITUTE({value}; ","; REPT(" "; 200)); 200))))'
)


@spoken("title", "meaning", "masked")
@dataclass(frozen=True)
class _Class:
    """
    A class: what it is called, what it covers, and how its values are masked.
    """

    title: str
    meaning: str
    mask: str = _DOTS
    #: What the masked value says, for people who choose.
    masked: str = "dots"


CLASSES: dict[str, _Class] = {
    "name": _Class("Names", "what a person is called", _INITIALS, "initials"),
    "contact": _Class("Contact", "mail addresses, telephone numbers", _LAST_THREE, "the last three characters"),
    "address": _Class("Addresses", "where a person lives", _PLACE, "what stands behind the last comma"),
    "birth": _Class("Birth", "when and where a person was born", _YEAR, "the year"),
    "number": _Class("Numbers", "numbers that stand for one person", _LAST_THREE, "the last three characters"),
    "health": _Class("Health", "illness, diet, absence"),
    "money": _Class("Money", "pay, bank accounts, debts"),
    "other": _Class("Other", "whatever else tells of a person"),
}
assert tuple(CLASSES) == get_args(PersonalClass)

#: Kinds whose values a mask reads letter by letter.
_TEXTS = frozenset({Kind.TEXT, Kind.IDENTIFIER})


def class_of(field: Field) -> str:
    """
    The class of a personal field; by its names where nobody told it.
    """
    return field.personal_class or guess_class(field.name, field.column, field.label)


def mask_of(field: Field) -> str:
    """
    The formula by which values of a personal field are masked; `value` stands for the value.
    """
    mask = CLASSES[class_of(field)].mask
    fits = field.kind.is_dated if mask is _YEAR else field.kind in _TEXTS
    return mask if fits else _DOTS


def pseudonym(secret: bytes, text: str) -> str:
    """
    What stands for a value: the same for the same value and secret, and of no use to who does not have the secret
    (HMAC-SHA-256, RFC 2104; 60 bits).
    """
    return hmac.new(secret, text.encode(), hashlib.sha256).hexdigest()[:15]


@dataclass(frozen=True)
class Sight:
    """
    What somebody sees of a source besides the records that are theirs: how personal data is treated, as a rule and by
    class, and which record types are open; None for all.
    """

    usual: Treatment = "seen"
    classes: tuple[tuple[str, Treatment], ...] = ()
    types: tuple[str, ...] | None = None

    @classmethod
    def of(cls, kept: Mapping[str, Any] | None) -> Sight:
        """
        What a right says, as the store keeps it: `personal` by class, `*` for the rule, and `types`.
        """
        personal = dict((kept or {}).get("personal") or {})
        types = (kept or {}).get("types")
        usual = personal.pop("*", "seen")
        return cls(usual, tuple(sorted(personal.items())), None if types is None else tuple(sorted(types)))

    def of_field(self, field: Field) -> Treatment:
        """
        How a field is treated. A file cannot be masked, so it is hidden then.
        """
        if not field.personal:
            return "seen"
        found = dict(self.classes).get(class_of(field), self.usual)
        return "hidden" if found == "masked" and field.kind is Kind.FILE else found

    @property
    def is_whole(self) -> bool:
        return self.types is None and self.usual == "seen" and all(rule == "seen" for _, rule in self.classes)


#: All there is, as it is.
EVERYTHING = Sight()


def seen_catalogue(catalogue: Catalogue, sight: Sight) -> Catalogue:
    """
    A catalogue as somebody sees it: what is hidden from them is not there, and what they see masked says so.

    What would tell of it is not there either: fields made of it, record types made by it, and record types whose
    records are known by it.
    """
    catalogue = catalogue.whole or catalogue
    if sight.is_whole:
        return catalogue
    known = catalogue.seen_by
    found = known.get(sight)
    if found is None:
        # A right is changed now and then; what nobody asks for any more is dropped.
        if len(known) > 100:
            known.clear()
        found = known[sight] = _Seen(catalogue, sight).catalogue()
    return found


def tells_unseen(catalogue: Catalogue, start: RecordType, part: object) -> bool:
    """
    Whether a part of a template, as its document has it, names what somebody may not see of a catalogue, or sees
    masked only.
    """
    whole = catalogue.whole
    if whole is None:
        return False

    def unseen(path: str) -> bool:
        found = catalogue.walk(start, path, "")
        if isinstance(found, Walk):
            return found.field is not None and bool(found.field.mask)
        return isinstance(whole.walk(whole.record_types[start.name], path, ""), Walk)

    return any(unseen(path) for path in _paths_in(part))


class _Seen:
    def __init__(self, catalogue: Catalogue, sight: Sight) -> None:
        self.whole, self.sight = catalogue, sight
        self.open = {t.name: t for t in catalogue.record_types.values() if self._is_open(t)}

    def catalogue(self) -> Catalogue:
        types = {name: self._seen(t) for name, t in self.open.items()}
        return dataclasses.replace(self.whole, record_types=types, whole=self.whole)

    def _is_open(self, record_type: RecordType) -> bool:
        types = self.sight.types
        if types is not None and not {record_type.name, record_type.made_of} & set(types):
            return False
        made_of = self.whole.record_types.get(record_type.made_of)
        named = (record_type.field_named(n) for n in record_type.key)
        if any(self.sight.of_field(f) != "seen" for f in named if f is not None):
            return False
        return made_of is None or not self._tells_any(made_of, record_type.where)

    def _tells_any(self, holder: RecordType, part: object) -> bool:
        return any(self._tells(holder, path) for path in _paths_in(part))

    def _tells(self, holder: RecordType, path: str) -> bool:
        """
        Whether a path leads to what is hidden or masked.
        """
        walk = self.whole.walk(holder, path, "")
        if not isinstance(walk, Walk):
            return False
        types = self.sight.types
        closed = types is not None and any(r.target not in types for r in walk.relations)
        return closed or (walk.field is not None and self.sight.of_field(walk.field) != "seen")

    def _seen(self, record_type: RecordType) -> RecordType:
        fields = tuple(self._fields(record_type))
        names = {f.name for f in fields if not f.mask}

        def known(name: str | None) -> str | None:
            return name if name in names else None

        linked = _NAMED.findall(record_type.link or "")
        return dataclasses.replace(
            record_type,
            fields=fields,
            relations=tuple(r for r in record_type.relations if r.target in self.open),
            title=known(record_type.title),
            touched_by=known(record_type.touched_by),
            belongs_to=known(record_type.belongs_to),
            unit_by=known(record_type.unit_by),
            link=record_type.link if all(name in names for name in linked) else None,
            proposed=tuple(p for p in record_type.proposed if not self._tells_any(record_type, p)),
        )

    def _fields(self, record_type: RecordType) -> Iterator[Field]:
        for field in record_type.fields:
            treated = self.sight.of_field(field)
            if treated == "hidden" or any(self._tells(record_type, path) for path in _NAMED.findall(field.formula)):
                continue
            yield dataclasses.replace(field, mask=mask_of(field)) if treated == "masked" else field


#: What is named in braces: in a formula, and in the address of a record's page.
_NAMED = re.compile(r"\{([^{}]*)\}")


def _paths_in(part: object) -> Iterator[str]:
    """
    The paths that a narrowing names, wherever in it.
    """
    if isinstance(part, Mapping):
        for name, inner in part.items():
            if name in ("path", "field") and isinstance(inner, str):
                yield inner
            else:
                yield from _paths_in(inner)
    elif isinstance(part, list | tuple):
        for inner in part:
            yield from _paths_in(inner)
    elif isinstance(part, str):
        yield from _NAMED.findall(part)
