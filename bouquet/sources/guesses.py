"""
Guesses about the tables of one database: `core.guessing` with what the database counted, or with a few rows of each.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from typing import Any

import sqlalchemy as sa

from bouquet.core.catalogue import Choice, Kind
from bouquet.core.guessing import (
    ColumnFacts,
    Guess,
    TableFacts,
    common_prefix,
    guess_everyday,
    guess_hidden_kind,
    guess_kind,
    guess_parts,
    guess_personal,
    guess_title,
    initials_of_tables,
    label_of_column,
    label_of_table,
    plural_of,
    relation_candidates,
    speaks_german,
)
from bouquet.core.guessing.words import plain_words_of, unit_of, words_of
from bouquet.sources.brief import briefly
from bouquet.sources.tables import Foreign, Table

__all__ = ["SAMPLING_TIME", "TableGuesses", "guess_tables", "guessed_relations"]

#: Seconds that looking into tables may take in all, where the database has no statistics of them.
SAMPLING_TIME = 2.0

#: Rows looked at of a table without statistics; for one relation, rows, and different values of them.
SAMPLED, ROWS_COMPARED, COMPARED = 200, 20_000, 1_000

#: The share of a column's values that must be keys of the other table.
SHARE = 0.98

TOUCHED_BY = (
    "modified by", "updated by", "changed by", "last modified by", "geaendert von", "bearbeitet von", "modifie par",
)  # fmt: skip
DELETED = ("deleted", "removed", "geloescht", "supprime")

#: Rows of a table that may be a list of codes with their labels.
LOOKUP_ROWS = 200


@dataclass
class TableGuesses:
    """
    What is guessed of one table, by the names of its columns.
    """

    label: str
    plural: str
    title: Guess[str] | None = None
    everyday: dict[str, str] = field(default_factory=dict)
    personal: dict[str, str] = field(default_factory=dict)
    labels: dict[str, str] = field(default_factory=dict)
    units: dict[str, str] = field(default_factory=dict)
    kinds: dict[str, Guess[Kind]] = field(default_factory=dict)
    #: Kinds that texts could be read as; only offered.
    hidden: dict[str, Guess[Kind]] = field(default_factory=dict)
    choices: dict[str, tuple[tuple[Choice, ...], str]] = field(default_factory=dict)
    parts: dict[str, Guess[str]] = field(default_factory=dict)
    deleted_at: str | None = None
    touched_by: str | None = None


class _Time:
    """
    Seconds for looking into tables. Only looking counts: the words' library alone takes seconds to load on a slow
    machine, and would leave none.
    """

    def __init__(self, seconds: float) -> None:
        self.left = seconds

    @contextmanager
    def looking(self) -> Iterator[None]:
        began = time.monotonic()
        try:
            yield
        finally:
            self.left -= time.monotonic() - began


@dataclass(frozen=True)
class _Seen:
    """
    What is known of a column's values.
    """

    blank: float | None = None
    distinct: float | None = None
    samples: tuple[str, ...] = ()


def guess_tables(
    connection: sa.Connection, tables: Mapping[str, Table], wanted: set[str], seconds: float = SAMPLING_TIME
) -> dict[str, TableGuesses]:
    """
    Guesses about the `wanted` tables. Looking into those that the database knows nothing of takes `seconds` at most;
    0 for guesses by names alone.
    """
    seen = _Values(connection, tables, wanted, seconds)
    facts = {name: _facts(name, tables[name], seen) for name in wanted}
    initials = initials_of_tables(table.name for table in tables.values())
    called = {}
    german = speaks_german(word for t in tables.values() for word in (t.name, *t.stored))
    for name, table in tables.items():
        called[name] = label_of_table(table.name, common_prefix(list(table.stored)), initials, german=german)
    lookups = {name: found for name, table in tables.items() if (found := _codes(table)) is not None}
    guesser = _Guesser(connection, tables, called, lookups, seconds, german)
    return {name: guesser.guess(name, facts[name]) for name in wanted}


def guessed_relations(
    connection: sa.Connection, tables: Mapping[str, Table], wanted: set[str], seconds: float = SAMPLING_TIME
) -> dict[str, list[tuple[Foreign, str]]]:
    """
    Relations of the `wanted` tables that the database does not declare, by table, each with its reason. Their values
    were compared.
    """
    if seconds <= 0:
        return {}
    facts = {name: _facts(name, table, None) for name, table in tables.items()}
    allowed = _Time(seconds)
    found: dict[str, list[tuple[Foreign, str]]] = {}
    settled: set[tuple[str, str]] = set()
    for candidate in relation_candidates(facts):
        at = (candidate.table, candidate.column)
        if candidate.table not in wanted or at in settled or allowed.left <= 0:
            continue
        table, target = tables[candidate.table], tables[candidate.target]
        with allowed.looking():
            agree, looked = _compare(connection, table, candidate.column, target, candidate.key)
        if looked and agree >= SHARE * looked:
            settled.add(at)
            reason = f"{candidate.reason}; {agree} of {looked} values looked at are keys there"
            found.setdefault(candidate.table, []).append(
                (Foreign(((candidate.column, candidate.key),), candidate.target), reason)
            )
    return found


def _compare(connection: sa.Connection, table: Table, column: str, target: Table, key: str) -> tuple[int, int]:
    """
    How many of a column's different values are keys of another table, and how many were looked at.
    """
    own: Any = sa.column(column)
    filled = sa.select(own.label("v")).select_from(_from(table, column)).where(own.is_not(None)).limit(ROWS_COMPARED)
    rows = filled.subquery("filled")
    looked = sa.select(rows.c.v).distinct().limit(COMPARED).subquery("looked")
    other = _from(target, key).alias("other")
    counts = sa.select(sa.func.count(), sa.func.count(other.c[key]))
    statement = counts.select_from(looked.outerjoin(other, looked.c.v == other.c[key]))
    try:
        with briefly(connection):
            row = connection.execute(statement).one()
    except sa.exc.DBAPIError:
        return 0, 0
    return int(row[1]), int(row[0])


def _from(table: Table, *columns: str) -> sa.TableClause:
    return sa.table(table.name, *(sa.column(c) for c in columns), schema=table.schema)


def _facts(name: str, table: Table, seen: _Values | None) -> TableFacts:
    identity = table.identity()
    leading = {own: f.target for f in table.foreign for own, _ in f.pairs}
    columns = []
    for column in table.columns:
        stored = table.stored[column["name"]]
        values = seen.of(name, column["name"]) if seen else _Seen()
        columns.append(
            ColumnFacts(
                name=column["name"],
                kind=stored.kind,
                stored=stored.stored,
                comment=column.get("comment") or "",
                unique=table.is_unique({column["name"]}),
                in_key=column["name"] in identity,
                leads_to=leading.get(column["name"], ""),
                length=stored.length,
                blank=values.blank,
                distinct=values.distinct,
                samples=values.samples,
            )
        )
    return TableFacts(
        name=table.name, columns=tuple(columns), key=tuple(identity), comment=table.comment, rows=table.rows
    )


class _Guesser:
    """
    Guesses about one table after the other. `called` is what the records of each are called, `lookups` are the lists of
    codes: their code and label columns.
    """

    def __init__(
        self,
        connection: sa.Connection,
        tables: Mapping[str, Table],
        called: Mapping[str, str],
        lookups: Mapping[str, tuple[str, str]],
        seconds: float,
        german: bool,
    ) -> None:
        self.connection, self.tables, self.called, self.lookups = connection, tables, called, lookups
        self.german = german
        self.allowed = _Time(seconds)

    def guess(self, name: str, facts: TableFacts) -> TableGuesses:
        prefix = common_prefix([c.name for c in facts.columns])
        label = self.called[name]
        made = TableGuesses(label=label, plural=label if self.german else plural_of(label))
        for column in facts.columns:
            self._guess_column(made, facts, column, prefix, label)
            choices = self._choices(name, column, prefix)
            if choices:
                made.choices[column.name] = choices
        _tell_apart(made.labels)
        made.parts = guess_parts(facts)
        made.title = guess_title(facts, made.personal)
        title = made.title.value if made.title else None
        coded = tuple(replace(c, kind=Kind.CHOICE) if c.name in made.choices else c for c in facts.columns)
        everyday = guess_everyday(replace(facts, columns=coded), title, made.personal)
        made.everyday = {g.value: g.reason for g in everyday}
        return made

    def _guess_column(
        self, made: TableGuesses, facts: TableFacts, column: ColumnFacts, prefix: str, label: str
    ) -> None:
        personal = guess_personal(facts, column, prefix)
        if personal:
            made.personal[column.name] = personal.reason
        unit, said = unit_of(column.name, column.comment, is_number=column.kind.is_number)
        if unit:
            made.units[column.name] = unit
        made.labels[column.name] = label_of_column(
            column.name,
            prefix,
            table=label,
            leads_to=self.called.get(column.leads_to, column.leads_to),
            unit_said=said,
            is_key=facts.key == (column.name,),
            german=self.german,
        )
        kind = guess_kind(column, prefix)
        if kind:
            made.kinds[column.name] = kind
        hidden = guess_hidden_kind(column, prefix)
        if hidden:
            made.hidden[column.name] = hidden
        words = plain_words_of(column.name, prefix)
        if column.kind.is_dated and words[0] in DELETED and made.deleted_at is None:
            made.deleted_at = column.name
        if column.kind.is_text and " ".join(words) in TOUCHED_BY:
            made.touched_by = column.name

    def _choices(self, name: str, column: ColumnFacts, prefix: str) -> tuple[tuple[Choice, ...], str] | None:
        """
        The choices of a column whose codes are listed, with labels, in a table of the source: one that it leads to, or
        one that is called like it and has all its values.
        """
        if column.leads_to in self.lookups:
            return self._listed(column.leads_to)
        own = {*self.called[name].split(), *words_of(column.name, prefix)}
        for target, (code, _) in self.lookups.items():
            words = set(self.called[target].split())
            fits = words and words <= own and words & set(words_of(column.name, prefix))
            if not fits or target == name or self.tables[target].stored[code].stored != column.stored:
                continue
            if self.allowed.left <= 0:
                return None
            with self.allowed.looking():
                agree, looked = _compare(self.connection, self.tables[name], column.name, self.tables[target], code)
            if looked and agree == looked:
                return self._listed(target)
        return None

    def _listed(self, target: str) -> tuple[tuple[Choice, ...], str] | None:
        code, label = self.lookups[target]
        table = _from(self.tables[target], code, label)
        statement = sa.select(table.c[code], table.c[label]).order_by(table.c[code]).limit(LOOKUP_ROWS)
        try:
            with briefly(self.connection):
                found = self.connection.execute(statement).all()
        except sa.exc.DBAPIError:
            return None
        if not found or any(text is None for _, text in found):
            return None
        return tuple(Choice(str(c).strip(), str(t)) for c, t in found), f"its codes are listed in {target}"


def _codes(table: Table) -> tuple[str, str] | None:
    """
    The code and the label column of a table that is a short list of codes.
    """
    if len(table.key) != 1 or table.rows is None or not 0 < table.rows <= LOOKUP_ROWS or table.foreign:
        return None
    code = table.key[0]
    others = [name for name in table.stored if name != code]
    texts = [name for name in others if table.stored[name].kind is Kind.TEXT]
    return (code, texts[0]) if len(texts) == 1 and len(others) <= 3 else None


def _tell_apart(labels: dict[str, str]) -> None:
    """
    Labels of one record type differ: where two columns would be called the same, both go by their whole names.
    """
    times = Counter(labels.values())
    for name, label in list(labels.items()):
        if times[label] > 1:
            labels[name] = name.replace("_", " ").strip().capitalize() or name
    taken: set[str] = set()
    for name, label in labels.items():
        labels[name] = label if label not in taken else f"{label} ({name})"
        taken.add(labels[name])


class _Values:
    """
    What is known of columns' values: the database's statistics, or a few rows.
    """

    def __init__(
        self, connection: sa.Connection, tables: Mapping[str, Table], wanted: set[str], seconds: float
    ) -> None:
        self._known: dict[tuple[str, str], _Seen] = {}
        if connection.dialect.name == "postgresql":
            self._known.update(_statistics(connection, tables))
        counted = {name for name, _ in self._known}
        allowed = _Time(seconds)
        for name in sorted(wanted - counted):
            if allowed.left <= 0:
                break
            with allowed.looking():
                for column, seen in _sampled(connection, tables[name]):
                    self._known[name, column] = seen

    def of(self, table: str, column: str) -> _Seen:
        return self._known.get((table, column)) or _Seen()


def _statistics(connection: sa.Connection, tables: Mapping[str, Table]) -> Iterator[tuple[tuple[str, str], _Seen]]:
    names = {(t.schema or connection.dialect.default_schema_name, t.name): name for name, t in tables.items()}
    found = connection.execute(
        sa.text(
            "SELECT DISTINCT ON (schemaname, tablename, attname) schemaname, tablename, attname, null_frac, n_distinct,"
            " (most_common_vals::text::text[])[1:8] AS common,"
            " CASE WHEN array_ndims(histogram_bounds::text::text[]) = 1"
            " THEN (histogram_bounds::text::text[])[1:24] END AS bounds"
            " FROM pg_stats WHERE schemaname NOT LIKE 'pg\\_%' AND schemaname <> 'information_schema'"
            " ORDER BY schemaname, tablename, attname, inherited DESC"
        )
    )
    for row in found:
        name = names.get((row.schemaname, row.tablename))
        if name is None:
            continue
        rows = tables[name].rows or 0
        distinct = float(row.n_distinct)
        samples = [v for v in (*(row.common or ()), *(row.bounds or ())) if isinstance(v, str)]
        yield (
            (name, row.attname),
            _Seen(float(row.null_frac), -distinct * rows if distinct < 0 else distinct, tuple(samples)),
        )


def _sampled(connection: sa.Connection, table: Table) -> Iterator[tuple[str, _Seen]]:
    readable = [name for name, stored in table.stored.items() if stored.kind is not Kind.FILE]
    if not readable:
        return
    source = _from(table, *readable)
    statement = sa.select(*(sa.cast(source.c[n], sa.Text) for n in readable)).limit(SAMPLED)
    try:
        with briefly(connection):
            rows = connection.execute(statement).all()
    except sa.exc.DBAPIError:
        # A view may be broken, or a table of another server away.
        return
    for n, name in enumerate(readable):
        values = [row[n] for row in rows]
        filled = [str(v) for v in values if v is not None and str(v).strip()]
        blank = 1 - len(filled) / len(values) if values else None
        distinct = float(len(set(filled))) if len(rows) < SAMPLED else None
        yield name, _Seen(blank, distinct, tuple(dict.fromkeys(filled))[:32])
