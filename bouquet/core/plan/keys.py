"""
By which columns the rows of a sheet are told apart.
"""

from __future__ import annotations

from bouquet.core.catalogue import Kind, Route
from bouquet.core.plan.model import Plan
from bouquet.core.plan.nodes import Read

__all__ = ["propose_key"]


def propose_key(plan: Plan) -> tuple[str, ...]:
    """
    Headings of the columns that identify a row: those of the key of what rows stand for; or of the field that it is
    known by; or of what groups are made by. Where none of these has a column, the identifiers among the columns, and
    where there are none, all columns.
    """
    if plan.by:
        wanted = [b.cell for b in plan.by]
        found = [next((c.heading for c in plan.columns if c.cell == cell), None) for cell in wanted]
        return tuple(h for h in found if h) if all(found) else _all(plan)
    by_path = {c.cell.route.path: c.heading for c in reversed(plan.columns) if isinstance(c.cell, Read)}
    title = plan.row_type.field_named(plan.row_type.title or "")
    ways: list[list[Route]] = [list(plan.row_key)]
    if title is not None:
        ways.append([Route(plan.opened, title)])
        own = plan.record_type.field_named(plan.record_type.title or "")
        if plan.opened and own is not None:
            ways.append([Route((), own), Route(plan.opened, title)])
    for routes in ways:
        if routes and all(r.path in by_path for r in routes):
            return tuple(by_path[r.path] for r in routes)
    identifiers = tuple(c.heading for c in plan.columns if c.kind is Kind.IDENTIFIER)
    return identifiers or _all(plan)


def _all(plan: Plan) -> tuple[str, ...]:
    return tuple(c.heading for c in plan.columns if not c.is_constant)
