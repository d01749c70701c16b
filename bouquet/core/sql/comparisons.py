"""
What predicates come to: whether a record, a child or a group meets them.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import sqlalchemy as sa

from bouquet.core.catalogue import Kind, Route
from bouquet.core.plan import (
    Among,
    Comparison,
    Having,
    Listed,
    Permitted,
    Predicate,
    Read,
    Test,
)
from bouquet.core.sql.apart import answer
from bouquet.core.sql.folds import anchor_of, folded_records
from bouquet.core.sql.literals import literal
from bouquet.core.values import WHITE, Value

if TYPE_CHECKING:
    from bouquet.core.sql.scope import Scope

__all__ = ["VERBS", "escape_like", "holds"]

Element = sa.ColumnElement[Any]


def holds(scope: Scope, predicate: Predicate) -> Element:
    """
    Whether a predicate holds for a record. May be NULL for "no"; inside `none` it never is.
    """
    match predicate:
        case Comparison():
            answered = answer(scope, predicate)
            return VERBS[predicate.operator](scope, predicate) if answered is None else answered
        case Having():
            return _having(scope, predicate)
        case Among():
            return _among(scope, predicate)
        case Listed():
            return _listed(scope, predicate)
        case Test():
            return scope.value(predicate.cell)
        case Permitted():
            found = scope.permitted(scope.base, scope.record_type)
            return found if found is not None else sa.true()
    parts = [holds(scope, p) for p in predicate.parts]
    if predicate.how == "all":
        return sa.and_(*parts)
    if predicate.how == "any":
        return sa.or_(*parts)
    return sa.not_(sa.or_(*(sa.func.coalesce(p, sa.false()) for p in parts)))


def _having(scope: Scope, predicate: Having) -> Element:
    cell, least = predicate.fold, predicate.least
    if not scope.context.exists or (least or 1) > 1 or not cell.chain:
        count = scope.fold(cell)
        return count >= sa.literal_column(str(least)) if least else count == sa.literal_column("0")
    inner, chain, link, where = folded_records(scope, cell)
    statement: sa.Select[Any] = sa.select(sa.literal_column("1")).select_from(inner.from_clause(chain))
    statement = statement.where(*(a == b for a, b in link))
    if where is not None:
        statement = statement.where(where)
    found = statement.correlate(anchor_of(scope, cell)).exists()
    return found if least else sa.not_(found)


def _among(scope: Scope, predicate: Among) -> Element:
    if not predicate.keys:
        return sa.false()
    columns = [scope.column(r) for r in predicate.key]
    stored = [r.field.stored for r in predicate.key]
    if len(columns) == 1:
        return scope.dialect.among(columns[0], [k[0] for k in predicate.keys], stored[0])
    rows = [sa.tuple_(*(scope.dialect.literal(v, s) for v, s in zip(k, stored, strict=True))) for k in predicate.keys]
    return sa.or_(*(sa.tuple_(*columns) == r for r in rows))


def _listed(scope: Scope, predicate: Listed) -> Element:
    """
    One look through the whole list, whatever the number of rows.
    """
    inner = scope.of(predicate.record_type)
    listed = inner.column(Route((), predicate.listed))
    value = scope.value(predicate.cell)
    if predicate.listed.kind.is_text:
        listed, value = sa.cast(listed, sa.Text), sa.cast(value, sa.Text)
    known = sa.select(listed).select_from(inner.from_clause()).where(listed.is_not(None))
    permitted = inner.permitted(inner.base, predicate.record_type)
    return value.in_(known if permitted is None else known.where(permitted))


def _folded(scope: Scope, c: Comparison) -> tuple[Element, Callable[[Value], Element]]:
    """
    The value and a way to make literals, both brought to the form in which they are compared.
    """
    found, value = c.cell.field, scope.value(c.cell)
    if found.kind.is_number and not isinstance(c.cell, Read):
        value = scope.dialect.compared_number(value)
    if found.kind is Kind.CHOICE or not found.kind.is_text:
        return value, lambda v: scope.dialect.literal(v, found.stored)
    if found.stored != "text":
        value = sa.cast(value, sa.Text)
    if c.exact:
        return value, lambda v: literal(str(v))
    return (
        scope.dialect.lowered(scope.dialect.trimmed(value, WHITE)),
        lambda v: scope.dialect.lowered(literal(str(v).strip(WHITE))),
    )


def _is(scope: Scope, c: Comparison) -> Element:
    value, make = _folded(scope, c)
    return value == make(c.values[0])


def _is_not(scope: Scope, c: Comparison) -> Element:
    value, make = _folded(scope, c)
    return value.is_distinct_from(make(c.values[0]))


def _one_of(scope: Scope, c: Comparison) -> Element:
    value, make = _folded(scope, c)
    return value.in_([make(v) for v in c.values])


def _none_of(scope: Scope, c: Comparison) -> Element:
    return sa.func.coalesce(sa.not_(_one_of(scope, c)), sa.true())


def _like(scope: Scope, c: Comparison, before: str, after: str) -> Element:
    value, make = _folded(scope, c)
    typed = str(c.values[0]) if c.exact else str(c.values[0]).strip(WHITE)
    return value.like(make(before + escape_like(typed) + after), escape="~")


def _contains(scope: Scope, c: Comparison) -> Element:
    return _like(scope, c, "%", "%")


def _not_contains(scope: Scope, c: Comparison) -> Element:
    return sa.func.coalesce(sa.not_(_contains(scope, c)), sa.true())


def _starts_with(scope: Scope, c: Comparison) -> Element:
    return _like(scope, c, "", "%")


def _ends_with(scope: Scope, c: Comparison) -> Element:
    return _like(scope, c, "%", "")


def _matches(scope: Scope, c: Comparison) -> Element:
    value, make = _folded(scope, c)
    pattern = escape_like(str(c.values[0])).replace("*", "%").replace("?", "_")
    return value.like(make(pattern), escape="~")


def _ordered(scope: Scope, c: Comparison, operator: str) -> Element:
    value, make = _folded(scope, c)
    return value.bool_op(operator)(make(c.values[0]))


def _between(scope: Scope, c: Comparison) -> Element:
    value, make = _folded(scope, c)
    return sa.and_(value >= make(c.values[0]), value <= make(c.values[1]))


def _in_window(scope: Scope, c: Comparison) -> Element:
    assert c.span is not None
    value, kind, make = scope.value(c.cell), c.cell.field.kind, scope.dialect.literal
    bounds: list[Element] = []
    if c.span.start is not None:
        bounds.append(value >= make(_as_kind(c.span.start, kind)))
    if c.span.end is not None:
        end = c.span.last_day if kind is Kind.DATE else _as_kind(c.span.end, kind)
        assert end is not None
        bounds.append(value <= make(end) if kind is Kind.DATE else value < make(end))
    return sa.and_(*bounds) if bounds else sa.true()


VERBS: dict[str, Callable[[Scope, Comparison], Element]] = {
    "is": _is,
    "is_not": _is_not,
    "one_of": _one_of,
    "none_of": _none_of,
    "contains": _contains,
    "not_contains": _not_contains,
    "starts_with": _starts_with,
    "ends_with": _ends_with,
    "matches": _matches,
    "less_than": lambda scope, c: _ordered(scope, c, "<"),
    "before": lambda scope, c: _ordered(scope, c, "<"),
    "at_most": lambda scope, c: _ordered(scope, c, "<="),
    "greater_than": lambda scope, c: _ordered(scope, c, ">"),
    "after": lambda scope, c: _ordered(scope, c, ">"),
    "at_least": lambda scope, c: _ordered(scope, c, ">="),
    "between": _between,
    "in_window": _in_window,
    "blank": lambda scope, c: scope.blank(c.cell),
    "not_blank": lambda scope, c: sa.not_(scope.blank(c.cell)),
    "yes": lambda scope, c: scope.dialect.is_true(scope.value(c.cell)),
    "no": lambda scope, c: scope.dialect.is_false(scope.value(c.cell)),
}


def escape_like(text: str) -> str:
    """
    `text` with the wildcards of LIKE made plain; the escape character is `~`.
    """
    return text.replace("~", "~~").replace("%", "~%").replace("_", "~_")


def _as_kind(moment: Any, kind: Kind) -> Any:
    if kind is Kind.DATE:
        return moment.date()
    return moment.replace(tzinfo=None) if kind is Kind.TIMESTAMP else moment
