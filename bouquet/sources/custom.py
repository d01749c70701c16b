"""
Fields that are no columns: keys of JSON columns, and rows of attribute tables beside the records.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.engine.interfaces import ReflectedColumn

from bouquet.core.catalogue import Attribute, Choice, Field, Kind, Retired
from bouquet.core.language import tr
from bouquet.sources.brief import briefly
from bouquet.sources.overlay import AttributeOverlay, FieldOverlay, OverlayError, RecordTypeOverlay
from bouquet.sources.tables import Table

__all__ = ["STORED", "CustomFields", "ranked"]

#: How a field that is kept as text is read, by its kind.
STORED = {
    Kind.INTEGER: "integer",
    Kind.DECIMAL: "numeric",
    Kind.BOOLEAN: "boolean",
    Kind.DATE: "date",
}

#: Rows in which keys of a JSON column are looked for, and fields that are made of one column or attribute table.
CUSTOM_SAMPLE, MOST_CUSTOM = 4_000, 200


def ranked(curated: FieldOverlay, choices: tuple[Choice, ...]) -> bool:
    """
    Whether choices stand in an order of their own: as they are spelled out, by a column that ranks them, or by codes
    that are whole numbers.
    """
    if curated.lookup is None or curated.lookup.order is not None:
        return bool(choices)
    return bool(choices) and all(c.code.lstrip("-").isdecimal() for c in choices)


@dataclass(frozen=True)
class CustomFields:
    """
    Finds them in one database. `choices` reads those of a field that people curated; unless it is `strict`, attribute
    tables that went are passed over.
    """

    connection: sa.Connection
    tables: Mapping[str, Table]
    choices: Callable[[FieldOverlay], tuple[Choice, ...]]
    strict: bool

    def of(self, table: str, curated: RecordTypeOverlay, taken: set[str]) -> Iterator[Field]:
        """
        Keys of JSON columns, and rows of attribute tables.
        """
        for column in self.tables[table].columns:
            if isinstance(column["type"], sa.JSON):
                for key, kind in self._json_keys(table, column).items():
                    known = curated.custom.get(key)
                    yield self._custom_field(key, known, kind, taken, column=column["name"], json_key=key)
        for attributes in curated.attributes:
            pairs = tuple(attributes.columns.items())
            if attributes.table not in self.tables and not self.strict:
                continue
            if not self.tables[attributes.table].is_unique({*(theirs for _, theirs in pairs), attributes.name}):
                raise OverlayError(
                    tr(
                        "The attributes of {table} in {table2} may hold several values of one name for a record.",
                        table=table,
                        table2=attributes.table,
                    )
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
        sample = sa.select(sa.cast(value, JSONB).label("v")).select_from(
            sa.table(self.tables[table].name, value, schema=self.tables[table].schema)
        )
        sample = sample.where(value.is_not(None)).limit(CUSTOM_SAMPLE)
        rows = sample.subquery("sampled")
        whole = sa.case((sa.func.jsonb_typeof(rows.c.v) == "object", rows.c.v), else_=sa.literal_column("'{}'::jsonb"))
        pairs = sa.func.jsonb_each(whole).table_valued("key", "value", joins_implicitly=True, name="pairs")
        text = sa.cast(pairs.c.value, sa.Text)
        statement = sa.select(
            pairs.c.key,
            sa.func.array_agg(sa.distinct(sa.func.jsonb_typeof(sa.cast(pairs.c.value, JSONB)))).label("types"),
            sa.func.bool_and(text.op("~")(r"^-?\d{1,18}$")).label("whole"),
        ).group_by(pairs.c.key)
        statement = statement.select_from(rows, pairs).order_by(pairs.c.key).limit(MOST_CUSTOM)
        try:
            with briefly(self.connection):
                found = self.connection.execute(statement).all()
        except sa.exc.DBAPIError:
            # A view that fails, or rows that cannot be read: there are no keys to be found then.
            return {}
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
        choices = self.choices(curated)
        return Field(
            name=name,
            kind=Kind.CHOICE if choices else kind,
            stored="text" if choices else STORED.get(kind, "text"),
            label=curated.label or key.replace("_", " ").capitalize(),
            meaning=curated.meaning,
            unit=curated.unit,
            everyday=curated.everyday,
            personal=curated.personal,
            personal_class=curated.personal_class or "",
            part_of=curated.part_of,
            retired=Retired(curated.retired, curated.substitute) if curated.retired else None,
            synonyms=curated.synonyms,
            choices=choices,
            choices_ordered=ranked(curated, choices),
            **where,
        )
