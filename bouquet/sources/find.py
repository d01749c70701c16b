"""
Finding fields by a value: which fields of a record type, and of its neighbours, hold what a person typed?

Hits come as they are found: first what the database knows without looking (codes with such a label, values it counts
as frequent, indexed columns), then from one pass over each table, in pieces, until the time is up.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from decimal import Decimal, InvalidOperation
from typing import Any
from zoneinfo import ZoneInfo

import sqlalchemy as sa

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, Route, walk_to_one
from bouquet.core.plan import Read
from bouquet.core.rights import Rights
from bouquet.core.sql import DIALECTS, WHITE, escape_like, literal
from bouquet.core.sql.scope import Scope, StatementContext
from bouquet.sources.base import Snapshot
from bouquet.sources.errors import SourceCancelled, SourceTimeout

__all__ = ["Finding", "Found", "find_value"]

#: Seconds a search may take.
TIME = 10.0

#: Pages of a table in the first piece, and in the largest.
FIRST_PIECE, LARGEST_PIECE = 256, 8_192

#: Records with a value that are counted where an index finds them.
MOST_LOOKED_UP = 1_000

#: Letters from which on a text is also looked for inside longer texts.
INSIDE = 3

_DAYS = ("%Y-%m-%d", "%d/%m/%Y", "%d.%m.%Y", "%d %b %Y", "%d %B %Y")


@dataclass(frozen=True)
class Found:
    """
    A field that holds the value: its path from the record type, a value found, and in how many records.

    `count` grows while the search goes on; `exact` says that it is the count of all records.
    """

    path: str
    trail: str
    value: str
    count: int
    exact: bool


@dataclass(frozen=True)
class Finding:
    """
    How a search stands: what was found, the most frequent first; the share of the rows searched, 0 to 1; and what was
    not searched, in words.
    """

    hits: tuple[Found, ...]
    searched: float
    done: bool
    unsearched: tuple[str, ...]


@dataclass
class _Table:
    """
    One record type that is searched, with the ways that lead to it, and how far the search has come.
    """

    record_type: RecordType
    ways: list[tuple[Relation, ...]]
    fields: list[Field]
    pages: int = 0
    at: int = 0
    piece: int = FIRST_PIECE
    counts: dict[str, int] = field(default_factory=dict)
    values: dict[str, str] = field(default_factory=dict)
    guessed: dict[str, int] = field(default_factory=dict)

    @property
    def done(self) -> bool:
        return self.at >= max(self.pages, 1)


def find_value(
    snapshot: Snapshot,
    catalogue: Catalogue,
    start: RecordType,
    text: str,
    *,
    rights: Rights | None = None,
    seconds: float = TIME,
) -> Iterator[Finding]:
    """
    Search the fields of `start` and its neighbours for `text`; gives how the search stands after each piece.

    Texts are compared without regard to case, and, from three letters on, also found inside longer texts; numbers and
    dates by their value. Personal fields and files are not searched, nor are records that `rights` do not leave.
    """
    yield from _Search(snapshot, catalogue, start, text.strip(), rights, seconds).run()


class _Search:
    def __init__(
        self,
        snapshot: Snapshot,
        catalogue: Catalogue,
        start: RecordType,
        text: str,
        rights: Rights | None,
        seconds: float,
    ) -> None:
        self.snapshot, self.catalogue, self.start, self.text = snapshot, catalogue, start, text
        self.rights = rights
        self.until = time.monotonic() + seconds
        self.dialect = DIALECTS[catalogue.dialect]
        self.number, self.day = _number(text), _day(text)
        self.hidden: list[str] = []
        self.tables = list(self._tables())

    def run(self) -> Iterator[Finding]:
        if not self.text:
            yield Finding((), 1.0, True, ())
            return
        self._measure()
        self._frequent()
        self._looked_up()
        if any(t.guessed for t in self.tables):
            yield self._standing(done=False)
        waiting = [t for t in self.tables if t.fields]
        while waiting and time.monotonic() < self.until:
            for table in list(waiting):
                if time.monotonic() >= self.until:
                    break
                try:
                    self._piece(table)
                except (SourceTimeout, SourceCancelled):
                    # A statement that was stopped ends the snapshot; what is left stays unsearched, and is named.
                    waiting = []
                    break
                if table.done:
                    waiting.remove(table)
                yield self._standing(done=False)
        yield self._standing(done=True)

    # Where to look

    def _tables(self) -> Iterator[_Table]:
        found: dict[str, _Table] = {}
        ways = list(walk_to_one(self.catalogue, self.start))
        for relation in self.start.relations:
            if relation.many:
                ways.append(((relation,), self.catalogue.record_types[relation.target]))
        for way, end in ways:
            if self.rights is not None and not self.rights.ways(end):
                continue
            if end.name not in found:
                found[end.name] = _Table(end, [], [f for f in end.fields if self._fits(f, end)])
            found[end.name].ways.append(way)
        yield from found.values()

    def _fits(self, f: Field, end: RecordType) -> bool:
        """
        Whether a field can hold the value at all.
        """
        if f.kind is Kind.FILE or f.personal:
            if f.personal:
                self.hidden.append(f"{end.label} {f.label.lower()} (personal)")
            return False
        if f.attribute is not None:
            return False
        if f.choices:
            return bool(self._codes(f))
        if f.kind.is_dated:
            return self.day is not None
        if f.kind.is_number or f.stored in ("integer", "numeric", "float"):
            return self.number is not None and (f.stored != "integer" or self.number == self.number.to_integral_value())
        return f.stored in ("text", "other")

    def _codes(self, f: Field) -> list[str]:
        wanted = self.text.casefold()
        return [
            c.code
            for c in f.choices
            if wanted in (c.code.casefold(), c.label.casefold())
            or (len(wanted) >= INSIDE and wanted in c.label.casefold())
        ]

    # What the database knows

    def _measure(self) -> None:
        if self.catalogue.dialect != "postgresql":
            return
        for table in self.tables:
            if not table.record_type.paged:
                continue
            names = (table.record_type.schema, table.record_type.table)
            quoted = [sa.func.quote_ident(sa.cast(literal(n), sa.Text)) for n in names if n]
            name = quoted[0] if len(quoted) == 1 else sa.func.concat(quoted[0], literal("."), quoted[1])
            size = sa.func.pg_relation_size(sa.func.to_regclass(name), type_=sa.BigInteger())
            row = self.snapshot.row(sa.select((size // sa.literal_column("8192", sa.Integer)).label("pages")))
            table.pages = int(row["pages"] or 0) + 1

    def _frequent(self) -> None:
        """
        Values that the database counts as frequent, with its estimate of how often; before anything is searched. It
        counts all records, so that nothing is known of those that are a person's.
        """
        if self.catalogue.dialect != "postgresql" or self.rights is not None:
            return
        stats = sa.table(
            "pg_stats",
            *(sa.column(c) for c in ("tablename", "attname", "most_common_vals", "most_common_freqs", "schemaname")),
        )
        names = [literal(t.record_type.table) for t in self.tables if t.fields and t.record_type.schema is None]
        if not names:
            return
        vals = (
            sa.func.unnest(
                sa.cast(sa.cast(stats.c.most_common_vals, sa.Text), sa.dialects.postgresql.ARRAY(sa.Text)),
                stats.c.most_common_freqs,
            )
            .table_valued("value", "share", joins_implicitly=True)
            .render_derived(name="m")
        )
        wanted = sa.or_(
            sa.func.lower(vals.c.value) == sa.func.lower(literal(self.text)),
            *(vals.c.value == literal(code) for t in self.tables for f in t.fields for code in self._codes(f)),
        )
        statement = sa.select(
            stats.c.tablename, stats.c.attname, vals.c.value, sa.cast(vals.c.share, sa.Float).label("share")
        )
        for row in self.snapshot.rows(statement.select_from(stats, vals).where(stats.c.tablename.in_(names), wanted)):
            for table in self.tables:
                if table.record_type.table != row["tablename"] or table.record_type.schema is not None:
                    continue
                for f in table.fields:
                    codes = self._codes(f) if f.choices else [row["value"]]
                    if f.column == row["attname"] and f.json_key is None and row["value"] in codes:
                        times = max(1, round(row["share"] * (table.record_type.rows_estimate or 0)))
                        table.guessed[f.name] = table.guessed.get(f.name, 0) + times
                        table.values.setdefault(f.name, f.label_of(row["value"]))

    def _looked_up(self) -> None:
        """
        Values that an index finds as they were typed, in large tables; before anything is searched.
        """
        for table in self.tables:
            for f in table.fields if table.pages > FIRST_PIECE else ():
                plain = f.indexed and not (f.is_custom or f.read_as or f.is_read_from_text or f.choices)
                plain = plain and f.kind not in (Kind.TIMESTAMP, Kind.MOMENT)
                if not plain or f.name in table.guessed or time.monotonic() >= self.until:
                    continue
                scope = self._scope(table)
                value = scope.value(Read(Route((), f)))
                text = f.stored == "text"
                same = value.in_([literal(t) for t in self._spellings()]) if text else self._holds(f, value)
                some = sa.select(sa.cast(value, sa.Text).label("v")).select_from(scope.from_clause()).where(same)
                permitted = scope.permitted(scope.base, table.record_type)
                some = some if permitted is None else some.where(permitted)
                few = some.limit(sa.literal_column(str(MOST_LOOKED_UP))).subquery("few")
                row = self.snapshot.row(sa.select(sa.func.count().label("n"), sa.func.min(few.c.v).label("v")))
                if row["n"]:
                    table.guessed[f.name] = row["n"]
                    table.values.setdefault(f.name, row["v"])

    def _spellings(self) -> list[str]:
        """
        The text as it was typed, and as it may stand in codes.
        """
        return list(dict.fromkeys((self.text, self.text.upper(), self.text.lower())))

    # Searching

    def _scope(self, table: _Table) -> Scope:
        context = StatementContext(self.catalogue, ZoneInfo("UTC"), self.dialect, datetime.now(UTC), rights=self.rights)
        return Scope(context, table.record_type)

    def _piece(self, table: _Table) -> None:
        scope = self._scope(table)
        found: list[Any] = []
        for n, f in enumerate(table.fields):
            value = scope.value(Read(Route((), f)))
            shown = sa.func.substr(sa.cast(value, sa.Text), sa.literal_column("1"), sa.literal_column("80"))
            found.append(sa.case((self._holds(f, value), shown)).label(f"f{n}"))
        statement = sa.select(*found).select_from(scope.from_clause())
        permitted = scope.permitted(scope.base, table.record_type)
        if permitted is not None:
            statement = statement.where(permitted)
        if table.pages:
            first, last = table.at, table.at + table.piece
            place: Any = sa.literal_column(f"{scope.base.name}.ctid")  # type: ignore[attr-defined]
            statement = statement.where(
                place >= sa.literal_column(f"'({first},0)'::tid"), place < sa.literal_column(f"'({last},0)'::tid")
            )
        if self.dialect.keeps_apart:
            # Kept apart, each value is compared once, and not once for its count and once to be shown.
            statement = statement.offset(sa.literal_column("0"))
        each = statement.subquery("found")
        counts = [sa.func.count(c).label(f"n{n}") for n, c in enumerate(each.c)]
        values = [sa.func.min(c).label(f"v{n}") for n, c in enumerate(each.c)]
        row = self.snapshot.row(sa.select(*counts, *values))
        table.at += table.piece if table.pages else 1
        table.piece = min(table.piece * 2, LARGEST_PIECE)
        for n, f in enumerate(table.fields):
            if row[f"n{n}"]:
                table.counts[f.name] = table.counts.get(f.name, 0) + int(row[f"n{n}"])
                table.values.setdefault(f.name, f.label_of(row[f"v{n}"]) if f.choices else str(row[f"v{n}"]))

    def _holds(self, f: Field, value: Any) -> Any:
        if f.choices:
            codes = [literal(int(c) if f.stored == "integer" else c) for c in self._codes(f)]
            return value.in_(codes)
        if f.kind.is_dated:
            assert self.day is not None
            return sa.cast(value, sa.Date) == literal(self.day)
        if f.kind.is_number or f.stored in ("integer", "numeric", "float"):
            assert self.number is not None
            whole = f.stored == "integer"
            return value == literal(int(self.number) if whole else self.number, f.stored)
        text = sa.cast(value, sa.Text) if f.stored != "text" else value
        wanted = self.text.lower()
        if len(self.text) < INSIDE or f.kind is Kind.IDENTIFIER:
            return self.dialect.lowered(self.dialect.trimmed(text, WHITE)) == literal(wanted)
        return self.dialect.lowered(text).like(literal(f"%{escape_like(wanted)}%"), escape="~")

    # How it stands

    def _standing(self, *, done: bool) -> Finding:
        hits = []
        for table in self.tables:
            for f in table.fields:
                count = table.counts.get(f.name, 0)
                guess = table.guessed.get(f.name, 0)
                if not count and (not guess or table.done):
                    continue
                for way in table.ways:
                    route = Route(way, f)
                    shown = max(count, guess) if not table.done else count
                    hits.append(Found(route.path, route.trail, table.values[f.name], shown, table.done))
        total = sum(max(t.pages, 1) for t in self.tables if t.fields) or 1
        searched = sum(min(t.at, max(t.pages, 1)) for t in self.tables if t.fields) / total
        left = [
            f"{t.record_type.plural} ({round(100 * min(t.at / max(t.pages, 1), 1))} % searched)"
            for t in self.tables
            if t.fields and not t.done
        ]
        hits.sort(key=lambda h: (-h.count, h.path))
        return Finding(tuple(hits), min(searched, 1.0), done, tuple([*left, *self.hidden] if done else self.hidden))


def _number(text: str) -> Decimal | None:
    try:
        number = Decimal(text.replace(",", "") if text.count(".") <= 1 else text)
    except InvalidOperation:
        return None
    return number if number.is_finite() and abs(number) < Decimal(2) ** 63 else None


def _day(text: str) -> date | None:
    for form in _DAYS:
        try:
            return datetime.strptime(text, form).date()
        except ValueError:
            continue
    return None
