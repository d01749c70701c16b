"""
Conditions on joined records that are answered once for each of these, and not once for every row that leads to one: of
48,000 trees in twelve wards, the ward's name is compared twelve times.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, TypeAlias

import sqlalchemy as sa

from bouquet.core.catalogue import Catalogue, RecordType, Relation
from bouquet.core.plan import Comparison, Group, Predicate, Read
from bouquet.core.vocabulary.comparisons import COMPARISONS

if TYPE_CHECKING:
    from bouquet.core.sql.scope import Scope

__all__ = ["Apart", "answer", "answered_apart", "answering"]

Element = sa.ColumnElement[Any]

#: Rows there have to be for each joined record: below, the joined table itself would be read for few of its records.
ROWS_EACH = 4

#: The conditions that are answered apart, by the way of the relations that lead to the records they ask about.
Apart: TypeAlias = Mapping[tuple[str, ...], tuple[Comparison, ...]]


def answered_apart(
    catalogue: Catalogue, record_type: RecordType, opened: tuple[Relation, ...], predicates: Iterable[Predicate]
) -> Apart:
    """
    The conditions of `predicates` that are worth it: of texts, which are trimmed and folded to be compared, in tables
    that the database expects to be much smaller than the one whose rows lead to them.
    """
    rows = max(catalogue.record_types[r.target].rows_estimate or 0 for r in opened) if opened else 0
    rows = max(rows, record_type.rows_estimate or 0)
    found: dict[tuple[str, ...], tuple[Comparison, ...]] = {}
    for comparison in dict.fromkeys(c for p in predicates for c in _comparisons(p)):
        relations = _of_joined(comparison, opened)
        if not relations:
            continue
        there = catalogue.record_types[relations[-1].target].rows_estimate
        if there and there * ROWS_EACH <= rows:
            way = tuple(r.name for r in relations)
            found[way] = (*found.get(way, ()), comparison)
    return found


def answering(scope: Scope, record_type: RecordType, asked: Sequence[Comparison]) -> sa.FromClause:
    """
    A record type's table that answers conditions: `holds 0`, `holds 1`…
    """
    inner = scope.of(record_type)
    answers = [inner.holds(_of_its_end(c)).label(f"holds {n}") for n, c in enumerate(asked)]
    made = sa.select(*inner.base.c, *answers).select_from(inner.from_clause())
    # Without this the database would put the conditions back where the joined rows are.
    return made.offset(sa.literal_column("0")).subquery(scope.context.table_name())


def answer(scope: Scope, comparison: Comparison) -> Element | None:
    """
    What a joined table answered to a condition; None where that is not answered apart.
    """
    relations = _of_joined(comparison, scope.opened) if scope.apart else ()
    asked = scope.apart.get(tuple(r.name for r in relations), ())
    if comparison not in asked:
        return None
    found = scope.joined(relations).c[f"holds {asked.index(comparison)}"]
    # Where the way leads nowhere there is a blank.
    return sa.func.coalesce(found, sa.true()) if COMPARISONS[comparison.operator].keeps_blanks else found


def _of_joined(comparison: Comparison, opened: tuple[Relation, ...]) -> tuple[Relation, ...]:
    """
    The relations that lead to the record whose text a condition compares; empty where it is another condition.
    """
    cell = comparison.cell
    if not isinstance(cell, Read) or comparison.operator in ("blank", "not_blank"):
        return ()
    found, relations = cell.route.field, cell.route.relations
    plain = not found.formula and found.attribute is None and cell.field.kind.is_text
    return relations if plain and relations != opened[: len(relations)] else ()


def _of_its_end(comparison: Comparison) -> Comparison:
    """
    The same condition, asked of the joined record itself.
    """
    cell = comparison.cell
    assert isinstance(cell, Read)
    return replace(comparison, cell=replace(cell, route=replace(cell.route, relations=())))


def _comparisons(predicate: Predicate) -> Iterator[Comparison]:
    if isinstance(predicate, Group):
        for part in predicate.parts:
            yield from _comparisons(part)
    elif isinstance(predicate, Comparison):
        yield predicate
