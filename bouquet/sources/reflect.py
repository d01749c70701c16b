"""
The catalogue of a source: reflected from the database, with the curated document laid over it.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace

import sqlalchemy as sa
from sqlalchemy.engine.interfaces import ReflectedColumn

from bouquet.core.catalogue import Catalogue, Choice, Field, Kind, RecordType, Relation, Retired
from bouquet.sources.codes import varying_codes
from bouquet.sources.custom import STORED, CustomFields, ranked
from bouquet.sources.errors import renamed_errors
from bouquet.sources.guesses import SAMPLING_TIME, TableGuesses, guess_tables, guessed_relations
from bouquet.sources.making import with_made
from bouquet.sources.mysql import dialect_of
from bouquet.sources.names import free_name, path_name
from bouquet.sources.overlay import (
    FieldOverlay,
    Overlay,
    OverlayError,
    RecordTypeOverlay,
    kinds_of,
)
from bouquet.sources.shape import LARGE
from bouquet.sources.tables import Foreign, Table, read_tables

__all__ = ["Memory", "reflect_catalogue"]


_NOTHING = FieldOverlay()

#: Choices of one field; a longer list is no list of choices.
MOST_CHOICES = 2_000


#: Seconds that each way of looking into a large source may take, where nobody waits for it.
LONG_LOOK = 15.0


@dataclass
class Memory:
    """
    What was guessed when a source was read before, and of which tables: guesses are made anew when these change.
    `hurried` tells that they were made by names alone, so that a large source could be shown at once.
    """

    of: str = ""
    hurried: bool = False
    guesses: dict[str, TableGuesses] = field(default_factory=dict)
    relations: dict[str, list[tuple[Foreign, str]]] = field(default_factory=dict)


def reflect_catalogue(
    engine: sa.Engine,
    name: str,
    overlay: Overlay | None = None,
    *,
    strict: bool = True,
    memory: Memory | None = None,
    hurry: bool = False,
) -> Catalogue:
    """
    Read tables, columns, keys, comments and row estimates from the database, and lay `overlay` over them.

    Raises OverlayError where the overlay names a table or column that is not there; unless it is `strict`, what went
    since is passed over. Guesses are taken from `memory` while tables stay as they were; in a `hurry`, those about a
    large source are made by names alone, and without one there is time for them.
    """
    title = overlay.title if overlay else name
    with renamed_errors(title), engine.connect() as connection:
        read = _Reflection(
            connection, name, overlay or Overlay(title=title), memory or Memory(), strict=strict, hurry=hurry
        )
        return read.catalogue()


class _Reflection:
    def __init__(
        self,
        connection: sa.Connection,
        name: str,
        overlay: Overlay,
        memory: Memory,
        *,
        strict: bool,
        hurry: bool,
    ) -> None:
        self.strict, self.memory = strict, memory
        self.connection, self.name, self.overlay = connection, name, overlay
        self.tables = read_tables(connection)
        large = sum(len(t.columns) for t in self.tables.values()) >= LARGE
        self.hurried = hurry and large
        self.seconds = 0.0 if self.hurried else LONG_LOOK if large else SAMPLING_TIME
        self._default = sa.inspect(connection).default_schema_name
        self.varying = varying_codes(connection, self.tables, list(self._codes()))
        self._custom = CustomFields(connection, self.tables, self._choices, strict)

    def catalogue(self) -> Catalogue:
        missing = [t for t in (*self.overlay.tables, *self.overlay.hidden) if t not in self.tables]
        if missing and self.strict:
            raise OverlayError(f"The curated catalogue names tables that are not there: {', '.join(missing)}.")
        shown = [t for t, table in self.tables.items() if self._is_shown(t, table)]
        self.names = self._names(shown)
        self._guess({t for t in shown if self._is_guessed(t)})
        types = [self._record_type(t) for t in shown]
        types = list(self._with_reverse(types))
        found = Catalogue(
            source=self.name,
            title=self.overlay.title,
            environment=self.overlay.environment,
            dialect=dialect_of(self.connection),
            record_types={t.name: t for t in types},
            schemas=tuple(sorted(Counter(self._schema(t) for t in self.tables.values()).items())),
        )
        return with_made(found, self.overlay, strict=self.strict)

    def _schema(self, table: Table) -> str:
        return table.schema or self._default or ""

    def _is_shown(self, name: str, table: Table) -> bool:
        chosen = not self.overlay.schemas or self._schema(table) in self.overlay.schemas
        return chosen and name not in self.overlay.hidden and bool(table.columns)

    def _guess(self, wanted: set[str]) -> None:
        """
        Guess about the tables that nobody curated.
        """
        known = hashlib.sha256()
        for name, table in sorted(self.tables.items()):
            known.update(repr((name, name in wanted, table.stored, table.key, table.unique, table.foreign)).encode())
        if known.hexdigest() != self.memory.of or (self.memory.hurried and not self.hurried):
            found = guessed_relations(self.connection, self.tables, wanted, self.seconds) if wanted else {}
            self.memory.relations = found
            self._add_relations()
            self.memory.guesses = guess_tables(self.connection, self.tables, wanted, self.seconds)
            self.memory.of, self.memory.hurried = known.hexdigest(), self.hurried
        else:
            self._add_relations()
        self.guesses, self.relations = self.memory.guesses, self.memory.relations

    def _add_relations(self) -> None:
        for name, found in self.memory.relations.items():
            self.tables[name].foreign += [foreign for foreign, _ in found]

    def _names(self, shown: list[str]) -> dict[str, str]:
        """
        Names that stand in paths and addresses: the table's own, without its schema where no other has it.
        """
        names: dict[str, str] = {}
        plain = Counter(path_name(self.tables[t].name) for t in shown)
        for t in shown:
            table = self.tables[t]
            short = path_name(table.name)
            own = short if table.schema is None or plain[short] == 1 else path_name(f"{table.schema}_{table.name}")
            names[t] = free_name(self._curated(t).name or own, names.values())
        return names

    def _curated(self, table: str) -> RecordTypeOverlay:
        return self.overlay.tables.get(table) or RecordTypeOverlay()

    def _is_guessed(self, table: str) -> bool:
        """
        Whether what nobody said about a table is guessed.
        """
        curated = self.overlay.tables.get(table)
        return curated is None or curated.guessed

    def _key(self, table: str) -> list[str]:
        return self.tables[table].identity()

    def _codes(self) -> Iterator[tuple[str, str]]:
        """
        Text columns that hold codes, with their tables.
        """
        for name, table in self.tables.items():
            fields = self._curated(name).fields
            for column in table.columns:
                if not isinstance(column["type"], sa.String):
                    continue
                curated = fields.get(column["name"])
                if self._is_guessed(name) or (curated is not None and curated.kind is Kind.IDENTIFIER):
                    yield name, column["name"]

    def _record_type(self, table: str) -> RecordType:
        curated, found, guess = self._curated(table), self.tables[table], self.guesses.get(table)
        absent = [c for c in curated.fields if c not in found.column_names]
        if absent and self.strict:
            raise OverlayError(
                f"The curated catalogue names columns of {table} that are not there: {', '.join(absent)}."
            )
        taken: set[str] = set()
        fields = tuple(self._field(table, c, curated.fields.get(c["name"]), taken) for c in found.columns)
        fields += tuple(self._custom.of(table, curated, taken))
        by_column = {f.column: f.name for f in fields if not f.is_custom}
        identity = self._key(table)
        key = tuple(by_column[c] for c in identity) or tuple(
            f.name for f in fields if not f.is_custom and f.kind is not Kind.FILE
        )
        label = curated.label or (guess.label if guess else table.replace("_", " "))
        plural = curated.plural or (guess.plural if guess else f"{label}s")
        title = curated.title or (by_column.get(guess.title.value) if guess and guess.title else None)
        proposed = curated.proposed
        guesses = []
        if guess:
            guesses.append(("label", f"from the name “{found.name}”"))
            if guess.title:
                guesses.append(("title", guess.title.reason))
            if guess.deleted_at and not proposed:
                proposed = ({"path": by_column[guess.deleted_at], "is": "blank"},)
                guesses.append(("proposed", f"“{guess.deleted_at}” seems to be filled when somebody deletes a record"))
            guesses += [(f"relation {f.pairs[0][0]}", why) for f, why in self.relations.get(table, ())]
        if not found.key:
            guesses.append(("key", "unique and never empty" if identity else "all fields together: nothing is unique"))
        return RecordType(
            name=self.names[table],
            table=found.name,
            schema=found.schema,
            label=label,
            plural=plural,
            fields=fields,
            relations=tuple(self._relations(table, {f.name for f in fields})),
            key=key,
            title=title,
            meaning=curated.meaning or found.comment,
            link=curated.link,
            touched_by=curated.touched_by or (by_column.get(guess.touched_by or "") if guess else None),
            belongs_to=curated.belongs_to,
            unit_by=curated.unit_by,
            rows_estimate=found.rows,
            proposed=proposed,
            by_row=not identity,
            paged=found.paged,
            guesses=tuple(guesses),
        )

    def _field(self, table: str, column: ReflectedColumn, curated: FieldOverlay | None, taken: set[str]) -> Field:
        guess = self.guesses.get(table)
        told = curated is not None
        curated = curated or _NOTHING
        name = column["name"]
        known = self.tables[table].stored[name]
        stored, kind = known.stored, known.kind
        choices = self._choices(curated) or tuple(Choice(c, c) for c in known.choices)
        ordered = ranked(curated, choices) if not known.choices else True
        guesses: list[tuple[str, str]] = []
        if guess and not told:
            guesses = _reasons(guess, name, bool(choices))
            if name in guess.choices and not choices:
                choices = guess.choices[name][0]
                ordered = all(c.code.lstrip("-").isdecimal() for c in choices)
        if choices:
            kind = Kind.CHOICE
        elif self._key(table) == [name] and kind is Kind.INTEGER:
            kind = Kind.IDENTIFIER
        elif name in self._key(table) and kind is Kind.TEXT:
            # A number that is a part of a key (a year, a line of an order) stays a number.
            kind = Kind.IDENTIFIER
        elif guess and name in guess.kinds:
            kind = guess.kinds[name].value
            guesses.append(("kind", guess.kinds[name].reason))
        typed = False
        if curated.kind is not None and curated.kind is not kind:
            kind, stored, typed = self._said_kind(table, name, curated.kind, stored, kind)
        final = free_name(curated.name or path_name(name), taken)
        taken.add(final)
        return Field(
            name=final,
            column=name,
            kind=kind,
            stored=stored,
            label=curated.label or (guess.labels[name] if guess else name.replace("_", " ").capitalize()),
            meaning=curated.meaning or (column.get("comment") or ""),
            unit=curated.unit or (guess.units.get(name, "") if guess and not told else ""),
            everyday=curated.everyday or bool(guess and not told and name in guess.everyday),
            personal=curated.personal or bool(guess and not told and name in guess.personal),
            personal_class=curated.personal_class or "",
            part_of=curated.part_of or (guess.parts[name].value if guess and not told and name in guess.parts else ""),
            retired=Retired(curated.retired, curated.substitute) if curated.retired else None,
            synonyms=curated.synonyms,
            choices=choices,
            choices_ordered=ordered and bool(choices),
            nullable=bool(column["nullable"]),
            digits_vary=kind is Kind.IDENTIFIER and stored == "text" and (table, name) in self.varying,
            scale=known.scale if stored == "numeric" and not typed else None,
            typed_text=typed,
            read_as=known.read_as,
            guesses=tuple(guesses),
            indexed=name in self.tables[table].indexed,
        )

    def _said_kind(self, table: str, column: str, said: Kind, stored: str, own: Kind) -> tuple[Kind, str, bool]:
        """
        (kind, stored, whether it is read from text) of a column that people say is of another kind than it seems.
        """
        if said not in kinds_of(stored, own) and own is not Kind.CHOICE:
            if self.strict:
                raise OverlayError(f"{table}.{column} is kept as {stored}, and cannot be of the kind {said}.")
            return own, stored, False
        typed = stored == "text" and said in STORED
        return said, STORED[said] if typed else stored, typed

    def _choices(self, curated: FieldOverlay) -> tuple[Choice, ...]:
        lookup = curated.lookup
        if lookup is not None:
            held = self.tables.get(lookup.table)
            name, schema = (held.name, held.schema) if held else (lookup.table, None)
            table = sa.table(name, sa.column(lookup.code), sa.column(lookup.label), schema=schema)
            code, label = table.c[lookup.code], table.c[lookup.label]
            order = sa.column(lookup.order) if lookup.order else code
            found = self.connection.execute(sa.select(code, label).order_by(order, code).limit(MOST_CHOICES))
            return tuple(Choice(str(c), str(t)) for c, t in found)
        return tuple(Choice(c, t) for c, t in curated.choices.items())

    def _relations(self, table: str, fields: set[str]) -> Iterable[Relation]:
        led, taken = set(), set()
        for curated in self._curated(table).relations:
            if curated.to not in self.names:
                if not self.strict:
                    continue
                raise OverlayError(f"The curated catalogue leads from {table} to “{curated.to}”, which is not there.")
            pairs = tuple(curated.columns.items())
            if not self.strict and not self._has(table, [own for own, _ in pairs], curated.to, [o for _, o in pairs]):
                continue
            if not curated.many and not self.tables[curated.to].is_unique({o for _, o in pairs}):
                raise OverlayError(
                    f"The relation {table}.{curated.name} may find more than one record of {curated.to}: "
                    f"{', '.join(o for _, o in pairs)} is not unique there. Mark it as many."
                )
            led.add((pairs, curated.to))
            taken.add(curated.name)
            yield Relation(
                name=curated.name,
                label=curated.label,
                target=self.names[curated.to],
                many=curated.many,
                pairs=pairs,
                declared=any(f.sure and (f.pairs, f.target) == (pairs, curated.to) for f in self.tables[table].foreign),
            )
        for foreign in self.tables[table].foreign:
            pairs, target = foreign.pairs, foreign.target
            if target not in self.names or (pairs, target) in led:
                continue
            led.add((pairs, target))
            name, label = self._called(table, foreign)
            if name in taken or (name in fields and table in self.guesses):
                others = (self.names[target], f"{name}_{self.names[target]}")
                name = next((n for n in others if n not in taken | fields), free_name(f"{name}_record", taken | fields))
            taken.add(name)
            yield Relation(
                name=name,
                label=label,
                target=self.names[target],
                many=False,
                pairs=pairs,
                declared=foreign.sure,
            )

    def _called(self, table: str, foreign: Foreign) -> tuple[str, str]:
        """
        Name and label of a relation that nobody named: after its column, or after where it leads.
        """
        target = self._curated(foreign.target).label
        guessed = self.guesses.get(foreign.target)
        there = target or (guessed.label if guessed else self.names[foreign.target].replace("_", " "))
        there = there[:1].upper() + there[1:]
        if len(foreign.pairs) > 1:
            return self.names[foreign.target], there
        column = foreign.pairs[0][0]
        name = path_name(column).removesuffix("_id")
        if name == path_name(column):
            name = self.names[foreign.target]
        if target is not None or table not in self.guesses:
            return name, (target or name.replace("_", " ")).capitalize()
        # Where a record is told by the other's key, that column is called its own number.
        return name, there if self.tables[table].key == [column] else self.guesses[table].labels[column]

    def _has(self, table: str, columns: list[str], other: str, others: list[str]) -> bool:
        """
        Whether two tables still have these columns.
        """
        known = [self.tables[t].column_names if t in self.tables else set() for t in (table, other)]
        return known[0].issuperset(columns) and known[1].issuperset(others)

    def _with_reverse(self, types: list[RecordType]) -> Iterator[RecordType]:
        """
        Add to each type the way back of every to-one relation that leads to it, as a to-many relation.
        """
        leading: dict[str, list[tuple[RecordType, Relation]]] = {}
        for other in types:
            for relation in other.relations:
                if not relation.many:
                    leading.setdefault(relation.target, []).append((other, relation))
        curated = {self.names[t] for t in self.overlay.tables if t in self.names and not self._is_guessed(t)}
        # A path stays what it is when people change a plural.
        plurals = {self.names[t]: guess.plural for t, guess in self.guesses.items() if t in self.names}
        for record_type in types:
            taken = {r.name for r in record_type.relations} | {f.name for f in record_type.fields}
            known = {(r.target, frozenset(r.pairs)) for r in record_type.relations}
            back: list[Relation] = []
            for other, relation in leading.get(record_type.name, ()):
                pairs = tuple((b, a) for a, b in relation.pairs)
                if (other.name, frozenset(pairs)) in known:
                    continue
                plural = plurals.get(other.name, other.plural)
                name, label = plural.replace(" ", "_").lower(), other.plural.capitalize()
                if other.name not in curated:
                    name = path_name(name)
                    if any(b.label == label for b in back):
                        label = f"{label} by {relation.label.lower()}"
                name = free_name(name if name not in taken else f"{name}_by_{relation.name}", taken)
                taken.add(name)
                back.append(Relation(name=name, label=label, target=other.name, many=True, pairs=pairs))
            yield replace(record_type, relations=(*record_type.relations, *back))


def _reasons(guess: TableGuesses, name: str, has_choices: bool) -> list[tuple[str, str]]:
    """
    What is guessed of a column, and why; `has_choices` says that its choices are known.
    """
    guesses = [("label", f"from the name “{name}”")]
    if name in guess.choices and not has_choices:
        guesses.append(("choices", guess.choices[name][1]))
    guesses += [
        (what, found[name])
        for what, found in (("everyday", guess.everyday), ("personal", guess.personal))
        if name in found
    ]
    if name in guess.hidden and name not in guess.choices and not has_choices:
        offered = guess.hidden[name]
        guesses.append((f"could be {offered.value}", offered.reason))
    if name in guess.parts:
        guesses.append(("part of", guess.parts[name].reason))
    if name in guess.units:
        guesses.append(("unit", "from its name or comment"))
    return guesses
