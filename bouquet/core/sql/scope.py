"""
Tables joined on demand around the records that a statement reads, and what cells come to there.

All joins are to one record and left outer, so they never change the number of rows; only the relations that the row
rule opened do.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import datetime
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

import sqlalchemy as sa

from bouquet.core import formula
from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, Route
from bouquet.core.plan import (
    Cell,
    Computed,
    Fixed,
    Folded,
    PlanOrder,
    Predicate,
    Quarter,
    Read,
    Stepped,
    made_tree,
)
from bouquet.core.rights import Rights, Way
from bouquet.core.sql.apart import Apart, answering
from bouquet.core.sql.comparisons import holds
from bouquet.core.sql.dialects import Dialect
from bouquet.core.sql.folds import FoldJoin, fold
from bouquet.core.sql.joins import Join, bare, code_value, linked
from bouquet.core.sql.literals import literal
from bouquet.core.sql.ordering import ordering

if TYPE_CHECKING:
    from bouquet.core.sql.combined import Combined

__all__ = ["Scope", "StatementContext"]

Element = sa.ColumnElement[Any]


@dataclass
class StatementContext:
    """
    What all scopes of one statement share.

    `as_of` is what TODAY() is in fields that a formula makes. `many` says that most records of the type will be read;
    `exists` that a `has` stands in a WHERE, where the database turns it into a join by itself. `rights` leave of every
    table only what the person may see.
    """

    catalogue: Catalogue
    zone: ZoneInfo
    dialect: Dialect
    as_of: datetime
    many: bool = False
    exists: bool = True
    rights: Rights | None = None
    _tables: int = 0
    _folds: int = 0

    def table_name(self) -> str:
        self._tables += 1
        return f"t{self._tables - 1}"

    def fold_name(self) -> str:
        self._folds += 1
        return f"f{self._folds - 1}"


class Scope:
    """
    The records of one type, and everything that each leads to.

    `opened` are relations that the row rule opened: their records are rows of the scope, too. `grouped` says that its
    rows stand for groups: folds of its own records are aggregates. `base` stands in the place of the record type's
    table, with the same columns. `apart` are conditions that joined tables answer themselves.
    """

    def __init__(
        self,
        context: StatementContext,
        record_type: RecordType,
        opened: tuple[Relation, ...] = (),
        *,
        grouped: bool = False,
        base: sa.FromClause | None = None,
        apart: Apart | None = None,
    ) -> None:
        self.context, self.record_type, self.opened, self.grouped = context, record_type, opened, grouped
        self.apart: Apart = apart or {}
        self.dialect: Dialect = context.dialect
        self.aliases: dict[tuple[str, ...], sa.FromClause] = {} if base is None else {(): base}
        self.joins: list[Join] = []
        self.fold_joins: dict[Any, FoldJoin] = {}
        #: Where groups are made in two steps, what stands for the records.
        self.combined: Combined | None = None
        #: Cells that stand for something else just now: what groups are made by, in what is computed of a group.
        self.known: dict[Cell, Element] = {}
        self._made_fields: dict[Route, tuple[Element, Element | None]] = {}
        self._computed: dict[tuple[Computed, bool, bool], tuple[Element, Element | None]] = {}
        self.base = self._table_at((), record_type)
        self.first_many = next((n for n, r in enumerate(opened) if r.many), 0)
        self._open()

    def _table_at(self, way: tuple[str, ...], record_type: RecordType) -> sa.FromClause:
        if way not in self.aliases:
            asked = self.apart.get(way)
            made = answering(self, record_type, asked) if asked else bare(record_type, self.context.table_name())
            self.aliases[way] = made
        return self.aliases[way]

    def _open(self) -> None:
        """
        The chain of opened relations, from the first that leads to many.
        """
        self.chain: list[tuple[sa.FromClause, Element]] = []
        if not self.opened:
            return
        here = self.joined(self.opened[: self.first_many])
        for n in range(self.first_many, len(self.opened)):
            relation, way = self.opened[n], tuple(r.name for r in self.opened[: n + 1])
            target = self._table_at(way, self.context.catalogue.record_types[relation.target])
            holder = self._type_at(self.opened[:n])
            self.chain.append((target, self._led_to(here, target, holder, relation)))
            here = target

    def _is_child(self, way: tuple[str, ...]) -> bool:
        opened = tuple(r.name for r in self.opened[: self.first_many + 1])
        return bool(opened) and way[: len(opened)] == opened

    def joined(self, relations: Iterable[Relation]) -> sa.FromClause:
        """
        The table at the end of relations to one record, joined when it was not yet.
        """
        way: tuple[str, ...] = ()
        here, holder = self.base, self.record_type
        for relation in relations:
            way = (*way, relation.name)
            if way not in self.aliases:
                target = self._table_at(way, self.context.catalogue.record_types[relation.target])
                link = self._led_to(here, target, holder, relation)
                self.joins.append(Join(target, link, self._is_child(way)))
            here, holder = self.aliases[way], self.context.catalogue.record_types[relation.target]
        return here

    def _type_at(self, relations: tuple[Relation, ...]) -> RecordType:
        return self.context.catalogue.record_types[relations[-1].target] if relations else self.record_type

    def _led_to(self, here: sa.FromClause, there: sa.FromClause, holder: RecordType, relation: Relation) -> Element:
        """
        The link of a relation; what may not be seen is not there.
        """
        link, rights = linked(here, there, relation), self.context.rights
        if rights is None or rights.follows(holder, relation):
            return link
        permitted = self.permitted(there, self.context.catalogue.record_types[relation.target])
        return link if permitted is None else sa.and_(link, permitted)

    def permitted(self, table: sa.FromClause, record_type: RecordType) -> Element | None:
        """
        Whether a record in `table` is one that the person may see; None where all are.
        """
        rights = self.context.rights
        if rights is None:
            return None
        ways, field = rights.ways(record_type), rights.field
        if not ways or field is None:
            return sa.false()
        values = [self.dialect.literal(code_value(v, field), field.stored) for v in rights.scope.values]
        if not ways[0]:
            return table.c[field.column].in_(values)
        return sa.or_(*(self._reached(table, way, field, values) for way in ways))

    def _reached(self, table: sa.FromClause, way: Way, field: Field, values: list[Element]) -> Element:
        """
        Whether a way leads from a record to one of the values of a field.
        """
        types = self.context.catalogue.record_types
        tables = [bare(types[r.target], self.context.table_name()) for r in way]
        chain = tables[0]
        for before, there, relation in zip(tables, tables[1:], way[1:], strict=False):
            chain = chain.join(there, linked(before, there, relation))
        found: sa.Select[Any] = sa.select(sa.literal_column("1")).select_from(chain)
        found = found.where(linked(table, tables[0], way[0]), tables[-1].c[field.column].in_(values))
        return found.correlate(table).exists()

    def from_clause(
        self, start: sa.FromClause | None = None, *, keep: bool = False, on: list[Element] | None = None
    ) -> sa.FromClause:
        """
        Everything joined so far. Call it last.

        `keep` keeps records without children that meet `on`. `start` stands in the place of the base table.
        """
        whole = self.base if start is None else start
        for join in self.joins:
            if not join.child:
                whole = self._outer(whole, join)
        if not self.chain:
            return whole
        if not keep:
            for target, link in self.chain:
                whole = whole.join(target, link)
            for join in self.joins:
                whole = self._outer(whole, join) if join.child else whole
            return whole
        children, first = self.chain[0]
        for target, link in self.chain[1:]:
            children = children.join(target, link)
        for join in self.joins:
            children = self._outer(children, join) if join.child else children
        return whole.outerjoin(children, sa.and_(first, *(on or [])))

    @staticmethod
    def _outer(whole: sa.FromClause, join: Join) -> sa.FromClause:
        if isinstance(join.target, sa.FromClause):
            assert join.on is not None
            return whole.outerjoin(join.target, join.on)
        target, on = join.target()
        return whole.outerjoin(target, on)

    def child_key(self) -> Element:
        """
        A column that every child has and a missing child has not.
        """
        end = self.context.catalogue.record_types[self.opened[-1].target]
        return self.column(self.context.catalogue.key_of(end, self.opened)[0])

    def column(self, route: Route) -> Element:
        """
        The database's value at the end of a route, joined when it was not yet; as the field's `stored` says.
        """
        value, _ = self._stored(route)
        return value

    def _stored(self, route: Route) -> tuple[Element, Element | None]:
        """
        (value, the text that it was read from, where people keep it as text).
        """
        found = route.field
        if found.formula:
            return self._made(route)[0], None
        table = self.joined(route.relations)
        if found.attribute is not None:
            text = self.dialect.read_as(self._attribute(route, table), "exactly")
        elif found.json_key is not None:
            text = self.dialect.json_text(table.c[found.column], found.json_key)
        elif found.typed_text:
            text = self.dialect.read_column(table.c[found.column], replace(found, stored="text"))
        else:
            return self.dialect.read_column(table.c[found.column], found), None
        return self.dialect.read_text(text, found.stored), text

    def _attribute(self, route: Route, table: sa.FromClause) -> Element:
        attribute = route.field.attribute
        assert attribute is not None
        way = (*route.way, f"@{route.field.name}")
        if way not in self.aliases:
            names = [attribute.name_column, attribute.value_column, *(theirs for _, theirs in attribute.pairs)]
            columns: list[sa.ColumnClause[Any]] = [sa.column(n) for n in dict.fromkeys(names)]
            target = sa.table(attribute.table, *columns).alias(self.context.table_name())
            on = [table.c[own] == target.c[theirs] for own, theirs in attribute.pairs]
            on.append(target.c[attribute.name_column] == literal(attribute.name))
            self.aliases[way] = target
            self.joins.append(Join(target, sa.and_(*on), self._is_child(route.way)))
        return self.aliases[way].c[attribute.value_column]

    def value(self, cell: Cell) -> Element:
        """
        What a cell comes to, as its field's `stored` says.
        """
        if cell in self.known:
            return self.known[cell]
        match cell:
            case Read():
                return self._read(cell)
            case Stepped():
                return self.step(self.column(cell.route), cell)
            case Folded():
                return self.fold(cell)
            case Computed():
                return self.computed(cell)[0]
            case Fixed():
                return self.dialect.literal(cell.value) if cell.value is not None else sa.null()
            case Quarter():
                msg = "A quarter is known of the rows of a file, not of a scope."
                raise LookupError(msg)

    def _read(self, cell: Read) -> Element:
        value = self.column(cell.route)
        if cell.route.aspect == "label":
            return self.label_of(value, cell.route.field)
        return value

    def label_of(self, value: Element, found: Field) -> Element:
        """
        A choice's label; an unknown code stands for itself.
        """
        labels = [(value == self.dialect.literal(code_value(c.code, found)), literal(c.label)) for c in found.choices]
        return sa.case(*labels, else_=sa.cast(value, sa.Text)) if labels else sa.cast(value, sa.Text)

    def fault(self, cell: Cell) -> Element | None:
        """
        When a cell has no result though there is something to read; None where that cannot be.
        """
        if isinstance(cell, Computed):
            return self.computed(cell)[1]
        if isinstance(cell, Read) and cell.route.field.formula:
            return self._made(cell.route)[1]
        if isinstance(cell, Read) and cell.route.field.is_read_from_text:
            value, text = self._stored(cell.route)
            assert text is not None
            return sa.and_(value.is_(None), self.dialect.not_blank(text))
        return None

    def computed(self, cell: Computed) -> tuple[Element, Element | None]:
        """
        (value, fault) of a formula. Made once: columns that refer to each other would otherwise be made again for each
        reference, for its value and for its fault.
        """
        # What groups are made by stands for something else only while a row of groups is made.
        key = (cell, bool(self.known), self.grouped)
        if key not in self._computed:
            self._computed[key] = self._compute(cell)
        return self._computed[key]

    def _made(self, route: Route) -> tuple[Element, Element | None]:
        """
        (value, fault) of a field that a formula makes, wherever a path leads to it.
        """
        if route not in self._made_fields:
            holder = self._type_at(route.relations)
            tree = made_tree(self.context.catalogue, holder, route.field.formula, self.context.as_of, self.context.zone)

            def below(target: formula.Target) -> Cell:
                assert isinstance(target, Read)
                return Read(replace(target.route, relations=(*route.relations, *target.route.relations)))

            self._made_fields[route] = self._formula(tree, below)
        return self._made_fields[route]

    def _compute(self, cell: Computed) -> tuple[Element, Element | None]:
        return self._formula(cell.tree, lambda target: target)  # type: ignore[arg-type,return-value]

    def _formula(self, tree: formula.Node, cell_of: Callable[[formula.Target], Cell]) -> tuple[Element, Element | None]:

        def read(target: formula.Target, kind: formula.Type) -> tuple[Element, Element | None]:
            inner = cell_of(target)
            value, found = self.value(inner), inner.field
            if found.kind is Kind.CHOICE:
                value = self.label_of(value, found)
            elif found.kind is Kind.MOMENT:
                value = self.dialect.local(value, self.context.zone)
            elif kind is formula.Type.NUMBER:
                value = self.dialect.formula_number(value, found)
            elif kind is formula.Type.TEXT and found.stored != "text":
                value = sa.cast(value, sa.Text)
            return value, self.fault(inner)

        return self.dialect.formula(tree, read, self.context.zone)

    def step(self, value: Element, cell: Stepped) -> Element:
        """
        The beginning of the step of time that a value lies in, on the template's wall clock.
        """
        return self.dialect.step(value, cell.unit, cell.count, cell.route.typed.kind, self.context.zone)

    def blank(self, cell: Cell) -> Element:
        """
        NULL, or a text that is empty or only white space.
        """
        value = self.value(cell)
        if cell.field.stored == "text" or cell.field.kind is Kind.TEXT:
            return sa.or_(value.is_(None), sa.not_(self.dialect.not_blank(value)))
        return value.is_(None)

    def missing(self, way: tuple[Relation, ...]) -> Element:
        """
        Whether a relation to one record leads nowhere though the record before it is there.
        """
        last, parent = way[-1], self.joined(way[:-1])
        own: list[Element] = [parent.c[column] for column, _ in last.pairs]
        if last.declared and self.context.rights is None:
            nowhere = sa.or_(*(c.is_(None) for c in own))
        else:
            target = self.joined(way)
            nowhere = target.c[last.pairs[0][1]].is_(None)
        if len(way) == 1:
            return nowhere
        return sa.and_(parent.c[way[-2].pairs[0][1]].is_not(None), nowhere)

    # What other modules make of the scope

    def of(self, record_type: RecordType) -> Scope:
        """
        A scope of other records in the same statement.
        """
        return Scope(self.context, record_type)

    def holds(self, predicate: Predicate) -> Element:
        """
        Whether a predicate holds for a record. May be NULL for "no"; inside `none` it never is.
        """
        return holds(self, predicate)

    @contextmanager
    def of_each_record(self) -> Iterator[None]:
        """
        For a while, what is said is said of each record, also where rows stand for groups: folds are no aggregates.
        """
        before = self.grouped, self.known
        self.grouped, self.known = False, {}
        try:
            yield
        finally:
            self.grouped, self.known = before

    def fold(self, cell: Folded) -> Element:
        """
        Many records as one value.
        """
        return fold(self, cell)

    def ordering(self, order: PlanOrder, value: Element | None = None, *, filled: bool = False) -> list[Element]:
        """
        One level of an order. `value` stands in for the cell's own; `filled` says that no row has a blank there.
        """
        return ordering(self, order, value, filled=filled)
