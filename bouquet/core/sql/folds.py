"""
What folds come to: many records as one value.

Correlated subqueries where few rows are read, joins of aggregated subqueries where many are: the same result, each
the faster way for its purpose.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import sqlalchemy as sa

from bouquet.core.catalogue import Kind
from bouquet.core.plan import (
    Folded,
    PlanOrder,
    Read,
)
from bouquet.core.sql.joins import Join, bare
from bouquet.core.sql.literals import literal

if TYPE_CHECKING:
    from bouquet.core.sql.dialects import Dialect
    from bouquet.core.sql.scope import Scope

__all__ = ["AGGREGATES", "FoldJoin", "anchor_of", "fold", "folded_records", "together", "without_none"]

Element = sa.ColumnElement[Any]


@dataclass
class FoldJoin:
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
            statement = self.inner.dialect.one_of_each(statement, links, self.picks)
        else:
            statement = statement.group_by(*links)
        made = statement.subquery(self.name)
        on = sa.and_(*(made.c[f"{self.name}k{n}"] == own for n, (own, _) in enumerate(self.link)))
        return made, on


def fold(scope: Scope, cell: Folded) -> Element:
    """
    Many records as one value.
    """
    if not cell.chain and scope.grouped and scope.combined is not None:
        return without_none(cell, scope.combined.fold(cell))
    if not cell.chain:
        # What a group gathers of its own records is said of each of them.
        with scope.of_each_record():
            where = scope.holds(cell.where) if cell.where is not None else None
            return without_none(cell, AGGREGATES[cell.how](scope, cell, where))
    if not scope.grouped:
        return _fold_of_record(scope, cell)
    if cell.how == "mean":
        total, count = (fold(scope, replace(cell, how=how)) for how in ("sum", "count"))
        return scope.dialect.divided(total, count)
    return without_none(cell, together(scope.dialect, cell, _fold_of_record(scope, cell)))


def together(dialect: Dialect, cell: Folded, value: Element) -> Element:
    """
    What folds of parts, such as each record of a group, make together; an aggregate.
    """
    if cell.how == "sum":
        return dialect.total(value, cell.field)
    return TOGETHER[cell.how](dialect, value)


def _fold_of_record(scope: Scope, cell: Folded) -> Element:
    if scope.context.many or scope.dialect.always_joins:
        return without_none(cell, _joined_fold(scope, cell))
    inner, chain, link, where = folded_records(scope, cell)
    aggregate = AGGREGATES[cell.how](inner, cell, None)
    statement = sa.select(aggregate).select_from(inner.from_clause(chain)).where(*(a == b for a, b in link))
    if where is not None:
        statement = statement.where(where)
    return without_none(cell, statement.correlate(anchor_of(scope, cell)).scalar_subquery())


def anchor_of(scope: Scope, cell: Folded) -> sa.FromClause:
    return scope.joined(cell.anchor)


def folded_records(
    scope: Scope, cell: Folded
) -> tuple[Scope, sa.FromClause, tuple[tuple[Element, Element], ...], Element | None]:
    """
    (the folded records' scope, the chain of tables that leads to them, (own, their) columns that link, its filter).
    """
    anchor = anchor_of(scope, cell)
    inner = scope.of(cell.record_type)
    types = scope.context.catalogue.record_types
    tables = [bare(types[r.target], scope.context.table_name()) for r in cell.chain[:-1]] + [inner.base]
    chain = tables[0]
    for before, here, relation, led in zip(tables, tables[1:], cell.chain[1:], cell.chain, strict=False):
        chain = chain.join(here, scope._led_to(before, here, types[led.target], relation))
    link = tuple((anchor.c[own], tables[0].c[theirs]) for own, theirs in cell.chain[0].pairs)
    where = inner.holds(cell.where) if cell.where is not None else None
    if scope.context.rights is not None and not scope.context.rights.follows(
        scope._type_at(cell.anchor), cell.chain[0]
    ):
        permitted = scope.permitted(tables[0], types[cell.chain[0].target])
        where = permitted if where is None else where if permitted is None else sa.and_(where, permitted)
    return inner, chain, link, where


def _joined_fold(scope: Scope, cell: Folded) -> Element:
    way = tuple(r.name for r in cell.anchor)
    # One record of each is found faster by sorting once than by sorting within each group.
    picking = cell.how in ("first", "latest")
    key = (way, tuple(r.name for r in cell.chain), cell.where, (cell.how, cell.order) if picking else None)
    if key not in scope.fold_joins:
        inner, chain, link, where = folded_records(scope, cell)
        picks = fold_order(inner, cell, latest=cell.how == "latest") if picking else None
        made = FoldJoin(scope.context.fold_name(), inner, chain, link, where, picks)
        scope.fold_joins[key] = made
        scope.joins.append(Join(made.joined, None, scope._is_child(way)))
    join = scope.fold_joins[key]
    if cell not in join.aggregates:
        label = f"{join.name}a{len(join.aggregates)}"
        made_of = folded_value(join.inner, cell) if picking else AGGREGATES[cell.how](join.inner, cell, None)
        join.aggregates[cell] = (label, made_of)
    return sa.column(join.aggregates[cell][0])


def folded_value(scope: Scope, cell: Folded) -> Element:
    """
    The value that a fold gathers, of one record.
    """
    assert cell.value is not None
    return scope.value(Read(cell.value))


def fold_order(scope: Scope, cell: Folded, *, latest: bool = False) -> list[Element]:
    """
    The order in which a fold meets its records: as stated, then by their key.
    """
    parts: list[Element] = []
    picks = cell.how in ("first", "latest")
    levels = [_picking(o, latest=latest) if picks else o for o in cell.order]
    for level in levels:
        parts += scope.ordering(level)
    for level in levels:
        if level.cell.field.stored == "text" and level.cell.field.kind is not Kind.CHOICE:
            parts += scope.ordering(replace(level, exact=True))
    for key in scope.context.catalogue.key_of(scope.record_type):
        value = scope.column(key)
        parts.append(value.desc() if latest else value.asc())
    return parts


def paper_text(scope: Scope, cell: Folded) -> Element:
    """
    The value that a fold joins, as its text.
    """
    assert cell.value is not None
    found, show, value = cell.value.typed, cell.show, folded_value(scope, cell)
    if found.kind is Kind.CHOICE and show.choice == "label":
        return scope.label_of(value, found)
    if found.kind is Kind.BOOLEAN:
        return sa.case((value, literal(show.yes or "true")), (sa.not_(value), literal(show.no or "false")))
    if found.kind.is_dated or found.kind is Kind.TIME:
        return scope.dialect.shown_date(value, found, show, scope.context.zone)
    if found.kind.is_number:
        return scope.dialect.shown_number(value, found, show)
    return value if found.stored == "text" else sa.cast(value, sa.Text)


_Aggregate = Callable[["Scope", Folded, "Element | None"], Element]


def _count(scope: Scope, cell: Folded, where: Element | None) -> Element:
    filled = sa.not_(scope.blank(Read(cell.value))) if cell.value is not None else None
    return scope.dialect.filtered(sa.func.count(), where, filled)


def _count_distinct(scope: Scope, cell: Folded, where: Element | None) -> Element:
    value = folded_value(scope, cell)
    assert cell.value is not None
    return scope.dialect.filtered(sa.func.count(sa.distinct(value)), where, sa.not_(scope.blank(Read(cell.value))))


def _extreme(name: str, *, greatest: bool) -> _Aggregate:
    """
    The least or greatest value; of choices by the order that records are ordered by.
    """

    def make(scope: Scope, cell: Folded, where: Element | None) -> Element:
        assert cell.value is not None
        if cell.field.kind is Kind.CHOICE:
            level = PlanOrder(Read(cell.value), greatest, False)
            value = folded_value(scope, cell)
            filled = sa.not_(scope.blank(Read(cell.value)))
            gathered = scope.dialect.listed(value, scope.ordering(level), where, filled)
            return scope.dialect.nth(gathered, 1, cell.value.field)
        return scope.dialect.filtered(getattr(sa.func, name)(folded_value(scope, cell)), where)

    return make


def _sum(scope: Scope, cell: Folded, where: Element | None) -> Element:
    assert cell.value is not None
    return scope.dialect.filtered(scope.dialect.total(folded_value(scope, cell), cell.value.typed), where)


def _mean(scope: Scope, cell: Folded, where: Element | None) -> Element:
    assert cell.value is not None
    return scope.dialect.mean(folded_value(scope, cell), cell.value.typed, where)


def _picked(scope: Scope, cell: Folded, where: Element | None, *, latest: bool) -> Element:
    assert cell.value is not None
    order = fold_order(scope, cell, latest=latest)
    return scope.dialect.nth(scope.dialect.listed(folded_value(scope, cell), order, where), 1, cell.value.field)


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
        return scope.dialect.different(ordered, where, filled)
    return scope.dialect.listed(value, fold_order(scope, cell), where, filled)


def _distinct_in_order(
    scope: Scope, cell: Folded, where: Element | None, value: Element, filled: Element | None
) -> Element:
    """
    Different values, ordered by the least order value of each; one that has none stands as the stated blanks do.
    """
    backwards, blanks_first = cell.order[0].descending, cell.order[0].blanks_first
    upwards = tuple(replace(o, descending=o.descending != backwards, blanks_first=False) for o in cell.order)
    order = fold_order(scope, replace(cell, order=upwards))
    blank = scope.blank(cell.order[0].cell)
    values, blanks = (scope.dialect.listed(made, order, where, filled) for made in (value, blank))
    return scope.dialect.different_in_order(values, blanks, backwards=backwards, blanks_first=blanks_first)


def _joined(scope: Scope, cell: Folded, where: Element | None) -> Element:
    assert cell.value is not None
    if not (cell.distinct and cell.order):
        text, filled = paper_text(scope, cell), sa.not_(scope.blank(Read(cell.value)))
        order = [] if cell.distinct else fold_order(scope, cell)
        if cell.at_most is None and not cell.distinct:
            return scope.dialect.joined(text, cell.separator, order, where, filled)
        return scope.dialect.joined_some(
            text, cell.separator, order, cell.at_most, where, filled, distinct=cell.distinct
        )
    return scope.dialect.listed_text(
        _gathered(scope, cell, where, paper_text(scope, cell)), cell.separator, cell.at_most
    )


def _spread(scope: Scope, cell: Folded, where: Element | None) -> Element:
    assert cell.value is not None
    gathered = _gathered(scope, cell, where, folded_value(scope, cell))
    return scope.dialect.nth(gathered, cell.number, cell.value.field)


def _every(scope: Scope, cell: Folded, where: Element | None) -> Element:
    return scope.dialect.filtered(scope.dialect.every(folded_value(scope, cell)), where)


def _some(scope: Scope, cell: Folded, where: Element | None) -> Element:
    return scope.dialect.filtered(scope.dialect.some(folded_value(scope, cell)), where)


AGGREGATES: dict[str, _Aggregate] = {
    "count": _count,
    "count_distinct": _count_distinct,
    "sum": _sum,
    "mean": _mean,
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
TOGETHER: dict[str, Callable[[Dialect, Element], Element]] = {
    "count": lambda _, value: sa.func.sum(value),
    "least": lambda _, value: sa.func.min(value),
    "greatest": lambda _, value: sa.func.max(value),
    "any": lambda dialect, value: dialect.some(value),
    "all": lambda dialect, value: dialect.every(value),
    "none": lambda dialect, value: dialect.every(value),
}


def without_none(cell: Folded, value: Element) -> Element:
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
