"""
Relations that a database does not declare, by the names of columns and keys. Whether the values agree is checked by who
has the database.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from bouquet.core.guessing.facts import ColumnFacts, TableFacts
from bouquet.core.guessing.words import WORDS, common_prefix, singular_of, split_name

__all__ = ["Candidate", "relation_candidates"]

PLAIN_KEYS = frozenset(WORDS["plain_keys"])


#: Last parts of columns that name a record of the table they are called after.
ENDS = {"id", "no", "nr", "code", "key", "fk", "ref", "number"}


@dataclass(frozen=True)
class Candidate:
    """
    `table.column` may name a record of `target` by its `key` column.
    """

    table: str
    column: str
    target: str
    key: str
    reason: str


def relation_candidates(tables: Mapping[str, TableFacts]) -> Iterator[Candidate]:
    """
    Columns that by their names and kinds may lead to another table, the likelier candidate of each column first.
    """
    targets = _Targets(tables)
    for name, table in tables.items():
        prefix = common_prefix([c.name for c in table.columns])
        for column in table.columns:
            if column.leads_to or (column.in_key and len(table.key) == 1):
                continue
            for target, reason in targets.of(column, prefix):
                key = targets.keys[target]
                if target != name and key.stored == column.stored:
                    yield Candidate(name, column.name, target, key.name, reason)


class _Targets:
    """
    Tables with a key of one column, found by what columns that lead to them may be called.
    """

    def __init__(self, tables: Mapping[str, TableFacts]) -> None:
        self.keys: dict[str, ColumnFacts] = {}
        self._by_key: dict[tuple[str, ...], list[str]] = {}
        self._by_name: dict[str, list[str]] = {}
        for name, table in tables.items():
            key = next((c for c in table.columns if table.key == (c.name,)), None)
            if key is None:
                continue
            self.keys[name] = key
            parts = tuple(split_name(key.name))
            # A key that is called like a thousand others ("id", "name") says nothing of its table.
            if len(parts) > 1 or (parts and parts[0] not in PLAIN_KEYS | {"name"}):
                self._by_key.setdefault(parts, []).append(name)
            for called in _called(table):
                self._by_name.setdefault(called, []).append(name)

    def of(self, column: ColumnFacts, prefix: str) -> Iterator[tuple[str, str]]:
        parts = split_name(column.name)
        for found in self._by_key.get(tuple(parts), ()):
            yield found, "it is called like the key there"
        for start in range(1, len(parts) - 1):
            for found in self._by_key.get(tuple(parts[start:]), ()):
                yield found, "it ends like the key there"
        words = parts[1:] if prefix and len(parts) > 1 and parts[0] == prefix else parts
        if len(words) < 2:
            return
        for stem in dict.fromkeys((singular_of("".join(words[:-1])), singular_of(words[-2]))):
            for found in self._by_name.get(stem, ()):
                if words[-1] in ENDS or words[-1] in split_name(self.keys[found].name):
                    yield found, "it is called after that table"


def _called(table: TableFacts) -> Iterable[str]:
    parts = split_name(table.name.rpartition(".")[2])
    return {singular_of("".join(parts)), singular_of(parts[-1])} if parts else set()
