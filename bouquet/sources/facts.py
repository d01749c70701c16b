"""
A field's values at a glance: how full, how many different, least, greatest, the most frequent, a histogram.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

import sqlalchemy as sa

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Route
from bouquet.core.plan import Read
from bouquet.core.rights import Rights
from bouquet.core.sql import DIALECTS
from bouquet.core.sql.scope import Scope, StatementContext
from bouquet.sources.base import Snapshot
from bouquet.sources.profile import SAMPLE_ROWS

__all__ = ["Bar", "FieldFacts", "field_facts"]

#: Rows up to which everything is looked at; beyond, a sample.
EXACT_ROWS = 250_000

TOP = 8
BARS = 12

_UTC = ZoneInfo("UTC")


@dataclass(frozen=True)
class Bar:
    """
    One bar of a histogram, from `least` up to `greatest`, as texts.
    """

    least: str
    greatest: str
    count: int


@dataclass(frozen=True)
class FieldFacts:
    """
    `rows` is the database's count or estimate, `seen` the rows looked at, `exact` whether these were all.
    `distinct` is counted where all rows were seen, otherwise the database's estimate. Values of personal fields and of
    files are left out.
    """

    field: Field
    rows: int
    seen: int
    exact: bool
    fill: float
    distinct: int
    distinct_exact: bool
    least: str | None
    greatest: str | None
    top: tuple[tuple[str, int], ...]
    histogram: tuple[Bar, ...]


def field_facts(
    snapshot: Snapshot, catalogue: Catalogue, record_type: RecordType, found: Field, rights: Rights | None = None
) -> FieldFacts:
    """
    Look at the values of one field, with at most a few passes over the record type or a sample of it. Of the records
    that `rights` leave, and of no other.
    """
    return _Facts(snapshot, catalogue, record_type, found, rights).facts()


class _Facts:
    def __init__(
        self, snapshot: Snapshot, catalogue: Catalogue, record_type: RecordType, found: Field, rights: Rights | None
    ) -> None:
        self.snapshot, self.catalogue, self.record_type, self.found = snapshot, catalogue, record_type, found
        self.dialect = DIALECTS[catalogue.dialect]
        self.rights = rights
        self.estimate = record_type.rows_estimate or 0
        self.exact = self.estimate <= EXACT_ROWS
        self.hidden = found.personal or found.kind is Kind.FILE

    def facts(self) -> FieldFacts:
        values, filled = self._values()
        count = sa.func.count()
        outputs: list[Any] = [count.label("n"), self.dialect.filtered(count, filled).label("filled")]
        ordered = self.found.kind.is_number or self.found.kind.is_dated or self.found.kind is Kind.TIME
        if self.found.kind is not Kind.FILE:
            text = sa.cast(values.c.v, sa.Text)
            outputs.append(self.dialect.filtered(sa.func.count(sa.distinct(text)), filled).label("different"))
        if ordered and not self.hidden:
            outputs += [sa.cast(getattr(sa.func, f)(values.c.v), sa.Text).label(f) for f in ("min", "max")]
        row = self.snapshot.row(sa.select(*outputs).select_from(values))
        n, full = int(row["n"]), int(row["filled"])
        if self.rights is not None:
            # How many there are in all is nobody's business: what was seen is what is told.
            self.exact, self.estimate = n < EXACT_ROWS, n
        distinct, sure = int(row.get("different") or 0), self.exact
        if not self.exact and self.found.kind is not Kind.FILE:
            distinct = distinct if self.rights is not None else self._estimated_distinct(distinct)
        return FieldFacts(
            field=self.found,
            rows=n if self.exact else self.estimate,
            seen=n,
            exact=self.exact,
            fill=full / n if n else 0.0,
            distinct=distinct,
            distinct_exact=sure,
            least=row.get("min"),
            greatest=row.get("max"),
            top=() if self.hidden else self._top(values, filled),
            histogram=self._histogram(values, row)
            if ordered and not self.hidden and full and self.catalogue.dialect == "postgresql"
            else (),
        )

    def _values(self) -> tuple[sa.Subquery, Any]:
        """
        The field's values, of all records or of a sample, and whether each is filled.
        """
        context = StatementContext(self.catalogue, _UTC, self.dialect, datetime.now(UTC), rights=self.rights)
        scope = Scope(context, self.record_type)
        cell = Read(Route((), self.found))
        value, blank = scope.value(cell), scope.blank(cell)
        whole: Any = scope.from_clause()
        statement = sa.select(value.label("v"), sa.not_(blank).label("filled")).select_from(whole)
        if self.rights is not None:
            permitted = scope.permitted(scope.base, self.record_type)
            statement = statement if permitted is None else statement.where(permitted)
            statement = statement.limit(sa.literal_column(str(EXACT_ROWS)))
        elif not self.exact:
            share = min(100.0, 100 * SAMPLE_ROWS * 2 / max(self.estimate, 1))
            chance = sa.func.random() < sa.literal_column(f"{share / 100:.6f}")
            if not self.found.attribute and self.record_type.paged and self.catalogue.dialect == "postgresql":
                sampled = sa.tablesample(
                    scope.base.element,  # type: ignore[attr-defined]
                    sa.func.system(sa.literal_column(f"{share:.4f}")),
                    seed=sa.literal_column("1"),
                    name=scope.base.name,  # type: ignore[attr-defined]
                )
                statement = sa.select(value.label("v"), sa.not_(blank).label("filled")).select_from(sampled)
            else:
                statement = statement.where(chance)
        values = statement.subquery("looked_at")
        return values, values.c.filled

    def _estimated_distinct(self, seen: int) -> int:
        """
        The database's own estimate over all rows; what the sample holds where it has none.
        """
        if self.found.is_custom or self.found.formula or self.catalogue.dialect != "postgresql":
            return seen
        stats = sa.table("pg_stats", *(sa.column(c) for c in ("n_distinct", "schemaname", "tablename", "attname")))
        schema = self.record_type.schema
        within = sa.func.current_schema() if schema is None else sa.cast(sa.literal(schema), sa.Text)
        statement = sa.select(sa.cast(stats.c.n_distinct, sa.Float).label("d")).where(
            stats.c.schemaname == within,
            stats.c.tablename == sa.cast(sa.literal(self.record_type.table), sa.Text),
            stats.c.attname == sa.cast(sa.literal(self.found.column), sa.Text),
        )
        rows = self.snapshot.rows(statement)
        if not rows:
            return seen
        estimate = float(rows[0]["d"])
        return max(seen, round(estimate if estimate >= 0 else -estimate * self.estimate))

    def _top(self, values: sa.Subquery, filled: Any) -> tuple[tuple[str, int], ...]:
        text = sa.func.substr(sa.cast(values.c.v, sa.Text), sa.literal_column("1"), sa.literal_column("80")).label(
            "value"
        )
        count = sa.func.count().label("times")
        statement = sa.select(text, count).where(filled).group_by(text).order_by(count.desc(), text)
        rows = self.snapshot.rows(statement.limit(sa.literal_column(str(TOP))))
        return tuple((self.found.label_of(r["value"]), int(r["times"])) for r in rows)

    def _histogram(self, values: sa.Subquery, row: dict[str, Any]) -> tuple[Bar, ...]:
        """
        Bars of equal width between the second and the ninety-eighth hundredth, so that a typing error does not
        flatten them all; what lies beyond is in the outermost bars.
        """
        timed = self.found.kind.is_dated or self.found.kind is Kind.TIME
        number = sa.extract("epoch", values.c.v) if timed else values.c.v
        # What is infinite, no number, or beyond a float's range has no place among bars.
        small = sa.and_(number > sa.literal_column("-1e300"), number < sa.literal_column("1e300"))
        value: Any = sa.case((small, sa.cast(sa.case((small, number)), sa.Float)))
        inside = value.is_not(None)
        ends = [
            sa.func.percentile_cont(sa.literal_column(p)).within_group(value).filter(inside).label(n)
            for n, p in (("low", "0.02"), ("high", "0.98"))
        ]
        bounds = self.snapshot.row(sa.select(*ends).select_from(values))
        low, high = bounds["low"], bounds["high"]
        if low is None or high is None or low == high:
            return ()
        bucket = sa.func.width_bucket(
            value,
            sa.literal_column(repr(float(low))),
            sa.literal_column(repr(float(high))),
            sa.literal_column(str(BARS)),
        )
        held = sa.func.least(sa.func.greatest(bucket, sa.literal_column("1")), sa.literal_column(str(BARS))).label(
            "bar"
        )
        statement = (
            sa.select(
                held,
                sa.cast(sa.func.min(values.c.v), sa.Text).label("least"),
                sa.cast(sa.func.max(values.c.v), sa.Text).label("greatest"),
                sa.func.count().label("times"),
            )
            .where(inside)
            .group_by(held)
            .order_by(held)
        )
        rows = self.snapshot.rows(statement)
        return tuple(Bar(r["least"], r["greatest"], int(r["times"])) for r in rows)
