"""
The catalogue of a source: reflected from the database, with the curated document laid over it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.engine.interfaces import ReflectedColumn

from bouquet.core.catalogue import Attribute, Catalogue, Choice, Field, Kind, RecordType, Relation, Retired
from bouquet.sources.errors import renamed_errors
from bouquet.sources.overlay import AttributeOverlay, FieldOverlay, Overlay, OverlayError, RecordTypeOverlay

__all__ = ["reflect_catalogue"]

#: SQLAlchemy type → (how it is stored, what kind of value it is). The first that fits counts.
_TYPES: tuple[tuple[type[Any], str, Kind], ...] = (
    (sa.Boolean, "boolean", Kind.BOOLEAN),
    (sa.Float, "float", Kind.DECIMAL),
    (sa.Integer, "integer", Kind.INTEGER),
    (sa.Numeric, "numeric", Kind.DECIMAL),
    (sa.Enum, "other", Kind.OTHER),
    (sa.String, "text", Kind.TEXT),
    (sa.Date, "date", Kind.DATE),
    (sa.Time, "time", Kind.TIME),
    (sa.LargeBinary, "bytes", Kind.FILE),
)

#: Types that SQLite keeps only as a word.
_SQLITE_TYPES = {
    "timestamptz": ("timestamptz", Kind.MOMENT),
    "jsonb": ("other", Kind.OTHER),
    "json": ("other", Kind.OTHER),
    "bytea": ("bytes", Kind.FILE),
}

#: How a custom field is read, by its kind; its text is what the database holds.
_CUSTOM_STORED = {
    Kind.INTEGER: "integer",
    Kind.DECIMAL: "numeric",
    Kind.BOOLEAN: "boolean",
    Kind.DATE: "date",
}

#: Rows in which keys of a JSON column are looked for, and fields that are made of one column or attribute table.
CUSTOM_SAMPLE, MOST_CUSTOM = 4_000, 200

#: Choices of one field; a longer list is no list of choices.
MOST_CHOICES = 2_000


def reflect_catalogue(engine: sa.Engine, name: str, overlay: Overlay | None = None) -> Catalogue:
    """
    Read tables, columns, keys, comments and row estimates from the database, and lay `overlay` over them.

    Raises OverlayError where the overlay names a table or column that is not there.
    """
    title = overlay.title if overlay else name
    with renamed_errors(title), engine.connect() as connection:
        return _Reflection(connection, name, overlay or Overlay(title=title)).catalogue()


class _Reflection:
    def __init__(self, connection: sa.Connection, name: str, overlay: Overlay) -> None:
        self.connection, self.name, self.overlay = connection, name, overlay
        inspector = sa.inspect(connection)
        self.columns = {table: c for (_, table), c in inspector.get_multi_columns().items()}
        self.keys = {table: k for (_, table), k in inspector.get_multi_pk_constraint().items()}
        self.foreign = {table: f for (_, table), f in inspector.get_multi_foreign_keys().items()}
        self.unique = {table: u for (_, table), u in inspector.get_multi_unique_constraints().items()}
        self.comments = self._comments(inspector)
        self.estimates = self._estimates()
        self._declared = self._declared_types()
        self.varying = self._varying_codes()

    def catalogue(self) -> Catalogue:
        missing = [t for t in (*self.overlay.tables, *self.overlay.hidden) if t not in self.columns]
        if missing:
            raise OverlayError(f"The curated catalogue names tables that are not there: {', '.join(missing)}.")
        tables = [t for t in self.columns if t not in self.overlay.hidden and self._key(t)]
        self.names = {t: self._curated(t).name or t for t in tables}
        types = [self._record_type(t) for t in tables]
        types = [self._with_reverse(t, types) for t in types]
        return Catalogue(
            source=self.name,
            title=self.overlay.title,
            environment=self.overlay.environment,
            dialect=self.connection.dialect.name,
            record_types={t.name: t for t in types},
        )

    def _curated(self, table: str) -> RecordTypeOverlay:
        return self.overlay.tables.get(table) or RecordTypeOverlay()

    def _key(self, table: str) -> list[str]:
        return list(self.keys[table]["constrained_columns"])

    @staticmethod
    def _comments(inspector: sa.Inspector) -> Mapping[str, Any]:
        try:
            return {table: c for (_, table), c in inspector.get_multi_table_comment().items()}
        except NotImplementedError:
            return {}

    def _estimates(self) -> dict[str, int]:
        if self.connection.dialect.name != "postgresql":
            return {}
        found = self.connection.execute(
            sa.text(
                "SELECT relname, reltuples::bigint AS rows FROM pg_class "
                "WHERE relnamespace = current_schema()::regnamespace AND relkind IN ('r', 'p') AND reltuples >= 0"
            )
        )
        return {row.relname: row.rows for row in found}

    def _declared_types(self) -> dict[tuple[str, str], tuple[str, Kind]]:
        """
        Columns whose declared type says more than SQLAlchemy's reflection of SQLite takes from it.
        """
        if self.connection.dialect.name != "sqlite":
            return {}
        found = {}
        for table in self.columns:
            for row in self.connection.exec_driver_sql(f'PRAGMA table_info("{table.replace(chr(34), "")}")'):
                known = _SQLITE_TYPES.get(str(row[2]).lower())
                if known:
                    found[table, row[1]] = known
        return found

    def _codes(self) -> Iterator[str]:
        """
        Text columns that hold codes.
        """
        for table, columns in self.columns.items():
            fields = self._curated(table).fields
            for column in columns:
                curated = fields.get(column["name"])
                if curated is not None and curated.kind is Kind.IDENTIFIER and isinstance(column["type"], sa.String):
                    yield column["name"]

    def _varying_codes(self) -> set[tuple[str, str]]:
        """
        Text columns whose runs of digits differ in length, by the values that the database keeps as statistics.
        """
        if self.connection.dialect.name != "postgresql":
            return set()
        found = self.connection.execute(
            sa.text(
                "SELECT tablename, attname, coalesce(most_common_vals::text::text[], '{}') ||"
                " coalesce(histogram_bounds::text::text[], '{}') AS seen FROM pg_stats"
                " WHERE schemaname = current_schema() AND attname = ANY(:codes)"
                " AND array_ndims(histogram_bounds::text::text[]) = 1"
            ),
            {"codes": list(self._codes())},
        )
        return {
            (row.tablename, row.attname)
            for row in found
            if len({tuple(map(len, re.findall(r"\d+", v))) for v in row.seen if v and re.search(r"\d", v)}) > 1
        }

    # Fields that are no columns

    def _custom_fields(self, table: str, curated: RecordTypeOverlay, taken: set[str]) -> Iterator[Field]:
        """
        Keys of JSON columns, and rows of attribute tables.
        """
        for column in self.columns[table]:
            if isinstance(column["type"], sa.JSON):
                for key, kind in self._json_keys(table, column).items():
                    known = curated.custom.get(key)
                    yield self._custom_field(key, known, kind, taken, column=column["name"], json_key=key)
        for attributes in curated.attributes:
            pairs = tuple(attributes.columns.items())
            if not self._is_unique(attributes.table, {*(theirs for _, theirs in pairs), attributes.name}):
                raise OverlayError(
                    f"The attributes of {table} in {attributes.table} may hold several values of one name for a record."
                )
            for name in self._attribute_names(attributes):
                found = Attribute(
                    table=attributes.table,
                    pairs=pairs,
                    name_column=attributes.name,
                    name=name,
                    value_column=attributes.value,
                )
                known = curated.custom.get(name)
                yield self._custom_field(name, known, Kind.TEXT, taken, column=attributes.value, attribute=found)

    def _json_keys(self, table: str, column: ReflectedColumn) -> dict[str, Kind]:
        """
        The keys that a sample of a JSON column has, with the kind of what they hold.
        """
        if self.connection.dialect.name != "postgresql":
            return {}
        value: Any = sa.column(column["name"])
        sample = sa.select(sa.cast(value, JSONB).label("v")).select_from(sa.table(table, value))
        sample = sample.where(value.is_not(None)).limit(CUSTOM_SAMPLE)
        rows = sample.subquery("sampled")
        whole = sa.case((sa.func.jsonb_typeof(rows.c.v) == "object", rows.c.v), else_=sa.cast("{}", JSONB))
        pairs = sa.func.jsonb_each(whole).table_valued("key", "value", joins_implicitly=True, name="pairs")
        text = sa.cast(pairs.c.value, sa.Text)
        statement = sa.select(
            pairs.c.key,
            sa.func.array_agg(sa.distinct(sa.func.jsonb_typeof(sa.cast(pairs.c.value, JSONB)))).label("types"),
            sa.func.bool_and(text.op("~")(r"^-?\d{1,18}$")).label("whole"),
        ).group_by(pairs.c.key)
        found = self.connection.execute(statement.select_from(rows, pairs).order_by(pairs.c.key).limit(MOST_CUSTOM))
        kinds = {"number": Kind.DECIMAL, "boolean": Kind.BOOLEAN, "string": Kind.TEXT}
        keys = {}
        for row in found:
            types = [t for t in row.types if t != "null"]
            kind = kinds.get(types[0], Kind.TEXT) if len(types) == 1 else Kind.TEXT
            keys[row.key] = Kind.INTEGER if kind is Kind.DECIMAL and row.whole else kind
        return keys

    def _attribute_names(self, attributes: AttributeOverlay) -> list[str]:
        name: Any = sa.column(attributes.name)
        statement = sa.select(sa.cast(name, sa.Text)).select_from(sa.table(attributes.table, name)).distinct()
        found = self.connection.execute(
            statement.where(name.is_not(None)).order_by(sa.cast(name, sa.Text)).limit(MOST_CUSTOM)
        )
        return [row[0] for row in found]

    def _custom_field(self, key: str, curated: FieldOverlay | None, kind: Kind, taken: set[str], **where: Any) -> Field:
        curated = curated or FieldOverlay()
        kind = curated.kind or kind
        name = curated.name or re.sub(r"\W+", "_", key).strip("_").lower() or "custom"
        while name in taken:
            name = f"{name}_"
        taken.add(name)
        choices = self._choices(curated)
        return Field(
            name=name,
            kind=Kind.CHOICE if choices else kind,
            stored="text" if choices else _CUSTOM_STORED.get(kind, "text"),
            label=curated.label or key.replace("_", " ").capitalize(),
            meaning=curated.meaning,
            unit=curated.unit,
            everyday=curated.everyday,
            personal=curated.personal,
            retired=Retired(curated.retired, curated.substitute) if curated.retired else None,
            synonyms=curated.synonyms,
            choices=choices,
            **where,
        )

    def _record_type(self, table: str) -> RecordType:
        curated = self._curated(table)
        absent = [c for c in curated.fields if c not in {k["name"] for k in self.columns[table]}]
        if absent:
            raise OverlayError(
                f"The curated catalogue names columns of {table} that are not there: {', '.join(absent)}."
            )
        fields = tuple(self._field(table, c, curated.fields.get(c["name"])) for c in self.columns[table])
        fields += tuple(self._custom_fields(table, curated, {f.name for f in fields}))
        by_column = {f.column: f.name for f in fields if not f.is_custom}
        label = curated.label or table.replace("_", " ")
        return RecordType(
            name=self.names[table],
            table=table,
            schema=None,
            label=label,
            plural=curated.plural or f"{label}s",
            fields=fields,
            relations=tuple(self._relations(table)),
            key=tuple(by_column[c] for c in self._key(table)),
            title=curated.title,
            meaning=curated.meaning or (self.comments.get(table, {}).get("text") or ""),
            link=curated.link,
            touched_by=curated.touched_by,
            rows_estimate=self.estimates.get(table),
            proposed=curated.proposed,
        )

    def _field(self, table: str, column: ReflectedColumn, curated: FieldOverlay | None) -> Field:
        curated = curated or FieldOverlay()
        stored, kind = self._declared.get((table, column["name"])) or _stored(column["type"])
        choices = self._choices(curated)
        if choices:
            kind = Kind.CHOICE
        elif column["name"] in self._key(table) and kind in (Kind.TEXT, Kind.INTEGER):
            kind = Kind.IDENTIFIER
        name = column["name"]
        return Field(
            name=curated.name or name,
            column=name,
            kind=curated.kind or kind,
            stored=stored,
            label=curated.label or name.replace("_", " ").capitalize(),
            meaning=curated.meaning or (column.get("comment") or ""),
            unit=curated.unit,
            everyday=curated.everyday,
            personal=curated.personal,
            retired=Retired(curated.retired, curated.substitute) if curated.retired else None,
            synonyms=curated.synonyms,
            choices=choices,
            nullable=bool(column["nullable"]),
            digits_vary=(curated.kind or kind) is Kind.IDENTIFIER
            and stored == "text"
            and (table, name) in self.varying,
            scale=getattr(column["type"], "scale", None) if stored == "numeric" else None,
        )

    def _choices(self, curated: FieldOverlay) -> tuple[Choice, ...]:
        lookup = curated.lookup
        if lookup is not None:
            table = sa.table(lookup.table, sa.column(lookup.code), sa.column(lookup.label))
            code, label = table.c[lookup.code], table.c[lookup.label]
            found = self.connection.execute(sa.select(code, label).order_by(code).limit(MOST_CHOICES))
            return tuple(Choice(str(c), str(t)) for c, t in found)
        return tuple(Choice(c, t) for c, t in curated.choices.items())

    def _relations(self, table: str) -> Iterable[Relation]:
        taken = set()
        for curated in self._curated(table).relations:
            if curated.to not in self.names:
                raise OverlayError(f"The curated catalogue leads from {table} to “{curated.to}”, which is not there.")
            pairs = tuple(curated.columns.items())
            if not curated.many and not self._is_unique(curated.to, {o for _, o in pairs}):
                raise OverlayError(
                    f"The relation {table}.{curated.name} may find more than one record of {curated.to}: "
                    f"{', '.join(o for _, o in pairs)} is not unique there. Mark it as many."
                )
            taken.add((pairs, curated.to))
            yield Relation(
                name=curated.name,
                label=curated.label,
                target=self.names[curated.to],
                many=curated.many,
                pairs=pairs,
            )
        for key in self.foreign[table]:
            target = key["referred_table"]
            pairs = tuple(zip(key["constrained_columns"], key["referred_columns"], strict=True))
            if target in self.names and (pairs, target) not in taken:
                name = pairs[0][0].removesuffix("_id") if len(pairs) == 1 else target
                name = name if name != pairs[0][0] else self.names[target]
                label = self._curated(target).label or name.replace("_", " ")
                yield Relation(name=name, label=label.capitalize(), target=self.names[target], many=False, pairs=pairs)

    def _is_unique(self, table: str, columns: set[str]) -> bool:
        uniques = [set(self._key(table)), *(set(u["column_names"]) for u in self.unique[table])]
        return any(u and u <= columns for u in uniques)

    @staticmethod
    def _with_reverse(record_type: RecordType, types: list[RecordType]) -> RecordType:
        """
        Add the way back of every to-one relation that leads here, as a to-many relation.
        """
        taken = {r.name for r in record_type.relations} | {f.name for f in record_type.fields}
        known = {(r.target, frozenset(r.pairs)) for r in record_type.relations}
        back = []
        for other in types:
            for relation in other.relations:
                pairs = tuple((b, a) for a, b in relation.pairs)
                if relation.many or relation.target != record_type.name or (other.name, frozenset(pairs)) in known:
                    continue
                name = other.plural.replace(" ", "_").lower()
                name = name if name not in taken else f"{name}_by_{relation.name}"
                taken.add(name)
                label = other.plural.capitalize()
                back.append(Relation(name=name, label=label, target=other.name, many=True, pairs=pairs))
        return replace(record_type, relations=(*record_type.relations, *back))


def _stored(column_type: Any) -> tuple[str, Kind]:
    if isinstance(column_type, sa.DateTime):
        zoned = bool(getattr(column_type, "timezone", False))
        return ("timestamptz", Kind.MOMENT) if zoned else ("timestamp", Kind.TIMESTAMP)
    for known, stored, kind in _TYPES:
        if isinstance(column_type, known):
            return stored, kind
    return "other", Kind.OTHER
