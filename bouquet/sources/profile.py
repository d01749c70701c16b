"""
Profiles of fields: how full they are, and an example.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

import sqlalchemy as sa

from bouquet.core.catalogue import Kind, RecordType
from bouquet.core.rights import Rights
from bouquet.core.sql import DIALECTS, WHITE, literal
from bouquet.core.sql.scope import Scope, StatementContext
from bouquet.sources.base import Snapshot

__all__ = ["FieldProfile", "profile_record_type"]

#: Rows. A record type with more is looked at through a sample of about this many.
SAMPLE_ROWS = 20_000

#: Characters of an example.
EXAMPLE_LENGTH = 60


@dataclass(frozen=True)
class FieldProfile:
    """
    `fill` is the share of rows that are not blank, 0 to 1; `exact` says whether all rows were looked at.
    `example` is a value as text; None where every value seen was blank, or the field is personal or a file.
    """

    fill: float
    example: str | None
    exact: bool


def profile_record_type(
    snapshot: Snapshot, record_type: RecordType, dialect: str = "postgresql", rights: Rights | None = None
) -> dict[str, FieldProfile]:
    """
    A profile of each field, by field name, from one pass over a sample of the records, of those that `rights` leave.
    """
    kept: list[Any] = [sa.column(f.column) for f in record_type.fields if not f.formula]
    table: Any = sa.table(record_type.table, *kept, schema=record_type.schema)
    sampled = (record_type.rows_estimate or 0) > SAMPLE_ROWS * 2 and record_type.paged
    if rights is not None:
        scope = Scope(
            StatementContext(rights.catalogue, ZoneInfo("UTC"), DIALECTS[dialect], datetime.now(UTC), rights=rights),
            record_type,
        )
        columns_of = dict.fromkeys(f.column for f in record_type.fields if f.attribute is None and not f.formula)
        theirs = sa.select(*(scope.base.c[c] for c in columns_of))
        permitted = scope.permitted(scope.base, record_type)
        theirs = theirs.where(permitted) if permitted is not None else theirs
        table = theirs.limit(sa.literal_column(str(SAMPLE_ROWS))).subquery("theirs")
    elif not record_type.paged and dialect == "postgresql":
        # A view, or a table in parts: its first rows stand for all.
        table = sa.select(table).limit(sa.literal_column(str(SAMPLE_ROWS))).subquery("s")
    elif sampled:
        share = 100 * SAMPLE_ROWS / (record_type.rows_estimate or 1)
        table = sa.tablesample(
            table, sa.func.system(sa.literal_column(f"{share:.4f}")), seed=sa.literal_column("1"), name="s"
        )
    columns = [sa.func.count().label("n")]
    for n, field in enumerate(record_type.fields):
        if field.attribute is not None or field.formula:
            continue
        value = table.c[field.column]
        if field.json_key is not None:
            value = value.op("->>", return_type=sa.Text())(literal(field.json_key))
        value = DIALECTS[dialect].read_as(value, field.read_as)
        text = sa.cast(value, sa.Text)
        filled: Any = value.is_not(None)
        if field.stored == "text" or field.is_custom or field.typed_text:
            filled = sa.and_(filled, DIALECTS[dialect].trimmed(value, WHITE) != literal(""))
        columns.append(DIALECTS[dialect].filtered(sa.func.count(), filled).label(f"f{n}"))
        if not field.personal and field.kind is not Kind.FILE:
            # The middle of the values seen is more telling than the least or the greatest.
            columns.append(DIALECTS[dialect].filtered(_middle(text, dialect), filled).label(f"e{n}"))
    row = snapshot.row(sa.select(*columns).select_from(table))
    found = {
        field.name: FieldProfile(
            fill=row[f"f{n}"] / row["n"] if row["n"] else 0.0,
            example=_shown(row.get(f"e{n}"), field),
            exact=not sampled and (record_type.paged or row["n"] < SAMPLE_ROWS),
        )
        for n, field in enumerate(record_type.fields)
        if field.attribute is None and not field.formula
    }
    rows = row["n"] if not sampled and record_type.paged else record_type.rows_estimate
    if rights is not None:
        # Attribute tables are not looked into: whose their rows are would have to be told one by one.
        return found
    return found | _profile_attributes(snapshot, record_type, rows, dialect)


def _middle(text: Any, dialect: str) -> Any:
    """
    The middle of the values where the database can find it, otherwise the least.
    """
    example = sa.func.substr(text, sa.literal_column("1"), sa.literal_column(str(EXAMPLE_LENGTH)))
    if dialect != "postgresql":
        return sa.func.min(example)
    return sa.func.percentile_disc(sa.literal_column("0.5")).within_group(example.collate("C"))


def _profile_attributes(
    snapshot: Snapshot, record_type: RecordType, rows: int | None, dialect: str
) -> dict[str, FieldProfile]:
    """
    The same for fields that are rows of an attribute table.
    """
    found: dict[str, FieldProfile] = {}
    for field in record_type.fields:
        attribute = field.attribute
        if attribute is None:
            continue
        name: Any = sa.column(attribute.name_column)
        value: Any = sa.column(attribute.value_column)
        text = sa.cast(value, sa.Text)
        filled = DIALECTS[dialect].trimmed(text, WHITE) != literal("")
        middle = _middle(text, dialect)
        statement = sa.select(sa.func.count().label("n"), middle.label("example"))
        statement = statement.select_from(sa.table(attribute.table, name, value))
        row = snapshot.row(statement.where(name == literal(attribute.name), filled))
        example = None if field.personal else _shown(row["example"], field)
        fill = min(1.0, row["n"] / rows) if rows else 0.0
        found[field.name] = FieldProfile(fill=fill, example=example, exact=False)
    return found


def _shown(example: str | None, field: Any) -> str | None:
    if example is None:
        return None
    return field.label_of(example) if field.choices else " ".join(example.split())
