"""
Tables joined on demand around the records that a statement reads, and what cells and predicates come to there.

All joins are to one record and left outer, so they never change the number of rows; only the relations that the row
rule opened do. Folds are correlated subqueries where few rows are read, and joins of aggregated subqueries where many
are: the same result, each the faster way for its purpose.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql
from sqlalchemy.dialects.postgresql import aggregate_order_by

from bouquet.core import formula
from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, Route
from bouquet.core.plan import (
    Among,
    Cell,
    Comparison,
    Computed,
    Fixed,
    Folded,
    Having,
    Listed,
    Permitted,
    PlanOrder,
    Predicate,
    Read,
    Stepped,
    Test,
)
from bouquet.core.rights import Rights, Way
from bouquet.core.sql.dialects import Dialect
from bouquet.core.sql.formulas import compile_formula
from bouquet.core.sql.literals import literal
from bouquet.core.sql.paper import dated_text, number_text
from bouquet.core.values import WHITE, Value

__all__ = ["KEEPS_BLANKS", "LOSES_BLANKS", "WHITE", "Maker", "Scope", "escape_like"]

Element = sa.ColumnElement[Any]

#: Comparisons that a blank can never meet; the tally says how many they lost.
LOSES_BLANKS = frozenset(
    {"less_than", "at_most", "greater_than", "at_least", "between", "before", "after", "in_window"}
)

#: Comparisons that a blank can meet.
KEEPS_BLANKS = frozenset({"is_not", "none_of", "not_contains", "blank"})

#: Digits that a code's runs of digits are filled up to, to be ordered by value.
CODE_DIGITS = 20


@dataclass
class Maker:
    """
    What all scopes of one statement share.

    `many` says that most records of the type will be read; `exists` that a `has` stands in a WHERE, where the
    database turns it into a join by itself. `rights` leave of every table only what the person may see.
    """

    catalogue: Catalogue
    zone: ZoneInfo
    dialect: Dialect
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


@dataclass
class _Join:
    target: sa.FromClause | Callable[[], tuple[sa.FromClause, Element]]
    on: Element | None
    child: bool


@dataclass
class _FoldJoin:
    """
    One aggregated subquery of a scope; folds over the same records share it.

    `picks` is given where it does not aggregate but picks one record of each: the order that it picks by.
    """

    name: str
    inner: Scope
    chain: sa.FromClause
    link: tuple[tuple[Element, Element], ...]
    where: Element | None
    picks: list[Element] | None = None
    aggregates: dict[Folded, tuple[str, Element]] = field(default_factory=dict)

    def joined(self) -> tuple[sa.FromClause, Element]:
        keys = [theirs.label(f"{self.name}k{n}") for n, (_, theirs) in enumerate(self.link)]
        statement = sa.select(*keys, *(e.label(label) for label, e in self.aggregates.values()))
        statement = statement.select_from(self.inner.from_clause(self.chain))
        if self.where is not None:
            statement = statement.where(self.where)
        links = [theirs for _, theirs in self.link]
        if self.picks is not None:
            statement = statement.ext(postgresql.distinct_on(*links)).order_by(*links, *self.picks)
        else:
            statement = statement.group_by(*links)
        made = statement.subquery(self.name)
        on = sa.and_(*(made.c[f"{self.name}k{n}"] == own for n, (own, _) in enumerate(self.link)))
        return made, on


class Scope:
    """
    The records of one type, and everything that each leads to.

    `opened` are relations that the row rule opened: their records are rows of the scope, too. `grouped` says that its
    rows stand for groups: folds of its own records are aggregates.
    """

    def __init__(
        self, maker: Maker, record_type: RecordType, opened: tuple[Relation, ...] = (), *, grouped: bool = False
    ) -> None:
        self.maker, self.record_type, self.opened, self.grouped = maker, record_type, opened, grouped
        self.dialect = maker.dialect
        self.aliases: dict[tuple[str, ...], sa.FromClause] = {}
        self.joins: list[_Join] = []
        self.fold_joins: dict[Any, _FoldJoin] = {}
        #: Cells that stand for something else just now: what groups are made by, in what is computed of a group.
        self.known: dict[Cell, Element] = {}
        self._computed: dict[tuple[Computed, bool], tuple[Element, Element | None]] = {}
        self.base = self._table_at((), record_type)
        self.first_many = next((n for n, r in enumerate(opened) if r.many), 0)
        self._open()

    # Tables

    def _table_at(self, way: tuple[str, ...], record_type: RecordType) -> sa.FromClause:
        if way not in self.aliases:
            names = [f.column for f in record_type.fields]
            names += [own for r in record_type.relations for own, _ in r.pairs]
            names += [own for f in record_type.fields if f.attribute for own, _ in f.attribute.pairs]
            columns: list[sa.ColumnClause[Any]] = [sa.column(name) for name in dict.fromkeys(names)]
            table = sa.table(record_type.table, *columns, schema=record_type.schema)
            self.aliases[way] = table.alias(self.maker.table_name())
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
            target = self._table_at(way, self.maker.catalogue.record_types[relation.target])
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
                target = self._table_at(way, self.maker.catalogue.record_types[relation.target])
                link = self._led_to(here, target, holder, relation)
                self.joins.append(_Join(target, link, self._is_child(way)))
            here, holder = self.aliases[way], self.maker.catalogue.record_types[relation.target]
        return here

    # Rights

    def _type_at(self, relations: tuple[Relation, ...]) -> RecordType:
        return self.maker.catalogue.record_types[relations[-1].target] if relations else self.record_type

    def _led_to(self, here: sa.FromClause, there: sa.FromClause, holder: RecordType, relation: Relation) -> Element:
        """
        The link of a relation; what may not be seen is not there.
        """
        link, rights = _linked(here, there, relation), self.maker.rights
        if rights is None or rights.follows(holder, relation):
            return link
        permitted = self.permitted(there, self.maker.catalogue.record_types[relation.target])
        return link if permitted is None else sa.and_(link, permitted)

    def permitted(self, table: sa.FromClause, record_type: RecordType) -> Element | None:
        """
        Whether a record in `table` is one that the person may see; None where all are.
        """
        rights = self.maker.rights
        if rights is None:
            return None
        ways, field = rights.ways(record_type), rights.field
        if not ways or field is None:
            return sa.false()
        values = [self.dialect.literal(_code(v, field), field.stored) for v in rights.scope.values]
        if not ways[0]:
            return table.c[field.column].in_(values)
        return sa.or_(*(self._reached(table, way, field, values) for way in ways))

    def _reached(self, table: sa.FromClause, way: Way, field: Field, values: list[Element]) -> Element:
        """
        Whether a way leads from a record to one of the values of a field.
        """
        types = self.maker.catalogue.record_types
        tables = [_bare(types[r.target], self.maker.table_name()) for r in way]
        chain = tables[0]
        for before, there, relation in zip(tables, tables[1:], way[1:], strict=False):
            chain = chain.join(there, _linked(before, there, relation))
        found: sa.Select[Any] = sa.select(sa.literal_column("1")).select_from(chain)
        found = found.where(_linked(table, tables[0], way[0]), tables[-1].c[field.column].in_(values))
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
    def _outer(whole: sa.FromClause, join: _Join) -> sa.FromClause:
        if isinstance(join.target, sa.FromClause):
            assert join.on is not None
            return whole.outerjoin(join.target, join.on)
        target, on = join.target()
        return whole.outerjoin(target, on)

    def child_key(self) -> Element:
        """
        A column that every child has and a missing child has not.
        """
        end = self.maker.catalogue.record_types[self.opened[-1].target]
        return self.column(self.maker.catalogue.key_of(end, self.opened)[0])

    # Fields

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
        found, table = route.field, self.joined(route.relations)
        if found.attribute is not None:
            text = self._attribute(route, table)
        elif found.json_key is not None:
            text = table.c[found.column].op("->>", return_type=sa.Text())(literal(found.json_key))
        else:
            return self.dialect.read_as(table.c[found.column], found.read_as), None
        return self.dialect.read_text(text, found.stored), text

    def _attribute(self, route: Route, table: sa.FromClause) -> Element:
        attribute = route.field.attribute
        assert attribute is not None
        way = (*route.way, f"@{route.field.name}")
        if way not in self.aliases:
            names = [attribute.name_column, attribute.value_column, *(theirs for _, theirs in attribute.pairs)]
            columns: list[sa.ColumnClause[Any]] = [sa.column(n) for n in dict.fromkeys(names)]
            target = sa.table(attribute.table, *columns).alias(self.maker.table_name())
            on = [table.c[own] == target.c[theirs] for own, theirs in attribute.pairs]
            on.append(target.c[attribute.name_column] == literal(attribute.name))
            self.aliases[way] = target
            self.joins.append(_Join(target, sa.and_(*on), self._is_child(route.way)))
        return self.aliases[way].c[attribute.value_column]

    # Cells

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
                return literal(cell.value) if cell.value is not None else sa.null()

    def _read(self, cell: Read) -> Element:
        value = self.column(cell.route)
        if cell.route.aspect == "label":
            return self.label_of(value, cell.route.field)
        return value

    @staticmethod
    def label_of(value: Element, found: Field) -> Element:
        """
        A choice's label; an unknown code stands for itself.
        """
        labels = [(value == literal(_code(c.code, found)), literal(c.label)) for c in found.choices]
        return sa.case(*labels, else_=sa.cast(value, sa.Text)) if labels else sa.cast(value, sa.Text)

    def fault(self, cell: Cell) -> Element | None:
        """
        When a cell has no result though there is something to read; None where that cannot be.
        """
        if isinstance(cell, Computed):
            return self.computed(cell)[1]
        if isinstance(cell, Read) and cell.route.field.is_custom and cell.route.field.stored != "text":
            value, text = self._stored(cell.route)
            assert text is not None
            return sa.and_(value.is_(None), self.dialect.trimmed(text, WHITE) != literal(""))
        return None

    def computed(self, cell: Computed) -> tuple[Element, Element | None]:
        """
        (value, fault) of a formula. Made once: columns that refer to each other would otherwise be made again for each
        reference, for its value and for its fault.
        """
        # What groups are made by stands for something else only while a row of groups is made.
        key = (cell, bool(self.known))
        if key not in self._computed:
            self._computed[key] = self._compute(cell)
        return self._computed[key]

    def _compute(self, cell: Computed) -> tuple[Element, Element | None]:

        def read(target: formula.Target, kind: formula.Type) -> tuple[Element, Element | None]:
            inner: Cell = target  # type: ignore[assignment]
            value, found = self.value(inner), inner.field
            if found.kind is Kind.CHOICE:
                value = self.label_of(value, found)
            elif found.kind is Kind.MOMENT:
                value = self.dialect.local(value, self.maker.zone)
            elif kind is formula.Type.NUMBER:
                value = sa.cast(self.dialect.exact(value, found), sa.Numeric)
            elif kind is formula.Type.TEXT and found.stored != "text":
                value = sa.cast(value, sa.Text)
            return value, self.fault(inner)

        return compile_formula(cell.tree, read)

    def step(self, value: Element, cell: Stepped) -> Element:
        """
        The beginning of the step of time that a value lies in, on the template's wall clock.
        """
        kind, unit = cell.route.typed.kind, literal(cell.unit)
        if cell.unit in ("minute", "hour"):
            if cell.unit == "minute" and cell.count != 1:
                origin = sa.cast(literal("2000-01-03 00:00:00+00"), postgresql.TIMESTAMP(timezone=kind is Kind.MOMENT))
                return sa.func.date_bin(sa.cast(literal(f"{cell.count} minutes"), postgresql.INTERVAL()), value, origin)
            zone = (literal(self.maker.zone.key),) if kind is Kind.MOMENT else ()
            return sa.func.date_trunc(unit, value, *zone)
        day = self.dialect.local(value, self.maker.zone) if kind is Kind.MOMENT else value
        return sa.cast(day, sa.Date) if cell.unit == "day" else sa.cast(sa.func.date_trunc(unit, day), sa.Date)

    def blank(self, cell: Cell) -> Element:
        """
        NULL, or a text that is empty or only white space.
        """
        value = self.value(cell)
        if cell.field.stored == "text" or cell.field.kind is Kind.TEXT:
            return sa.or_(value.is_(None), self.dialect.trimmed(value, WHITE) == literal(""))
        return value.is_(None)

    def missing(self, way: tuple[Relation, ...]) -> Element:
        """
        Whether a relation to one record leads nowhere though the record before it is there.
        """
        last, parent = way[-1], self.joined(way[:-1])
        own: list[Element] = [parent.c[column] for column, _ in last.pairs]
        if last.declared and self.maker.rights is None:
            nowhere = sa.or_(*(c.is_(None) for c in own))
        else:
            target = self.joined(way)
            nowhere = target.c[last.pairs[0][1]].is_(None)
        if len(way) == 1:
            return nowhere
        return sa.and_(parent.c[way[-2].pairs[0][1]].is_not(None), nowhere)

    # Folds

    def fold(self, cell: Folded) -> Element:
        """
        Many records as one value.
        """
        if not cell.chain:
            where = self.holds(cell.where) if cell.where is not None else None
            return _without_none(cell, _AGGREGATES[cell.how](self, cell, where))
        if not self.grouped:
            return self._fold_of_record(cell)
        if cell.how == "mean":
            total, count = (self.fold(replace(cell, how=how)) for how in ("sum", "count"))
            return self.dialect.divided(total, count)
        if cell.how == "sum":
            return self.dialect.total("sum", self._fold_of_record(cell), cell.field)
        return _without_none(cell, _TOGETHER[cell.how](self._fold_of_record(cell)))

    def _fold_of_record(self, cell: Folded) -> Element:
        if self.maker.many:
            return _without_none(cell, self._joined_fold(cell))
        inner, chain, link, where = self._inner(cell)
        aggregate = _AGGREGATES[cell.how](inner, cell, None)
        statement = sa.select(aggregate).select_from(inner.from_clause(chain)).where(*(a == b for a, b in link))
        if where is not None:
            statement = statement.where(where)
        return _without_none(cell, statement.correlate(self._anchor(cell)).scalar_subquery())

    def _anchor(self, cell: Folded) -> sa.FromClause:
        return self.joined(cell.anchor)

    def _inner(self, cell: Folded) -> tuple[Scope, sa.FromClause, tuple[tuple[Element, Element], ...], Element | None]:
        """
        (the folded records' scope, the chain of tables that leads to them, (own, their) columns that link, its filter).
        """
        anchor = self._anchor(cell)
        inner = Scope(self.maker, cell.record_type)
        types = self.maker.catalogue.record_types
        tables = [_bare(types[r.target], self.maker.table_name()) for r in cell.chain[:-1]] + [inner.base]
        chain = tables[0]
        for before, here, relation, led in zip(tables, tables[1:], cell.chain[1:], cell.chain, strict=False):
            chain = chain.join(here, self._led_to(before, here, types[led.target], relation))
        link = tuple((anchor.c[own], tables[0].c[theirs]) for own, theirs in cell.chain[0].pairs)
        where = inner.holds(cell.where) if cell.where is not None else None
        if self.maker.rights is not None and not self.maker.rights.follows(self._type_at(cell.anchor), cell.chain[0]):
            permitted = self.permitted(tables[0], types[cell.chain[0].target])
            where = permitted if where is None else where if permitted is None else sa.and_(where, permitted)
        return inner, chain, link, where

    def _joined_fold(self, cell: Folded) -> Element:
        way = tuple(r.name for r in cell.anchor)
        # One record of each is found faster by sorting once than by sorting within each group.
        picking = cell.how in ("first", "latest")
        key = (way, tuple(r.name for r in cell.chain), cell.where, (cell.how, cell.order) if picking else None)
        if key not in self.fold_joins:
            inner, chain, link, where = self._inner(cell)
            picks = inner.fold_order(cell, latest=cell.how == "latest") if picking else None
            made = _FoldJoin(self.maker.fold_name(), inner, chain, link, where, picks)
            self.fold_joins[key] = made
            self.joins.append(_Join(made.joined, None, self._is_child(way)))
        join = self.fold_joins[key]
        if cell not in join.aggregates:
            label = f"{join.name}a{len(join.aggregates)}"
            made_of = join.inner.folded_value(cell) if picking else _AGGREGATES[cell.how](join.inner, cell, None)
            join.aggregates[cell] = (label, made_of)
        return sa.column(join.aggregates[cell][0])

    @staticmethod
    def filtered(aggregate: Any, *where: Element | None) -> Element:
        """
        An aggregate over the records that meet all of `where`.
        """
        known = [w for w in where if w is not None]
        made: Element = aggregate.filter(sa.and_(*known)) if known else aggregate
        return made

    def folded_value(self, cell: Folded) -> Element:
        """
        The value that a fold gathers, of one record.
        """
        assert cell.value is not None
        return self.value(Read(cell.value))

    def fold_order(self, cell: Folded, *, latest: bool = False) -> list[Element]:
        """
        The order in which a fold meets its records: as stated, then by their key.
        """
        parts: list[Element] = []
        picks = cell.how in ("first", "latest")
        levels = [_picking(o, latest=latest) if picks else o for o in cell.order]
        for level in levels:
            parts += self.ordering(level)
        for level in levels:
            if level.cell.field.stored == "text" and level.cell.field.kind is not Kind.CHOICE:
                parts += self.ordering(replace(level, exact=True))
        for key in self.maker.catalogue.key_of(self.record_type):
            value = self.column(key)
            parts.append(value.desc() if latest else value.asc())
        return parts

    def paper_text(self, cell: Folded) -> Element:
        """
        The value that a fold joins, as its text.
        """
        assert cell.value is not None
        found, show, value = cell.value.typed, cell.show, self.folded_value(cell)
        if found.kind is Kind.CHOICE and show.choice == "label":
            return self.label_of(value, found)
        if found.kind is Kind.BOOLEAN:
            return sa.case((value, literal(show.yes or "true")), (sa.not_(value), literal(show.no or "false")))
        if found.kind.is_dated or found.kind is Kind.TIME:
            return dated_text(value, found, show, self.dialect, self.maker.zone)
        if found.kind.is_number:
            return number_text(value, found, show, self.dialect)
        return value if found.stored == "text" else sa.cast(value, sa.Text)

    # Order

    def ordering(self, order: PlanOrder, value: Element | None = None, *, filled: bool = False) -> list[Element]:
        """
        One level of an order. `value` stands in for the cell's own; `filled` says that no row has a blank there.
        """
        found = order.cell.field
        value = self.value(order.cell) if value is None else value
        if found.kind is Kind.CHOICE and found.choices and order.by_label:
            if found.choices_ordered:
                return self._directed(self.rank_of(value, found), order, filled=filled) + self._directed(
                    sa.cast(value, sa.Text), order, filled=filled
                )
            value = self._sorted_text(self.label_of(value, found), exact=True)
        elif found.stored == "text" or found.kind is Kind.TEXT:
            if found.digits_vary:
                value = self.dialect.by_digits(value, CODE_DIGITS)
            value = self._sorted_text(value, exact=order.exact)
        elif found.stored == "other":
            value = sa.cast(value, sa.Text)
        return self._directed(value, order, filled=filled)

    def _directed(self, value: Element, order: PlanOrder, *, filled: bool) -> list[Element]:
        directed: Element = value.desc() if order.descending else value.asc()
        if not filled:
            directed = self.dialect.blanks(directed, order.descending, order.blanks_first)
        return [directed]

    @staticmethod
    def rank_of(value: Element, found: Field) -> Element:
        """
        The place of a choice in the catalogue's order, from 0; unknown codes come after all known ones.
        """
        ranks: list[tuple[Element, Element]] = [
            (value == literal(_code(c.code, found)), sa.literal_column(str(n))) for n, c in enumerate(found.choices)
        ]
        unknown: Element = sa.literal_column(str(len(found.choices)))
        nothing: tuple[Element, Element] = (value.is_(None), sa.null())
        return sa.case(nothing, *ranks, else_=unknown)

    def _sorted_text(self, value: Element, *, exact: bool) -> Element:
        """
        A text as it is ordered: blank ones as NULL, and, unless `exact`, spellings that differ by case as equal.
        """
        filled = self.dialect.trimmed(value, WHITE) != literal("")
        return self.dialect.collated(sa.case((filled, value if exact else self.dialect.lowered(value))))

    # Predicates

    def holds(self, predicate: Predicate) -> Element:
        """
        Whether a predicate holds for a record. May be NULL for "no"; inside `none` it never is.
        """
        match predicate:
            case Comparison():
                return self._VERBS[predicate.operator](self, predicate)
            case Having():
                return self._having(predicate)
            case Among():
                return self._among(predicate)
            case Listed():
                return self._listed(predicate)
            case Test():
                return self.value(predicate.cell)
            case Permitted():
                found = self.permitted(self.base, self.record_type)
                return found if found is not None else sa.true()
        parts = [self.holds(p) for p in predicate.parts]
        if predicate.how == "all":
            return sa.and_(*parts)
        if predicate.how == "any":
            return sa.or_(*parts)
        return sa.not_(sa.or_(*(sa.func.coalesce(p, sa.false()) for p in parts)))

    def _having(self, predicate: Having) -> Element:
        cell, least = predicate.fold, predicate.least
        if not self.maker.exists or (least or 1) > 1 or not cell.chain:
            count = self.fold(cell)
            return count >= sa.literal_column(str(least)) if least else count == sa.literal_column("0")
        inner, chain, link, where = self._inner(cell)
        statement: sa.Select[Any] = sa.select(sa.literal_column("1")).select_from(inner.from_clause(chain))
        statement = statement.where(*(a == b for a, b in link))
        if where is not None:
            statement = statement.where(where)
        found = statement.correlate(self._anchor(cell)).exists()
        return found if least else sa.not_(found)

    def _among(self, predicate: Among) -> Element:
        if not predicate.keys:
            return sa.false()
        columns = [self.column(r) for r in predicate.key]
        stored = [r.field.stored for r in predicate.key]
        if len(columns) == 1:
            return columns[0].in_([literal(k[0], stored[0]) for k in predicate.keys])
        rows = [sa.tuple_(*(literal(v, s) for v, s in zip(k, stored, strict=True))) for k in predicate.keys]
        return sa.or_(*(sa.tuple_(*columns) == r for r in rows))

    def _listed(self, predicate: Listed) -> Element:
        """
        One look through the whole list, whatever the number of rows.
        """
        inner = Scope(self.maker, predicate.record_type, ())
        listed = inner.column(Route((), predicate.listed))
        value = self.value(predicate.cell)
        if predicate.listed.kind.is_text:
            listed, value = sa.cast(listed, sa.Text), sa.cast(value, sa.Text)
        known = sa.select(listed).select_from(inner.from_clause()).where(listed.is_not(None))
        permitted = inner.permitted(inner.base, predicate.record_type)
        return value.in_(known if permitted is None else known.where(permitted))

    def _folded(self, c: Comparison) -> tuple[Element, Callable[[Value], Element]]:
        """
        The value and a way to make literals, both brought to the form in which they are compared.
        """
        found, value = c.cell.field, self.value(c.cell)
        if found.kind is Kind.CHOICE or not found.kind.is_text:
            return value, lambda v: self.dialect.literal(v, found.stored)
        if found.stored != "text":
            value = sa.cast(value, sa.Text)
        if c.exact:
            return value, lambda v: literal(str(v))
        return (
            self.dialect.lowered(self.dialect.trimmed(value, WHITE)),
            lambda v: self.dialect.lowered(literal(str(v).strip(WHITE))),
        )

    def _is(self, c: Comparison) -> Element:
        value, make = self._folded(c)
        return value == make(c.values[0])

    def _is_not(self, c: Comparison) -> Element:
        value, make = self._folded(c)
        return value.is_distinct_from(make(c.values[0]))

    def _one_of(self, c: Comparison) -> Element:
        value, make = self._folded(c)
        return value.in_([make(v) for v in c.values])

    def _none_of(self, c: Comparison) -> Element:
        return sa.func.coalesce(sa.not_(self._one_of(c)), sa.true())

    def _like(self, c: Comparison, before: str, after: str) -> Element:
        value, make = self._folded(c)
        typed = str(c.values[0]) if c.exact else str(c.values[0]).strip(WHITE)
        return value.like(make(before + escape_like(typed) + after), escape="~")

    def _contains(self, c: Comparison) -> Element:
        return self._like(c, "%", "%")

    def _not_contains(self, c: Comparison) -> Element:
        return sa.func.coalesce(sa.not_(self._contains(c)), sa.true())

    def _starts_with(self, c: Comparison) -> Element:
        return self._like(c, "", "%")

    def _ends_with(self, c: Comparison) -> Element:
        return self._like(c, "%", "")

    def _matches(self, c: Comparison) -> Element:
        value, make = self._folded(c)
        pattern = escape_like(str(c.values[0])).replace("*", "%").replace("?", "_")
        return value.like(make(pattern), escape="~")

    def _ordered(self, c: Comparison, operator: str) -> Element:
        value, make = self._folded(c)
        return value.bool_op(operator)(make(c.values[0]))

    def _between(self, c: Comparison) -> Element:
        value, make = self._folded(c)
        return sa.and_(value >= make(c.values[0]), value <= make(c.values[1]))

    def _in_window(self, c: Comparison) -> Element:
        assert c.span is not None
        value, kind, make = self.value(c.cell), c.cell.field.kind, self.dialect.literal
        bounds: list[Element] = []
        if c.span.start is not None:
            bounds.append(value >= make(_as_kind(c.span.start, kind)))
        if c.span.end is not None:
            end = c.span.last_day if kind is Kind.DATE else _as_kind(c.span.end, kind)
            assert end is not None
            bounds.append(value <= make(end) if kind is Kind.DATE else value < make(end))
        return sa.and_(*bounds) if bounds else sa.true()

    _VERBS: ClassVar[dict[str, Callable[[Scope, Comparison], Element]]] = {
        "is": _is,
        "is_not": _is_not,
        "one_of": _one_of,
        "none_of": _none_of,
        "contains": _contains,
        "not_contains": _not_contains,
        "starts_with": _starts_with,
        "ends_with": _ends_with,
        "matches": _matches,
        "less_than": lambda self, c: self._ordered(c, "<"),
        "before": lambda self, c: self._ordered(c, "<"),
        "at_most": lambda self, c: self._ordered(c, "<="),
        "greater_than": lambda self, c: self._ordered(c, ">"),
        "after": lambda self, c: self._ordered(c, ">"),
        "at_least": lambda self, c: self._ordered(c, ">="),
        "between": _between,
        "in_window": _in_window,
        "blank": lambda self, c: self.blank(c.cell),
        "not_blank": lambda self, c: sa.not_(self.blank(c.cell)),
        "yes": lambda self, c: self.dialect.is_true(self.value(c.cell)),
        "no": lambda self, c: self.dialect.is_false(self.value(c.cell)),
    }


# Aggregates, by the word of the fold

_Aggregate = Callable[[Scope, Folded, "Element | None"], Element]


def _count(scope: Scope, cell: Folded, where: Element | None) -> Element:
    filled = sa.not_(scope.blank(Read(cell.value))) if cell.value is not None else None
    return scope.filtered(sa.func.count(), where, filled)


def _count_distinct(scope: Scope, cell: Folded, where: Element | None) -> Element:
    value = scope.folded_value(cell)
    assert cell.value is not None
    return scope.filtered(sa.func.count(sa.distinct(value)), where, sa.not_(scope.blank(Read(cell.value))))


def _extreme(name: str, *, greatest: bool) -> _Aggregate:
    """
    The least or greatest value; of choices by the order that records are ordered by.
    """

    def make(scope: Scope, cell: Folded, where: Element | None) -> Element:
        assert cell.value is not None
        if cell.field.kind is Kind.CHOICE:
            level = PlanOrder(Read(cell.value), greatest, False)
            value = scope.folded_value(cell)
            gathered = sa.func.array_agg(aggregate_order_by(value, *scope.ordering(level)))
            return _element(scope.filtered(gathered, where, sa.not_(scope.blank(Read(cell.value)))), 1)
        return scope.filtered(getattr(sa.func, name)(scope.folded_value(cell)), where)

    return make


def _numeric(name: str) -> _Aggregate:
    def make(scope: Scope, cell: Folded, where: Element | None) -> Element:
        assert cell.value is not None
        return scope.filtered(scope.dialect.total(name, scope.folded_value(cell), cell.value.typed), where)

    return make


def _picked(scope: Scope, cell: Folded, where: Element | None, *, latest: bool) -> Element:
    gathered = sa.func.array_agg(aggregate_order_by(scope.folded_value(cell), *scope.fold_order(cell, latest=latest)))
    return _element(scope.filtered(gathered, where), 1)


def _element(array: Element, n: int) -> Element:
    return sa.type_coerce(array, postgresql.ARRAY(sa.Text))[sa.literal_column(str(n))]


def _gathered(scope: Scope, cell: Folded, where: Element | None, value: Element) -> Element:
    """
    The values of a fold as an array, in order: the filled ones, or, where blanks keep their place, all.
    """
    assert cell.value is not None
    filled = None if cell.keeps_places else sa.not_(scope.blank(Read(cell.value)))
    if cell.distinct and cell.order:
        return _distinct_in_order(scope, cell, where, value, filled)
    if cell.distinct:
        text = cell.field.stored == "text" or cell.how == "joined"
        ordered = scope.dialect.collated(value) if text else value
        return scope.filtered(sa.func.array_agg(aggregate_order_by(sa.distinct(ordered), ordered)), where, filled)
    return scope.filtered(sa.func.array_agg(aggregate_order_by(value, *scope.fold_order(cell))), where, filled)


def _distinct_in_order(
    scope: Scope, cell: Folded, where: Element | None, value: Element, filled: Element | None
) -> Element:
    """
    Different values, ordered by the least order value of each; one that has none stands as the stated blanks do.
    """
    backwards, blanks_first = cell.order[0].descending, cell.order[0].blanks_first
    upwards = tuple(replace(o, descending=o.descending != backwards, blanks_first=False) for o in cell.order)
    order = scope.fold_order(replace(cell, order=upwards))
    blank = scope.blank(cell.order[0].cell)
    values, blanks = (
        scope.filtered(sa.func.array_agg(aggregate_order_by(made, *order)), where, filled) for made in (value, blank)
    )
    met = sa.func.unnest(values, blanks).table_valued("value", "blank", with_ordinality="place", name="met")
    met = met.render_derived()
    each = sa.select(
        met.c.value.label("value"),
        sa.func.bool_and(met.c.blank).label("blank"),
        sa.func.min(met.c.place).label("place"),
    ).group_by(met.c.value)
    found = each.subquery("different")
    place = found.c.place.desc() if backwards else found.c.place.asc()
    ordered = [found.c.blank.desc() if blanks_first else found.c.blank.asc(), place]
    return (
        sa.select(sa.func.array_agg(aggregate_order_by(found.c.value, *ordered))).select_from(found).scalar_subquery()
    )


def _joined(scope: Scope, cell: Folded, where: Element | None) -> Element:
    separator = literal(cell.separator)
    if cell.at_most is None and not cell.distinct:
        assert cell.value is not None
        text = aggregate_order_by(separator, *scope.fold_order(cell))
        joined = sa.func.string_agg(scope.paper_text(cell), text)
        return scope.filtered(joined, where, sa.not_(scope.blank(Read(cell.value))))
    array = sa.type_coerce(_gathered(scope, cell, where, scope.paper_text(cell)), postgresql.ARRAY(sa.Text))
    if cell.at_most is None:
        return sa.func.array_to_string(array, separator)
    more = sa.func.cardinality(array) - sa.literal_column(str(cell.at_most))
    head = sa.func.array_to_string(array[sa.literal_column("1") : sa.literal_column(str(cell.at_most))], separator)
    tail = sa.case(
        (more > sa.literal_column("0"), sa.func.concat(separator, literal("+"), more, literal(" more"))),
        else_=literal(""),
    )
    return head.op("||", return_type=sa.Text())(tail)


def _spread(scope: Scope, cell: Folded, where: Element | None) -> Element:
    return _element(_gathered(scope, cell, where, scope.folded_value(cell)), cell.number)


def _every(scope: Scope, cell: Folded, where: Element | None) -> Element:
    return scope.filtered(scope.dialect.every(scope.folded_value(cell)), where)


def _some(scope: Scope, cell: Folded, where: Element | None) -> Element:
    return scope.filtered(scope.dialect.some(scope.folded_value(cell)), where)


_AGGREGATES: dict[str, _Aggregate] = {
    "count": _count,
    "count_distinct": _count_distinct,
    "sum": _numeric("sum"),
    "mean": _numeric("avg"),
    "least": _extreme("min", greatest=False),
    "greatest": _extreme("max", greatest=True),
    "first": lambda scope, cell, where: _picked(scope, cell, where, latest=False),
    "latest": lambda scope, cell, where: _picked(scope, cell, where, latest=True),
    "joined": _joined,
    "spread": _spread,
    "any": _some,
    "all": _every,
    "none": lambda scope, cell, where: sa.not_(_some(scope, cell, where)),
}


#: How folds of each record of a group make that of the group.
_TOGETHER: dict[str, Callable[[Element], Element]] = {
    "count": sa.func.sum,
    "least": sa.func.min,
    "greatest": sa.func.max,
    "any": sa.func.bool_or,
    "all": sa.func.bool_and,
    "none": sa.func.bool_and,
}


def _without_none(cell: Folded, value: Element) -> Element:
    """
    What a fold of no records is: a count of none is 0; none of them is "any", and "none" of them is true.
    """
    empty: dict[str, Element] = {
        "count": sa.literal_column("0"),
        "count_distinct": sa.literal_column("0"),
        "any": sa.false(),
        "none": sa.true(),
    }
    return sa.func.coalesce(value, empty[cell.how]) if cell.how in empty else value


def _picking(level: PlanOrder, *, latest: bool) -> PlanOrder:
    """
    A level of the order by which one record is picked: a blank is never picked while there is another.
    """
    return replace(level, descending=level.descending != latest, blanks_first=False)


def _bare(record_type: RecordType, name: str) -> sa.FromClause:
    columns = dict.fromkeys(own for r in record_type.relations for own, _ in r.pairs)
    columns |= dict.fromkeys(f.column for f in record_type.fields)
    return sa.table(record_type.table, *(sa.column(c) for c in columns), schema=record_type.schema).alias(name)


def _linked(here: sa.FromClause, there: sa.FromClause, relation: Relation) -> Element:
    return sa.and_(*(here.c[own] == there.c[other] for own, other in relation.pairs))


def escape_like(text: str) -> str:
    """
    `text` with the wildcards of LIKE made plain; the escape character is `~`.
    """
    return text.replace("~", "~~").replace("%", "~%").replace("_", "~_")


def _code(code: str, found: Field) -> Value:
    return int(code) if found.stored == "integer" else code


def _as_kind(moment: Any, kind: Kind) -> Any:
    if kind is Kind.DATE:
        return moment.date()
    return moment.replace(tzinfo=None) if kind is Kind.TIMESTAMP else moment
