"""
What plans are made of: cells, which are values of a row, and predicates, which a row meets or not.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, TypeAlias

from bouquet.core import formula
from bouquet.core.catalogue import Field, Kind, RecordType, Relation, Route
from bouquet.core.template import Show
from bouquet.core.values import Value
from bouquet.core.windows import Span

__all__ = [
    "Among",
    "Cell",
    "Comparison",
    "Computed",
    "Fixed",
    "Folded",
    "Group",
    "Having",
    "Listed",
    "Permitted",
    "PlanOrder",
    "Predicate",
    "Quarter",
    "Read",
    "Stepped",
    "Test",
    "relations_of",
    "routes_of",
]


@dataclass(frozen=True)
class Read:
    """
    The value of a field.
    """

    route: Route

    @property
    def field(self) -> Field:
        return self.route.typed


@dataclass(frozen=True)
class Stepped:
    """
    The step of time that a dated field lies in: its beginning, as a date for steps of days and longer.
    """

    route: Route
    unit: str
    count: int
    field: Field


@dataclass(frozen=True)
class Folded:
    """
    Many records as one value.

    `anchor` leads to the one record whose many are folded, `chain` from there to them; both are empty where a group's
    own records are folded. `value`, `where` and `order` start at the folded records, whose type is `record_type`.
    """

    anchor: tuple[Relation, ...]
    chain: tuple[Relation, ...]
    record_type: RecordType = dataclasses.field(hash=False)
    how: str
    value: Route | None
    where: Predicate | None
    order: tuple[PlanOrder, ...]
    separator: str
    distinct: bool
    at_most: int | None
    show: Show
    field: Field
    #: Of a spread: which of the numbered values this is, from 1.
    number: int = 1
    #: Of a spread beside another of the same records: blanks keep their place, so that values of one number belong to
    #: one record.
    keeps_places: bool = False


@dataclass(frozen=True)
class Computed:
    """
    The value of a formula, as its checked tree. `size` tells how many operands it has as SQL.
    """

    tree: formula.Node
    field: Field
    size: int = dataclasses.field(default=1, compare=False)

    def __hash__(self) -> int:
        # Columns that refer to each other share their trees; each tree's digest is made once.
        found: int | None = self.__dict__.get("_hash")
        if found is None:
            found = hash((self.tree, self.field))
            object.__setattr__(self, "_hash", found)
        return found


@dataclass(frozen=True)
class Fixed:
    """
    The same in every row. `value` is typed where it answers an ask.
    """

    value: Value | None
    field: Field = Field(name="", column="", kind=Kind.TEXT, stored="text", label="constant")  # noqa: RUF009


@dataclass(frozen=True)
class Quarter:
    """
    Of all numbers that stand in the rows of the file in the place of `cell`, in their order: the one a quarter, or
    three, of the way up (nearest rank). The same in every row.
    """

    cell: Read | Folded | Computed
    at: Literal[1, 3]

    @property
    def field(self) -> Field:
        return self.cell.field


Cell: TypeAlias = Read | Stepped | Folded | Computed | Fixed | Quarter


@dataclass(frozen=True, kw_only=True)
class Comparison:
    """
    One condition. `values` are read as the cell's kind; `span` is given for windows only.
    """

    cell: Cell
    operator: str
    values: tuple[Value, ...]
    span: Span | None
    exact: bool
    place: str


@dataclass(frozen=True, kw_only=True)
class Having:
    """
    Whether the number of records of `fold`, a count, is at least `least`, or, without it, whether there is none.
    """

    fold: Folded
    least: int | None
    place: str


@dataclass(frozen=True, kw_only=True)
class Among:
    """
    Whether a record's key is one of a saved list's.
    """

    key: tuple[Route, ...]
    keys: tuple[tuple[Value, ...], ...]
    name: str
    place: str


@dataclass(frozen=True, kw_only=True)
class Listed:
    """
    Whether a value is one of those that a field of a record type has.
    """

    cell: Cell
    record_type: RecordType = dataclasses.field(hash=False)
    listed: Field
    place: str


@dataclass(frozen=True, kw_only=True)
class Test:
    """
    A formula that must be true.
    """

    cell: Computed
    place: str


@dataclass(frozen=True)
class Group:
    """
    Parts joined by `all`, `any` or `none`. A group without parts narrows nothing.
    """

    how: Literal["all", "any", "none"]
    parts: tuple[Predicate, ...]
    place: str


@dataclass(frozen=True, kw_only=True)
class Permitted:
    """
    Whether a record is one that the asking person may see.
    """

    place: str = "scope"


Predicate: TypeAlias = Comparison | Having | Among | Listed | Test | Permitted | Group


@dataclass(frozen=True)
class PlanOrder:
    """
    One level of the order of rows.
    """

    cell: Cell
    descending: bool
    blanks_first: bool
    #: Sort choices by the label they show, or by their code.
    by_label: bool = True
    #: Tell texts apart that differ by case only. Levels that somebody stated do not: case never decides before a later
    #: level does; levels of their own at the end do.
    exact: bool = False


def relations_of(
    parts: Iterable[Cell | Predicate], opened: tuple[Relation, ...] = ()
) -> tuple[tuple[Relation, ...], ...]:
    """
    The ways to one other record that cells and predicates take from the row's own record, each step of a way apart:
    `tree`, then `tree, site`. Ways through relations to many end before these, but for the `opened` ones.
    """
    found: dict[tuple[str, ...], tuple[Relation, ...]] = {}
    for part in parts:
        routes = list(routes_of(part))
        if isinstance(part, Folded) and not part.chain and part.value is not None:
            routes.append(part.value)
        for route in routes:
            for n in range(1, len(route.relations) + 1):
                way = route.relations[:n]
                if way[-1].many and way != opened[:n]:
                    break
                if way[-1].many:
                    continue
                found.setdefault(tuple(r.name for r in way), way)
    return tuple(found[name] for name in sorted(found))


def routes_of(part: Cell | Predicate | None) -> tuple[Route, ...]:
    """
    Every route by which a cell or a predicate reads the row's own records; those inside a fold are not its own, but
    the way to the folded records is, given as a route to a nameless field.
    """
    match part:
        case Read() | Stepped():
            return (part.route,)
        case Folded():
            return (Route(part.anchor, part.field),) if part.anchor else ()
        case Quarter():
            return routes_of(part.cell)
        case Computed():
            return tuple(r for t in formula.references_of(part.tree) for r in routes_of(t))  # type: ignore[arg-type]
        case Comparison() | Listed() | Test():
            return routes_of(part.cell)
        case Having():
            return routes_of(part.fold)
        case Among():
            return part.key
        case Group():
            return tuple(r for p in part.parts for r in routes_of(p))
        case _:
            return ()
