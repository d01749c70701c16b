"""
The resolved plan: a template with every path found, every value read and every window dated.

Nodes are frozen data. They know no SQL and no file format; visitors in `core.sql`, `core.template.sentence`
and `core.shaping` say how they read.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal, TypeAlias
from zoneinfo import ZoneInfo

from bouquet.core.catalogue import Catalogue, Kind, RecordType, Route
from bouquet.core.template import Output, Show
from bouquet.core.values import Value
from bouquet.core.windows import Span

__all__ = ["Comparison", "Context", "Group", "Plan", "PlanColumn", "PlanOrder", "Predicate"]


@dataclass(frozen=True, kw_only=True)
class Context:
    """
    What a run brings to a template: its as-of moment, and the first month of the financial year.
    """

    as_of: datetime
    year_start: int = 4


@dataclass(frozen=True, kw_only=True)
class PlanColumn:
    """
    One column of the sheet; exactly one of `route` and `constant` is given.
    """

    id: str
    heading: str
    route: Route | None
    constant: str | None
    show: Show
    blank: str

    @property
    def kind(self) -> Kind:
        return self.route.field.kind if self.route else Kind.TEXT


@dataclass(frozen=True, kw_only=True)
class Comparison:
    """
    One condition. `values` are read as the field's kind; `span` is given for windows only.
    """

    route: Route
    operator: str
    values: tuple[Value, ...]
    span: Span | None
    exact: bool
    place: str


@dataclass(frozen=True)
class Group:
    """
    Parts joined by `all`, `any` or `none`. A group without parts narrows nothing.
    """

    how: Literal["all", "any", "none"]
    parts: tuple[Predicate, ...]
    place: str


Predicate: TypeAlias = Comparison | Group


@dataclass(frozen=True)
class PlanOrder:
    """
    One level of the order of rows.
    """

    route: Route
    descending: bool
    blanks_first: bool
    #: Sort choices by the label they show, or by their code.
    by_label: bool = True


@dataclass(frozen=True, kw_only=True)
class Plan:
    """
    Everything needed to read, count, trace and write one template at one as-of moment.

    `steps` are the parts of the filter in their order, each one step of the tally.
    `order` is total: the record key stands at its end.
    """

    catalogue: Catalogue
    record_type: RecordType
    columns: tuple[PlanColumn, ...]
    steps: tuple[Predicate, ...]
    order: tuple[PlanOrder, ...]
    key: tuple[Route, ...]
    at_most: int | None
    zone: ZoneInfo
    context: Context
    output: Output
    name: str
