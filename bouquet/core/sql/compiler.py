"""
Plan → SQLAlchemy statements. Rows, counts and tally are made from the same parts, so they cannot disagree.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, ClassVar

import sqlalchemy as sa

from bouquet.core.catalogue import Field, Kind, RecordType, Relation, Route
from bouquet.core.plan import Comparison, Plan, PlanColumn, PlanOrder, Predicate
from bouquet.core.sql.literals import literal
from bouquet.core.values import Value

__all__ = ["Statements", "TallyStep"]

#: What surrounds a text without being part of it.
WHITE = " \t\n\r\x0b\x0c\u00a0\u2007\u202f"

#: The order of the root of the Unicode collation, as shipped by every PostgreSQL built with ICU.
COLLATION = "und-x-icu"

Element = sa.ColumnElement[Any]

#: Comparisons that a blank can never meet; the tally says how many they lost.
LOSES_BLANKS = frozenset(
    {"less_than", "at_most", "greater_than", "at_least", "between", "before", "after", "in_window"}
)


#: Comparisons that a blank can meet.
KEEPS_BLANKS = frozenset({"is_not", "none_of", "not_contains", "blank"})


@dataclass(frozen=True)
class TallyStep:
    """
    One step of the tally, as the names its counts have in the tally statement's single row.

    `blank` is given where the step's comparison drops blanks.
    """

    predicate: Predicate | None
    count: str
    blank: str | None


class Statements:
    """
    The statements of one plan.

    Joins are made on demand: a statement joins only the relations whose fields it reads. All joins are to one
    record and left outer, so they never change the number of rows.
    """

    def __init__(self, plan: Plan, *, collation: str | None = COLLATION) -> None:
        self.plan, self.collation = plan, collation
        self._begin()

    def _begin(self) -> None:
        self._aliases: dict[tuple[str, ...], sa.FromClause] = {}
        self._joins: list[tuple[sa.FromClause, Element]] = []

    # Statements

    def rows(self, *, limit: int | None = None, offset: int = 0) -> sa.Select[Any]:
        """
        The rows of the file in their order: one column `c0`, `c1`… per column of the sheet that is not a constant.
        """
        self._begin()
        columns = [self._output(c).label(f"c{n}") for n, c in enumerate(self.plan.columns) if c.route is not None]
        where, order = self._where(), [e for o in self.plan.order for e in self._ordering(o)]
        columns = columns or [sa.literal_column("1").label("only_constants")]
        statement = sa.select(*columns).select_from(self._from()).where(*where).order_by(*order)
        at_most = self.plan.at_most
        if at_most is not None:
            limit = max(0, min(limit if limit is not None else at_most, at_most - offset))
        if limit is not None:
            statement = statement.limit(sa.literal_column(str(int(limit))))
        return statement.offset(sa.literal_column(str(int(offset)))) if offset else statement

    def count(self) -> sa.Select[Any]:
        """
        The number of rows of the file, in a column `rows`.
        """
        self._begin()
        where = self._where()
        if self.plan.at_most is None:
            return sa.select(sa.func.count().label("rows")).select_from(self._from()).where(*where)
        inner: sa.Select[Any] = sa.select(sa.literal_column("1").label("one")).select_from(self._from()).where(*where)
        inner = inner.limit(sa.literal_column(str(self.plan.at_most)))
        return sa.select(sa.func.count().label("rows")).select_from(inner.subquery())

    def tally(self) -> tuple[sa.Select[Any], list[TallyStep]]:
        """
        One pass that counts all records and what is left after each step.
        """
        self._begin()
        counts: list[Element] = [sa.func.count().label("all_records")]
        steps = [TallyStep(None, "all_records", None)]
        so_far: list[Element] = []
        for n, predicate in enumerate(self.plan.steps):
            blank = None
            if isinstance(predicate, Comparison) and predicate.operator in LOSES_BLANKS:
                blank = f"b{n}"
                lost = sa.and_(*so_far, self.blank(predicate.route))
                counts.append(sa.func.count().filter(lost).label(blank))
            so_far.append(self.holds(predicate))
            counts.append(sa.func.count().filter(sa.and_(*so_far)).label(f"n{n}"))
            steps.append(TallyStep(predicate, f"n{n}", blank))
        return sa.select(*counts).select_from(self._from()), steps

    # Relations

    def _from(self) -> sa.FromClause:
        joined = self._table_at((), self.plan.record_type)
        for alias, on in self._joins:
            joined = joined.outerjoin(alias, on)
        return joined

    def _table_at(self, way: tuple[str, ...], record_type: RecordType) -> sa.FromClause:
        if way not in self._aliases:
            names = [f.column for f in record_type.fields]
            names += [own for r in record_type.relations for own, _ in r.pairs]
            columns: list[sa.ColumnClause[Any]] = [sa.column(name) for name in dict.fromkeys(names)]
            table = sa.table(record_type.table, *columns, schema=record_type.schema)
            self._aliases[way] = table.alias(f"t{len(self._aliases)}")
        return self._aliases[way]

    def _joined(self, relations: Iterable[Relation]) -> sa.FromClause:
        way: tuple[str, ...] = ()
        here = self._table_at((), self.plan.record_type)
        for relation in relations:
            way = (*way, relation.name)
            if way not in self._aliases:
                target = self._table_at(way, self.plan.catalogue.record_types[relation.target])
                on = sa.and_(*(here.c[own] == target.c[other] for own, other in relation.pairs))
                self._joins.append((target, on))
            here = self._aliases[way]
        return here

    def column(self, route: Route) -> Element:
        """
        The database column at the end of a route, joined when it was not yet.
        """
        return self._joined(route.relations).c[route.field.column]

    # What goes out

    def _output(self, column: PlanColumn) -> Element:
        assert column.route is not None
        field = column.route.field
        value = self.column(column.route)
        if field.stored == "float":
            # Through the shortest text that reads back as the same number, so no digits are invented.
            value = sa.cast(sa.cast(value, sa.Text), sa.Numeric)
        if column.show.decimals is not None and field.kind is Kind.DECIMAL:
            # PostgreSQL rounds numeric half away from zero, as people do.
            value = sa.func.round(value, sa.literal_column(str(column.show.decimals)))
        if field.stored in ("numeric", "float", "other"):
            # Exact decimals travel as their text; the driver's own way of unpacking them takes three times as long.
            return sa.cast(value, sa.Text)
        return value

    def _ordering(self, order: PlanOrder) -> Iterable[Element]:
        field, value = order.route.field, self.column(order.route)
        if field.kind is Kind.CHOICE and field.choices and order.by_label:
            labels = [(value == literal(_code(c.code, field)), literal(c.label)) for c in field.choices]
            value = sa.case(*labels, else_=sa.cast(value, sa.Text))
            value = self._sorted_text(value)
        elif field.stored == "text":
            value = self._sorted_text(value)
        elif field.stored == "other":
            value = sa.cast(value, sa.Text)
        directed = value.desc() if order.descending else value.asc()
        if order.descending != order.blanks_first and not self._is_filled(order.route):
            # The database puts NULL last when ascending and first when descending. Where there is none it is not
            # mentioned, so that an index on the column can give the order.
            directed = directed.nulls_first() if order.blanks_first else directed.nulls_last()
        yield directed

    def _is_filled(self, route: Route) -> bool:
        """
        Whether no row of the file has NULL here: the database says so, or a step of the filter drops it. Empty texts
        are ordered as NULL, so of texts it is never known.
        """
        if route.field.stored == "text":
            return False
        if not route.relations and not route.field.nullable:
            return True
        return any(
            isinstance(step, Comparison)
            and step.route.path == route.path
            and step.operator not in KEEPS_BLANKS
            and (step.span is None or step.span.start is not None or step.span.end is not None)
            for step in self.plan.steps
        )

    def _sorted_text(self, value: Element) -> Element:
        trimmed = sa.func.nullif(value, literal(""))
        return sa.collate(trimmed, self.collation) if self.collation else trimmed

    # Filter

    def _where(self) -> list[Element]:
        return [self.holds(p) for p in self.plan.steps]

    def holds(self, predicate: Predicate) -> Element:
        """
        Whether a predicate holds for a record. May be NULL for "no"; inside `none` it never is.
        """
        if isinstance(predicate, Comparison):
            return self._VERBS[predicate.operator](self, predicate)
        parts = [self.holds(p) for p in predicate.parts]
        if predicate.how == "all":
            return sa.and_(*parts)
        if predicate.how == "any":
            return sa.or_(*parts)
        return sa.not_(sa.or_(*(sa.func.coalesce(p, sa.false()) for p in parts)))

    def blank(self, route: Route) -> Element:
        """
        NULL, or a text that is empty or only white space.
        """
        value = self.column(route)
        if route.field.stored == "text":
            return sa.or_(value.is_(None), sa.func.btrim(value, literal(WHITE)) == literal(""))
        return value.is_(None)

    def _folded(self, c: Comparison) -> tuple[Element, Callable[[Value], Element]]:
        """
        The column and a way to make literals, both brought to the form in which they are compared.
        """
        field, value = c.route.field, self.column(c.route)
        if field.kind is Kind.CHOICE or not field.kind.is_text:
            return value, lambda v: literal(v, field.stored)
        if field.stored != "text":
            value = sa.cast(value, sa.Text)
        if c.exact:
            return value, lambda v: literal(str(v))
        return (
            sa.func.lower(sa.func.btrim(value, literal(WHITE))),
            lambda v: sa.func.lower(literal(str(v).strip(WHITE))),
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
        value, kind = self.column(c.route), c.route.field.kind
        bounds: list[Element] = []
        if c.span.start is not None:
            bounds.append(value >= literal(_as_kind(c.span.start, kind)))
        if c.span.end is not None:
            end = c.span.last_day if kind is Kind.DATE else _as_kind(c.span.end, kind)
            assert end is not None
            bounds.append(value <= literal(end) if kind is Kind.DATE else value < literal(end))
        return sa.and_(*bounds) if bounds else sa.true()

    _VERBS: ClassVar[dict[str, Callable[[Statements, Comparison], Element]]] = {
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
        "blank": lambda self, c: self.blank(c.route),
        "not_blank": lambda self, c: sa.not_(self.blank(c.route)),
        "yes": lambda self, c: self.column(c.route).is_(sa.true()),
        "no": lambda self, c: self.column(c.route).is_(sa.false()),
    }


def escape_like(text: str) -> str:
    """
    `text` with the wildcards of LIKE made plain; the escape character is `~`.
    """
    return text.replace("~", "~~").replace("%", "~%").replace("_", "~_")


def _code(code: str, field: Field) -> Value:
    return int(code) if field.stored == "integer" else code


def _as_kind(moment: Any, kind: Kind) -> Any:
    if kind is Kind.DATE:
        return moment.date()
    return moment.replace(tzinfo=None) if kind is Kind.TIMESTAMP else moment
