"""
What words may mean, seen from one record type: its fields and those it leads to, their choices, values that were found,
and the records that it has many of.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from functools import cached_property, lru_cache
from itertools import islice
from typing import Literal

from bouquet.core.asked.tokens import Token, cut, stem
from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, Route, walk_to_one

__all__ = ["Lexicon", "Meaning", "Values", "dated_field", "last_words", "phrase_of"]

#: Values that were found in the source, by (record type, field).
Values = Mapping[tuple[str, str], Sequence[str]]

#: Relations to many that are known one behind another: the trees of a ward's sites.
DEEPEST_MANY = 2

#: Fields that are known from one record type, the nearest first: a wide source leads to many thousands.
MOST_FIELDS = 2_000

#: How alike a word and a misspelt one are at least (0 to 1), and how long a word is at least that may be misspelt.
ALIKE, LONG_ENOUGH = 0.84, 5

#: Words at the end of a dated field's label that are not part of what happened.
_TAILS = frozenset({"on", "at", "date", "time", "moment", "day"})


@dataclass(frozen=True)
class Meaning:
    """
    What a phrase may mean.

    Args:
        what: Records of the type itself, a field, a choice or value of one, records that there are many of, or what
            happens to these (“inspected”).
        path: The path from the record type; of many records, the relations that lead to them.
        field: The field, its choice's or value's, or the dated one that tells when it happens.
        value: The code of a choice; or a value that was found.
        part: Whether the value is only a word of several values.
        far: How many relations lead there.
    """

    what: Literal["records", "field", "choice", "value", "many", "event"]
    path: str = ""
    field: Field | None = None
    value: str = ""
    part: bool = False
    far: int = 0
    target: RecordType | None = None

    @property
    def rank(self) -> tuple[int, ...]:
        """
        What is meant rather than something else: the nearer, what is no longer filled last, the everyday first.
        """
        field = self.field
        order = ("records", "choice", "field", "value", "event", "many").index(self.what)
        retired = field is not None and field.retired is not None
        return (retired, self.part, self.far, order, field is not None and not field.everyday)


Phrase = tuple[str, ...]


@lru_cache(200_000)
def phrase_of(text: str) -> Phrase:
    """
    A name as the words that it is looked up by.
    """
    return tuple(t.word for t in cut(text.replace("_", " ")) if t.says or t.text == "&")


def dated_field(record_type: RecordType) -> Field | None:
    """
    The field that tells when a record happened: the first dated one of every day, or the only dated one.
    """
    dated = [f for f in record_type.fields if f.kind.is_dated and f.retired is None]
    everyday = [f for f in dated if f.everyday]
    if everyday:
        return everyday[0]
    return dated[0] if len(dated) == 1 else None


class Lexicon:
    """
    The phrases that mean something for one record type.
    """

    def __init__(self, catalogue: Catalogue, record_type: RecordType, values: Values) -> None:
        self.catalogue, self.record_type = catalogue, record_type
        self.phrases: dict[Phrase, list[Meaning]] = {}
        self._enter(values)
        self.longest = max((len(p) for p in self.phrases), default=0)

    def at(self, tokens: Sequence[Token], n: int) -> tuple[int, list[Meaning]]:
        """
        The longest phrase from a token on, and what it may mean, the likeliest first; (0, []) where there is none.
        """
        words = tuple(t.word for t in tokens[n : n + self.longest])
        if tokens[n].quoted:
            words = phrase_of(tokens[n].text)
            return (1, self.phrases[words]) if words in self.phrases else (0, [])
        for length in range(len(words), 0, -1):
            found = self.phrases.get(words[:length])
            if found is not None:
                return length, found
        return 0, []

    def misspelt(self, token: Token) -> str:
        """
        The known word that one is spelt nearly like; empty where there is none.
        """
        if token.quoted or len(token.word) < LONG_ENOUGH or not token.word.isalpha():
            return ""
        near = next(iter(get_close_matches(token.word, self._words, 1, ALIKE)), "")
        # What is spelt the same but for its beginning may say the opposite: unclosed, inactive.
        return "" if token.word.endswith(near) else near

    @cached_property
    def _words(self) -> list[str]:
        return sorted({word for phrase in self.phrases for word in phrase if len(word) >= LONG_ENOUGH})

    def _enter(self, values: Values) -> None:
        for name in (self.record_type.label, self.record_type.plural, *last_words(self.record_type)):
            self._put(name, Meaning("records"))
        for way, end, field in islice(self._fields(), MOST_FIELDS):
            self._enter_field(way, end, field, values.get((end.name, field.name), ()))
        for many, end in self._many(self.record_type, (), DEEPEST_MANY):
            self._enter_many(many, end)
        for meanings in self.phrases.values():
            if len(meanings) > 1:
                meanings.sort(key=lambda m: m.rank)

    def _fields(self) -> Iterator[tuple[tuple[Relation, ...], RecordType, Field]]:
        for way, end in walk_to_one(self.catalogue, self.record_type):
            yield from ((way, end, field) for field in end.fields if field.kind is not Kind.FILE)

    def _put(self, name: str, meaning: Meaning) -> None:
        self._put_phrase(phrase_of(name), meaning)

    def _put_phrase(self, phrase: Phrase, meaning: Meaning) -> None:
        known = self.phrases.setdefault(phrase, [])
        if phrase and all((m.what, m.path, m.value) != (meaning.what, meaning.path, meaning.value) for m in known):
            known.append(meaning)

    def _enter_field(self, way: tuple[Relation, ...], end: RecordType, field: Field, values: Iterable[str]) -> None:
        route = Route(way, field)
        meaning = Meaning("field", route.path, field, far=len(way))
        owners = {phrase_of(label) for label in ((way[-1].label, end.label) if way else (end.label,))}
        for name in {phrase_of(n) for n in names_of(field)}:
            self._put_phrase(name, meaning)
            for owner in owners:
                for phrase in ((*owner, *name), (*name, "of", *owner), (*name, "of", "the", *owner)):
                    self._put_phrase(phrase, meaning)
        if way and field.name == end.title:
            self._put(way[-1].label, meaning)
            self._put(end.label, meaning)
        for choice in field.choices:
            self._put(choice.label, Meaning("choice", route.path, field, choice.code, far=len(way)))
        for value in values:
            self._put(value, Meaning("value", route.path, field, value, far=len(way)))
            for word in {stem(t.text) for t in cut(value) if len(t.text) > 2}:
                self._put(word, Meaning("value", route.path, field, word, part=True, far=len(way)))

    def _many(
        self, here: RecordType, way: tuple[Relation, ...], left: int
    ) -> Iterator[tuple[tuple[Relation, ...], RecordType]]:
        for relation in here.relations:
            end = self.catalogue.record_types.get(relation.target)
            if not relation.many or end is None or end is self.record_type:
                continue
            yield (*way, relation), end
            if left > 1:
                yield from self._many(end, (*way, relation), left - 1)

    def _enter_many(self, way: tuple[Relation, ...], end: RecordType) -> None:
        path = ".".join(r.name for r in way)
        dated = dated_field(end)
        meaning = Meaning("many", path, dated, target=end, far=len(way))
        for name in (way[-1].label, end.label, end.plural, *last_words(end)):
            self._put(name, meaning)
        if dated is not None and len(way) == 1:
            event = " ".join(w for w in phrase_of(dated.label) if w not in _TAILS)
            self._put(event, Meaning("event", path, dated, target=end, far=len(way)))


def last_words(record_type: RecordType) -> tuple[str, ...]:
    """
    What records are called for short: orders, of work orders.
    """
    words = phrase_of(record_type.label)
    return words[-1:] if len(words) > 1 else ()


def names_of(field: Field) -> Iterator[str]:
    """
    Everything that a field is called: its label, its name, its synonyms; of a dated one also what happened.
    """
    yield field.label
    yield field.name
    yield from field.synonyms
    if field.kind.is_dated:
        words = [w for w in phrase_of(field.label) if w not in _TAILS]
        if words:
            yield " ".join(words)
            yield " ".join([*words, "date"])
