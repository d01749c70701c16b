"""
What checks would object to if the template ran now.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from bouquet.core.checks import Findings
from bouquet.core.plan import Plan
from bouquet.core.slip import Totals
from bouquet.core.sql import OBJECTS, Statements
from bouquet.core.template import Check, ColumnCheck, Severity
from bouquet.designing.looking import CELL_SHOWN
from bouquet.sources import Snapshot

__all__ = ["Counted", "Objected", "Usual", "count_checks"]

#: Rows shown of those that a check objects to.
OBJECTED = 5


@dataclass(frozen=True)
class Objected:
    """
    A row that a check objects to: the key of its record, and the value.
    """

    key: list[str]
    value: str | None


@dataclass(frozen=True)
class Usual:
    """
    How the numbers of a column are spread: the least and the greatest, the middle half, and what is still usual.
    """

    least: float
    greatest: float
    middle_from: float
    middle_to: float
    usual_from: float
    usual_to: float


@dataclass(frozen=True)
class Counted:
    """
    One check: how many rows it objects to, with some of them; or, where `whole`, whether it objects to the file, and
    what it saw.
    """

    place: str
    words: str
    severity: Severity
    whole: bool
    objections: int
    saw: str = ""
    at_run: bool = False
    rows: list[Objected] = field(default_factory=list)
    usual: Usual | None = None


def count_checks(snapshot: Snapshot, plan: Plan, parts: Sequence[Check] = ()) -> tuple[int, list[Counted]]:
    """
    (rows, checks in the order of the template, which has them as `parts`).
    """
    statements = Statements(plan)
    counts = snapshot.row(statements.objections())
    checks = [
        _check_count(snapshot, statements, n, int(counts[f"{OBJECTS}{n}"]), parts) for n in range(len(plan.row_checks))
    ]
    checks += _whole_counts(statements, int(counts["rows"]))
    return int(counts["rows"]), sorted(checks, key=lambda c: int(c.place.partition("[")[2].rstrip("]") or 0))


def _check_count(
    snapshot: Snapshot, statements: Statements, n: int, count: int, checks: Sequence[Check] = ()
) -> Counted:
    check = statements.plan.row_checks[n]
    parts = [c for k, c in enumerate(checks) if check.place == f"checks[{k}]"]
    rows = snapshot.rows(statements.objected(n, limit=OBJECTED)) if count else []
    found = [
        Objected(
            key=[str(r[k]) for k in sorted(r) if k.startswith("k")],
            value=None if r["v0"] is None or check.column is None else str(r["v0"])[:CELL_SHOWN],
        )
        for r in rows
    ]
    spread = next((p.spread for p in parts if isinstance(p, ColumnCheck) and p.must == "near_usual"), None)
    return Counted(
        place=check.place,
        words=check.words,
        severity=check.severity,
        whole=False,
        objections=count,
        rows=found,
        usual=_usual(snapshot, statements, n, spread) if spread is not None else None,
    )


def _usual(snapshot: Snapshot, statements: Statements, n: int, spread: Decimal) -> Usual | None:
    found = snapshot.row(statements.spread(n))
    if found["at0"] is None:
        return None
    least, low, high, greatest = (Decimal(str(found[f"at{at}"])) for at in (0, 1, 3, 4))
    if not all(math.isfinite(v) for v in (least, low, high, greatest)):
        # A database keeps “not a number” and infinity among its numbers; no picture shows how far they lie.
        return None
    far = spread * (high - low)
    usual = [float(v) for v in (least, greatest, low, high, low - far, high + far)]
    return Usual(*usual) if all(map(math.isfinite, usual)) else None


def _whole_counts(statements: Statements, rows: int) -> list[Counted]:
    """
    The checks of the file as a whole; those that need totals of columns are judged by the run.
    """
    plan = statements.plan
    totals = Totals(plan)
    totals.rows = rows
    known = [c for c in plan.file_checks if c.part.file not in ("total", "full")]
    found = Findings(replace(plan, file_checks=tuple(known)))
    found.finish(totals)
    said = {known[n].place: saw for n, saw in found.whole.items()}
    return [
        Counted(
            place=c.place,
            words=c.words,
            severity=c.severity,
            whole=True,
            objections=int(c.place in said),
            saw=said.get(c.place, ""),
            at_run=c not in known,
            rows=[],
        )
        for c in plan.file_checks
    ]
